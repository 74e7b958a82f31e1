//! What a pattern has and the code may do without, and the reverse: type arguments and values that are nothing but slots for
//! any number, and type arguments that the pattern leaves out.

use emendo_lang::tree::Node;
use emendo_lang::tree::span;
use emendo_lang::{Certainty, Fact};
use emendo_text::{Repeat, Span};

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

    /// Type arguments of the code, where the pattern has none: they may be anything.
    pub(super) fn pass_arguments(&mut self, patterns: &[&PNode], items: &mut Vec<Child<'t>>) {
        let lists = self.language().compare.type_arguments;
        if patterns.iter().any(|p| lists.contains(&p.kind)) {
            return;
        }
        items.retain(|(n, _)| {
            let list = lists.contains(&n.kind());
            if list {
                self.state.type_arguments.push(span(*n));
            }
            !list
        });
    }

    /// A name that has type arguments in the code, and none in the pattern.
    pub(super) fn applied(&mut self, p: &PNode, node: Node<'t>) -> bool {
        let lists = self.language().compare.type_arguments;
        if p.kind == node.kind() || lists.is_empty() {
            return false;
        }
        let items = self.significant(node);
        let ([(name, _), .., (list, _)], true) = (items.as_slice(), items.len() < 4) else {
            return false;
        };
        if !lists.contains(&list.kind()) || !name.is_named() {
            return false;
        }
        let written = Span { start: name.end_byte() as u32, end: list.end_byte() as u32 };
        let blanks = written.of(self.text).len() - written.of(self.text).trim_start().len();
        let saved = self.state.clone();
        let own = Span { start: written.start + blanks as u32, end: written.end };
        self.state.type_arguments.push(own);
        if self.language().compare.arity_tells && !self.is_called(node) {
            let (whole, name) = (span(node).of(self.text), span(*name).of(self.text));
            self.state.facts.push(Fact {
                says: Certainty::Likely,
                text: format!("`{whole}` may be another type than `{name}`"),
                at: Some(span(node)),
            });
        }
        let fits = self.node(p, *name, false);
        if !fits {
            self.state = saved;
        }
        fits
    }

    /// True for the name of what is called.
    fn is_called(&self, node: Node<'t>) -> bool {
        let (call, words) = (self.language().declares.hints.call, &self.language().words);
        node.parent().is_some_and(|up| {
            let in_field = |field: &str| up.child_by_field_name(field) == Some(node);
            up.kind() == call.0 && in_field(call.1)
                || words.member(up.kind()).is_some_and(|member| in_field(member.2))
        })
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
