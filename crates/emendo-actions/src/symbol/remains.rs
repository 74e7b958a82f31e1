//! What is still there of old symbols, in the code as a run leaves it.

use std::sync::Arc;

use emendo_lang::weakest;
use emendo_lang::{Certainty, Import, Language, Project, Space, Wanted, Word};
use emendo_text::Span;

use crate::contract::{Needs, Remains, SymbolKind, Tables};
use crate::meaning::spelled_on;
use crate::meaning::{Meant, Place, Row, Rows, SymbolRunner, row_digest};
use crate::shared::Head;
use crate::symbol::mentions::{aliases, comment_mentions, spelled_in, under};

impl SymbolRunner {
    /// A runner that only looks for symbols.
    pub fn watch(
        language: (&'static Language, &Arc<Tables>),
        what: SymbolKind,
        symbols: Vec<String>,
        kept: Vec<String>,
    ) -> Self {
        let symbols = symbols.into_iter().map(|s| (s, None)).collect();
        Self::watch_overloads(language, what, symbols, (kept, Vec::new()))
    }

    /// The same, of the overloads with these types of parameters, where they become others.
    pub fn watch_overloads(
        language: (&'static Language, &Arc<Tables>),
        what: SymbolKind,
        symbols: Vec<(String, Option<Vec<Wanted>>)>,
        (kept, coming): (Vec<String>, Vec<String>),
    ) -> Self {
        let row = |(symbol, parameters): (String, Option<Vec<Wanted>>)| Row {
            digest: row_digest(&symbol),
            olds: vec![symbol],
            new: None,
            advice: None,
            parameters,
            labels: None,
            carried: false,
            short_for: None,
        };
        let (language, tables) = language;
        let mut rows = Rows::new(language, what, symbols.into_iter().map(row).collect(), kept);
        rows.coming = coming;
        let needs = Needs::of(rows.needs());
        Self {
            head: Head::everywhere("symbol", language, (needs, tables)),
            what,
            strings: true,
            docs: true,
            becomes: false,
            comment_out: false,
            moves_files: false,
            import: None,
            watching: true,
            rows,
        }
    }

    /// All places that mean or mention an old symbol.
    pub(super) fn still_there(&self, p: &Place<'_>, out: &mut Vec<Remains>) {
        self.still_imported(p, out);
        self.still_used(p, out);
        let rows = self.rows.hinted(p.cx.text);
        let texts = p.code.facts.strings.iter().map(|s| (*s, "a literal spells it"));
        let comments = p.code.facts.comments.iter().map(|c| (*c, "a comment spells it"));
        for (span, why) in texts.chain(comments) {
            rows.iter().for_each(|row| self.still_spelled(p, *row, span, why, out));
        }
        for span in &p.code.facts.comments {
            rows.iter().for_each(|row| self.still_linked(p, *row, *span, out));
        }
        self.still_in_doc_code(p, out);
    }

    fn remains(&self, row: usize, at: Span, certainty: Certainty, why: &str) -> Remains {
        let symbol = self.rows.symbol(row).clone();
        Remains { at, symbol, certainty, why: why.to_owned(), fact: None }
    }

    pub(super) fn still_imported(&self, p: &Place<'_>, out: &mut Vec<Remains>) {
        for import in &p.code.facts.imports {
            let Some((row, old)) = self.rows.deciding_import(import) else { continue };
            let exact = old.len() == import.path().len();
            let own = p.cx.project.type_of(old).is_some();
            let aliased = import.aliased() && import.path() != old;
            let other = exact && !self.serves(p, import);
            if (exact || self.what == SymbolKind::Package) && !own && !aliased && !other {
                let at = import.item.unwrap_or(import.span);
                out.push(self.remains(row, at, Certainty::Certain, "it is imported here"));
            }
        }
    }

    /// True unless a file uses the name of an import only as what this action does not name: a type may be called like a
    /// package, and one import then stands for both.
    pub(super) fn serves(&self, p: &Place<'_>, import: &Import) -> bool {
        let names = &self.rows.language.names;
        let Some(local) = import.local().filter(|_| names.rooted && !import.is_static) else {
            return true;
        };
        let goes_on =
            |w: &&Word| p.cx.text[w.span.end as usize..].trim_start().starts_with(names.separator);
        let words = p.code.facts.words(local).iter();
        let uses: Vec<_> = words.filter(|w| p.code.facts.rests_on(w, import)).collect();
        let packages = uses.iter().filter(|w| goes_on(w)).count();
        match self.what {
            SymbolKind::Package => packages > 0 || uses.is_empty(),
            _ => packages < uses.len() || uses.is_empty(),
        }
    }

    pub(super) fn still_used(&self, p: &Place<'_>, out: &mut Vec<Remains>) {
        let words = self.rows.words(&p.code.facts);
        let uses = words.chunk_by(|a, b| a.0.span == b.0.span).flat_map(|same| {
            let found = self.meanings(p, same).into_iter();
            found.map(|(row, _, meant)| (same[0].0, row, meant))
        });
        for (word, row, meant) in uses {
            if word.space == Space::Declared && !word.key {
                continue;
            }
            let (at, facts) = match meant {
                // A name of the project's own choosing is right to stay.
                Meant::Path(path, _)
                    if self.passed_as(p, &path)
                        || self.own_alias(p, &path) && !self.imported_as(p, word, row) =>
                {
                    continue;
                }
                Meant::Path(path, facts) => (crate::symbol::written::whole(&path), facts),
                Meant::Token(facts) => (word.span, facts),
                Meant::Partly(fact) => (word.span, vec![fact]),
            };
            if self.comes_anew(p, row, word) {
                continue;
            }
            let certainty = weakest(&facts);
            let fact = facts.into_iter().next_back();
            out.push(Remains { fact, ..self.remains(row, at, certainty, "") });
        }
    }

    /// True for a name that comes in with all of its new package too, which is as sure as that of the old.
    fn comes_anew(&self, p: &Place<'_>, row: usize, word: Word) -> bool {
        let names = &self.rows.language.names;
        let old = self.rows.symbol(row);
        let name = names.last(old);
        let anew = |new: &String| {
            names.last(new) == name
                && names.parent(new) != names.parent(old)
                && p.resolver.means(&[name], word.space, word.span.start, new).is_some()
        };
        names.sure_wildcards && p.text(word.span) == name && self.rows.coming.iter().any(anew)
    }

    /// True for the file's own name for the old symbol itself.
    fn imported_as(&self, p: &Place<'_>, word: Word, row: usize) -> bool {
        let (olds, local) = (&self.rows.all[row].olds, p.text(word.span));
        let imports = &p.code.facts.imports;
        imports.iter().any(|i| i.local() == Some(local) && olds.iter().any(|o| o == i.path()))
    }

    /// Texts and comments that spell the whole name, or a member with its type.
    fn still_spelled(
        &self,
        p: &Place<'_>,
        row: usize,
        span: Span,
        why: &str,
        out: &mut Vec<Remains>,
    ) {
        let (names, old) = (&self.rows.language.names, &self.rows.all[row].olds[0]);
        let text = p.text(span);
        for at in spelled_in(text, old, self.what == SymbolKind::Package) {
            let kept = self.rows.keeps(&spelled_on(text, at));
            let at = at.shifted(span.start as usize);
            if !kept && !self.is_word(p, row, at) {
                out.push(self.remains(row, at, Certainty::Likely, why));
            }
        }
        for (local, module) in aliases(&p.code.facts) {
            let Some(alias) = under(names, old, local, module) else { continue };
            for at in spelled_in(text, &alias, self.what == SymbolKind::Package) {
                let at = at.shifted(span.start as usize);
                out.push(self.remains(row, at, Certainty::Likely, why));
            }
        }
        let owner = names.parent(old);
        let hidden = || p.resolver.taken(names.last(&owner), Space::Type, span.start, &owner);
        if self.what.member() && p.reaches() && !hidden() {
            let short = names.member(names.last(&owner), names.last(old));
            for at in spelled_in(text, &short, false) {
                let at = at.shifted(span.start as usize);
                out.push(self.remains(row, at, Certainty::Unsure, why));
            }
        }
    }

    /// Comments that link to it by its short name.
    fn still_linked(&self, p: &Place<'_>, row: usize, span: Span, out: &mut Vec<Remains>) {
        let old = &self.rows.all[row].olds[0];
        let last = self.rows.language.names.last(old);
        for at in comment_mentions(p.text(span), last) {
            let at = at.shifted(span.start as usize);
            if self.is_word(p, row, at) {
                continue;
            }
            let means = [Space::Type, Space::Value]
                .iter()
                .any(|s| p.resolver.means(&[last], *s, at.start, old).is_some());
            // The import may have changed, and the comment not.
            let free = p.reaches() && !p.resolver.taken(last, Space::Type, at.start, old);
            let type_like = last.starts_with(char::is_uppercase);
            if means || (free && type_like && !self.what.member()) {
                out.push(self.remains(row, at, Certainty::Likely, "a comment links to it"));
            }
        }
    }
}
