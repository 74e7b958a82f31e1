//! `note`: a place that a person must look at, or a word at the step itself.

use emendo_lang::{Certainty, Fact};
use emendo_pattern::{Match, Pattern, value_unused};
use emendo_recipe::{Action, ActionKind, Key, Shape};
use emendo_text::{Diagnostic, Digest, RelPath, Span, Splice};

use crate::contract::{
    Asks, Code, CompileCx, Draft, FileCx, Found, Kept, Kind, Needs, NoteDraft, Runner,
    action_digest,
};
use crate::shared::{
    CommentedOut, Filled, Finder, Head, ValuePattern, WHERE, comment_above, comment_out,
    commented_before, fill, language, pattern, reads,
};

/// The kind.
pub(crate) static NOTE: Note = Note;

pub(crate) struct Note;

const KEYS: &[Key] = &[
    Key::new(
        "find",
        Shape::Pattern,
        "the code that is looked for; without it the note stands at the step",
    ),
    Key::required("say", Shape::Text, "what to say; slots of `find` may be used"),
    Key::new(
        "as",
        Shape::Text,
        "the one way to read the pattern: expression, statement, member, type, ...",
    ),
    WHERE[0],
    WHERE[1],
    WHERE[2],
    WHERE[3],
    WHERE[4],
    WHERE[5],
    Key::new(
        "comment_out",
        Shape::Bool,
        "the whole statement becomes a comment, with the note above it; only where nothing uses its value",
    ),
    Key::new("in_source", Shape::Bool, "the note is put above the place as a comment"),
    Key::new(
        "keep",
        Shape::Bool,
        "no other action of the recipe writes over the code that `find` names",
    ),
];

impl ActionKind for Note {
    fn name(&self) -> &'static str {
        "note"
    }
    fn about(&self) -> &'static str {
        "reports places that a person must look at"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        true
    }
}

impl Kind for Note {
    fn compile(&self, action: &Action, cx: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let say = action.table.text("say")?.clone();
        for key in ["at_least", "instead"] {
            if let Some(e) = action.table.entry(key) {
                let d = Diagnostic::error(format!("a note has no `{key}`"), e.key_span);
                cx.out.push(d.help("it belongs to actions that edit: `code`, `symbol`, `signature`, `library`, `setting`"));
            }
        }
        let edits = ["comment_out", "in_source", "keep"];
        let told = edits.iter().filter(|k| action.table.is_true(k)).collect::<Vec<_>>();
        if let Some(e) = told.first().and_then(|k| action.table.entry(k))
            && action.table.get("find").is_none()
        {
            let message = format!("`{}` needs `find`", e.key);
            return cx.refuse(message, e.key_span, "say which code is meant");
        }
        if action.table.is_true("comment_out")
            && let Some(e) = told.iter().skip(1).find_map(|k| action.table.entry(k))
        {
            return cx.refuse(
                format!("`{}` does not go with `comment_out`", e.key),
                e.key_span,
                "leave one of them out: the comment holds the note already",
            );
        }
        let Some(find) = action.table.text("find") else {
            if let Some(slots) = action.table.entry("slots") {
                cx.out.push(
                    Diagnostic::error("without `find` there are no slots", slots.key_span)
                        .help("add `find`"),
                );
            }
            return Some(Box::new(StepNote(say.text, Needs::default())));
        };
        let language = language(action, cx)?;
        let find = pattern(language, find, action, cx)?;
        let finder = Finder::compile(language, action, cx);
        let own = find.slots().map(str::to_owned).chain(crate::shared::groups(action));
        let known: Vec<String> = own.chain(finder.binds()).collect();
        crate::shared::check_slots(action, &known, cx);
        if let Err(e) = emendo_text::Template::parse_text(&say.text) {
            cx.out.push(Diagnostic::error(e.message, say.place(e.at)).help(e.help));
        } else if let Err(missing) = fill(&say.text, |name| {
            known.iter().any(|k| k == name).then(|| Filled::Text(String::new()))
        }) {
            let d = Diagnostic::error(format!("nothing binds the slot `{missing}`"), say.span);
            cx.out.push(d.help(format!("`find` binds: {}", known.join(", "))));
        }
        let needs = Needs::of(find.needs());
        let mut symbols: Vec<String> =
            action.scope.names.values().map(|n| language.names.plain(&n.symbol)).collect();
        symbols.extend(find.type_symbols().cloned());
        let is = |key: &str| action.table.is_true(key);
        let does = match (is("comment_out"), is("in_source")) {
            (true, _) => Does::CommentOut,
            (_, true) => Does::CommentAbove,
            _ => Does::Nothing,
        };
        // What is a comment by now is found by the words above it.
        let said = ValuePattern::compile(&reads(&say.text)).ok();
        Some(Box::new(PlaceNote {
            head: Head::new("note", language, action, (needs, cx.tables)),
            digest: action_digest("note", find.source()),
            find,
            finder,
            said: said.filter(|_| does == Does::CommentOut),
            say: say.text,
            symbols,
            does,
            keep: is("keep"),
        }))
    }
}

struct StepNote(String, Needs);

impl Runner for StepNote {
    fn asks(&self) -> Asks {
        Asks { kind: "note", needs: self.1.clone(), step_note: Some(self.0.clone()), ..Asks::NONE }
    }

    fn covers(&self, _: &RelPath) -> bool {
        false
    }

    fn find(&self, _: &FileCx<'_>, _: usize, _: &mut Found) {}
}

/// What becomes of a place besides the note.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Does {
    Nothing,
    CommentOut,
    CommentAbove,
}

struct PlaceNote {
    head: Head,
    digest: Digest,
    find: Pattern,
    finder: Finder,
    say: String,
    /// What tells a comment of its own.
    said: Option<ValuePattern>,
    symbols: Vec<String>,
    does: Does,
    keep: bool,
}

impl Runner for PlaceNote {
    fn asks(&self) -> Asks {
        Asks {
            symbols: self.symbols.clone(),
            subjects: self.finder.subjects(std::iter::once(&self.find)),
            queries: self.finder.queries.clone(),
            asks_files: self.finder.asks_files(),
            asks_declarations: !self.symbols.is_empty(),
            keeps: self.keep,
            comments_out: self.does == Does::CommentOut,
            ..self.head.asks()
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.head.covers(path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        let resolver = cx.resolver(code);
        let matches = self.finder.places(&self.find, cx, code, &resolver, out);
        for m in matches {
            for (m, _) in self.finder.with_answers(&m, cx) {
                self.place(&m, (cx, code), action, out);
            }
        }
        let Some(said) = &self.said else { return };
        for before in commented_before(code, cx.text, &|words| said.fit(words).is_some()) {
            let say = before.say;
            out.notes
                .push(NoteDraft { reads: Some(before.reads), ..NoteDraft::new(before.at, say) });
        }
    }
}

impl PlaceNote {
    /// What is said of a place, and what becomes of it.
    fn place(&self, m: &Match, (cx, code): (&FileCx<'_>, &Code), action: usize, out: &mut Found) {
        let say = self.say(m, cx.text);
        let mut note = NoteDraft::new(m.span, say.clone());
        if self.keep {
            let tokens = m.own_tokens(&self.find).collect();
            out.kept.push(Kept { tokens, say: say.clone() });
        }
        let edit = match self.does {
            Does::Nothing => Ok(None),
            Does::CommentAbove => comment_above(cx, code, m.span, &say).map(|splice| {
                let splice = splice?;
                Some((Span::at(splice.span.start as usize), vec![splice], "the note is put above"))
            }),
            Does::CommentOut if !value_unused(code.language, &code.tree, m) => {
                Err("its value is used".to_owned())
            }
            Does::CommentOut => comment_out(cx, code, m.span, &say, false).map(|done| {
                let CommentedOut { statement, splices } = done;
                note = NoteDraft {
                    reads: Some(reads(statement.of(cx.text))),
                    ..NoteDraft::new(statement, say.clone())
                };
                Some((statement, splices, "the whole statement becomes a comment"))
            }),
        };
        match edit {
            Ok(None) => {}
            Ok(Some((hull, splices, what))) => self.edit((m, hull), splices, what, action, out),
            Err(why) => {
                let what =
                    if self.does == Does::CommentOut { "commented out" } else { "put above" };
                note.say = format!("{say} (not {what}: {why})");
            }
        }
        if !out.notes.contains(&note) {
            out.notes.push(note);
        }
    }

    /// The edit that a note makes; of several in one statement the first stands for all.
    fn edit(
        &self,
        (m, hull): (&Match, Span),
        splices: Vec<Splice>,
        what: &str,
        action: usize,
        out: &mut Found,
    ) {
        let same = |d: &Draft| d.action.0 == action && d.hull.contains(hull);
        if out.drafts.iter().any(same) {
            return;
        }
        let mut facts = m.facts.clone();
        let text = what.to_owned();
        facts.push(Fact { says: Certainty::Likely, text, at: Some(m.span) });
        let draft = Draft::new((action, 0), self.digest, hull, facts).writing(splices);
        let mut draft = draft;
        draft.change.silent = true;
        out.drafts.push(draft);
    }

    fn say(&self, m: &Match, text: &str) -> String {
        let value = |name: &str| {
            let bound = m.slot(name)?;
            Some(Filled::Text(bound.text.clone().unwrap_or_else(|| bound.span.of(text).to_owned())))
        };
        fill(&self.say, value).unwrap_or_else(|_| self.say.clone())
    }
}
