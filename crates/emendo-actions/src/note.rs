//! `note`: a place that a person must look at, or a word at the step itself.

use emendo_pattern::{Match, Pattern};
use emendo_recipe::{Action, ActionKind, Key, Shape};
use emendo_text::{Diagnostic, RelPath};

use crate::contract::{Asks, CompileCx, FileCx, Found, Kind, Needs, NoteDraft, Runner};
use crate::shared::{Filled, fill, language, pattern};
use crate::shared::{Finder, Head, WHERE};

/// The kind.
pub(super) static NOTE: Note = Note;

pub(super) struct Note;

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
    Key::later("comment_out"),
    Key::later("in_source"),
    Key::later("keep"),
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
            action.scope.names.values().map(|n| n.symbol.clone()).collect();
        symbols.extend(find.type_symbols().cloned());
        Some(Box::new(PlaceNote {
            head: Head::new("note", language, action, (needs, cx.tables)),
            find,
            finder,
            say: say.text,
            symbols,
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

struct PlaceNote {
    head: Head,
    find: Pattern,
    finder: Finder,
    say: String,
    symbols: Vec<String>,
}

impl Runner for PlaceNote {
    fn asks(&self) -> Asks {
        Asks {
            symbols: self.symbols.clone(),
            subjects: self.finder.subjects(std::iter::once(&self.find)),
            queries: self.finder.queries.clone(),
            asks_files: self.finder.asks_files(),
            asks_declarations: !self.symbols.is_empty(),
            ..self.head.asks()
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.head.covers(path)
    }

    fn find(&self, cx: &FileCx<'_>, _: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        let resolver = cx.resolver(code);
        let matches = self.finder.places(&self.find, cx, code, &resolver, out);
        for m in matches {
            for (m, _) in self.finder.with_answers(&m, cx) {
                let note = NoteDraft { at: m.span, say: self.say(&m, cx.text) };
                if !out.notes.contains(&note) {
                    out.notes.push(note);
                }
            }
        }
    }
}

impl PlaceNote {
    fn say(&self, m: &Match, text: &str) -> String {
        let value = |name: &str| {
            let bound = m.slot(name)?;
            Some(Filled::Text(bound.text.clone().unwrap_or_else(|| bound.span.of(text).to_owned())))
        };
        fill(&self.say, value).unwrap_or_else(|_| self.say.clone())
    }
}
