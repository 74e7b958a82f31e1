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
        if self.language.names.absolute {
            found = found.into_iter().map(|i| self.behind_alias(i)).collect();
        }
        for import in &mut found {
            import.scope = self.facts.scopes[scope].span;
            import.inside.clone_from(&self.inside);
        }
        self.facts.imports.extend(found);
        any
    }

    /// An import whose path begins with what another one made known, or with the word for the module around.
    fn behind_alias(&mut self, import: crate::ground::Import) -> crate::ground::Import {
        let names = &self.language.names;
        let Some((first, at)) = import.segments.first().cloned() else { return import };
        let own = self.language.declares.hints.own.contains(&first.as_str());
        let around = || {
            let path = &self.facts.types[*self.types.last()?].path;
            Some(path.join(names.separator))
        };
        let known = |i: &&crate::ground::Import| {
            !i.is_static && i.local() == Some(first.as_str()) && i.path() != first
        };
        let head = match own {
            true => around(),
            false => self.facts.imports.iter().rev().find(known).map(|i| i.path().to_owned()),
        };
        let Some(head) = head else { return import };
        let rest = import.segments.iter().skip(1).map(|s| s.0.as_str());
        let path = std::iter::once(head.as_str()).chain(rest).collect::<Vec<_>>();
        let path = path.join(names.separator);
        if !own {
            let (space, path_start) = (crate::language::Space::Type, at.start);
            let word =
                crate::facts::Word { span: at, space, path_start, receiver: None, key: false };
            self.push(&first, word);
        }
        import.leading_to(path)
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
