//! Files that are called after a type: they move when it gets another name.

use emendo_lang::{Certainty, Fact, Files, Language, Project as _};
use emendo_text::{Digest, Filter, RelPath};

use crate::contract::{FileMove, FileOp, PathChanges, PathRule, PathsCx};
use crate::file::mend::{RenamedType, ServiceMender, is_service};
use crate::meaning::SymbolRunner;

/// A type, by the row of its action.
struct Named {
    row: usize,
    digest: Digest,
    old: String,
    new: String,
}

/// Moves the files of types that get other names.
pub(super) struct TypeFileRule {
    language: &'static Language,
    rows: Vec<Named>,
}

fn rows(runner: &SymbolRunner) -> Vec<Named> {
    let written = runner.rows.all.iter().enumerate();
    let rows = written.filter_map(|(row, r)| {
        let (old, new) = (r.olds.first()?.clone(), r.new.clone()?);
        Some(Named { row, digest: r.digest, old, new })
    });
    rows.collect()
}

impl TypeFileRule {
    /// For the types that an action renames; none where no file is called after a type.
    pub(super) fn of(runner: &SymbolRunner) -> Option<Self> {
        let language = runner.rows.language;
        language.names.files?;
        Some(Self { language, rows: rows(runner) })
    }
}

/// What renames types in files that name them.
pub(super) fn services(runner: &SymbolRunner) -> Option<ServiceMender> {
    let files = runner.rows.language.names.files.filter(|f| !f.services.is_empty())?;
    let rows = rows(runner).into_iter().map(|r| RenamedType {
        action: (0, r.row),
        digest: r.digest,
        old: r.old,
        new: r.new,
        tie: None,
    });
    Some(ServiceMender::new(files.services, rows.collect(), true))
}

impl TypeFileRule {
    /// Where the file of a type lies when that is called otherwise.
    fn target(&self, path: &RelPath, r: &Named, files: &dyn Files) -> Option<RelPath> {
        let names = &self.language.names;
        if names.files.is_some_and(|f| f.small) {
            return self.small_target(path, r);
        }
        let (old, new) = (names.last(&r.old), names.last(&r.new));
        let rest = path.name().strip_prefix(old)?;
        if !rest.starts_with('.') {
            return None;
        }
        let (from, to) = (names.parent(&r.old), names.parent(&r.new));
        let folder = path.folder();
        let folders = |p: &str| p.replace(names.separator, "/");
        let rule = self.language.names.files?;
        if !rule.folders && from != to {
            // The folder says nothing of the package, and no rule writes the declaration there.
            return None;
        }
        let by_settings = || {
            let own = rule.package_in(names.separator, path, files).filter(|p| *p == from);
            own.and_then(|_| rule.folder_of(names.separator, &to, path, files))
        };
        let folder = match rule.folders && from != to {
            true => match by_settings() {
                Some(folder) => folder,
                None => format!("{}{}", folder.strip_suffix(&folders(&from))?, folders(&to)),
            },
            false => folder.to_owned(),
        };
        let lead = if folder.is_empty() { String::new() } else { format!("{folder}/") };
        RelPath::new(&format!("{lead}{new}{rest}")).ok()
    }
}

impl TypeFileRule {
    /// The same where files and folders are called after the whole name, in small letters.
    fn small_target(&self, path: &RelPath, r: &Named) -> Option<RelPath> {
        let names = &self.language.names;
        if names.parent(&r.old) != names.parent(&r.new) {
            // No rule writes the declaration elsewhere.
            return None;
        }
        let lead = small_lead(self.language, path, &r.old)?;
        let (_, ending) = path.name().split_once('.')?;
        RelPath::new(&format!("{lead}{}.{ending}", small_path(self.language, &r.new))).ok()
    }
}

impl TypeFileRule {
    /// The file that declares a type: of several, the one that is called after it.
    fn file_of(&self, cx: &PathsCx<'_>, symbol: &str) -> Option<RelPath> {
        let path = cx.project.file_of(self.language, symbol)?;
        if called_after(self.language, &path, symbol) {
            return Some(path);
        }
        let own = |p: &&RelPath| self.language.claims(p) && called_after(self.language, p, symbol);
        let small = self.language.names.files.is_some_and(|f| f.small);
        let other = cx.files.iter().filter(|_| small).find(own).cloned();
        Some(other.unwrap_or(path))
    }
}

/// The path of a type's file in small letters, by its whole name.
fn small_path(language: &Language, symbol: &str) -> String {
    let all = language.names.segments(symbol).into_iter().map(|s| Filter::Snake.apply(s));
    all.collect::<Vec<_>>().join("/")
}

/// What stands before that in the path of a file that is called so.
fn small_lead<'p>(language: &Language, path: &'p RelPath, symbol: &str) -> Option<&'p str> {
    let (name, _) = path.name().split_once('.')?;
    let whole = path.as_str();
    let stem = &whole[..whole.len() - path.name().len() + name.len()];
    let lead = stem.strip_suffix(&small_path(language, symbol))?;
    (lead.is_empty() || lead.ends_with('/')).then_some(lead)
}

/// True for a file that is called after a type.
pub(super) fn called_after(language: &Language, path: &RelPath, symbol: &str) -> bool {
    match language.names.files {
        Some(rule) if rule.small => small_lead(language, path, symbol).is_some(),
        Some(_) => path.name().split('.').next() == Some(language.names.last(symbol)),
        None => false,
    }
}

impl PathRule for TypeFileRule {
    fn moves(&self, cx: &PathsCx<'_>) -> PathChanges {
        let names = &self.language.names;
        let mut out = Vec::new();
        for r in &self.rows {
            let Some(path) = self.file_of(cx, &r.old) else { continue };
            if !(cx.covers)(&path) || cx.files.binary_search(&path).is_err() {
                continue;
            }
            let Some(to) = self.target(&path, r, cx.project.files()).filter(|to| *to != path)
            else {
                continue;
            };
            let action = (cx.action, r.row);
            let mut m = FileMove::new(action, r.digest, path, FileOp::Move(to));
            m.named = true;
            let text = format!("the file is called after `{}`", names.last(&r.old));
            m.facts.push(Fact { says: Certainty::Certain, text, at: None });
            out.push(m);
        }
        let folder = names.files.map_or("", |f| f.services);
        for path in cx.files.iter().filter(|p| is_service(folder, p)) {
            let Some(r) = self.rows.iter().find(|r| r.old == path.name()) else { continue };
            let Ok(to) = RelPath::new(&format!("{}/{}", path.folder(), r.new)) else { continue };
            let action = (cx.action, r.row);
            let mut m = FileMove::new(action, r.digest, path.clone(), FileOp::Move(to));
            let text = format!("the file is called after `{}`", r.old);
            m.facts.push(Fact { says: Certainty::Certain, text, at: None });
            out.push(m);
        }
        out.into()
    }
}
