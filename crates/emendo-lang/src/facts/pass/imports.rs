//! Statements that import, and those that say a package.

use crate::tree::Node;
use emendo_text::Span;

use crate::facts::pass::Pass;
use crate::tree::words_in;

impl Pass<'_> {
    /// Reads a statement that imports; false if it does not.
    pub(crate) fn imports(&mut self, node: Node<'_>) -> bool {
        let mut found = (self.language.imports.read_import)(node, self.text);
        let scope = self.open.last().map_or(0, |s| *s as usize);
        let any = !found.is_empty();
        for import in &mut found {
            import.scope = self.facts.scopes[scope].span;
            import.inside.clone_from(&self.inside);
        }
        self.facts.imports.extend(found);
        any
    }

    /// A statement that says a package. Gives how many segments it opens, `None` if nothing is in it.
    pub(crate) fn package(&mut self, node: Node<'_>) -> Option<usize> {
        let names = &self.language.names;
        let body = self.field(node, "body");
        let name = self.field(node, "name");
        let mut words = Vec::new();
        // A block without a name lies in the outermost package.
        if let Some(name) = name.or(Some(node).filter(|_| body.is_none())) {
            words_in(name, self.text, &mut words);
        }
        let own: Vec<String> = words.into_iter().map(|w| w.0).collect();
        let count = own.len();
        if self.language.scopes.inner_modules.contains(&node.kind()) {
            // A module without a body lies in a file of its own.
            let count = if body.is_some() { count } else { 0 };
            self.inside.extend(own.into_iter().take(count));
            return Some(count);
        }
        self.inside.extend(own);
        let whole = self.inside.join(names.separator);
        let until = body.map_or(self.text.len(), |_| node.end_byte());
        self.facts.packages.push((Span::new(node.start_byte(), until), whole.clone()));
        self.facts.package = whole;
        let end = body.map_or(node.end_byte(), |b| b.start_byte());
        self.facts.package_span = Some(Span::new(node.start_byte(), end));
        body.is_some().then_some(count)
    }
}
