//! Finds what means the symbols of an action: uses, declarations, members, imports.
//!
//! A certain or likely meaning of a word beats a guess that another row makes of it.

mod members;
mod place;
mod rows;

use emendo_lang::weakest;
use emendo_lang::{Certainty, Fact, Owner, Project, Space, Word};
use emendo_text::Span;

pub(crate) use place::{BETWEEN, Place, Rewritten, doubled_like, spelled_on, undoubled};
pub use rows::renames;
pub(crate) use rows::{Row, Rows, excepted, joint, overload, row_digest};

use crate::contract::{Found, Needs, NoteDraft, Old, Replaces, Subject, SymbolKind};
use crate::shared::Head;

/// Looks for the symbols of an action, and for what is left of them.
pub struct SymbolRunner {
    pub(crate) head: Head,
    pub(crate) what: SymbolKind,
    pub(crate) strings: bool,
    pub(crate) docs: bool,
    pub(crate) becomes: bool,
    /// Statements that use what is gone become comments.
    pub(crate) comment_out: bool,
    /// Files that are called after its types move with them.
    pub(crate) moves_files: bool,
    /// It changes import statements of just this form, and nothing else.
    pub(crate) import: Option<ImportForm>,
    /// It only looks for what is left.
    pub(crate) watching: bool,
    pub(crate) rows: Rows,
}

/// What an import statement takes.
#[derive(Clone, Copy, PartialEq, Eq)]
pub(crate) struct ImportForm {
    pub(crate) wildcard: bool,
    pub(crate) is_static: bool,
}

/// What a word is to a row.
pub(crate) enum Meant {
    /// A use by names alone: the segments that are written, with their places.
    Path(Vec<(String, Span)>, Vec<emendo_lang::Fact>),
    /// Only the word itself: after an object, or where it is declared.
    Token(Vec<emendo_lang::Fact>),
    /// Only for some of the types that it may be of.
    Partly(Fact),
}

impl Meant {
    fn add(&mut self, more: Option<Fact>) {
        if let Self::Path(_, facts) | Self::Token(facts) = self {
            facts.extend(more);
        }
    }

    fn certainty(&self) -> Certainty {
        let (Self::Path(_, facts) | Self::Token(facts)) = self else { return Certainty::Unsure };
        weakest(facts)
    }
}

impl SymbolRunner {
    /// What a file must hold.
    pub(crate) fn needs(&self) -> &Needs {
        &self.head.needs
    }

    /// The symbols that it names.
    pub(crate) fn symbols(&self) -> Vec<String> {
        let all = self.rows.written().flat_map(|r| [r.olds.first().cloned(), r.new.clone()]);
        let kept = self.rows.except.iter().filter(|e| !e.contains('*')).cloned();
        all.flatten().chain(kept).collect()
    }

    /// The symbols whose uses it looks for.
    pub(crate) fn subjects(&self) -> Vec<Subject> {
        let member = self.what.member();
        let olds = self.rows.all.iter().flat_map(|r| &r.olds);
        olds.map(|symbol| Subject { symbol: symbol.clone(), member, inherited: member }).collect()
    }

    /// What is to be gone, and what is there instead.
    pub(crate) fn replaces(&self) -> Replaces {
        let mut out = Replaces { kept: self.rows.except.clone(), ..Replaces::NONE };
        for r in self.rows.written() {
            let (what, advice) = (self.what, r.advice.clone());
            let parameters = r.parameters.clone();
            let symbol = r.olds[0].clone();
            out.old.push(Old { symbol, what, parameters, advice, resolved: false });
            out.new.extend(r.new.clone());
        }
        out
    }

    pub(crate) fn note(&self, r: &Row, at: Span, out: &mut Found) {
        out.notes.push(NoteDraft::new(at, format!("`{}`: {}", r.olds[0], r.said())));
    }

    /// The words of a file that mean one of the symbols, with the row of each and why.
    pub(crate) fn meant_places(
        &self,
        p: &Place<'_>,
        out: &mut Found,
    ) -> Vec<(Word, usize, Vec<Fact>)> {
        let words = self.rows.words(&p.code.facts);
        let mut found = Vec::new();
        for same in words.chunk_by(|a, b| a.0.span == b.0.span) {
            for (row, old, meant) in self.meanings(p, same) {
                match meant {
                    Meant::Path(_, facts) | Meant::Token(facts) => {
                        found.push((same[0].0, row, facts));
                    }
                    Meant::Partly(fact) => {
                        let old = &self.rows.all[row].olds[old];
                        let say = format!("`{old}` may be meant here: {}", fact.text);
                        out.notes.push(NoteDraft::new(same[0].0.span, say));
                    }
                }
            }
        }
        found
    }

    /// The symbol of a row.
    pub(crate) fn symbol_of(&self, row: usize) -> &String {
        self.rows.symbol(row)
    }

    /// What the rows that end like a word make of it. What is known of one row contradicts a guess of another.
    pub(crate) fn meanings(
        &self,
        p: &Place<'_>,
        same: &[(Word, usize, usize)],
    ) -> Vec<(usize, usize, Meant)> {
        let all = same.iter().filter_map(|(word, row, old)| {
            let r = &self.rows.all[*row];
            if r.short_for.is_some() && !self.is_shortened(p, word, *row) {
                return None;
            }
            let mut meant = self.meant(p, word, &r.olds[*old])?;
            if let Some(parameters) = &r.parameters {
                meant.add(self.overloaded(p, word, parameters)?);
            }
            Some((*row, *old, meant))
        });
        let mut all: Vec<(usize, usize, Meant)> = all.collect();
        let best = all.iter().map(|m| m.2.certainty()).max();
        all.retain(|m| Some(m.2.certainty()) == best);
        all.dedup_by_key(|m| m.0);
        // Which of several is meant is not told: what it becomes is not either.
        let new = |m: &(usize, usize, Meant)| self.rows.all[m.0].new.as_deref();
        let apart = all.iter().any(|m| new(m) != new(&all[0]));
        if self.rows.language.names.absolute && best == Some(Certainty::Unsure) && apart {
            all.clear();
        }
        all
    }

    /// True if a word leaves out the end of the old name, and means it.
    fn is_shortened(&self, p: &Place<'_>, word: &Word, row: usize) -> bool {
        let names = &self.rows.language.names;
        let (kinds, end) = names.shortened;
        let Some(path) = self.path_of(p, word) else { return false };
        let mut words: Vec<String> = path.iter().map(|s| s.0.clone()).collect();
        if let Some(last) = words.last_mut() {
            last.push_str(end);
        }
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let space = if words.len() > 1 { Space::Value } else { Space::Type };
        p.code.tree.names_one(word.span, kinds, self.rows.language.words.paths)
            && p.resolver.means(&words, space, path[0].1.start, self.rows.symbol(row)).is_some()
    }

    /// Does a word mean `old`? `None` if not, or if nothing tells and the file never reaches the library.
    fn meant(&self, p: &Place<'_>, word: &Word, old: &str) -> Option<Meant> {
        let names = &self.rows.language.names;
        let path = self.path_of(p, word);
        if let Some(path) = &path
            && word.space != Space::Declared
        {
            let words: Vec<&str> = path.iter().map(|s| s.0.as_str()).collect();
            let packages =
                !self.rows.language.imports.packages.is_empty() && self.what == SymbolKind::Package;
            let space =
                if path.len() > 1 && !names.whole_paths() { Space::Value } else { word.space };
            let goes_on = || {
                let rest = p.cx.text[word.span.end as usize..].trim_start();
                rest.starts_with(names.separator)
            };
            // What stands before the separator is a package, what ends a path is none.
            if names.rooted && goes_on() != packages {
                return None;
            }
            let plain = (path.len() > 1 || !packages || names.rooted)
                && !(word.space == Space::Member && path.len() == 1);
            if plain && let Some(fact) = p.resolver.means(&words, space, path[0].1.start, old) {
                return Some(Meant::Path(path.clone(), vec![fact]));
            }
            if packages && let Some(fact) = self.begins_full_name(p, word, path, old) {
                return Some(Meant::Path(path.clone(), vec![fact]));
            }
        }
        if let Some(fact) = self.loaded(p, word, old) {
            return Some(Meant::Token(vec![fact]));
        }
        let free = !self.what.member() || self.what == SymbolKind::Constant;
        if word.space == Space::Declared && !word.key && free {
            // Assigned beside an import of the same name: what stands in for it elsewhere.
            let name = names.last(old);
            let beside = p.code.facts.is_top(word.span)
                && p.resolver
                    .import_at(name, word.span.start)
                    .is_some_and(|i| i.local() == Some(name));
            if beside
                && let Some(fact) = p.resolver.means(&[name], Space::Value, word.span.start, old)
            {
                return Some(Meant::Path(vec![(name.to_owned(), word.span)], vec![fact]));
            }
            let declared = self.declared(p, word, old);
            if declared.is_some() || !self.what.member() {
                return declared;
            }
        }
        if word.key
            && let Some(owner) = word.receiver
            && self.what != SymbolKind::Package
            && !p.resolver.is_argument(word)
        {
            // A key of what stands before it, or of what it is taken from.
            let mut path = crate::meaning::place::segments(p.cx.text, owner);
            path.push((p.text(word.span).to_owned(), word.span));
            let words: Vec<&str> = path.iter().map(|s| s.0.as_str()).collect();
            if let Some(fact) = p.resolver.means(&words, Space::Value, owner.start, old) {
                return Some(Meant::Token(vec![fact]));
            }
        }
        let owner = names.parent(old);
        let is_owner = |s: &str| s == owner;
        if !self.what.member() {
            // A function of the types around, called without naming one.
            let implied = self.rows.language.modules.is_none()
                && word.receiver.is_none()
                && !word.key
                && p.text(word.span) == names.last(old)
                && p.cx.text[word.span.end as usize..].trim_start().starts_with('(');
            let called =
                implied.then(|| p.resolver.member_of(word, p.cx.text, &is_owner, p.cx.packages));
            return match called {
                Some(Owner::Is(facts)) => Some(Meant::Token(facts)),
                _ => None,
            };
        }
        if !self.fits_form(p, word, old) {
            return None;
        }
        let itself = names.of_type_itself(old);
        if itself.is_some_and(|itself| p.resolver.is_on_other_side(word, itself)) {
            return None;
        }
        match p.resolver.member_of(word, p.cx.text, &is_owner, p.cx.packages) {
            Owner::Is(mut facts) => {
                facts.extend(p.resolver.doubt_of_own(word));
                let loose = self.rows.language.words.loose_member_texts;
                if loose && p.code.facts.is_string(word.span) {
                    let text = format!("a text that stands behind it may name `{old}`");
                    facts.push(Fact { says: Certainty::Likely, text, at: None });
                }
                Some(Meant::Token(facts))
            }
            Owner::Not => None,
            Owner::Partly(fact) => Some(Meant::Partly(fact)),
            Owner::Unknown(fact) => {
                // Where the file never names the library, it is nothing to change, but something to look at.
                // What a type itself has is hardly ever asked of what a call gives.
                let given = |r: Span| p.text(r).contains(['.', '(', '[']);
                let far = itself == Some(true) && word.receiver.is_some_and(given);
                let near = self.watching || p.reaches() && !far;
                // A constant is one of a type, which most often stands before it, or is left out where it is expected.
                let typed = self.what != SymbolKind::Constant || word.receiver.is_none();
                let may = !word.key && typed && near;
                may.then(|| Meant::Token(vec![fact]))
            }
        }
    }

    /// A package of one word where a full name begins with it: nothing else of that name is known there.
    fn begins_full_name(
        &self,
        p: &Place<'_>,
        word: &Word,
        path: &[(String, Span)],
        old: &str,
    ) -> Option<Fact> {
        let names = &self.rows.language.names;
        let [(name, at)] = path else { return None };
        let goes_on = p.cx.text[at.end as usize..].trim_start().starts_with(names.separator);
        if !names.full_names || name != old || word.receiver.is_some() || !goes_on {
            return None;
        }
        let facts = &p.code.facts;
        let hidden = facts.lookup(name, &[Space::Value, Space::Type], at.start).is_some()
            || p.resolver.imported(name, Space::Value).is_some();
        let kept = self.rows.keeps(&spelled_on(p.cx.text, *at));
        let text = format!("`{old}` begins a full name");
        (!hidden && !kept).then_some(Fact { says: Certainty::Certain, text, at: None })
    }

    /// A member of a module that is loaded right before the dot.
    fn loaded(&self, p: &Place<'_>, word: &Word, old: &str) -> Option<Fact> {
        let names = &self.rows.language.names;
        let before =
            p.text(word.receiver?).trim().trim_start_matches('(').trim_start_matches("await ");
        let call = self
            .rows
            .language
            .exports
            .loads
            .iter()
            .filter(|l| l.ends_with('('))
            .find_map(|l| before.strip_prefix(l))?;
        let module = call.trim().trim_end_matches(')').trim();
        let module = module.trim_matches(['"', '\'', '`']);
        if module.is_empty() || module.contains(['"', '\'', '(', '`']) {
            return None;
        }
        let modules = self.rows.language.modules.as_ref()?;
        let files = p.cx.project.files();
        let absolute = (modules.absolute)(&[module], &p.code.facts.module, p.cx.path, files);
        let whole =
            absolute.and_then(|a| a.into_iter().next()).unwrap_or_else(|| module.to_owned());
        let symbol = names.join(&[whole.as_str(), p.text(word.span)]);
        let through = || p.cx.project.canonical(self.rows.language, &symbol);
        let says = if symbol == old {
            Certainty::Certain
        } else if through().is_some_and(|t| t.symbol == old && !t.fixed) {
            Certainty::Likely
        } else {
            return None;
        };
        Some(Fact { says, text: format!("`{module}` is loaded here"), at: None })
    }

    /// The dotted name that a word ends, if it is one.
    fn path_of(&self, p: &Place<'_>, word: &Word) -> Option<Vec<(String, Span)>> {
        let names = &self.rows.language.names;
        let whole = match word.receiver.filter(|_| !word.key && word.space == Space::Member) {
            // A member is no part of a path.
            Some(_) if names.whole_paths() => return None,
            Some(r) => r.hull(word.span),
            None if names.whole_paths() => Span { start: word.path_start, end: word.span.end },
            None => word.span,
        };
        let text = p.text(whole);
        if text.len() > 400 || text.contains(['(', '[', '"', '\'', '<', '{']) {
            return None;
        }
        let mut path = crate::meaning::place::segments(p.cx.text, whole);
        if names.whole_paths() && text.starts_with(names.separator) {
            path.insert(0, (String::new(), Span::at(whole.start as usize)));
        }
        if path.len() > 1 && path[0].0 == names.root && !names.whole_paths() {
            path.remove(0);
        }
        (!path.is_empty()).then_some(path)
    }
}
