//! References between modules that follow from paths: imports, paths in code, strings that lead to files.

use emendo_lang::language::{Modules, PathTo};
use emendo_lang::tree::{span, walk};
use emendo_lang::{Certainty, Fact, Files, Import, Language, Project as _, Space};
use emendo_pattern::{delete_splice, respell};
use emendo_text::{Digest, Part, RelPath, Span, Splice};

use crate::contract::{
    Asks, Code, Draft, FileCx, Found, Moves, Needs, NoteDraft, Runner, SymbolKind, Tie,
};
use crate::file::mend::links::{below, relative};
use crate::file::mend::moved::{ModuleMove, mended};
use crate::meaning::{Place, Row, Rows, SymbolRunner};
use crate::shared::Head;

/// Mends what files of a language say of modules that move.
pub(super) struct ModuleMender {
    language: &'static Language,
    modules: &'static Modules,
    moved: Vec<ModuleMove>,
    symbols: SymbolRunner,
}

impl ModuleMender {
    pub(super) fn new(
        language: &'static Language,
        modules: &'static Modules,
        moved: Vec<ModuleMove>,
        tables: &std::sync::Arc<crate::contract::Tables>,
    ) -> Self {
        let renames = moved.iter().map(|m| (m.digest, m.old.clone(), m.new.clone()));
        let symbols = renaming(language, SymbolKind::Package, renames, tables);
        Self { language, modules, moved, symbols }
    }
}

/// What renames these symbols in a language, and says nothing of texts.
pub(super) fn renaming(
    language: &'static Language,
    what: SymbolKind,
    renames: impl Iterator<Item = (Digest, String, String)>,
    tables: &std::sync::Arc<crate::contract::Tables>,
) -> SymbolRunner {
    let row = |(digest, old, new): (Digest, String, String)| Row {
        digest,
        olds: vec![old],
        new: Some(new),
        advice: None,
        parameters: None,
        labels: None,
        carried: false,
        short_for: None,
    };
    let rows = Rows::new(language, what, renames.map(row).collect(), Vec::new());
    let head = Head::everywhere("file", language, (Needs::of(rows.needs()), tables));
    SymbolRunner {
        head,
        what,
        strings: false,
        docs: false,
        becomes: false,
        comment_out: false,
        moves_files: false,
        import: None,
        watching: false,
        rows,
    }
}

impl Runner for ModuleMender {
    fn asks(&self) -> Asks {
        Asks { kind: "file", language: Some(self.language), ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.symbols.head.covers(path)
    }

    fn find(&self, cx: &FileCx<'_>, _: usize, out: &mut Found) {
        let (Some(code), Some(moves)) = (cx.code, cx.moves) else { return };
        let files = cx.project.files();
        let module = (self.modules.of)(cx.path, files);
        let at = At { cx, code, moves, files, module };
        if !self.language.names.module_separator.is_empty() {
            self.strings(&at, out);
            return;
        }
        let from = out.drafts.len();
        let place = Place::new(cx, code, 0);
        self.symbols.imports(&place, out);
        self.symbols.uses(&place, out);
        for d in &mut out.drafts[from..] {
            let Some(m) = self.moved.get(d.action.1) else { continue };
            d.action = m.action;
            d.tie = Tie { needs: Some(m.tie), ..Tie::default() };
            self.beside(&at, m, d);
            self.own_root(&at, d);
        }
        self.bare(&at, from, out);
        self.bound(&at, out);
        self.own_imports(&at, out);
        if !self.modules.statement.is_empty() {
            self.statements(&at, out);
        }
        self.loaded(&at, out);
    }
}

/// A file in which references are mended.
struct At<'a> {
    cx: &'a FileCx<'a>,
    code: &'a Code,
    moves: &'a Moves,
    files: &'a dyn Files,
    /// The module that the file is before the step.
    module: String,
}

impl At<'_> {
    /// Where the file lies after the step.
    fn becomes(&self) -> &RelPath {
        self.moves.target(self.cx.path).unwrap_or(self.cx.path)
    }

    fn moves(&self) -> bool {
        self.becomes() != self.cx.path
    }
}

impl ModuleMender {
    /// The file that a path in a string leads to, and the module.
    fn led_to(&self, written: &str, at: &At<'_>) -> Option<(RelPath, String)> {
        let module = (self.modules.absolute)(&[written], &at.module, at.cx.path, at.files)?;
        let module = module.into_iter().next()?;
        if let Some(file) = (self.modules.file)(&module, at.files) {
            return Some((file, module));
        }
        // What is no code is named with its ending.
        let path = RelPath::new(module.strip_prefix("./")?).ok()?;
        at.files.exists(path.as_str()).then_some((path, module))
    }

    /// Strings that lead to files: those of imports, and others.
    fn strings(&self, at: &At<'_>, out: &mut Found) {
        let facts = &at.code.facts;
        let imports: Vec<Span> = facts.imports.iter().map(|i| i.span).collect();
        // The module of an import is its first segment.
        let modules = facts.imports.iter().filter_map(|i| i.segments.first()).map(|s| s.1);
        let mut all: Vec<Span> = modules.chain(facts.strings.iter().copied()).collect();
        all.sort();
        all.dedup();
        for s in &all {
            let written = s.of(at.cx.text);
            let relative = written.starts_with('.');
            if written.len() > 400 || written.contains(['\n', ' ', '\\']) || written.is_empty() {
                continue;
            }
            let Some((file, module)) = self.led_to(written, at) else { continue };
            let target = at.moves.target(&file).unwrap_or(&file);
            let stays = *target == file;
            if stays && !(at.moves() && relative) {
                continue;
            }
            let path = PathTo {
                written: &[written],
                target: &module,
                file: target,
                from: at.becomes(),
                inside: &[],
            };
            let Some(new) = (self.modules.written)(&path, at.files) else { continue };
            let Some(new) = new.into_iter().next().filter(|n| n != written) else { continue };
            let mover = if stays { at.cx.path } else { &file };
            let Some(m) = at.moves.of(mover) else { continue };
            let import = imports.iter().any(|i| i.contains(*s)) || self.is_loaded(at, *s);
            let (says, text) = match import {
                true => (Certainty::Certain, format!("it is loaded from `{file}`")),
                false => (Certainty::Likely, format!("the text leads to `{file}`")),
            };
            let fact = Fact { says, text, at: Some(*s) };
            out.drafts.push(mended(m, *s, fact, vec![Splice::text(*s, new)]));
        }
    }

    /// Texts that name files from the folder of the file that they stand in: `include_str!("../tide.txt")`.
    fn loaded(&self, at: &At<'_>, out: &mut Found) {
        for s in at.code.facts.strings.iter().filter(|_| !self.modules.loads_files.is_empty()) {
            // A raw text is one piece with its quotes.
            let raw = s.of(at.cx.text);
            let from = raw.len() - raw.trim_start_matches(['#', '"']).len();
            let to = raw.trim_end_matches(['#', '"']).len().max(from);
            let s = &Span::new(s.start as usize + from, s.start as usize + to);
            let written = s.of(at.cx.text);
            let line = at.cx.text[..s.start as usize].rfind('\n').map_or(0, |i| i + 1);
            let before = at.cx.text[line..s.start as usize].trim_end_matches(['"', '#', 'r']);
            let before: String = before.split_whitespace().collect();
            if !self.modules.loads_files.iter().any(|l| before.ends_with(l)) {
                continue;
            }
            let Some(path) = below(at.cx.path.folder(), written) else { continue };
            let Ok(file) = RelPath::new(&path) else { continue };
            if !at.files.exists(file.as_str()) {
                continue;
            }
            let target = at.moves.target(&file).unwrap_or(&file);
            let new = relative(at.becomes().folder(), target.as_str());
            let mover = if *target == file { at.cx.path } else { &file };
            let Some(m) = at.moves.of(mover).filter(|_| new != written) else { continue };
            let text = format!("it is read from `{file}`");
            let fact = Fact { says: Certainty::Certain, text, at: Some(*s) };
            out.drafts.push(mended(m, *s, fact, vec![Splice::text(*s, new)]));
        }
    }

    /// True for the module of a statement or call that loads it: `import "..."`, `export ... from "..."`, `require("...")`.
    fn is_loaded(&self, at: &At<'_>, s: Span) -> bool {
        let before = at.cx.text[..s.start as usize].trim_end_matches(['"', '\'', '`']);
        let before = before.trim_end();
        let whole = |load: &&str| {
            let (word, bracket) = (load.trim_end_matches('('), load.ends_with('('));
            let rest = match bracket {
                true => before.strip_suffix('(').map(str::trim_end),
                false => Some(before),
            };
            let rest = rest.and_then(|r| r.strip_suffix(word));
            rest.is_some_and(|r| !r.ends_with(|c: char| c.is_alphanumeric() || c == '_'))
        };
        self.language.exports.loads.iter().any(whole)
    }

    /// The way to a module that a statement of the file made known, and that belongs elsewhere now.
    fn way(&self, at: &At<'_>, m: &ModuleMove) -> Option<String> {
        let names = &self.language.names;
        let parent = names.parent(&m.old);
        if self.modules.statement.is_empty()
            || parent != at.module
            || parent == names.parent(&m.new)
        {
            return None;
        }
        let path = PathTo {
            written: &[names.last(&m.old)],
            target: &m.new,
            file: at.cx.path,
            from: at.becomes(),
            inside: &[],
        };
        Some((self.modules.written)(&path, at.files)?.join(names.separator))
    }

    /// Where modules are known by a statement of the file, a bare name of one that belongs elsewhere now is written as the way there.
    fn beside(&self, at: &At<'_>, m: &ModuleMove, draft: &mut Draft) {
        let names = &self.language.names;
        let Some(way) = self.way(at, m) else { return };
        let old = names.last(&m.old);
        for s in &mut draft.change.splices {
            let bare = s.span.of(at.cx.text) == old
                && !at.cx.text[..s.span.start as usize].trim_end().ends_with(names.separator);
            if bare {
                s.parts = vec![Part::Text(way.clone())];
            }
        }
    }

    /// Imports from the file's own library name that by the word for it, where files say what belongs to them.
    fn own_root(&self, at: &At<'_>, draft: &mut Draft) {
        let (names, word) = (&self.language.names, self.modules.own);
        let first = names.segments(&at.module).first().map(|s| (*s).to_owned());
        let Some(root) = first.filter(|_| !word.is_empty()) else { return };
        for i in &mut draft.change.imports {
            if let Some(rest) = i.path.strip_prefix(root.as_str())
                && rest.starts_with(names.separator)
            {
                i.path = format!("{word}{rest}");
            }
        }
    }

    /// Bare names of modules that keep their name and belong elsewhere: in the file that made them known, the way there comes before.
    fn bare(&self, at: &At<'_>, from: usize, out: &mut Found) {
        let names = &self.language.names;
        let resolver = at.cx.resolver(at.code);
        for m in &self.moved {
            let old = names.last(&m.old);
            let way = self.way(at, m).filter(|_| old == names.last(&m.new));
            let Some(way) = way else { continue };
            for w in at.code.facts.words(old) {
                let head = w.path_start == w.span.start
                    && at.cx.text[w.span.end as usize..].trim_start().starts_with(names.separator);
                let known = out.drafts[from..]
                    .iter()
                    .any(|d| d.change.splices.iter().any(|s| s.span.meets(w.span)));
                let means = [w.space, Space::Type, Space::Value].into_iter();
                let fact =
                    means.filter_map(|s| resolver.means(&[old], s, w.span.start, &m.old)).next();
                let Some(fact) = fact.filter(|_| head && !known) else { continue };
                let splice = Splice::text(w.span, way.clone());
                out.drafts.push(m.mended(w.span, fact, splice));
            }
        }
    }

    /// Names of modules that a package has since it imports from them: `from .gauge import *` makes `gauge` known in the package.
    fn bound(&self, at: &At<'_>, out: &mut Found) {
        let names = &self.language.names;
        let facts = &at.code.facts;
        let module = at.module.as_str();
        for m in self.moved.iter().filter(|_| self.modules.statement.is_empty()) {
            let old = names.last(&m.old);
            let imported = facts.imports.iter().any(|i| m.holds(i.path(), names.separator));
            let named = facts.imports.iter().any(|i| i.local() == Some(old));
            if names.parent(&m.old) != module || !imported || named {
                continue;
            }
            let lead = format!("{module}{}", names.separator);
            for w in facts.words(old) {
                let hidden = facts.lookup(old, &[Space::Value, Space::Type], w.span.start);
                let head = w.path_start == w.span.start && !w.key;
                if hidden.is_some() || !head || matches!(w.space, Space::Member | Space::Declared) {
                    continue;
                }
                let Some(new) = m.new.strip_prefix(&lead) else {
                    let say = format!(
                        "`{old}` is known here since the package imports from `{}`, which becomes `{}`",
                        m.old, m.new
                    );
                    out.notes.push(NoteDraft::new(w.span, say).left_by([m.tie]));
                    continue;
                };
                let text = format!("`{old}` is known here since the package imports from it");
                let fact = Fact { says: Certainty::Certain, text, at: Some(w.span) };
                out.drafts.push(m.mended(w.span, fact, Splice::text(w.span, new)));
            }
        }
    }

    /// Imports of a file that moves, by where it lies: they lead from elsewhere now.
    fn own_imports(&self, at: &At<'_>, out: &mut Found) {
        if !at.moves() {
            return;
        }
        let names = &self.language.names;
        let mut heads: Vec<Span> = Vec::new();
        for import in at.code.facts.imports.iter().filter(|i| names.spells_relative(i)) {
            // What moves itself is written by its new name.
            let path = import.path();
            let deciding = self.moved.iter().filter(|m| m.holds(path, names.separator));
            let moved = deciding.max_by_key(|m| m.old.len());
            let target = match moved {
                Some(m) => format!("{}{}", m.new, &path[m.old.len()..]),
                None => path.to_owned(),
            };
            let written: Vec<&str> = import.segments.iter().map(|s| s.0.as_str()).collect();
            let to = PathTo {
                written: &written,
                target: &target,
                file: at.cx.path,
                from: at.becomes(),
                inside: &import.inside,
            };
            let Some(new) = (self.modules.written)(&to, at.files) else { continue };
            let new: Vec<&str> = new.iter().map(String::as_str).collect();
            if new == written {
                continue;
            }
            // All of a statement is written from the file's own place.
            let mut same = at.code.facts.imports.iter().filter(|i| i.span == import.span);
            let alone = same.all(|i| i.shared == import.shared);
            let Some(splices) = spelled(names, import, &new, alone) else {
                let say = format!(
                    "`{path}` is imported from the file's own place: write where it lies from `{}`",
                    at.becomes()
                );
                let own = at.moves.of(at.cx.path).map(|m| m.tie());
                out.notes.push(NoteDraft::new(import.span, say).left_by(own));
                continue;
            };
            let Some(first) = splices.first().map(|s| s.span).filter(|s| !heads.contains(s)) else {
                continue;
            };
            heads.push(first);
            let Some(m) = at.moves.of(at.cx.path) else { continue };
            let text = format!("`{path}` is written from where the file lies");
            let fact = Fact { says: Certainty::Certain, text, at: Some(import.span) };
            out.drafts.push(mended(m, first, fact, splices));
        }
    }

    /// Statements that make the module of another file known.
    fn statements(&self, at: &At<'_>, out: &mut Found) {
        let names = &self.language.names;
        let module = at.module.as_str();
        for m in &self.moved {
            let (from, to) = (names.parent(&m.old), names.parent(&m.new));
            let (old, new) = (names.last(&m.old), names.last(&m.new));
            let Some((statement, name)) = self.statement(at, old) else {
                if to == module && from != to {
                    self.comes(at, m, new, out);
                }
                continue;
            };
            if from != module {
                continue;
            }
            let (splice, text) = match from == to {
                true if old == new => continue,
                true => (Splice::text(name, new), format!("it makes `{}` known", m.old)),
                false => {
                    let gone = delete_splice(at.cx.text, statement, |_| None);
                    (gone, format!("`{}` belongs to `{to}`", m.new))
                }
            };
            let fact = Fact { says: Certainty::Certain, text, at: Some(statement) };
            out.drafts.push(m.mended(statement, fact, splice));
        }
    }

    /// The statement for a module, and its name there.
    fn statement(&self, at: &At<'_>, module: &str) -> Option<(Span, Span)> {
        let mut found = None;
        walk(at.code.tree.root(), |node| {
            let own =
                node.kind() == self.modules.statement && node.child_by_field_name("body").is_none();
            if let Some(name) = node.child_by_field_name("name").filter(|_| own)
                && span(name).of(at.cx.text) == module
            {
                found = Some((span(node), span(name)));
            }
            found.is_none() && node.parent().is_none()
        });
        found
    }

    /// A statement for a module that comes to belong here: below the others of its kind, or at the top.
    fn comes(&self, at: &At<'_>, m: &ModuleMove, name: &str, out: &mut Found) {
        let names = &self.language.names;
        let module = at.module.as_str();
        let mut last: Option<Span> = None;
        let mut public = false;
        walk(at.code.tree.root(), |node| {
            let own =
                node.kind() == self.modules.statement && node.child_by_field_name("body").is_none();
            let name = node.child_by_field_name("name").map(|n| span(n).of(at.cx.text));
            let leaves = |m: &ModuleMove| {
                names.parent(&m.old) == module
                    && names.parent(&m.new) != module
                    && name == Some(names.last(&m.old))
            };
            if own && !self.moved.iter().any(leaves) {
                last = Some(span(node));
                public = span(node).of(at.cx.text).starts_with("pub ");
            }
            node.parent().is_none()
        });
        let lead = if public { "pub " } else { "pub(crate) " };
        let statement = format!("{lead}mod {name};");
        let end = at.cx.line_end;
        let splice = match last {
            Some(last) => Splice::text(Span::at(last.end as usize), format!("{end}{statement}")),
            None => {
                let top = at.code.facts.preamble_end as usize;
                Splice::text(Span::at(top), format!("{statement}{end}"))
            }
        };
        let text = format!("`{}` belongs here, and may be wanted by others", m.new);
        let fact = Fact { says: Certainty::Likely, text, at: Some(splice.span) };
        out.drafts.push(m.mended(splice.span, fact, splice));
    }
}

/// An import with another path: the item itself, and the part that its list shares where all of the statement changes `alone`, or
/// alike. None where others of the list would come along.
pub(crate) fn spelled(
    names: &emendo_lang::Names,
    import: &Import,
    new: &[&str],
    alone: bool,
) -> Option<Vec<Splice>> {
    let segments = &import.segments;
    let own = segments.len().checked_sub(import.shared)?;
    if import.item.is_none() || import.shared == 0 {
        return respelled(names, segments, new).map(|s| vec![s]);
    }
    let head = new.len().checked_sub(own).filter(|h| *h > 0)?;
    let (list, item) = segments.split_at(import.shared);
    let same = |part: &[(String, Span)], new: &[&str]| {
        part.len() == new.len() && part.iter().zip(new).all(|(a, b)| a.0 == **b)
    };
    let rest_stays = same(item, &new[head..]);
    if !alone && !same(list, &new[..head]) {
        return None;
    }
    let mut out = Vec::new();
    if !same(list, &new[..head]) {
        out.push(respelled(names, list, &new[..head])?);
    }
    if !rest_stays {
        out.push(respelled(names, item, &new[head..])?);
    }
    Some(out)
}

/// Some segments as others; nothing stands between leading dots and what follows.
fn respelled(names: &emendo_lang::Names, from: &[(String, Span)], to: &[&str]) -> Option<Splice> {
    let dots = |s: &str| s.bytes().all(|b| b == b'.');
    let (first, lead) = (from.first()?, *to.first()?);
    let plain = !dots(&first.0) && !dots(lead);
    if plain || first.0 == lead && from.len() > 1 && to.len() > 1 {
        return Some(respell(names, from, to));
    }
    let at = from.iter().map(|s| s.1).reduce(Span::hull)?;
    let rest = to[1..].join(names.separator);
    let text = match dots(lead) || rest.is_empty() {
        true => format!("{lead}{rest}"),
        false => format!("{lead}{}{rest}", names.separator),
    };
    Some(Splice::text(at, text))
}
