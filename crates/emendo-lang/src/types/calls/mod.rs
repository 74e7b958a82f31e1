//! Calls: their arguments, and the functions that they call.

mod counts;
mod labels;

use std::borrow::Cow;

use crate::tree::Node;
use emendo_text::Span;

use crate::facts::TypeDecl;
use crate::ground::Certainty;
use crate::language::{CalleeRule, Gives, Origin, Space};
use crate::resolver::Resolver;
use crate::tree::{children, span};
use crate::tree::{in_field, named, part};
use crate::ty::{Known, MemberType, Takes, Ty, TypeAnswer};

pub use labels::Label;

/// Whether a name means one overload.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Overload {
    /// It does.
    Is,
    /// Its arguments fit; those of another may fit better.
    Fits,
    /// So many arguments fit; of what types they are is not known.
    ByCount(usize),
    /// It does not.
    Not,
    /// Nothing tells.
    Unknown,
}

/// What a symbol says of something that a function takes.
#[derive(Clone, Debug, PartialEq)]
pub struct Wanted {
    /// Its type.
    pub ty: Ty,
    /// Its label, where that is part of the function's name.
    pub label: Option<String>,
}

impl From<Ty> for Wanted {
    fn from(ty: Ty) -> Self {
        Self { ty, label: None }
    }
}

/// An argument of a call.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Argument<'t> {
    /// Its name, where it is a named one.
    pub(crate) name: Option<Node<'t>>,
    /// Its value.
    pub(crate) value: Node<'t>,
    /// All of it.
    pub(crate) whole: Node<'t>,
}

impl Argument<'_> {
    /// True if it stands for several.
    pub(crate) fn is_spread(&self, language: &crate::Language) -> bool {
        let plain = self.name.is_some() || !language.is_spread(self.whole);
        !plain || language.is_spread(self.value)
    }
}

/// A dotted name without type arguments.
pub(crate) fn plain_path(written: &str) -> Cow<'_, str> {
    if !written.contains('<') {
        return Cow::Borrowed(written);
    }
    let mut depth = 0u32;
    let mut out = String::new();
    for c in written.chars() {
        match c {
            '<' => depth += 1,
            '>' => depth = depth.saturating_sub(1),
            _ if depth == 0 => out.push(c),
            _ => {}
        }
    }
    Cow::Owned(out.replace("::::", "::").trim_end_matches("::").to_owned())
}

/// True for a plain name.
fn is_word(text: &str) -> bool {
    !text.is_empty() && text.chars().all(|c| c.is_alphanumeric() || c == '_')
}

impl<'a> Resolver<'a> {
    /// The rule of a call.
    pub(crate) fn callee_rule(&self, node: Node<'a>) -> Option<&'static CalleeRule> {
        let mut all = self.language.typing.calls.callees.iter().filter(|c| c.kind == node.kind());
        match all.clone().count() {
            0 | 1 => all.next(),
            // Where a kind has several, the first counts whose function is there.
            _ => all.find(|c| part(node, c.function).is_some()),
        }
    }

    /// The arguments of a call.
    pub(crate) fn arguments(&self, call: Node<'a>) -> Vec<Argument<'a>> {
        let rule = self.language.typing.calls.arguments;
        let list = self.callee_rule(call).and_then(|c| {
            let found = part(call, c.arguments).filter(|_| !c.arguments.is_empty());
            found.or_else(|| named(call).into_iter().find(|n| rule.lists.contains(&n.kind())))
        });
        let piped = self.piped(call).map(|v| Argument { name: None, value: v, whole: v });
        let Some(list) = list else { return piped.into_iter().collect() };
        let (kind, name, value) = rule.keyed;
        let one = |whole: Node<'a>| {
            let mut out = Argument { name: None, value: whole, whole };
            if whole.kind() == kind && !kind.is_empty() {
                let key = in_field(whole, name);
                // A text is no name of a parameter.
                let text = key.is_some_and(|k| self.language.compare.strings.contains(&k.kind()));
                out.name = key.filter(|_| !text);
                let own = in_field(whole, value);
                if let Some(v) = own.or_else(|| named(whole).into_iter().next_back()) {
                    out.value = v;
                }
            } else if whole.kind() == rule.wrapper
                && let Some(v) = named(whole).into_iter().next_back()
            {
                out.name = whole.child_by_field_name("name");
                out.value = v;
            }
            out
        };
        let block = |n: &Node<'a>| {
            let language = self.language;
            !language.typing.calls.block.is_empty()
                && language.writing.last_items.contains(&n.kind())
        };
        let own = named(list).into_iter().filter(|n| !block(n)).map(one);
        piped.into_iter().chain(own).collect()
    }

    /// A function without its type arguments.
    pub(super) fn bare(&self, function: Node<'a>) -> Node<'a> {
        let wraps = self.language.declares.hints.wraps;
        let mut node = function;
        while wraps.contains(&node.kind()) && self.language.typing.gives(node.kind()).is_none() {
            match named(node).into_iter().next() {
                Some(inner) => node = inner,
                None => break,
            }
        }
        node
    }

    /// What stands before a link that does not hold it: the receiver of a conditional access around it.
    pub(super) fn outer_object(&self, node: Node<'a>) -> Option<TypeAnswer> {
        let mut child = node;
        for _ in 0..8 {
            let up = child.parent()?;
            if let Some((_, field)) = self.language.compare.chain.iter().find(|c| c.0 == up.kind())
            {
                let base = part(up, field)?;
                if !span(base).contains(span(node)) {
                    return self.type_of(base);
                }
            }
            child = up;
        }
        None
    }

    /// The overload that a call means, and whether that is sure.
    pub(crate) fn choose<'k>(
        &self,
        known: &'k Known,
        call: Node<'a>,
    ) -> Option<(&'k MemberType, bool)> {
        let args = self.arguments(call);
        let called: Vec<&MemberType> = known.all.iter().filter(|m| m.params.is_some()).collect();
        let all = if called.is_empty() { known.all.iter().collect() } else { called };
        let [first, _, ..] = all.as_slice() else { return Some((all.first()?, true)) };
        let spread = args.iter().any(|a| a.is_spread(self.language));
        let fits = |m: &&MemberType| match self.language.names.labels {
            true => self.takes_labels(m, call),
            false => spread || m.takes(args.len()),
        };
        let counted: Vec<&MemberType> = all.iter().copied().filter(fits).collect();
        let counted = if counted.is_empty() { all.clone() } else { counted };
        let fitting: Vec<&MemberType> =
            counted.iter().copied().filter(|m| self.takes_these(m, &args) != Some(false)).collect();
        let fitting = if fitting.is_empty() { counted } else { fitting };
        let mut fitting = fitting;
        // One whose parameters are the very types of the arguments.
        let exact = |m: &&MemberType| {
            let Some(params) = &m.params else { return false };
            let same = |(a, p): (&Argument<'a>, &crate::ty::Takes)| {
                let told = self.type_of(a.value);
                told.is_some_and(|t| t.says >= Certainty::Likely && t.ty == p.ty)
            };
            params.len() == args.len() && !args.is_empty() && args.iter().zip(params).all(same)
        };
        if fitting.iter().filter(|m| exact(m)).count() == 1 {
            fitting.retain(exact);
        }
        // The one whose parameters are of the narrowest types.
        let nearer = |a: &MemberType, b: &MemberType| {
            let (Some(a), Some(b)) = (&a.params, &b.params) else { return false };
            a.len() == b.len()
                && a.iter().zip(b).all(|(a, b)| self.fits(&a.ty, &b.ty) == Some(true))
        };
        let all_told = fitting.iter().all(|m| self.takes_these(m, &args) == Some(true));
        let nearest = fitting
            .iter()
            .position(|m| all_told && fitting.iter().all(|n| std::ptr::eq(*m, *n) || nearer(m, n)));
        if let Some(nearest) = nearest {
            fitting = vec![fitting[nearest]];
        }
        let same = fitting.len() == 1;
        Some((fitting.first().unwrap_or(first), same))
    }

    /// Do these arguments fit a function? `None` if nothing tells.
    fn takes_these(&self, m: &MemberType, args: &[Argument<'a>]) -> Option<bool> {
        let Some(params) = &m.params else { return Some(true) };
        let mut whole = Some(true);
        for (a, p) in args.iter().zip(params) {
            if a.name.is_some() || self.is_function(a.value) {
                continue;
            }
            match self.type_of(a.value).and_then(|t| self.fits(&t.ty, &p.ty)) {
                Some(true) => {}
                Some(false) => return Some(false),
                None => whole = None,
            }
        }
        whole
    }

    /// The type whose object another object of it, or of one that is built on it, is made by: in `super(...)`.
    pub(crate) fn passed_to(&self, call: Node<'a>) -> Option<Ty> {
        let own = &self.language.declares;
        let word = children(call).into_iter().find_map(|c| {
            let text = span(c).of(self.text);
            let word = own.hints.base.contains(&text) || own.hints.own.contains(&text);
            (c.end_byte() - c.start_byte() < 16 && word).then_some(text)
        })?;
        let t = self.facts.types_at(call.start_byte() as u32).next()?;
        if let Some(around) = self.calls_overridden(call)
            && around != self.language.typing.calls.constructor
        {
            return None;
        }
        // One with a name of its own is a member of that type.
        let constructor = self.language.typing.calls.constructor;
        let function = part(call, self.callee_rule(call)?.function).map(|f| span(f).of(self.text));
        if function.is_some_and(|f| is_word(f) && f != word && f != constructor) {
            return None;
        }
        if own.hints.base.contains(&word) {
            self.supers_of(t).into_iter().next()
        } else {
            Some(self.around_type(t))
        }
    }

    /// The name of the function around a call, where the word for what a type is built on calls what that overrides.
    pub(crate) fn calls_overridden(&self, call: Node<'a>) -> Option<&'a str> {
        let calls = &self.language.typing.calls;
        let rule = self.callee_rule(call).filter(|_| calls.super_calls)?;
        let function = part(call, rule.function)?;
        let base = &self.language.declares.hints.base;
        if in_field(call, rule.object).is_some() || !base.contains(&span(function).of(self.text)) {
            return None;
        }
        let walls = self.language.scopes.walls;
        let mut node = call.parent();
        while let Some(n) = node {
            if walls.contains(&n.kind()) {
                let rule = calls.functions.iter().find(|f| f.kind == n.kind())?;
                return in_field(n, rule.name).map(|name| span(name).of(self.text));
            }
            node = n.parent();
        }
        None
    }

    /// The call whose function is named at a place.
    pub(crate) fn call_at(&self, name: Span) -> Option<Node<'a>> {
        let mut child = self.leaf(name)?;
        for _ in 0..6 {
            let up = child.parent()?;
            if let Some(rule) = self.callee_rule(up) {
                let function = part(up, rule.function)?;
                return (span(function).end == name.end || span(function).contains(name))
                    .then_some(up)
                    .filter(|_| !self.arguments(up).iter().any(|a| span(a.whole).contains(name)));
            }
            child = up;
        }
        None
    }

    /// Is the overload with these parameters named at a place, in a call or a declaration?
    pub fn overload(&self, name: Span, wanted: &[Wanted]) -> Overload {
        if !self.language.names.arity_mark.is_empty() {
            return self.counted(name, wanted.len());
        }
        if self.language.names.labels && wanted.iter().all(|w| w.label.is_some()) {
            let labels: Vec<&str> = wanted.iter().filter_map(|w| w.label.as_deref()).collect();
            return self.labeled(name, &labels);
        }
        let wanted: Vec<Ty> = wanted.iter().map(|w| w.ty.clone()).collect();
        if let Some((_, node, rule)) = self.introduced(name)
            && rule.origin == Origin::Function
        {
            let takes = self.takes(node);
            // What the types that it is built on take is told by what they are given there.
            let wanted: Vec<Ty> = wanted.iter().map(|w| self.filled_around(name, w)).collect();
            let same = |(p, w): (&crate::ty::Takes, &Ty)| {
                w.symbols().is_empty()
                    || p.ty.symbols().iter().any(|s| w.symbols().contains(s))
                    || p.ty == *w
            };
            let all = takes.len() == wanted.len() && takes.iter().zip(&wanted).all(same);
            return if all { Overload::Is } else { Overload::Not };
        }
        let Some(call) = self.call_at(name) else { return Overload::Unknown };
        let args = self.arguments(call);
        if args.iter().any(|a| a.is_spread(self.language)) {
            return Overload::Unknown;
        }
        if args.len() != wanted.len() {
            return Overload::Not;
        }
        // What a type of the project gives the library's is told by what it is built on.
        let of = self.facts.words(name.of(self.text)).iter().find(|w| w.span == name);
        let of = of.and_then(|w| self.type_at(w.receiver?)).map(|t| t.ty);
        let filled: Vec<Ty> = wanted
            .iter()
            .map(|w| of.as_ref().map_or_else(|| w.clone(), |of| self.filled_for(of, w, 6)))
            .collect();
        // Where all overloads are told, the nearest is meant.
        if let Some((known, _)) = self.callee(call)
            && known.all.len() > 1
            && let Some((one, sure)) = self.choose(&known, call)
            && let Some(params) = &one.params
        {
            let pairs = || params.iter().zip(&filled);
            // A short name in a recipe may stand for several: one that is shared will do.
            let shared = |p: &Ty, w: &Ty| p.symbols().iter().any(|s| w.symbols().contains(s));
            let both = |p: &Ty, w: &Ty| (self.fits(p, w), self.fits(w, p));
            // A parameter of the type itself is meant by its name.
            let plain = one.plain_params();
            let named = |i: usize, _: &Ty| match (plain.get(i).map(|p| &p.ty), &wanted[i]) {
                (Some(Ty::Param(own, _)), Ty::Param(wanted, _)) => Some(own == wanted),
                (Some(Ty::Param(..)), Ty::Of { .. }) => Some(false),
                _ => None,
            };
            let same = |(i, (p, w)): (usize, (&crate::ty::Takes, &Ty))| {
                named(i, w).unwrap_or_else(|| {
                    shared(&p.ty, w) || both(&p.ty, w) == (Some(true), Some(true))
                })
            };
            let other = |(i, (p, w)): (usize, (&crate::ty::Takes, &Ty))| {
                let (there, back) = both(&p.ty, w);
                named(i, w).map_or_else(
                    || !shared(&p.ty, w) && (there == Some(false) || back == Some(false)),
                    |own| !own,
                )
            };
            let counted = params.len() == wanted.len();
            if sure && counted && pairs().enumerate().all(same) {
                return Overload::Is;
            }
            if sure && (!counted || pairs().enumerate().any(other)) {
                return Overload::Not;
            }
        }
        let mut exact = true;
        for (a, w) in args.iter().zip(&filled) {
            let told = if self.is_function(a.value) { None } else { self.type_of(a.value) };
            match told.and_then(|t| Some((self.fits(&t.ty, w)?, t))) {
                Some((false, _)) => return Overload::Not,
                Some((true, t)) => {
                    exact &= matches!(w, Ty::Param(..)) || self.fits(w, &t.ty) == Some(true);
                }
                None => return Overload::ByCount(args.len()),
            }
        }
        if exact { Overload::Is } else { Overload::Fits }
    }

    /// A type of a member, where a member is declared that overrides it: with what the type around gives the types that it
    /// is built on.
    fn filled_around(&self, name: Span, ty: &Ty) -> Ty {
        let mut open = Vec::new();
        ty.params_in(&mut open);
        let declares = |t: &&TypeDecl| t.members.iter().any(|m| m.at == name);
        let Some(t) = self.facts.types_at(name.start).find(declares).filter(|_| !open.is_empty())
        else {
            return ty.clone();
        };
        let given = self.supers_of(t).into_iter().find_map(|s| {
            let symbol = s.symbols().first()?.clone();
            let given = self.arguments_of(&symbol, s.args());
            open.iter().all(|p| given.contains_key(p)).then_some(given)
        });
        given.map_or_else(|| ty.clone(), |given| ty.filled(&given, None))
    }

    /// What a type of this file gives a parameter of what it is built on, where a member of a name overrides one.
    pub fn given_there(&self, name: Span, param: &str) -> Option<Ty> {
        let own =
            self.facts.types_at(name.start).find(|t| t.members.iter().any(|m| m.at == name))?;
        let open = Ty::Param(param.to_owned(), None);
        let filled = |s: &Ty| self.filled_for(s, &open, 6);
        self.supers_of(own).iter().map(filled).find(|t| *t != open)
    }

    /// A type of a member, with what an object of another type gives the type that declares it.
    fn filled_for(&self, of: &Ty, ty: &Ty, depth: usize) -> Ty {
        let mut open = Vec::new();
        ty.params_in(&mut open);
        let Some(symbol) = of.symbols().first().filter(|_| depth > 0 && !open.is_empty()) else {
            return ty.clone();
        };
        let given = self.arguments_of(symbol, of.args());
        if open.iter().all(|p| given.contains_key(p)) {
            return ty.filled(&given, None);
        }
        let Some(shape) = self.shape(symbol) else { return ty.clone() };
        let supers = shape.extends.iter().map(|s| s.filled(&given, None));
        supers
            .map(|s| self.filled_for(&s, ty, depth - 1))
            .find(|t| t != ty)
            .unwrap_or_else(|| ty.clone())
    }

    pub(super) fn is_function(&self, node: Node<'a>) -> bool {
        self.language.is_function(node.kind())
    }

    /// The function that a call calls, with all its overloads.
    pub(crate) fn callee(&self, call: Node<'a>) -> Option<(Known, Certainty)> {
        let rule = self.callee_rule(call)?;
        if let Some(of) = self.passed_to(call) {
            return Some((self.maker(&of)?, Certainty::Certain));
        }
        if let Some(name) = self.calls_overridden(call) {
            let t = self.facts.types_at(call.start_byte() as u32).next()?;
            let known = self.supers_of(t).iter().find_map(|ty| self.member(ty, name))?;
            return Some((known, Certainty::Certain));
        }
        let function = self.bare(part(call, rule.function)?);
        let object = in_field(call, rule.object);
        let (object, name) = match (object, self.language.typing.gives(function.kind())) {
            (Some(o), _) => (Some(o), function),
            (None, Some(Gives::Member(of, name))) => (part(function, of), part(function, name)?),
            _ => return Some((self.callee_by_name(function)?, Certainty::Certain)),
        };
        let of = match object {
            Some(o) => self.type_of(o),
            None => self.outer_object(function),
        }?;
        let name = span(name).of(self.text);
        let name = name.split('<').next().unwrap_or(name);
        if self.is_maker(&of.ty, name) {
            return Some((self.maker(&of.ty.clone().instance())?, of.says));
        }
        Some((self.member(&of.ty, name)?, of.says))
    }

    /// A function that is called without an object.
    fn callee_by_name(&self, function: Node<'a>) -> Option<Known> {
        let names = &self.language.names;
        let name = plain_path(span(function).of(self.text));
        let at = function.start_byte() as u32;
        let path: Vec<&str> = name.split(names.separator).map(str::trim).collect();
        if let [single] = path.as_slice() {
            if let Some(own) = self.known_at(single, self.called_spaces(), at) {
                return self.own_callee(single, own.at);
            }
            if !names.members_need_receiver {
                let mut around = self.facts.types_at(at);
                let found = around.find_map(|t| self.member(&self.around_type(t), single));
                if found.is_some() {
                    return found;
                }
            }
        }
        let symbols = self.candidates(&path, Space::Value, at);
        // A type that is called, or made: what makes an object of it.
        if symbols.iter().any(|s| self.is_known_type(s))
            && let Some(known) = self.maker(&self.read(&name, at))
        {
            return Some(known);
        }
        symbols.iter().find_map(|symbol| {
            let parent = names.parent(symbol);
            if parent.is_empty() || parent == *symbol {
                return None;
            }
            self.member(&Ty::object(&parent).itself(), names.last(symbol))
        })
    }

    /// A function that the file declares at a place.
    fn own_callee(&self, name: &str, at: Span) -> Option<Known> {
        let declares = |t: &&TypeDecl| t.members.iter().any(|m| m.at == at);
        if let Some(t) = self.facts.types_at(at.start).find(declares) {
            return self.member(&self.around_type(t), name);
        }
        let member = match self.member_type(name, at)? {
            m if m.params.is_some() => m,
            m => {
                let (params, gives) = self.as_function(&m.gives)?;
                let takes =
                    |ty| Takes { name: None, ty, optional: false, rest: false, sets: false };
                MemberType { params: Some(params.into_iter().map(takes).collect()), gives, ..m }
            }
        };
        Some(Known { says: member.says, all: vec![member], owner: String::new() })
    }
}
