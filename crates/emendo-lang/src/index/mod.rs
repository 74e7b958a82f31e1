//! What the project declares itself: its types with what they are built on, and what its modules pass on.

mod asked;
mod kept;

use std::collections::{HashMap, HashSet};
use std::sync::{Arc, RwLock};

use emendo_text::{Digest, Lines, RelPath};
use serde::{Deserialize, Serialize};

pub use crate::index::kept::Kept;

use crate::facts::FileFacts;
use crate::files::{Files, NoFiles};
use crate::import::{Export, Import};
use crate::language::{Language, Space};
use crate::names::Resolver;
use crate::tree::Tree;
use crate::ty::Learned;

/// Packages by language and name of a type.
type ByFile = HashMap<(&'static str, String), Arc<HashSet<String>>>;

/// How far types and passed-on names are followed.
const DEPTH: usize = 32;

/// The project's own declarations, as far as a run asks for them.
pub struct Index {
    files: Arc<dyn Files>,
    /// The files that were added.
    added: HashSet<RelPath>,
    /// Types by full name.
    types: HashMap<String, TypeInfo>,
    /// Names of types by package.
    packages: HashMap<String, HashSet<String>>,
    /// Imports that hold for all files, with their language.
    globals: Vec<(&'static str, Import)>,
    /// Packages of types that lie in files of their own name, by name.
    by_file: RwLock<ByFile>,
    /// The files of modules, as far as they were asked for.
    module_files: RwLock<HashMap<(&'static str, String), Option<RelPath>>>,
    /// What names stand for, as far as they were asked for.
    canonical: RwLock<HashMap<(&'static str, String), Option<PassedOn>>>,
    /// What the modules of the project pass on; `None` where there is no such file.
    modules: RwLock<HashMap<RelPath, Option<Arc<Passed>>>>,
    /// Files whose declarations were asked for, with the identity of what they say to others.
    outside: RwLock<HashMap<RelPath, Digest>>,
    /// What is told of types of libraries.
    learned: HashMap<(&'static str, String), Learned>,
    /// What other files told of types, as far as they were asked.
    asked: asked::Asked,
}

/// A type of the project.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct TypeInfo {
    /// Where it is declared.
    pub path: Option<RelPath>,
    /// The line, from 1.
    pub line: u32,
    /// It is declared there, and not only added to.
    pub declared: bool,
    /// The types that it is built on: for each the symbols that the written name may stand for.
    pub supers: Vec<Vec<String>>,
    /// The type that it is another name for.
    pub alias: Vec<String>,
    /// Those of its members that calls of their name read too.
    pub read_by_calls: HashSet<String>,
}

/// What one file declares, to be taken in by an index.
#[derive(Debug)]
pub struct DeclaredIn {
    language: &'static Language,
    path: RelPath,
    package: String,
    globals: Vec<Import>,
    outside: Digest,
    passed: Option<Arc<Passed>>,
    types: Vec<(String, TypeInfo)>,
}

impl DeclaredIn {
    /// The file.
    pub fn path(&self) -> &RelPath {
        &self.path
    }
}

/// What a name of the project's own stands for.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PassedOn {
    /// The symbol.
    pub symbol: String,
    /// The modules that pass it on, the outermost first.
    pub through: Vec<String>,
    /// One of them passes it on under a name of its own choosing.
    pub fixed: bool,
}

/// What a module passes on.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
struct Passed {
    /// Names with the symbols that they stand for, and whether the name is the module's own choice.
    names: HashMap<String, (String, bool)>,
    /// Modules whose names are all passed on.
    all: Vec<String>,
    /// The names that it declares itself, where it passes on all of others: its own come first.
    own: HashSet<String>,
}

impl Default for Index {
    fn default() -> Self {
        Self::new(Arc::new(NoFiles))
    }
}

impl std::fmt::Debug for Index {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Index of {} types", self.types.len())
    }
}

impl Index {
    /// An index over these files that knows no type yet.
    pub fn new(files: Arc<dyn Files>) -> Self {
        Self {
            files,
            added: HashSet::new(),
            types: HashMap::new(),
            packages: HashMap::new(),
            globals: Vec::new(),
            by_file: RwLock::default(),
            module_files: RwLock::default(),
            canonical: RwLock::default(),
            modules: RwLock::default(),
            outside: RwLock::default(),
            learned: HashMap::new(),
            asked: asked::Asked::default(),
        }
    }

    /// The files.
    pub fn files(&self) -> &dyn Files {
        self.files.as_ref()
    }

    /// Looks at other files from now on; what modules pass on is read again.
    pub fn replace_files(&mut self, files: Arc<dyn Files>) {
        self.files = files;
        self.modules = RwLock::default();
        self.by_file = RwLock::default();
        self.module_files = RwLock::default();
        self.canonical = RwLock::default();
        self.ask_again();
    }

    /// The files whose declarations were asked for, with the identity of what they say to others.
    pub fn outside(&self) -> Vec<(RelPath, Digest)> {
        let all = self.outside.read().map(|o| o.iter().map(|(p, d)| (p.clone(), *d)).collect());
        all.unwrap_or_default()
    }

    /// Notes what a file says to others.
    fn says(&self, language: &Language, path: &RelPath, text: &str, facts: &FileFacts) {
        if let Ok(mut all) = self.outside.write() {
            all.insert(path.clone(), facts.outside(language, text));
        }
    }

    /// Adds what a file declares. Gives the full names of its types.
    pub fn add(
        &mut self,
        language: &'static Language,
        path: &RelPath,
        text: &str,
        tree: &Tree,
        facts: &FileFacts,
    ) -> Vec<String> {
        let declared = self.declared(language, path, text, tree, facts);
        self.take(declared)
    }

    /// What a file declares, by what the index holds so far.
    pub fn declared(
        &self,
        language: &'static Language,
        path: &RelPath,
        text: &str,
        tree: &Tree,
        facts: &FileFacts,
    ) -> DeclaredIn {
        let names = &language.names;
        let lines = Lines::new(text);
        let resolver = Resolver::new(language, facts, self, tree, text);
        let mut types: Vec<(String, TypeInfo)> = Vec::new();
        // A type without a name has no heirs.
        for t in facts.types.iter().filter(|t| t.path.iter().all(|p| !p.is_empty())) {
            let at = t.span.start + 1;
            let name = if t.extends {
                let written: Vec<&str> =
                    t.path.iter().flat_map(|p| p.split(names.separator)).collect();
                let found = resolver.candidates(&written, Space::Type, t.span.start);
                match found.into_iter().next() {
                    Some(name) => name,
                    None => continue,
                }
            } else {
                resolver.own_name(t)
            };
            let all = |written: &str, at: u32| {
                let path: Vec<&str> = written.split(names.separator).collect();
                resolver.candidates(&path, Space::Type, at)
            };
            let by_calls = t.members.iter().filter(|m| m.read_by_calls);
            let info = TypeInfo {
                path: Some(path.clone()),
                line: lines.line(t.at.start),
                declared: !t.extends,
                supers: t.supers.iter().map(|s| all(&s.0, s.1.start)).collect(),
                alias: t.alias.as_ref().map_or(Vec::new(), |a| all(a, at)),
                read_by_calls: by_calls.map(|m| m.name.clone()).collect(),
            };
            types.push((name, info));
        }
        DeclaredIn {
            language,
            path: path.clone(),
            package: facts.package.clone(),
            globals: facts.imports.iter().filter(|i| i.global).cloned().collect(),
            outside: facts.outside(language, text),
            passed: names.modules.is_some().then(|| Arc::new(Passed::of(language, facts))),
            types,
        }
    }

    /// Takes in what a file declares. Gives the full names of its types.
    pub fn take(&mut self, declared: DeclaredIn) -> Vec<String> {
        let DeclaredIn { language, path, package, globals, outside, passed, types } = declared;
        let names = &language.names;
        self.globals.extend(globals.into_iter().map(|i| (language.id, i)));
        if !package.is_empty() {
            self.packages.entry(package).or_default();
        }
        self.added.insert(path.clone());
        if let Ok(mut all) = self.outside.write() {
            all.insert(path.clone(), outside);
        }
        if let Some(passed) = passed
            && let Ok(mut modules) = self.modules.write()
        {
            modules.insert(path, Some(passed));
        }
        let mut out = Vec::new();
        for (name, info) in types {
            out.push(name.clone());
            let package = names.parent(&name);
            self.packages.entry(package).or_default().insert(names.last(&name).to_owned());
            let known = self.types.entry(name).or_default();
            known.supers.extend(info.supers.into_iter().filter(|s| !s.is_empty()));
            known.alias.extend(info.alias);
            known.declared |= info.declared;
            known.read_by_calls.extend(info.read_by_calls);
            if known.path.is_none() {
                (known.path, known.line) = (info.path, info.line);
            }
        }
        out
    }

    /// Adds a type of which nothing else is known.
    pub fn declare(&mut self, package: &str, name: &str) {
        self.packages.entry(package.to_owned()).or_default().insert(name.to_owned());
    }

    /// True if what a file declares is in the index.
    pub fn knows(&self, path: &RelPath) -> bool {
        self.added.contains(path)
    }

    /// Forgets what a file declared.
    pub fn forget(&mut self, path: &RelPath) {
        self.types.retain(|_, t| t.path.as_ref() != Some(path));
    }

    /// A type of the project.
    pub fn type_of(&self, symbol: &str) -> Option<&TypeInfo> {
        self.types.get(symbol)
    }

    /// True if a file of the project says that it belongs to this package.
    pub fn has_package(&self, package: &str) -> bool {
        self.packages.contains_key(package)
    }

    /// True if the project declares this type.
    pub fn declares(&self, package: &str, name: &str) -> bool {
        self.packages.get(package).is_some_and(|names| names.contains(name))
    }

    /// True if the project declares this type, as far as the index or the name of a file tells.
    pub fn holds(&self, language: &'static Language, package: &str, name: &str) -> bool {
        if self.declares(package, name) {
            return true;
        }
        if language.names.packages.is_empty() {
            return false;
        }
        let key = (language.id, name.to_owned());
        let known = self.by_file.read().ok().and_then(|b| b.get(&key).cloned());
        let packages = known.unwrap_or_else(|| {
            let files =
                language.extensions.iter().flat_map(|e| self.files.named(&format!("{name}.{e}")));
            let declares = |path: RelPath| {
                let text = self.files.text(&path)?;
                let tree = Tree::parse_file(language, &path, &text);
                let facts = FileFacts::outline(language, &tree, &text, &path, self.files());
                self.says(language, &path, &text, &facts);
                let nothing = Self::default();
                let resolver = Resolver::new(language, &facts, &nothing, &tree, &text);
                let own = facts.types.iter().find(|t| t.path == [name])?;
                Some(language.names.parent(&resolver.own_name(own)))
            };
            let found: Arc<HashSet<String>> = Arc::new(files.filter_map(declares).collect());
            if let Ok(mut all) = self.by_file.write() {
                all.insert(key, found.clone());
            }
            found
        });
        packages.contains(package)
    }

    /// The file of the project that declares a symbol, as far as the index, its module or the name of a file tells.
    pub fn file_of(&self, language: &'static Language, symbol: &str) -> Option<RelPath> {
        let names = &language.names;
        if let Some(path) = self.types.get(symbol).and_then(|t| t.path.clone()) {
            return Some(path);
        }
        if names.modules.is_some() {
            return self.module_file(language, &names.parent(symbol));
        }
        let last = names.last(symbol);
        let files =
            language.extensions.iter().flat_map(|e| self.files.named(&format!("{last}.{e}")));
        let held = self.holds(language, &names.parent(symbol), last);
        files.into_iter().next().filter(|_| held)
    }

    /// Imports that hold for all files of a language.
    pub(crate) fn globals(&self, language: &Language) -> impl Iterator<Item = &Import> {
        let id = language.id;
        self.globals.iter().filter(move |g| g.0 == id).map(|g| &g.1)
    }

    /// The symbol that a name of the project's own stands for, through the modules that pass it on.
    pub fn canonical(&self, language: &'static Language, symbol: &str) -> Option<PassedOn> {
        language.names.modules.as_ref()?;
        let key = (language.id, symbol.to_owned());
        if let Some(known) = self.canonical.read().ok()?.get(&key) {
            return known.clone();
        }
        let found = self.followed(language, symbol);
        self.canonical.write().ok()?.insert(key, found.clone());
        found
    }

    /// The file of a module of the project.
    pub fn module_file(&self, language: &'static Language, module: &str) -> Option<RelPath> {
        let modules = language.names.modules.as_ref()?;
        let key = (language.id, module.to_owned());
        if let Some(known) = self.module_files.read().ok()?.get(&key) {
            return known.clone();
        }
        let found = (modules.file)(module, self.files());
        self.module_files.write().ok()?.insert(key, found.clone());
        found
    }

    fn followed(&self, language: &'static Language, symbol: &str) -> Option<PassedOn> {
        let mut at = symbol.to_owned();
        let mut through = Vec::new();
        let mut fixed = false;
        for _ in 0..DEPTH {
            match self.step(language, &at) {
                Some((next, module, own)) if next != at && !through.contains(&module) => {
                    through.push(module);
                    fixed |= own;
                    at = next;
                }
                _ => break,
            }
        }
        (!through.is_empty()).then_some(PassedOn { symbol: at, through, fixed })
    }

    /// One step of that: the longest leading module of the project that passes the next name on.
    fn step(&self, language: &'static Language, symbol: &str) -> Option<(String, String, bool)> {
        let names = &language.names;
        let segments = names.segments(symbol);
        for cut in (1..segments.len()).rev() {
            let module = names.join(&segments[..cut]);
            let Some(path) = self.module_file(language, &module) else { continue };
            let passed = self.passed(language, &path)?;
            if let Some((target, fixed)) = passed.names.get(segments[cut]) {
                let mut whole: Vec<&str> = names.segments(target);
                whole.extend(&segments[cut + 1..]);
                return Some((names.join(&whole), module, *fixed));
            }
            if passed.own.contains(segments[cut]) {
                return None;
            }
            for all in &passed.all {
                let mut whole: Vec<&str> = names.segments(all);
                whole.extend(&segments[cut..]);
                let next = names.join(&whole);
                let known = self.module_file(language, all);
                let holds = match &known {
                    None => true,
                    Some(file) => self
                        .passed(language, file)
                        .is_some_and(|p| p.names.contains_key(segments[cut]) || !p.all.is_empty()),
                };
                if holds {
                    return Some((next, module, false));
                }
            }
            return None;
        }
        None
    }

    fn passed(&self, language: &'static Language, path: &RelPath) -> Option<Arc<Passed>> {
        if let Some(known) = self.modules.read().ok()?.get(path) {
            return known.clone();
        }
        let read = self.files.text(path).map(|text| {
            let tree = Tree::parse_file(language, path, &text);
            let facts = FileFacts::outline(language, &tree, &text, path, self.files());
            self.says(language, path, &text, &facts);
            Arc::new(Passed::of(language, &facts))
        });
        self.modules.write().ok()?.insert(path.clone(), read.clone());
        read
    }

    /// The types that are built on these, directly or through others, with what is known of each.
    pub fn heirs(&self, of: &HashSet<String>) -> Vec<(&str, &TypeInfo)> {
        let mut below: HashMap<&str, Vec<&str>> = HashMap::new();
        for (symbol, info) in &self.types {
            for up in info.supers.iter().flatten().chain(&info.alias) {
                below.entry(up).or_default().push(symbol);
            }
        }
        let mut open: Vec<&str> = of.iter().map(String::as_str).collect();
        let mut found: HashSet<&str> = open.iter().copied().collect();
        while let Some(symbol) = open.pop() {
            let heirs = below.get(symbol).into_iter().flatten();
            open.extend(heirs.filter(|h| found.insert(h)));
        }
        let heirs = found.into_iter().filter(|s| !of.contains(*s));
        heirs.filter_map(|s| self.types.get_key_value(s)).map(|(s, t)| (s.as_str(), t)).collect()
    }
}

impl Passed {
    fn of(language: &'static Language, facts: &FileFacts) -> Self {
        let names = &language.names;
        let mut out = Self::default();
        let inside =
            |local: &str| facts.imports.iter().find(|i| !i.passes_on && i.local() == Some(local));
        // What is imported within a function is known there only.
        let whole = |i: &&Import| i.inside.is_empty() && facts.is_whole(i.scope);
        for import in facts.imports.iter().filter(whole) {
            let passes = import.passes_on || names.exports_all;
            match (passes, import.wildcard, import.local()) {
                (false, ..) => {}
                (true, true, _) => out.all.push(import.path().to_owned()),
                (true, false, Some(local)) if !import.binds_root => {
                    let target = (import.path().to_owned(), import.aliased());
                    out.names.entry(local.to_owned()).or_insert(target);
                }
                _ => {}
            }
        }
        if !out.all.is_empty() {
            out.own = facts.top_names().map(str::to_owned).collect();
        }
        for Export { outside, inside: local, fixed } in &facts.exports {
            if let Some(import) = inside(local) {
                let fixed = *fixed || import.aliased();
                out.names.insert(outside.clone(), (import.path().to_owned(), fixed));
            } else if outside != local {
                // A name of its own under another: `export default Station`.
                let module = [facts.module.as_str(), local];
                out.names.insert(outside.clone(), (names.join(&module), true));
            }
        }
        out
    }
}
