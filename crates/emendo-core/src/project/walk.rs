//! Which files of the project are looked at, and which are passed over by which rule.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::{Arc, Mutex};

use emendo_text::RelPath;
use ignore::gitignore::{Gitignore, GitignoreBuilder};
use serde::{Deserialize, Serialize};

use crate::project::{Project, SETTINGS, STATE};

/// Why a file or folder is passed over.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum SkipReason {
    /// An ignore file names it.
    Ignored,
    /// It is another repository inside this one.
    Nested,
    /// Code of others, kept here (`node_modules`, `vendor`, ...).
    Vendored,
    /// Code squeezed by a tool.
    Minified,
    /// Code written by a tool.
    Generated,
    /// A symbolic link.
    Link,
    /// Its name is not UTF-8.
    Name,
    /// It is not readable.
    Unreadable,
    /// It is binary or in an encoding that does not extend ASCII.
    Encoding,
    /// It is in UTF-16 or UTF-32.
    Wide,
    /// It is larger than any source.
    Large,
    /// It takes too long to parse.
    Slow,
    /// A part of it is code that nobody reads.
    Template,
}

impl SkipReason {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Ignored => "ignored",
            Self::Nested => "nested repository",
            Self::Vendored => "vendored",
            Self::Minified => "minified",
            Self::Generated => "generated",
            Self::Link => "symbolic link",
            Self::Name => "name that is not UTF-8",
            Self::Unreadable => "unreadable",
            Self::Encoding => "binary or wide encoding",
            Self::Wide => "UTF-16",
            Self::Large => "too large",
            Self::Slow => "takes too long to parse",
            Self::Template => "code of a template that is not read",
        }
    }

    /// Kinds that the user may include, with their words.
    pub const INCLUDABLE: [(&'static str, Self); 3] = [
        ("vendored", Self::Vendored),
        ("minified", Self::Minified),
        ("generated", Self::Generated),
    ];
}

/// How many files and folders each rule passed over.
pub type SkipCounts = BTreeMap<SkipReason, u64>;
/// Which files and folders each rule passed over; what is not UTF-8 in a name is replaced.
pub type PassedOver = BTreeMap<SkipReason, Vec<String>>;

/// Folders in which projects keep the code of others.
const VENDORED: &[&str] =
    &["node_modules", "vendor", "third_party", "bower_components", ".venv", "site-packages"];

/// The files of a project in order of path.
#[derive(Debug, Default)]
pub(crate) struct WalkResult {
    /// The files.
    pub files: Vec<RelPath>,
    /// What was passed over.
    pub skipped: SkipCounts,
    /// The same by name.
    pub passed: PassedOver,
}

/// Walks a project. `with` are kinds that are not passed over.
pub(crate) fn walk(project: &Project, with: &[SkipReason]) -> WalkResult {
    let out = Mutex::new(WalkResult::default());
    let stack = outer_rules(project);
    rayon::scope(|scope| folder(scope, project, project.below().to_owned(), stack, with, &out));
    let mut out = out.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner);
    out.files.sort_unstable();
    out.files.dedup();
    out.passed.values_mut().for_each(|all| all.sort_unstable());
    for path in project.unsaved() {
        let below = project.below();
        let rest = path.as_str().strip_prefix(below);
        let within = below.is_empty() || rest.is_some_and(|r| r.starts_with('/'));
        if let (true, Err(at)) = (within, out.files.binary_search(&path)) {
            out.files.insert(at, path);
        }
    }
    let absent = project.absent();
    out.files.retain(|p| absent.binary_search(p).is_err());
    out.files = out.files.into_iter().map(|p| project.as_said(p)).collect();
    out
}

/// A folder's ignore rules and those above it.
struct Rules {
    own: Vec<Gitignore>,
    above: Option<Arc<Self>>,
}

impl Rules {
    /// The nearest rule that says something decides.
    fn ignore(&self, path: &Path, is_dir: bool) -> bool {
        let mut at = Some(self);
        while let Some(rules) = at {
            for own in rules.own.iter().rev() {
                let m = own.matched(path, is_dir);
                if !m.is_none() {
                    return m.is_ignore();
                }
            }
            at = rules.above.as_deref();
        }
        false
    }
}

/// The user's global rules, the repository's own, and those of the folders between the root and where the walk begins.
fn outer_rules(project: &Project) -> Option<Arc<Rules>> {
    let (global, _) = Gitignore::global();
    let mut own = vec![global];
    let mut exclude = GitignoreBuilder::new(project.root());
    let path = project.root().join(".git/info/exclude");
    if is_plain(&path) && exclude.add(path).is_none() {
        own.extend(exclude.build().ok());
    }
    let mut rules = Arc::new(Rules { own, above: None });
    let mut at = project.root().to_owned();
    for part in project.below().split('/').filter(|p| !p.is_empty()) {
        rules = with_own(&at, rules, &[".gitignore", ".ignore"]);
        at.push(part);
    }
    Some(rules)
}

/// True for a regular file: a pipe or a device in its place is never opened, and a link is not followed, as git does not.
fn is_plain(path: &Path) -> bool {
    path.symlink_metadata().is_ok_and(|m| m.is_file())
}

fn with_own(dir: &Path, above: Arc<Rules>, present: &[&str]) -> Arc<Rules> {
    let mut own = Vec::new();
    for name in present {
        let mut builder = GitignoreBuilder::new(dir);
        if is_plain(&dir.join(name)) && builder.add(dir.join(name)).is_none() {
            own.extend(builder.build().ok().filter(|g| !g.is_empty()));
        }
    }
    if own.is_empty() { above } else { Arc::new(Rules { own, above: Some(above) }) }
}

fn folder<'s>(
    scope: &rayon::Scope<'s>,
    project: &'s Project,
    rel: String,
    rules: Option<Arc<Rules>>,
    with: &'s [SkipReason],
    out: &'s Mutex<WalkResult>,
) {
    let dir = project.root().join(&rel);
    let mut files = Vec::new();
    let mut skipped: Vec<(SkipReason, String)> = Vec::new();
    let Ok(entries) = std::fs::read_dir(&dir) else {
        add(out, files, vec![(SkipReason::Unreadable, format!("{rel}/"))]);
        return;
    };
    let entries: Vec<std::fs::DirEntry> = entries.filter_map(Result::ok).collect();
    let has = |name: &str| entries.iter().any(|e| e.file_name() == name);
    if !rel.is_empty() && has(".git") && rel != project.below() {
        add(out, files, vec![(SkipReason::Nested, format!("{rel}/"))]);
        return;
    }
    let present: Vec<&str> = [".gitignore", ".ignore"].into_iter().filter(|n| has(n)).collect();
    let rules = rules.map(|r| if present.is_empty() { r } else { with_own(&dir, r, &present) });
    for entry in &entries {
        let Ok(kind) = entry.file_type() else { continue };
        let raw = entry.file_name();
        let Some(name) = raw.to_str() else {
            let name = raw.to_string_lossy();
            let lead = if rel.is_empty() { String::new() } else { format!("{rel}/") };
            skipped.push((SkipReason::Name, format!("{lead}{name}")));
            continue;
        };
        if rel.is_empty() && (name == ".git" || name == STATE || name == SETTINGS) {
            continue;
        }
        let path = if rel.is_empty() { name.to_owned() } else { format!("{rel}/{name}") };
        match visit(project, entry, kind, name, &path, rules.as_deref(), with) {
            Err(why) => {
                if why == SkipReason::Ignored {
                    files.extend(project.tracked_at(&path, kind.is_dir()));
                }
                let sign = if kind.is_dir() { "/" } else { "" };
                if why != SkipReason::Ignored || kind.is_dir() || !project.tracks(&path) {
                    skipped.push((why, format!("{path}{sign}")));
                }
            }
            Ok(true) => {
                let rules = rules.clone();
                scope.spawn(move |scope| folder(scope, project, path, rules, with, out));
            }
            Ok(false) => files.extend(RelPath::new(&path).ok()),
        }
    }
    add(out, files, skipped);
}

/// True for a folder, false for a file; or why it is passed over.
fn visit(
    project: &Project,
    entry: &std::fs::DirEntry,
    kind: std::fs::FileType,
    name: &str,
    path: &str,
    rules: Option<&Rules>,
    with: &[SkipReason],
) -> Result<bool, SkipReason> {
    if kind.is_symlink() {
        return Err(SkipReason::Link);
    }
    if !kind.is_dir() && !kind.is_file() {
        return Err(SkipReason::Unreadable);
    }
    if kind.is_dir() && VENDORED.contains(&name) && !with.contains(&SkipReason::Vendored) {
        return Err(SkipReason::Vendored);
    }
    let ignored = rules.is_some_and(|r| r.ignore(&entry.path(), kind.is_dir()));
    let named = RelPath::new(path).is_ok_and(|p| project.ignores(&p));
    if ignored || named {
        return Err(SkipReason::Ignored);
    }
    if kind.is_file() && name.contains(".min.") && !with.contains(&SkipReason::Minified) {
        return Err(SkipReason::Minified);
    }
    Ok(kind.is_dir())
}

fn add(out: &Mutex<WalkResult>, files: Vec<RelPath>, skipped: Vec<(SkipReason, String)>) {
    let mut out = out.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    out.files.extend(files);
    for (why, path) in skipped {
        *out.skipped.entry(why).or_default() += 1;
        out.passed.entry(why).or_default().push(path);
    }
}

/// True if the head of a file says that a tool wrote it.
pub(crate) fn is_generated(bytes: &[u8]) -> bool {
    let head = &bytes[..bytes.len().min(2048)];
    let head: Vec<u8> = head.split(|b| *b == b'\n').take(12).flatten().copied().collect();
    let has = |needle: &[u8]| memchr::memmem::find(&head, needle).is_some();
    has(b"@generated") || (has(b"DO NOT EDIT") && (has(b"enerated") || has(b"ENERATED")))
}

/// Files of a folder that are listed where no version control says which.
const MOST_FILES: usize = 20_000;

/// The files at a path that was passed over; none if there are too many. Of a folder, those that version control keeps.
pub(crate) fn files_passed_over(project: &Project, name: &str) -> Option<Vec<RelPath>> {
    let Some(folder) = name.strip_suffix('/') else {
        return Some(RelPath::new(name).into_iter().collect());
    };
    if project.knows_tracked() {
        return Some(project.tracked_at(folder, true));
    }
    let mut out = Vec::new();
    let mut todo = vec![folder.to_owned()];
    while let Some(folder) = todo.pop() {
        let Ok(entries) = std::fs::read_dir(project.root().join(&folder)) else { continue };
        for entry in entries.flatten() {
            let Some(name) = entry.file_name().to_str().map(str::to_owned) else { continue };
            let path = format!("{folder}/{name}");
            match entry.file_type() {
                Ok(t) if t.is_dir() => todo.push(path),
                Ok(t) if t.is_file() => out.extend(RelPath::new(&path)),
                _ => {}
            }
            if out.len() + todo.len() > MOST_FILES {
                return None;
            }
        }
    }
    out.sort();
    Some(out)
}
