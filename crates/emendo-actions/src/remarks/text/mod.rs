//! `text`: the last resort, for comments, directives and files that nothing else reads.
//!
//! This file reads the action; `row.rs` compares text with `old` and writes `new`.

mod row;

use std::sync::Arc;

use emendo_lang::{Certainty, Fact, Language};
use emendo_recipe::{Action, ActionKind, Key, Scope, Shape, Value, pairs};
use emendo_text::{Diagnostic, Part, RelPath, Span, Splice};

use self::row::TextRow;
use crate::contract::{
    Asks, Code, CompileCx, Draft, FileCx, Found, Kind, Needs, NoteDraft, Runner, Tables,
};

/// The kind.
pub(crate) static TEXT: TextKind = TextKind;

pub(crate) struct TextKind;

/// Where the text may stand.
const PLACES: &[&str] = &["line", "comment", "string", "word"];

const KEYS: &[Key] = &[
    Key::required(
        "where",
        Shape::Words(PLACES),
        "a whole line, or within comments, strings, or code outside of both",
    ),
    Key::new("old", Shape::Text, "the text; a slot takes no blanks, `@{x*}` anything on the line"),
    Key::new("new", Shape::Text, "the new text; an empty one takes a whole line away"),
    Key::new("pairs", Shape::Pairs, "many old and new texts"),
    Key::new("table", Shape::Text, "the same from a CSV file of the recipe's folder"),
    Key::new("base", Shape::Base, "stands before each text of `pairs` and `table`"),
];

impl ActionKind for TextKind {
    fn name(&self) -> &'static str {
        "text"
    }
    fn about(&self) -> &'static str {
        "changes lines, comments, strings and words where no other action can"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        true
    }
}

/// Which part of a file is searched.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Where {
    Line,
    Comment,
    String,
    Word,
}

impl Where {
    fn of(action: &Action) -> Option<Self> {
        Some(match action.table.text("where")?.text.as_str() {
            "line" => Self::Line,
            "comment" => Self::Comment,
            "string" => Self::String,
            _ => Self::Word,
        })
    }

    /// What is known of a place that is found there.
    fn fact(self, at: Span) -> Fact {
        let (says, text) = match self {
            Self::Line => (Certainty::Likely, "the whole line reads so"),
            Self::Comment => (Certainty::Unsure, "spelled so in a comment"),
            Self::String => (Certainty::Unsure, "spelled so in a string"),
            Self::Word => (Certainty::Unsure, "spelled so in code, and nothing is known of it"),
        };
        Fact { says, text: text.to_owned(), at: Some(at) }
    }
}

impl Kind for TextKind {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let place = Where::of(action)?;
        if action.scope.files.is_none() {
            return cx.refuse(
                "`text` needs `files`",
                action.span,
                "say which files are meant: `files = [\"docs/**/*.md\"]`",
            );
        }
        let rows = rows(action, place, cx)?;
        let said = action.table.get("lang").is_some();
        let language = match place {
            Where::Line => None,
            _ if said => Some(crate::shared::language(action, cx)?),
            _ => cx.tables.languages.first().copied(),
        };
        Some(Box::new(TextRunner::new(place, language, rows, action, cx)))
    }

    fn more(&self, action: &Action, cx: &mut CompileCx<'_>) -> Vec<Box<dyn Runner>> {
        let Some(place) = Where::of(action) else { return Vec::new() };
        if place == Where::Line || action.table.get("lang").is_some() {
            return Vec::new();
        }
        // What is wrong with it is said already.
        let mut ignored = Vec::new();
        let mut quiet = CompileCx { out: &mut ignored, ..*cx };
        let Some(rows) = rows(action, place, &mut quiet) else { return Vec::new() };
        let others = cx.tables.languages.iter().skip(1);
        others
            .map(|l| {
                let rows = rows.clone();
                Box::new(TextRunner::new(place, Some(l), rows, action, cx)) as Box<dyn Runner>
            })
            .collect()
    }
}

/// The rows of an action: what is looked for, and what it becomes.
fn rows(action: &Action, place: Where, cx: &mut CompileCx<'_>) -> Option<Vec<TextRow>> {
    let from = cx.out.len();
    let slots = action.table.table("slots").map_or(&[][..], |s| &s.entries);
    for e in slots {
        let Value::Table(t) = &e.node.value else { continue };
        for asked in t.entries.iter().filter(|a| !["text", "not_text"].contains(&a.key.as_str())) {
            let message = format!("`{}` asks for code, and text is none", asked.key);
            let d = Diagnostic::error(message, asked.key_span);
            cx.out.push(d.help("slots of `text` are limited by `text` and `not_text`"));
        }
    }
    let all = pairs(action, &cx.recipe.source, &|_| "", cx.out);
    if all.is_empty() && cx.out.len() == from {
        let help = "write `old` and `new`, `pairs` or `table`";
        return cx.refuse("this action looks for nothing", action.span, help);
    }
    let mut rows = Vec::new();
    for pair in all {
        if pair.new.is_none() && pair.advice.is_none() {
            let message = format!("nothing happens to `{}`", pair.old.text);
            let d = Diagnostic::error(message, pair.old.span);
            cx.out.push(d.help(match place {
                Where::Line => "write `new`; an empty one takes the line away",
                _ => "write `new`, or a third column with advice",
            }));
            continue;
        }
        match TextRow::compile(&pair, slots, place == Where::Line) {
            Ok(row) => rows.push(row),
            Err((text, wrong)) => {
                cx.out
                    .push(Diagnostic::error(wrong.message, text.place(wrong.at)).help(wrong.help));
            }
        }
    }
    let failed = cx.out[from..].iter().any(|d| d.severity == emendo_text::Severity::Error);
    (!failed).then_some(rows)
}

struct TextRunner {
    place: Where,
    /// The language of the code that is looked into; none for lines.
    language: Option<&'static Language>,
    rows: Vec<TextRow>,
    scope: Scope,
    /// The action says itself what its files are read as.
    as_said: bool,
    tables: Arc<Tables>,
}

impl TextRunner {
    fn new(
        place: Where,
        language: Option<&'static Language>,
        rows: Vec<TextRow>,
        action: &Action,
        cx: &CompileCx<'_>,
    ) -> Self {
        let (scope, tables) = (action.scope.clone(), cx.tables.clone());
        let as_said = action.table.get("lang").is_some();
        Self { place, language, rows, scope, as_said, tables }
    }

    /// The parts of a text that are searched.
    fn parts(&self, text: &str, code: Option<&Code>) -> Vec<Span> {
        let Some(code) = code else { return lines(text) };
        let comments = code.facts.comments.clone();
        match self.place {
            Where::Line => lines(text),
            Where::Comment => comments,
            Where::String => code.facts.strings.clone(),
            Where::Word => {
                let mut out = comments;
                out.extend(&code.facts.strings);
                outside(out, text.len())
            }
        }
    }
}

/// The lines of a text without the blanks around them; empty ones are left out.
fn lines(text: &str) -> Vec<Span> {
    let mut at = 0;
    let mut out = Vec::new();
    for line in text.split_inclusive('\n') {
        let inner = line.trim_start();
        let start = at + line.len() - inner.len();
        let inner = inner.trim_end();
        if !inner.is_empty() {
            out.push(Span::new(start, start + inner.len()));
        }
        at += line.len();
    }
    out
}

/// What lies between these places.
fn outside(mut places: Vec<Span>, len: usize) -> Vec<Span> {
    places.sort();
    let (mut out, mut at) = (Vec::new(), 0);
    for p in places {
        if p.start > at {
            out.push(Span { start: at, end: p.start });
        }
        at = at.max(p.end);
    }
    out.push(Span { start: at, end: len as u32 });
    out.retain(|s| s.start < s.end);
    out
}

/// A line with its line end, where that is all there is of it.
fn whole_line(text: &str, at: Span) -> Span {
    let start = text[..at.start as usize].rfind('\n').map_or(0, |n| n + 1);
    let end = text[at.end as usize..].find('\n').map_or(text.len(), |n| at.end as usize + n + 1);
    // The last line takes the line end before it along.
    let start = match end == text.len() && !text.ends_with('\n') {
        true => text[..start].trim_end_matches('\n').trim_end_matches('\r').len().min(start),
        false => start,
    };
    Span::new(start, end)
}

impl Runner for TextRunner {
    fn asks(&self) -> Asks {
        Asks {
            kind: "text",
            language: self.language,
            needs: Needs::of(self.rows.iter().map(TextRow::words)),
            rows: self.rows.iter().map(|r| r.old.clone()).collect(),
            yields: true,
            ..Asks::NONE
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        let reads = |l| self.as_said || self.tables.reads(l, path);
        self.scope.covers(path) && self.language.is_none_or(reads)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        for part in self.parts(cx.text, cx.code) {
            for (n, row) in self.rows.iter().enumerate() {
                for m in row.matches(cx.text, part) {
                    let Some(parts) = row.write(&m, cx.text) else {
                        let say = row.advice.clone().unwrap_or_default();
                        out.notes.push(NoteDraft::new(m.at, say));
                        continue;
                    };
                    if Part::plain(&parts, cx.text) == m.at.of(cx.text) {
                        continue;
                    }
                    let gone = parts.is_empty() && self.place == Where::Line;
                    let at = if gone { whole_line(cx.text, m.at) } else { m.at };
                    let splice = Splice { span: at, parts, inner: false };
                    let facts = vec![self.place.fact(m.at)];
                    let draft = Draft::new((action, n), row.digest, m.at, facts);
                    out.drafts.push(draft.writing(vec![splice]));
                }
            }
        }
    }
}
