//! Members of types: of the file, of other files of the project, and of libraries as far as they are told.

use std::collections::HashSet;

use crate::tree::Node;
use emendo_text::Span;

use crate::facts::TypeDecl;
use crate::ground::{Certainty, Fact};
use crate::language::{Origin, Space};
use crate::resolver::Resolver;
use crate::tree::span;
use crate::tree::{function_rule, in_field, named};
use crate::ty::{Known, MemberType, Takes, Ty, TypeAnswer};

/// How many types a search goes through.
pub(crate) const WIDE: usize = 256;

/// How far the shapes of types are asked for by one another.
pub(crate) const NESTED: usize = 48;

impl<'a> Resolver<'a> {
    /// A member of a type, its own or one of what it is built on.
    pub(crate) fn member(&self, ty: &Ty, name: &str) -> Option<Known> {
        let top = || {
            let top = self.language.typing.built_in.top;
            let known = self.project.learned(self.language, top).filter(|l| l.has(name))?;
            let open = std::collections::HashMap::new();
            let all = known.members.get(name)?.iter().map(|m| m.filled(&open, ty)).collect();
            Some(Known { all, says: Certainty::Certain, owner: top.to_owned() })
        };
        self.member_within(ty, name, ty, &mut HashSet::new())
            .or_else(|| self.member_within(ty, "*", ty, &mut HashSet::new()))
            .or_else(top)
    }

    fn member_within(
        &self,
        ty: &Ty,
        name: &str,
        itself: &Ty,
        seen: &mut HashSet<String>,
    ) -> Option<Known> {
        match ty {
            Ty::Of { symbols, args, named } => {
                let says = self.sure_of(ty);
                let found = symbols
                    .iter()
                    .find_map(|s| self.inherited(s, args, *named, name, itself, seen));
                found.map(|mut known| {
                    known.says = known.says.min(says);
                    known
                })
            }
            Ty::Param(_, Some(bound)) => self.member_within(bound, name, itself, seen),
            Ty::Object(members) => {
                let (_, ty) = members.iter().find(|m| m.0 == name)?;
                let all = vec![read_member(ty.clone())];
                Some(Known { all, says: Certainty::Certain, owner: "object".to_owned() })
            }
            Ty::All(all) => all.iter().find_map(|t| self.member_within(t, name, itself, seen)),
            Ty::Either(all) => {
                let found: Vec<Option<Known>> =
                    all.iter().map(|t| self.member_within(t, name, t, seen)).collect();
                let whole = found.iter().all(Option::is_some);
                let mut found = found.into_iter().flatten();
                let mut first = found.next()?;
                found.for_each(|more| first.all.extend(more.all));
                if !whole {
                    first.says = Certainty::Unsure;
                    // What the others give is not known: it is one of several types.
                    for m in &mut first.all {
                        m.gives = Ty::either([m.gives.clone(), Ty::Unknown]);
                    }
                }
                Some(first)
            }
            _ => None,
        }
    }

    fn inherited(
        &self,
        symbol: &str,
        args: &[Ty],
        named: bool,
        name: &str,
        itself: &Ty,
        seen: &mut HashSet<String>,
    ) -> Option<Known> {
        if seen.len() > WIDE || !seen.insert(symbol.to_owned()) {
            return None;
        }
        let given = self.arguments_of(symbol, args);
        if let Some(mut known) = self.direct(symbol, name, named) {
            known.all = known.all.iter().map(|m| m.filled(&given, itself)).collect();
            return Some(known);
        }
        let shape = self.shape(symbol)?;
        let supers = shape.extends.iter().chain(&shape.alias);
        let mut supers = supers.map(|t| t.filled(&given, None));
        supers.find_map(|t| self.member_within(&t, name, itself, seen))
    }

    /// A member that a type or module declares itself.
    pub(crate) fn direct(&self, symbol: &str, name: &str, named: bool) -> Option<Known> {
        let known = |all: Vec<MemberType>| {
            let owner = symbol.to_owned();
            (!all.is_empty()).then_some(Known { all, says: Certainty::Certain, owner })
        };
        if let Some(own) = self.own_member(symbol, name, named) {
            return known(own);
        }
        if self.is_elsewhere(symbol)
            && let Some(told) =
                self.project.member(self.language, symbol, name, named, &self.asking())
        {
            return known(told.to_vec());
        }
        let learned = self.project.learned(self.language, symbol)?;
        if let Some(all) = learned.members.get(name) {
            return known(all.clone());
        }
        // A module of a library passes on what another declares.
        let end = |s: &&String| self.language.names.last(s) == name;
        let passed = learned.exports.iter().find(end)?;
        known(vec![read_member(Ty::object(passed).itself())])
    }

    /// True if another file may tell of a symbol.
    pub(crate) fn is_elsewhere(&self, symbol: &str) -> bool {
        let Some(path) = self.path else { return true };
        self.project.file_of(self.language, symbol).as_ref() != Some(path)
            && symbol != self.facts.module
    }

    /// Where this file declares a member.
    pub(crate) fn declared_place(&self, symbol: &str, name: &str) -> Option<emendo_text::Span> {
        let own = self.own_types(symbol);
        let mut all = own.iter().flat_map(|t| t.members_called(name));
        all.next()
            .map(|m| m.at)
            .or_else(|| self.facts.lookup_top(name, &[Space::Value, Space::Callable, Space::Type]))
    }

    /// The declarations of a type in this file.
    pub(crate) fn own_types(&self, symbol: &str) -> Vec<&'a TypeDecl> {
        let names = &self.language.names;
        let last = names.last(symbol);
        let fits = |t: &&TypeDecl| {
            if t.extends {
                let path: Vec<&str> =
                    t.path.iter().flat_map(|p| p.split(names.separator)).collect();
                let of = self.candidates(&path, Space::Type, t.span.start);
                return of.iter().any(|s| s == symbol);
            }
            self.own_name(t) == symbol
        };
        self.facts.types_called(last, names).filter(|_| !last.is_empty()).filter(fits).collect()
    }

    /// The declaration of a type in this file, if it has that whole name.
    pub(crate) fn named_type(&self, symbol: &str) -> Option<&'a TypeDecl> {
        let names = &self.language.names;
        let mut called = self.facts.types_called(names.last(symbol), names);
        called.find(|t| self.own_name(t) == symbol)
    }

    /// The members of a name that this file declares in a type, or as a module.
    pub(crate) fn own_member(
        &self,
        symbol: &str,
        name: &str,
        named: bool,
    ) -> Option<Vec<MemberType>> {
        let own = self.own_types(symbol);
        let mut out: Vec<MemberType> = Vec::new();
        if !name.is_empty() && name == self.language.typing.calls.constructor {
            out.extend(own.iter().flat_map(|t| self.makers_of(t)));
        }
        for t in &own {
            let mut places: Vec<_> = t.members_called(name).collect();
            places.dedup_by_key(|m| m.at);
            let typed = places.iter().take(16).filter_map(|m| {
                let one = self.member_type(name, m.at)?;
                // What calls read too.
                let called =
                    m.read_by_calls.then(|| MemberType { params: Some(Vec::new()), ..one.clone() });
                Some(std::iter::once(one).chain(called))
            });
            for m in typed.flatten() {
                if !out.contains(&m) {
                    out.push(m);
                }
            }
        }
        // What a value tells is as good as nothing where a declaration tells.
        if out.iter().any(|m| m.gives != Ty::Unknown) {
            out.retain(|m| m.gives != Ty::Unknown || m.params.is_some());
        }
        if out.is_empty() && named && !own.is_empty() {
            let inner = self.language.names.join(&[symbol, name]);
            let inner = self.own_types(&inner).into_iter().next()?;
            if let Some(value) = self.constant(name, inner) {
                return Some(vec![value]);
            }
            let ty = Ty::object(&self.own_name(inner)).itself();
            return Some(vec![read_member(ty)]);
        }
        if out.is_empty() && !self.facts.module.is_empty() && symbol == self.facts.module {
            return self.of_module(name);
        }
        (!own.is_empty() && !out.is_empty()).then_some(out)
    }

    /// What a constant holds that is declared like a type, and is none as far as is told.
    pub(super) fn constant(&self, name: &str, t: &TypeDecl) -> Option<MemberType> {
        if !self.language.names.nesting || t.alias.is_some() || !t.supers.is_empty() {
            return None;
        }
        let (_, node, rule) = self.introduced(t.at)?;
        let value = in_field(node, rule.value).filter(|_| rule.origin == Origin::Value)?;
        let text = span(value).of(self.text);
        if self.language.declares.makes_types.iter().any(|m| text.starts_with(m)) {
            return None;
        }
        let told = self.declared_at(name, t.at);
        let told = told.unwrap_or(TypeAnswer::sure(Ty::Unknown));
        Some(MemberType::read(told.ty, told.says))
    }

    /// What makes an object of a type, where that is not a member with a name of its own.
    fn makers_of(&self, t: &TypeDecl) -> Vec<MemberType> {
        let one = |params: Vec<Takes>| MemberType {
            params: Some(params),
            ..read_member(Ty::object(&self.own_name(t)))
        };
        let nodes = self.maker_nodes(t).into_iter();
        let mut all: Vec<MemberType> = nodes.map(|n| one(self.takes(n))).collect();
        let own = self.leaf(t.at).and_then(|l| l.parent());
        if all.is_empty()
            && let Some(rule) = self.language.typing.calls.memberwise
            && own.is_some_and(|n| n.kind() == rule.kind)
        {
            let params = t.members.iter().filter_map(|m| self.memberwise(m.at, &rule)).collect();
            all.push(one(params));
        }
        all
    }

    /// What a variable of a type takes where an object is made by what its variables are.
    fn memberwise(&self, at: Span, rule: &crate::language::Memberwise) -> Option<Takes> {
        let (_, node, intro) = self.introduced(at)?;
        let (computed, value) = rule.fields;
        if node.kind() != rule.variable || in_field(node, computed).is_some() {
            return None;
        }
        let whole = node.parent()?;
        let before = Span { start: whole.start_byte() as u32, end: at.start }.of(self.text);
        let says = |word: &str| before.split_whitespace().any(|w| w == word);
        let has_value = in_field(node, value).is_some();
        if rule.statics.iter().any(|w| says(w)) || has_value && says(rule.fixed) {
            return None;
        }
        let ty = in_field(node, intro.ty).map_or(Ty::Unknown, |t| self.written(t));
        let name = Some(at.of(self.text).to_owned());
        Some(Takes { name, ty, optional: has_value, rest: false, sets: true })
    }

    /// The functions of a type that make an object of it; the type itself where it has a list of parameters.
    pub(super) fn maker_nodes(&self, t: &TypeDecl) -> Vec<Node<'a>> {
        let typing = &self.language.typing;
        let own = t.path.last().map_or("", |p| self.language.names.last(p));
        // One with a name of its own is another member.
        let makes = |n: Node<'a>| {
            function_rule(self.language, n).is_some_and(|r| {
                let name = in_field(n, r.name).map(|name| span(name).of(self.text));
                let like = self.language.typing.calls.like_type && name == Some(own);
                like || r.makes && name.is_none_or(|name| name == own)
            })
        };
        let declared = &self.language.declares.declared;
        let mut out = Vec::new();
        let Some(whole) = self.leaf(t.at).and_then(|l| l.parent()) else { return out };
        if makes(whole) && self.parameters_of(whole).is_some() {
            out.push(whole);
        }
        let bodies = named(whole).into_iter().filter(|n| !makes(*n));
        for body in bodies {
            crate::tree::walk(body, |n| {
                if makes(n) && !declared.iter().any(|d| d.kind == n.kind()) {
                    out.push(n);
                    return false;
                }
                // What is made in a type within is not an object of this one.
                let inner = declared.iter().any(|d| d.kind == n.kind());
                !inner && !typing.calls.functions.iter().any(|f| f.kind == n.kind())
            });
        }
        out
    }

    /// True if calling a member of a type makes an object of it: the type declares no other of that name.
    pub(crate) fn is_maker(&self, of: &Ty, name: &str) -> bool {
        let maker = self.language.typing.calls.maker;
        !maker.is_empty() && name == maker && of.is_named()
    }

    /// What a word of the language gives behind a type or an object: an object of the type, or the type; the outer none for
    /// other members.
    pub(super) fn of_type_word(&self, of: &TypeAnswer, name: &str) -> Option<Option<TypeAnswer>> {
        if self.is_maker(&of.ty, name) {
            let told = TypeAnswer { ty: of.ty.clone().instance(), says: of.says, why: None };
            let last = of.ty.symbols().first().map_or("", |s| self.language.names.last(s));
            return Some(told.because(format!("a `{last}` is made"), None).known());
        }
        let word = self.language.typing.calls.class_word;
        if word.is_empty() || name != word || of.ty.is_named() || of.ty.symbols().is_empty() {
            return None;
        }
        Some(TypeAnswer { ty: of.ty.clone().itself(), ..of.clone() }.known())
    }

    /// What makes an object of a type: told, or declared. It may be that of a type which the type is built on.
    pub(crate) fn maker(&self, ty: &Ty) -> Option<Known> {
        let typing = &self.language.typing;
        let name = typing.calls.constructor;
        if name.is_empty() {
            return None;
        }
        if typing.calls.functions.iter().any(|f| f.makes) {
            return ty.symbols().iter().find_map(|s| self.direct(s, name, false));
        }
        self.member(ty, name)
    }

    /// Is an object made, by the name of a type, with what `owner` declares for that? Types that are built on it have that
    /// too, unless they declare their own.
    pub fn makes(&self, path: &[&str], at: u32, owner: &str) -> Option<Fact> {
        let all = self.candidates(path, Space::Type, at);
        let symbol = all.first()?;
        let says = if all.len() > 1 { Certainty::Likely } else { Certainty::Certain };
        let last = self.language.names.last(symbol);
        if symbol == owner {
            return Some(Fact { says, text: format!("a `{last}` is made here"), at: None });
        }
        self.descends(std::slice::from_ref(symbol), &|s| s == owner)?;
        let known = self.member(&Ty::object(symbol), self.language.typing.calls.constructor);
        // What overrides it takes the same.
        let overrides = !self.language.typing.calls.overriding.is_empty();
        let own = known.is_some_and(|k| k.owner != owner) && !overrides;
        let text = format!("`{last}` is built on `{}`", self.language.names.last(owner));
        (!own).then_some(Fact { says, text, at: None })
    }

    /// What this file declares at its top under a name.
    fn of_module(&self, name: &str) -> Option<Vec<MemberType>> {
        let spaces = [Space::Value, Space::Callable, Space::Type];
        let top = self.facts.lookup_top(name, &spaces)?;
        if let Some(t) = self.facts.type_named_at(top) {
            let ty = match t.alias {
                Some(_) => self.shape(&self.own_name(t)).and_then(|s| s.alias.clone()),
                None => None,
            };
            let ty = ty.unwrap_or_else(|| Ty::object(&self.own_name(t)));
            return Some(vec![read_member(ty.itself())]);
        }
        self.member_type(name, top).map(|m| vec![m])
    }

    /// A member that is declared by its name alone over a variable: what that holds.
    fn variable_below(&self, name: &str, at: emendo_text::Span) -> Option<MemberType> {
        if !self.is_over_variable(at) {
            return None;
        }
        let variable = format!("@{name}");
        let own = self.facts.lookup(&variable, &[Space::Value], at.start);
        let told = own.and_then(|own| self.declared_at(&variable, own.at));
        let told = told.unwrap_or(TypeAnswer::sure(Ty::Unknown)).at_most(Certainty::Likely);
        Some(MemberType::read(told.ty, told.says))
    }

    /// A member by the place of its name.
    pub(super) fn member_type(&self, name: &str, at: emendo_text::Span) -> Option<MemberType> {
        if let Some(of) = self.variable_below(name, at) {
            return Some(of);
        }
        let plain = |told: TypeAnswer| MemberType::read(told.ty, told.says);
        let Some((_, node, rule)) = self.introduced(at) else {
            // A member without a name of its own: what stands there is its type.
            let node = self.leaf(at)?;
            return Some(plain(TypeAnswer::sure(self.written(node))))
                .filter(|m| m.gives != Ty::Unknown);
        };
        // What is read without a call may have no list of parameters.
        let listless =
            || rule.origin == Origin::Property && function_rule(self.language, node).is_none();
        if !matches!(rule.origin, Origin::Function | Origin::Property) || listless() {
            let told = self.declared_at(name, at).map(plain)?;
            // A constant may be made of values.
            let params = self.parameters_of(node).filter(|_| rule.origin == Origin::Constant);
            return Some(MemberType { params: params.map(|_| self.takes(node)), ..told });
        }
        let result = self.result_of(node);
        let params = self.takes(node);
        let property = rule.origin == Origin::Property || self.is_property(node, at);
        let (gives, says) = result.map_or((Ty::Unknown, Certainty::Certain), |r| (r.ty, r.says));
        Some(MemberType { params: (!property).then_some(params), ..MemberType::read(gives, says) })
    }

    /// True if a function is read without a call.
    fn is_property(&self, node: Node<'a>, at: emendo_text::Span) -> bool {
        let (before, above) = self.language.writing.property;
        let head = &self.text[..node.start_byte()];
        if !above.is_empty() {
            let line = head.trim_end();
            return line.ends_with(above) || line.ends_with(&format!("cached{}", &above[1..]));
        }
        let lead = &self.text[node.start_byte()..at.start as usize];
        !before.is_empty() && lead.split_whitespace().next_back() == Some(before.trim())
    }
}

const fn read_member(ty: Ty) -> MemberType {
    MemberType::read(ty, Certainty::Certain)
}
