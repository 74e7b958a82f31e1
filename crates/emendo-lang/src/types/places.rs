//! All functions, types of functions and calls of a file, as places.

use crate::tree::Node;
use emendo_text::Span;

use crate::ground::Certainty;
use crate::language::{FunctionTypeRule, Gives, Space};
use crate::resolver::Resolver;
use crate::tree::{children, span, walk};
use crate::tree::{function_rule, in_field, named, part};
use crate::ty::{MemberType, Ty, TypeAnswer};
use crate::types::{CallSite, FunctionSite};

/// A type of functions, with types for parameters.
#[derive(Clone, Debug)]
pub struct FunctionTypeSite {
    /// The list of parameters, brackets included.
    pub list: Span,
    /// The parameters: where each stands, and what it is.
    pub params: Vec<(Span, Ty)>,
    /// What else stands in the list: the type that it gives.
    pub more: bool,
}

/// A call, with the function that it calls.
#[derive(Clone, Debug)]
pub struct CallPlace {
    /// The function's own name.
    pub name: Span,
    /// The call.
    pub site: CallSite,
    /// The function.
    pub callee: Callee,
}

/// The function that a call calls.
#[derive(Clone, Debug)]
pub enum Callee {
    /// It is declared, or told of.
    Resolved {
        /// What it takes.
        params: Vec<TakenSite>,
        /// What a closure among its arguments is called with, where that is told apart.
        lambda: Vec<Ty>,
        /// How sure it is that this function is meant.
        says: Certainty,
        /// Its full symbol; empty where it is one of the place's own.
        symbol: String,
    },
    /// It takes arguments that nothing tells of; the symbols that it may be.
    Elsewhere(Vec<String>),
    /// Nothing tells.
    Unknown,
}

/// A macro's arguments, where they are loose tokens.
#[derive(Clone, Debug)]
pub struct MacroSite {
    /// The macro's name.
    pub name: Span,
    /// Its arguments, brackets included.
    pub list: Span,
    /// What stands between the separators.
    pub pieces: Vec<Span>,
}

/// A parameter of a function that is called.
#[derive(Clone, Debug)]
pub struct TakenSite {
    /// Its name.
    pub name: Option<String>,
    /// Its type.
    pub ty: Ty,
    /// Its type as it is declared, before parameters of types stood for anything.
    pub plain: Ty,
    /// It may be left out.
    pub optional: bool,
    /// It takes all arguments that are left.
    pub rest: bool,
}

/// Types that are looked through, one built on another.
const MOST_BASES: usize = 16;

impl<'a> Resolver<'a> {
    /// All functions with a list of parameters: declared ones, closures, and types of functions with names for
    /// parameters.
    pub fn functions(&self) -> Vec<FunctionSite> {
        let rules = self.language.typing.calls.functions;
        let mut out = Vec::new();
        self.each_node(&mut |n| {
            if rules.iter().any(|f| f.kind == n.kind()) {
                out.extend(self.function_of(n));
            }
        });
        out
    }

    /// What stands before the name of the innermost function with a name around a place.
    pub fn head_around(&self, at: Span) -> &'a str {
        let mut around = self.leaf(at).and_then(|l| l.parent());
        while let Some(node) = around {
            let rule = function_rule(self.language, node);
            if let Some(name) = rule.and_then(|r| in_field(node, r.name)) {
                return Span::new(node.start_byte(), name.start_byte()).of(self.text);
            }
            around = node.parent();
        }
        ""
    }

    /// True for a member of the type that is expected where it stands, behind a sign.
    pub fn is_expected_word(&self, at: Span) -> bool {
        let kinds = self.language.words.expected_members;
        self.leaf(at).and_then(|l| l.parent()).is_some_and(|p| kinds.contains(&p.kind()))
    }

    /// The functions that make an object of a type of this file, with the type's symbol.
    pub fn makers(&self) -> Vec<(String, FunctionSite)> {
        let mut out = Vec::new();
        let overriding = self.language.typing.calls.overriding;
        // What is added to a type may make objects of it.
        let adds = self.language.names.inherits;
        for t in self.facts.types.iter().filter(|t| adds || !t.extends) {
            let Some(own) = self.around(t).into_iter().next() else { continue };
            for f in self.maker_nodes(t).into_iter().filter_map(|n| self.function_of(n)) {
                let head = Span { start: f.span.start, end: f.list.start }.of(self.text);
                if head.split_whitespace().any(|w| overriding.contains(&w)) {
                    out.extend(self.bases_of(t).into_iter().map(|s| (s, f.clone())));
                }
                out.push((own.clone(), f));
            }
        }
        out
    }

    /// The symbols of all that a type is built on, as far as the project tells.
    fn bases_of(&self, t: &crate::facts::TypeDecl) -> Vec<String> {
        let mut all: Vec<String> = self.around(t).into_iter().skip(1).collect();
        let mut next = 0;
        while let Some(symbol) = all.get(next).cloned().filter(|_| next < MOST_BASES) {
            next += 1;
            let supers = self.project.type_of(&symbol).map(|t| t.supers.clone());
            let more: Vec<String> = supers.into_iter().flatten().flatten().collect();
            all.extend(more.into_iter().filter(|s| !all.contains(s)).collect::<Vec<_>>());
        }
        all
    }

    /// Calls that make an object by what makes one of another type, or otherwise: `super(...)`, with that type's symbols.
    pub fn passing_on(&self) -> Vec<(Vec<String>, CallSite)> {
        let mut out = Vec::new();
        self.each_node(&mut |n| {
            if self.callee_rule(n).is_some()
                && let Some(of) = self.passed_to(n)
            {
                out.extend(self.call_of(n).map(|c| (of.symbols().to_vec(), c)));
            }
        });
        out
    }

    /// All types of functions with types for parameters.
    pub fn function_types(&self) -> Vec<FunctionTypeSite> {
        let rules = self.language.typing.calls.function_types;
        let mut out = Vec::new();
        if rules.is_empty() {
            return out;
        }
        self.each_node(&mut |n| {
            let fits = rules.iter().filter(|r| r.kind == n.kind());
            out.extend(fits.filter_map(|r| self.function_type_of(n, r)));
        });
        out
    }

    fn function_type_of(
        &self,
        node: Node<'a>,
        rule: &FunctionTypeRule,
    ) -> Option<FunctionTypeSite> {
        let syntax = &self.language.typing.syntax;
        let text = span(node).of(self.text);
        let head = text.split(syntax.generic.0).next().unwrap_or(text).trim();
        let head = self.language.names.last(head);
        let delegate = syntax.delegates.iter().find(|d| d.name == head);
        if rule.named && delegate.is_none() && !syntax.callables.contains(&head) {
            return None;
        }
        let step = |n: Node<'a>, way: &&str| {
            let child = n.child_by_field_name(way);
            child.or_else(|| named(n).into_iter().find(|c| c.kind() == *way))
        };
        let list = rule.list.iter().try_fold(node, step)?;
        let mut items = named(list);
        let more = delegate.is_some_and(|d| d.gives);
        if more {
            items.pop();
        }
        let one = |n: Node<'a>| {
            let (_, ty) = self.param_parts(n);
            let ty = ty.filter(|t| t.id() != n.id()).unwrap_or(n);
            (span(n), self.written(ty))
        };
        let params = items.into_iter().map(one).collect();
        Some(FunctionTypeSite { list: span(list), params, more })
    }

    /// All calls with a list of arguments.
    pub fn calls(&self) -> Vec<CallPlace> {
        let mut out = Vec::new();
        self.each_node(&mut |n| {
            if self.callee_rule(n).is_some() {
                out.extend(self.call_place(n));
            }
        });
        out
    }

    /// All macros with arguments that are loose tokens.
    pub fn macros(&self) -> Vec<MacroSite> {
        let mut out = Vec::new();
        self.each_node(&mut |n| {
            let layer = self.language.grammar.layer.as_ref().filter(|l| l.kind == n.kind());
            let Some((layer, up)) = layer.zip(n.parent()) else { return };
            let Some(name) = named(up).into_iter().next().filter(|_| up.kind() == layer.parent)
            else {
                return;
            };
            let mut pieces: Vec<Span> = Vec::new();
            let mut open = false;
            let inner = children(n);
            let inner = inner.get(1..inner.len().saturating_sub(1)).unwrap_or(&[]);
            for c in inner {
                let whole = span(*c);
                if whole.of(self.text) == layer.separator {
                    open = false;
                    continue;
                }
                match pieces.last_mut().filter(|_| open) {
                    Some(last) => *last = last.hull(whole),
                    None => pieces.push(whole),
                }
                open = true;
            }
            out.push(MacroSite { name: self.last_name(name), list: span(n), pieces });
        });
        out
    }

    /// Visits the nodes of the tree and its layers.
    fn each_node(&self, visit: &mut dyn FnMut(Node<'a>)) {
        for root in self.tree.roots() {
            walk(root.node, |n| {
                if n.is_named() {
                    visit(n);
                }
                true
            });
        }
    }

    pub(super) fn call_place(&self, call: Node<'a>) -> Option<CallPlace> {
        let site = self.call_of(call)?;
        let rule = self.callee_rule(call)?;
        let passed = self.passed_to(call);
        let function = part(call, rule.function).filter(|_| passed.is_none());
        let name = match function {
            Some(f) => self.last_name(f),
            None => Span { start: site.span.start, end: site.list.start },
        };
        let callee = self.told_callee(call, passed, name, &site);
        Some(CallPlace { name, site, callee })
    }

    /// The last name in what is called.
    fn last_name(&self, function: Node<'a>) -> Span {
        let function = self.bare(function);
        let inner = match self.language.typing.gives(function.kind()) {
            Some(Gives::Member(_, name)) => part(function, name),
            _ => None,
        };
        let mut node = self.bare(inner.unwrap_or(function));
        while let Some(last) = named(node).into_iter().rfind(|n| {
            let text = span(*n).of(self.text);
            !text.starts_with(self.language.typing.syntax.generic.0)
        }) {
            node = last;
        }
        span(node)
    }

    fn told_callee(
        &self,
        call: Node<'a>,
        passed: Option<Ty>,
        name: Span,
        site: &CallSite,
    ) -> Callee {
        let word = name.of(self.text);
        if let Some((known, of)) = self.callee(call)
            && let Some((one, sure)) = self.choose(&known, call)
        {
            let Some(params) = &one.params else { return self.called_type(&one.gives, of) };
            let alike =
                known.all.iter().all(|m| m.params.as_ref().map(Vec::len) == Some(params.len()));
            let says = of.min(known.says).min(one.says);
            let says = if sure || alike { says } else { says.min(Certainty::Likely) };
            let params = self.taken_sites(one, name, site.arguments.len());
            let symbol = self.callee_symbol(known.owner.clone(), passed.is_some(), name);
            return Callee::Resolved { params, lambda: one.lambda.clone(), says, symbol };
        }
        let Some(function) = self.callee_rule(call).and_then(|r| part(call, r.function)) else {
            return Callee::Unknown;
        };
        let function = self.bare(function);
        let object = match self.language.typing.gives(function.kind()) {
            Some(Gives::Member(of, _)) => part(function, of),
            _ => call.child_by_field_name(self.callee_rule(call).map_or("", |r| r.object)),
        };
        let told = match object {
            Some(o) => self.type_of(o),
            None if self.language.declares.hints.own.contains(&word) => None,
            None => self.outer_object(function),
        };
        match told {
            Some(told) => self.callee_of_type(&told, word),
            None => self.callee_by_path(function),
        }
    }

    /// What a function takes, as a call sees it.
    fn taken_sites(&self, one: &MemberType, name: Span, arguments: usize) -> Vec<TakenSite> {
        let taken = |(i, p): (usize, &crate::ty::Takes)| TakenSite {
            name: p.name.clone(),
            ty: p.ty.clone(),
            plain: one.plain_params().get(i).map_or(Ty::Unknown, |p| p.ty.clone()),
            optional: p.optional,
            rest: p.rest,
        };
        let all = one.params.iter().flatten();
        let mut params: Vec<TakenSite> = all.enumerate().map(taken).collect();
        // Called through its type, the object itself is the first argument.
        let through = self.language.declares.hints.made_below
            && arguments == params.len() + 1
            && self.text[..name.start as usize].ends_with(self.language.names.separator);
        if through {
            params.insert(0, taken_as(Ty::Itself, Ty::Itself));
        }
        params
    }

    /// The symbol of a function by the type that declares it, if one does.
    fn callee_symbol(&self, owner: String, passed: bool, name: Span) -> String {
        let names = &self.language.names;
        let word = name.of(self.text);
        if owner.is_empty() {
            return self.own_symbol(word, name).unwrap_or_default();
        }
        if passed || names.last(&owner) == word {
            return owner;
        }
        names.member(&owner, word)
    }

    /// A function of an object whose type does not tell of it.
    fn callee_of_type(&self, told: &TypeAnswer, word: &str) -> Callee {
        let invoke = self.language.typing.built_in.invoke;
        if word == invoke && self.as_function(&told.ty).is_some() {
            return self.called_type(&told.ty, told.says);
        }
        // What is known is meant, of several.
        let all = told.ty.symbols();
        let known: Vec<&String> = all.iter().filter(|s| self.is_known_type(s)).collect();
        let of: Vec<&String> = if known.is_empty() { all.iter().collect() } else { known };
        if of.is_empty() {
            return Callee::Unknown;
        }
        let names = &self.language.names;
        Callee::Elsewhere(of.iter().map(|s| names.member(s, word)).collect())
    }

    /// A function by its written path, which no object tells of.
    fn callee_by_path(&self, function: Node<'a>) -> Callee {
        let names = &self.language.names;
        let text = span(function).of(self.text);
        let path: Vec<&str> = text.split(names.separator).map(str::trim).collect();
        let at = function.start_byte() as u32;
        let word = |p: &&str| p.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '$'));
        let plain = text.len() < 300
            && path.iter().all(word)
            && !self.language.declares.hints.own.contains(&path[0]);
        // Functions have names of their own, but a variable of a delegate's type is called by its name.
        if let [name] = path.as_slice()
            && !self.language.typing.syntax.delegates.is_empty()
            && self.facts.lookup(name, &[Space::Value], at).is_some()
            && let Some(told) = self.type_at(span(function))
            && self.as_function(&told.ty).is_some()
        {
            return self.called_type(&told.ty, told.says);
        }
        let known = plain
            && (self.imported_at(path[0], Space::Value, at).is_some()
                || (path.len() > 1 && self.facts.lookup(path[0], &[Space::Value], at).is_none()));
        if known {
            let all = self.candidates(&path, Space::Value, at);
            let told = |s: &&String| self.is_known_type(&names.parent(s));
            let known: Vec<String> = all.iter().filter(told).cloned().collect();
            return Callee::Elsewhere(if known.is_empty() { all } else { known });
        }
        // Where files are modules, a name that nothing makes known is the language's own.
        let built_in = plain
            && self.language.modules.is_some()
            && self.facts.lookup(path[0], &[Space::Value, Space::Callable], at).is_none()
            && !self.facts.imports.iter().any(|i| i.wildcard);
        if built_in { Callee::Elsewhere(Vec::new()) } else { Callee::Unknown }
    }

    /// A value that is called.
    fn called_type(&self, ty: &Ty, says: Certainty) -> Callee {
        let told = self.as_function(ty).zip(self.plain_function(ty));
        let Some(((params, _), plain)) = told else { return Callee::Elsewhere(Vec::new()) };
        let params = params.into_iter().zip(plain).map(|(ty, plain)| taken_as(ty, plain)).collect();
        Callee::Resolved { params, lambda: Vec::new(), says, symbol: String::new() }
    }

    /// The symbol of a function of this file by a call of it.
    fn own_symbol(&self, word: &str, at: Span) -> Option<String> {
        let spaces = [Space::Callable, Space::Value];
        let declared = self.facts.lookup(word, &spaces, at.start)?;
        self.visible(declared.at, word).map(|v| v.symbol)
    }

    /// The type of what is declared under the name at a place.
    pub fn declared_type(&self, name: Span) -> Option<crate::ty::TypeAnswer> {
        self.declared_at(name.of(self.text), name)
    }

    /// The type that is named at a place: as a type, as what a class is built on, or behind the word for making one.
    pub fn type_named(&self, at: Span) -> Option<crate::ty::TypeAnswer> {
        let text = at.of(self.text);
        let lead = text.len() - text.trim_start().len();
        let head = text.split(self.language.typing.syntax.generic.0).next().unwrap_or(text).trim();
        let last = self.language.names.last(head);
        let end = at.start as usize + lead + head.len();
        let name = Span::new(end.checked_sub(last.len())?, end);
        let typed = |w: &crate::facts::Word| w.span == name && w.space == Space::Type;
        let base = || {
            let mut supers = self.facts.types.iter().flat_map(|t| &t.supers);
            supers.any(|(written, place)| written == head && place.meets(at))
        };
        let forms = self.language.fragments.forms;
        let kinds = forms.iter().find(|f| f.0 == "type").map_or(&[][..], |f| f.1);
        let root = self.tree.roots_at(at).last()?.node;
        let node = root.descendant_for_byte_range(at.start as usize, at.end as usize)?;
        let rest = text.get(lead + head.len()..).unwrap_or("").trim();
        let arguments = rest.is_empty() || rest.ends_with(self.language.typing.syntax.generic.1);
        let variable = !arguments
            || head == last
                && self.known_at(head, &[Space::Value, Space::Member], at.start).is_some();
        if variable {
            return None;
        }
        let is_type = self.facts.words(last).iter().any(typed)
            || kinds.contains(&node.kind()) && span(node) == at
            || base();
        is_type.then(|| TypeAnswer::sure(self.read(text, at.start).instance()))
    }

    /// True if the type of what stands at a place is known to have a member itself.
    pub fn has_member(&self, at: Span, name: &str) -> bool {
        self.type_at(at).is_some_and(|told| self.member(&told.ty, name).is_some())
    }

    /// Where the names that a parameter introduces are used.
    pub fn uses_in_param(&self, param: Span) -> Vec<Span> {
        let declared = self.facts.all_words().flat_map(|(_, w)| w).map(|w| w.span);
        let names: Vec<Span> = declared.filter(|w| param.contains(*w)).collect();
        let mut out: Vec<Span> = names.into_iter().flat_map(|n| self.uses_of_param(n)).collect();
        out.sort();
        out.dedup();
        out
    }
}

fn taken_as(ty: Ty, plain: Ty) -> TakenSite {
    TakenSite { name: None, ty, plain, optional: false, rest: false }
}
