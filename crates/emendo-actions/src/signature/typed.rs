//! Every parameter of a type goes: at functions, closures and types of functions, with the arguments of calls and macros.

use emendo_lang::{
    CallPlace, Callee, Certainty, Expected, Fact, FunctionSite, Language, Owner, Space, TakenSite,
    Ty,
};
use emendo_recipe::Action;
use emendo_text::{Diagnostic, Digest, Hasher, RelPath, Span};

use crate::contract::{
    Asks, Change, CompileCx, Declaration, FileCx, Found, Needs, NoteDraft, Runner, Subject, Tie,
    Uses, action_digest,
};
use crate::meaning::Place;
use crate::shared::Head;
use crate::shared::type_of;
use crate::signature::items::{EFFECTS, drop_items, short, warnings};
use crate::signature::lists::used;
use crate::signature::output::{Of, Output};

/// Keys that say what becomes of single parameters, or of results.
const SINGLE: &[&str] =
    &["add", "retype", "order", "label", "result", "returns", "pack", "unpack", "async"];

/// How many parameters of what takes a function are looked at.
const PARAMS: usize = 8;

pub(super) struct TypedRunner {
    head: Head,
    written: String,
    wanted: Ty,
    /// Macros whose own arguments go too.
    macros: Vec<String>,
}

pub(super) fn compile(
    language: &'static Language,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Option<Box<dyn Runner>> {
    let text = action.table.text("parameter_type")?;
    let wanted = type_of(language, text, action, cx)?;
    if wanted.symbols().is_empty() {
        let d = Diagnostic::error(format!("`{}` is not a type by name", text.text), text.span);
        let example = language.names.join(&["a", "b", "Context"]);
        cx.out.push(d.help(format!("write the full name: `{example}`, or a word of `names`")));
        return None;
    }
    if !action.table.is_true("drop") {
        return cx.refuse(
            "it does not say what becomes of parameters of this type",
            text.span,
            "write `drop = true`: they go, with their arguments",
        );
    }
    if let Some(key) = SINGLE.iter().find(|k| action.table.get(k).is_some()) {
        let span = action.table.get(key).map_or(action.span, |n| n.span);
        return cx.refuse(
            format!("`{key}` does not go with `parameter_type`"),
            span,
            format!("write `{key}` in a `signature` with `callable`"),
        );
    }
    let names = &language.names;
    let macros = action.table.texts("callable").into_iter();
    let macros: Vec<String> =
        macros.map(|t| names.last(t.text.trim_end_matches('!')).to_owned()).collect();
    let last: Vec<&str> = wanted.symbols().iter().map(|s| names.last(s)).collect();
    // A file may call what takes the type without naming it.
    let members = cx.recipe.types.iter().flat_map(|t| &t.members);
    let takers = members.filter(|m| last.iter().any(|l| m.key.text.contains(l)));
    let takers = takers.filter_map(|m| m.key.text.split('(').next());
    let words = last.iter().copied().chain(takers).map(|w| vec![w.to_owned()]);
    let needs = Needs::of(words.collect::<Vec<_>>());
    Some(Box::new(TypedRunner {
        head: Head::new("signature", language, action, (needs, cx.tables)),
        written: text.text.clone(),
        wanted,
        macros,
    }))
}

impl Runner for TypedRunner {
    fn asks(&self) -> Asks {
        Asks {
            symbols: self.wanted.symbols().to_vec(),
            subjects: {
                let all = self.wanted.symbols().iter();
                all.map(|s| Subject { symbol: s.clone(), member: false, inherited: true }).collect()
            },
            asks_declarations: true,
            changes_declarations: true,
            follows: true,
            ..self.head.asks()
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.head.covers(path)
    }

    fn declares(&self, cx: &FileCx<'_>) -> Vec<Declaration> {
        let Some(code) = cx.code else { return Vec::new() };
        let p = Place::new(cx, code, 0);
        let mut out: Vec<Declaration> = Vec::new();
        for (symbol, f) in self.with_symbols(&p) {
            let Some(symbol) = symbol else { continue };
            if (0..f.params.len()).any(|i| self.takes(&p, &f, i).is_some()) {
                let visible = emendo_lang::Visible { symbol, owner: None };
                out.push(Declaration { visible, slots: Default::default() });
            }
        }
        out.dedup();
        out
    }

    fn uses(&self, declaration: &Declaration, cx: &FileCx<'_>) -> Uses {
        let name = declaration.visible.name(self.head.language);
        let any = cx.code.is_some_and(|c| !c.facts.words(name).is_empty());
        Uses { any, left: None }
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        let p = Place::new(cx, code, action);
        let mut output = Output { action, out };
        let mut dropped: Vec<String> = Vec::new();
        for (symbol, f) in self.with_symbols(&p) {
            if self.function(&p, symbol.as_deref(), &f, &mut output) {
                dropped.extend(symbol.filter(|_| f.name.is_some()));
            }
        }
        let here = cx.followed.iter().filter(|f| f.leads(action, cx.path));
        dropped.extend(here.map(|f| f.declaration.visible.symbol.clone()));
        dropped.sort();
        dropped.dedup();
        self.references(&p, &dropped, &mut output);
        self.function_types(&p, &mut output);
        for call in p.resolver.calls() {
            self.call(&p, &call, &mut output);
        }
        self.in_macros(&p, &mut output);
    }
}

impl TypedRunner {
    /// The functions of a file, with the names by which other files call them.
    fn with_symbols(&self, p: &Place<'_>) -> Vec<(Option<String>, FunctionSite)> {
        let makers = p.resolver.makers();
        let symbol = |f: &FunctionSite| {
            let made = makers.iter().find(|(_, m)| m.span == f.span).map(|(s, _)| s.clone());
            made.or_else(|| {
                let name = f.name?;
                p.resolver.visible(name, p.text(name)).map(|v| v.symbol)
            })
        };
        p.resolver.functions().into_iter().map(|f| (symbol(&f), f)).collect()
    }

    fn is_wanted(&self, ty: &Ty) -> bool {
        let wanted = self.wanted.symbols();
        matches!(ty, Ty::Of { symbols, named: false, .. } if symbols.iter().any(|s| wanted.contains(s)))
    }

    /// True for one of several types.
    fn is_part(&self, ty: &Ty) -> bool {
        matches!(ty, Ty::Either(all) if all.iter().any(|t| self.is_wanted(t)))
    }

    /// Why a parameter is of the type and goes; `None` if it stays.
    fn takes(&self, p: &Place<'_>, f: &FunctionSite, place: usize) -> Option<Fact> {
        let own = &f.params[place];
        if p.resolver.is_member(f, own) {
            return None;
        }
        let expected = match f.name {
            _ if f.closure => p.resolver.expected_of(f.span, place),
            Some(name) => p.resolver.overridden(name, place),
            None => Expected::Free,
        };
        let written = own.ty.as_ref().map(|(at, ty)| (*at, self.is_wanted(ty)));
        let word = own.name.map_or_else(|| short(p.text(own.span)), |n| p.text(n).to_owned());
        let fact =
            |says, text: String| Some(Fact { says, text, at: Some(own.name.unwrap_or(own.span)) });
        match (expected, written) {
            (_, Some((_, false))) | (Expected::Open, _) => None,
            // One with fewer parameters is done, or never took all.
            (Expected::Declared(ty, count), None) => {
                if !self.is_wanted(&ty) || f.params.len() != count {
                    return None;
                }
                let by = if f.closure { "takes" } else { "is overridden" };
                fact(Certainty::Certain, format!("what {by} here gives it `{word}`"))
            }
            (Expected::Declared(..) | Expected::Free, Some(_)) => {
                let text =
                    format!("`{}` is declared of the type that goes", short(p.text(own.span)));
                fact(Certainty::Certain, text)
            }
            (Expected::Elsewhere(symbols), Some(_)) if self.is_near(&symbols) => {
                let text =
                    format!("`{word}` is of the type that goes, for a function of its library");
                fact(Certainty::Likely, text)
            }
            (Expected::Unknown, Some(_)) => {
                let text = format!(
                    "it is not clear what takes the closure; `{word}` is of the type that goes"
                );
                fact(Certainty::Unsure, text)
            }
            (_, _) => None,
        }
    }

    fn tie(&self, symbol: &str) -> Digest {
        Hasher::new().part("dropped").part(&self.written).part(symbol).finish()
    }

    fn of(&self, tie: Tie) -> Of {
        Of { row: 0, digest: action_digest("signature", &self.written), tie }
    }

    fn function(
        &self,
        p: &Place<'_>,
        symbol: Option<&str>,
        f: &FunctionSite,
        output: &mut Output<'_>,
    ) -> bool {
        let mut facts = Vec::new();
        let (mut gone, mut uses) = (Vec::new(), Vec::new());
        for (i, own) in f.params.iter().enumerate() {
            if let Some((at, ty)) = &own.ty
                && self.is_part(ty)
            {
                let say = format!(
                    "`{}` may be of another type than `{}`: decide whether it goes",
                    short(p.text(own.span)),
                    self.written
                );
                output.out.notes.push(NoteDraft::new(*at, say));
            }
            if p.resolver.is_member(f, own) && own.ty.as_ref().is_some_and(|t| self.is_wanted(&t.1))
            {
                let say = format!(
                    "`{}` is a member too, and stays: decide whether it goes",
                    short(p.text(own.span))
                );
                output.out.notes.push(NoteDraft::new(own.span, say));
            }
            let Some(fact) = self.takes(p, f, i) else { continue };
            facts.push(fact);
            gone.push(own.span);
            uses.extend(used(p, own));
        }
        if gone.is_empty() {
            return false;
        }
        let (mut change, mut tokens) = (Change::default(), Vec::new());
        // The only parameter without brackets stands for the whole list.
        let only = [f.list];
        let items = if f.items.is_empty() { &only[..] } else { &f.items };
        drop_items(p, items, &gone, f.list, &mut change, &mut tokens);
        let provides = symbol.map(|s| self.tie(s));
        let hull = f.name.map_or(f.list, |n| n.hull(f.list));
        output.draft(self.of(Tie { provides, needs: None, uses }), hull, tokens, change, facts);
        true
    }

    /// Functions that are named without a call, where nothing tells that what takes them changes too.
    fn references(&self, p: &Place<'_>, dropped: &[String], output: &mut Output<'_>) {
        let names = &self.head.language.names;
        for symbol in dropped {
            let last = names.last(symbol);
            let owner = names.parent(symbol);
            for w in p.code.facts.words(last) {
                let imported = p.code.facts.imports.iter().any(|i| i.span.contains(w.span));
                let skipped = w.key || matches!(w.space, Space::Declared | Space::Type);
                if imported || skipped || p.resolver.call_site(w.span).is_some() {
                    continue;
                }
                let whole = w.receiver.map_or(w.span, |r| r.hull(w.span));
                let text = p.text(whole);
                let path: Vec<&str> = text.split(names.separator).collect();
                let means = || p.resolver.means(&path, Space::Value, whole.start, symbol).is_some();
                let member = || {
                    let is_owner = |s: &str| s == owner;
                    let of = p.resolver.member_of(w, p.cx.text, &is_owner, p.cx.packages);
                    matches!(of, Owner::Is(_))
                };
                if !means() && !member() {
                    continue;
                }
                let goes = |i: usize| {
                    let expected = p.resolver.expected_of(whole, i);
                    matches!(expected, Expected::Declared(ty, _) if self.is_wanted(&ty))
                };
                if !(0..PARAMS).any(goes) {
                    let say = format!(
                        "`{text}` is named here without a call, and takes no `{}` any more",
                        self.written
                    );
                    output.out.notes.push(NoteDraft::new(w.span, say));
                }
            }
        }
    }

    fn function_types(&self, p: &Place<'_>, output: &mut Output<'_>) {
        for t in p.resolver.function_types() {
            let wanted = t.params.iter().filter(|(_, ty)| self.is_wanted(ty));
            let gone: Vec<Span> = wanted.map(|(at, _)| *at).collect();
            if gone.is_empty() {
                continue;
            }
            let (mut change, mut tokens) = (Change::default(), Vec::new());
            let items: Vec<Span> = t.params.iter().map(|(at, _)| *at).collect();
            let opens = p.text(t.list).starts_with('<');
            if gone.len() == items.len() && opens && !t.more {
                // Nothing is left between the brackets of type arguments: they go too.
                crate::signature::output::release(p, &gone, &mut change);
                change.splices.push(emendo_text::Splice::text(t.list, ""));
                tokens.extend(&gone);
            } else if gone.len() == items.len() && t.more {
                let all = p.code.tree.items_at(t.list.start as usize);
                drop_items(p, &all, &gone, t.list, &mut change, &mut tokens);
            } else {
                drop_items(p, &items, &gone, t.list, &mut change, &mut tokens);
            }
            let text = "a function type takes the type that goes".to_owned();
            let fact = Fact { says: Certainty::Certain, text, at: Some(gone[0]) };
            output.draft(self.of(Tie::default()), t.list, tokens, change, vec![fact]);
        }
    }

    fn call(&self, p: &Place<'_>, call: &CallPlace, output: &mut Output<'_>) {
        let mut gone: Vec<Span> = Vec::new();
        let mut facts: Vec<Fact> = Vec::new();
        let mut needs = None;
        let word = p.text(call.name).trim();
        let mut next = 0;
        for a in &call.site.arguments {
            let place = next;
            next += usize::from(a.name.is_none());
            let told = || p.resolver.type_at(a.value).filter(|t| self.is_wanted(&t.ty));
            let fact = match &call.callee {
                Callee::Resolved { params, says, symbol, .. } => {
                    let key = a.name.map(|k| p.text(k));
                    let Some(taken) = taken_by(params, key, place) else { continue };
                    if !self.is_wanted(&taken.ty) || matches!(taken.plain, Ty::Param(..)) {
                        continue;
                    }
                    // A call that is done has fewer arguments, or others there.
                    let least = params.iter().filter(|t| !t.optional && !t.rest).count();
                    let short_of = call.site.arguments.len() < least;
                    match p.resolver.value_fits(a.value, &self.wanted) {
                        Some(true) => {}
                        None if !short_of => {}
                        _ => continue,
                    }
                    needs = Some(symbol).filter(|s| !s.is_empty()).map(|s| self.tie(s));
                    let text = format!("`{word}` takes `{}` here", short(p.text(a.value)));
                    Fact { says: *says, text, at: Some(a.value) }
                }
                Callee::Elsewhere(symbols) => {
                    let Some(told) = told().filter(|_| self.is_near(symbols)) else { continue };
                    let says = told.says.min(Certainty::Likely);
                    let text = format!("`{word}` is of the library of the type that goes");
                    Fact { says, text, at: Some(a.value) }
                }
                Callee::Unknown => {
                    if told().is_none() {
                        continue;
                    }
                    let text = format!(
                        "it is not clear what `{word}` takes; an argument is of the type that goes"
                    );
                    Fact { says: Certainty::Unsure, text, at: Some(a.value) }
                }
            };
            if a.spread {
                let say = "an argument that stands for several is for a parameter that goes";
                output.out.notes.push(NoteDraft::new(a.span, say));
                return;
            }
            facts.push(fact);
            gone.push(a.span);
            if a.effects {
                let text = format!("`{}` is dropped, and {EFFECTS}", short(p.text(a.value)));
                facts.push(Fact { says: Certainty::Likely, text, at: Some(a.value) });
            }
        }
        if gone.is_empty() {
            return;
        }
        let (mut change, mut tokens) = (Change::default(), Vec::new());
        let items: Vec<Span> = call.site.arguments.iter().map(|a| a.span).collect();
        drop_items(p, &items, &gone, call.site.list, &mut change, &mut tokens);
        for text in warnings(&facts) {
            output.out.notes.push(NoteDraft::new(call.site.list, text));
        }
        let hull = call.name.hull(call.site.list);
        let tie = Tie { needs, ..Tie::default() };
        output.draft(self.of(tie), hull, tokens, change, facts);
    }

    /// True if a function is of the library of the type.
    fn is_near(&self, symbols: &[String]) -> bool {
        let names = &self.head.language.names;
        let roots: Vec<String> = self.wanted.symbols().iter().map(|s| names.package(s)).collect();
        symbols.iter().any(|s| {
            roots.iter().any(|r| {
                let rest = s.strip_prefix(r.as_str());
                !r.is_empty() && rest.is_some_and(|rest| rest.starts_with(['.', ':', '/']))
            })
        })
    }

    fn in_macros(&self, p: &Place<'_>, output: &mut Output<'_>) {
        for m in p.resolver.macros() {
            let wanted =
                |at: &&Span| p.resolver.type_at(**at).is_some_and(|t| self.is_wanted(&t.ty));
            let gone: Vec<Span> = m.pieces.iter().filter(wanted).copied().collect();
            if gone.is_empty() {
                continue;
            }
            let word = p.text(m.name);
            if !self.macros.iter().any(|n| n == word) {
                let say = format!(
                    "the macro `{word}` gets an argument of the type that goes: list it in `callable` if it takes none any more"
                );
                output.out.notes.push(NoteDraft::new(m.list, say));
                continue;
            }
            let (mut change, mut tokens) = (Change::default(), Vec::new());
            drop_items(p, &m.pieces, &gone, m.list, &mut change, &mut tokens);
            let text = format!("`{word}` is listed, and an argument is of the type that goes");
            let fact = Fact { says: Certainty::Certain, text, at: Some(gone[0]) };
            output.draft(self.of(Tie::default()), m.name.hull(m.list), tokens, change, vec![fact]);
        }
    }
}

/// The parameter that an argument is for.
fn taken_by<'p>(params: &'p [TakenSite], key: Option<&str>, place: usize) -> Option<&'p TakenSite> {
    match key {
        Some(key) => params.iter().find(|p| p.name.as_deref() == Some(key)),
        None => params.get(place).or_else(|| params.last().filter(|p| p.rest)),
    }
}
