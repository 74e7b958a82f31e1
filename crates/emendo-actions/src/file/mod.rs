//! `file`: files move, are created, or go.
//!
//! This file reads the action; `paths.rs` compares paths and writes them. What becomes of references is no matter of the action
//! alone: see `mend/`.

pub(crate) mod generate;
pub(crate) mod mend;
mod paths;
mod watch;

use std::sync::Arc;

use emendo_lang::{Certainty, Fact};
use emendo_recipe::{Action, ActionKind, Key, Shape, Text};
use emendo_text::{Chunk, Diagnostic, Digest, RelPath, Repeat, Template, TemplateError};

pub use self::mend::{Mended, menders};
use self::paths::{PathPattern, filled, template};
pub use self::watch::PathWatch;
use crate::contract::{
    Asks, CompileCx, Draft, FileCx, FileMove, FileOp, Found, Kind, NoteDraft, OldPath, PathChanges,
    PathRule, PathsCx, Replaces, Runner, action_digest,
};

/// The kind.
pub(super) static FILE: FileKind = FileKind;

pub(super) struct FileKind;

const KEYS: &[Key] = &[
    Key::new(
        "old",
        Shape::Text,
        "the path of the file, from the project's root; `@{x}` stands for a part of a name, `@{x*}` for any folders",
    ),
    Key::new("new", Shape::Text, "where it lies afterwards; slots of `old` may be used"),
    Key::new("delete", Shape::Bool, "the file goes"),
    Key::new(
        "matched",
        Shape::Bool,
        "a file moves with an edit of the step that changes the name of what it declares, or its package: slots of that edit may be used",
    ),
    Key::new("create", Shape::Text, "the path of a file that is created"),
    Key::new("content", Shape::Text, "what the created file holds"),
];

impl ActionKind for FileKind {
    fn name(&self) -> &'static str {
        "file"
    }
    fn about(&self) -> &'static str {
        "moves, creates and deletes files, and mends what refers to those that move"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        false
    }
}

/// A text of the recipe with slots, or a message.
fn read<T>(
    text: &Text,
    parse: impl Fn(&str) -> Result<T, TemplateError>,
    cx: &mut CompileCx<'_>,
) -> Option<T> {
    match parse(&text.text) {
        Ok(parsed) => Some(parsed),
        Err(wrong) => cx.refuse(wrong.message, text.place(wrong.at), wrong.help),
    }
}

impl Kind for FileKind {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let table = &action.table;
        let entry = |key: &str| table.entry(key);
        let deletes = table.is_true("delete");
        if let Some(create) = table.text("create") {
            if let Some(e) = ["old", "new", "delete"].iter().find_map(|k| entry(k)) {
                return cx.refuse(
                    format!("`{}` does not go with `create`", e.key),
                    e.key_span,
                    "write an action for each",
                );
            }
            return create_rule(action, create, cx);
        }
        if let Some(e) = entry("content") {
            return cx.refuse(
                "`content` belongs to `create`",
                e.key_span,
                "write `create = \"path\"`, or leave it out",
            );
        }
        let Some(old) = table.text("old") else {
            return cx.refuse(
                "this action names no file",
                action.span,
                "write `old` with `new` or `delete = true`, or `create`",
            );
        };
        let pattern = read(old, |t| PathPattern::compile(t, table.table("slots")), cx)?;
        let matched = table.is_true("matched");
        if let Some(e) = table.entry("matched").filter(|_| deletes) {
            return cx.refuse(
                "`matched` goes with `new`",
                e.key_span,
                "say where the file lies afterwards, or leave one of them out",
            );
        }
        let becomes = match (table.text("new"), deletes) {
            (Some(new), true) => {
                return cx.refuse(
                    "a file that goes lies nowhere",
                    new.span,
                    "leave `new` out, or `delete`",
                );
            }
            (None, false) => {
                return cx.refuse(
                    format!("nothing happens to `{}`", old.text),
                    old.span,
                    "write `new`, or `delete = true`",
                );
            }
            (Some(new), false) => {
                let mut known = pattern.slots();
                known.extend(matched.then(|| of_step(action, cx)).into_iter().flatten());
                let parsed = read(new, template, cx)?;
                if let Some((name, at, _)) =
                    parsed.slots().find(|s| !known.iter().any(|k| k == s.0))
                {
                    let message = format!("nothing binds the slot `{name}`");
                    let help = format!("`old` binds: {}", known.join(", "));
                    return cx.refuse(message, new.place(at), help);
                }
                if new.text == old.text {
                    let d = Diagnostic::warning("the file stays where it is", new.span);
                    cx.out.push(d.help("`old` and `new` are the same"));
                }
                Some(parsed)
            }
            (None, true) => None,
        };
        let digest = action_digest("file", &old.text);
        let pattern = Arc::new(pattern);
        let fits = pattern.clone();
        let fits = Arc::new(move |path: &str| fits.fit(path).is_some());
        let leaves = OldPath { written: old.text.clone(), fits };
        let (scope, rule): (_, Arc<dyn PathRule>) = match becomes {
            Some(new) if matched => {
                let old = read(old, template, cx)?;
                (action.scope.clone(), Arc::new(MatchedRule { digest, old, new }))
            }
            new => (action.scope.clone(), Arc::new(MoveRule { digest, old: pattern, new })),
        };
        let leaves = Some(leaves).filter(|_| !matched);
        Some(Box::new(FileRunner { scope, rule, once: false, leaves }))
    }
}

fn create_rule(action: &Action, create: &Text, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
    let parsed = read(create, template, cx)?;
    let content = action.table.text("content").cloned();
    let inner = content.as_ref().map(|t| read(t, Template::parse_text, cx));
    let slots = [Some(&parsed), inner.as_ref().and_then(|i| i.as_ref())];
    let free = slots.into_iter().flatten().flat_map(|t| t.slots().map(|s| s.0.to_owned())).next();
    if let Some(name) = free {
        return cx.refuse(
            format!("nothing binds the slot `{name}`"),
            create.span,
            "`create` and `content` may use `@{input.NAME}`",
        );
    }
    if inner.is_some_and(|i| i.is_none()) {
        return None;
    }
    let Ok(path) = filled(&parsed, &Vec::new()) else { return None };
    let literal = |t: &Text| t.text.replace("\\@{", "@{");
    let rule = CreateRule {
        digest: action_digest("file create", &create.text),
        path,
        content: content.as_ref().map(literal).unwrap_or_default(),
    };
    Some(Box::new(FileRunner {
        scope: action.scope.clone(),
        rule: Arc::new(rule),
        once: true,
        leaves: None,
    }))
}

/// Files that fit a path move or go.
struct MoveRule {
    digest: Digest,
    old: Arc<PathPattern>,
    /// Where they lie afterwards; none where they go.
    new: Option<Template>,
}

impl PathRule for MoveRule {
    fn moves(&self, cx: &PathsCx<'_>) -> PathChanges {
        let mut out = Vec::new();
        for path in cx.files.iter().filter(|p| (cx.covers)(p)) {
            let Some(slots) = self.old.fit(path.as_str()) else { continue };
            let to = self.new.as_ref().map(|new| filled(new, &slots));
            let (op, withheld) = match to {
                None => (FileOp::Delete, None),
                Some(Ok(to)) if to == *path => continue,
                Some(Ok(to)) => (FileOp::Move(to), None),
                Some(Err(why)) => (FileOp::Move(path.clone()), Some(why)),
            };
            let mut m = FileMove::new((cx.action, 0), self.digest, path.clone(), op);
            let text = format!("`{path}` is named by its path");
            m.facts.push(Fact { says: Certainty::Certain, text, at: None });
            m.withheld = withheld;
            out.push(m);
        }
        out.into()
    }
}

/// The slots of the other actions of a step.
fn of_step(action: &Action, cx: &CompileCx<'_>) -> Vec<String> {
    let holds = |s: &&emendo_recipe::Step| s.actions.iter().any(|a| a.span == action.span);
    let step = cx.recipe.steps.iter().find(holds);
    let olds = step.into_iter().flat_map(|s| &s.actions).filter(|a| a.span != action.span);
    let groups = |a: &Action| crate::shared::groups(a);
    olds.flat_map(|a| {
        let old = a.table.text("old").map_or_else(Vec::new, |t| emendo_text::slot_names(&t.text));
        old.into_iter().chain(groups(a)).collect::<Vec<_>>()
    })
    .collect()
}

/// Files move with the edits of the step that change the names of what they declare.
struct MatchedRule {
    digest: Digest,
    old: Template,
    new: Template,
}

impl PathRule for MatchedRule {
    fn moves(&self, cx: &PathsCx<'_>) -> PathChanges {
        let mut out = PathChanges::default();
        for (path, draft) in (cx.declared)().into_iter().filter(|d| (cx.covers)(&d.0)) {
            let Some(to) = self.target(&path, &draft).filter(|to| to.as_ref() != Ok(&path)) else {
                continue;
            };
            let known = out.moves.iter().position(|m: &FileMove| m.path == path);
            if let Some(known) = known.map(|i| &mut out.moves[i]) {
                if let Some(to) = to.ok().filter(|to| known.target() != Some(to)) {
                    let first = known.target().map_or(String::new(), |t| format!("`{t}`"));
                    let say = format!("it would become both {first} and `{to}`");
                    let note = NoteDraft::new(draft.hull, format!("the file stays: {say}"));
                    out.notes.push((path, note));
                    known.withheld = Some(say);
                }
                continue;
            }
            let (op, withheld) = match to {
                Ok(to) => (FileOp::Move(to), None),
                Err(why) => (FileOp::Move(path.clone()), Some(why)),
            };
            let mut m = FileMove::new((cx.action, 0), self.digest, path.clone(), op);
            let text = format!("the file is called after what changes in it (`{path}`)");
            m.facts.push(Fact { says: draft.certainty, text, at: None });
            (m.withheld, m.along) = (withheld, Some(draft.declared_tie(&path)));
            m.named = true;
            out.moves.push(m);
        }
        out
    }
}

impl MatchedRule {
    /// Where a file lies afterwards that an edit stands in; none if its path is not what the slots say.
    fn target(&self, path: &RelPath, draft: &Draft) -> Option<Result<RelPath, String>> {
        let mut written = String::new();
        for chunk in &self.old.chunks {
            match chunk {
                Chunk::Text { text, .. } => written.push_str(&text.replace("@{", "\\@{")),
                Chunk::Slot { name, repeat, filters, .. } => {
                    let held = draft.names.iter().find(|n| n.0 == *name);
                    match held {
                        Some((_, text)) => {
                            written
                                .push_str(&filters.iter().fold(text.clone(), |t, f| f.apply(&t)));
                        }
                        None => {
                            let many = matches!(repeat, Repeat::Any | Repeat::Some);
                            written
                                .push_str(&format!("@{{{name}{}}}", if many { "*" } else { "" }));
                        }
                    }
                }
            }
        }
        let mut slots = PathPattern::compile(&written, None).ok()?.fit(path.as_str())?;
        slots.extend(draft.names.iter().cloned());
        Some(filled(&self.new, &slots))
    }
}

/// A file is created.
struct CreateRule {
    digest: Digest,
    path: RelPath,
    content: String,
}

impl PathRule for CreateRule {
    fn moves(&self, cx: &PathsCx<'_>) -> PathChanges {
        if !(cx.covers)(&self.path) || (cx.written)(&self.path) {
            return PathChanges::default();
        }
        let there = (cx.text)(&self.path);
        if there.is_some_and(|t| t.replace("\r\n", "\n") == self.content.replace("\r\n", "\n")) {
            return PathChanges::default();
        }
        let mut m = FileMove::new((cx.action, 0), self.digest, self.path.clone(), FileOp::Create);
        m.content.clone_from(&self.content);
        let text = "the recipe brings this file".to_owned();
        m.facts.push(Fact { says: Certainty::Certain, text, at: None });
        vec![m].into()
    }
}

struct FileRunner {
    scope: emendo_recipe::Scope,
    rule: Arc<dyn PathRule>,
    once: bool,
    /// The path that files leave.
    leaves: Option<OldPath>,
}

impl Runner for FileRunner {
    fn asks(&self) -> Asks {
        Asks {
            kind: "file",
            changes_declarations: true,
            paths: Some(self.rule.clone()),
            once: self.once,
            replaces: Replaces { paths: self.leaves.iter().cloned().collect(), ..Replaces::NONE },
            ..Asks::NONE
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.scope.covers(path)
    }

    fn find(&self, _: &FileCx<'_>, _: usize, _: &mut Found) {}
}
