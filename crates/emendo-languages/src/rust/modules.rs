//! Where the modules of Rust lie, and what paths to them mean.

use emendo_lang::Files;
use emendo_text::RelPath;

/// The crate of a file: the folder of its manifest, and the name in it.
pub(crate) fn crate_of<'p>(path: &'p RelPath, files: &dyn Files) -> Option<(String, &'p str)> {
    let mut folder = path.folder();
    loop {
        let manifest =
            if folder.is_empty() { "Cargo.toml".into() } else { format!("{folder}/Cargo.toml") };
        if let Some(text) = RelPath::new(&manifest)
            .ok()
            .filter(|_| files.exists(&manifest))
            .and_then(|m| files.text(&m))
            && let Some(name) = crate_name(&text)
        {
            return Some((name, folder));
        }
        if folder.is_empty() {
            return None;
        }
        folder = folder.rsplit_once('/').map_or("", |f| f.0);
    }
}

/// The name of the library that a manifest describes.
pub(crate) fn crate_name(manifest: &str) -> Option<String> {
    let named = |section: &str| {
        let mut inside = false;
        manifest.lines().find_map(|line| {
            let line = line.trim();
            if line.starts_with('[') {
                inside = line == section;
            }
            let value =
                line.strip_prefix("name").filter(|_| inside)?.trim_start().strip_prefix('=')?;
            value.trim().split(['"', '\'']).nth(1).map(|n| n.replace('-', "_"))
        })
    };
    let package = named("[package]")?;
    Some(named("[lib]").unwrap_or(package))
}

/// The path of a file's module. Programs, tests and examples are crates of their own, named after their file.
pub(crate) fn module_of(path: &RelPath, files: &dyn Files) -> String {
    let (name, folder) = crate_of(path, files).unwrap_or_else(|| ("crate".into(), ""));
    let below = path.as_str().strip_prefix(folder).unwrap_or(path.as_str()).trim_start_matches('/');
    let below = below.strip_suffix(".rs").unwrap_or(below);
    let mut parts: Vec<&str> = below.split('/').collect();
    let mut out = vec![name];
    match parts.first() {
        Some(&"src") => {
            parts.remove(0);
        }
        Some(&("tests" | "benches" | "examples")) => {
            let alone = parts.len() > 1;
            out = vec![parts[..=usize::from(alone)].join("_")];
            parts.drain(..=usize::from(alone));
        }
        _ => {}
    }
    if parts.last().is_some_and(|l| matches!(*l, "mod" | "lib" | "main")) {
        parts.pop();
    }
    out.extend(parts.into_iter().map(str::to_owned));
    out.join("::")
}

/// `crate`, `self`, `super`, and modules that lie below the file's own.
pub(crate) fn absolute(
    written: &[&str],
    module: &str,
    path: &RelPath,
    files: &dyn Files,
) -> Option<Vec<String>> {
    let own: Vec<&str> = module.split("::").collect();
    let ups = written.iter().take_while(|w| **w == "super").count();
    let (head, rest) = match *written.first()? {
        "crate" => (&own[..1], &written[1..]),
        "self" => (&own[..], &written[1..]),
        "super" => (&own[..own.len().checked_sub(ups)?.max(1)], &written[ups..]),
        first => {
            // A module below lies beside the file of a root, or in a folder of the file's name.
            let root = matches!(path.name(), "mod.rs" | "lib.rs" | "main.rs");
            let beside = path.as_str().strip_suffix(".rs").unwrap_or(path.as_str());
            let folder = if root { path.folder() } else { beside };
            let lead = if folder.is_empty() { String::new() } else { format!("{folder}/") };
            let known = files.exists(&format!("{lead}{first}.rs"))
                || files.exists(&format!("{lead}{first}/mod.rs"));
            known.then_some((&own[..], written))?
        }
    };
    Some(head.iter().chain(rest).map(|s| (*s).to_owned()).collect())
}

pub(crate) fn module_file(module: &str, files: &dyn Files) -> Option<RelPath> {
    let (name, below) = module.split_once("::").unwrap_or((module, ""));
    let manifests = files.named("Cargo.toml");
    let manifest = manifests
        .iter()
        .find(|m| files.text(m).and_then(|t| crate_name(&t)).is_some_and(|n| n == name))?;
    let folder = manifest.folder();
    let src = if folder.is_empty() { "src".into() } else { format!("{folder}/src") };
    let path = below.replace("::", "/");
    let found = if path.is_empty() {
        vec![format!("{src}/lib.rs"), format!("{src}/main.rs")]
    } else {
        vec![format!("{src}/{path}.rs"), format!("{src}/{path}/mod.rs")]
    };
    let known = found.into_iter().find(|p| files.exists(p));
    known.and_then(|p| RelPath::new(&p).ok())
}

/// The root of a library is called as its package is.
pub(crate) fn called(path: &RelPath, files: &dyn Files) -> Vec<String> {
    let root = path.name() == "lib.rs";
    root.then(|| module_of(path, files)).into_iter().collect()
}
