//! Import statements that change themselves: moved names, packages, aliases, wildcards, names that are passed on.

use std::sync::Arc;

use emendo_lang::language::PathTo;
use emendo_lang::{Certainty, Fact, Import, ImportName, Language, Project, Space, Tree};
use emendo_pattern::{delete_splice, doubled};
use emendo_text::{Digest, Span, Splice};

use crate::contract::{Change, Draft, Found, Needs, NoteDraft, SymbolKind, Tables};
use crate::file::mend::spelled;
use crate::meaning::{ImportForm, Place, Rewritten, Row, Rows, SymbolRunner};
use crate::shared::Head;
use crate::symbol::statements::{Moved, Statement};

/// The import that a pattern is, if it is one whole statement that imports one thing under its own name.
pub(crate) fn import_in(language: &Language, source: &str) -> Option<(String, ImportForm)> {
    let tree = Tree::parse(language, source);
    let roots: Vec<_> = tree.root().named_children(&mut tree.root().walk()).collect();
    let [statement] = roots.as_slice() else { return None };
    if tree.has_error() || !language.imports.kinds.contains(&statement.kind()) {
        return None;
    }
    let all = (language.imports.read_import)(*statement, source);
    let [import] = all.as_slice() else { return None };
    let plain = !import.aliased() && !import.passes_on && !import.binds_root && !import.implied;
    let form = ImportForm { wildcard: import.wildcard, is_static: import.is_static };
    plain.then(|| (import.path().to_owned(), form))
}

impl SymbolRunner {
    /// Writes one import in place of another, wherever it stands: in a list, under another name.
    pub(crate) fn of_imports(
        (language, tables): (&'static Language, &Arc<Tables>),
        digest: Digest,
        old: (String, ImportForm),
        new: String,
    ) -> Self {
        let row = Row {
            digest,
            olds: vec![old.0],
            new: Some(new),
            advice: None,
            parameters: None,
            labels: None,
            carried: false,
            short_for: None,
        };
        // Other forms of the name are not meant.
        let what = SymbolKind::Constant;
        let rows = Rows::new(language, what, vec![row], Vec::new());
        let head = Head::everywhere("code", language, (Needs::of(rows.needs()), tables));
        let (strings, docs, becomes, watching) = (false, false, false, false);
        Self {
            head,
            what,
            strings,
            docs,
            becomes,
            comment_out: false,
            moves_files: false,
            import: Some(old.1),
            watching,
            rows,
        }
    }

    /// All import statements of a file.
    pub(crate) fn imports(&self, p: &Place<'_>, out: &mut Found) {
        let all = &p.code.facts.imports;
        let mut at = 0;
        while at < all.len() {
            let count = all[at..].iter().take_while(|i| i.span == all[at].span).count();
            let statement = &all[at..at + count];
            let moved: Vec<Moved<'_>> =
                statement.iter().filter_map(|i| self.moved(p, i, out)).collect();
            self.statement(p, statement, moved, out);
            at += count;
        }
    }

    /// What an import becomes, unless its uses carry the change.
    fn moved<'i>(&self, p: &Place<'_>, import: &'i Import, out: &mut Found) -> Option<Moved<'i>> {
        let names = &self.rows.language.names;
        let path = import.path();
        if names.absolute && names.spells_relative(import) {
            // What its path begins with is a use of another import.
            return None;
        }
        if let Some(form) = self.import {
            let own = ImportForm { wildcard: import.wildcard, is_static: import.is_static };
            let row = self.rows.deciding(path).filter(|d| d.1 == path && own == form)?.0;
            let target = self.rows.all[row].new.clone().filter(|n| n != path)?;
            let text = format!("`{path}` is imported by its full name");
            let fact = Fact { says: Certainty::Certain, text, at: Some(import.span) };
            return Some(Moved { import, row, target, fact });
        }
        let Some((row, old)) = self.rows.deciding_import(import) else {
            self.passed_through(p, import, out);
            if import.wildcard && !import.is_static && self.what != SymbolKind::Package {
                self.moved_from_wildcard(p, import, out);
            }
            return None;
        };
        let own = p.cx.project.declares(&names.parent(path), names.last(path))
            || (import.wildcard && p.cx.project.has_package(path));
        let owned = own && self.rows.language.modules.is_none() && self.what != SymbolKind::Method;
        if owned && !self.declared_here_too(p, old) {
            return None;
        }
        let r = &self.rows.all[row];
        let Some(new) = &r.new_for(names, old) else {
            let used = path == old && self.used(p, import);
            if !used {
                self.note(r, import.item.unwrap_or(import.span), out);
            }
            return None;
        };
        let exact = path == old;
        if exact && !self.serves(p, import) {
            return None;
        }
        let named = names.default.is_empty() || names.last(new) != names.default;
        let renamed = exact && named && !import.wildcard && names.last(new) != names.last(old);
        let plain = !import.aliased() && !import.passes_on && import.count.is_none();
        let carried = plain && !p.code.facts.bound_twice(import);
        if renamed && carried && self.used(p, import) {
            // The uses are the edits; the import follows from them.
            return None;
        }
        if self.what != SymbolKind::Package && !exact && import.wildcard && names.sure_wildcards {
            // A namespace below is another thing than a type.
            return None;
        }
        let target = format!("{new}{}", &path[old.len()..]);
        if target == path {
            return None;
        }
        let both = import.wildcard
            && p.code.facts.imports.iter().any(|i| i.wildcard && i.path() == target);
        if both && self.kept_below(p, import) {
            // Both are here already: a wildcard that was split before.
            return None;
        }
        let fact = Fact {
            says: Certainty::Certain,
            text: format!("`{path}` is imported by its full name"),
            at: Some(import.span),
        };
        Some(Moved { import, row, target, fact })
    }

    /// True if the project declares the symbol itself, and it is that which is renamed.
    fn declared_here_too(&self, p: &Place<'_>, old: &str) -> bool {
        p.cx.project.type_of(old).is_some()
    }

    /// True if the file uses what an import makes known.
    fn used(&self, p: &Place<'_>, import: &Import) -> bool {
        let local = import.local().unwrap_or_default();
        let words = p.code.facts.words(local).iter();
        words.filter(|w| !matches!(w.space, Space::Member | Space::Declared)).any(|w| {
            p.resolver.import_at(local, w.span.start).is_some_and(|i| i.span == import.span)
                || p.resolver.means(&[local], w.space, w.span.start, import.path()).is_some()
        })
    }

    /// An import from a module of the project's own that passes the symbol on: it names the new one.
    fn passed_through(&self, p: &Place<'_>, import: &Import, out: &mut Found) {
        let language = self.rows.language;
        let names = &language.names;
        if language.modules.is_none() || import.wildcard {
            return;
        }
        let last = names.last(import.path());
        if self.rows.called(last).is_empty() {
            return;
        }
        let Some(real) = p.cx.project.canonical(language, import.path()) else { return };
        let exact = |d: &(usize, &str)| d.1 == real.symbol;
        let Some((row, old)) = self.rows.deciding(&real.symbol).filter(exact) else { return };
        if real.fixed {
            return;
        }
        let Some(new) = &self.rows.all[row].new else { return };
        let carried = !import.aliased() && !import.passes_on && self.used(p, import);
        if carried || names.last(new) == last {
            return;
        }
        let Some((_, at)) = import.segments.last() else { return };
        let fact = Fact {
            says: Certainty::Likely,
            text: format!("the project's own `{}` passes on `{old}`", names.parent(import.path())),
            at: Some(import.span),
        };
        let splice = doubled(import, names.last(new)).filter(|_| import.doubled);
        let splice = splice.unwrap_or_else(|| Splice::text(*at, names.last(new)));
        let written = Rewritten { splices: vec![splice], imports: Vec::new(), kept: Vec::new() };
        self.draft(
            p,
            row,
            (import.item.unwrap_or(import.span), vec![*at]),
            written,
            vec![fact],
            out,
        );
    }

    /// Writes the changes of one statement.
    fn statement(&self, p: &Place<'_>, all: &[Import], moved: Vec<Moved<'_>>, out: &mut Found) {
        let names = &self.rows.language.names;
        let (twice, moved): (Vec<Moved<'_>>, Vec<Moved<'_>>) =
            moved.into_iter().partition(|m| self.stays_local(p, m));
        for m in &twice {
            self.aliased(p, m, out);
        }
        let (merging, moved): (Vec<Moved<'_>>, Vec<Moved<'_>>) =
            moved.into_iter().partition(|m| self.is_imported_too(p, m));
        for m in &merging {
            self.merged(p, m, out);
        }
        let Some(first) = moved.first() else { return };
        if all.len() == 1 && self.kept_below(p, first.import) {
            // Some names of the wildcard stay after: it becomes two.
            let name = ImportName {
                is_static: first.import.is_static,
                path: first.target.clone(),
                wildcard: true,
                alias: None,
                whole: false,
                is_type: false,
                passes_on: first.import.passes_on,
                spelled: false,
                shown: first.import.shown.clone(),
            };
            let splice = self.below(p, first.import, &name);
            return self.move_draft(p, first, vec![splice], out);
        }
        let statement = Statement::new(names, all, &moved);
        let folder = &p.code.facts.folder;
        let here = p.cx.moves.is_none_or(|m| m.target(p.cx.path).is_none_or(|t| t == p.cx.path));
        let spelled = |m: &Moved<'_>| {
            let elsewhere = names.parent(&m.target) != names.parent(m.import.path());
            elsewhere && self.rows.language.spelled_from(folder, &m.target).is_some()
        };
        let relative = |m: &Moved<'_>| names.spells_relative(m.import) && !(here && spelled(m));
        for m in moved.iter().filter(|m| relative(m)) {
            self.relative(p, m, out);
        }
        let rest: Vec<&Moved<'_>> = moved.iter().filter(|m| !relative(m)).collect();
        let reshaped = rest.iter().any(|m| statement.default_changes(m));
        let over = |m: &&Moved<'_>| {
            let place = statement.in_place(m) || statement.together(m);
            !reshaped && place && !self.joins_list(p, m)
        };
        let (over, leaving): (Vec<&Moved<'_>>, Vec<&Moved<'_>>) =
            rest.into_iter().partition(|m| over(m));
        if let Some(first) = over.first() {
            self.move_draft(
                p,
                first,
                statement.written_over(self.rows.language, folder, &over),
                out,
            );
        }
        // Some items of a list leave it.
        for m in &leaving {
            let mut name = ImportName { path: m.target.clone(), ..m.import.name() };
            if statement.default_changes(m) && name.alias.is_none() {
                name.alias = m.import.local().map(str::to_owned);
            }
            self.draft_import(p, m.row, m.import, name, m.fact.clone(), out);
        }
    }

    /// True if the file imports a list from the module that an import moves to, and that list may take it in.
    fn joins_list(&self, p: &Place<'_>, m: &Moved<'_>) -> bool {
        let names = &self.rows.language.names;
        let module = names.parent(&m.target);
        let own = m.import;
        names.parent(own.path()) != module
            && !own.passes_on
            && !own.wildcard
            && !own.aliased()
            && p.code.facts.imports.iter().any(|i| {
                i.open
                    && i.span != own.span
                    && i.scope == own.scope
                    && i.is_static == own.is_static
                    && !i.passes_on
                    && i.segments.len() == i.shared + 1
                    && names.parent(i.path()) == module
                    && self.rows.deciding(i.path()).is_none()
            })
    }

    /// True if the file has what an import becomes already, under the same name, or gets it from an import before this.
    fn is_imported_too(&self, p: &Place<'_>, m: &Moved<'_>) -> bool {
        let own = m.import;
        let alias = |i: &Import| i.local().map(str::to_owned).filter(|_| i.aliased());
        let same = |i: &&Import| {
            i.wildcard == own.wildcard
                && i.is_static == own.is_static
                && i.passes_on == own.passes_on
                && !own.restricts
                && i.binds_root == own.binds_root
                && i.scope == own.scope
                && i.inside == own.inside
                && i.is_type == own.is_type
                && alias(i) == alias(own)
        };
        let place = |i: &Import| i.item.unwrap_or(i.span).start;
        let becomes = |i: &Import| {
            let (row, old) = self.rows.deciding(i.path())?;
            let new = self.rows.all[row].new_for(&self.rows.language.names, old)?;
            Some(format!("{new}{}", &i.path()[old.len()..]))
        };
        p.code.facts.imports.iter().filter(same).any(|i| match becomes(i) {
            Some(new) => new == m.target && place(i) < place(own),
            None => i.path() == m.target,
        })
    }

    /// An import whose new name the file has already: it goes.
    fn merged(&self, p: &Place<'_>, m: &Moved<'_>, out: &mut Found) {
        if m.import.item.is_some() || !m.import.wildcard {
            let name = ImportName { path: m.target.clone(), ..m.import.name() };
            return self.draft_import(p, m.row, m.import, name, m.fact.clone(), out);
        }
        let splice = delete_splice(p.cx.text, m.import.span, |_| None);
        self.move_draft(p, m, vec![splice], out);
    }

    /// True if the name may come from elsewhere too: it stays for the rest of the file.
    fn stays_local(&self, p: &Place<'_>, m: &Moved<'_>) -> bool {
        let names = &self.rows.language.names;
        names.last(&m.target) != names.last(m.import.path())
            && !m.import.aliased()
            && p.code.facts.bound_twice(m.import)
    }

    /// An import of the new name under the old.
    fn aliased(&self, p: &Place<'_>, m: &Moved<'_>, out: &mut Found) {
        let names = &self.rows.language.names;
        let Some(local) = m.import.local() else { return };
        match m.import.segments.last() {
            Some((last, at))
                if names.parent(&m.target) == names.parent(m.import.path()) && last == local =>
            {
                let text = format!("{} as {local}", names.last(&m.target));
                self.move_draft(p, m, vec![Splice::text(*at, text)], out);
            }
            _ => {
                let alias = Some(local.to_owned());
                let name = ImportName { path: m.target.clone(), alias, ..m.import.name() };
                let whole = m.import.span;
                let alone = p.code.facts.imports.iter().filter(|i| i.span == whole).count() == 1;
                if alone {
                    let text = self.written_like(p, &name, whole);
                    return self.move_draft(p, m, vec![Splice::text(whole, text)], out);
                }
                // The rest of the list stays, and this goes where the list stands: it may not hold elsewhere.
                let beside = self.below(p, m.import, &name);
                self.draft_import(p, m.row, m.import, name, m.fact.clone(), out);
                if let Some(draft) = out.drafts.last_mut() {
                    draft.hull = beside.span;
                    draft.change.imports.clear();
                    draft.change.partners.clear();
                    draft.change.splices = vec![beside];
                }
            }
        }
    }

    fn move_draft(&self, p: &Place<'_>, m: &Moved<'_>, splices: Vec<Splice>, out: &mut Found) {
        // What says how much it takes is written over by itself, whatever becomes of its uses.
        let own = |i: &&Import| i.span == m.import.span && i.count.is_some();
        let counted = p.code.facts.imports.iter().filter(own).filter_map(|i| i.item);
        let root = m.import.item.filter(|_| m.import.binds_root);
        let kept = root.into_iter().chain(counted).collect();
        let written = Rewritten { splices, imports: Vec::new(), kept };
        let tokens = vec![m.import.path_span()];
        self.draft(p, m.row, (m.import.span, tokens), written, vec![m.fact.clone()], out);
    }

    /// An import that is written from the file's own module on.
    fn relative(&self, p: &Place<'_>, m: &Moved<'_>, out: &mut Found) {
        let names = &self.rows.language.names;
        if p.cx.moves.is_some_and(|moves| moves.target(p.cx.path).is_some_and(|t| t != p.cx.path)) {
            // All that it imports from its own place is written anew.
            return;
        }
        let last = m.import.segments.last();
        if names.parent(&m.target) == names.parent(m.import.path())
            && let Some((written, at)) = last
            && written == names.last(m.import.path())
        {
            let splice = Splice::text(*at, names.last(&m.target));
            return self.move_draft(p, m, vec![splice], out);
        }
        if let Some(splices) = self.relocated(p, m) {
            return self.move_draft(p, m, splices, out);
        }
        let say = format!(
            "`{}` is imported from the file's own place here: write where `{}` lies from here",
            m.import.path(),
            m.target
        );
        out.notes.push(NoteDraft::new(m.import.span, say));
    }

    /// A path from the file's own place that leads to where a module of the project goes.
    fn relocated(&self, p: &Place<'_>, m: &Moved<'_>) -> Option<Vec<Splice>> {
        let language = self.rows.language;
        let written: Vec<&str> = m.import.segments.iter().map(|s| s.0.as_str()).collect();
        let path = PathTo {
            written: &written,
            target: &m.target,
            file: p.cx.path,
            from: p.cx.path,
            inside: &m.import.inside,
        };
        let new = (language.modules.as_ref()?.written)(&path, p.cx.project.files())?;
        let new: Vec<&str> = new.iter().map(String::as_str).collect();
        let all = &p.code.facts.imports;
        // A list goes as a whole where all of it lies below what moves.
        let below = |i: &Import| {
            let row = self.rows.deciding(i.path()).map(|d| d.0);
            row == Some(m.row) && i.shared == m.import.shared
        };
        let alone = all.iter().filter(|i| i.span == m.import.span).all(below);
        spelled(&language.names, m.import, &new, alone)
    }

    /// An import statement in the manner of another.
    fn written_like(&self, p: &Place<'_>, name: &ImportName, other: Span) -> String {
        let language = self.rows.language;
        let path = language.spelled_from(&p.code.facts.folder, &name.path);
        let name = ImportName { path: path.unwrap_or_else(|| name.path.clone()), ..name.clone() };
        (language.imports.write_import)(&name, Some(p.text(other)))
    }

    /// A new import on a line of its own below another.
    fn below(&self, p: &Place<'_>, import: &Import, name: &ImportName) -> Splice {
        let lead = line_of(p.cx.text, import.span.start);
        let statement = self.written_like(p, name, import.span);
        Splice::text(
            Span::at(import.span.end as usize),
            format!("{}{lead}{statement}", p.cx.line_end),
        )
    }

    /// True if a wildcard import brings names in that `except` keeps, and the file uses one.
    fn kept_below(&self, p: &Place<'_>, import: &Import) -> bool {
        import.wildcard
            && self.rows.kept().any(|e| {
                let rest = e.strip_prefix(import.path());
                let name =
                    rest.and_then(|r| r.trim_start_matches(['.', ':']).split(['.', ':']).next());
                name.is_some_and(|n| {
                    n == "*"
                        || n == "**"
                        || p.code.facts.words(n).iter().any(|w| w.space != Space::Member)
                })
            })
    }

    /// Names that move away from a place whose wildcard the file imports get an import of their own.
    fn moved_from_wildcard(&self, p: &Place<'_>, import: &Import, out: &mut Found) {
        let names = &self.rows.language.names;
        let used = self.rows.used_names(&p.code.facts).into_iter();
        let mut rows: Vec<(usize, usize)> =
            used.flat_map(|name| self.rows.called(name).iter().copied()).collect();
        rows.retain(|(r, o)| names.parent(&self.rows.all[*r].olds[*o]) == import.path());
        rows.sort_unstable();
        for (row, old) in rows {
            let r = &self.rows.all[row];
            let old = &r.olds[old];
            let moves = |n: &&String| {
                let of_type =
                    self.rows.language.modules.is_some() && names.package(n) != names.parent(n);
                !of_type && names.last(n) == names.last(old) && names.parent(n) != names.parent(old)
            };
            let Some(new) = r.new.as_ref().filter(moves) else { continue };
            let last = names.last(old);
            let used = p.code.facts.words(last).iter().find_map(|w| {
                let plain = matches!(w.space, Space::Type | Space::Value);
                plain.then(|| p.resolver.means(&[last], w.space, w.span.start, old)).flatten()
            });
            let target = names.parent(new);
            let known = p.code.facts.import_of(new).is_some()
                || p.code.facts.imports.iter().any(|i| i.wildcard && i.path() == target);
            let Some(fact) = used.filter(|_| !known) else { continue };
            let name = self.rows.language.import_of(new, Space::Type);
            let both = self.meaning_both(p, row).filter(|_| names.sure_wildcards);
            let facts = std::iter::once(fact).chain(both).collect();
            if names.sure_wildcards {
                // It comes in with all of its package, as other names from there do.
                let change = Change { imports: vec![name], ..Change::default() };
                let draft =
                    Draft::new((p.action, row), self.rows.all[row].digest, import.span, facts);
                out.drafts.push(Draft { change, tie: self.tie(p, row, import.span), ..draft });
                continue;
            }
            let written = Rewritten {
                splices: vec![self.below(p, import, &name)],
                imports: Vec::new(),
                kept: Vec::new(),
            };
            self.draft(p, row, (import.span, vec![import.path_span()]), written, facts, out);
        }
    }
}

/// The blanks before a place on its line.
fn line_of(text: &str, at: u32) -> &str {
    let start = text[..at as usize].rfind(['\n', '\r']).map_or(0, |i| i + 1);
    let lead = &text[start..at as usize];
    if lead.trim().is_empty() { lead } else { "" }
}
