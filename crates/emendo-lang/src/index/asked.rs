//! What other files tell of types: read when it is asked for, and kept.

use std::collections::HashMap;
use std::sync::{Arc, OnceLock, RwLock};

use emendo_text::{Lines, RelPath};

use crate::facts::FileFacts;
use crate::index::Index;
use crate::language::Language;
use crate::languages::LANGUAGES;
use crate::names::Resolver;
use crate::tree::Tree;
use crate::ty::{Learned, MemberType, Shape};

/// How much text of files is kept parsed.
const KEPT: usize = 2 << 20;

/// A file that was read for what it tells of types.
pub(super) struct Loaded {
    language: &'static Language,
    path: RelPath,
    text: String,
    tree: Tree,
    facts: FileFacts,
}

/// What was told of types by language and symbol.
type Shapes = HashMap<(&'static str, String), Option<Arc<Shape>>>;

/// A member by symbol of its type, name, and whether the type itself was asked.
type MemberKey = (&'static str, String, String, bool);

thread_local! {
    /// The members that this thread works out, the outermost first.
    static BUSY: std::cell::RefCell<Vec<MemberKey>> = const { std::cell::RefCell::new(Vec::new()) };
    /// One of them was asked for again.
    static CYCLED: std::cell::Cell<bool> = const { std::cell::Cell::new(false) };
}

/// What was asked so far.
#[derive(Default)]
pub(super) struct Asked {
    files: RwLock<Vec<Arc<Loaded>>>,
    shapes: RwLock<Shapes>,
    members: RwLock<HashMap<MemberKey, Option<Arc<[MemberType]>>>>,
}

impl Loaded {
    fn resolver<'l>(&'l self, project: &'l Index, depth: usize) -> Resolver<'l> {
        let resolver = Resolver::new(self.language, &self.facts, project, &self.tree, &self.text);
        resolver.in_file(&self.path).asked_from(depth + 1)
    }
}

/// The types of the languages' own libraries.
fn standard(language: &Language) -> Option<&'static HashMap<String, Learned>> {
    static ALL: OnceLock<HashMap<&'static str, HashMap<String, Learned>>> = OnceLock::new();
    let all = ALL.get_or_init(|| {
        LANGUAGES.iter().map(|l| (l.id, Learned::table(l, l.typing.standard))).collect()
    });
    all.get(language.id)
}

impl Index {
    /// What is told of types of libraries, besides what the languages' own tables tell.
    pub fn teach(&mut self, language: &'static Language, symbol: &str, told: Learned) {
        self.learned.insert((language.id, symbol.to_owned()), told);
    }

    /// What is told of a type of a library.
    pub fn learned(&self, language: &Language, symbol: &str) -> Option<&Learned> {
        if !self.learned.is_empty()
            && let Some(told) = self.learned.get(&(language.id, symbol.to_owned()))
        {
            return Some(told);
        }
        standard(language)?.get(symbol)
    }

    /// The symbol that a module of a library passes on under its own name, if that is told.
    pub(crate) fn exported(&self, language: &Language, symbol: &str) -> Option<String> {
        if self.learned.is_empty() {
            return None;
        }
        let names = &language.names;
        let module = self.learned.get(&(language.id, names.parent(symbol)))?;
        let last = names.last(symbol);
        module.exports.iter().find(|e| names.last(e) == last && *e != symbol).cloned()
    }

    /// True for a type of the language's own library.
    pub(crate) fn is_standard(&self, language: &Language, symbol: &str) -> bool {
        standard(language).is_some_and(|all| all.contains_key(symbol))
    }

    /// What a type of the project is built on.
    pub(crate) fn shape(
        &self,
        language: &'static Language,
        symbol: &str,
        depth: usize,
    ) -> Option<Arc<Shape>> {
        let key = (language.id, symbol.to_owned());
        if let Some(known) = self.asked.shapes.read().ok()?.get(&key) {
            return known.clone();
        }
        let file = self.telling(language, symbol);
        let found = file.and_then(|f| f.resolver(self, depth).own_shape(symbol)).map(Arc::new);
        self.asked.shapes.write().ok()?.insert(key, found.clone());
        found
    }

    /// The members of a name that a type or module of the project declares.
    pub(crate) fn member(
        &self,
        language: &'static Language,
        symbol: &str,
        name: &str,
        named: bool,
        depth: usize,
    ) -> Option<Arc<[MemberType]>> {
        let key = (language.id, symbol.to_owned(), name.to_owned(), named);
        if let Some(known) = self.asked.members.read().ok()?.get(&key) {
            return known.clone();
        }
        // Asked for again while it is worked out: nothing tells, and what rests on that is not kept.
        let busy = BUSY.with_borrow_mut(|b| {
            let busy = b.contains(&key);
            b.push(key.clone());
            busy
        });
        let found = if busy { None } else { self.worked_out(language, symbol, name, named, depth) };
        let within = BUSY.with_borrow_mut(|b| {
            b.pop();
            !b.is_empty()
        });
        let cycled = CYCLED.replace(CYCLED.get() || busy);
        if !(busy || cycled && within) {
            self.asked.members.write().ok()?.insert(key, found.clone());
        }
        if !within {
            CYCLED.set(false);
        }
        found
    }

    fn worked_out(
        &self,
        language: &'static Language,
        symbol: &str,
        name: &str,
        named: bool,
        depth: usize,
    ) -> Option<Arc<[MemberType]>> {
        self.telling(language, symbol).and_then(|file| {
            let resolver = file.resolver(self, depth);
            let mut all = resolver.own_member(symbol, name, named)?;
            let lines = Lines::new(&file.text);
            for m in &mut all {
                let at = resolver.declared_place(symbol, name);
                let line = at.map_or(1, |at| lines.line(at.start));
                m.place.get_or_insert_with(|| (file.path.clone(), line));
            }
            if resolver.asked_bodies() {
                self.files.whole(&file.path);
            }
            Some(Arc::from(all))
        })
    }

    /// The one function of a type of the project that has no other.
    pub(crate) fn single_function(
        &self,
        language: &'static Language,
        symbol: &str,
    ) -> Option<String> {
        self.telling(language, symbol)?.resolver(self, 0).own_single_function(symbol)
    }

    /// The file that tells of a symbol.
    fn telling(&self, language: &'static Language, symbol: &str) -> Option<Arc<Loaded>> {
        let path = match self.module_file(language, symbol) {
            Some(path) => path,
            None => self.file_of(language, symbol).or_else(|| {
                // A type within a type lies in its file.
                let outer = language.names.parent(symbol);
                let outer = (!outer.is_empty() && outer != symbol).then_some(outer)?;
                self.file_of(language, &outer)
            })?,
        };
        let known = self.asked.files.read().ok()?.iter().find(|f| f.path == path).cloned();
        if let Some(known) = known.filter(|k| std::ptr::eq(k.language, language)) {
            return Some(known);
        }
        let text = self.files.text(&path)?;
        let tree = Tree::parse_file(language, &path, &text);
        let facts = FileFacts::of_file(language, &tree, &text, &path, self.files());
        self.says(language, &path, &text, &facts);
        let loaded = Arc::new(Loaded { language, path, text, tree, facts });
        let mut files = self.asked.files.write().ok()?;
        files.push(loaded.clone());
        let mut size: usize = files.iter().map(|f| f.text.len()).sum();
        while size > KEPT && files.len() > 1 {
            size -= files.remove(0).text.len();
        }
        Some(loaded)
    }

    /// Forgets what other files told.
    pub(super) fn ask_again(&mut self) {
        self.asked = Asked::default();
    }
}
