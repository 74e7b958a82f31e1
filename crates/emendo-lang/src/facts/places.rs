//! Looking up declarations by place and by name: as quick in a file that declares tens of thousands as in a short one.

use emendo_text::Span;
use rustc_hash::FxHashMap;

use crate::facts::lookups::TypePlaces;
use crate::facts::{BoundName, FileFacts, Member, TypeDecl};
use crate::language::{Names, Space};

/// Up to so many entries are looked through one by one.
const FEW: usize = 16;

impl TypeDecl {
    /// Its members of a name, in order.
    pub fn members_called<'a>(&'a self, name: &str) -> impl Iterator<Item = &'a Member> {
        let many = (self.members.len() > FEW)
            .then(|| self.by_name.get_or_init(|| by_name(&self.members, |m| &m.name)));
        let few = if many.is_none() { self.members.as_slice() } else { &[] };
        let many = many.and_then(|all| all.get(name)).map_or(&[][..], Vec::as_slice);
        let many = many.iter().map(|i| &self.members[*i as usize]);
        few.iter().filter(move |m| m.name == name).chain(many)
    }
}

/// The numbers of all that have a name, by that name.
fn by_name<T>(all: &[T], name: impl Fn(&T) -> &str) -> FxHashMap<String, Vec<u32>> {
    let mut out: FxHashMap<String, Vec<u32>> = FxHashMap::default();
    for (i, one) in (0u32..).zip(all) {
        out.entry(name(one).to_owned()).or_default().push(i);
    }
    out
}

impl FileFacts {
    fn type_places(&self) -> &TypePlaces {
        self.places.types.get_or_init(|| {
            let mut out = TypePlaces::default();
            let mut open: Vec<u32> = Vec::new();
            for (i, t) in (0u32..).zip(&self.types) {
                out.by_name.entry(t.at).or_insert(i);
                out.by_member.extend(t.members.iter().map(|m| (m.at, i)));
                while open.pop_if(|o| self.types[*o as usize].span.end <= t.span.start).is_some() {}
                out.around.push(open.last().copied());
                open.push(i);
            }
            out
        })
    }

    /// The type that is declared with its name at this place.
    pub fn type_named_at(&self, name: Span) -> Option<&TypeDecl> {
        if self.types.len() <= FEW {
            return self.types.iter().find(|t| t.at == name);
        }
        self.type_places().by_name.get(&name).map(|i| &self.types[*i as usize])
    }

    /// The type that declares a member at this place; the last one of several.
    pub fn owner_of(&self, member: Span) -> Option<&TypeDecl> {
        if self.types.len() <= FEW {
            let has = |t: &&TypeDecl| t.members.iter().any(|m| m.at == member);
            return self.types.iter().rev().find(has);
        }
        self.type_places().by_member.get(&member).map(|i| &self.types[*i as usize])
    }

    /// The type declarations around a place, the innermost first.
    pub fn types_at(&self, at: u32) -> impl Iterator<Item = &TypeDecl> {
        let started = self.types.partition_point(|t| t.span.start <= at);
        let around = |i: u32| match self.types.len() <= FEW {
            true => i.checked_sub(1),
            false => self.type_places().around[i as usize],
        };
        let first = (started as u32).checked_sub(1);
        let all = std::iter::successors(first, move |i| around(*i));
        all.map(|i| &self.types[i as usize]).filter(move |t| at < t.span.end)
    }

    /// The types whose own name is this, in order.
    pub(crate) fn types_called(
        &self,
        last: &str,
        names: &Names,
    ) -> impl Iterator<Item = &TypeDecl> {
        let all = self
            .places
            .called
            .get_or_init(|| by_name(&self.types, |t| t.path.last().map_or("", |p| names.last(p))));
        all.get(last).into_iter().flatten().map(|i| &self.types[*i as usize])
    }

    /// What a scope declares under a name, in order.
    pub(super) fn bound<'a>(
        &'a self,
        scope: u32,
        name: &str,
    ) -> impl Iterator<Item = &'a BoundName> {
        let all = &self.scopes[scope as usize].bindings;
        let few = if all.len() <= FEW { all.as_slice() } else { &[] };
        let many = (all.len() > FEW).then(|| self.scope_places().get(&scope)?.get(name)).flatten();
        let many = many.map_or(&[][..], Vec::as_slice).iter().map(|i| &all[*i as usize]);
        few.iter().filter(move |b| b.name == name).chain(many)
    }

    fn scope_places(&self) -> &FxHashMap<u32, FxHashMap<String, Vec<u32>>> {
        self.places.scopes.get_or_init(|| {
            let long = (0u32..).zip(&self.scopes).filter(|(_, s)| s.bindings.len() > FEW);
            long.map(|(n, s)| (n, by_name(&s.bindings, |b| &b.name))).collect()
        })
    }

    /// True for the inside of a string literal.
    pub fn is_string(&self, at: Span) -> bool {
        let first = self.strings.partition_point(|s| s.start < at.start);
        self.strings[first..].iter().take_while(|s| s.start == at.start).any(|s| *s == at)
    }

    /// True if a name at the top of the file is declared at this place.
    pub fn is_top(&self, at: Span) -> bool {
        let all = || self.scopes[0].bindings.iter().map(|b| b.at).collect();
        self.places.top.get_or_init(all).contains(&at)
    }

    /// True if what is declared at a place may be named by other files: a type, a member, or what stands at the top.
    pub(crate) fn is_outer(&self, at: Span) -> bool {
        self.is_top(at) || self.type_named_at(at).is_some() || self.owner_of(at).is_some()
    }

    /// True if the file declares a type of this name at its top.
    pub fn declares_type(&self, name: &str) -> bool {
        self.bound(0, name).any(|b| b.space == Space::Type)
    }

    /// Where a name at the top of the file is declared.
    pub(crate) fn lookup_top(&self, name: &str, spaces: &[Space]) -> Option<Span> {
        self.bound(0, name).find(|b| spaces.contains(&b.space)).map(|b| b.at)
    }

    /// The scopes around a place, inner ones first, each with whether it declares a name as a value by then.
    pub(crate) fn scopes_declaring(
        &self,
        name: &str,
        at: u32,
    ) -> impl Iterator<Item = (Span, bool)> {
        let next = |i: &u32| self.scopes[*i as usize].parent;
        let all = std::iter::successors(Some(self.scope_at(at)), next);
        all.map(move |i| {
            let mut own = self.bound(i, name);
            // A member is reached by its object, whatever hides its name.
            let local = |b: &BoundName| b.space == Space::Value && b.from <= at;
            let declares = own.any(|b| local(b) && self.owner_of(b.at).is_none());
            (self.scopes[i as usize].span, declares)
        })
    }

    /// All places where a scope declares a name as a value, in order.
    pub fn declared_again(&self, name: &str, scope: Span) -> Vec<Span> {
        let first = self.scopes.partition_point(|s| s.span.start < scope.start);
        let all = (first..).zip(&self.scopes[first..]);
        let all = all.take_while(|(_, s)| s.span.start == scope.start);
        let own = all.filter(|(_, s)| s.span == scope);
        let own = own.flat_map(|(i, _)| self.bound(i as u32, name));
        let mut out: Vec<Span> = own.filter(|b| b.space == Space::Value).map(|b| b.at).collect();
        out.sort_by_key(|a| a.start);
        out.dedup();
        out
    }
}
