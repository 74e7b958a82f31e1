//! How the names of collected code are written where it goes: imports with aliases that tell them apart, and declarations that go along.

use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};

use emendo_lang::{FileFacts, ImportName, Language, Space};
use emendo_text::{RelPath, Span};

use crate::file::generate::item::{Item, ItemSource};
use crate::file::generate::uses::{LocalDeclaration, NameInPiece, NameMeaning};

/// Numbers of a name that are tried before there is none.
const MOST_NAMES: usize = 1_000_000;

/// What a name stands for where the code goes.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
enum Meant {
    Symbol(String),
    Local(RelPath, Span, String),
}

/// How names are written where collected code goes.
pub(super) struct Naming<'a> {
    language: &'static Language,
    /// The file, or what is written of it so far.
    facts: &'a FileFacts,
    /// What is written.
    written: &'a FileFacts,
    /// The file itself.
    target: &'a RelPath,
    /// Words of the template, and the symbols of those that the recipe names.
    words: BTreeSet<&'a str>,
    symbols: &'a BTreeMap<String, String>,
    /// What the file declares at its top, and what it imports, by name.
    tops: HashSet<&'a str>,
    imported: HashMap<&'a str, &'a str>,
    taken: HashMap<String, Meant>,
    /// The next number of a name that is not free as it is.
    numbers: HashMap<String, usize>,
    names: HashMap<Meant, String>,
    /// The imports that are needed, by the name that each makes known.
    pub(super) imports: BTreeMap<String, ImportName>,
    pub(super) wildcards: BTreeSet<ImportName>,
    /// Declarations that go along already.
    carried: BTreeSet<(RelPath, Span)>,
}

/// How one item is written.
#[derive(Clone, Debug, Default)]
pub(super) struct ItemNames {
    /// What tokens of the item become.
    pub(super) new: Vec<(Span, String)>,
    /// The declarations that go along with it, each with what its tokens become.
    pub(super) locals: Vec<(Span, Vec<(Span, String)>)>,
    /// It rests on a declaration whose value may be more than it reads.
    pub(super) rests_on: Option<String>,
}

impl<'a> Naming<'a> {
    pub(super) fn new(
        language: &'static Language,
        (facts, written): (&'a FileFacts, &'a FileFacts),
        target: &'a RelPath,
        template: &'a str,
        symbols: &'a BTreeMap<String, String>,
    ) -> Self {
        let words = plain_parts(template).flat_map(emendo_lang::token_texts).map(|t| t.1).collect();
        let imported = facts.imports.iter().filter(|i| !i.passes_on);
        let imported = imported.filter_map(|i| Some((i.local()?, i.path())));
        Self {
            language,
            facts,
            written,
            target,
            words,
            symbols,
            tops: facts.top_names().collect(),
            imported: imported.collect(),
            taken: HashMap::new(),
            numbers: HashMap::new(),
            names: HashMap::new(),
            imports: BTreeMap::new(),
            wildcards: BTreeSet::new(),
            carried: BTreeSet::new(),
        }
    }

    /// How an item is written of which these places are.
    ///
    /// # Errors
    /// If a name in it cannot be written there: why.
    pub(super) fn item(
        &mut self,
        item: &Item,
        written: &[Span],
        carry: bool,
    ) -> Result<ItemNames, String> {
        let mut out = ItemNames::default();
        let used = item.names.iter().filter(|u| written.iter().any(|w| w.contains(u.at)));
        let used: Vec<&NameInPiece> = used.collect();
        // What is declared once more there names nothing elsewhere.
        let again = |u: &NameInPiece| {
            let words = self.written.words(&u.name).iter();
            u.declares && words.into_iter().all(|w| w.space == Space::Declared)
        };
        let used: Vec<&NameInPiece> = used.into_iter().filter(|u| !again(u)).collect();
        if let Some(why) = used.iter().find_map(|u| bound(u)) {
            return Err(why);
        }
        for u in used {
            self.used(u, item, carry, &mut out)?;
        }
        out.new.sort();
        Ok(out)
    }

    fn used(
        &mut self,
        u: &NameInPiece,
        item: &Item,
        carry: bool,
        out: &mut ItemNames,
    ) -> Result<(), String> {
        let new = match &u.means {
            NameMeaning::Bound(why) => return Err(why.clone()),
            NameMeaning::Wildcard(import) => {
                self.wildcards.insert(import.clone());
                return Ok(());
            }
            NameMeaning::Package(symbol, _)
                if self.language.names.parent(symbol) != self.facts.package =>
            {
                return Err(format!("files of other packages cannot name `{}`", u.name));
            }
            NameMeaning::Symbol(symbol, import) | NameMeaning::Package(symbol, import) => {
                self.symbol(&u.name, symbol, import)?
            }
            NameMeaning::Local(at) => {
                let Some(local) = item.locals.iter().find(|l| l.at == *at) else { return Ok(()) };
                if !carry {
                    return Err(format!("it uses `{}`, which is declared beside it", u.name));
                }
                self.local(local, item, out)?;
                self.local_name(&item.source, local, &u.name)?
            }
        };
        if new != u.name {
            let new = if u.short { format!("{}: {new}", u.name) } else { new };
            out.new.push((u.at, new));
        }
        Ok(())
    }

    /// The declaration that an item rests on, with those that this rests on before it, unless they go along already.
    fn local(
        &mut self,
        local: &LocalDeclaration,
        item: &Item,
        out: &mut ItemNames,
    ) -> Result<(), String> {
        if !local.plain {
            out.rests_on = Some(local.names.join("`, `"));
        }
        if !self.carried.insert((item.source.path.clone(), local.at)) {
            return Ok(());
        }
        let mut inner = ItemNames::default();
        for u in &local.uses {
            self.used(u, item, true, &mut inner)?;
        }
        out.locals.append(&mut inner.locals);
        for (name, at) in &local.own {
            let new = self.local_name(&item.source, local, name)?;
            if new != *name {
                inner.new.push((*at, new));
            }
        }
        inner.new.sort();
        inner.new.dedup();
        out.locals.push((local.whole, inner.new));
        Ok(())
    }

    fn local_name(
        &mut self,
        source: &ItemSource,
        local: &LocalDeclaration,
        name: &str,
    ) -> Result<String, String> {
        let meant = Meant::Local(source.path.clone(), local.at, name.to_owned());
        if let Some(known) = self.names.get(&meant) {
            return Ok(known.clone());
        }
        let free = |n: &str, own: &Self| !own.words.contains(n) && !own.is_known(n, None);
        let new = self.free_name(name, &meant, free)?;
        self.names.insert(meant, new.clone());
        Ok(new)
    }

    fn symbol(&mut self, name: &str, symbol: &str, import: &ImportName) -> Result<String, String> {
        let names = &self.language.names;
        let meant = Meant::Symbol(symbol.to_owned());
        if let Some(known) = self.names.get(&meant) {
            return Ok(known.clone());
        }
        let around = names.parent(symbol);
        let own = match self.language.modules {
            Some(_) => around == self.facts.module && !around.is_empty(),
            None => around == self.facts.package && self.facts.package_span.is_some(),
        };
        let here = self.facts.imports.iter().find(|i| i.path() == symbol && !i.passes_on);
        let known = here.and_then(|i| i.local()).map(str::to_owned);
        if own || known.is_some() {
            let new = known.unwrap_or_else(|| names.last(symbol).to_owned());
            self.taken.insert(new.clone(), meant.clone());
            self.names.insert(meant, new.clone());
            return Ok(new);
        }
        let free = |n: &str, own: &Self| !own.is_known(n, Some(symbol));
        let free_as_it_is = free(name, self) && self.taken.get(name).is_none_or(|t| *t == meant);
        let new = if !free_as_it_is && names.full_names {
            self.names.insert(meant, symbol.to_owned());
            return Ok(symbol.to_owned());
        } else if !free_as_it_is && import.whole && import.alias.is_none() {
            return Err(format!("`{name}` means something else in `{}`", self.target));
        } else {
            self.free_name(name, &meant, free)?
        };
        let alias = if new == name { import.alias.clone() } else { Some(new.clone()) };
        self.imports.insert(new.clone(), ImportName { alias, ..import.clone() });
        self.names.insert(meant, new.clone());
        Ok(new)
    }

    /// True if a name stands for anything there but this symbol.
    fn is_known(&self, name: &str, symbol: Option<&str>) -> bool {
        let is = |s: &str| symbol == Some(s);
        let named = self.symbols.get(name).filter(|_| self.words.contains(name));
        named.is_some_and(|s| !is(s))
            || self.imported.get(name).is_some_and(|path| !is(path))
            || self.tops.contains(name)
    }

    fn free_name(
        &mut self,
        name: &str,
        meant: &Meant,
        free: impl Fn(&str, &Self) -> bool,
    ) -> Result<String, String> {
        let from = self.numbers.get(name).copied().unwrap_or(1);
        let called = |n: usize| if n == 1 { name.to_owned() } else { format!("{name}{n}") };
        let is_free = |n: &String| free(n, self) && !self.taken.contains_key(n);
        let number = (from..MOST_NAMES).find(|n| is_free(&called(*n)));
        let Some(number) = number else {
            return Err(format!("no name like `{name}` is free in `{}`", self.target));
        };
        self.numbers.insert(name.to_owned(), number + 1);
        let new = called(number);
        self.taken.insert(new.clone(), meant.clone());
        Ok(new)
    }
}

/// The parts of a template that are written as they are.
fn plain_parts(template: &str) -> impl Iterator<Item = &str> {
    let mut rest = Some(template);
    std::iter::from_fn(move || {
        let text = rest.take()?;
        let Some(open) = text.find("{{").into_iter().chain(text.find("{%")).min() else {
            return Some(text);
        };
        let close = if text[open..].starts_with("{{") { "}}" } else { "%}" };
        rest = text[open..].find(close).map(|i| &text[open + i + 2..]);
        Some(&text[..open])
    })
}

fn bound(u: &NameInPiece) -> Option<String> {
    match &u.means {
        NameMeaning::Bound(why) => Some(why.clone()),
        _ => None,
    }
}
