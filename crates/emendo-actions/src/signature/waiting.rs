//! `async`: a function is waited for from now on, with the functions that call it, or is not any more.

use std::collections::BTreeMap;

use emendo_lang::{Certainty, Fact, FunctionSite, Home, Visible, WaitHead, WaitSite, Waiting};
use emendo_recipe::{Action, Text, Value};
use emendo_text::{Diagnostic, Digest, Hasher, RelPath, Span};

use crate::contract::{
    Asks, CompileCx, Declaration, FileCx, Found, NoteDraft, Runner, SymbolKind, Tie, Uses,
    action_digest,
};
use crate::meaning::{Place, SymbolRunner};
use crate::shared::Head;
use crate::shared::language;
use crate::signature::callable::Callable;
use crate::signature::output::{Of, Output};
use crate::signature::targets::{Site, Targets};

/// How sure a declaration of another file is to change, among what is told of it.
const SURE: &str = "sure";

pub(super) struct WaitRunner {
    pub(crate) head: Head,
    pub(crate) rule: &'static Waiting,
    pub(crate) targets: Targets,
    written: String,
    /// It is waited for from now on.
    on: bool,
}

/// Compiles what `async` asks for; `None` where it is not there, or wrong.
pub(super) fn compile(action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
    let node = action.table.get("async")?;
    let Value::Bool(on) = node.value else { return None };
    let language = language(action, cx)?;
    let Some(rule) = &language.typing.calls.waiting else {
        let d = Diagnostic::error(
            format!("{} has no functions that are waited for", language.title),
            node.span,
        );
        cx.out.push(
            d.help("write `result` with `type`, `wrap` and `unwrap` for what it gives instead"),
        );
        return None;
    };
    let texts: Vec<Text> = action.table.texts("callable").into_iter().cloned().collect();
    let mut callables = Vec::new();
    for text in &texts {
        callables.push(Callable::compile(language, text, action, cx)?);
    }
    let written: Vec<&str> = texts.iter().map(|t| t.text.as_str()).collect();
    let targets = Targets::new(language, callables, action, cx);
    let needs = targets.needs();
    Some(Box::new(WaitRunner {
        head: Head::new("signature", language, action, (needs, cx.tables)),
        rule,
        targets,
        written: written.join(", "),
        on,
    }))
}

/// Where a wait, or a function that waits, comes from.
#[derive(Clone)]
pub(crate) enum Source {
    /// The action's own callables.
    Asked,
    /// A function of this file that becomes one that is waited for.
    Here(usize),
    /// One of another file.
    There(Digest, Certainty),
}

impl Source {
    /// How sure it is, by how sure each function of this file is.
    fn sure(&self, here: &[Certainty]) -> Certainty {
        match self {
            Self::Asked => Certainty::Certain,
            Self::Here(i) => here[*i],
            Self::There(_, says) => *says,
        }
    }
}

/// A function that becomes one that is waited for.
pub(crate) struct Becomes {
    pub(crate) site: FunctionSite,
    pub(crate) head: WaitHead,
    symbol: Option<String>,
    /// What keeps it from being more sure.
    pub(crate) facts: Vec<Fact>,
    pub(crate) tie: Digest,
    pub(crate) needs: Option<Digest>,
    /// It is one because of the action itself, or of a declaration that it stands in for.
    pub(crate) asked: bool,
}

/// A call that is waited for.
pub(crate) struct Wait {
    pub(crate) name: Span,
    pub(crate) site: WaitSite,
    pub(crate) facts: Vec<Fact>,
    pub(crate) source: Source,
    home: Option<usize>,
    pub(crate) needs: Option<Digest>,
}

/// All that becomes of a file.
#[derive(Default)]
struct Spread {
    functions: Vec<Becomes>,
    calls: Vec<Wait>,
    notes: Vec<NoteDraft>,
    /// Uses that can't follow, by what they are uses of.
    left: Vec<(Option<usize>, Span)>,
}

/// A place that means a function.
struct Use {
    name: Span,
    facts: Vec<Fact>,
    tie: Tie,
    site: UseSite,
}

enum UseSite {
    Call(Span),
    Definition(Box<FunctionSite>),
    Reference,
}

impl Runner for WaitRunner {
    fn asks(&self) -> Asks {
        Asks { follows: self.on, spreads: self.on, ..self.targets.asks(&self.head) }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.head.covers(path)
    }

    fn declares(&self, cx: &FileCx<'_>) -> Vec<Declaration> {
        let Some(code) = cx.code else { return Vec::new() };
        let p = Place::new(cx, code, 0);
        let spread = self.spread(&p, &|f| f.users.contains(cx.path));
        let sure = self.certainties(&spread);
        let mut out: Vec<Declaration> = Vec::new();
        for (f, sure) in spread.functions.iter().zip(sure).filter(|(f, _)| !f.asked) {
            let Some(symbol) = f.symbol.clone() else { continue };
            let slots = BTreeMap::from([(SURE.to_owned(), sure.word().to_owned())]);
            out.push(Declaration { visible: Visible { symbol, owner: None }, slots });
        }
        out.dedup();
        out
    }

    fn uses(&self, declaration: &Declaration, cx: &FileCx<'_>) -> Uses {
        let Some(code) = cx.code else { return Uses::default() };
        let p = Place::new(cx, code, 0);
        let uses = self.uses_of(&p, &declaration.visible.symbol);
        let left = uses.iter().find(|u| match u.site {
            UseSite::Call(at) => self.home_of(&p, at).is_err(),
            UseSite::Definition(_) => false,
            UseSite::Reference => true,
        });
        Uses { any: !uses.is_empty(), left: left.map(|u| u.name) }
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        let p = Place::new(cx, code, action);
        if !self.on {
            return self.no_more(&p, &mut Output { action, out });
        }
        let mut spread = self.spread(&p, &|f| f.used_in(action, cx.path));
        for f in cx.followed.iter().filter(|f| f.runner == action && f.path == *cx.path) {
            // Uses in other files that can't follow.
            let own = spread
                .functions
                .iter()
                .position(|b| b.symbol.as_deref() == Some(f.declaration.visible.symbol.as_str()));
            if let Some((i, (path, line))) = own.zip(f.left.as_ref()) {
                let text = format!("a use in {path} line {line} can't wait for it");
                spread.functions[i].facts.push(Fact { says: Certainty::Unsure, text, at: None });
            }
        }
        let sure = self.certainties(&spread);
        let mut output = Output { action, out };
        output.out.notes.append(&mut spread.notes);
        for (f, sure) in spread.functions.iter().zip(&sure) {
            self.becomes(&p, f, *sure, &mut output);
        }
        for w in &spread.calls {
            let of = w.home.map_or(Certainty::Certain, |h| sure[h]);
            let by = w.source.sure(&sure);
            self.waits(&p, w, of.min(by), &mut output);
        }
    }
}

impl WaitRunner {
    pub(crate) fn of(&self, tie: Tie) -> Of {
        Of { row: 0, digest: action_digest("signature waits", &self.written), tie }
    }

    fn tie(&self, symbol: &str) -> Digest {
        Hasher::new().part("waits").part(&self.written).part(symbol).finish()
    }

    /// The places of a file that mean a function of the project.
    fn uses_of(&self, p: &Place<'_>, symbol: &str) -> Vec<Use> {
        let names = &self.head.language.names;
        let member =
            self.head.language.modules.is_none() || names.package(symbol) != names.parent(symbol);
        let what = if member { SymbolKind::Method } else { SymbolKind::Free };
        let finder =
            SymbolRunner::watch(self.head.at_work(), what, vec![symbol.to_owned()], Vec::new());
        let found = finder.meant_places(p, &mut Found::default());
        let imported = |at: Span| p.code.facts.imports.iter().any(|i| i.span.contains(at));
        let found = found.into_iter().filter(|(w, ..)| !w.key && !imported(w.span));
        found.map(|(w, _, facts)| self.use_at(p, w.span, facts, Tie::default())).collect()
    }

    fn use_at(&self, p: &Place<'_>, name: Span, facts: Vec<Fact>, tie: Tie) -> Use {
        let held = || p.resolver.functions().into_iter().find(|f| f.name == Some(name));
        let site = match p.resolver.function_site(name).or_else(held) {
            Some(f) => UseSite::Definition(Box::new(f)),
            None => match p.resolver.call_site(name) {
                Some(call) => UseSite::Call(call.span),
                None => UseSite::Reference,
            },
        };
        Use { name, facts, tie, site }
    }

    /// Where a call stands: the function that must be one that is waited for, or nothing if one may wait there already.
    fn home_of(
        &self,
        p: &Place<'_>,
        call: Span,
    ) -> Result<Option<(FunctionSite, WaitHead)>, String> {
        match p.resolver.home(call) {
            Home::Waits => Ok(None),
            Home::Never(why) => Err(format!("one can't wait in {why}")),
            Home::Function(f) => {
                let head = p.resolver.wait_head(&f)?;
                Ok(head.word.is_none().then_some((*f, head)))
            }
        }
    }

    fn spread(&self, p: &Place<'_>, leads: &dyn Fn(&crate::Followed) -> bool) -> Spread {
        let mut out = Spread::default();
        let mut found = Found::default();
        for h in self.targets.hits(p, &mut found) {
            let site = match h.site {
                Site::Call(call, _) => UseSite::Call(call.span),
                Site::Definition(f) => UseSite::Definition(Box::new(f)),
                Site::Reference => UseSite::Reference,
            };
            let one = Use { name: h.word.span, facts: h.facts, tie: h.tie, site };
            self.add(p, one, &Source::Asked, &mut out);
        }
        out.notes.append(&mut found.notes);
        for f in p.cx.followed.iter().filter(|f| leads(f)) {
            let symbol = &f.declaration.visible.symbol;
            let mut says = match f.declaration.slots.get(SURE).map(String::as_str) {
                Some("certain") => Certainty::Certain,
                Some("likely") => Certainty::Likely,
                _ => Certainty::Unsure,
            };
            if f.left.is_some() {
                says = Certainty::Unsure;
            }
            let source = Source::There(self.tie(symbol), says);
            for one in self.uses_of(p, symbol) {
                self.add(p, one, &source, &mut out);
            }
        }
        // Functions that become such lead to others.
        let mut next = 0;
        while next < out.functions.len() {
            let f = &out.functions[next];
            let (symbol, name) = (f.symbol.clone(), f.site.name);
            let uses = match (&symbol, name) {
                _ if f.asked => Vec::new(),
                (Some(symbol), _) => self.uses_of(p, symbol),
                (None, Some(name)) => {
                    let all = p.resolver.uses_of_param(name).into_iter();
                    all.map(|at| self.use_at(p, at, Vec::new(), Tie::default())).collect()
                }
                (None, None) => Vec::new(),
            };
            for one in uses {
                self.add(p, one, &Source::Here(next), &mut out);
            }
            next += 1;
        }
        out
    }

    /// Takes up a use of a function that is waited for.
    fn add(&self, p: &Place<'_>, one: Use, source: &Source, out: &mut Spread) {
        let of = match source {
            Source::Here(i) => Some(*i),
            _ => None,
        };
        let needs = match source {
            Source::Asked => one.tie.needs,
            Source::Here(i) => Some(out.functions[*i].tie),
            Source::There(tie, _) => Some(*tie),
        };
        match one.site {
            UseSite::Definition(f) => {
                let asked = matches!(source, Source::Asked);
                match p.resolver.wait_head(&f) {
                    Ok(head) => {
                        let i = self.function(p, *f, head, needs, out);
                        out.functions[i].asked |= asked;
                        out.functions[i].facts.extend(one.facts);
                        if asked && let Some(provides) = one.tie.provides {
                            out.functions[i].tie = provides;
                        }
                    }
                    Err(why) => out.notes.push(NoteDraft::new(one.name, why)),
                }
            }
            UseSite::Reference => {
                let say = format!(
                    "`{}` is named here without a call: what it gives is waited for now",
                    p.text(one.name)
                );
                out.notes.push(NoteDraft::new(one.name, say));
                out.left.push((of, one.name));
            }
            UseSite::Call(call) => {
                let Some(site) = p.resolver.wait_site(call).filter(|s| s.waits.is_none()) else {
                    return;
                };
                if out.calls.iter().any(|c| c.site.call == site.call) {
                    return;
                }
                let home = match self.home_of(p, call) {
                    Ok(home) => home,
                    Err(why) => {
                        let say =
                            format!("`{}` must be waited for here, and {why}", p.text(one.name));
                        out.notes.push(NoteDraft::new(one.name, say));
                        out.left.push((of, one.name));
                        return;
                    }
                };
                let mut facts = one.facts;
                if site.optional {
                    let text = "without an object there is nothing to wait for".to_owned();
                    facts.push(Fact { says: Certainty::Likely, text, at: Some(site.call) });
                }
                let home = home.map(|(f, head)| self.function(p, f, head, needs, out));
                let needs = home.map_or(needs, |h| Some(out.functions[h].tie));
                let source = source.clone();
                out.calls.push(Wait { name: one.name, site, facts, source, home, needs });
            }
        }
    }

    /// A function that becomes one that is waited for, once.
    fn function(
        &self,
        p: &Place<'_>,
        site: FunctionSite,
        head: WaitHead,
        needs: Option<Digest>,
        out: &mut Spread,
    ) -> usize {
        if let Some(i) = out.functions.iter().position(|f| f.site.span == site.span) {
            return i;
        }
        let symbol = site.name.and_then(|n| p.resolver.visible(n, p.text(n))).map(|v| v.symbol);
        let mut facts = Vec::new();
        if site.closure && site.name.is_none() && !p.resolver.is_waited(site.span) {
            let text =
                "nothing shows that the function which takes this closure waits for it".to_owned();
            facts.push(Fact { says: Certainty::Unsure, text, at: Some(site.list) });
        }
        if let Some(name) = site.name.filter(|n| p.resolver.overrides(*n)) {
            let text = format!(
                "`{}` stands in for one that is declared elsewhere, and must change there too",
                p.text(name)
            );
            facts.push(Fact { says: Certainty::Unsure, text, at: Some(name) });
        }
        let tie = match &symbol {
            Some(symbol) => self.tie(symbol),
            None => self.tie(&format!("{}:{}", p.cx.path, site.span.start)),
        };
        out.functions.push(Becomes { site, head, symbol, facts, tie, needs, asked: false });
        out.functions.len() - 1
    }

    /// How sure each function is to become one that is waited for: as sure as the surest wait in it.
    fn certainties(&self, spread: &Spread) -> Vec<Certainty> {
        // What nothing is said of sets no bound.
        let own = |facts: &[Fact]| facts.iter().map(|f| f.says).min().unwrap_or(Certainty::Certain);
        let cap = |i: usize, f: &Becomes| match spread.left.iter().any(|l| l.0 == Some(i)) {
            true => Certainty::Unsure,
            false => own(&f.facts),
        };
        let all = spread.functions.iter().enumerate();
        let caps: Vec<Certainty> = all.map(|(i, f)| cap(i, f)).collect();
        let mut sure = vec![Certainty::Unsure; caps.len()];
        loop {
            let before = sure.clone();
            for (i, f) in spread.functions.iter().enumerate() {
                let inside = spread.calls.iter().filter(|c| c.home == Some(i)).map(|c| {
                    let by = c.source.sure(&sure);
                    own(&c.facts).min(by)
                });
                let best = if f.asked { Some(Certainty::Certain) } else { inside.max() };
                sure[i] = sure[i].max(caps[i].min(best.unwrap_or(caps[i])));
            }
            if before == sure {
                return sure;
            }
        }
    }
}
