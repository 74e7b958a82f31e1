//! Declarations of the project's own whose new name lies in another package, module or type.

use emendo_lang::{Certainty, Fact, Project, Space};
use emendo_text::{Digest, RelPath, Span};

use crate::contract::{Found, NoteDraft, SymbolKind, Tie};
use crate::meaning::{Place, SymbolRunner};
use crate::symbol::files::called_after;

/// How a declaration of the project's own comes to where its new name says.
enum Leaving {
    /// The project declares nothing of it, or it stays where it is.
    Not,
    /// Its file moves, and the package follows from that.
    WithFile(Digest),
    /// It is declared there already.
    There,
    /// Nothing takes it there.
    Stays(RelPath),
}

impl SymbolRunner {
    /// What a row renames of the project's own, if the new name lies elsewhere.
    fn leaving(&self, p: &Place<'_>, row: usize) -> Leaving {
        let (language, names) = (self.rows.language, &self.rows.language.names);
        let old = self.rows.symbol(row);
        let Some(new) = self.rows.all[row].new.as_deref() else { return Leaving::Not };
        let asks = self.what != SymbolKind::Package && self.import.is_none();
        if !asks || names.parent(old) == names.parent(new) {
            return Leaving::Not;
        }
        let holder = |symbol: &str| match self.what.member() {
            true => names.parent(symbol),
            false => symbol.to_owned(),
        };
        let project = p.cx.project;
        let Some(path) = project.declaring_file(language, &holder(old)) else {
            return Leaving::Not;
        };
        let there = holder(new);
        if project.declaring_file(language, &there).is_some()
            || project.canonical(language, &there).is_some()
        {
            return Leaving::There;
        }
        let follows = |to: &RelPath| match language.modules {
            Some(_) => *to != path,
            None => to.folder() != path.folder(),
        };
        let moved = p.cx.moves.and_then(|m| m.of(&path));
        match moved.filter(|m| m.target().is_some_and(follows) && m.withheld.is_none()) {
            Some(m) => Leaving::WithFile(m.tie()),
            None => Leaving::Stays(path),
        }
    }

    /// Says at the declaration that nothing writes it where its new name says; true if so.
    pub(super) fn left_behind(
        &self,
        p: &Place<'_>,
        (row, at): (usize, Span),
        (old, new): (&str, &str),
        out: &mut Found,
    ) -> bool {
        let names = &self.rows.language.names;
        let told = self.rows.symbol(row) == old && self.declared_at(p, row, at);
        let to = names.parent(new);
        let say = match self.leaving(p, row) {
            Leaving::Stays(_) if told => format!(
                "`{old}` is declared here: write it in `{to}` by hand, no rule moves it there"
            ),
            Leaving::There if told => format!(
                "`{old}` is declared here, and in `{to}` as well: remove this one by hand when nothing uses it"
            ),
            _ => return false,
        };
        out.notes.push(NoteDraft::new(at, say));
        true
    }

    fn declared_at(&self, p: &Place<'_>, row: usize, at: Span) -> bool {
        p.resolver.visible(at, p.text(at)).is_some_and(|v| v.symbol == *self.rows.symbol(row))
    }

    /// What speaks against a use of what stays where it is declared, though its new name lies elsewhere.
    pub(super) fn against(&self, p: &Place<'_>, row: usize) -> Option<Fact> {
        let names = &self.rows.language.names;
        let new = self.rows.all[row].new.as_deref()?;
        let (old, to) = (self.rows.symbol(row), names.parent(new));
        let text = match self.leaving(p, row) {
            Leaving::Stays(path) => {
                format!("`{old}` is declared in {path}, and no rule moves it to `{to}`")
            }
            Leaving::There if self.in_own_module(p, old) => {
                format!("`{old}` is declared in this module, and `{new}` must be imported here")
            }
            _ => return None,
        };
        Some(Fact { says: Certainty::Unsure, text, at: None })
    }

    /// What speaks against a name that comes in with all of its package, while the old package declares it still: it
    /// means both.
    pub(super) fn meaning_both(&self, p: &Place<'_>, row: usize) -> Option<Fact> {
        let names = &self.rows.language.names;
        let old = self.rows.symbol(row);
        let last = names.last(self.rows.all[row].new.as_deref()?);
        let both = last == names.last(old) && matches!(self.leaving(p, row), Leaving::There);
        let text = format!("`{old}` is still declared, too, and `{last}` means both");
        both.then_some(Fact { says: Certainty::Unsure, text, at: None })
    }

    /// What speaks against a new name that the file uses already, where that may come from elsewhere.
    pub(super) fn used_already(&self, p: &Place<'_>, row: usize) -> Option<Fact> {
        let names = &self.rows.language.names;
        let new = self.rows.all[row].new.as_deref().filter(|_| names.sure_wildcards)?;
        let (old, name) = (self.rows.symbol(row), names.last(new));
        if self.what == SymbolKind::Package || self.what.member() || name == names.last(old) {
            return None;
        }
        let used = p.code.facts.words(name).iter().any(|w| {
            let plain = !matches!(w.space, Space::Member | Space::Declared);
            plain
                && w.path_start == w.span.start
                && p.resolver.import_at(name, w.span.start).is_none()
        });
        let own = names.parent(new);
        let mut wild = p.code.facts.imports.iter().filter(|i| i.wildcard && !i.passes_on);
        let other = wild.find(|i| used && i.path() != own && i.path() != names.parent(old))?;
        let text = format!("`{name}` is used here already, and may come from `{}`", other.path());
        Some(Fact { says: Certainty::Likely, text, at: Some(other.span) })
    }

    /// What ties a use of what the project declares itself to that declaration.
    pub(crate) fn tie(&self, p: &Place<'_>, row: usize, at: Span) -> Tie {
        let language = self.rows.language;
        let names = &language.names;
        let old = self.rows.symbol(row);
        let owner = names.parent(old);
        let holder = if self.what.member() { owner.as_str() } else { old.as_str() };
        let Some(path) = p.cx.project.file_of(language, holder) else { return Tie::default() };
        let digest = self.rows.all[row].digest;
        let tie = Some(emendo_text::Hasher::new().part("follows").digest(digest).finish());
        if self.declared_at(p, row, at) {
            return Tie { provides: tie, needs: None, uses: Vec::new() };
        }
        // Nothing is written at a declaration that only moves with its file, and one whose file is kept from its new name
        // keeps its own.
        let last = |symbol: &String| names.last(symbol) == names.last(old);
        let same = self.rows.all[row].new.as_ref().is_some_and(last);
        let kept =
            || p.cx.moves?.of(&path).filter(|m| m.rejected && self.is_called_after(old, &path));
        let needs = match self.leaving(p, row) {
            Leaving::WithFile(file) if same => Some(file),
            _ => kept().map(|m| m.tie()).or(tie),
        };
        Tie { provides: None, needs, uses: Vec::new() }
    }

    /// True for the file of a type that is called like it.
    pub(super) fn is_called_after(&self, symbol: &str, path: &RelPath) -> bool {
        self.moves_files && called_after(self.rows.language, path, symbol)
    }
}
