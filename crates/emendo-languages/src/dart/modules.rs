//! What the libraries of Dart are called, and where they lie.

use std::sync::Arc;

use emendo_lang::language::{Modules, PathTo};
use emendo_lang::{Files, remembered};
use emendo_text::RelPath;

use crate::shared::{below, nearest, relative};

/// Files are libraries by their package and path; parts belong to the library that they are a part of.
pub(super) const MODULES: Modules = Modules {
    of: module_of,
    absolute,
    file: module_file,
    files: |_, _| Vec::new(),
    declaring: &[],
    written,
    from_folder: |module, folder| Some(relative(folder, module.strip_prefix("./")?)),
    settings: &[],
    statement: "",
    own: "",
    loads_files: &[],
    called: |_, _| Vec::new(),
};

/// The packages of the project: their names, with their folders.
fn packages(files: &dyn Files) -> Arc<Vec<(String, String)>> {
    let one = |at: RelPath| Some((name_in(&files.text(&at)?)?, at.folder().to_owned()));
    let all = || files.named("pubspec.yaml").into_iter().filter_map(one).collect();
    remembered(files, "dart packages", all)
}

/// The name that a manifest gives its package.
fn name_in(manifest: &str) -> Option<String> {
    let named = |line: &str| {
        let rest = line.strip_prefix("name:")?;
        let word = rest.split('#').next()?.trim().trim_matches(['"', '\'']);
        (!word.is_empty()).then(|| word.to_owned())
    };
    manifest.lines().find_map(named)
}

/// The library of a file: in `lib` by the name of the package, elsewhere by the path from the root.
fn module_of(path: &RelPath, files: &dyn Files) -> String {
    let whole = of_part(path, files).unwrap_or_else(|| path.clone());
    named(whole.as_str(), files)
}

pub(super) fn named(path: &str, files: &dyn Files) -> String {
    let packages = packages(files);
    let below = |folder: &str| {
        let rest = match folder {
            "" => Some(path),
            folder => path.strip_prefix(folder)?.strip_prefix('/'),
        };
        rest?.strip_prefix("lib/")
    };
    let nearest = packages.iter().filter_map(|(name, folder)| Some((name, folder, below(folder)?)));
    match nearest.max_by_key(|(_, folder, _)| folder.len()) {
        Some((name, _, rest)) => format!("package:{name}/{rest}"),
        None => format!("./{path}"),
    }
}

/// The library that a file says it is a part of.
pub(super) fn of_part(path: &RelPath, files: &dyn Files) -> Option<RelPath> {
    let key = format!("dart part {path}");
    let found = remembered(files, &key, || {
        let text = files.text(path)?;
        let line = text.lines().find(|l| !opens(l))?;
        let rest = line.trim().strip_prefix("part of")?.trim();
        if !rest.starts_with(['"', '\'']) {
            // Named by the name of its library, which names it by its path.
            return parts(files).iter().find(|p| p.0 == *path).map(|p| p.1.clone());
        }
        let uri = rest.trim_end_matches(';').trim().trim_matches(['"', '\'']);
        let at = match uri.strip_prefix("package:") {
            Some(_) => return module_file(uri, files),
            None => RelPath::new(&below(path.folder(), uri)?).ok()?,
        };
        files.exists(at.as_str()).then_some(at)
    });
    (*found).clone()
}

/// All files that others say are parts of them, with these.
fn parts(files: &dyn Files) -> Arc<Vec<(RelPath, RelPath)>> {
    remembered(files, "dart parts", || {
        let mut out = Vec::new();
        for library in files.with_ending(".dart") {
            let Some(text) = files.text(&library).filter(|t| has_parts(t)) else { continue };
            for line in text.lines().filter_map(|l| l.strip_prefix("part ")) {
                let uri = line.trim().trim_end_matches(';').trim().trim_matches(['"', '\'']);
                let at = below(library.folder(), uri).and_then(|at| RelPath::new(&at).ok());
                out.extend(at.map(|at| (at, library.clone())));
            }
        }
        out
    })
}

/// True for lines that may stand before a file says that it is a part of another.
fn opens(line: &str) -> bool {
    let line = line.trim_start_matches('\u{feff}').trim();
    line.is_empty() || line.starts_with("//") || line.starts_with("/*") || line.starts_with('*')
}

/// True for the text of a library with parts.
pub(super) fn has_parts(text: &str) -> bool {
    text.lines().any(|l| l.starts_with("part '") || l.starts_with("part \""))
}

/// Paths without a scheme are relative to the file.
pub(super) fn absolute(
    written: &[&str],
    _: &str,
    path: &RelPath,
    files: &dyn Files,
) -> Option<Vec<String>> {
    let module = *written.first()?;
    if module.contains(':') {
        return None;
    }
    let found = named(&below(path.folder(), module)?, files);
    let rest = written[1..].iter().map(|s| (*s).to_owned());
    Some(std::iter::once(found).chain(rest).collect())
}

fn module_file(module: &str, files: &dyn Files) -> Option<RelPath> {
    let path = match module.strip_prefix("package:") {
        Some(rest) => {
            let (name, rest) = rest.split_once('/')?;
            let packages = packages(files);
            let (_, folder) = packages.iter().find(|p| p.0 == name)?;
            let lead = if folder.is_empty() { String::new() } else { format!("{folder}/") };
            format!("{lead}lib/{rest}")
        }
        None => module.strip_prefix("./")?.to_owned(),
    };
    RelPath::new(&path).ok().filter(|p| files.exists(p.as_str()))
}

/// A path that leads elsewhere, by the package where one stands that does so.
fn written(path: &PathTo<'_>, files: &dyn Files) -> Option<Vec<String>> {
    let old = *path.written.first()?;
    let spelled = match old.contains(':') {
        true => named(path.file.as_str(), files),
        false => relative(path.from.folder(), path.file.as_str()),
    };
    let rest = path.written[1..].iter().map(|s| (*s).to_owned());
    Some(std::iter::once(spelled).chain(rest).collect())
}

/// The package that a file belongs to, unless its manifest keeps it from being uploaded.
pub(crate) fn published(path: &RelPath, files: &dyn Files) -> Option<String> {
    let (_, text) = nearest(path, &["pubspec.yaml"], files)?;
    let private = text.lines().any(|l| l.replace(' ', "") == "publish_to:none");
    name_in(&text).filter(|_| !private)
}
