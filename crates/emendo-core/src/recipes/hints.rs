//! What would hurt although a recipe runs: for authors, as warnings with a place and a way out.

use std::collections::{BTreeMap, BTreeSet, HashMap};

use emendo_recipe::{Action, Recipe, Step, Text, Value, pairs};
use emendo_text::Help;
use emendo_text::{Chunk, Diagnostic, Severity, Span, Template, one_line};

use crate::plan::PlannedAction;
use crate::recipes::check::Checked;
use crate::recipes::example::{UncoveredRow, test};
use crate::recipes::shelf::Shelf;

/// Names that much else is called by.
const COMMON: &[&str] = &[
    "add", "all", "append", "apply", "build", "call", "cancel", "check", "clear", "client",
    "close", "config", "connect", "context", "copy", "count", "create", "data", "delete", "error",
    "event", "execute", "fetch", "file", "filter", "find", "first", "flush", "format", "from",
    "get", "handle", "handler", "has", "id", "init", "insert", "item", "join", "key", "last",
    "len", "length", "level", "list", "listen", "load", "log", "logger", "main", "map", "match",
    "merge", "message", "model", "name", "new", "next", "node", "of", "on", "open", "options",
    "parse", "path", "pop", "print", "process", "push", "put", "query", "read", "reduce",
    "register", "remove", "render", "reset", "response", "request", "result", "run", "save",
    "search", "select", "send", "server", "service", "session", "set", "size", "sort", "start",
    "state", "stop", "store", "test", "text", "time", "to", "type", "update", "url", "user",
    "util", "utils", "value", "values", "view", "wait", "warn", "write",
];

/// Says what would hurt in recipes, one list for each text in the order of [`Checked::messages`]. Of an action that has errors nothing
/// more is said.
pub fn hints(
    checked: &Checked,
    inputs: &BTreeMap<String, String>,
    shelf: &Shelf,
) -> Vec<Vec<Diagnostic>> {
    let mut out: Vec<Vec<Diagnostic>> = checked.messages.iter().map(|_| Vec::new()).collect();
    let failed = checked.failed();
    let mut n = 0;
    for root in &checked.recipes {
        let compiled = (checked.recipes.len() == 1).then_some(&checked.plan);
        let tested =
            (!failed).then(|| test(&checked.plan.world, root, compiled, inputs, shelf).uncovered);
        for (i, recipe) in root.whole().into_iter().enumerate() {
            let own = &mut out[n + i];
            let said = checked.messages.get(n + i).map_or(&[][..], |m| &m.found);
            if said.iter().any(|d| d.code == Some("toml")) {
                continue;
            }
            // Examples of an included recipe are its own business.
            let uncovered = tested.as_deref().filter(|_| i == 0);
            one(checked, recipe, (uncovered, said), own);
            own.sort_by_key(Diagnostic::start);
            own.dedup();
        }
        n += root.whole().len();
    }
    out
}

fn one(
    checked: &Checked,
    recipe: &Recipe,
    (uncovered, said): (Option<&[UncoveredRow]>, &[Diagnostic]),
    out: &mut Vec<Diagnostic>,
) {
    let mut told = Changes::default();
    let faulty = faulty_actions(checked, recipe, said);
    for step in &recipe.steps {
        for action in step.actions.iter().filter(|a| !faulty.contains(&a.span)) {
            let rows = rows(recipe, action);
            same(&rows, action, out);
            Diagnostic::all_about(out, "never");
            slots(&rows, action, out);
            Diagnostic::all_about(out, "slots");
            names(&rows, action, out);
            Diagnostic::all_about(out, "names");
            narrow(checked, recipe, action, out);
            Diagnostic::all_about(out, "wide");
            grows(checked, recipe, action, out);
            Diagnostic::all_about(out, "grows");
            never(&rows, step, action, &told, out);
            Diagnostic::all_about(out, "never");
            undone(&rows, step, action, &mut told, out);
            Diagnostic::all_about(out, "undone");
        }
        if let Some(uncovered) = uncovered {
            untried(recipe, step, uncovered, out);
            Diagnostic::all_about(out, "untried");
        }
        look_alike(recipe, step, &faulty, out);
        Diagnostic::all_about(out, "look-alike");
    }
    unused_inputs(recipe, out);
    Diagnostic::all_about(out, "input");
    let no_step = recipe.steps.is_empty() && !said.iter().any(|d| d.severity == Severity::Error);
    if no_step {
        let d = Diagnostic::warning("the recipe has no step: it changes nothing", Span::at(0));
        out.push(d.about("step").help("add `[[step]]` with an `id`, a `title` and an action"));
    }
}

/// The headers of actions with errors in them, or in a language that there is not.
fn faulty_actions(checked: &Checked, recipe: &Recipe, said: &[Diagnostic]) -> Vec<Span> {
    let actions = || recipe.steps.iter().flat_map(|s| &s.actions);
    let mut starts: Vec<u32> = actions().map(|a| a.span.start).collect();
    starts.extend(recipe.steps.iter().map(|s| s.span.start));
    starts.extend(recipe.examples.iter().map(|e| e.span.start));
    let errors: Vec<u32> =
        said.iter().filter(|d| d.severity == Severity::Error).map(Diagnostic::start).collect();
    let bad = |a: &&Action| {
        let end = starts.iter().filter(|s| **s > a.span.start).min().copied().unwrap_or(u32::MAX);
        let language = a.scope.lang.as_ref().map(|l| checked.plan.world.language(&l.text));
        a.broken
            || language.is_some_and(|l| l.is_none())
            || errors.iter().any(|e| (a.span.start..end).contains(e))
    };
    actions().filter(bad).map(|a| a.span).collect()
}

/// Names that become themselves, where nothing else happens to them.
fn same(rows: &Rows, action: &Action, out: &mut Vec<Diagnostic>) {
    const DOES: &[&str] = &[
        "becomes",
        "imports",
        "rework",
        "gather",
        "follow",
        "version",
        "features",
        "features_add",
        "to",
        "append",
        "remove_item",
        "create",
        "url",
        "id",
    ];
    if DOES.iter().any(|k| action.table.get(k).is_some()) {
        return;
    }
    let key = action.table.text("key").cloned().map(|k| (k, action.table.text("new").cloned()));
    let all = rows.iter().cloned().chain(key);
    for (old, new) in all.filter_map(|(old, new)| Some((old, new?))) {
        if old.text.trim() == new.text.trim() {
            let message =
                format!("`{}` becomes itself: nothing changes", one_line(old.text.trim()));
            let d = Diagnostic::warning(message, new.span);
            out.push(d.help("write what it becomes, or leave it out"));
        }
    }
}

/// A change, with its step.
struct RenamedRow {
    old: String,
    new: String,
    step: String,
    span: Span,
}

/// The changes of the steps so far, by the kind of their action and the old name.
type Changes = HashMap<(&'static str, String), Vec<RenamedRow>>;

/// The old and new names of an action.
type Rows = [(Text, Option<Text>)];

/// The old and new of an action, without what a broken table would say again.
fn rows(recipe: &Recipe, action: &Action) -> Vec<(Text, Option<Text>)> {
    let joint = |_: &str| ".";
    let all = pairs(action, &recipe.source, &joint, &mut Vec::new());
    all.into_iter().map(|p| (p.old, p.new)).collect()
}

fn slots_of(text: &str) -> Vec<String> {
    let chunks = Template::parse(text).map(|t| t.chunks).unwrap_or_default();
    let name = |c: Chunk| match c {
        Chunk::Slot { name, .. } if name != "_" => Some(name),
        _ => None,
    };
    chunks.into_iter().filter_map(name).collect()
}

/// Slots that are lost, and slots that are written more than once.
fn slots(rows: &Rows, action: &Action, out: &mut Vec<Diagnostic>) {
    if !action.kind.writes_slots() {
        return;
    }
    // What is gathered, followed or rewritten, asked around the place or given in a choice is used there.
    let mut used = BTreeSet::new();
    texts(
        &Value::Table(action.table.clone()),
        &["old", "new", "pairs", "slots", "names"],
        &mut used,
    );
    let gathered: BTreeSet<String> = action
        .table
        .tables("gather")
        .iter()
        .flat_map(|g| g.0.entries.iter().map(|e| e.key.clone()))
        .collect();
    for (old, new) in rows {
        let Some(new) = new.as_ref().filter(|n| !n.text.trim().is_empty()) else { continue };
        let (from, to) = (slots_of(&old.text), slots_of(&new.text));
        for slot in from.iter().collect::<BTreeSet<_>>() {
            let elsewhere = used.iter().any(|t| t.contains(&format!("@{{{slot}")) || *t == *slot);
            // Who says what a slot holds knows what is dropped.
            let told = action.table.table("slots").is_some_and(|s| s.get(slot).is_some());
            if !to.contains(slot) && !elsewhere && !told && !gathered.contains(slot) {
                let message = format!("what `@{{{slot}}}` holds is lost: `new` does not write it");
                let d = Diagnostic::warning(message, old.span);
                out.push(d.help("use it in `new`, or name it `_` if it is meant to be dropped"));
            }
            let times = to.iter().filter(|s| *s == slot).count();
            if times > 1 && from.iter().filter(|s| *s == slot).count() < times {
                let message = format!(
                    "`new` writes `@{{{slot}}}` {times} times: what it holds would run {times} times"
                );
                let d = Diagnostic::warning(message, new.span);
                let help = format!(
                    "put it into a variable, or ask for something harmless: `slots.{slot} = {{ form = [\"name\", \"string\", \"number\"] }}`"
                );
                if !constrained(action, slot) {
                    out.push(d.help(help));
                }
            }
        }
    }
}

/// True if something says what a slot may hold.
fn constrained(action: &Action, slot: &str) -> bool {
    action
        .table
        .table("slots")
        .and_then(|s| s.table(slot))
        .is_some_and(|t| t.get("form").is_some() || t.get("text").is_some())
}

/// All texts of a value, but those of some keys.
fn texts(value: &Value, without: &[&str], out: &mut BTreeSet<String>) {
    match value {
        Value::Text(t) => drop(out.insert(t.text.clone())),
        Value::List(all) => all.iter().for_each(|n| texts(&n.value, &[], out)),
        Value::Table(t) => {
            for e in t.entries.iter().filter(|e| !without.contains(&e.key.as_str())) {
                texts(&e.node.value, &[], out);
            }
        }
        _ => {}
    }
}

/// Patterns of which nothing says what their names mean, and words of `names` that no pattern has.
fn names(rows: &Rows, action: &Action, out: &mut Vec<Diagnostic>) {
    let mut all = BTreeSet::new();
    texts(&Value::Table(action.table.clone()), &["names", "lang", "files", "not_files"], &mut all);
    let has = |word: &str| {
        let bare = word.trim_end_matches('!');
        all.iter().any(|t| {
            t.match_indices(bare).any(|(i, _)| {
                let edge = |c: Option<char>| !c.is_some_and(|c| c.is_alphanumeric() || c == '_');
                edge(t[..i].chars().next_back()) && edge(t[i + bare.len()..].chars().next())
            })
        })
    };
    let mut any_turned = false;
    if let Some(names) = action.table.table("names") {
        for e in names.entries.iter().filter(|e| !has(&e.key) && rows.len() < 2) {
            let message = format!("no pattern of this action has the word `{}`", e.key);
            let turned = match &e.node.value {
                Value::Text(t) if e.key.contains(['.', ':']) && has(&t.text) => Some(&t.text),
                _ => None,
            };
            any_turned |= turned.is_some();
            let help = turned.map_or("write it in a pattern, or leave it out".into(), |word| {
                format!("the word comes first: `{word} = \"{}\"`", e.key)
            });
            out.push(Diagnostic::warning(message, e.key_span).help(help));
        }
    }
    let looks = matches!(action.kind.name(), "code" | "note");
    let pattern = action.table.text("old").or_else(|| action.table.text("find"));
    let Some(pattern) = pattern.filter(|_| looks && !any_turned) else { return };
    let named = action.scope.names.keys().any(|w| has(w));
    let typed = action.table.table("slots").is_some_and(|s| {
        s.entries.iter().any(|e| matches!(&e.node.value, Value::Table(t) if t.get("type").is_some() || t.get("means").is_some()))
    });
    let words = pattern.text.contains(|c: char| c.is_alphabetic());
    if words && !named && !typed {
        let message = "the names of this pattern have no meaning yet: every match will be unsure";
        let d = Diagnostic::warning(message, pattern.span);
        out.push(d.help("say which symbols they are, `names = { Station = \"tidewire.client.Station\" }`, or what type a slot has"));
    }
}

/// Patterns for which every file of the language must be parsed.
fn narrow(checked: &Checked, recipe: &Recipe, action: &Action, out: &mut Vec<Diagnostic>) {
    if !matches!(action.kind.name(), "code" | "note" | "symbol" | "signature") {
        return;
    }
    let all = checked.plan.steps.iter().filter(|s| s.source == recipe.source.path);
    for step in all {
        for PlannedAction { place, asks, .. } in &step.actions {
            let open = asks.needs.0.iter().any(Vec::is_empty);
            if *place == action.span && open && asks.step_note.is_none() {
                let at = action.table.text("old").or_else(|| action.table.text("find"));
                let message = "every file of the language must be parsed for this: it has no word that could be looked for";
                let d = Diagnostic::warning(message, at.map_or(action.span, |t| t.span));
                out.push(d.help("add a word that must be there, to the pattern or as `names`, or narrow it with `files`"));
                return;
            }
        }
    }
}

/// Actions whose result looks as if it were still to be done.
fn grows(checked: &Checked, recipe: &Recipe, action: &Action, out: &mut Vec<Diagnostic>) {
    let all = checked.plan.steps.iter().filter(|s| s.source == recipe.source.path);
    let own = all.flat_map(|s| s.actions.iter().map(|a| (&a.place, &a.asks)));
    if own.filter(|(place, _)| **place == action.span).any(|(_, r)| r.grows) {
        let at = action.table.text("new").map_or(action.span, |t| t.span);
        let message =
            "`old` fits what `new` writes: a place that reads so already is taken for done";
        let d = Diagnostic::warning(message, at);
        out.push(d.help("say what a slot may hold, so that the two can be told apart; or `once = true`, if the text there does not matter"));
    }
}

/// What can never fit: a slot that must hold and must not hold the same, a name that a step before has taken away.
fn never(rows: &Rows, step: &Step, action: &Action, told: &Changes, out: &mut Vec<Diagnostic>) {
    for slot in action.table.table("slots").map_or(&[][..], |s| &s.entries) {
        let Value::Table(t) = &slot.node.value else { continue };
        for (key, not) in
            [("text", "not_text"), ("form", "not_form"), ("type", "not_type"), ("is", "is_not")]
        {
            let (wanted, barred) = (t.texts(key), t.texts(not));
            let all = wanted.iter().all(|w| barred.iter().any(|b| b.text == w.text));
            if let Some(first) = wanted.first().filter(|_| all) {
                let message = format!(
                    "`{key}` and `{not}` of the slot `{}` say the same: nothing can fit",
                    slot.key
                );
                out.push(Diagnostic::warning(message, first.span).help("remove one of the two"));
            }
        }
    }
    if !matches!(action.kind.name(), "setting" | "library") {
        return;
    }
    let kind = action.kind.name();
    // Keys that end in `*` take all below: there are few of them.
    let stars = told.iter().filter(|(k, _)| k.0 == kind && k.1.ends_with('*'));
    let stars: Vec<&RenamedRow> = stars.flat_map(|(_, all)| all).collect();
    let keys = ["key", "old"].iter().flat_map(|k| action.table.texts(k)).cloned();
    for old in keys.chain(rows.iter().map(|r| r.0.clone())) {
        let below =
            |t: &RenamedRow| t.old.strip_suffix('*').is_some_and(|lead| old.text.starts_with(lead));
        let same = told.get(&(kind, old.text.clone())).into_iter().flatten();
        let gone = same
            .chain(stars.iter().copied().filter(|t| below(t)))
            .find(|t| t.step != step.id && t.new != t.old);
        if let Some(t) = gone {
            let message = format!(
                "nothing is left of `{}`: the step `{}` has moved it to `{}`",
                old.text, t.step, t.new
            );
            let d = Diagnostic::warning(message, old.span).also(t.span, "moved here");
            out.push(d.help("name it as it is called by then, or put this step before the other"));
        }
    }
}

/// A step that takes back what one before it does.
fn undone(
    rows: &Rows,
    step: &Step,
    action: &Action,
    told: &mut Changes,
    out: &mut Vec<Diagnostic>,
) {
    let kind = action.kind.name();
    let mut own = rows.to_vec();
    if let Some(key) = action.table.text("key") {
        own.push((key.clone(), action.table.text("new").cloned()));
    }
    for (old, new) in own {
        let Some(new) = new else { continue };
        let back = told.get(&(kind, new.text.clone())).into_iter().flatten();
        let back = { back }.find(|t| t.step != step.id && t.new == old.text);
        if let Some(t) = back {
            let message =
                format!("this undoes the step `{}`: `{}` becomes `{}` there", t.step, t.old, t.new);
            let d = Diagnostic::warning(message, old.span).also(t.span, "done here");
            out.push(
                d.help("names can be swapped within one step; over two steps only the last counts"),
            );
        }
        told.entry((kind, old.text.clone())).or_default().push(RenamedRow {
            old: old.text.clone(),
            new: new.text.clone(),
            step: step.id.clone(),
            span: old.span,
        });
    }
}

/// Steps and rows that no example tries.
fn untried(recipe: &Recipe, step: &Step, uncovered: &[UncoveredRow], out: &mut Vec<Diagnostic>) {
    if step.include.is_some() || step.actions.is_empty() {
        return;
    }
    let here: Vec<&UncoveredRow> = uncovered.iter().filter(|u| u.step == step.id).collect();
    let whole =
        step.actions.iter().all(|a| here.iter().any(|u| u.span == a.span && u.row.is_none()));
    if whole {
        let message = format!("no example exercises the step `{}`", step.id);
        let d = Diagnostic::warning(message, step.span);
        out.push(if recipe.examples.is_empty() {
            d.help("add `[[example]]` with `before` and `after`")
        } else {
            d.way(Help::AddExample)
        });
    }
}

/// A common name of which no example shows that others of the name stay.
fn look_alike(recipe: &Recipe, step: &Step, faulty: &[Span], out: &mut Vec<Diagnostic>) {
    for action in step.actions.iter().filter(|a| !faulty.contains(&a.span)) {
        // A path of packages is nothing that something else is called by chance.
        let what = action.table.texts("what").first().map_or("", |t| t.text.as_str());
        if matches!(what, "package" | "module") {
            continue;
        }
        let symbols: Vec<(String, Span)> = match action.kind.name() {
            "symbol" => rows(recipe, action).into_iter().map(|(o, _)| (o.text, o.span)).collect(),
            "code" => {
                let own = action.table.table("names").map_or(&[][..], |n| &n.entries);
                own.iter().map(|e| (e.key.clone(), e.key_span)).collect()
            }
            _ => Vec::new(),
        };
        for (symbol, span) in symbols {
            let last = symbol.rsplit(['.', ':', '/']).next().unwrap_or(&symbol);
            let word = last.split('(').next().unwrap_or(last).trim_end_matches('!');
            let common = COMMON.contains(&word.to_lowercase().as_str());
            let shown = recipe
                .examples
                .iter()
                .any(|e| e.unchanged && e.before.text.contains(word) || e.tree.is_some());
            if common && !shown && !word.is_empty() {
                let message =
                    format!("much else is called `{word}`, and no example shows one that stays");
                let d = Diagnostic::warning(message, span);
                out.push(d.help(format!("add a look-alike: `[[example]]` with `unchanged` code in which another `{word}` stands")));
                return;
            }
        }
    }
}

fn unused_inputs(recipe: &Recipe, out: &mut Vec<Diagnostic>) {
    for input in &recipe.inputs {
        let text = &recipe.source.text;
        if !text.contains(&format!("@{{input.{}", input.name)) {
            let message = format!("the input `{}` is used nowhere", input.name);
            let d = Diagnostic::warning(message, input.span);
            out.push(d.help(format!(
                "write `@{{input.{}}}` where its value belongs, or leave it out",
                input.name
            )));
        }
    }
}
