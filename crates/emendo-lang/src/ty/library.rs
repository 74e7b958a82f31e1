//! Types of libraries, as recipes and the tables of languages tell them.

use std::collections::{BTreeMap, HashMap};
use std::sync::RwLock;

use crate::ground::{Certainty, Spellings};
use crate::language::Language;
use crate::ty::read::read_notation;
use crate::ty::{MemberType, Takes, Ty};

/// A type of a library, as it is written in a recipe. All parts are texts in the notation of library types.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct LibraryType {
    /// The full symbol, with type parameters: `tidewire.Store<T, K>`.
    pub name: String,
    /// Types that it is built on.
    pub extends: Vec<String>,
    /// Members: what is written, what it gives, and what a closure's parameters are.
    pub members: Vec<(String, String, Vec<String>)>,
    /// Symbols that it passes on, where it is a module.
    pub exports: Vec<String>,
}

/// What is wrong with a library type.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct LibraryError {
    /// The text that cannot be read.
    pub text: String,
    /// What is wrong with it.
    pub message: String,
}

/// What is known of a type of a library.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Learned {
    pub(crate) params: Vec<String>,
    pub(crate) extends: Vec<Ty>,
    pub(crate) members: HashMap<String, Vec<MemberType>>,
    /// Symbols that it passes on.
    pub(crate) exports: Vec<String>,
}

/// The types of a language's own library, read when they are asked for first.
pub(crate) fn standard(language: &Language) -> &'static HashMap<String, Learned> {
    static ALL: RwLock<BTreeMap<&'static str, &'static HashMap<String, Learned>>> =
        RwLock::new(BTreeMap::new());
    let known = ALL.read().map(|all| all.get(language.id).copied());
    if let Some(known) = known.unwrap_or_else(|e| e.into_inner().get(language.id).copied()) {
        return known;
    }
    let read = Learned::table(language, language.typing.standard);
    let mut all = ALL.write().unwrap_or_else(std::sync::PoisonError::into_inner);
    // They live as long as the program, like the language itself.
    all.entry(language.id).or_insert_with(|| Box::leak(Box::new(read)))
}

impl Learned {
    /// Symbols that it passes on, where it is a module.
    pub fn exports(&self) -> impl Iterator<Item = &str> {
        self.exports.iter().map(String::as_str)
    }

    /// The symbols of the types that it is built on.
    pub fn supers(&self) -> impl Iterator<Item = &String> {
        self.extends.iter().flat_map(|t| t.symbols())
    }

    /// True if a member of this name is told.
    pub fn has(&self, member: &str) -> bool {
        self.members.contains_key(member)
    }

    /// The same with what else is known of the type, under its own names for what it is given.
    #[must_use]
    pub(crate) fn with(mut self, more: &Self) -> Self {
        if self.params.is_empty() {
            self.params.clone_from(&more.params);
        }
        let own = self.params.iter().map(|p| Ty::Param(p.clone(), None));
        let given = more.params.iter().cloned().zip(own).collect();
        self.extends.extend(more.extends.iter().map(|t| t.filled(&given, None)));
        for (name, all) in &more.members {
            let filled = || all.iter().map(|m| m.filled(&given, &Ty::Itself)).collect();
            self.members.entry(name.clone()).or_insert_with(filled);
        }
        self.exports.extend(more.exports.iter().cloned());
        self
    }

    /// Makes members known under all names that the run gives them; `symbol` is the type's own.
    #[must_use]
    pub fn with_renamed(
        mut self,
        language: &Language,
        symbol: &str,
        spellings: &Spellings,
    ) -> Self {
        let names = &language.names;
        let mut more = Vec::new();
        for (member, all) in &self.members {
            let whole = names.member(symbol, member);
            for other in spellings.of(&whole).iter().skip(1) {
                let last = names.last(other);
                if last != member && !self.members.contains_key(last) {
                    more.push((last.to_owned(), all.clone()));
                }
            }
        }
        self.members.extend(more);
        self
    }

    /// The same with all names that symbols in it may have.
    #[must_use]
    pub fn spelled(mut self, spellings: &Spellings) -> Self {
        let all = |list: &mut Vec<Ty>| {
            list.iter_mut().for_each(|t| *t = t.clone().spelled(spellings));
        };
        all(&mut self.extends);
        for m in self.members.values_mut().flatten() {
            m.gives = m.gives.clone().spelled(spellings);
            all(&mut m.lambda);
            for p in m.params.iter_mut().flatten() {
                p.ty = p.ty.clone().spelled(spellings);
            }
        }
        self
    }

    /// Reads a type as a recipe writes it: its symbol, and what is known of it. `name` tells what a short name stands
    /// for, if it stands for a symbol.
    ///
    /// # Errors
    /// The first text that is not a type.
    pub fn read(
        language: &Language,
        from: &LibraryType,
        name: &dyn Fn(&str) -> Option<String>,
    ) -> Result<(String, Self), LibraryError> {
        let wrong = |text: &str, message: &str| LibraryError {
            text: text.to_owned(),
            message: message.to_owned(),
        };
        let (symbol, params) = head(language, &from.name)
            .ok_or_else(|| wrong(&from.name, "this is not the name of a type"))?;
        let exports = from.exports.iter().map(|e| language.names.plain(e)).collect();
        let mut out = Self { params, exports, ..Self::default() };
        let ty = |out: &Self, text: &str| {
            let read = read_notation(language, text, &|n| named(language, &out.params, n, name));
            match read {
                Ty::Unknown if !says_nothing(text) => Err(wrong(text, "this is not a type")),
                ty => Ok(ty),
            }
        };
        for text in &from.extends {
            let read = ty(&out, text)?;
            out.extends.push(read);
        }
        for (key, gives, lambda) in &from.members {
            let (member, params) = match key.split_once('(') {
                Some((member, rest)) => {
                    let inner = rest
                        .trim_end()
                        .strip_suffix(')')
                        .ok_or_else(|| wrong(key, "a bracket is not closed"))?;
                    let parts = split(inner);
                    let read = |t: &&str| takes(t, |t| ty(&out, t));
                    (member, Some(parts.iter().map(read).collect::<Result<Vec<_>, _>>()?))
                }
                None => (key.as_str(), None),
            };
            let gives = if gives.trim().is_empty() { Ty::Nothing } else { ty(&out, gives)? };
            let lambda = lambda.iter().map(|t| ty(&out, t)).collect::<Result<Vec<_>, _>>()?;
            let says = Certainty::Certain;
            let told = MemberType { params, gives, lambda, says, place: None, plain: None };
            let member = member.trim();
            let marked = member.strip_prefix(language.names.variable_mark);
            let name = marked.unwrap_or(member).to_owned();
            out.members.entry(name).or_default().push(told);
        }
        Ok((symbol, out))
    }

    /// Reads the table of a language's own library. Each type begins a line: its name, and after ` < ` what it is built
    /// on; its members stand indented below it: `name(parameters) = result`, and after ` | ` a closure's parameters.
    pub(crate) fn table(language: &Language, text: &str) -> HashMap<String, Self> {
        let mut all: Vec<LibraryType> = Vec::new();
        for line in text.lines().filter(|l| !l.trim().is_empty() && !l.starts_with('#')) {
            if !line.starts_with(' ') {
                let (name, supers) = line.split_once(" < ").unwrap_or((line, ""));
                let extends = split(supers).into_iter().map(str::to_owned).collect();
                let name = name.trim().to_owned();
                all.push(LibraryType { name, extends, ..LibraryType::default() });
                continue;
            }
            let (key, rest) = line.split_once(" = ").unwrap_or((line, ""));
            let (gives, lambda) = rest.split_once(" / ").unwrap_or((rest, ""));
            let lambda = split(lambda).into_iter().map(str::to_owned).collect();
            if let Some(last) = all.last_mut() {
                last.members.push((key.trim().to_owned(), gives.trim().to_owned(), lambda));
            }
        }
        let read = all.iter().map(|t| Self::read(language, t, &|_| None));
        read.filter_map(|r| {
            debug_assert!(r.is_ok(), "{}: {:?}", language.id, r.as_ref().err());
            r.ok()
        })
        .collect()
    }
}

impl Ty {
    /// Reads a type as recipes write it. `name` tells what a short name stands for, if it stands for a symbol.
    pub fn read(
        language: &Language,
        text: &str,
        name: &dyn Fn(&str) -> Option<String>,
    ) -> Option<Self> {
        let read = read_notation(language, text, &|n| named(language, &[], n, name));
        (read != Self::Unknown).then_some(read)
    }

    /// The same under all names that its symbols may have.
    #[must_use]
    pub fn spelled(self, spellings: &Spellings) -> Self {
        let all = |list: Vec<Self>| list.into_iter().map(|t| t.spelled(spellings)).collect();
        match self {
            Self::Of { symbols, args, named } => Self::Of {
                symbols: symbols.iter().flat_map(|s| spellings.of(s)).collect(),
                args: all(args),
                named,
            },
            Self::Either(list) => Self::Either(all(list)),
            Self::All(list) => Self::All(all(list)),
            Self::Tuple(list) => Self::Tuple(all(list)),
            other => other,
        }
    }
}

/// The symbol and the parameters of a type.
fn head(language: &Language, text: &str) -> Option<(String, Vec<String>)> {
    let (open, close) = language.typing.syntax.generic;
    let text = text.trim();
    // A list as the language writes it.
    let syntax = &language.typing.syntax;
    if let Some(item) = text.strip_prefix('[').and_then(|t| t.strip_suffix(']'))
        && syntax.bracket_list
    {
        return Some((syntax.list.to_owned(), vec![item.trim().to_owned()]));
    }
    let (symbol, params) = match text.split_once(open) {
        Some((symbol, rest)) => {
            let inner = rest.strip_suffix(close)?;
            let params = split(inner).into_iter().map(str::to_owned).collect();
            (symbol.trim(), params)
        }
        None => (text, Vec::new()),
    };
    let blank = symbol.is_empty() || symbol.contains(char::is_whitespace);
    (!blank).then(|| (language.names.plain(symbol), params))
}

fn takes<E>(text: &str, ty: impl Fn(&str) -> Result<Ty, E>) -> Result<Takes, E> {
    let text = text.trim();
    let (text, optional) = match text.strip_suffix('?') {
        Some(text) => (text, true),
        None => (text, false),
    };
    // A parameter may have its name before its type.
    let is_name = |n: &&str| {
        let letter = n.starts_with(|c: char| c.is_alphabetic() || c == '_');
        letter && n.chars().all(|c| c.is_alphanumeric() || c == '_')
    };
    let named = text.split_once(": ").filter(|(n, _)| is_name(&n.trim()));
    let (name, text) = named.map_or((None, text), |(n, t)| (Some(n.trim().to_owned()), t.trim()));
    let rest = text.ends_with("...");
    let read = if text == "_" { Ty::Unknown } else { ty(text)? };
    Ok(Takes { name, ty: read, optional: optional || rest, rest, sets: false })
}

/// What a name in a library type stands for.
fn named(
    language: &Language,
    params: &[String],
    word: &str,
    name: &dyn Fn(&str) -> Option<String>,
) -> Ty {
    if word == "Self" {
        return Ty::Itself;
    }
    if word == "_" {
        return Ty::Unknown;
    }
    let mut letters = word.chars();
    let letter =
        letters.next().is_some_and(char::is_uppercase) && letters.all(|c| c.is_ascii_digit());
    if params.iter().any(|p| p == word) || letter {
        return Ty::Param(word.to_owned(), None);
    }
    if let Some(symbol) = name(word) {
        return Ty::object(&symbol);
    }
    let names = &language.names;
    let implicit = names.implicit.first().filter(|_| names.builtin.contains(&word));
    match implicit {
        Some(package) if names.module_separator.is_empty() && !package.is_empty() => {
            Ty::object(&names.join(&[package, word]))
        }
        _ => Ty::object(word),
    }
}

/// True where a part of a type is left open.
fn says_nothing(text: &str) -> bool {
    text.split(|c: char| !(c.is_alphanumeric() || c == '_')).any(|w| w == "_")
}

/// The parts of a list, at commas outside of brackets.
pub(crate) fn split(text: &str) -> Vec<&str> {
    let mut out = Vec::new();
    let (mut depth, mut from) = (0i32, 0);
    for (i, c) in text.char_indices() {
        match c {
            '<' | '(' | '[' | '{' => depth += 1,
            '>' if text[..i].ends_with(['=', '-']) => {}
            '>' | ')' | ']' | '}' => depth -= 1,
            ',' if depth == 0 => {
                out.push(text[from..i].trim());
                from = i + 1;
            }
            _ => {}
        }
    }
    out.push(text[from..].trim());
    out.retain(|t| !t.is_empty());
    out
}
