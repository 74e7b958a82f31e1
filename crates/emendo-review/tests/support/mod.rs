//! A made-up proposal of any size, and who does what the screen asks for.
#![allow(dead_code, missing_docs, unreachable_pub, reason = "each test takes what it needs")]

use std::sync::Arc;

use emendo_core::{Decision, Decisions, Proposal, Verdict, World};
use emendo_review::{Code, Effect, Input, Key, KeyMap, Model};
use emendo_text::{Digest, RelPath};
use serde_json::{Value, json};

/// The text of each file.
pub fn text(file: usize) -> String {
    let lines =
        (1..=30).map(|n| format!("    station{file}.level{n}(\"m\"); // \u{6f6e} line {n}\n"));
    lines.collect()
}

fn id(words: &str) -> Value {
    json!(Digest::of(words.as_bytes()).to_string())
}

fn edit(file: usize, n: usize) -> Value {
    let line = 2 + 3 * n;
    let choice = n % 5 == 4;
    let before = format!("level{line}");
    let at = text(file).find(&before).unwrap_or(0);
    let sure = ["certain", "likely", "unsure"][n % 3];
    let after = format!("depth{line}");
    let mut e = json!({
        "id": id(&format!("edit {file} {n}")), "recipe": "tidewire-3",
        "step": if n.is_multiple_of(2) { "levels" } else { "clock" },
        "action": "code", "path": path(file), "line": line,
        "origin": { "start": at, "end": at + before.len() },
        "certainty": sure,
        "evidence": [{ "says": "certain", "text": "`level` is imported on line 1", "line": 1 }],
        "before": &before, "after": if choice { &before } else { &after },
        "seal": id(&format!("seal {file} {n}")), "shape": id(&format!("shape {}", n % 4)),
        "weak": id(&format!("weak {file} {n}")),
        "standing": if choice { "out" } else { "in" },
    });
    if choice {
        let option = |label: &str| json!({ "label": label, "after": format!("{label}{line}"), "seal": id(&format!("{label} {file} {n}")) });
        e["options"] = json!([option("near"), option("far")]);
    }
    if n == 3 {
        e["caution"] = json!("readings carry the gauge's time from now on");
        e["parents"] = json!([id(&format!("edit {file} 0"))]);
    }
    if n == 6 {
        e["standing"] = json!("withheld");
        e["because"] = json!("another edit stands first");
    }
    e
}

fn path(file: usize) -> String {
    format!("berths/part{}/Board{file}.java", file / 40)
}

fn hunk(file: usize, n: usize) -> Value {
    let line = 2 + 3 * n;
    let old = |l: usize| text(file).lines().nth(l - 1).unwrap_or("").to_owned();
    let new = old(line).replace("level", "depth");
    json!({ "old_start": line - 1, "old_lines": 3, "new_start": line - 1, "new_lines": 3, "by": [n],
        "lines": [
            { "kind": "same", "text": old(line - 1) }, { "kind": "removed", "text": old(line) },
            { "kind": "added", "text": new }, { "kind": "same", "text": old(line + 1) } ],
        "runs": [{ "from": 1, "lines": 2, "by": [n] }] })
}

fn file(file: usize, edits: usize) -> Value {
    let inside = |n: &usize| n % 5 != 4 && *n != 6;
    json!({
        "path": path(file), "base": Digest::of(text(file).as_bytes()).to_string(),
        "edits": (0..edits).map(|n| edit(file, n)).collect::<Vec<_>>(),
        "notes": [{ "id": id(&format!("note {file}")), "recipe": "tidewire-3", "step": "by-hand",
            "path": path(file), "line": 1, "source": "dump();", "say": "dumps are gone" }],
        "leftovers": [{ "id": id(&format!("left {file}")), "symbol": "tidewire.Dump", "line": 29,
            "source": "Dump", "certainty": "likely", "why": "it is mentioned", "recipe": "tidewire-3",
            "step": "by-hand" }],
        "hunks": (0..edits).filter(inside).map(|n| hunk(file, n)).collect::<Vec<_>>(),
        "marks": (0..edits).filter(inside).map(|n| json!({ "by": n, "new": true, "line": 2 + 3 * n, "from": 13, "to": 18 })).collect::<Vec<_>>(),
        "decided": id("decided"),
    })
}

/// A proposal of so many files with so many edits each, at most nine.
pub fn proposal(files: usize, edits: usize) -> Arc<Proposal> {
    let step = |step: &str, title: &str| json!({ "recipe": "tidewire-3", "step": step, "title": title, "why": "Version 3 says so." });
    let header = json!({
        "proposal": 1, "inputs": {}, "with": [], "below": "", "plan": id("plan"),
        "recipes": [{ "id": "tidewire-3", "title": "Tidewire 2 to 3", "path": "tidewire-3.toml", "digest": id("recipe") }],
        "steps": [step("levels", "Levels are depths"), step("clock", "Stations keep their own time"), step("by-hand", "Dumps are gone")],
    });
    let trailer = json!({ "counts": { "files": files, "candidates": files, "skipped": {}, "with_errors": 0 },
        "notes": [{ "id": id("step note"), "recipe": "tidewire-3", "step": "by-hand", "say": "ask the harbour master" }] });
    let read = "a proposal as it is kept";
    Arc::new(Proposal {
        header: serde_json::from_value(header).expect(read),
        files: (0..files).map(|f| serde_json::from_value(file(f, edits)).expect(read)).collect(),
        trailer: serde_json::from_value(trailer).expect(read),
    })
}

/// A screen with someone who does what it asks for: the log is what would be on disk.
pub struct Desk {
    pub model: Model,
    pub log: Vec<Decision>,
    pub quit: bool,
    proposal: Arc<Proposal>,
    /// What takes time is done when it is asked for by [`Desk::work`].
    waiting: Vec<Effect>,
}

impl Desk {
    pub fn new(proposal: Arc<Proposal>, size: (u16, u16)) -> Self {
        let model = Model::new(
            Arc::new(World::default()),
            proposal.clone(),
            Decisions::default(),
            KeyMap::default(),
        );
        let mut out = Self { model, log: Vec::new(), quit: false, proposal, waiting: Vec::new() };
        out.take(Input::Size(size.0, size.1));
        out
    }

    /// The decisions as somebody else would read them back.
    pub fn kept(&self) -> Decisions {
        let mut out = Decisions::default();
        self.log.iter().for_each(|d| out.add(d.clone()));
        out
    }

    pub fn take(&mut self, input: Input) {
        let mut todo = self.model.update(input);
        while !todo.is_empty() {
            for effect in std::mem::take(&mut todo) {
                match effect {
                    Effect::Read(path) => {
                        let bytes = file_of(&path).map(|f| text(f).into_bytes());
                        todo.extend(self.model.update(Input::File(path, bytes)));
                    }
                    Effect::Store(log) => self.log.extend(log),
                    Effect::Quit => self.quit = true,
                    other => self.waiting.push(other),
                }
            }
        }
    }

    /// Something is still to be done.
    pub fn busy(&self) -> bool {
        !self.waiting.is_empty()
    }

    /// Does what takes time.
    pub fn work(&mut self) {
        for effect in std::mem::take(&mut self.waiting) {
            let now = || (self.proposal.clone(), Box::new(self.kept()));
            let input = match effect {
                Effect::Compute => {
                    let (proposal, decisions) = now();
                    Input::Now(proposal, decisions)
                }
                Effect::Reword(id, text) if text.contains('(') => {
                    Input::Refused(id, text, "the file would no longer parse with it".into())
                }
                Effect::Reword(id, text) => {
                    if let Some(e) = self.proposal.edits().find(|e| e.id == id) {
                        let own = Verdict::Own { text, seal: e.seal };
                        self.log.push(Decision::about(e, own));
                    }
                    let (proposal, decisions) = (self.proposal.clone(), Box::new(self.kept()));
                    Input::Reworded(proposal, decisions)
                }
                Effect::Prepare(_) => Input::Ready(Ok(Vec::new())),
                Effect::Edit(id, text, _) => Input::Edited(id, format!("{text}1")),
                Effect::Apply { .. } => Input::Applied(vec!["written".into()], Some(now())),
                Effect::Read(_) | Effect::Store(_) | Effect::Quit => continue,
            };
            self.take(input);
        }
    }

    pub fn keys(&mut self, keys: &str) {
        for c in keys.chars() {
            let code = match c {
                '\n' => Code::Enter,
                '\u{1b}' => Code::Escape,
                c => Code::Char(c),
            };
            self.take(Input::Key(Key { code, control: false }));
        }
    }
}

fn file_of(path: &RelPath) -> Option<usize> {
    path.name().strip_prefix("Board")?.strip_suffix(".java")?.parse().ok()
}

/// What is clicked on at a column and line.
pub fn hit(
    model: &Model,
    (width, height): (u16, u16),
    at: (u16, u16),
) -> Option<emendo_review::Hit> {
    let mut buf = ratatui::buffer::Buffer::empty(ratatui::layout::Rect::new(0, 0, width, height));
    let hits = emendo_review::draw(model, emendo_review::Look { colour: true }, &mut buf);
    hits.iter().rev().find(|(r, _)| r.contains(at.into())).map(|(_, hit)| *hit)
}

/// What is drawn, as lines of text.
pub fn shown(model: &Model, (width, height): (u16, u16)) -> Vec<String> {
    let mut buf = ratatui::buffer::Buffer::empty(ratatui::layout::Rect::new(0, 0, width, height));
    let _ = emendo_review::draw(model, emendo_review::Look { colour: true }, &mut buf);
    let line = |y: u16| (0..width).map(|x| buf[(x, y)].symbol().to_owned()).collect::<String>();
    (0..height).map(line).collect()
}
