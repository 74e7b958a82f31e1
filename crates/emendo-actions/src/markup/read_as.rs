//! Values and texts that are read as a language: `old` and `new` are patterns of it.

use std::sync::Arc;

use emendo_docs::markup::{Attribute, Element, Held, Page, TextRun, decode, read, values};
use emendo_lang::{Certainty, Fact, Language, Project as _, Tree, weakest};
use emendo_recipe::{Action, Scope, Table, Text};
use emendo_text::{RelPath, Span};

use crate::contract::{
    Asks, Code, CompileCx, FileCx, Found, InPage, Kind, Needs, NoteDraft, Replaces, Runner, Tables,
};
use crate::markup::place::{Known, Meant};
use crate::markup::runner::What;

/// Formats that are written like expressions of a language: the word, and an ending of the language's files.
const WRITTEN_LIKE: &[(&str, &str)] = &[("json", "js")];
/// What `code` reads of the action.
const OF_CODE: &[&str] = &["old", "new", "pairs", "table", "base", "gone"];

/// Finds patterns of a language in values or texts of markup.
pub(super) struct ReadAsRunner {
    tables: Arc<Tables>,
    scope: Scope,
    what: What,
    meant: Meant,
    word: String,
    language: &'static Language,
    ending: &'static str,
    inner: Box<dyn Runner>,
}

/// A place that is read: where it stands, in what, and what is known of it.
struct ReadPlace {
    at: Span,
    held: Held,
    known: Known,
}

/// Compiles an action that reads values or texts.
pub(super) fn compile(
    action: &Action,
    word: &Text,
    what: What,
    meant: Meant,
    cx: &mut CompileCx<'_>,
) -> Option<Box<dyn Runner>> {
    if !matches!(what, What::Value | What::Text) {
        return cx.refuse(
            "only values and texts are read as a language",
            word.span,
            "write `what = \"value\"` or `what = \"text\"`",
        );
    }
    let like = WRITTEN_LIKE.iter().find(|w| w.0 == word.text).map(|w| w.1);
    let language = match like {
        Some(ending) => cx.tables.languages.iter().copied().find(|l| l.claims_ending(ending)),
        None => cx.tables.language(&word.text),
    };
    let Some(language) = language else {
        let formats: Vec<&str> = WRITTEN_LIKE.iter().map(|w| w.0).collect();
        return cx.refuse(
            format!("values cannot be read as `{}`", word.text),
            word.span,
            format!("write one of: {}, {}", formats.join(", "), cx.tables.language_words()),
        );
    };
    let ending = language.grammar.extensions.first().copied()?;
    let entries = action.table.entries.iter().filter(|e| OF_CODE.contains(&e.key.as_str()));
    let table = Table { entries: entries.cloned().collect() };
    let lang = Some(Text::derived(language.id.to_owned(), word.span));
    let scope = Scope { lang, ..action.scope.clone() };
    let kind = &crate::code::CODE;
    let inner = Action { kind, table, scope, span: action.span, broken: action.broken };
    let inner = crate::code::CODE.compile(&inner, cx)?;
    let (tables, scope) = (cx.tables.clone(), action.scope.clone());
    let word = word.text.clone();
    Some(Box::new(ReadAsRunner { tables, scope, what, meant, word, language, ending, inner }))
}

impl Runner for ReadAsRunner {
    fn asks(&self) -> Asks {
        let inner = self.inner.asks();
        let Asks { needs, rows, grows, .. } = inner;
        let needs = Needs(needs.0);
        let replaces = Replaces { unnamed: rows.clone(), ..Replaces::NONE };
        Asks { kind: "markup", needs, rows, grows, replaces, about_pages: true, ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.tables.host_of(path).is_some() && self.scope.covers(path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(host) = cx.tables.host_of(cx.path) else { return };
        let page = read(host, cx.text);
        let places = self.places(&page, out);
        if places.is_empty() {
            return;
        }
        let all: Vec<(Span, Held)> = places.iter().map(|p| (p.at, p.held)).collect();
        let layer = Arc::new(values(&page, self.ending, &all));
        let code = Code::of_layer(self.language, &layer, (cx.path, cx.project.files()), cx.text);
        let inner = FileCx { text: &layer.view, code: Some(&code), ..cx.copied() };
        let mut found = Found::default();
        self.inner.find(&inner, action, &mut found);
        let fit = InPage { layer: &layer, page: cx.text };
        for mut draft in found.drafts {
            let Some(place) = places.iter().find(|p| p.at.contains(draft.hull)) else { continue };
            // Which value is meant says more than the names in it.
            let says = Certainty::Certain;
            let text = format!("the value is read as {}", self.word);
            draft.evidence = place.known.facts.clone();
            draft.evidence.push(Fact { says, text, at: Some(place.at) });
            draft.certainty = weakest(&draft.evidence);
            fit.draft(&mut draft);
            out.drafts.push(draft);
        }
        for mut note in found.notes {
            fit.restore(&mut note.say);
            out.notes.push(note);
        }
    }
}

impl ReadAsRunner {
    /// The values or texts that are meant, and that can be read; of others that hold the words a note is made.
    fn places(&self, page: &Page<'_>, out: &mut Found) -> Vec<ReadPlace> {
        let mut places = Vec::new();
        let needs = self.inner.asks().needs;
        let mut all = |at: Span, held: Held, known: Known| {
            let text = at.of(page.text);
            if !needs.met(|w| text.contains(w)) {
                return;
            }
            let meant = if held == Held::Script { text.into() } else { decode(text) };
            let tree = Tree::parse_ending(self.language, self.ending, &format!("({meant}\n)"));
            let code = page.code.iter().any(|c| at.contains(c.at));
            if tree.has_error() && !code {
                let say = format!("this cannot be read as {}: look at it by hand", self.word);
                out.notes.push(NoteDraft::new(at, say));
                return;
            }
            places.push(ReadPlace { at, held, known });
        };
        for (n, e) in page.elements.iter().enumerate() {
            let Some(known) = self.meant.element(page, e, None) else { continue };
            let again = || Known { slots: known.slots.clone(), facts: known.facts.clone() };
            if self.what == What::Value {
                for (_, at, held) in self.values(page, e) {
                    all(at, held, again());
                }
                continue;
            }
            let own = |t: &&TextRun| t.parent == Some(n) && !t.at.of(page.text).trim().is_empty();
            for run in page.texts.iter().filter(own) {
                let whole = run.at.of(page.text);
                let lead = whole.len() - whole.trim_start().len();
                let start = run.at.start as usize + lead;
                let held = if run.raw { Held::Script } else { Held::Text };
                all(Span::new(start, start + whole.trim().len()), held, again());
            }
        }
        places
    }

    fn values<'e>(
        &'e self,
        page: &'e Page<'_>,
        e: &'e Element,
    ) -> impl Iterator<Item = (&'e Attribute, Span, Held)> + 'e {
        let meant = e.attributes.iter().filter(|a| self.meant.attribute(page, a));
        meant.filter_map(|a| {
            let value = a.value?;
            Some((a, value.inner, Held::Value(value.quote)))
        })
    }
}
