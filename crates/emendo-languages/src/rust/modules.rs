//! Where the modules of Rust lie, and what paths to them mean.
//!
//! Each target of a package is a crate of its own: its library and its program below `src`, what the manifest names, and
//! the programs, tests and examples in their folders. A crate other than the library is called by the package and
//! the path of its root, which no name in Rust can be.

use emendo_lang::language::PathTo;
use emendo_lang::{Files, remembered};
use emendo_text::RelPath;

/// Between the parts of the path in a crate's own name.
const PATH: &str = "~";

/// A crate: what it is called, its root, and the folder in which its modules lie.
#[derive(Clone)]
struct Target {
    name: String,
    root: String,
    folder: String,
}

/// A package: its folder, and the targets that its manifest names or that lie where they usually do.
struct Package {
    name: String,
    folder: String,
    targets: Vec<Target>,
}

/// The package of a file: that of the nearest manifest.
fn package_of(path: &RelPath, files: &dyn Files) -> Option<std::sync::Arc<Package>> {
    let mut folder = path.folder();
    loop {
        if let Some(package) = package_in(folder, files) {
            return Some(package);
        }
        if folder.is_empty() {
            return None;
        }
        folder = folder.rsplit_once('/').map_or("", |f| f.0);
    }
}

fn package_in(folder: &str, files: &dyn Files) -> Option<std::sync::Arc<Package>> {
    let manifest = in_folder(folder, "Cargo.toml");
    if !files.exists(&manifest) {
        return None;
    }
    let known = remembered(files, &format!("package of {folder}"), || {
        let text = files.text(&RelPath::new(&manifest).ok()?)?;
        let name = crate_name(&text)?;
        let targets = targets(&name, folder, &text);
        Some(std::sync::Arc::new(Package { name, folder: folder.to_owned(), targets }))
    });
    known.as_ref().clone()
}

fn in_folder(folder: &str, path: &str) -> String {
    if folder.is_empty() { path.to_owned() } else { format!("{folder}/{path}") }
}

/// The value of a key on a line of a manifest.
fn value_of<'l>(line: &'l str, key: &str) -> Option<&'l str> {
    let value = line.strip_prefix(key)?.trim_start().strip_prefix('=')?;
    value.trim().split(['"', '\'']).nth(1)
}

/// The name of the library that a manifest describes.
fn crate_name(manifest: &str) -> Option<String> {
    let named = |section: &str| {
        let mut inside = false;
        manifest.lines().find_map(|line| {
            let line = line.trim();
            if line.starts_with('[') {
                inside = line == section;
            }
            value_of(line, "name").filter(|_| inside).map(|n| n.replace('-', "_"))
        })
    };
    let package = named("[package]")?;
    Some(named("[lib]").unwrap_or(package))
}

/// The crates of a package whose roots the manifest names, or that lie directly below `src`.
fn targets(name: &str, folder: &str, manifest: &str) -> Vec<Target> {
    let mut section = "";
    let mut out = Vec::new();
    for line in manifest.lines().map(str::trim) {
        if line.starts_with('[') {
            section = line;
        }
        let is_target =
            matches!(section, "[lib]" | "[[bin]]" | "[[example]]" | "[[test]]" | "[[bench]]");
        if let Some(path) = value_of(line, "path").filter(|_| is_target) {
            let path = path.trim_start_matches("./");
            let own = section == "[lib]" || path == "src/main.rs";
            out.push(target(name, folder, path, own));
        }
    }
    for usual in ["src/lib.rs", "src/main.rs"] {
        out.push(target(name, folder, usual, true));
    }
    out
}

/// A crate with its root below a package's folder.
fn target(package: &str, folder: &str, root: &str, own: bool) -> Target {
    let name = if own {
        package.to_owned()
    } else {
        let path = root.strip_suffix("/main.rs").or(root.strip_suffix(".rs")).unwrap_or(root);
        format!("{package}{PATH}{}", path.replace('/', PATH))
    };
    let root = in_folder(folder, root);
    let folder = root.rsplit_once('/').map_or("", |f| f.0).to_owned();
    Target { name, root, folder }
}

/// The crate of a file: the one whose folder is the nearest around it.
fn target_of(path: &RelPath, package: &Package, files: &dyn Files) -> Target {
    let whole = path.as_str();
    let named = package.targets.iter().find(|t| t.root == whole);
    if let Some(named) = named {
        return named.clone();
    }
    let below = whole.strip_prefix(&package.folder).unwrap_or(whole).trim_start_matches('/');
    let parts: Vec<&str> = below.split('/').collect();
    // Programs, tests and examples lie in folders of their own, one file or one folder each.
    let group = match parts.as_slice() {
        ["src", "bin", ..] => 2,
        ["tests" | "benches" | "examples", ..] => 1,
        _ => 0,
    };
    if group > 0 && parts.len() == group + 1 {
        return target(&package.name, &package.folder, below, false);
    }
    let mut known: Vec<Target> = package.targets.clone();
    if group > 0 {
        let root = format!("{}/main.rs", parts[..=group].join("/"));
        known.push(target(&package.name, &package.folder, &root, false));
    }
    let holds = |t: &&Target| {
        files.exists(&t.root)
            && (t.folder.is_empty()
                || whole.strip_prefix(&t.folder).is_some_and(|r| r.starts_with('/')))
    };
    let nearest = known.iter().filter(holds).max_by_key(|t| t.folder.len());
    nearest.cloned().unwrap_or_else(|| {
        let folder = match (group, parts.first()) {
            (0, Some(&"src")) => in_folder(&package.folder, "src"),
            (0, _) => package.folder.clone(),
            _ => in_folder(&package.folder, &parts[..=group].join("/")),
        };
        let name = match group {
            0 => package.name.clone(),
            _ => format!("{}{PATH}{}", package.name, parts[..=group].join(PATH)),
        };
        Target { name, root: String::new(), folder }
    })
}

/// The path of a file's module.
pub(crate) fn module_of(path: &RelPath, files: &dyn Files) -> String {
    let nowhere = || {
        let name = "crate".to_owned();
        let targets = targets(&name, "", "");
        std::sync::Arc::new(Package { name, folder: String::new(), targets })
    };
    let package = package_of(path, files).unwrap_or_else(nowhere);
    let target = target_of(path, &package, files);
    let whole = path.as_str();
    let mut out = vec![target.name];
    if target.root != whole {
        let below = whole.strip_prefix(&target.folder).unwrap_or(whole).trim_start_matches('/');
        let below = below.strip_suffix(".rs").unwrap_or(below);
        let mut parts: Vec<&str> = below.split('/').collect();
        let root = target.root.is_empty() && parts.len() == 1;
        if parts.last().is_some_and(|l| *l == "mod" || root && matches!(*l, "lib" | "main")) {
            parts.pop();
        }
        out.extend(parts.into_iter().map(str::to_owned));
    }
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
            let root = own.len() == 1 || path.name() == "mod.rs";
            let beside = path.as_str().strip_suffix(".rs").unwrap_or(path.as_str());
            let folder = if root { path.folder() } else { beside };
            let known = files.exists(&in_folder(folder, &format!("{first}.rs")))
                || files.exists(&in_folder(folder, &format!("{first}/mod.rs")));
            known.then_some((&own[..], written))?
        }
    };
    Some(head.iter().chain(rest).map(|s| (*s).to_owned()).collect())
}

/// A path that leads elsewhere: from the same module on as the one that stands, where that leads there, else from the crate.
pub(crate) fn written(path: &PathTo<'_>, files: &dyn Files) -> Option<Vec<String>> {
    let target: Vec<&str> = path.target.split("::").collect();
    let module = module_of(path.from, files);
    let own = module.split("::").chain(path.inside.iter().map(String::as_str));
    let own: Vec<&str> = own.collect();
    let texts = |lead: &[&str], rest: &[&str]| {
        Some(lead.iter().chain(rest).map(|s| (*s).to_owned()).collect::<Vec<_>>())
    };
    let ups = path.written.iter().take_while(|w| **w == "super").count();
    let (lead, base) = match *path.written.first()? {
        "super" => (&path.written[..ups], &own[..own.len().checked_sub(ups)?.max(1)]),
        "self" => (&path.written[..1], &own[..]),
        "crate" => (&path.written[..1], &own[..1]),
        _ => (&[][..], &own[..]),
    };
    // A module itself is named by such words alone only where all of it is meant.
    let whole = path.written.len() == lead.len();
    if let Some(rest) = target.strip_prefix(base).filter(|r| !r.is_empty() || whole) {
        return texts(lead, rest);
    }
    match target.strip_prefix(&own[..1]) {
        Some(rest) => texts(&["crate"], rest),
        None => texts(&target, &[]),
    }
}

pub(crate) fn module_file(module: &str, files: &dyn Files) -> Option<RelPath> {
    let (name, below) = module.split_once("::").unwrap_or((module, ""));
    let own = name.split(PATH).next().unwrap_or(name);
    let packages = files.named("Cargo.toml");
    let mut packages = packages.iter().filter_map(|m| package_in(m.folder(), files));
    let package = packages.find(|p| p.name == own)?;
    let mut roots: Vec<Target> =
        package.targets.iter().filter(|t| t.name == name).cloned().collect();
    if let Some(path) = name.strip_prefix(own).and_then(|r| r.strip_prefix(PATH)) {
        let path = path.replace(PATH, "/");
        for root in [format!("{path}/main.rs"), format!("{path}.rs")] {
            roots.push(target(own, &package.folder, &root, false));
        }
    }
    let known = roots.into_iter().find_map(|t| {
        if below.is_empty() {
            return Some(t.root).filter(|r| files.exists(r));
        }
        let path = in_folder(&t.folder, &below.replace("::", "/"));
        [format!("{path}.rs"), format!("{path}/mod.rs")].into_iter().find(|p| files.exists(p))
    });
    known.and_then(|p| RelPath::new(&p).ok())
}

/// The root of a crate is called so within it; that of a library is called as its package is.
pub(crate) fn called(path: &RelPath, files: &dyn Files) -> Vec<String> {
    let module = module_of(path, files);
    if module.contains("::") {
        return Vec::new();
    }
    let library = !module.contains(PATH) && path.name() != "main.rs";
    let name = library.then_some(module).into_iter();
    name.chain(["crate".to_owned()]).collect()
}

/// The crate that a file belongs to, if it is a library whose manifest does not keep it from being published.
pub(crate) fn published(path: &RelPath, files: &dyn Files) -> Option<String> {
    let package = package_of(path, files)?;
    let text = files.text(&RelPath::new(&in_folder(&package.folder, "Cargo.toml")).ok()?)?;
    let kept = |l: &str| {
        let value = l.trim().strip_prefix("publish").map(|v| v.trim_start_matches([' ', '=']));
        value.is_some_and(|v| v.starts_with("false") || v.starts_with("[]"))
    };
    let library = text.contains("[lib]") || files.exists(&in_folder(&package.folder, "src/lib.rs"));
    (library && !text.lines().any(kept)).then(|| package.name.clone())
}
