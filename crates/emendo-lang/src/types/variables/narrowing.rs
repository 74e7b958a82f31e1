//! What tests around a use and assignments before it tell of a variable.

use crate::tree::Node;
use emendo_text::Span;

use crate::language::{CaseRule, Space};
use crate::resolver::Resolver;
use crate::tree::in_field;
use crate::tree::span;
use crate::tree::{named, part};
use crate::ty::{Ty, TypeAnswer};
use crate::types::variables::ASSIGNED;

impl<'a> Resolver<'a> {
    /// The assignments of a variable that a use may see: the last that is surely done before it, those after that
    /// which may be, and in a loop those after it.
    pub(crate) fn reaching(&self, all: &[Span], use_: Node<'a>) -> Vec<Span> {
        let at = use_.start_byte() as u32;
        let blocks = self.language.typing.branching.blocks;
        let functions = self.language.typing.calls.functions;
        let function_of = |node: Node<'a>| {
            let mut up = node.parent();
            while let Some(n) = up.filter(|n| !functions.iter().any(|f| f.kind == n.kind())) {
                up = n.parent();
            }
            up.map(|n| n.id())
        };
        let here = function_of(use_);
        let block_of = |at: Span| {
            let mut up = self.leaf(at)?.parent();
            while let Some(n) = up {
                if blocks.contains(&n.kind()) || n.parent().is_none() {
                    return Some(n);
                }
                up = n.parent();
            }
            None
        };
        let same_function = |a: &Span| self.leaf(*a).map(function_of).is_some_and(|f| f == here);
        if !all.iter().all(same_function) {
            return all.to_vec();
        }
        let mut out: Vec<Span> = Vec::new();
        let mut last: Option<Span> = None;
        for a in all.iter().rev().filter(|a| a.end <= at && self.is_done(**a, at)) {
            out.push(*a);
            let sure = block_of(*a).is_some_and(|b| {
                b.start_byte() as u32 <= at && at < b.end_byte() as u32 || b.parent().is_none()
            });
            if sure {
                last = Some(*a);
                break;
            }
        }
        // In a loop around both, one that stands after may come before.
        let mut up = use_.parent();
        while let Some(n) = up {
            let kind = n.kind();
            let loops = kind.contains("for") || kind.contains("while") || kind.contains("loop");
            if loops && !last.is_some_and(|l| span(n).contains(l)) {
                let within = |a: &&Span| a.start > at && span(n).contains(**a);
                out.extend(all.iter().filter(within));
            }
            up = n.parent();
        }
        if out.is_empty() {
            return all.to_vec();
        }
        out
    }

    /// The type that a test around a use tells.
    pub(crate) fn narrowed(&self, use_: Node<'a>, name: &str) -> Option<TypeAnswer> {
        let typing = &self.language.typing;
        if typing.branching.tests.is_empty() {
            return None;
        }
        let mut child = use_;
        while let Some(up) = child.parent() {
            if typing.calls.functions.iter().any(|f| f.kind == up.kind()) {
                return None;
            }
            for b in typing.branching.branches.iter().filter(|b| b.kind == up.kind()) {
                if self.joins(up) == Some(false) {
                    continue;
                }
                let then = part(up, b.then).is_some_and(|t| span(t).contains(span(use_)));
                let test = part(up, b.test).filter(|t| then && !span(*t).contains(span(use_)));
                if let Some(told) = test.and_then(|t| self.tested(t, name, use_)) {
                    return Some(told);
                }
            }
            if let Some(told) = self.told_by_case(up, name, use_) {
                return Some(told);
            }
            if typing.branching.blocks.contains(&up.kind())
                && let Some(told) = self.left_otherwise(up, child, name, use_)
            {
                return Some(told);
            }
            child = up;
        }
        None
    }

    /// What a variable is where tests around a use say what it is not.
    pub(crate) fn without_excluded(
        &self,
        told: TypeAnswer,
        use_: Node<'a>,
        name: &str,
    ) -> TypeAnswer {
        let Ty::Either(all) = &told.ty else { return told };
        let mut left = all.clone();
        for not in self.excluded(use_, name) {
            left.retain(|t| self.fits(t, &not) != Some(true));
        }
        if left.len() == all.len() || left.is_empty() {
            return told;
        }
        TypeAnswer { ty: Ty::either(left), ..told }
    }

    /// The types that a variable is surely not of: where a test of it failed, and behind statements that leave where it
    /// holds.
    fn excluded(&self, use_: Node<'a>, name: &str) -> Vec<Ty> {
        let typing = &self.language.typing;
        let mut out = Vec::new();
        let mut child = use_;
        let alone = |test: Node<'a>| self.joins(test) != Some(true);
        while let Some(up) = child.parent() {
            if typing.calls.functions.iter().any(|f| f.kind == up.kind()) {
                break;
            }
            for b in typing.branching.branches.iter().filter(|b| b.kind == up.kind()) {
                if self.joins(up).is_some() {
                    continue;
                }
                let behind = part(up, b.then).is_some_and(|t| t.end_byte() <= use_.start_byte());
                let test = part(up, b.test).filter(|t| behind && alone(self.plain_test(*t)));
                out.extend(test.and_then(|t| self.tested(t, name, use_)).map(|t| t.ty));
            }
            if typing.branching.blocks.contains(&up.kind()) {
                let before = named(up).into_iter().take_while(|s| s.id() != child.id());
                for statement in before {
                    let rule =
                        typing.branching.branches.iter().find(|b| b.kind == statement.kind());
                    let Some((test, then)) = rule
                        .and_then(|b| Some((part(statement, b.test)?, part(statement, b.then)?)))
                    else {
                        continue;
                    };
                    let last = match typing.branching.blocks.contains(&then.kind()) {
                        true => named(then).into_iter().next_back(),
                        false => Some(then),
                    };
                    let leaves = last.is_some_and(|l| typing.branching.exits.contains(&l.kind()));
                    if leaves && alone(self.plain_test(test)) {
                        out.extend(self.tested(test, name, use_).map(|t| t.ty));
                    }
                }
            }
            child = up;
        }
        out
    }

    /// The type that a case around a use says its value is of.
    fn told_by_case(&self, case: Node<'a>, name: &str, use_: Node<'a>) -> Option<TypeAnswer> {
        let rule = self.language.typing.branching.cases.filter(|r| r.case == case.kind())?;
        let pattern = self.pattern_of(case, &rule).filter(|p| p.end_byte() <= use_.start_byte())?;
        let value = value_around(case, &rule)?;
        if span(value).of(self.text) != name {
            return None;
        }
        let ty = self.class_of(pattern, &rule)?;
        let text =
            format!("`{name}` is a `{}` in the case on line {{line}}", ty.shown(self.language));
        TypeAnswer::sure(ty).because(text, Some(span(pattern))).known()
    }

    /// The only pattern of a case.
    fn pattern_of(&self, case: Node<'a>, rule: &CaseRule) -> Option<Node<'a>> {
        let mut all = named(case).into_iter().filter(|n| n.kind() == rule.pattern);
        let only = all.next()?;
        all.next().is_none().then_some(only)
    }

    /// The type of all that fits a pattern, if it names one.
    fn class_of(&self, pattern: Node<'a>, rule: &CaseRule) -> Option<Ty> {
        let first = named(pattern).into_iter().next()?;
        if pattern.kind() == rule.class {
            let ty = self.written(first).instance();
            return (ty != Ty::Unknown).then_some(ty);
        }
        if pattern.kind() == rule.any {
            let all: Option<Vec<Ty>> =
                named(pattern).into_iter().map(|p| self.class_of(p, rule)).collect();
            return all.map(Ty::either);
        }
        let through = pattern.kind() == rule.pattern || pattern.kind() == rule.alias;
        through.then(|| self.class_of(first, rule)).flatten()
    }

    /// The type of what a pattern of a case binds a name to.
    pub(in crate::types) fn bound_in_case(&self, at: Span) -> Option<TypeAnswer> {
        let rule = self.language.typing.branching.cases?;
        let name = at.of(self.text);
        let mut node = self.leaf(at)?;
        // The name stands in a path of its own.
        while let Some(up) = node.parent().filter(|u| span(*u) == at && u.kind() != rule.pattern) {
            node = up;
        }
        let holder = node.parent()?;
        let why = |ty: Ty| {
            let text = format!("`{name}` is bound in the case on line {{line}}");
            TypeAnswer::sure(ty).because(text, Some(at)).known()
        };
        if holder.kind() == rule.alias {
            return why(self.class_of(holder, &rule)?);
        }
        if holder.kind() == rule.member {
            let key = span(named(holder).into_iter().next()?).of(self.text);
            let mut class = holder.parent()?;
            while class.kind() == rule.pattern {
                class = class.parent()?;
            }
            let of = TypeAnswer::sure(self.class_of(class, &rule)?);
            return why(self.part_of(&of, key)?.ty);
        }
        if holder.kind() != rule.pattern {
            return None;
        }
        let up = holder.parent()?;
        if up.kind() == rule.case {
            self.pattern_of(up, &rule)?;
            return why(self.type_of(value_around(up, &rule)?)?.ty);
        }
        if rule.lists.contains(&up.kind()) {
            let whole = up.parent().filter(|p| p.kind() == rule.pattern)?.parent()?;
            self.pattern_of(whole, &rule)?;
            let of = self.type_of(value_around(whole, &rule)?)?;
            if let Ty::Tuple(items) = &of.ty {
                let place = named(up).iter().position(|p| p.id() == holder.id())?;
                return why(items.get(place)?.clone());
            }
            return why(self.passed(&of, "[]")?.ty);
        }
        None
    }

    /// A condition without parentheses around it.
    fn plain_test(&self, mut test: Node<'a>) -> Node<'a> {
        while test.kind() == self.language.compare.parenthesized {
            let Some(inner) = named(test).into_iter().next() else { break };
            test = inner;
        }
        test
    }

    /// The type that statements before a use in its block tell: those that leave the block for all other types.
    fn left_otherwise(
        &self,
        block: Node<'a>,
        child: Node<'a>,
        name: &str,
        use_: Node<'a>,
    ) -> Option<TypeAnswer> {
        let typing = &self.language.typing;
        let before = named(block).into_iter().take_while(|s| s.id() != child.id());
        let mut before: Vec<Node<'a>> = before.collect();
        before.reverse();
        before.into_iter().take(ASSIGNED).find_map(|statement| {
            if typing.branching.asserts.contains(&statement.kind()) {
                return self.tested(named(statement).into_iter().next()?, name, use_);
            }
            let branch = typing.branching.branches.iter().find(|b| b.kind == statement.kind())?;
            let then = part(statement, branch.then)?;
            let last = match typing.branching.blocks.contains(&then.kind()) {
                true => named(then).into_iter().next_back()?,
                false => then,
            };
            let others = named(statement).into_iter().any(|n| span(n).start >= span(then).end);
            if !typing.branching.exits.contains(&last.kind()) || others {
                return None;
            }
            let mut test = part(statement, branch.test)?;
            while test.kind() == self.language.compare.parenthesized {
                test = named(test).into_iter().next()?;
            }
            if self.tests_contrary(test) {
                return self.tested_as(test, name, use_, true);
            }
            let sign = crate::tree::children(test).into_iter().next()?.kind();
            typing.branching.negations.iter().find(|n| **n == (test.kind(), sign))?;
            self.tested(named(test).into_iter().next()?, name, use_)
        })
    }

    /// The type of the language's own that a condition says a variable is of.
    fn tested_kind(&self, node: Node<'a>, name: &str) -> Option<Ty> {
        let text = |n: Node<'a>| span(n).of(self.text);
        let rules = self.language.typing.branching.kind_tests.iter();
        rules.filter(|(t, _)| t.kind == node.kind()).find_map(|(t, lead)| {
            let value = text(part(node, t.value)?).strip_prefix(lead)?.trim();
            let by = crate::tree::children(node).iter().any(|c| c.kind() == t.by);
            let kind = text(part(node, t.ty)?).trim_matches(['"', '\'', '`']);
            let known = self.language.typing.built_in.primitives.iter().find(|p| p.0 == kind)?;
            (by && value == name).then(|| Ty::object(known.1))
        })
    }

    /// Whether an operator joins two tests, both of which hold; none where there is no operator.
    fn joins(&self, node: Node<'a>) -> Option<bool> {
        let both = self.language.typing.branching.both;
        let own = crate::tree::children(node).into_iter().find(|c| both.contains(&c.kind()));
        let sign = own.or_else(|| node.child_by_field_name("operator"))?;
        Some(both.contains(&sign.kind()))
    }

    /// True for a condition that says that something is not of a type.
    fn tests_contrary(&self, test: Node<'a>) -> bool {
        let mut rules = self.language.typing.branching.tests.iter();
        rules.any(|t| t.kind == test.kind() && in_field(test, t.except).is_some())
    }

    /// The type that a condition says a variable is of.
    fn tested(&self, test: Node<'a>, name: &str, use_: Node<'a>) -> Option<TypeAnswer> {
        self.tested_as(test, name, use_, false)
    }

    /// The type that a condition names for a variable: as what it is, or as the contrary.
    fn tested_as(
        &self,
        test: Node<'a>,
        name: &str,
        use_: Node<'a>,
        contrary: bool,
    ) -> Option<TypeAnswer> {
        let typing = &self.language.typing;
        let mut node = test;
        while node.kind() == self.language.compare.parenthesized || node.named_child_count() == 1 {
            let inner = named(node).into_iter().next();
            let sign = span(node).of(self.text).trim_start();
            match inner {
                Some(i) if !sign.starts_with('!') && !sign.starts_with("not ") => node = i,
                _ => return None,
            }
        }
        if self.joins(node) == Some(true) {
            let parts = named(node);
            return parts.into_iter().find_map(|p| self.tested(p, name, use_));
        }
        let text = |n: Node<'a>| span(n).of(self.text);
        let ty = typing.branching.tests.iter().filter(|t| t.kind == node.kind()).find_map(|t| {
            if !t.by.is_empty() && t.ty.contains(',') {
                // A call: the function by its name, and the value and the type as arguments.
                let (list, _) = t.ty.split_once(',')?;
                let function = part(node, t.value)?;
                let args = named(part(node, list)?);
                let [value, ty] = args.as_slice() else { return None };
                (text(function) == t.by && text(*value) == name).then(|| self.written(*ty))
            } else {
                let value = part(node, t.value)?;
                let signed = |c: &Node<'a>| {
                    c.kind() == t.by || self.language.typing.bare_calls && text(*c) == t.by
                };
                let by = t.by.is_empty() || crate::tree::children(node).iter().any(signed);
                if !by
                    || in_field(node, t.except).is_some() != contrary
                    || text(self.language.unmarked(value, self.text)) != name
                {
                    return None;
                }
                part(node, t.ty).map(|ty| self.written(ty))
            }
        });
        let ty = ty.or_else(|| self.tested_kind(node, name))?;
        // Assigned since: the test tells nothing any more.
        let own = self.facts.lookup(name, &[Space::Value], use_.start_byte() as u32)?;
        let (from, to) = (test.end_byte() as u32, use_.start_byte() as u32);
        let again = self.facts.declared_again(name, own.scope);
        if again.iter().any(|a| from <= a.start && a.end <= to) {
            return None;
        }
        let ty = match ty {
            Ty::Tuple(all) => Ty::either(all),
            ty => ty,
        };
        let shown = ty.shown(self.language);
        let text = format!("`{name}` is tested to be a `{shown}` on line {{line}}");
        TypeAnswer::sure(ty).because(text, Some(span(test))).known()
    }
}

/// The value whose cases stand around one of them.
fn value_around<'t>(case: Node<'t>, rule: &CaseRule) -> Option<Node<'t>> {
    let mut up = case.parent();
    for _ in 0..3 {
        let node = up?;
        if let Some(value) = node.child_by_field_name(rule.value) {
            return Some(value);
        }
        up = node.parent();
    }
    None
}
