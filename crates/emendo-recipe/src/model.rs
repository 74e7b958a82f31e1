//! A loaded recipe.

use std::collections::{BTreeMap, BTreeSet};

use emendo_text::{Digest, RelPath, Span};
use globset::GlobMatcher;

use crate::beside::{inside, read_regular};
use crate::keys::ActionKind;
use crate::value::{Table, Text};

/// A recipe's text and where it comes from.
#[derive(Clone, Debug)]
pub struct Source {
    /// The path or name shown in messages.
    pub name: String,
    /// The full path, for reading it again.
    pub path: String,
    /// The text.
    pub text: String,
    /// What lies beside it.
    pub beside: Beside,
}

/// What lies beside a recipe: tables, example trees, other recipes.
#[derive(Clone, Debug, Default)]
pub enum Beside {
    /// Nothing that could be read.
    #[default]
    Nothing,
    /// A folder.
    Folder(std::path::PathBuf),
    /// Files that are held in memory, by their paths.
    Held(&'static [(&'static str, &'static [u8])]),
}

impl Source {
    /// A file that lies beside the recipe.
    ///
    /// # Errors
    /// If it cannot be read, or there is none.
    pub fn file(&self, path: &RelPath) -> std::io::Result<Vec<u8>> {
        let missing = || std::io::Error::from(std::io::ErrorKind::NotFound);
        match &self.beside {
            Beside::Nothing => Err(missing()),
            Beside::Folder(folder) => read_regular(&inside(folder, path)?),
            Beside::Held(files) => {
                let found = files.iter().find(|f| f.0 == path.as_str());
                found.map(|f| f.1.to_vec()).ok_or_else(missing)
            }
        }
    }

    /// The full path of a file beside the recipe.
    ///
    /// # Errors
    /// If it is not there, or is reached through a link.
    pub fn place(&self, path: &RelPath) -> std::io::Result<std::path::PathBuf> {
        match &self.beside {
            Beside::Folder(folder) => inside(folder, path),
            _ => Err(std::io::ErrorKind::NotFound.into()),
        }
    }

    /// The files below a folder beside the recipe, by their paths from that folder.
    ///
    /// # Errors
    /// If it cannot be read, or there is none.
    pub fn tree(&self, path: &RelPath) -> std::io::Result<BTreeMap<RelPath, Vec<u8>>> {
        let mut out = BTreeMap::new();
        match &self.beside {
            Beside::Nothing => {}
            Beside::Folder(folder) => gather(&inside(folder, path)?, "", &mut out, 0)?,
            Beside::Held(files) => {
                let lead = format!("{path}/");
                for (name, bytes) in files.iter().filter(|f| f.0.starts_with(&lead)) {
                    if let Ok(rel) = RelPath::new(&name[lead.len()..]) {
                        out.insert(rel, bytes.to_vec());
                    }
                }
            }
        }
        if out.is_empty() { Err(std::io::ErrorKind::NotFound.into()) } else { Ok(out) }
    }
}

/// Folders deeper than this are not gone into.
const DEPTH: usize = 24;

fn gather(
    dir: &std::path::Path,
    lead: &str,
    out: &mut BTreeMap<RelPath, Vec<u8>>,
    depth: usize,
) -> std::io::Result<()> {
    for entry in std::fs::read_dir(dir)? {
        let entry = entry?;
        let name = format!("{lead}{}", entry.file_name().to_string_lossy());
        let kind = entry.file_type()?;
        if kind.is_dir() && depth < DEPTH {
            gather(&entry.path(), &format!("{name}/"), out, depth + 1)?;
        } else if kind.is_file()
            && let Ok(rel) = RelPath::new(&name)
        {
            out.insert(rel, read_regular(&entry.path())?);
        }
    }
    Ok(())
}

/// A recipe.
pub struct Recipe {
    /// Its lasting word.
    pub id: String,
    /// Its title.
    pub title: String,
    /// What it does.
    pub summary: Option<String>,
    /// Where the upgrade is described.
    pub docs: Option<String>,
    /// The library it is for.
    pub library: Option<Library>,
    /// Values that the user may give.
    pub inputs: Vec<Input>,
    /// What it tells of the library's types.
    pub types: Vec<TypeOf>,
    /// What must be there before anything changes.
    pub requires: Option<Table>,
    /// Where it holds as a whole.
    pub conditions: Vec<Condition>,
    /// The steps in order.
    pub steps: Vec<Step>,
    /// The examples in order.
    pub examples: Vec<Example>,
    /// Where it comes from.
    pub source: Source,
    /// Identity of all that was read: the text, tables, and input values.
    pub digest: Digest,
}

/// The library that a recipe is for.
#[derive(Clone, Debug)]
pub struct Library {
    /// Its name.
    pub name: String,
    /// Its coordinates, with the ecosystem before a colon.
    pub coordinates: Vec<Text>,
    /// The versions it starts from.
    pub from: Option<Text>,
    /// The version it leads to.
    pub to: Option<Text>,
}

/// What a recipe tells of a type or module of the library.
#[derive(Clone, Debug)]
pub struct TypeOf {
    /// The full symbol, with type parameters.
    pub name: Text,
    /// Types that it is built on.
    pub extends: Vec<Text>,
    /// Its members.
    pub members: Vec<MemberOf>,
    /// Symbols that it passes on.
    pub exports: Vec<Text>,
    /// The language, and words that stand for symbols.
    pub scope: Scope,
}

/// A member of such a type.
#[derive(Clone, Debug)]
pub struct MemberOf {
    /// As it is written: `find(K)`, `size`, `*`.
    pub key: Text,
    /// What it gives; empty if nothing.
    pub gives: Text,
    /// What a closure that it takes is called with.
    pub lambda: Vec<Text>,
}

/// A value that the user may give.
#[derive(Clone, Debug)]
pub struct Input {
    /// Its name.
    pub name: String,
    /// What it is for.
    pub summary: Option<String>,
    /// The value if none is given.
    pub default: Option<String>,
    /// What it must be.
    pub kind: InputKind,
    /// The only values that it may have; empty for any.
    pub one_of: Vec<String>,
    /// Where it is said.
    pub span: Span,
}

impl Input {
    /// A value that it could have, for who only looks at the recipe.
    pub fn sample(&self) -> String {
        if let Some(value) = self.default.as_ref().or(self.one_of.first()) {
            return value.clone();
        }
        match self.kind {
            InputKind::Text => self.name.clone(),
            InputKind::Version => "1.0.0".into(),
            InputKind::Symbol => format!("example.{}", self.name),
            InputKind::Number => "1".into(),
            InputKind::Boolean => "true".into(),
        }
    }
}

/// What an input must be.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum InputKind {
    /// Any text.
    Text,
    /// A version.
    Version,
    /// A full symbol.
    Symbol,
    /// A whole number.
    Number,
    /// `true` or `false`.
    Boolean,
}

impl InputKind {
    /// The words of the recipe language, with what a value is then.
    pub const WORDS: &[(&'static str, Self, &'static str)] = &[
        ("text", Self::Text, "any text"),
        ("version", Self::Version, "a version, such as `3.0.2`"),
        ("symbol", Self::Symbol, "a full symbol, such as `tidewire.client.Station`"),
        ("number", Self::Number, "a whole number"),
        ("boolean", Self::Boolean, "`true` or `false`"),
    ];

    /// True if a value is what it must be.
    pub fn fits(self, value: &str) -> bool {
        let word = |c: char| c.is_alphanumeric() || "_$.:/@-".contains(c);
        match self {
            Self::Text => true,
            Self::Version => {
                let plain = value.trim_start_matches(['v', '^', '~', '>', '=', ' ']);
                plain.starts_with(|c: char| c.is_ascii_digit())
                    && !plain.contains(char::is_whitespace)
            }
            Self::Symbol => {
                value.starts_with(|c: char| c.is_alphabetic() || "_@".contains(c))
                    && value.chars().all(word)
            }
            Self::Number => value.parse::<i64>().is_ok(),
            Self::Boolean => matches!(value, "true" | "false"),
        }
    }
}

/// A step: one theme, the unit of review.
pub struct Step {
    /// Its lasting word.
    pub id: String,
    /// Its title.
    pub title: String,
    /// The reason.
    pub why: Option<String>,
    /// What behaves differently although it compiles.
    pub caution: Option<String>,
    /// Where it stands.
    pub span: Span,
    /// Where it holds.
    pub conditions: Vec<Condition>,
    /// Where the change is described.
    pub docs: Option<String>,
    /// The actions in the order of the file.
    pub actions: Vec<Action>,
    /// Another recipe, whose steps run here; then it has no actions.
    pub include: Option<Include>,
    /// How sure the edits of its actions must be.
    pub at_least: Option<AtLeast>,
}

/// How sure edits must be to be proposed, and what becomes of the others.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct AtLeast {
    /// `certain`, else `likely`.
    pub certain: bool,
    /// A place that is not sure enough is a leftover, else a note.
    pub leave: bool,
    /// What the note says.
    pub say: Option<String>,
}

impl AtLeast {
    /// What a table of a step or an action says.
    pub fn of(table: &Table) -> Option<Self> {
        let text = |key: &str| table.text(key).map(|t| t.text.clone());
        let word = text("at_least")?;
        let leave = text("instead").is_some_and(|i| i == "leave");
        Some(Self { certain: word == "certain", leave, say: text("say") })
    }
}

/// Another recipe within a step.
pub struct Include {
    /// Its id or path.
    pub recipe: Text,
    /// Values for its inputs.
    pub inputs: BTreeMap<String, String>,
    /// Where it stands.
    pub span: Span,
    /// The recipe, once it is found.
    pub loaded: Option<Box<Recipe>>,
}

/// What must hold, or must not.
#[derive(Clone, Debug)]
pub struct Condition {
    /// It must hold; else it must not.
    pub wanted: bool,
    /// What is asked: all of it together.
    pub asks: Table,
}

impl Condition {
    /// The conditions that a table says.
    pub fn of(table: &Table) -> Vec<Self> {
        let one = |(key, wanted)| table.table(key).map(|asks| Self { wanted, asks: asks.clone() });
        [("only_if", true), ("unless", false)].into_iter().filter_map(one).collect()
    }
}

/// One instruction.
pub struct Action {
    /// Its kind.
    pub kind: &'static dyn ActionKind,
    /// Its keys, checked for names and types.
    pub table: Table,
    /// Where it stands.
    pub span: Span,
    /// What it inherits and says itself about language, names and files.
    pub scope: Scope,
    /// Its keys have errors: it is not to be compiled.
    pub broken: bool,
}

/// A word that stands for a symbol.
#[derive(Clone, Debug)]
pub struct Name {
    /// The symbol.
    pub symbol: String,
    /// Where it is said.
    pub span: Span,
}

/// Language, names and files, from recipe, step and action.
#[derive(Clone, Debug, Default)]
pub struct Scope {
    /// The language's word.
    pub lang: Option<Text>,
    /// Words that stand for symbols; the innermost wins.
    pub names: BTreeMap<String, Name>,
    /// Only these files; the innermost list replaces the outer ones.
    pub files: Option<Globs>,
    /// Not these files; the lists add up.
    pub not_files: Globs,
}

impl Scope {
    /// The names as plain words and symbols.
    pub fn symbols(&self) -> BTreeMap<String, String> {
        self.names.iter().map(|(w, n)| (w.clone(), n.symbol.clone())).collect()
    }

    /// The same with what a table within the action says itself; its globs were checked.
    #[must_use]
    pub fn with(&self, table: &Table) -> Self {
        let mut scope = self.clone();
        if let Some(lang) = table.text("lang") {
            scope.lang = Some(lang.clone());
        }
        for e in table.table("names").map_or(&[][..], |n| &n.entries) {
            if let crate::value::Value::Text(t) = &e.node.value {
                let name = Name { symbol: t.text.clone(), span: t.span };
                scope.names.insert(e.key.clone(), name);
            }
        }
        let globs = |key: &str| {
            let texts: Vec<String> = table.texts(key).into_iter().map(|t| t.text.clone()).collect();
            Globs::compile(&texts).unwrap_or_default()
        };
        if table.get("files").is_some() {
            scope.files = Some(globs("files"));
        }
        scope.not_files.0.extend(globs("not_files").0);
        scope
    }

    /// True if a path is within `files` and not in `not_files`.
    pub fn covers(&self, path: &RelPath) -> bool {
        self.files.as_ref().is_none_or(|f| f.matches(path)) && !self.not_files.matches(path)
    }
}

/// A compiled glob.
#[derive(Clone, Debug)]
pub struct Glob(pub(crate) GlobMatcher);

/// How deep alternatives may stand within one another, and how long a glob may be.
const NESTED: usize = 8;
const LONGEST: usize = 1000;

/// Says what is wrong with a glob before it is compiled: what the compiler of globs cannot take would stop the program.
///
/// # Errors
/// What is wrong.
pub fn check_glob(text: &str) -> Result<(), String> {
    if text.len() > LONGEST {
        return Err(format!("it is longer than {LONGEST} characters"));
    }
    let mut depth = 0usize;
    for c in text.chars() {
        match c {
            '{' => depth += 1,
            '}' => depth = depth.saturating_sub(1),
            _ => {}
        }
        if depth > NESTED {
            return Err(format!("alternatives stand more than {NESTED} deep within one another"));
        }
    }
    Ok(())
}

/// A glob whose `*` stays within a folder.
pub(crate) fn glob(text: &str) -> Result<Glob, String> {
    check_glob(text)?;
    let glob =
        globset::GlobBuilder::new(text).literal_separator(true).empty_alternates(true).build();
    glob.map(|g| Glob(g.compile_matcher())).map_err(|e| e.kind().to_string())
}

/// A list of globs, any of which may match.
#[derive(Clone, Debug, Default)]
pub struct Globs(pub(crate) Vec<Glob>);

impl Globs {
    /// Compiles globs that were checked.
    ///
    /// # Errors
    /// What is wrong with one of them.
    pub fn compile(globs: &[String]) -> Result<Self, String> {
        globs.iter().map(|g| glob(g)).collect::<Result<_, _>>().map(Self)
    }

    /// True if any matches.
    pub fn matches(&self, path: &RelPath) -> bool {
        self.0.iter().any(|g| g.0.is_match(path.as_path()))
    }
}

/// An example.
#[derive(Clone, Debug)]
pub struct Example {
    /// What it shows.
    pub title: Option<String>,
    /// The step to run, if only one.
    pub step: Option<Text>,
    /// The language, if it is not the recipe's.
    pub lang: Option<Text>,
    /// The file's name.
    pub path: Option<Text>,
    /// Where the file lies afterwards, if it moves; empty where it is deleted.
    pub new_path: Option<Text>,
    /// A folder with `before` and `after`, instead of texts.
    pub tree: Option<Text>,
    /// The code before.
    pub before: Text,
    /// The code after; the same as before for a look-alike.
    pub after: Text,
    /// A look-alike that must stay.
    pub unchanged: bool,
    /// Parts of the notes that are expected.
    pub notes: Vec<String>,
    /// Where it stands.
    pub span: Span,
}

impl Recipe {
    /// The step with this word.
    pub fn step(&self, id: &str) -> Option<&Step> {
        self.steps.iter().find(|s| s.id == id)
    }

    /// The languages of a recipe's actions and of those that it includes.
    pub fn languages(&self) -> BTreeSet<String> {
        let steps = self.whole().into_iter().flat_map(|r| &r.steps);
        let langs = steps.flat_map(|s| &s.actions).filter_map(|a| a.scope.lang.as_ref());
        langs.map(|t| t.text.clone()).collect()
    }

    /// The ecosystems that it is about.
    pub fn ecosystems(&self) -> BTreeSet<String> {
        let mut out = BTreeSet::new();
        let mut add = |coordinate: &str| {
            if let Some((ecosystem, _)) = coordinate.split_once(':') {
                out.insert(ecosystem.to_owned());
            }
        };
        for r in self.whole() {
            r.library.iter().flat_map(|l| &l.coordinates).for_each(|c| add(&c.text));
            for a in r.steps.iter().flat_map(|s| &s.actions).filter(|a| a.kind.about_libraries()) {
                match a.table.text("ecosystem") {
                    Some(e) => add(&format!("{}:", e.text)),
                    None => {
                        let keys = ["old", "family", "add"];
                        keys.iter().flat_map(|k| a.table.texts(k)).for_each(|t| add(&t.text));
                    }
                }
            }
        }
        out
    }

    /// The recipe, and those that it includes, each before what it includes itself.
    pub fn whole(&self) -> Vec<&Self> {
        let mut out = vec![self];
        let inner = self.steps.iter().filter_map(|s| s.include.as_ref()?.loaded.as_deref());
        out.extend(inner.flat_map(Self::whole));
        out
    }
}
