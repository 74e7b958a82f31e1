//! What calls of a function of the project pass for one of its parameters, over all files.

use std::cell::RefCell;
use std::collections::BTreeSet;

use emendo_text::{Lines, RelPath, Span};

use crate::facts::{FileFacts, TypeDecl, Word};
use crate::ground::{Certainty, Fact};
use crate::language::Space;
use crate::owners::{Owner, Visible};
use crate::resolver::Resolver;
use crate::tree::Tree;
use crate::ty::Ty;
use crate::types::{CallSite, FunctionSite, Overload, Wanted};

/// A call that is known, as it stands in its file.
pub struct KnownCall<'c> {
    /// The resolver of the file.
    pub resolver: &'c Resolver<'c>,
    /// The tree of the file.
    pub tree: &'c Tree,
    /// The text of the file.
    pub text: &'c str,
    /// The arguments that it gives for the parameter: several for one that takes all that are left.
    pub given: Vec<Span>,
}

/// What all known calls tell together.
#[derive(Clone, Debug)]
pub struct KnownCalls {
    /// The function, as it is called.
    pub function: String,
    /// How many there are.
    pub all: usize,
    /// How many of them give an argument.
    pub giving: usize,
    /// What is not sure of it.
    pub doubts: Vec<Fact>,
}

/// A function whose calls are looked for.
struct Called<'f> {
    name: &'f str,
    /// The type that it makes an object of: that is what calls name.
    made: Option<String>,
    visible: Option<Visible>,
    function: &'f FunctionSite,
    /// The place of the parameter, from 0, and its name.
    place: usize,
    param: &'f str,
    /// Others of its type are called so too: their parameters tell them apart.
    types: Option<Vec<Ty>>,
    /// It is called through an object of its type.
    through: bool,
    /// It may be called as if it were a member of this type.
    extends: Option<Ty>,
    /// The other names under which files pass it on.
    also: RefCell<BTreeSet<String>>,
}

impl Resolver<'_> {
    /// What the calls of a function pass for the parameter that is named at a place; `None` if none is. `see` is shown each.
    ///
    /// # Errors
    /// Why not all of its calls can be known, as a note says it.
    pub fn known_calls(
        &self,
        at: Span,
        see: &mut dyn FnMut(&KnownCall<'_>),
    ) -> Result<Option<KnownCalls>, String> {
        let Some((function, place)) = self.parameter_at(at) else { return Ok(None) };
        let own = function.name.ok_or("the function that takes it has no name to be called by")?;
        let name = own.of(self.text);
        self.is_called_by_others(&function, own)?;
        let makes = function.makes || name == self.language.typing.calls.constructor;
        let member = |t: &&TypeDecl| makes || t.members.iter().any(|m| m.at == own);
        let t = self.facts.types_at(own.start).find(member);
        let made = t.filter(|_| makes).and_then(|t| t.path.last()).cloned();
        let visible = match t.filter(|_| makes) {
            Some(t) => self.visible(t.at, t.at.of(self.text)),
            None => self.visible(own, name),
        };
        let types = match t {
            Some(t) => self.told_apart(t, own, &function)?,
            None => None,
        };
        let param = function.params[place].name.map_or("", |n| n.of(self.text));
        let through = function.items.len() > function.params.len();
        let first = function.params.first();
        let extends = first.filter(|p| {
            self.language.names.extensions && p.span.of(self.text).starts_with("this ")
        });
        let called = Called {
            name,
            made,
            visible,
            function: &function,
            place,
            param,
            types,
            through,
            extends: extends.and_then(|p| p.ty.as_ref()).map(|(_, ty)| ty.clone()),
            also: RefCell::default(),
        };
        let mut out = KnownCalls {
            function: called.made.clone().unwrap_or_else(|| name.to_owned()),
            all: 0,
            giving: 0,
            doubts: Vec::new(),
        };
        out.doubts.extend(t.filter(|_| !makes).and_then(|t| self.unknown_super(t, name)));
        self.calls_here(&called, Some(own), None, &mut out, see)?;
        if called.visible.is_some() {
            self.calls_elsewhere(&called, &mut out, see)?;
        }
        if out.all == 0 {
            return Err(format!("no call of `{}` is known", out.function));
        }
        Ok(Some(out))
    }

    /// The function is called by code that is not in the project, or in place of another.
    fn is_called_by_others(&self, function: &FunctionSite, own: Span) -> Result<(), String> {
        let name = own.of(self.text);
        let head = Span { start: function.span.start, end: own.start.max(function.span.start) };
        let words = head.of(self.text).split(|c: char| !c.is_alphanumeric());
        let mut words = words.map(str::to_lowercase);
        if words.any(|w| w == "override") || self.overrides(own) {
            return Err(format!("`{name}` overrides a member of what its type is built on"));
        }
        let Some(path) = self.path else { return Ok(()) };
        let exports = &self.language.exports;
        let Some(package) = (exports.published)(path, self.project.files()) else { return Ok(()) };
        let head = |span: Span, name: Span| {
            let line = self.text[..span.start as usize].rfind('\n').map_or(0, |i| i + 1);
            &self.text[line..name.start as usize]
        };
        let around: Vec<&TypeDecl> = self.facts.types_at(own.start).collect();
        let shown = |span: Span, at: Span, member: bool| {
            let name = at.of(self.text);
            (exports.shown)(head(span, at), name, member)
                || !member && self.facts.exports.iter().any(|e| e.inside == name)
        };
        let all = self.facts.is_outer(own)
            && shown(function.span, own, !around.is_empty())
            && around.iter().all(|t| t.extends || shown(t.span, t.at, false));
        if all {
            return Err(format!("`{name}` is exported from the package `{package}`"));
        }
        Ok(())
    }

    /// The types that tell a member from others of its name; `None` if there are no others.
    fn told_apart(
        &self,
        t: &TypeDecl,
        own: Span,
        function: &FunctionSite,
    ) -> Result<Option<Vec<Ty>>, String> {
        let name = own.of(self.text);
        let same = t.members_called(name).count();
        if same < 2 || !self.language.typing.calls.overloads {
            return Ok(None);
        }
        let types: Option<Vec<Ty>> = function
            .params
            .iter()
            .map(|p| p.ty.as_ref().filter(|_| !p.optional && !p.rest).map(|(_, ty)| ty.clone()))
            .collect();
        let makes = function.makes || name == self.language.typing.calls.constructor;
        match types.filter(|_| !makes) {
            Some(types) => Ok(Some(types)),
            None => Err(format!("`{name}` has other overloads, which its calls may mean")),
        }
    }

    /// What a type is built on and nothing is known of may call its members.
    fn unknown_super(&self, t: &TypeDecl, name: &str) -> Option<Fact> {
        let known = |s: &String| {
            self.project.type_of(s).is_some()
                || self.project.file_of(self.language, s).is_some()
                || self.project.learned(self.language, s).is_some()
                || self.project.is_standard(self.language, s)
        };
        let supers = self.supers_of(t);
        let unknown = supers.iter().find(|s| !s.symbols().iter().any(known))?;
        let unknown = unknown.symbols().first()?;
        let text = format!("`{unknown}` is not known, and may call `{name}`");
        Some(Fact { says: Certainty::Likely, text, at: None })
    }

    fn calls_elsewhere(
        &self,
        called: &Called<'_>,
        out: &mut KnownCalls,
        see: &mut dyn FnMut(&KnownCall<'_>),
    ) -> Result<(), String> {
        let files = self.project.files();
        let mut words = vec![called.made.as_deref().unwrap_or(called.name).to_owned()];
        let mut seen: BTreeSet<RelPath> = self.path.cloned().into_iter().collect();
        let mut next = 0;
        while let Some(word) = words.get(next).cloned() {
            next += 1;
            for path in files.holding(&word) {
                if !self.language.reads(&path) || !seen.insert(path.clone()) {
                    continue;
                }
                let Some(text) = files.whole(&path) else { continue };
                let tree = Tree::parse_file(self.language, &path, &text);
                let facts = FileFacts::of_file(self.language, &tree, &text, &path, files);
                let there = Resolver::new(self.language, &facts, self.project, &tree, &text);
                let there = there.in_file(&path);
                there.calls_here(called, None, Some(&path), out, see)?;
            }
            let also = called.also.borrow();
            words.extend(also.iter().filter(|w| !words.contains(w)).cloned().collect::<Vec<_>>());
        }
        Ok(())
    }

    /// The calls in this file.
    fn calls_here(
        &self,
        called: &Called<'_>,
        own: Option<Span>,
        path: Option<&RelPath>,
        out: &mut KnownCalls,
        see: &mut dyn FnMut(&KnownCall<'_>),
    ) -> Result<(), String> {
        let line = |at: Span| match path {
            Some(path) => format!("on line {} of {path}", Lines::new(self.text).line(at.start)),
            None => format!("on line {}", Lines::new(self.text).line(at.start)),
        };
        let name = &out.function.clone();
        for word in self.named_here(called, own) {
            if self.brings_or_passes_on(called, &word) {
                continue;
            }
            let at = word.span;
            if word.space == Space::Declared {
                let owner = called.visible.as_ref().and_then(|v| v.owner.as_ref());
                let around = self.facts.types_at(at.start).next().map(|t| self.own_name(t));
                // Another overload of the same type is no override.
                if owner.is_some() && around.as_ref() != owner {
                    return Err(format!("`{name}` is overridden {}", line(at)));
                }
                continue;
            }
            let Some(call) = self.call_site(at).filter(|_| !self.leads_on(at)) else {
                // A type is named for many reasons.
                if called.made.is_some() && self.is_type_there(&word) {
                    continue;
                }
                return Err(format!("`{name}` is used without a call {}", line(at)));
            };
            if let Some(types) = &called.types {
                let wanted: Vec<Wanted> = types.iter().cloned().map(Into::into).collect();
                match self.overload(at, &wanted) {
                    Overload::Not => continue,
                    Overload::Is => {}
                    _ => {
                        return Err(format!("which `{name}` is called {} is not known", line(at)));
                    }
                }
            }
            if let Some(doubt) = self.may_be_another(called, &word) {
                out.doubts.push(doubt);
                continue;
            }
            let given = self.given(called, &word, &call).ok_or_else(|| {
                format!("which arguments `{name}` is given {} is not known", line(at))
            })?;
            out.all += 1;
            out.giving += usize::from(!given.is_empty());
            see(&KnownCall { resolver: self, tree: self.tree, text: self.text, given });
        }
        if let Some(made) = &called.made {
            let owner = called.visible.as_ref().map(|v| &v.symbol);
            let built = |t: &&TypeDecl| {
                let supers = self.supers_of(t);
                let is = |s: &String| Some(s) == owner || self.language.names.last(s) == made;
                !t.extends && supers.iter().any(|s| s.symbols().iter().any(is))
            };
            if let Some(t) = self.facts.types.iter().find(built) {
                return Err(format!("`{}` is built on `{made}`", t.at.of(self.text)));
            }
        }
        Ok(())
    }

    /// The places of this file that name a function.
    fn named_here(&self, called: &Called<'_>, own: Option<Span>) -> Vec<Word> {
        let name = called.made.as_deref().unwrap_or(called.name);
        let words = |n: &str| self.facts.words(n).to_vec();
        let mut out = Vec::new();
        if let Some(visible) = &called.visible {
            let uses = self.uses_of(visible, self.text);
            let all = uses.iter().flat_map(|u| words(u.of(self.text)));
            out.extend(all.filter(|w| uses.contains(&w.span)));
            // Another file passes it on under a name of its own.
            let also = called.also.borrow();
            for i in self.facts.imports.iter().filter(|_| !also.is_empty()) {
                let Some(local) = i.local().filter(|l| !i.aliased() && *l != name) else {
                    continue;
                };
                let at = i.span.end;
                if self.means(&[local], Space::Value, at, &visible.symbol).is_some() {
                    out.extend(words(local));
                }
            }
        }
        if let Some(ty) = &called.extends {
            let fits = |w: &Word| {
                let of = w.receiver.map(|r| self.type_at(r));
                of.is_some_and(|of| {
                    of.is_none_or(|of| self.fits(&of.ty, ty) != Some(false) && !of.ty.is_named())
                })
            };
            out.extend(words(name).into_iter().filter(fits));
        }
        let member = called.visible.as_ref().is_some_and(|v| v.owner.is_some());
        if let Some(own) = own.filter(|_| !member || called.made.is_some()) {
            let spaces = [Space::Value, Space::Callable, Space::Type];
            let declared = match &called.made {
                Some(_) => self.facts.types_at(own.start).next().map(|t| t.at),
                None => Some(own),
            };
            let is = |w: &Word| {
                let alone = w.receiver.is_none() && w.path_start == w.span.start && !w.key;
                let found = self.facts.lookup(name, &spaces, w.span.start).map(|d| d.at);
                alone && found == declared && Some(w.span) != declared
            };
            out.extend(words(name).into_iter().filter(is));
        }
        out.retain(|w| Some(w.span) != own);
        out.sort_by_key(|w| w.span.start);
        out.dedup_by_key(|w| w.span);
        out
    }

    /// True if a member of what is named there is what stands behind it.
    fn leads_on(&self, at: Span) -> bool {
        let rest = self.text[at.end as usize..].trim_start().trim_start_matches(['?', '!']);
        let names = &self.language.names;
        let generic = rest.strip_prefix(names.separator).is_some_and(|r| r.starts_with('<'));
        let leads = rest.starts_with(names.separator) || rest.starts_with('.');
        leads && !generic
    }

    /// A name that says the type of something, or leads to a member of it.
    fn is_type_there(&self, word: &Word) -> bool {
        let fields = self.language.declares.fields;
        let path = crate::tree::descend(self.tree.root(), word.span);
        word.space == Space::Type
            || self.leads_on(word.span)
            || path.iter().any(|(_, field)| field.is_some_and(|f| fields.contains(&f)))
    }

    /// A name that only brings the function into the file, or passes it on to others, whose uses of it are seen there.
    fn brings_or_passes_on(&self, called: &Called<'_>, word: &Word) -> bool {
        let mut imports = self.facts.imports.iter().filter(|i| i.span.contains(word.span));
        if let Some(import) = imports.next() {
            let own = std::iter::once(import).chain(imports).filter(|i| i.aliased());
            called.also.borrow_mut().extend(own.filter_map(|i| i.local().map(str::to_owned)));
            return true;
        }
        if self.facts.strings.iter().any(|s| s.contains(word.span)) {
            return true;
        }
        let exports = &self.language.exports;
        let name = word.span.of(self.text);
        let mut node = self.leaf(word.span);
        while let Some(n) = node {
            if exports.export_kinds.contains(&n.kind()) {
                let listed = (exports.read_exports)(n, self.text);
                let mut own = listed.into_iter().filter(|e| e.inside == name).peekable();
                if own.peek().is_some() {
                    let others = own.map(|e| e.outside).filter(|o| o != name);
                    called.also.borrow_mut().extend(others);
                    return true;
                }
            }
            node = n.parent();
        }
        false
    }

    /// Why a call may be one of another function.
    fn may_be_another(&self, called: &Called<'_>, word: &Word) -> Option<Fact> {
        let owner = called.visible.as_ref().filter(|_| called.made.is_none())?.owner.as_ref()?;
        let known = word.receiver.and_then(|r| self.type_at(r)).is_some();
        match self.member_of(word, self.text, &|o| o == owner, &[]) {
            Owner::Not if called.extends.is_some() && known => None,
            Owner::Unknown(_) | Owner::Partly(_) | Owner::Not => {
                let line = Lines::new(self.text).line(word.span.start);
                let place = self.path.map_or(String::new(), |p| format!(" of {p}"));
                let name = called.name;
                let text = format!("what is called on line {line}{place} may be `{name}` too");
                Some(Fact { says: Certainty::Likely, text, at: None })
            }
            _ => None,
        }
    }

    /// The arguments that a call gives for the parameter; `None` if that cannot be told.
    fn given(&self, called: &Called<'_>, word: &Word, call: &CallSite) -> Option<Vec<Span>> {
        let rest = called.function.params[called.place].rest;
        // Through the type itself the object is the first argument.
        let mut place = called.place;
        let apart = self.language.names.paths_apart;
        let named = || {
            let told = word.receiver.and_then(|r| self.type_at(r));
            told.is_some_and(|t| t.ty.is_named())
        };
        if called.through && called.made.is_none() {
            let before = self.text[..word.span.start as usize].trim_end();
            match apart && before.ends_with(self.language.names.separator) {
                true => place += 1,
                false if named() => return None,
                false => {}
            }
        }
        // As a member of the type that it extends, it has its object before the dot.
        if called.extends.is_some() && !named() {
            match place.checked_sub(1) {
                Some(next) => place = next,
                None => return Some(word.receiver.into_iter().collect()),
            }
        }
        let mut given = Vec::new();
        let mut next = 0;
        for a in &call.arguments {
            match a.name {
                _ if a.spread => {
                    // One before it is told; what it holds itself is not.
                    return (!given.is_empty() && !rest).then_some(given);
                }
                Some(key) if key.of(self.text) == called.param => given.push(a.value),
                Some(_) => {}
                None => {
                    let fits = next == place || rest && next > place;
                    given.extend(fits.then_some(a.value));
                    next += 1;
                }
            }
        }
        Some(given)
    }
}
