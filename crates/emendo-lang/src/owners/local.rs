//! What a name of the file's own is to code that is taken elsewhere.

use crate::tree::Node;
use emendo_text::Span;

use crate::facts::Declared;
use crate::language::{Origin, Space};
use crate::resolver::Resolver;
use crate::tree::{children, in_field, span};

/// What a name of the file's own is to code that is taken elsewhere.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum OwnName {
    /// A variable that is given a value once.
    Constant {
        /// The statement that declares it.
        statement: Span,
        /// Its value is a plain literal.
        plain: bool,
    },
    /// A variable that is given a value again.
    Changed,
    /// A parameter, or what each round of a loop gives.
    Parameter,
    /// Anything else: a function, a type, a member.
    Other,
}

impl Resolver<'_> {
    /// What a name is that the file declares.
    pub fn own_name_at(&self, name: &str, declared: &Declared<'_>) -> OwnName {
        let Some((leaf, node, rule)) = self.introduced(declared.at) else { return OwnName::Other };
        match rule.origin {
            Origin::Parameter
            | Origin::Rest
            | Origin::Each
            | Origin::EachOf(_)
            | Origin::Opened
            | Origin::Matched => return OwnName::Parameter,
            Origin::Value => {}
            _ => return OwnName::Other,
        }
        if self.facts.owner_of(declared.at).is_some() {
            return OwnName::Other;
        }
        let again = self.facts.declared_again(name, declared.scope).len() > 1;
        if again || self.is_assigned(name, declared) {
            return OwnName::Changed;
        }
        let value = in_field(node, rule.value);
        let plain = |v: Node<'_>| {
            let forms = self.language.fragments.forms.iter();
            let literals = forms.filter(|f| ["number", "string", "boolean", "null"].contains(&f.0));
            literals.into_iter().any(|f| f.1.contains(&v.kind()))
        };
        match (self.statement_of(leaf), value) {
            (Some(statement), Some(value)) => {
                OwnName::Constant { statement: span(statement), plain: plain(value) }
            }
            _ => OwnName::Changed,
        }
    }

    /// True if some place gives a variable another value than its declaration does.
    fn is_assigned(&self, name: &str, declared: &Declared<'_>) -> bool {
        let (flow, calls) = (&self.language.flow, &self.language.typing.calls.callees);
        let words = self.facts.words(name).iter();
        let spaces = [Space::Value, Space::Type, Space::Callable];
        let same =
            |at: u32| self.facts.lookup(name, &spaces, at).is_some_and(|d| d.at == declared.at);
        let mut uses = words.filter(|w| {
            w.span != declared.at && declared.scope.contains(w.span) && same(w.span.start)
        });
        uses.any(|w| {
            if self
                .introduced(w.span)
                .is_some_and(|i| i.2.origin == Origin::Value && !i.2.value.is_empty())
            {
                return true;
            }
            let Some((leaf, up)) = self.leaf(w.span).and_then(|l| Some((l, l.parent()?))) else {
                return false;
            };
            let kind = up.kind();
            let changes = flow.effects.contains(&kind)
                && !flow.waits.contains(&kind)
                && !calls.iter().any(|c| c.kind == kind);
            let first = children(up).into_iter().find(|n| n.is_named());
            changes && first.is_some_and(|f| f == leaf)
        })
    }

    /// The statement that holds a node.
    fn statement_of<'t>(&self, node: Node<'t>) -> Option<Node<'t>> {
        let lined = |n: &Node<'_>| self.language.writing.line_items.contains(&n.kind());
        let mut up = Some(node);
        while let Some(n) = up.filter(|n| !lined(n)) {
            up = n.parent();
        }
        up
    }

    /// True if other files of the project can name what is declared at the top of this one.
    pub fn is_shown(&self, at: Span, name: &str) -> bool {
        let exports = &self.language.exports;
        if exports.exports_all && self.language.scopes.inner_modules.is_empty() {
            return true;
        }
        let mut top = self.leaf(at).and_then(|l| self.statement_of(l));
        let begins = top.map_or(at.start as usize, |n| n.start_byte());
        // What is passed on may stand in a statement of its own.
        while let Some(n) = top {
            if exports.export_kinds.contains(&n.kind()) {
                return true;
            }
            top = n.parent();
        }
        let line = self.text[..begins].rfind('\n').map_or(0, |i| i + 1);
        let head = &self.text[line..at.start as usize];
        (exports.shown)(head, name, false) || self.facts.exports.iter().any(|e| e.inside == name)
    }
}
