//! What types are built on, and whether one fits another.

use std::collections::HashSet;
use std::sync::Arc;

use crate::tree::Node;
use emendo_text::Span;

use crate::facts::TypeDecl;
use crate::ground::Certainty;
use crate::language::Space;
use crate::resolver::Resolver;
use crate::tree::{children, span};
use crate::tree::{in_field, part};
use crate::ty::{DEPTH, MemberType, Shape, Ty, TypeAnswer, split};
use crate::types::members::{NESTED, WIDE};

impl<'a> Resolver<'a> {
    /// What is known of a type besides its members.
    pub(crate) fn shape(&self, symbol: &str) -> Option<Arc<Shape>> {
        // A type that is built on itself, in whatever way, tells nothing more.
        let again = |s: &[String]| s.len() >= NESTED || s.iter().any(|s| s == symbol);
        if again(&self.trail.shapes.borrow()) {
            self.trail.cut.set(true);
            return None;
        }
        self.trail.shapes.borrow_mut().push(symbol.to_owned());
        let found = self.shape_of(symbol);
        self.trail.shapes.borrow_mut().pop();
        found
    }

    fn shape_of(&self, symbol: &str) -> Option<Arc<Shape>> {
        if let Some(own) = self.own_shape(symbol) {
            return Some(Arc::new(own));
        }
        if self.is_elsewhere(symbol)
            && let Some(shape) = self.project.shape(self.language, symbol, &self.asking())
        {
            return Some(shape);
        }
        let learned = self.project.learned(self.language, symbol)?;
        let (params, extends) = (learned.params.clone(), learned.extends.clone());
        Some(Arc::new(Shape { params, extends, alias: None, declared: true }))
    }

    /// The same of a type that this file declares.
    pub(crate) fn own_shape(&self, symbol: &str) -> Option<Shape> {
        let own = self.own_types(symbol);
        if own.is_empty() && self.language.typing.built_in.value_aliases {
            let alias = Some(self.value_alias(symbol)?);
            return Some(Shape { alias, ..Shape::default() });
        }
        let mut out = Shape::default();
        for t in &own {
            out.extends.extend(self.supers_of(t));
            out.declared |= !t.extends;
            if out.params.is_empty() && !t.extends {
                out.params = self.params_of(t);
            }
            let mut rules = self.language.declares.declared.iter();
            let node = self.declaring(t.at);
            let alias = node.and_then(|n| {
                let rule = rules.find(|r| r.kind == n.kind() && !r.alias.is_empty())?;
                in_field(n, rule.alias)
            });
            out.alias = out.alias.or_else(|| alias.map(|n| self.written(n)));
            // A name for a type of functions.
            let called = node.filter(|n| {
                let typing = &self.language.typing;
                typing.calls.functions.iter().any(|f| f.kind == n.kind() && !f.makes)
            });
            let called = called.and_then(|n| self.function_type(n)).map(|t| t.ty);
            out.alias = out.alias.take().or(called);
        }
        (!own.is_empty()).then_some(out)
    }

    /// What declares a type of this name: the name may be wrapped, with parameters of the type beside it.
    fn declaring(&self, name: Span) -> Option<Node<'a>> {
        let wraps = self.language.declares.hints.wraps;
        let mut node = self.leaf(name)?.parent()?;
        while wraps.contains(&node.kind()) {
            node = node.parent()?;
        }
        Some(node)
    }

    /// The type that a variable at the top of this file is another name for.
    pub(crate) fn value_alias(&self, symbol: &str) -> Option<Ty> {
        let names = &self.language.names;
        let last = names.last(symbol);
        if names.parent(symbol) != self.facts.module
            || !crate::types::variables::looks_like_type(last)
        {
            return None;
        }
        let at = self.facts.lookup_top(last, &[Space::Value])?;
        let (_, node, rule) = self.introduced(at)?;
        let value = part(node, rule.value).filter(|_| !rule.value.is_empty())?;
        let text = span(value).of(self.text);
        let head = text.split(self.language.typing.syntax.generic.0).next()?;
        let plain = head.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '.'));
        let is_type = plain && crate::types::variables::looks_like_type(names.last(head));
        let read = || self.aliased(at.start, || self.written(value));
        is_type.then(read).flatten().filter(|t| *t != Ty::Unknown)
    }

    /// The types that a type of this file is built on.
    pub(crate) fn supers_of(&self, t: &TypeDecl) -> Vec<Ty> {
        let read = |(head, at): &(String, emendo_text::Span)| {
            let text = at.of(self.text).trim();
            let text = ["extends ", "implements ", "for "]
                .iter()
                .find_map(|w| text.strip_prefix(w))
                .unwrap_or(text);
            let bare = text.split('(').next().unwrap_or(text);
            let whole = self.read(text, at.start);
            let ty = if whole == Ty::Unknown { self.read(bare, at.start) } else { whole };
            if ty == Ty::Unknown { self.read(head, at.start) } else { ty }
        };
        t.supers.iter().map(read).filter(|t| *t != Ty::Unknown).collect()
    }

    fn params_of(&self, t: &TypeDecl) -> Vec<String> {
        let typing = &self.language.typing;
        let Some(node) = self.leaf(t.at).and_then(|l| l.parent()) else { return Vec::new() };
        let list = children(node).into_iter().find(|c| typing.type_params.contains(&c.kind()));
        if let Some(list) = list {
            let text = span(list).of(self.text).trim();
            let inner = text.get(1..text.len().saturating_sub(1)).unwrap_or("");
            let word = |p: &str| {
                let words = p.split(|c: char| !(c.is_alphanumeric() || c == '_' || c == '\''));
                let mut words = words.filter(|w| !w.is_empty());
                words.find(|w| !["in", "out", "const"].contains(w)).unwrap_or("").to_owned()
            };
            return split(inner).into_iter().map(word).filter(|p| !p.starts_with('\'')).collect();
        }
        let bases = t
            .supers
            .iter()
            .filter(|(head, _)| typing.param_bases.contains(&self.language.names.last(head)));
        let (open, close) = typing.syntax.generic;
        let lists = bases.filter_map(|(_, at)| {
            let text = at.of(self.text).trim().trim_start_matches('(').trim_end_matches(')');
            let (_, inner) = text.split_once(open)?;
            Some(split(inner.trim_end().strip_suffix(close)?))
        });
        lists.flatten().map(str::to_owned).collect()
    }

    /// The chain of types from one of these symbols to a wanted one, itself left out; empty if one of them is it.
    pub(crate) fn descends(
        &self,
        from: &[String],
        wanted: &dyn Fn(&str) -> bool,
    ) -> Option<Vec<String>> {
        let mut seen: HashSet<String> = HashSet::new();
        let mut open: Vec<(String, Vec<String>)> =
            from.iter().map(|f| (f.clone(), Vec::new())).collect();
        for _ in 0..DEPTH {
            let mut next: Vec<(String, Vec<String>)> = Vec::new();
            for (symbol, chain) in open {
                if wanted(&symbol) {
                    return Some(chain);
                }
                if seen.len() > WIDE || !seen.insert(symbol.clone()) {
                    continue;
                }
                let mut more = |up: &String| {
                    let mut chain = chain.clone();
                    chain.push(symbol.clone());
                    next.push((up.clone(), chain));
                };
                match self.project.type_of(&symbol) {
                    Some(info) => {
                        info.supers.iter().flatten().chain(&info.alias).for_each(&mut more);
                    }
                    None => {
                        let shape = self.shape(&symbol);
                        let supers = shape.iter().flat_map(|s| s.extends.iter().chain(&s.alias));
                        supers.flat_map(Ty::symbols).for_each(&mut more);
                    }
                }
                if let Some(learned) = self.project.learned(self.language, &symbol) {
                    learned.supers().for_each(&mut more);
                }
            }
            if next.is_empty() {
                return None;
            }
            open = next;
        }
        None
    }

    /// A type as one of what it is built on: its arguments there.
    pub(crate) fn seen_as(&self, ty: &Ty, wanted: &[String], depth: usize) -> Option<Ty> {
        if depth == 0 {
            return None;
        }
        match ty {
            Ty::Of { symbols, args, .. } => {
                if symbols.iter().any(|s| wanted.contains(s)) {
                    return Some(ty.clone());
                }
                symbols.iter().find_map(|s| {
                    let given = self.arguments_of(s, args);
                    let shape = self.shape(s)?;
                    let supers = shape.extends.iter().chain(&shape.alias);
                    supers
                        .map(|t| t.filled(&given, Some(ty)))
                        .find_map(|t| self.seen_as(&t, wanted, depth - 1))
                })
            }
            Ty::Param(_, Some(bound)) => self.seen_as(bound, wanted, depth - 1),
            Ty::All(all) => all.iter().find_map(|t| self.seen_as(t, wanted, depth - 1)),
            _ => None,
        }
    }

    /// Is a value of a type one of another? `None` if nothing tells.
    pub fn fits(&self, ty: &Ty, wanted: &Ty) -> Option<bool> {
        match (ty, wanted) {
            (_, Ty::Param(_, None) | Ty::Unknown) | (Ty::Nothing, _) => Some(true),
            (_, Ty::Param(_, Some(bound))) => self.fits(ty, bound),
            // A dotted name may be that of a value as well as that of a type.
            (Ty::Unknown | Ty::Of { named: true, .. }, _) => None,
            (Ty::Param(_, None), _) => None,
            (Ty::Param(_, Some(bound)), _) => self.fits(bound, wanted),
            (Ty::Either(all), _) => {
                let told: Vec<Option<bool>> = all.iter().map(|t| self.fits(t, wanted)).collect();
                if told.iter().all(|t| *t == Some(true)) {
                    Some(true)
                } else if told.iter().all(|t| *t == Some(false)) {
                    Some(false)
                } else {
                    None
                }
            }
            (_, Ty::Either(all)) => {
                let told: Vec<Option<bool>> = all.iter().map(|t| self.fits(ty, t)).collect();
                if told.contains(&Some(true)) {
                    Some(true)
                } else if told.contains(&None) {
                    None
                } else {
                    Some(false)
                }
            }
            (Ty::All(all), _) => {
                let told: Vec<Option<bool>> = all.iter().map(|t| self.fits(t, wanted)).collect();
                if told.contains(&Some(true)) {
                    Some(true)
                } else {
                    told.into_iter().flatten().next()
                }
            }
            (
                Ty::Of { named: false, .. } | Ty::Function { .. } | Ty::Tuple(_),
                Ty::Of { symbols, .. },
            ) if symbols.iter().any(|s| s == self.language.typing.built_in.top) => Some(true),
            (Ty::Of { symbols, .. }, Ty::Of { symbols: to, args, .. }) => {
                let is = |s: &str| to.iter().any(|t| t == s);
                if self.descends(symbols, &is).is_none() {
                    return (!self.may_be(symbols, to)).then_some(false);
                }
                if args.is_empty() {
                    return Some(true);
                }
                let own = self.seen_as(ty, to, DEPTH);
                let own = own.as_ref().map_or(&[][..], Ty::args);
                let told = args.iter().zip(own).map(|(w, o)| match (o, w) {
                    (Ty::Unknown | Ty::Param(..), _) => None,
                    _ => self.fits(o, w),
                });
                let told: Vec<Option<bool>> = told.collect();
                if told.contains(&Some(false)) {
                    Some(false)
                } else if told.contains(&None) || own.len() < args.len() {
                    None
                } else {
                    Some(true)
                }
            }
            (Ty::Function { .. }, Ty::Of { .. }) => None,
            (Ty::Tuple(_), Ty::Of { .. }) => Some(false),
            _ => (ty == wanted).then_some(true),
        }
    }

    /// How sure a type is by its name, where that may stand for several.
    pub fn sure_of(&self, ty: &Ty) -> Certainty {
        let learned = |s: &String| self.project.learned(self.language, s).is_some();
        let several = ty.symbols().len() > 1 && !ty.symbols().first().is_some_and(learned);
        if several && !self.language.names.sure_wildcards {
            Certainty::Likely
        } else {
            Certainty::Certain
        }
    }

    /// Is what was told of an expression an object of a type? `None` if nothing tells.
    pub fn is_a(&self, told: &TypeAnswer, wanted: &Ty) -> Option<bool> {
        // The name of a type is not an object of it; a module stands for itself.
        if let Ty::Of { symbols, named: true, .. } = &told.ty {
            let names = &self.language.names;
            let module = |s: &String| !crate::types::variables::looks_like_type(names.last(s));
            let same = symbols.iter().any(|s| wanted.symbols().contains(s));
            return Some(same && symbols.iter().all(module));
        }
        self.fits(&told.ty, wanted)
    }

    /// True if one of several types that something may be of is the wanted one.
    pub fn is_partly(&self, ty: &Ty, wanted: &Ty) -> bool {
        match ty {
            Ty::Either(all) => all.iter().any(|t| self.fits(t, wanted) == Some(true)),
            _ => false,
        }
    }

    /// True if nothing tells that these types are not built on one of the wanted: a type of which nothing is known may be
    /// built on one of the same library, or of the language's own.
    fn may_be(&self, symbols: &[String], wanted: &[String]) -> bool {
        let names = &self.language.names;
        let known = |s: &str| {
            self.language.typing.built_in.primitives.iter().any(|p| p.1 == s)
                || self.project.learned(self.language, s).is_some()
                || self.project.type_of(s).is_some_and(|t| t.declared)
                || self.shape(s).is_some_and(|t| t.declared)
        };
        let near = |s: &str| {
            wanted.iter().any(|w| {
                let root = names.package(w);
                let plain = root.is_empty()
                    || self.language.typing.built_in.primitives.iter().any(|p| p.1 == w);
                plain
                    || crate::ground::below(s, &root).is_some()
                    || self.project.is_standard(self.language, w)
            })
        };
        if wanted.iter().all(|w| self.language.typing.built_in.closed.contains(&w.as_str())) {
            return false;
        }
        let unknown = |s: &str| !known(s) && near(s);
        // One that is told of is what is meant, of several.
        let told =
            symbols.first().is_some_and(|s| self.project.learned(self.language, s).is_some());
        let symbols = if told { &symbols[..1] } else { symbols };
        self.descends(symbols, &unknown).is_some()
    }

    /// Where a member of another file stands, in words.
    pub(crate) fn placed(&self, one: &MemberType) -> String {
        one.place.as_ref().map_or(String::new(), |(path, line)| format!(" ({path}:{line})"))
    }
}
