//! What a pattern has and the code may do without: type arguments and values that are nothing but slots for any number.

use emendo_text::{Repeat, Span};
use tree_sitter::Node;

use crate::compare::{Child, Matcher, TokenFit};
use crate::model::{Inner, PNode, PatternToken};

impl<'t> Matcher<'_, 't> {
    /// The slots of a list of type arguments that is nothing but slots for any number: it may be missing.
    fn only_lists(&self, p: &PNode) -> Option<Vec<usize>> {
        let (open, close) = self.language().typing.syntax.generic;
        let PatternToken::Inner(inner) = &p.what else { return None };
        let [first, slots @ .., last] = inner.children.as_slice() else { return None };
        let is = |p: &PNode, token: char| matches!(&p.what, PatternToken::Leaf(t, _) if t.chars().eq([token]));
        if slots.is_empty() || !is(first, open) || !is(last, close) {
            return None;
        }
        let any = |p: &PNode| self.repeat(p).filter(|r| r.2 == Repeat::Any).map(|r| r.0);
        slots.iter().map(any).collect()
    }

    /// Type arguments of any number that are not there.
    pub(super) fn leave_out_arguments(&mut self, patterns: &mut Vec<&PNode>, items: &[Child<'t>]) {
        let missing = |p: &PNode| !items.iter().any(|(n, _)| n.kind() == p.kind);
        let gone = patterns.iter().position(|p| missing(p) && self.only_lists(p).is_some());
        let Some(at) = gone.filter(|_| patterns.len() == items.len() + 1) else { return };
        let place = items.get(at).map_or(0, |i| i.0.start_byte());
        for ix in self.only_lists(patterns[at]).unwrap_or_default() {
            self.bind_nothing(ix, Span::at(place));
        }
        patterns.remove(at);
    }

    /// A name with type arguments of any number, where the code has the name alone.
    pub(super) fn without_arguments(&mut self, inner: &Inner, node: Node<'t>) -> bool {
        let Some((last, rest)) = inner.children.split_last() else { return false };
        let Some(slots) = self.only_lists(last) else { return false };
        let separator = self.language().names.separator;
        let marks = |p: &&PNode| !matches!(&p.what, PatternToken::Leaf(t, _) if t == separator);
        let rest: Vec<&PNode> = rest.iter().filter(marks).collect();
        let [name] = rest.as_slice() else { return false };
        let fits = self.node(name, node, false);
        if fits {
            slots.into_iter().for_each(|ix| self.bind_nothing(ix, Span::at(node.end_byte())));
        }
        fits
    }

    /// A name with a value that may be missing, where the code has the name without one.
    pub(super) fn without_value(&mut self, p: &PNode, inner: &Inner, node: Node<'t>) -> bool {
        let [rest @ .., equals, value] = inner.children.as_slice() else { return false };
        let may_miss = self.repeat(value).filter(|r| matches!(r.2, Repeat::Optional | Repeat::Any));
        let (Some((ix, _, _)), false) = (may_miss, rest.is_empty()) else { return false };
        if !matches!(&equals.what, PatternToken::Leaf(t, _) if t == "=") {
            return false;
        }
        self.bind_nothing(ix, Span::at(node.end_byte()));
        let mut rest: Vec<&PNode> = rest.iter().collect();
        let mut items = self.significant(node);
        if let ([name], true) = (rest.as_slice(), items.is_empty() || p.kind != node.kind()) {
            return self.node(name, node, false);
        }
        if items.iter().any(|(n, _)| n.kind() == "=") {
            return false;
        }
        if let Some(declaration) = self.language().declaration(p.kind)
            && !self.declaration(declaration, &mut rest, &mut items, false)
        {
            return false;
        }
        p.kind == node.kind() && self.sequence(&rest, &items, 0, TokenFit::Whole, &mut Vec::new())
    }
}
