//! What is expected of the parts of an expression, and of what leaves a function.

use crate::tree::Node;

use crate::ground::Certainty;
use crate::language::Gives;
use crate::resolver::Resolver;
use crate::tree::{children, span};
use crate::tree::{function_rule, in_field, named, part};
use crate::ty::{Ty, TypeAnswer};
use crate::types::calls::plain_path;

impl<'a> Resolver<'a> {
    /// What is expected of a part of an expression: an item of a list, the last expression of a block, a branch.
    pub(super) fn expected_of_part(
        &self,
        child: Node<'a>,
        up: Node<'a>,
    ) -> Option<(Ty, Vec<Ty>, Certainty)> {
        let gives = self.language.typing.gives(up.kind());
        // What is compared with something is of its type.
        if self.language.typing.comparisons.contains(&up.kind()) {
            let mut other = named(up).into_iter().find(|n| n.id() != child.id())?;
            while let [one] = named(other).as_slice() {
                other = *one;
            }
            let told = self.type_of(other)?;
            return Some((told.ty, Vec::new(), told.says));
        }
        if let Some(Gives::ListOf(_)) = gives {
            return self.expected_item(up);
        }
        if let Some(Gives::Either(fields)) = gives
            && fields.iter().any(|f| part(up, f).is_some_and(|n| n.id() == child.id()))
        {
            return self.expected_at(up);
        }
        // An arrow and the value, instead of a block.
        if let Some(function) = up.parent().filter(|f| self.is_arrow(*f, [up, child])) {
            return self.left_with(function);
        }
        if let Some(whole) = self.listed_in_macro(up) {
            return self.expected_item(whole);
        }
        // An expression that stands in a block alone is what the block gives, unless its end is written.
        let (last, block) = match up.kind() == self.language.writing.expression_statement {
            true if up.child_count() == 1 => (up, up.parent()?),
            _ => (child, up),
        };
        let is_last = || named(block).into_iter().next_back().is_some_and(|n| n.id() == last.id());
        let (value, around) = match self.is_tail(block) && is_last() {
            true => (block, block.parent()?),
            false => (child, up),
        };
        if self.is_function(around) {
            return self.left_with(around);
        }
        let branch = |n: &Node<'a>| self.is_branch(*n, value);
        // A word may stand around the block of the last branch.
        if let Some(whole) = [Some(around), around.parent()].into_iter().flatten().find(branch) {
            return self.expected_at(whole);
        }
        // It was asked for itself otherwise.
        let other = value.id() != child.id();
        if other && self.is_tail(value) { self.expected_at(value) } else { None }
    }

    /// True if a function's body is a value with a sign before it.
    fn is_arrow(&self, function: Node<'a>, bodies: [Node<'a>; 2]) -> bool {
        let rule = function_rule(self.language, function);
        let typing = &self.language.typing;
        rule.is_some_and(|r| {
            part(function, r.body).is_some_and(|b| bodies.iter().any(|o| o.id() == b.id()))
        }) && !typing.branching.blocks.contains(&bodies[0].kind())
            && typing.gives(bodies[0].kind()).is_none()
    }

    /// True for a block that gives its last expression.
    fn is_tail(&self, node: Node<'a>) -> bool {
        matches!(self.language.typing.gives(node.kind()), Some(Gives::Tail))
    }

    /// True if an expression gives what one of its branches gives, and a value is in that branch.
    fn is_branch(&self, whole: Node<'a>, value: Node<'a>) -> bool {
        let Some(Gives::Branches(fields)) = self.language.typing.gives(whole.kind()) else {
            return false;
        };
        fields.iter().any(|f| part(whole, f).is_some_and(|b| span(b).contains(span(value))))
    }

    /// What is expected of the items of a list that stands somewhere.
    fn expected_item(&self, list: Node<'a>) -> Option<(Ty, Vec<Ty>, Certainty)> {
        let (ty, _, says) = self.expected_at(list)?;
        let item = self.passed(&TypeAnswer { ty, says, why: None }, "[]")?;
        Some((item.ty, Vec::new(), item.says))
    }

    /// The macro that gives a list, of the items that are read as code there.
    fn listed_in_macro(&self, item: Node<'a>) -> Option<Node<'a>> {
        let layer = self.language.grammar.layer.as_ref()?;
        if item.kind() != self.language.writing.expression_statement
            || item.parent()?.parent().is_some()
        {
            return None;
        }
        let at = span(item);
        let roots: Vec<_> = self.tree.roots_at(at).collect();
        let own = roots.iter().position(|r| Some(r.node) == item.parent())?;
        let outer = roots.get(own.checked_sub(1)?)?.node;
        let mut node = outer.descendant_for_byte_range(at.start as usize, at.end as usize)?;
        while node.kind() != layer.kind {
            node = node.parent()?;
        }
        let whole = node.parent()?;
        let Some(Gives::Macro(field, all)) = self.language.typing.gives(whole.kind()) else {
            return None;
        };
        let name = span(part(whole, field)?).of(self.text);
        let lists = |m: &(&str, &str)| m.0 == name && m.1.ends_with("[]");
        all.iter().any(lists).then_some(whole)
    }

    /// What leaves a function: what it is declared to give, or what is expected of a closure.
    pub(super) fn left_with(&self, function: Node<'a>) -> Option<(Ty, Vec<Ty>, Certainty)> {
        let calls = &self.language.typing.calls;
        let rule = function_rule(self.language, function)?;
        let declared = in_field(function, rule.result);
        let (ty, says) = match declared {
            Some(ty) => (self.written(ty), Certainty::Certain),
            None => {
                let (ty, _, says) = self.expected_at(function)?;
                (self.as_function(&ty)?.1, says)
            }
        };
        let word = calls.waiting.as_ref().map_or("", |w| w.word);
        let waited = children(function).iter().any(|c| c.kind() == word);
        let answer = TypeAnswer { ty, says, why: None };
        let opened = if waited { self.passed(&answer, "await") } else { None };
        let told = opened.unwrap_or(answer);
        Some((told.ty, Vec::new(), told.says))
    }

    /// A call that gives its only argument in a type that is looked through: `Box::new(x)`.
    pub(super) fn passes_on(&self, call: Node<'a>) -> bool {
        let Some(function) = self.callee_rule(call).and_then(|r| part(call, r.function)) else {
            return false;
        };
        let names = &self.language.names;
        let path = plain_path(span(function).of(self.text));
        let holder = names.parent(&path);
        self.language.typing.syntax.through.contains(&names.last(&holder))
            && self.arguments(call).len() == 1
    }
}
