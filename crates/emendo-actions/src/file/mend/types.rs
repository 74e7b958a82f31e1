//! Types whose packages follow from the folders of their files.

use std::collections::HashSet;
use std::sync::Arc;

use emendo_lang::{Certainty, Fact, FileFacts, Index, Language, Project as _, Space, Tree};
use emendo_text::{Part, RelPath, Span, Splice};

use crate::contract::{
    Asks, Change, Draft, FileCx, FileMove, Found, NoteDraft, Runner, SymbolKind, Tables, Tie,
};
use crate::file::mend::modules::renaming;
use crate::file::mend::moved::{ModuleMove, mended};
use crate::meaning::{Place, SymbolRunner};

/// A file that moves, with its package before and after.
type MovedPackage = (RelPath, String, String);

/// Mends what files of a language say of types whose files move.
pub(super) struct TypeMender {
    language: &'static Language,
    pub(super) moved: Vec<ModuleMove>,
    /// The files, with their package before and after.
    packages: Vec<MovedPackage>,
    /// The types of the folders that files leave, by package.
    left: Vec<(String, String)>,
    /// Packages that nothing is left of, each with the one that all of it goes to; none where it goes apart.
    emptied: Vec<(String, Option<String>)>,
    /// The files that name some of these, and which.
    near: Vec<(RelPath, Vec<String>)>,
    symbols: Option<SymbolRunner>,
}

impl TypeMender {
    pub(super) fn new(
        language: &'static Language,
        own: &[(&FileMove, &RelPath)],
        (tables, project): (&Arc<Tables>, &Index),
    ) -> Self {
        let names = &language.names;
        let (mut moved, mut packages) = (Vec::new(), Vec::new());
        let mut left: HashSet<&str> = HashSet::new();
        for (m, to) in own {
            let files = project.files();
            let Some(text) = files.text(&m.path) else { continue };
            let tree = Tree::parse_file(language, &m.path, &text);
            let facts = FileFacts::outline(language, &tree, &text, &m.path, files);
            let old = facts.package.clone();
            let by_settings = || {
                let rule = names.files?;
                let own = rule.package_in(names.separator, &m.path, files)?;
                (own == old).then(|| rule.package_in(names.separator, to, files)).flatten()
            };
            let new = by_settings().or_else(|| package_at(names.separator, &m.path, &old, to));
            let Some(new) = new else { continue };
            let stem = |p: &RelPath| p.name().split('.').next().unwrap_or("").to_owned();
            let (before, after) = (stem(&m.path), stem(to));
            if old != new {
                left.insert(m.path.folder());
                packages.push((m.path.clone(), old.clone(), new.clone()));
            }
            for t in facts.types.iter().filter(|t| t.path.len() == 1) {
                let name = &t.path[0];
                // A file that a `symbol` brings along gets its type's name there.
                let last = if *name == before && !m.named { &after } else { name };
                let (from, to) = (names.join(&[&old, name]), names.join(&[&new, last]));
                if from != to && !m.named {
                    moved.push(ModuleMove::of(m, from, to));
                }
            }
        }
        let renames = moved.iter().map(|m| (m.digest, m.old.clone(), m.new.clone()));
        let symbols =
            (!moved.is_empty()).then(|| renaming(language, SymbolKind::Free, renames, tables));
        let left = match left.is_empty() {
            true => Vec::new(),
            false => types_in(language, &left, project),
        };
        let emptied = emptied(language, (&packages, &moved, &left), project);
        let mut out = Self { language, moved, packages, left, emptied, near: Vec::new(), symbols };
        out.near = out.packages.iter().map(|p| out.near(p, project)).collect();
        out
    }

    /// What a file names of the package that it leaves.
    fn near(
        &self,
        (path, old, _): &(RelPath, String, String),
        project: &Index,
    ) -> (RelPath, Vec<String>) {
        let files = project.files();
        let text = files.text(path).unwrap_or_default();
        let tree = Tree::parse_file(self.language, path, &text);
        let facts = FileFacts::of_file(self.language, &tree, &text, path, files);
        (path.clone(), self.named(&facts, old))
    }

    /// The types of a package that a file names without an import.
    fn named(&self, facts: &FileFacts, package: &str) -> Vec<String> {
        let names = &self.language.names;
        let mut out = Vec::new();
        for (name, words) in facts.all_words() {
            let symbol = names.join(&[package, name]);
            let moves_along = self.moved.iter().any(|m| m.old == symbol);
            let spaces = [Space::Type, Space::Value];
            let used = words.iter().any(|w| {
                spaces.contains(&w.space)
                    && w.path_start == w.span.start
                    && facts.lookup(name, &spaces, w.span.start).is_none()
            });
            let own = facts.types.iter().any(|t| t.path.first().is_some_and(|p| p == name));
            let imported = facts.imports.iter().any(|i| i.local() == Some(name));
            let beside = self.left.iter().any(|l| l.0 == package && l.1 == name);
            if used && beside && !own && !imported && !moves_along {
                out.push(name.to_owned());
            }
        }
        out.sort();
        out
    }

    /// What makes moves less sure: what a file names of the package that it leaves may be hidden from elsewhere.
    pub(super) fn doubts(&self) -> Vec<(RelPath, Fact)> {
        let hidden = self.language.names.files.is_some_and(|f| f.hidden);
        let all = self.packages.iter().zip(&self.near).filter(|(_, n)| hidden && !n.1.is_empty());
        let one = |(p, near): (&(RelPath, String, String), &(RelPath, Vec<String>))| {
            let text = must_be_visible(&p.1, &near.1);
            (p.0.clone(), Fact { says: Certainty::Likely, text, at: None })
        };
        all.map(one).collect()
    }

    pub(super) fn is_empty(&self) -> bool {
        self.moved.is_empty() && self.packages.is_empty()
    }
}

fn must_be_visible(package: &str, names: &[String]) -> String {
    let names: Vec<String> = names.iter().map(|n| format!("`{n}`")).collect();
    format!("what it uses of `{package}` must be visible from there: {}", names.join(", "))
}

/// The packages that nothing is left of when files move, each with the one that all of it goes to.
fn emptied(
    language: &'static Language,
    (packages, moved, left): (&[MovedPackage], &[ModuleMove], &[(String, String)]),
    project: &Index,
) -> Vec<(String, Option<String>)> {
    let names = &language.names;
    let mut out: Vec<(String, Option<String>)> = Vec::new();
    for (_, old, new) in packages {
        if let Some(known) = out.iter_mut().find(|e| e.0 == *old) {
            known.1 = known.1.take().filter(|n| n == new);
            continue;
        }
        let goes = |name: &String| {
            let symbol = names.join(&[old, name]);
            moved.iter().any(|m| m.old == symbol)
        };
        let whole = left.iter().filter(|l| l.0 == *old).all(|l| goes(&l.1));
        // The package may have a part in another root.
        let folders = format!("/{}", old.replace(names.separator, "/"));
        let endings = language.grammar.extensions.iter();
        let files = project.files();
        let mut others = endings.flat_map(|e| files.with_ending(&format!(".{e}")));
        let elsewhere = others.any(|p| {
            let lies = format!("/{}", p.folder()).ends_with(&folders);
            lies && !packages.iter().any(|m| m.0 == p)
        });
        if whole && !elsewhere && !old.is_empty() {
            out.push((old.clone(), Some(new.clone())));
        }
    }
    out
}

/// The types of these folders, each with its package.
fn types_in(
    language: &'static Language,
    folders: &HashSet<&str>,
    project: &Index,
) -> Vec<(String, String)> {
    let files = project.files();
    let mut out = Vec::new();
    let endings = language.grammar.extensions.iter();
    let all = endings.flat_map(|e| files.with_ending(&format!(".{e}")));
    for other in all.filter(|p| folders.contains(p.folder())) {
        let Some(text) = files.text(&other) else { continue };
        let tree = Tree::parse_file(language, &other, &text);
        let facts = FileFacts::outline(language, &tree, &text, &other, files);
        let own = facts.types.iter().filter(|t| t.path.len() == 1);
        out.extend(own.map(|t| (facts.package.clone(), t.path[0].clone())));
    }
    out
}

/// The package of a file that lies elsewhere, where the folders before were called after the old one.
fn package_at(separator: &str, from: &RelPath, old: &str, to: &RelPath) -> Option<String> {
    let folders = old.replace(separator, "/");
    let root = match from.folder().strip_suffix(&folders)? {
        "" => "",
        root => root.strip_suffix('/').or_else(|| old.is_empty().then_some(root))?,
    };
    let folder = to.folder();
    let below = match root {
        "" => folder,
        root if folder == root => "",
        root => match folder.strip_prefix(root).and_then(|r| r.strip_prefix('/')) {
            Some(below) => below,
            // Another root: what comes after the folders that stand for one.
            None => {
                let usual = root.rsplit('/').next().unwrap_or(root);
                let at = folder.find(&format!("/{usual}/"))?;
                &folder[at + usual.len() + 2..]
            }
        },
    };
    Some(below.replace('/', separator))
}

impl Runner for TypeMender {
    fn asks(&self) -> Asks {
        Asks { kind: "file", language: Some(self.language), ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.language.claims(path) || self.symbols.as_ref().is_some_and(|s| s.head.covers(path))
    }

    fn find(&self, cx: &FileCx<'_>, _: usize, out: &mut Found) {
        let (Some(code), Some(moves)) = (cx.code, cx.moves) else { return };
        let own = moves.of(cx.path);
        if let (Some(m), Some(package)) = (own, self.packages.iter().find(|p| p.0 == *cx.path)) {
            let (_, old, new) = package;
            self.package(cx, m, (old, new), out);
        }
        let Some(symbols) = &self.symbols else { return };
        let from = out.drafts.len();
        let place = Place::new(cx, code, 0);
        symbols.imports(&place, out);
        symbols.uses(&place, out);
        // The file's own package changes: what is named by that alone needs no import.
        for d in &mut out.drafts[from..] {
            let Some(m) = self.moved.get(d.action.1) else { continue };
            d.action = m.action;
            d.tie = Tie { needs: Some(m.tie), ..Tie::default() };
        }
        self.wildcards(cx, from, out);
    }
}

impl TypeMender {
    /// Imports of all that was in a package that nothing is left of: they are refused where there is none.
    fn wildcards(&self, cx: &FileCx<'_>, from: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        let names = &self.language.names;
        let all = code.facts.imports.iter().filter(|i| i.wildcard && !i.is_static);
        for import in all {
            let Some((old, new)) = self.emptied.iter().find(|e| e.0 == import.path()) else {
                continue;
            };
            let Some(m) = self.moved.iter().find(|m| names.parent(&m.old) == *old) else {
                continue;
            };
            let text = format!("nothing is left of the package `{old}`");
            let fact = Fact { says: Certainty::Certain, text, at: Some(import.span) };
            let Some(new) = new else {
                let say = format!("nothing is left of the package `{old}`: take this import away");
                let all = self.moved.iter().filter(|m| names.parent(&m.old) == *old);
                out.notes.push(NoteDraft::new(import.span, say).left_by(all.map(|m| m.tie)));
                continue;
            };
            // What comes in by it needs no import of its own below it.
            let below = Span::at(import.span.end as usize);
            let path = format!("{new}{}", names.separator);
            let comes =
                |s: &Splice| s.span == below && Part::plain(&s.parts, cx.text).contains(&path);
            let own = out.drafts.split_off(from);
            let needed = |d: &Draft| !d.change.splices.iter().all(comes);
            out.drafts.extend(own.into_iter().filter(needed));
            let splice = Splice::text(import.path_span(), new);
            out.drafts.push(m.mended(import.span, fact, splice));
        }
    }

    /// The package that a file says, and the imports of what it had for nothing before.
    fn package(&self, cx: &FileCx<'_>, m: &FileMove, (old, new): (&str, &str), out: &mut Found) {
        let Some(code) = cx.code else { return };
        let names = &self.language.names;
        let Some(statement) = code.facts.package_span.filter(|_| !new.is_empty()) else {
            let say = format!("the package becomes `{new}`: write that at the top of the file");
            out.notes.push(NoteDraft::new(Span::at(0), say).left_by([m.tie()]));
            return;
        };
        let Some(at) = statement.of(cx.text).find(old) else { return };
        let at =
            Span::new(statement.start as usize + at, statement.start as usize + at + old.len());
        let near = self.named(&code.facts, old);
        let import =
            |name: &String| self.language.import_of(&names.join(&[old, name]), Space::Type);
        let imports = near.iter().map(import).collect();
        let hidden = if names.files.is_some_and(|f| f.hidden) { near.as_slice() } else { &[] };
        let text = match hidden {
            [] => format!("the folder stands for `{new}`"),
            near => format!("the folder stands for `{new}`; {}", must_be_visible(old, near)),
        };
        let says = if hidden.is_empty() { Certainty::Certain } else { Certainty::Likely };
        let fact = Fact { says, text, at: Some(statement) };
        let mut draft = mended(m, at, fact, vec![Splice::text(at, new)]);
        draft.change = Change { imports, ..draft.change };
        out.drafts.push(draft);
    }
}
