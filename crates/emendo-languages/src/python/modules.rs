//! Where the modules of Python lie, and what paths to them mean.

use emendo_lang::Files;
use emendo_lang::language::PathTo;
use emendo_text::RelPath;

use crate::shared::nearest;

/// The dotted name of a file, from the outermost folder that is a package; `src` and the like are none.
pub(crate) fn module_of(path: &RelPath, files: &dyn Files) -> String {
    let stem = path.as_str().trim_end_matches("/__init__.py");
    let stem =
        stem.rsplit_once('.').filter(|(_, e)| matches!(*e, "py" | "pyi")).map_or(stem, |s| s.0);
    let parts: Vec<&str> = stem.split('/').collect();
    let is_package = |n: usize| files.exists(&format!("{}/__init__.py", parts[..n].join("/")));
    let folders =
        if path.as_str().ends_with("/__init__.py") { parts.len() } else { parts.len() - 1 };
    let mut from = folders;
    while from > 0 && is_package(from) {
        from -= 1;
    }
    if from == folders && folders > 0 {
        // No package file: all folders count, but for those that only hold sources.
        from = usize::from(SOURCE_FOLDERS.contains(&parts[0]));
    }
    parts[from..].join(".")
}

/// Folders that hold sources and are not package.
pub(crate) const SOURCE_FOLDERS: &[&str] = &["src", "lib", "python"];

/// Leading dots stand for the package of the file, and those around it.
pub(crate) fn absolute(
    written: &[&str],
    module: &str,
    path: &RelPath,
    files: &dyn Files,
) -> Option<Vec<String>> {
    let first = *written.first()?;
    if !first.starts_with('.') {
        let file = module_file(&written.join("."), files)
            .or_else(|| module_file(&written[..written.len() - 1].join("."), files))?;
        // The same file may be reached by a longer or a shorter path.
        let known = module_of(&file, files);
        let own: Vec<&str> = known.split('.').collect();
        let whole = own.last() == written.last();
        let rest = if whole { &[][..] } else { &written[written.len() - 1..] };
        return Some(own.iter().chain(rest).map(|s| (*s).to_owned()).collect());
    }
    let mut own: Vec<&str> = module.split('.').collect();
    let ups = first.len() - usize::from(path.as_str().ends_with("__init__.py"));
    own.truncate(own.len().checked_sub(ups)?);
    let whole: Vec<String> = own.iter().chain(&written[1..]).map(|s| (*s).to_owned()).collect();
    // Only the project itself can be named this way.
    let known = (1..=whole.len()).any(|n| module_file(&whole[..n].join("."), files).is_some());
    known.then_some(whole)
}

/// A path that leads elsewhere: with leading dots where one stands that has them, as far as they reach.
pub(crate) fn written(path: &PathTo<'_>, files: &dyn Files) -> Option<Vec<String>> {
    let target: Vec<&str> = path.target.split('.').collect();
    let own = |s: &[&str]| Some(s.iter().map(|s| (*s).to_owned()).collect::<Vec<_>>());
    if !path.written.first()?.starts_with('.') {
        return own(&target);
    }
    let module = module_of(path.from, files);
    let mut package: Vec<&str> = module.split('.').collect();
    if path.from.name() != "__init__.py" {
        package.pop();
    }
    let same = package.iter().zip(&target).take_while(|(a, b)| a == b).count();
    if same == 0 {
        return own(&target);
    }
    let dots = ".".repeat(package.len() - same + 1);
    let rest = target[same..].iter().map(|s| (*s).to_owned());
    Some(std::iter::once(dots).chain(rest).collect())
}

pub(crate) fn module_file(module: &str, files: &dyn Files) -> Option<RelPath> {
    let path = module.replace('.', "/");
    let found = SOURCE_FOLDERS.iter().map(|f| format!("{f}/")).chain([String::new()]);
    let found = found.flat_map(|f| {
        [format!("{f}{path}.py"), format!("{f}{path}/__init__.py"), format!("{f}{path}.pyi")]
    });
    let known = found.into_iter().find(|p| !module.is_empty() && files.exists(p));
    known.and_then(|p| RelPath::new(&p).ok())
}

/// The distribution that a file belongs to, if its settings name one and do not keep it from being uploaded.
pub(crate) fn published(path: &RelPath, files: &dyn Files) -> Option<String> {
    let (_, text) = nearest(path, &["pyproject.toml", "setup.cfg", "setup.py"], files)?;
    if text.contains("Private ::") || text.contains("package-mode = false") {
        return None;
    }
    let named = |line: &str| {
        let rest = line.trim().strip_prefix("name")?.trim_start().strip_prefix('=')?;
        let name = rest.trim().trim_matches(|c: char| matches!(c, '"' | '\'' | ','));
        (!name.is_empty()).then(|| name.to_owned())
    };
    text.lines().find_map(named)
}
