//! Uses of a symbol: what is written over them, and what must be imported for it.

use emendo_lang::tree::{children, span};
use emendo_lang::{Fact, Import, ImportName, Project, Space, Word, token_texts};
use emendo_pattern::delete_item;
use emendo_text::{Digest, Span, Splice};

use crate::contract::{Change, Draft, Found, NoteDraft, SymbolKind};
use crate::meaning::{Meant, Place, Rewritten, SymbolRunner};
use crate::symbol::written::whole;

impl SymbolRunner {
    /// All words of a file that mean an old name.
    pub(super) fn words_of(&self, p: &Place<'_>, out: &mut Found) {
        let words = self.rows.words(&p.code.facts);
        for same in words.chunk_by(|a, b| a.0.span == b.0.span) {
            for (row, old, meant) in self.meanings(p, same) {
                self.word(p, same[0].0, row, &self.rows.all[row].olds[old], meant, out);
            }
        }
    }

    /// A word that ends like an old name.
    pub(crate) fn word(
        &self,
        p: &Place<'_>,
        word: Word,
        row: usize,
        old: &str,
        meant: Meant,
        out: &mut Found,
    ) {
        let r = &self.rows.all[row];
        let names = &self.rows.language.names;
        let new = r.new_for(names, old);
        let (path, facts) = match meant {
            Meant::Path(path, facts) => (Some(path), facts),
            Meant::Token(facts) => (None, facts),
            Meant::Partly(fact) => {
                let say = format!("`{old}` may be meant here: {}", fact.text);
                out.notes.push(NoteDraft::new(word.span, say));
                return;
            }
        };
        if let Some(path) =
            path.as_ref().filter(|p| p.len() > 1 || self.what == SymbolKind::Package)
            && self.kept(p, row, old, path)
        {
            return;
        }
        // A name that an import makes known under the file's own choice stays; the import changes.
        let single = path.as_ref().is_some_and(|p| p.len() == 1);
        if path.as_ref().is_some_and(|path| self.passed_as(p, path)) && r.new.is_some() {
            return;
        }
        if single && self.rests_on_import(p, &word, old, new.as_deref()) {
            return;
        }
        let Some(new) = &new else {
            let at = path.as_ref().map_or(word.span, |p| whole(p));
            self.gone(p, (row, at), facts, out);
            return;
        };
        if self.left_behind(p, (row, word.span), (old, new), out) {
            return;
        }
        let last = names.last(new);
        if self.stays_declared(p, &word, (old, new), out) {
            return;
        }
        let token = |text: &str| Rewritten {
            splices: vec![Splice::text(word.span, text)],
            imports: Vec::new(),
            kept: Vec::new(),
        };
        let hull = path.as_ref().map_or(word.span, |p| whole(p));
        let by_whole = path.as_ref().and_then(|path| self.by_whole_path(p, path, (old, new)));
        let passed_on = word.key && names.absolute && p.text(word.span) != names.last(old);
        let written = match (&path, by_whole) {
            // Passed on to under its own name, which stands for both.
            _ if passed_on => Ok(Rewritten {
                splices: vec![Splice::text(
                    Span::at(word.span.end as usize),
                    format!(", as: :{last}"),
                )],
                imports: Vec::new(),
                kept: Vec::new(),
            }),
            (_, Some(whole)) => whole,
            _ if self.listed_too(p, &word, last).is_some() => {
                let splices = self.listed_too(p, &word, last).into_iter().collect();
                Ok(Rewritten { splices, imports: Vec::new(), kept: Vec::new() })
            }
            (Some(path), _) if path.len() > 1 && !r.carried => {
                self.respelled(p, &word, path, old, new)
            }
            (Some(_), _) if single => self.renamed(p, &word, old, new),
            (None, _)
                if !(r.carried && names.absolute) && self.through_owner(p, &word, old, new) =>
            {
                self.by_new_owner(p, &word, old, new)
            }
            _ => match self.captured(p, &word, last) {
                Ok(own) => self
                    .in_place(p, &word, last)
                    .map(|special| special.unwrap_or_else(|| token(&format!("{own}{last}")))),
                Err(why) => Err(why),
            },
        };
        let mut written = match written {
            Ok(mut written) => {
                self.keep_key(p, &word, &mut written);
                written
            }
            Err(why) => {
                let say = format!("`{old}` cannot be written as `{new}` here: {why}");
                out.notes.push(NoteDraft::new(hull, say));
                return;
            }
        };
        if let Some((labels, new)) = &r.labels {
            let told = p.resolver.relabeled(word.span, labels, new);
            written.splices.extend(told.into_iter().map(|(at, text)| Splice::text(at, text)));
            written.splices.sort_by_key(|s| s.span.start);
        }
        if self.becomes
            && let Err(why) = self.as_property(p, &word, &mut written)
        {
            out.notes.push(NoteDraft::new(hull, format!("`{old}` becomes a property, but {why}")));
            return;
        }
        if let Some(import) = self.owner_import(p, &word, row, new).filter(|_| path.is_none()) {
            if names.last(old) == last {
                // The name stays; it only comes from elsewhere.
                let change = Change { imports: vec![import], ..Change::default() };
                let facts = facts.into_iter().chain(self.against(p, row)).collect();
                let draft = Draft::new((p.action, row), r.digest, hull, facts);
                out.drafts.push(Draft { change, tie: self.tie(p, row, hull), ..draft });
                return;
            }
            written.imports.push(import);
        }
        let file = self.file_name(p, &word, last, out);
        let from = out.drafts.len();
        self.draft(p, row, (hull, vec![hull]), written, facts, out);
        for d in out.drafts[from..].iter_mut().filter(|_| file.is_some()) {
            d.tie.needs = file;
        }
    }

    /// A name in the list of those that the file passes on: it goes if its new name stands there too, or another name
    /// before it becomes that.
    fn listed_too(&self, p: &Place<'_>, word: &Word, last: &str) -> Option<Splice> {
        let language = self.rows.language;
        if language.exports.export_list.is_empty() || !p.code.facts.is_string(word.span) {
            return None;
        }
        let kinds = language.compare.strings;
        let mut item = p.code.tree.node_at(word.span, &[])?;
        while !kinds.contains(&item.kind()) {
            item = item.parent()?;
        }
        let list = item.parent()?;
        let mut others = children(list).into_iter().filter(|n| kinds.contains(&n.kind()));
        let twice = others.any(|n| {
            let inner = p.code.facts.strings.iter().find(|s| span(n).contains(**s));
            let Some(name) = inner.map(|s| p.text(*s)) else { return false };
            let becomes = self.rows.called(name).first();
            let becomes = becomes.and_then(|(row, _)| self.rows.all[*row].new.as_deref());
            match becomes.map(|new| language.names.last(new)) {
                Some(new) => new == last && n.end_byte() <= item.start_byte(),
                None => name == last,
            }
        });
        let inner = Span::new(list.start_byte() + 1, list.end_byte().saturating_sub(1));
        let separators = language.compare.separators;
        twice.then(|| delete_item(separators, p.cx.text, span(item), inner))
    }

    /// What must be imported for a member that moves to another owner, where members are known by that import: the
    /// old owner is imported for others of its members too, and stays.
    fn owner_import(
        &self,
        p: &Place<'_>,
        word: &Word,
        row: usize,
        new: &str,
    ) -> Option<ImportName> {
        let language = self.rows.language;
        let names = &language.names;
        let (from, to) = (names.parent(self.rows.symbol(row)), names.parent(new));
        let scoped = names.scoped_owners || names.extensions;
        if !scoped || !self.what.member() || from == to || to.is_empty() {
            return None;
        }
        let declared = matches!(word.space, Space::Declared);
        let imported = |symbol: &str| {
            let all = p.code.facts.imports.iter();
            all.filter(|i| !i.passes_on).any(|i| i.path() == symbol)
        };
        if declared || !imported(&from) || imported(&to) {
            return None;
        }
        let whole = p.code.facts.imports.iter().any(|i| i.path() == from && i.wildcard);
        let import = language.import_of(&to, Space::Type);
        Some(ImportName { wildcard: whole, ..import })
    }

    /// Where files are called like the types in them, the file of a renamed type gets another name too: the rename needs that.
    fn file_name(&self, p: &Place<'_>, word: &Word, new: &str, out: &mut Found) -> Option<Digest> {
        let name = p.text(word.span);
        let declares = p.code.facts.type_named_at(word.span).is_some_and(|t| t.path.len() == 1);
        if !declares || new == name || !self.is_called_after(name, p.cx.path) {
            return None;
        }
        let ending = p.cx.path.extension().unwrap_or("");
        let file = p.cx.moves.and_then(|m| m.of(p.cx.path));
        let why = match file {
            Some(m) if m.stands() => return Some(m.tie()),
            Some(m) if m.rejected => return Some(m.tie()),
            Some(m) => m.withheld.clone().unwrap_or_default(),
            None => "it is left out of this step".to_owned(),
        };
        let say =
            format!("`{name}` becomes `{new}`, and its file should be `{new}.{ending}`: {why}");
        out.notes.push(NoteDraft::new(word.span, say));
        None
    }

    /// True if the code names something below that is to keep its name, or that is the project's own.
    fn kept(&self, p: &Place<'_>, row: usize, old: &str, path: &[(String, Span)]) -> bool {
        let ahead = ahead(p.cx.text, whole(path).end, self.rows.language.names.separator);
        let full = format!("{old}{ahead}");
        if self.rows.keeps(&full) {
            return true;
        }
        // A longer name of another row decides.
        if self.rows.deciding(&full).is_some_and(|d| d.0 != row && self.what == SymbolKind::Package)
        {
            return true;
        }
        let next = ahead.split(['.', ':', '\\']).find(|s| !s.is_empty()).unwrap_or("");
        self.what == SymbolKind::Package && !next.is_empty() && p.cx.project.declares(old, next)
    }

    /// True if the name is known by an import that is changed itself.
    fn rests_on_import(&self, p: &Place<'_>, word: &Word, old: &str, new: Option<&str>) -> bool {
        let name = word.span.of(p.cx.text);
        let names = &self.rows.language.names;
        let own =
            p.resolver.facts.imports.iter().find(|i| {
                !i.passes_on && !i.wildcard && i.local() == Some(name) && i.path() == old
            });
        let Some(import) = own else { return false };
        if new.is_none() {
            // The note stands at the uses.
            return false;
        }
        let same = |n: &str| names.last(n) == names.last(old) || names.last(n) == names.default;
        import.aliased() || new.is_some_and(same) || p.code.facts.bound_twice(import)
    }

    /// True if a module of the project's own passes the symbol on under a name of its own choosing, which stays.
    pub(super) fn passed_as(&self, p: &Place<'_>, path: &[(String, Span)]) -> bool {
        let names = &self.rows.language.names;
        let Some(import) = p.resolver.import_at(&path[0].0, path[0].1.start) else { return false };
        let mut whole = names.segments(import.path());
        whole.extend(path[1..].iter().map(|s| s.0.as_str()));
        let real = p.cx.project.canonical(self.rows.language, &names.join(&whole));
        real.is_some_and(|r| r.fixed)
    }

    /// True if the file itself calls what it imports so.
    pub(super) fn own_alias(&self, p: &Place<'_>, path: &[(String, Span)]) -> bool {
        let import = p.resolver.import_at(&path[0].0, path[0].1.start);
        path.len() == 1 && import.is_some_and(|i| i.aliased() && !i.binds_root)
    }

    /// A value that names a key too keeps the key.
    pub(crate) fn keep_key(&self, p: &Place<'_>, word: &Word, written: &mut Rewritten) {
        let short = self.rows.language.declares.short_values;
        let short = !short.is_empty()
            && p.code.tree.node_at(word.span, short).is_some_and(|n| short.contains(&n.kind()));
        if let [splice] = written.splices.as_mut_slice()
            && short
            && splice.span == word.span
            && let [emendo_text::Part::Text(text)] = splice.parts.as_mut_slice()
            && text != p.text(word.span)
        {
            // The sign between them may stand there.
            if p.cx.text[word.span.end as usize..].starts_with(':') {
                let behind = Span::at(word.span.end as usize + 1);
                *splice = Splice::text(behind, format!(" {text}"));
            } else {
                *text = format!("{}: {text}", p.text(word.span));
            }
        }
    }

    /// Adds a draft that only asks for another import, in place of an item of a list.
    pub(super) fn draft_import(
        &self,
        p: &Place<'_>,
        row: usize,
        before: &Import,
        name: ImportName,
        fact: Fact,
        out: &mut Found,
    ) {
        let item = before.item.unwrap_or(before.span);
        let partners = vec![(before.path().to_owned(), name.path.clone())];
        let mut change =
            Change { imports: vec![name], partners, gone: vec![item], ..Change::default() };
        if before.restricts {
            change.imports.clear();
            change.partners.clear();
        }
        let against = self.against(p, row);
        let facts = std::iter::once(fact).chain(against).collect();
        let draft = Draft::new((p.action, row), self.rows.all[row].digest, item, facts);
        out.drafts.push(Draft { change, tie: self.tie(p, row, item), ..draft });
    }

    /// Adds a draft, unless nothing would change.
    pub(super) fn draft(
        &self,
        p: &Place<'_>,
        row: usize,
        (hull, tokens): (Span, Vec<Span>),
        written: Rewritten,
        evidence: Vec<Fact>,
        out: &mut Found,
    ) {
        let changes =
            |s: &Splice| emendo_text::Part::plain(&s.parts, p.cx.text) != s.span.of(p.cx.text);
        let mut splices: Vec<Splice> = written.splices.into_iter().filter(changes).collect();
        if splices.is_empty() {
            return;
        }
        splices.sort_by_key(|s| (s.span.start, s.span.end));
        let import = written.imports.first();
        let local = self.rows.language.names.last(&self.rows.all[row].olds[0]);
        let before = p.resolver.facts.imports.iter().find(|i| i.local() == Some(local));
        let partners =
            import.zip(before).map(|(new, old)| (old.path().to_owned(), new.path.clone()));
        let change = Change {
            splices,
            imports: written.imports,
            partners: partners.into_iter().collect(),
            kept: written.kept,
            ..Change::default()
        };
        let against = self.against(p, row).into_iter().chain(self.used_already(p, row));
        let evidence = evidence.into_iter().chain(against).collect();
        let draft = Draft::new((p.action, row), self.rows.all[row].digest, hull, evidence);
        out.drafts.push(Draft { tokens, change, tie: self.tie(p, row, hull), ..draft });
    }
}

/// The segments that follow directly: `.Station.open`.
fn ahead(text: &str, from: u32, separator: &str) -> String {
    let mut out = String::new();
    let mut between = String::new();
    for (_, t) in token_texts(&text[from as usize..]).take(32) {
        let word = t.starts_with(|c: char| c.is_alphabetic() || c == '_');
        if word && between == separator {
            out.push_str(separator);
            out.push_str(t);
            between.clear();
        } else if !word && separator.starts_with(&format!("{between}{t}")) {
            between.push_str(t);
        } else {
            break;
        }
    }
    out
}
