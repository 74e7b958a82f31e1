//! What is expected of the parts of an expression, and of what leaves a function.

use crate::tree::Node;

use crate::ground::Certainty;
use crate::language::{Gives, Intro, Origin};
use crate::resolver::Resolver;
use crate::tree::{children, span};
use crate::tree::{function_rule, in_field, named, part};
use crate::ty::{Ty, TypeAnswer};
use crate::types::calls::plain_path;
use crate::types::variables::value_of;

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
            let others = || named(up).into_iter().filter(|n| n.id() != child.id());
            // The sign between them may be a node with a name.
            let is_value = |n: &Node<'a>| self.language.typing.gives(n.kind()).is_some();
            let mut other = others().find(is_value).or_else(|| others().next())?;
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
            return self.expected_at(up).or_else(|| self.other_of(fields, child, up));
        }
        if let Some(whole) = self.paired(child, up) {
            let (ty, _, says) = self.expected_at(whole)?;
            return Some((ty.args().last()?.clone(), Vec::new(), says));
        }
        if let Some(told) = self.matched_part(child, up) {
            return Some((told.ty, Vec::new(), told.says));
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

    /// What the other one of several values is, where nothing else is expected of both.
    fn other_of(
        &self,
        fields: &[&str],
        child: Node<'a>,
        up: Node<'a>,
    ) -> Option<(Ty, Vec<Ty>, Certainty)> {
        let others = fields.iter().filter_map(|f| part(up, f)).filter(|n| n.id() != child.id());
        let mut told = others.filter_map(|n| self.type_of(n));
        told.find(|t| t.ty != Ty::Nothing).map(|t| (t.ty, Vec::new(), t.says))
    }

    /// The keyed list in which something is the value of a pair.
    fn paired(&self, child: Node<'a>, up: Node<'a>) -> Option<Node<'a>> {
        let list = up.parent()?;
        let Some(Gives::Pairs(_, pair)) = self.language.typing.gives(list.kind()) else {
            return None;
        };
        let is_value = named(up).last().is_some_and(|n| n.id() == child.id());
        (up.kind() == pair && is_value).then_some(list)
    }

    /// What a part of a pattern is matched with: the value, or a part of that.
    fn matched_part(&self, child: Node<'a>, up: Node<'a>) -> Option<TypeAnswer> {
        let typing = &self.language.typing;
        let mut within = vec![child];
        let mut around = up;
        let is_part = |n: Node<'a>| {
            typing.parts.iter().any(|p| p.0 == n.kind())
                || self.language.compare.transparent.contains(&n.kind())
        };
        while is_part(around) {
            within.push(around);
            around = around.parent()?;
        }
        let pattern = *within.last()?;
        let holds = |rule: &&&Intro| {
            let wanted = rule.name.strip_prefix("./");
            match wanted {
                Some(kind) => kind == pattern.kind(),
                None => in_field(around, rule.name).is_some_and(|n| n.id() == pattern.id()),
            }
        };
        let patterns = [Origin::Matched, Origin::Each];
        let rules = typing.intros_of(around.kind()).filter(|r| patterns.contains(&r.origin));
        let rule = rules.collect::<Vec<_>>().into_iter().find(|r| holds(&r))?;
        let mut told = self.type_of(value_of(around, rule.value)?)?;
        if rule.origin == Origin::Each {
            told = self.passed(&told, "[]")?;
        }
        for pair in within.windows(2).rev() {
            let [inner, holder] = pair else { continue };
            if let Some((_, how)) = typing.parts.iter().find(|p| p.0 == holder.kind()) {
                told = self.taken_from(&told, *how, *inner, *holder)?;
            }
        }
        told.known()
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
        match self.language.typing.gives(node.kind()) {
            Some(Gives::Tail) => true,
            Some(Gives::Single) => named(node).len() == 1,
            _ => false,
        }
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
