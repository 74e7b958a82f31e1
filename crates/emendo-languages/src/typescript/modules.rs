//! What the modules of TypeScript and JavaScript are called, and where they lie.

use emendo_text::RelPath;

use emendo_lang::language::{Modules, PathTo};
use emendo_lang::{Files, remembered};

use crate::shared::{below, nearest};

/// Files are modules by their paths; the settings of the compiler and manifests give them other names too.
pub(super) const MODULES: Modules = Modules {
    of: module_of,
    absolute,
    file: module_file,
    files: |_, _| Vec::new(),
    declaring: &[],
    written,
    from_folder: |module, folder| Some(relative(folder, module.strip_prefix("./")?)),
    settings: &["tsconfig.json", "jsconfig.json"],
    statement: "",
    own: "",
    loads_files: &[],
    called,
};

/// How many settings files may extend one another.
const MAX_EXTENDS: usize = 8;

/// Endings that a module's name leaves out, in the order in which they are tried.
const ENDINGS: &[&str] = &["ts", "tsx", "d.ts", "mts", "cts", "js", "jsx", "mjs", "cjs"];

/// A file of the project is `./` and its path from the root, without the ending; an index file is its folder.
fn module_of(path: &RelPath, _: &dyn Files) -> String {
    format!("./{}", bare(path.as_str()))
}

fn bare(path: &str) -> &str {
    let cut = |e: &&str| path.strip_suffix(*e).and_then(|p| p.strip_suffix('.'));
    let stem = ["d.ts", "d.mts", "d.cts"].iter().chain(ENDINGS).find_map(cut).unwrap_or(path);
    stem.strip_suffix("/index").or(if stem == "index" { Some("") } else { None }).unwrap_or(stem)
}

/// Paths that begin with a dot are relative to the file's folder; others may be spelled by the settings of the compiler.
fn absolute(written: &[&str], _: &str, path: &RelPath, files: &dyn Files) -> Option<Vec<String>> {
    let module = *written.first()?;
    let found = if module.starts_with('.') {
        format!("./{}", bare(&below(path.folder(), module)?))
    } else {
        aliased(module, path, files)?
    };
    let rest = written[1..].iter().map(|s| (*s).to_owned());
    Some(std::iter::once(found).chain(rest).collect())
}

/// A module that the compiler's settings, or the name of a package of the project, lead to.
fn aliased(module: &str, path: &RelPath, files: &dyn Files) -> Option<String> {
    let folder = path.folder();
    let key = format!("typescript settings {folder}");
    let settings = remembered(files, &key, || settings_for(folder, files));
    let by_settings = || by_settings(module, (*settings).as_ref()?, files);
    by_settings().or_else(|| by_package(module, files))
}

/// What settings say of paths: the folder that they count from, and names with where they lead.
struct Settings {
    folder: String,
    base: Option<String>,
    paths: Vec<(String, Vec<String>)>,
}

/// The settings that hold for a folder: those of the nearest file that says anything of paths.
fn settings_for(mut folder: &str, files: &dyn Files) -> Option<Settings> {
    loop {
        let found = ["tsconfig.json", "jsconfig.json"]
            .into_iter()
            .find_map(|name| settings_at(&below(folder, name)?, files, MAX_EXTENDS));
        if found.is_some() || folder.is_empty() {
            return found;
        }
        folder = folder.rsplit_once('/').map_or("", |f| f.0);
    }
}

/// What a settings file says of paths, or the one that it extends.
fn settings_at(at: &str, files: &dyn Files, depth: usize) -> Option<Settings> {
    let at = RelPath::new(at).ok().filter(|at| files.exists(at.as_str()))?;
    let text = files.text(&at)?;
    let value: serde_json::Value = serde_json::from_str(&without_comments(&text)).ok()?;
    let options = &value["compilerOptions"];
    let base = options["baseUrl"].as_str().map(str::to_owned);
    let texts = |v: &serde_json::Value| {
        let all = v.as_array().into_iter().flatten();
        all.filter_map(|t| t.as_str().map(str::to_owned)).collect::<Vec<_>>()
    };
    let paths = options["paths"].as_object().into_iter().flatten();
    let paths: Vec<(String, Vec<String>)> = paths.map(|(k, v)| (k.clone(), texts(v))).collect();
    if base.is_some() || !paths.is_empty() {
        return Some(Settings { folder: at.folder().to_owned(), base, paths });
    }
    let one = value["extends"].as_str().map(str::to_owned);
    let extended = one.into_iter().chain(texts(&value["extends"]));
    extended.filter(|e| e.starts_with('.')).find_map(|e| {
        let whole = below(at.folder(), &e)?;
        let ended = format!("{whole}.json");
        let depth = depth.checked_sub(1)?;
        settings_at(&whole, files, depth).or_else(|| settings_at(&ended, files, depth))
    })
}

/// A module below a package of the project, by the name that its manifest gives.
fn by_package(module: &str, files: &dyn Files) -> Option<String> {
    let cut = if module.starts_with('@') { 2 } else { 1 };
    let name: Vec<&str> = module.splitn(cut + 1, '/').take(cut).collect();
    let name = name.join("/");
    let rest = module[name.len()..].trim_start_matches('/');
    let packages = packages(files);
    let (_, folder, entries) = packages.iter().find(|p| p.0 == name)?;
    let below_it = [rest.to_owned(), format!("src/{rest}")];
    let tried = if rest.is_empty() { entries.as_slice() } else { &below_it };
    tried.iter().find_map(|t| {
        let found = format!("./{}", bare(&below(folder, t)?));
        module_file(&found, files).map(|_| found)
    })
}

/// A package of the project: its name, its folder, and where its source may begin.
type Package = (String, String, Vec<String>);

fn packages(files: &dyn Files) -> std::sync::Arc<Vec<Package>> {
    let one = |at: RelPath| {
        let value: serde_json::Value = serde_json::from_str(&files.text(&at)?).ok()?;
        Some((value["name"].as_str()?.to_owned(), at.folder().to_owned(), entries(&value)))
    };
    let all = || files.named("package.json").into_iter().filter_map(one).collect();
    remembered(files, "typescript packages", all)
}

/// Where the source of a package may begin.
fn entries(manifest: &serde_json::Value) -> Vec<String> {
    let said = ["source", "types", "typings", "module", "main"];
    let said = said.iter().filter_map(|k| manifest[k].as_str().map(str::to_owned));
    said.chain(["src/index.ts".into(), "index.ts".into(), "src/index.js".into()]).collect()
}

/// A path that leads elsewhere: relative where one stands that is, else by the settings or the package that gave it its name.
fn written(path: &PathTo<'_>, files: &dyn Files) -> Option<Vec<String>> {
    let old = *path.written.first()?;
    let target = path.file.as_str();
    let ending = |p: &str| {
        let name = p.rsplit('/').next()?;
        let (stem, ending) = name.split_once('.')?;
        (!stem.is_empty()).then(|| ending.to_owned())
    };
    // An ending that is written out stays: of a script that of what it becomes.
    let told = ending(old).filter(|e| ENDINGS.contains(&e.as_str()));
    let bare_target = match &told {
        Some(told) => {
            let stem = ENDINGS.iter().find_map(|e| target.strip_suffix(e)?.strip_suffix('.'));
            format!("{}.{told}", stem.unwrap_or(target))
        }
        None if old.ends_with("/index") => target
            .rsplit_once('.')
            .filter(|t| t.0.ends_with("/index"))
            .map_or_else(|| bare(target).to_owned(), |t| t.0.to_owned()),
        None => bare(target).to_owned(),
    };
    let spelled = match old.starts_with('.') {
        true => relative(path.from.folder(), &bare_target),
        false => aliased_to(old, &bare_target, path.from, files)
            .unwrap_or_else(|| relative(path.from.folder(), &bare_target)),
    };
    let rest = path.written[1..].iter().map(|s| (*s).to_owned());
    Some(std::iter::once(spelled).chain(rest).collect())
}

/// A path as seen from a folder, in the way of modules.
fn relative(folder: &str, target: &str) -> String {
    match crate::shared::relative(folder, target) {
        // The index of a folder around, or of its own.
        up if up.is_empty() => ".".to_owned(),
        up if up.starts_with("..") => up.trim_end_matches('/').to_owned(),
        down => format!("./{down}"),
    }
}

/// A path by the settings or the package that gave the old one its name, else by any others.
fn aliased_to(old: &str, target: &str, from: &RelPath, files: &dyn Files) -> Option<String> {
    let key = format!("typescript settings {}", from.folder());
    let settings = remembered(files, &key, || settings_for(from.folder(), files));
    if let Some(settings) = settings.as_ref() {
        let base = format!("{}/{}", settings.folder, settings.base.as_deref().unwrap_or("."));
        let by = |name: &str, targets: &[String]| {
            targets.iter().find_map(|t| {
                let pattern = below(&base, t)?;
                let Some((before, after)) = pattern.split_once('*') else {
                    return (bare(&pattern) == bare(target)).then(|| name.to_owned());
                };
                let middle = target.strip_prefix(before)?.strip_suffix(after)?;
                Some(name.replacen('*', middle, 1))
            })
        };
        // A name that the settings give to one file goes with it: they name it by its path, and are mended.
        let at_folder = settings.base.as_deref().is_none_or(|b| matches!(b, "." | "./"));
        if at_folder && settings.paths.iter().any(|(n, _)| n == old && !n.contains('*')) {
            return Some(old.to_owned());
        }
        let fits = |name: &str| old.starts_with(name.split('*').next().unwrap_or(name));
        let named = |own: bool| {
            let all = settings.paths.iter().filter(|(n, _)| fits(n) == own);
            all.into_iter().find_map(|(n, t)| by(n, t))
        };
        let plain = || {
            settings.base.as_ref()?;
            let folder = below(&base, ".")?;
            let rest = match folder.is_empty() {
                true => target,
                false => target.strip_prefix(&folder)?.strip_prefix('/')?,
            };
            Some(rest.to_owned())
        };
        // What was found from the base alone stays so.
        let by_base = !settings.paths.iter().any(|(n, _)| fits(n));
        let found = named(true).or_else(|| if by_base { plain() } else { None });
        if let Some(found) = found.or_else(|| named(false)) {
            return Some(found);
        }
    }
    let packages = packages(files);
    packages.iter().find_map(|(name, folder, _)| {
        let fits = old == name || old.strip_prefix(name.as_str())?.starts_with('/');
        let rest = target.strip_prefix(folder.as_str())?.trim_start_matches('/');
        let below_src = old.strip_prefix(name.as_str()).is_some_and(|r| !r.starts_with("/src/"));
        let rest = rest.strip_prefix("src/").filter(|_| below_src).unwrap_or(rest);
        fits.then(|| format!("{name}/{rest}"))
    })
}

/// The names that settings and manifests give to the module of a file.
fn called(path: &RelPath, files: &dyn Files) -> Vec<String> {
    let own = module_of(path, files);
    let leads = |target: &str, folder: &str| {
        below(folder, target).is_some_and(|t| match t.split_once('*') {
            Some((before, _)) => path.as_str().starts_with(before),
            None => format!("./{}", bare(&t)) == own,
        })
    };
    let settings = remembered(files, "typescript settings", || {
        let names = ["tsconfig.json", "tsconfig.base.json", "jsconfig.json"];
        let all = names.iter().flat_map(|name| files.named(name));
        all.filter_map(|at| settings_at(at.as_str(), files, MAX_EXTENDS)).collect::<Vec<_>>()
    });
    let mut out = Vec::new();
    for s in settings.iter() {
        let folder = format!("{}/{}", s.folder, s.base.as_deref().unwrap_or("."));
        let here = |t: &String| leads(t, &folder);
        let named = s.paths.iter().filter(|(_, targets)| targets.iter().any(here));
        out.extend(named.map(|n| n.0.clone()));
    }
    for (name, folder, entries) in packages(files).iter() {
        out.extend(entries.iter().any(|e| leads(e, folder)).then(|| name.clone()));
    }
    out
}

/// The text without comments and trailing commas, which such files may have.
fn without_comments(text: &str) -> String {
    let mut out = String::new();
    let mut rest = text.chars().peekable();
    let mut quoted = false;
    while let Some(c) = rest.next() {
        match (c, rest.peek()) {
            ('"', _) => quoted = !quoted,
            ('\\', Some(_)) if quoted => {
                out.push(c);
                out.extend(rest.next());
                continue;
            }
            ('/', Some('/')) if !quoted => {
                while rest.next_if(|c| *c != '\n').is_some() {}
                continue;
            }
            ('/', Some('*')) if !quoted => {
                let mut last = ' ';
                for c in rest.by_ref().skip(1) {
                    if last == '*' && c == '/' {
                        break;
                    }
                    last = c;
                }
                continue;
            }
            ('}' | ']', _) if !quoted => {
                let kept = out.trim_end().trim_end_matches(',').len();
                out.truncate(kept);
            }
            _ => {}
        }
        out.push(c);
    }
    out
}

fn by_settings(module: &str, settings: &Settings, files: &dyn Files) -> Option<String> {
    let base = settings.base.as_deref().unwrap_or(".");
    let folder = format!("{}/{base}", settings.folder);
    let from = |target: &str| Some(format!("./{}", bare(&below(&folder, target)?)));
    let leads = |name: &str, targets: &[String]| {
        let (before, after) = name.split_once('*').unwrap_or((name, ""));
        let middle = module.strip_prefix(before)?.strip_suffix(after)?;
        let fits = name.contains('*') || middle.is_empty();
        let all = targets.iter().filter(|_| fits).filter_map(|t| from(&t.replacen('*', middle, 1)));
        all.into_iter().find(|m| module_file(m, files).is_some())
    };
    let by_name = settings.paths.iter().find_map(|(name, targets)| leads(name, targets));
    by_name.or_else(|| {
        let plain = from(module).filter(|_| settings.base.is_some())?;
        module_file(&plain, files).map(|_| plain)
    })
}

fn module_file(module: &str, files: &dyn Files) -> Option<RelPath> {
    let path = module.strip_prefix("./")?;
    let direct = ENDINGS.iter().map(|e| format!("{path}.{e}"));
    let index = ENDINGS
        .iter()
        .map(|e| if path.is_empty() { format!("index.{e}") } else { format!("{path}/index.{e}") });
    let known = direct.chain(index).find(|p| files.exists(p));
    known.and_then(|p| RelPath::new(&p).ok())
}

/// The package that a file belongs to, if its manifest has a name and a version and does not call it private.
pub(crate) fn published(path: &RelPath, files: &dyn Files) -> Option<String> {
    let (_, text) = nearest(path, &["package.json"], files)?;
    let value: serde_json::Value = serde_json::from_str(&text).ok()?;
    let private = value["private"].as_bool().unwrap_or(false);
    let name = value["name"].as_str().filter(|_| !private && value["version"].is_string());
    name.map(str::to_owned)
}
