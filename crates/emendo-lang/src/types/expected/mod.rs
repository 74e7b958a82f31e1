//! What is expected where an expression stands.

mod parts;

use std::collections::HashMap;

use crate::tree::Node;
use emendo_text::Span;

use crate::ground::Certainty;
use crate::resolver::Resolver;
use crate::tree::span;
use crate::tree::{in_field, named};
use crate::ty::{DEPTH, MemberType, Takes, Ty, TypeAnswer};
use crate::types::Callee;

/// What a closure's parameter is declared to be, where the closure stands.
#[derive(Clone, Debug)]
pub enum Expected {
    /// Nothing around the closure tells: it is what it says itself.
    Free,
    /// What takes the closure says so: the type, and how many parameters there are.
    Declared(Ty, usize),
    /// What takes the closure takes any type there.
    Open,
    /// It is an argument of a function of which nothing is told but the symbols that it may be.
    Elsewhere(Vec<String>),
    /// It is an argument of a function of which nothing is told.
    Unknown,
}

impl<'a> Resolver<'a> {
    /// What is declared of the parameter of a place, from 0, of a function that stands somewhere as a value.
    pub fn expected_of(&self, value: Span, place: usize) -> Expected {
        let root = self.tree.roots_at(value).last().map(|r| r.node);
        let node = root
            .and_then(|r| r.descendant_for_byte_range(value.start as usize, value.end as usize));
        node.map_or(Expected::Free, |n| self.expected_of_node(n, place))
    }

    /// What is declared of the parameter of a place, from 0, by what a member of a type of this file overrides.
    pub fn overridden(&self, name: Span, place: usize) -> Expected {
        let word = name.of(self.text);
        let own = self.facts.types_at(name.start).find(|t| t.members.iter().any(|m| m.at == name));
        let Some(own) = own else { return Expected::Free };
        let known = self.supers_of(own).into_iter().find_map(|t| self.member(&t, word));
        let params = known.iter().flat_map(|k| &k.all).map(|m| m.plain_params());
        let found = params.into_iter().find_map(|p| Some((&p.get(place)?.ty, p.len())));
        match found {
            None => Expected::Free,
            Some((Ty::Param(..), _)) => Expected::Open,
            Some((ty, count)) => Expected::Declared(ty.clone(), count),
        }
    }

    fn expected_of_node(&self, node: Node<'a>, place: usize) -> Expected {
        let rule = self.language.typing.calls.arguments;
        let mut child = node;
        let mut up = node.parent();
        let passes = |n: Node<'a>| {
            n.kind() == rule.wrapper
                || n.kind() == self.language.compare.parenthesized
                || (n.kind() == rule.keyed.0 && !rule.keyed.0.is_empty())
        };
        while let Some(n) = up.filter(|n| passes(*n)) {
            child = n;
            up = n.parent();
        }
        let call = up.filter(|n| rule.lists.contains(&n.kind())).and_then(|l| l.parent());
        let Some(call) = call.filter(|c| self.callee_rule(*c).is_some()) else {
            return match self.expected_at(node) {
                Some((ty, _, _)) => self.taken_at(&ty, place),
                None => Expected::Free,
            };
        };
        if self.passes_on(call) {
            return self.expected_of_node(call, place);
        }
        let Some(at) = self.call_place(call) else { return Expected::Unknown };
        match at.callee {
            Callee::Elsewhere(symbols) => Expected::Elsewhere(symbols),
            Callee::Unknown => Expected::Unknown,
            Callee::Resolved { params, lambda, .. } => {
                if let Some(ty) = lambda.get(place) {
                    return Expected::Declared(ty.clone(), lambda.len());
                }
                let whole = span(child);
                let n = at.site.arguments.iter().position(|a| a.span == whole);
                let key = n.and_then(|n| at.site.arguments[n].name).map(|k| k.of(self.text));
                let taken = match (key, n) {
                    (Some(key), _) => params.iter().find(|p| p.name.as_deref() == Some(key)),
                    (None, n) => n.and_then(|n| params.get(n)).or(params.last().filter(|p| p.rest)),
                };
                taken.map_or(Expected::Unknown, |t| self.taken_at(&t.plain, place))
            }
        }
    }

    /// What a type of functions declares for a place.
    fn taken_at(&self, ty: &Ty, place: usize) -> Expected {
        let declared = |ty: Option<&Ty>, count: usize| match ty {
            Some(Ty::Param(..)) => Expected::Open,
            Some(ty) => Expected::Declared(ty.clone(), count),
            None => Expected::Unknown,
        };
        match ty {
            Ty::Function { params, .. } => declared(params.get(place), params.len()),
            Ty::All(all) | Ty::Either(all) => {
                let all = all.iter().map(|t| self.taken_at(t, place));
                let told = |e: &Expected| matches!(e, Expected::Declared(..) | Expected::Open);
                all.into_iter().find(told).unwrap_or(Expected::Unknown)
            }
            Ty::Param(_, Some(bound)) => self.taken_at(bound, place),
            Ty::Param(_, None) => Expected::Open,
            Ty::Of { symbols, named: false, .. } => {
                let known = symbols.iter().find_map(|s| {
                    let name = self.single_function(s)?;
                    self.member(ty, &name)
                });
                match known.as_ref().and_then(|k| k.all.first()) {
                    Some(one) => {
                        let params = one.plain_params();
                        declared(params.get(place).map(|t| &t.ty), params.len())
                    }
                    // Another name for a type of functions.
                    None => {
                        let alias = symbols.iter().find_map(|s| self.shape(s)?.alias.clone());
                        alias.map_or(Expected::Elsewhere(symbols.clone()), |a| {
                            self.taken_at(&a, place)
                        })
                    }
                }
            }
            _ => Expected::Unknown,
        }
    }

    pub(super) fn given_by(
        &self,
        m: &MemberType,
        call: Node<'a>,
        closures: bool,
    ) -> HashMap<String, Ty> {
        let mut given = HashMap::new();
        let Some(params) = &m.params else { return given };
        let args = self.arguments(call);
        let place = |i: usize| params.get(i).or_else(|| params.last().filter(|p| p.rest));
        for (i, a) in args.iter().enumerate() {
            let Some(p) = place(i).filter(|p| p.ty.open()) else { continue };
            if self.is_function(a.value) {
                continue;
            }
            let Some(told) = self.type_of(a.value) else { continue };
            let seen = self.seen_as(&told.ty, p.ty.symbols(), DEPTH).unwrap_or(told.ty);
            let wanted = if p.rest { p.ty.args().first().unwrap_or(&p.ty) } else { &p.ty };
            wanted.unify(&seen, &mut given, DEPTH);
        }
        // A function behind the arguments is for the last of what is taken.
        let behind = in_field(call, self.language.typing.calls.block);
        let behind = behind.map(|b| (params.last(), b));
        let own = args.iter().enumerate().map(|(i, a)| (place(i), a.value));
        for (p, value) in own.chain(behind).filter(|_| closures) {
            let Some(p) = p.filter(|p| p.ty.open() && self.is_function(value)) else {
                continue;
            };
            let Some(told) = self.type_of(value) else { continue };
            match self.as_function(&p.ty) {
                Some((params, gives)) => {
                    let wanted = Ty::Function { params, gives: Box::new(gives) };
                    wanted.unify(&told.ty, &mut given, DEPTH);
                }
                None => p.ty.unify(&told.ty, &mut given, DEPTH),
            }
        }
        given
    }

    /// What a closure's parameter is, by the call that the closure is an argument of.
    pub(super) fn expected_param(
        &self,
        function: Node<'a>,
        place: usize,
    ) -> Option<(Ty, Certainty)> {
        let (ty, lambda, says) = self.expected_at(function)?;
        if let Some(ty) = lambda.get(place) {
            return Some((ty.clone(), says));
        }
        let (params, _) = self.as_function(&ty)?;
        Some((params.get(place)?.clone(), says))
    }

    /// The type that is expected where an expression stands, with what a closure there is called with.
    pub(crate) fn expected_at(&self, node: Node<'a>) -> Option<(Ty, Vec<Ty>, Certainty)> {
        let rule = self.language.typing.calls.arguments;
        let mut child = node;
        let mut up = node.parent()?;
        while up.kind() == rule.wrapper || up.kind() == self.language.compare.parenthesized {
            child = up;
            up = up.parent()?;
        }
        if rule.lists.contains(&up.kind())
            && let Some(call) = up.parent().filter(|c| self.passes_on(*c))
        {
            return self.expected_at(call);
        }
        let key = (up.kind() == rule.keyed.0 && !rule.keyed.0.is_empty()).then_some(up);
        if let Some(key) = key {
            child = key;
            up = key.parent()?;
        }
        if rule.lists.contains(&up.kind()) {
            let call = up.parent()?;
            let (known, of) = self.callee(call)?;
            let (mut one, mut sure) = self.choose(&known, call)?;
            let place = named(up).iter().position(|n| n.id() == child.id())?;
            let name = key.and_then(|k| in_field(k, rule.keyed.1));
            let taken = |params: &'_ [Takes]| match name {
                _ if self.language.names.labels => {
                    self.labeled_param(params, &self.arguments(call), place).cloned()
                }
                Some(n) => {
                    let name = span(n).of(self.text);
                    params.iter().find(|p| p.name.as_deref() == Some(name)).cloned()
                }
                None => params.get(place).or_else(|| params.last().filter(|p| p.rest)).cloned(),
            };
            if !sure && !self.is_function(node) {
                // Of those that take something else there than a function.
                let plain = |m: &&MemberType| {
                    let param = m.params.as_deref().and_then(taken);
                    param.is_some_and(|p| !matches!(p.ty, Ty::Function { .. }))
                };
                let mut all = known.all.iter().filter(plain);
                if let (Some(only), None) = (all.next(), all.next()) {
                    (one, sure) = (only, true);
                }
            }
            let says = of.min(known.says).min(one.says);
            let says = if sure { says } else { says.min(Certainty::Likely) };
            let param = taken(one.params.as_ref()?);
            let ty = param.map_or(Ty::Unknown, |p| p.ty);
            if !ty.open() {
                return Some((ty, one.lambda.clone(), says));
            }
            let given = self.given_by(one, call, false);
            let lambda = one.lambda.iter().map(|t| t.filled(&given, None)).collect();
            return Some((ty.filled(&given, None), lambda, says));
        }
        if let Some(told) = self.expected_block(child, up) {
            return Some(told);
        }
        // The value of what is declared with a type.
        for rule in self.language.typing.intros_of(up.kind()).filter(|r| !r.ty.is_empty()) {
            let holder = in_field(up, rule.ty);
            let holder = holder.or_else(|| in_field(up.parent()?, rule.ty));
            if let Some(ty) = holder.filter(|t| !span(*t).contains(span(node))) {
                return Some((self.written(ty), Vec::new(), Certainty::Certain));
            }
        }
        if self.language.typing.branching.returns.iter().any(|r| r.kind == up.kind()) {
            let mut around = up.parent();
            while let Some(n) = around {
                if self.is_function(n) {
                    return self.left_with(n);
                }
                around = n.parent();
            }
        }
        self.expected_of_part(child, up)
    }

    /// The type of a function that stands behind the arguments of a call.
    fn expected_block(&self, block: Node<'a>, call: Node<'a>) -> Option<(Ty, Vec<Ty>, Certainty)> {
        let field = Some(self.language.typing.calls.block).filter(|f| !f.is_empty())?;
        if in_field(call, field)?.id() != block.id() {
            return None;
        }
        let (known, of) = self.callee(call)?;
        let taken = |m: &crate::ty::MemberType| {
            let last = m.params.as_ref()?.last()?;
            matches!(last.ty, Ty::Function { .. }).then(|| last.ty.clone())
        };
        let told = known.all.iter().find(|m| !m.lambda.is_empty());
        if let Some(one) = told {
            let says = of.min(known.says).min(one.says);
            return Some((Ty::Unknown, one.lambda.clone(), says));
        }
        let (one, ty) = known.all.iter().find_map(|m| Some((m, taken(m)?)))?;
        let says = of.min(known.says).min(one.says);
        let given = self.given_by(one, call, false);
        Some((ty.filled(&given, None), Vec::new(), says))
    }

    /// An object whose type is left out, because it is expected.
    pub(super) fn expected(&self, node: Node<'a>) -> Option<TypeAnswer> {
        let (ty, _, says) = self.expected_at(node)?;
        TypeAnswer { ty: ty.instance(), says, why: None }.known()
    }
}

impl Resolver<'_> {
    /// True if what takes a closure says that it waits for what the closure gives.
    pub fn is_waited(&self, closure: Span) -> bool {
        let Some(rule) = &self.language.typing.calls.waiting else { return false };
        let root = self.tree.roots_at(closure).last().map(|r| r.node);
        let node = root.and_then(|r| {
            r.descendant_for_byte_range(closure.start as usize, closure.end as usize)
        });
        let gives = node.and_then(|n| self.expected_at(n)).and_then(|e| self.as_function(&e.0));
        let waited = |t: &Ty| t.symbols().iter().any(|s| rule.given.contains(&s.as_str()));
        gives.is_some_and(|(_, gives)| match &gives {
            Ty::Either(all) => all.iter().any(waited),
            one => waited(one),
        })
    }
}
