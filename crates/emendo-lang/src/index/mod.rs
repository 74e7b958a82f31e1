//! What the project declares itself: its types with what they are built on, and what its modules pass on.

mod answers;
mod asked;
mod kept;
mod memo;
mod modules;

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::{Arc, RwLock};

use emendo_text::{Digest, Lines, RelPath};

pub use crate::index::kept::CachedIndex;
use crate::project::Lender;

use crate::facts::FileFacts;
use crate::ground::{Files, Import, NoFiles};
use crate::index::memo::{Asked, Passed};
use crate::language::{Language, Space};
use crate::project::{PassedOn, TypeInfo};
use crate::resolver::Resolver;
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
    globals: BTreeMap<&'static str, Vec<Import>>,
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
    /// Who tells the types of what a recipe writes.
    lenders: Vec<Arc<dyn Lender>>,
    /// What other files told of types, as far as they were asked.
    asked: Asked,
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
    /// Functions at the top of packages, as names of calls: package, name.
    functions: Vec<(String, String)>,
}

impl DeclaredIn {
    /// The file.
    pub fn path(&self) -> &RelPath {
        &self.path
    }
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
            globals: BTreeMap::new(),
            by_file: RwLock::default(),
            module_files: RwLock::default(),
            canonical: RwLock::default(),
            modules: RwLock::default(),
            outside: RwLock::default(),
            learned: HashMap::new(),
            lenders: Vec::new(),
            asked: Asked::default(),
        }
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
            passed: language.modules.is_some().then(|| Arc::new(Passed::of(language, facts))),
            types,
            functions: match names.rooted {
                true => facts.functions().map(|(p, f)| (p.to_owned(), format!("{f}()"))).collect(),
                // What the files of one module share.
                false if !self.files_of(language, &facts.module).is_empty() => {
                    facts.top_names().map(|n| (facts.module.clone(), n.to_owned())).collect()
                }
                false => Vec::new(),
            },
        }
    }

    /// Takes in what a file declares. Gives the full names of its types.
    pub fn take(&mut self, declared: DeclaredIn) -> Vec<String> {
        let DeclaredIn { language, path, package, globals, outside, passed, types, functions } =
            declared;
        let names = &language.names;
        if !globals.is_empty() {
            self.globals.entry(language.id).or_default().extend(globals);
        }
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
        for (package, name) in functions {
            self.packages.entry(package).or_default().insert(name);
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

    /// True if a file of the project says that it belongs to this package.
    pub fn has_package(&self, package: &str) -> bool {
        self.packages.contains_key(package)
    }

    /// True if the project declares this type.
    pub fn declares(&self, package: &str, name: &str) -> bool {
        self.packages.get(package).is_some_and(|names| names.contains(name))
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
