//! The parts of an action about code that are patterns of their own: what stands around, what is rewritten along.

use emendo_lang::Language;
use emendo_pattern::{
    AlongRule, Follow, FollowRule, Gather, GatherRule, Pattern, Replacement, Rework,
};
use emendo_recipe::{Action, Key, Shape, Table, Text, Value};
use emendo_text::{Diagnostic, Marks, Span, Template};

use crate::contract::{CompileCx, Query};
use crate::shared::code::{names, pattern_error};
use crate::shared::conditions::conditions_of;
use crate::shared::patterns::{SlotTables, sub_pattern};

/// Keys of an item of `each`.
pub(super) const EACH: &[Key] = &[
    Key::required("old", Shape::Pattern, "what is collected"),
    Key::new("new", Shape::Pattern, "how it is written; as it is without it"),
    Key::new("slots", Shape::Named(emendo_recipe::SLOT), "what its slots may hold"),
    emendo_recipe::PLACE[2],
    emendo_recipe::PLACE[3],
];

/// Keys of `[step.code.gather.NAME]`.
pub(crate) const GATHER: &[Key] = &[
    Key::required("from", Shape::Text, "the slot that is collected from"),
    Key::required("each", Shape::Tables(EACH), "what is collected, and how each is written"),
    Key::new("join", Shape::Text, "the text between two items"),
    Key::new("leave", Shape::Text, "what is left where the first stood"),
    Key::new("keep", Shape::Bool, "the collected pieces stay where they are too"),
    Key::new("deep", Shape::Bool, "look inside the items of the slot too"),
];

/// Keys of `[[step.code.rework]]`.
pub(crate) const REWORK: &[Key] = &[
    Key::required("in", Shape::Text, "the slot in which it is done"),
    Key::new("old", Shape::Pattern, "the code that is looked for there"),
    Key::new("new", Shape::Pattern, "the code that is written; empty deletes"),
    Key::new("pairs", Shape::Pairs, "many old and new patterns"),
    Key::new("slots", Shape::Named(emendo_recipe::SLOT), "what its slots may hold"),
    Key::new("whole", Shape::Bool, "only the slot's whole value"),
];

/// Keys of `[[step.code.follow]]`.
pub(crate) const FOLLOW: &[Key] = &[
    Key::required("of", Shape::Text, "the slot that holds the declared name"),
    Key::required("old", Shape::Texts, "the uses, one pattern or several"),
    Key::new("new", Shape::Pattern, "what a use becomes; without it the use stays as it is"),
];

/// Keys of `elsewhere`.
const ELSEWHERE: &[Key] = &[
    Key::required("find", Shape::Pattern, "the pattern that must fit somewhere in the project"),
    Key::new("files", Shape::Globs, "only in these files"),
    Key::new("slots", Shape::Named(emendo_recipe::SLOT), "what its slots may hold"),
    emendo_recipe::PLACE[0],
    emendo_recipe::PLACE[1],
    emendo_recipe::PLACE[2],
    emendo_recipe::PLACE[3],
    Key::new("same_file", Shape::Bool, "only in the file of the place"),
    Key::new("none", Shape::Bool, "it holds where nothing fits; then it binds nothing"),
];

/// The keys that say where an action finds its places, its pattern left out.
pub(crate) const WHERE: [Key; 6] = [
    emendo_recipe::PLACE[0],
    emendo_recipe::PLACE[1],
    emendo_recipe::PLACE[2],
    emendo_recipe::PLACE[3],
    Key::new(
        "value",
        Shape::Words(&["unused"]),
        "`unused`: only where the value of the match is not used",
    ),
    Key::new(
        "elsewhere",
        Shape::Tables(ELSEWHERE),
        "a pattern that must fit somewhere in the project, or several; their slots may be written",
    ),
];

/// What is rewritten along with a match.
#[derive(Default)]
pub(crate) struct Along {
    pub(crate) gather: Vec<Gather>,
    pub(crate) rework: Vec<Rework>,
    pub(crate) follow: Vec<Follow>,
    /// Slots that stand only in `new`: the names to choose from.
    pub(crate) free: Vec<(String, Vec<String>)>,
    /// Slots that may be bound to one variable only once.
    pub(crate) single: Vec<String>,
}

impl Along {
    /// Compiles what an action says. `bound` are the slots that its own patterns bind.
    pub(crate) fn compile(
        language: &'static Language,
        action: &Action,
        bound: &[String],
        cx: &mut CompileCx<'_>,
    ) -> Self {
        let mut out = Self::default();
        for entry in action.table.table("slots").map_or(&[][..], |s| &s.entries) {
            let Value::Table(t) = &entry.node.value else { continue };
            let names: Vec<String> = t.texts("free").into_iter().map(|t| t.text.clone()).collect();
            if !names.is_empty() {
                out.free.push((entry.key.clone(), names));
            }
            if t.is_true("single") {
                out.single.push(entry.key.clone());
            }
        }
        for entry in action.table.table("gather").map_or(&[][..], |g| &g.entries) {
            let Value::Table(t) = &entry.node.value else { continue };
            out.gather.extend(gather(language, &entry.key, t, action, bound, cx));
        }
        for (t, _) in action.table.tables("rework") {
            out.rework.extend(rework(language, t, action, bound, cx));
        }
        let mut known = bound.to_vec();
        known.extend(out.binds());
        for (t, _) in action.table.tables("follow") {
            let Some(more) = follow(language, t, action, &known, cx) else { continue };
            // The tables of one slot cover its uses together.
            match out.follow.iter_mut().find(|f| f.of == more.of) {
                Some(all) => all.rules.extend(more.rules),
                None => out.follow.push(more),
            }
        }
        out
    }

    /// The slots that it binds for `new`.
    pub(crate) fn binds(&self) -> impl Iterator<Item = String> {
        self.gather.iter().map(|g| g.name.clone()).chain(self.free.iter().map(|f| f.0.clone()))
    }
}

fn known_slot(text: &Text, bound: &[String], cx: &mut CompileCx<'_>) -> bool {
    let known = bound.contains(&text.text);
    if !known {
        let d = Diagnostic::error(format!("the pattern has no slot `{}`", text.text), text.span);
        cx.out.push(d.help(format!("its slots: {}", bound.join(", "))));
    }
    known
}

fn rule(
    old: Pattern,
    new: Option<&Text>,
    action: &Action,
    bound: &[String],
    cx: &mut CompileCx<'_>,
) -> Option<AlongRule> {
    let text = new.map_or_else(|| old.source().to_owned(), |n| n.text.clone());
    match Replacement::compile(&old, &text, &names(action, cx), bound) {
        Ok(mut new) => {
            new.spell(cx.spellings);
            Some(AlongRule { old, new })
        }
        Err(e) => {
            let d = match new {
                Some(new) => pattern_error(&e, new),
                None => Diagnostic::error(e.message, action.span).help(e.help),
            };
            cx.out.push(d);
            None
        }
    }
}

/// What is left where the first piece stood: its slots are those of the pattern, and what is collected. An error is
/// reported.
fn leave_of(
    t: &Table,
    name: &str,
    bound: &[String],
    cx: &mut CompileCx<'_>,
) -> Result<Option<Template>, ()> {
    let Some(text) = t.text("leave") else { return Ok(None) };
    let template = match Template::parse(&text.text) {
        Ok(template) => template,
        Err(e) => {
            cx.out.push(Diagnostic::error(e.message, text.span).help(e.help));
            return Err(());
        }
    };
    let unknown = template.slots().find(|s| s.0 != name && !bound.iter().any(|b| b == s.0));
    if let Some((slot, ..)) = unknown {
        let slot = Text::derived(slot.to_owned(), text.span);
        known_slot(&slot, bound, cx);
        return Err(());
    }
    Ok(Some(template))
}

fn gather(
    language: &'static Language,
    name: &str,
    t: &Table,
    action: &Action,
    bound: &[String],
    cx: &mut CompileCx<'_>,
) -> Option<Gather> {
    let from = t.text("from")?;
    known_slot(from, bound, cx).then_some(())?;
    let text = |key: &str| t.text(key).map(|t| t.text.clone());
    let mut rules = Vec::new();
    for (each, _) in t.tables("each") {
        let slots = SlotTables::of(action).with(each.table("slots"));
        let old = sub_pattern(language, each.text("old")?, action, slots, Marks::None, cx)?;
        let text = each.text("new").map_or_else(|| old.source().to_owned(), |n| n.text.clone());
        match Replacement::compile_free(&old, &text, &names(action, cx), bound) {
            Ok(mut new) => {
                new.spell(cx.spellings);
                let conditions = conditions_of(language, each, action, slots, cx);
                rules.push(GatherRule { rule: AlongRule { old, new }, conditions });
            }
            Err(e) => {
                let d = each.text("new").map_or_else(
                    || Diagnostic::error(e.message.clone(), action.span).help(e.help.clone()),
                    |new| pattern_error(&e, new),
                );
                cx.out.push(d);
            }
        }
    }
    Some(Gather {
        name: name.to_owned(),
        from: from.text.clone(),
        rules,
        join: text("join"),
        leave: leave_of(t, name, bound, cx).ok()?,
        keep: t.is_true("keep"),
        deep: t.is_true("deep"),
    })
}

fn rework(
    language: &'static Language,
    t: &Table,
    action: &Action,
    bound: &[String],
    cx: &mut CompileCx<'_>,
) -> Option<Rework> {
    let slot = t.text("in")?;
    known_slot(slot, bound, cx).then_some(())?;
    let mut pairs: Vec<(Text, Option<Text>)> = Vec::new();
    if let Some(old) = t.text("old") {
        pairs.push((old.clone(), t.text("new").cloned()));
    }
    if let Some(Value::List(rows)) = t.get("pairs").map(|n| &n.value) {
        for row in rows {
            let cells = match &row.value {
                Value::List(cells) => cells.as_slice(),
                _ => &[],
            };
            match cells {
                [old, new] => {
                    if let (Value::Text(old), Value::Text(new)) = (&old.value, &new.value) {
                        pairs.push((old.clone(), Some(new.clone())));
                    }
                }
                _ => cx.out.push(
                    Diagnostic::error("this is not a pair", row.span)
                        .help("a pair is [\"old\", \"new\"]"),
                ),
            }
        }
    }
    let slots = SlotTables::of(action);
    let mut rules = Vec::new();
    for (old, new) in &pairs {
        let Some(new) = new else {
            cx.out.push(
                Diagnostic::error("this does not say what to write", old.span)
                    .help("write `new`; `new = ''` deletes"),
            );
            continue;
        };
        let old =
            sub_pattern(language, old, action, slots.with(t.table("slots")), Marks::None, cx)?;
        rules.extend(rule(old, Some(new), action, bound, cx));
    }
    Some(Rework { slot: slot.text.clone(), rules, whole: t.is_true("whole") })
}

fn follow(
    language: &'static Language,
    t: &Table,
    action: &Action,
    bound: &[String],
    cx: &mut CompileCx<'_>,
) -> Option<Follow> {
    let of = t.text("of")?;
    known_slot(of, bound, cx).then_some(())?;
    let slots = SlotTables::of(action);
    let mut rules = Vec::new();
    for old_text in t.texts("old") {
        let old = sub_pattern(language, old_text, action, slots, Marks::None, cx)?;
        if !old.slots().any(|s| s == of.text) {
            let d = Diagnostic::error(
                format!("the slot `{}` does not stand in this use", of.text),
                old_text.span,
            );
            cx.out.push(d.help(format!("write the name as `@{{{}}}`", of.text)));
            continue;
        }
        match t.text("new") {
            None => rules.push(FollowRule { old, new: None }),
            Some(new) => {
                let made = rule(old, Some(new), action, bound, cx);
                rules.extend(made.map(|r| FollowRule { old: r.old, new: Some(r.new) }));
            }
        }
    }
    Some(Follow { of: of.text.clone(), rules })
}

/// Slots that `slots` speaks of and nothing binds.
pub(crate) fn check_slots(action: &Action, known: &[String], cx: &mut CompileCx<'_>) {
    let Some(slots) = action.table.table("slots") else { return };
    for entry in slots.entries.iter().filter(|e| !known.contains(&e.key)) {
        let help = if known.is_empty() {
            "the pattern has no slots".into()
        } else {
            format!("its slots: {}", known.join(", "))
        };
        let message = format!("the pattern has no slot `{}`", entry.key);
        let d = Diagnostic::error(message, entry.key_span).help(help);
        if !cx.out.contains(&d) {
            cx.out.push(d);
        }
    }
}

/// Compiles `elsewhere`.
pub(crate) fn queries(
    language: &'static Language,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Vec<Query> {
    let tables = action.table.tables("elsewhere");
    tables.into_iter().filter_map(|(t, span)| query(language, t, span, action, cx)).collect()
}

fn query(
    language: &'static Language,
    t: &Table,
    at: Span,
    action: &Action,
    cx: &mut CompileCx<'_>,
) -> Option<Query> {
    let slots = SlotTables::of(action).with(t.table("slots"));
    let find = t.text("find")?;
    let pattern = sub_pattern(language, find, action, slots, Marks::None, cx)?;
    if pattern.needs().iter().all(Vec::is_empty) {
        return cx.refuse(
            "this pattern has no word that could be looked for in other files",
            find.span,
            "write a name, a keyword or a text into it",
        );
    }
    let globs: Vec<String> = t.texts("files").into_iter().map(|t| t.text.clone()).collect();
    let files = if globs.is_empty() { None } else { emendo_recipe::Globs::compile(&globs).ok() };
    let same_file = t.is_true("same_file");
    if same_file && files.is_some() {
        return cx.refuse(
            "`same_file` and `files` exclude each other",
            at,
            "leave one of them out",
        );
    }
    let conditions = conditions_of(language, t, action, slots, cx);
    Some(Query { pattern, conditions, files, same_file, none: t.is_true("none") })
}
