//! What is expected where an expression stands.

use std::collections::HashMap;

use tree_sitter::Node;

use super::infer::named;
use super::{DEPTH, MemberType, Told, Ty};
use crate::names::{Certainty, Resolver};
use crate::tree::span;

impl<'a> Resolver<'a> {
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
        for (i, a) in args.iter().enumerate().filter(|_| closures) {
            let Some(p) = place(i).filter(|p| p.ty.open() && self.is_function(a.value)) else {
                continue;
            };
            let Some(told) = self.type_of(a.value) else { continue };
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
    pub(super) fn expected_at(&self, node: Node<'a>) -> Option<(Ty, Vec<Ty>, Certainty)> {
        let rule = self.language.typing.arguments;
        let mut child = node;
        let mut up = node.parent()?;
        while up.kind() == rule.wrapper || up.kind() == self.language.parenthesized {
            child = up;
            up = up.parent()?;
        }
        let key = (up.kind() == rule.keyed.0 && !rule.keyed.0.is_empty()).then_some(up);
        if let Some(key) = key {
            child = key;
            up = key.parent()?;
        }
        if rule.lists.contains(&up.kind()) {
            let call = up.parent()?;
            let (known, of) = self.callee(call)?;
            let (one, sure) = self.choose(&known, call)?;
            let says = of.min(known.says).min(one.says);
            let says = if sure { says } else { says.min(Certainty::Likely) };
            let place = named(up).iter().position(|n| n.id() == child.id())?;
            let params = one.params.as_ref()?;
            let name = key.and_then(|k| k.child_by_field_name(rule.keyed.1));
            let param = match name {
                Some(n) => {
                    let name = span(n).of(self.text);
                    params.iter().find(|p| p.name.as_deref() == Some(name))
                }
                None => params.get(place).or_else(|| params.last().filter(|p| p.rest)),
            };
            let ty = param.map_or(Ty::Unknown, |p| p.ty.clone());
            if !ty.open() {
                return Some((ty, one.lambda.clone(), says));
            }
            let given = self.given_by(one, call, false);
            let lambda = one.lambda.iter().map(|t| t.filled(&given, None)).collect();
            return Some((ty.filled(&given, None), lambda, says));
        }
        // The value of what is declared with a type.
        for rule in super::intro(self.language, up.kind()).filter(|r| !r.ty.is_empty()) {
            let holder = up.child_by_field_name(rule.ty);
            let holder = holder.or_else(|| up.parent()?.child_by_field_name(rule.ty));
            if let Some(ty) = holder.filter(|t| !span(*t).contains(span(node))) {
                return Some((self.written(ty), Vec::new(), Certainty::Certain));
            }
        }
        if self.language.typing.returns.iter().any(|r| r.kind == up.kind()) {
            let mut around = up.parent();
            while let Some(n) = around {
                let rule = self.language.typing.functions.iter().find(|f| f.kind == n.kind());
                if let Some(rule) = rule {
                    let ty = n.child_by_field_name(rule.result)?;
                    return Some((self.written(ty), Vec::new(), Certainty::Certain));
                }
                around = n.parent();
            }
        }
        None
    }

    /// An object whose type is left out, because it is expected.
    pub(super) fn expected(&self, node: Node<'a>) -> Option<Told> {
        let (ty, _, says) = self.expected_at(node)?;
        Told { ty: ty.instance(), says, why: None }.known()
    }
}
