//! `signature`: parameters and results of a callable change, at its definitions, overrides, calls and returns.
//!
//! `callable.rs` which function and which argument, `targets.rs` the places that mean it, `lists.rs` lists, `packs.rs`
//! and `unpack.rs` parameters that are gathered or taken apart, `results.rs` results and returns, `typed.rs` parameters
//! by their type, `waiting.rs` and `waited.rs` `async`. Making a function async can force its callers to become async;
//! this repeats until nothing changes (`Runner::spreads`, `look/followed.rs`).

mod callable;
mod items;
mod lists;
mod output;
mod packs;
mod results;
mod targets;
mod typed;
mod unpack;
mod waited;
mod waiting;

use emendo_lang::{CallSite, FunctionSite};
use emendo_recipe::{Action, ActionKind, Key, Shape, Text};
use emendo_text::{RelPath, Span};

use self::callable::{Assigned, Callable};
use self::lists::Lists;
use self::packs::Packs;
use self::results::Results;
use self::targets::{Hit, Site, Targets};
use crate::contract::{
    Asks, Change, CompileCx, FileCx, Found, Kind, NoteDraft, Runner, Tie, action_digest,
};
use crate::meaning::Place;
use crate::shared::Head;
use crate::shared::language;
use crate::signature::output::Gathered;
use crate::signature::output::{Of, Output};

/// The kind.
pub(super) static SIGNATURE: Signature = Signature;

pub(super) struct Signature;

const ADD: &[Key] = &[
    Key::required("at", Shape::Integer, "its place in the new list, from 1"),
    Key::new("name", Shape::Text, "its name at definitions"),
    Key::new("type", Shape::Text, "its type at definitions"),
    Key::new("value", Shape::Pattern, "what calls pass"),
];

const RETYPE: &[Key] = &[
    Key::required("at", Shape::Integer, "the parameter's place, from 1"),
    Key::new("from", Shape::Text, "only where it is declared with this type"),
    Key::required("to", Shape::Text, "its type from now on"),
];

const LABEL: &[Key] = &[
    Key::required("at", Shape::Integer, "the parameter's place, from 1"),
    Key::required("to", Shape::Text, "its name from now on, at definitions and in named arguments"),
];

const RESULT: &[Key] = &[
    Key::new("from", Shape::Text, "only where it is declared to give this type"),
    Key::new("type", Shape::Text, "the type that it gives from now on; `@{it}` is the old one"),
    Key::new("wrap", Shape::Text, "what a returned value becomes; `@{it}` is the old one"),
    Key::new(
        "unwrap",
        Shape::Text,
        "what a call becomes whose result is used; `@{it}` is the call",
    ),
    Key::new(
        "matched",
        Shape::Tables(MATCHED),
        "what patterns become that the result is matched with: such a call is not unwrapped",
    ),
];

const MATCHED: &[Key] = &[
    Key::required("old", Shape::Pattern, "a pattern that the result is matched with"),
    Key::required("new", Shape::Pattern, "what it becomes"),
];

const RETURNS: &[Key] = &[
    Key::required("old", Shape::Pattern, "a returned value, or a whole `return` statement"),
    Key::required("new", Shape::Pattern, "what it becomes"),
    Key::new("last", Shape::Bool, "only the last statement of the body"),
];

const KEYS: &[Key] = &[
    Key::new(
        "callable",
        Shape::Texts,
        "the function or method, or a list; with its parameters: `a.b.Store.delete(key: K, boolean)`",
    ),
    Key::new(
        "parameter_type",
        Shape::Text,
        "every parameter of this type, of whatever function; `callable` then lists macros",
    ),
    Key::new(
        "drop",
        Shape::NumbersOrAll,
        "places of parameters that go, from 1; `true` with `parameter_type`",
    ),
    Key::new("add", Shape::Tables(ADD), "parameters that come"),
    Key::new("retype", Shape::Tables(RETYPE), "types of parameters that change at definitions"),
    Key::new("order", Shape::Numbers, "the new order of the parameters, by their old places"),
    Key::new("label", Shape::Tables(LABEL), "names of parameters that change"),
    Key::new(
        "result",
        Shape::Table(RESULT),
        "the result's type, and what returns and calls become",
    ),
    Key::new("returns", Shape::Tables(RETURNS), "what returned values become"),
    emendo_recipe::PLACE[1],
    Key::new(
        "once",
        Shape::Bool,
        "it would change its own result again: what it wrote, according to the journal, is left alone",
    ),
    Key::new("pack", Shape::Table(packs::PACK), "parameters that become one"),
    Key::new("unpack", Shape::Table(packs::UNPACK), "a parameter that becomes several"),
    Key::new(
        "async",
        Shape::Bool,
        "`true`: it is waited for from now on, and callers follow; `false`: it is not any more",
    ),
];

impl ActionKind for Signature {
    fn name(&self) -> &'static str {
        "signature"
    }
    fn about(&self) -> &'static str {
        "changes parameters and results at definitions, overrides, calls and returns"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        true
    }
}

impl Kind for Signature {
    fn more(&self, action: &Action, cx: &mut CompileCx<'_>) -> Vec<Box<dyn Runner>> {
        let beside = !only_waits(action) && action.table.get("parameter_type").is_none();
        beside.then(|| waiting::compile(action, cx)).flatten().into_iter().collect()
    }

    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let language = language(action, cx)?;
        if action.table.get("parameter_type").is_some() {
            return typed::compile(language, action, cx);
        }
        if action.table.is_true("drop") {
            return cx.refuse(
                "`drop = true` does not say which parameters go",
                action.span,
                "write their places, `drop = [1]`, or `parameter_type`",
            );
        }
        let texts: Vec<Text> = action.table.texts("callable").into_iter().cloned().collect();
        if texts.is_empty() {
            return cx.refuse(
                "this action names no callable",
                action.span,
                "write `callable = \"a.b.Store.delete(K, boolean)\"`",
            );
        }
        if only_waits(action) {
            return waiting::compile(action, cx);
        }
        let lists = Lists::compile(language, action, cx)?;
        let packs = Packs::compile(language, action, cx)?;
        let results = Results::compile(language, action, cx)?;
        if lists.is_empty() && results.is_empty() && packs.is_empty() {
            return cx.refuse("nothing of the signature changes", action.span, "write `drop`, `add`, `order`, `retype`, `label`, `pack`, `unpack`, `result` or `async`");
        }
        let once = action.table.is_true("once");
        let mut callables = Vec::new();
        for text in &texts {
            let callable = Callable::compile(language, text, action, cx)?;
            lists.check(&callable, text, once, cx)?;
            packs.check(&callable, text, once, cx)?;
            callables.push(callable);
        }
        let targets = Targets::new(language, callables, action, cx);
        let needs = targets.needs();
        Some(Box::new(SignatureRunner {
            head: Head::new("signature", language, action, (needs, cx.tables)),
            targets,
            lists,
            packs,
            results,
            once,
        }))
    }
}

/// Keys that say what becomes of lists and results.
const CHANGES: &[&str] =
    &["drop", "add", "retype", "order", "label", "pack", "unpack", "result", "returns"];

/// True if nothing but waiting changes.
fn only_waits(action: &Action) -> bool {
    action.table.get("async").is_some() && !CHANGES.iter().any(|k| action.table.get(k).is_some())
}

struct SignatureRunner {
    head: Head,
    targets: Targets,
    lists: Lists,
    packs: Packs,
    results: Results,
    once: bool,
}

impl Runner for SignatureRunner {
    fn asks(&self) -> Asks {
        Asks { once: self.once, ..self.targets.asks(&self.head) }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.head.covers(path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        let place = Place::new(cx, code, action);
        let written = if self.once { crate::contract::written_before(cx) } else { Vec::new() };
        let mut hits = self.targets.hits(&place, out);
        hits.retain(|h| !matches!(h.site, Site::Reference) || self.changes_references());
        hits.retain(|h| !written.iter().any(|w| w.meets(h.site.whole(h.word.span))));
        let mut output = Output { action, out };
        for h in &hits {
            match &h.site {
                Site::Call(call, assigned) => self.call(&place, h, call, assigned, &mut output),
                Site::Definition(f) => self.definition(&place, h, f, &mut output),
                Site::Reference => self.reference(&place, h, &mut output),
            }
        }
        self.imported(&place, &mut output);
    }
}

impl SignatureRunner {
    fn changes_references(&self) -> bool {
        !self.lists.is_empty() || !self.packs.is_empty() || self.results.unwraps()
    }

    fn call(
        &self,
        p: &Place<'_>,
        h: &Hit,
        call: &CallSite,
        assigned: &Assigned,
        output: &mut Output<'_>,
    ) {
        let mut change = Change::default();
        let mut facts = h.facts.clone();
        let mut tokens = Vec::new();
        let callable = &self.targets.callables[h.row];
        if self.is_taken(p, h, callable.params.as_ref().map(Vec::len), output) {
            return;
        }
        let lists =
            self.lists.at_call(p, (callable, call), assigned, &mut change, &mut facts, &mut tokens);
        let packed = lists.and_then(|()| {
            self.packs.at_call(p, (callable, call, assigned), &mut change, &mut facts, &mut tokens)
        });
        let unwrapped = packed
            .and_then(|()| self.results.at_call(p, h.word.span, call, &mut change, &mut tokens));
        if let Err(why) = unwrapped {
            output.out.notes.push(NoteDraft::new(h.word.span, why));
            return;
        }
        for text in items::warnings(&facts) {
            output.out.notes.push(NoteDraft::new(call.list, text));
        }
        let hull = h.word.span.hull(call.list);
        output.draft(self.of(h, Vec::new()), hull, tokens, change, facts);
    }

    /// Imports that say how much the function takes.
    fn imported(&self, p: &Place<'_>, output: &mut Output<'_>) {
        for import in &p.code.facts.imports {
            let of = |c: &callable::Callable| {
                let counted = c.params.as_ref().map(Vec::len);
                c.symbols.iter().any(|s| s == import.path()) && counted == import.count
            };
            let (Some(count), Some(item)) = (import.count, import.item) else { continue };
            let Some(row) = self.targets.callables.iter().position(of) else { continue };
            let Some(new) = self.lists.count_after(count) else { continue };
            let digits = p.text(item).len() - p.text(item).trim_end_matches(char::is_numeric).len();
            let at = Span { start: item.end - digits as u32, end: item.end };
            let mut change = Change::default();
            change.splices.push(emendo_text::Splice::text(at, new.to_string()));
            change.kept.push(item);
            let text = "it is imported on line {line} with how much it takes".to_owned();
            let says = emendo_lang::Certainty::Certain;
            let facts = vec![emendo_lang::Fact { says, text, at: Some(import.span) }];
            let (space, key) = (emendo_lang::Space::Member, true);
            let word = emendo_lang::Word {
                span: item,
                space,
                path_start: item.start,
                receiver: None,
                key,
            };
            let tie = Tie::default();
            let h = Hit { word, row, facts: facts.clone(), tie, site: Site::Reference };
            output.draft(self.of(&h, Vec::new()), item, vec![at], change, facts);
        }
    }

    fn reference(&self, p: &Place<'_>, h: &Hit, output: &mut Output<'_>) {
        let mut change = Change::default();
        let mut facts = h.facts.clone();
        let callable = &self.targets.callables[h.row];
        if self.is_taken(p, h, callable.params.as_ref().map(Vec::len), output) {
            return;
        }
        let plain = self.lists.is_empty() && self.packs.is_empty();
        let written = plain
            .then(|| self.results.at_reference(p, &h.word, callable, &mut change, &mut facts))
            .flatten();
        if let Some((list, labels)) = p.resolver.label_list(h.word.span) {
            if !callable.labeled || labels == callable.labels() {
                let new = self.lists.labels_after(&labels);
                let text: String = new.iter().map(|l| format!("{l}:")).collect();
                let text = format!("({text})");
                if text != p.text(list) {
                    let says = emendo_lang::Certainty::Likely;
                    let of = "what calls it must give it what it takes now".to_owned();
                    facts.push(emendo_lang::Fact { says, text: of, at: None });
                    change.splices.push(emendo_text::Splice::text(list, text));
                    output.draft(self.of(h, Vec::new()), h.word.span, vec![list], change, facts);
                }
            }
            return;
        }
        let count = p.resolver.count_at(h.word.span);
        let other = |at: Span| {
            let counted = callable.params.as_ref().map(Vec::len);
            counted.is_some_and(|n| p.text(at).parse() != Ok(n))
        };
        if count.is_some_and(other) {
            // That of another number of arguments is named.
            return;
        }
        let count = count.filter(|_| self.packs.is_empty());
        let any = emendo_lang::Wanted::from(emendo_lang::Ty::Unknown);
        let unknown = vec![any; callable.params.as_ref().map_or(0, Vec::len)];
        let counted = callable.params.is_some() && p.resolver.language.names.absolute;
        if counted && p.resolver.overload(h.word.span, &unknown) == emendo_lang::Overload::Not {
            return;
        }
        let written = written.or_else(|| {
            let count = count?;
            let new = self.lists.count_after(p.text(count).parse().ok()?)?;
            if !h.word.key {
                let text = format!("what calls it must give it {new} arguments");
                let says = emendo_lang::Certainty::Likely;
                facts.push(emendo_lang::Fact { says, text, at: None });
            }
            change.splices.push(emendo_text::Splice::text(count, new.to_string()));
            Some(h.word.span.hull(count))
        });
        match written {
            Some(whole) => output.draft(self.of(h, Vec::new()), whole, vec![whole], change, facts),
            None => {
                let say = format!(
                    "`{}` is named here without a call: what it takes or gives changes",
                    p.text(h.word.span)
                );
                output.out.notes.push(NoteDraft::new(h.word.span, say));
            }
        }
    }

    fn definition(&self, p: &Place<'_>, h: &Hit, f: &FunctionSite, output: &mut Output<'_>) {
        let mut made = Gathered { facts: h.facts.clone(), ..Gathered::default() };
        let mut notes = Vec::new();
        let callable = &self.targets.callables[h.row];
        if self.is_taken(p, h, Some(f.params.len()), output) {
            return;
        }
        let done = self.lists.at_definition(p, callable, f, &mut made);
        let Gathered { mut change, facts, mut tokens, uses } = made;
        let done = done
            .and_then(|()| self.packs.at_definition(p, callable, f, &mut change, &mut tokens))
            .and_then(|()| self.results.at_definition(p, f, &mut change, &mut tokens, &mut notes));
        let hull = h.word.span.hull(f.list);
        match done {
            Ok(()) => {
                for (at, say) in notes {
                    output.out.notes.push(NoteDraft::new(at, say));
                }
                output.draft(self.of(h, uses), hull, tokens, change, facts);
            }
            Err(why) => output.out.notes.push(NoteDraft::new(h.word.span, why)),
        }
    }

    /// Says so where another function has the name and takes as many as this one will: they would be one. True if so.
    fn is_taken(
        &self,
        p: &Place<'_>,
        h: &Hit,
        count: Option<usize>,
        output: &mut Output<'_>,
    ) -> bool {
        let names = &p.resolver.language.names;
        let Some(old) = count.filter(|_| !names.arity_mark.is_empty()) else { return false };
        let Some(new) = self.lists.count_after(old) else { return false };
        let symbols = &self.targets.callables[h.row].symbols;
        let of_owner =
            |s: &String| p.resolver.counts_in(&names.parent(s), names.last(s), [old, new]);
        if !p.resolver.has_counted(h.word.span, [old, new]) && !symbols.iter().any(of_owner) {
            return false;
        }
        let (name, s) = (p.text(h.word.span), if new == 1 { "" } else { "s" });
        let say = format!(
            "another `{name}` takes {new} argument{s} already: look which of the two is to stay"
        );
        output.out.notes.push(NoteDraft::new(h.word.span, say));
        true
    }

    fn of(&self, h: &Hit, uses: Vec<(String, Vec<Span>)>) -> Of {
        let digest = action_digest("signature", &self.targets.callables[h.row].written);
        Of { row: h.row, digest, tie: Tie { uses, ..h.tie.clone() } }
    }
}
