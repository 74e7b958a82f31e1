//! How a symbol is written at a place: by its own name with an import, by a name that the file knows it by already,
//! in full, or under an alias where its name is taken.

use emendo_text::Filter;

use crate::ground::ImportName;
use crate::language::Space;
use crate::resolver::Resolver;

/// A symbol as it is written at a place.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Spelled {
    /// The text.
    pub text: String,
    /// The imports that it rests on: to be added, or to stay.
    pub imports: Vec<ImportName>,
}

impl Resolver<'_> {
    /// How the file knows a symbol already, if it does.
    pub fn known_as(&self, symbol: &str, space: Space, at: u32) -> Option<Spelled> {
        let simple = self.language.names.last(symbol);
        let resting = || self.facts.import_of(symbol).into_iter().collect();
        if self.means(&[simple], space, at, symbol).is_some() {
            return Some(Spelled { text: simple.to_owned(), imports: resting() });
        }
        let by_alias =
            self.facts.imports.iter().filter(|i| !i.wildcard && !i.passes_on && i.path() == symbol);
        let local = by_alias
            .filter_map(|i| i.local())
            .find(|local| self.means(&[local], space, at, symbol).is_some());
        if let Some(local) = local {
            return Some(Spelled { text: local.to_owned(), imports: resting() });
        }
        self.behind_module(symbol, space, at)
    }

    /// A symbol behind the name that the file has for its module.
    fn behind_module(&self, symbol: &str, space: Space, at: u32) -> Option<Spelled> {
        let names = &self.language.names;
        let (module, last) = (names.parent(symbol), names.last(symbol));
        // A list of names from the same module takes it in.
        let listed = |i: &crate::Import| i.open && names.parent(i.path()) == module;
        if self.facts.imports.iter().any(listed) {
            return None;
        }
        let by_module = self.facts.imports.iter().filter(|i| {
            self.language.imports.names_modules && !i.wildcard && !i.passes_on && i.path() == module
        });
        let local = by_module
            .filter_map(|i| i.local())
            .find(|local| self.means(&[local, last], space, at, symbol).is_some())?;
        let text = format!("{local}{}{last}", names.separator);
        Some(Spelled { text, imports: Vec::new() })
    }

    /// How a symbol that the file may not know is written at a place.
    ///
    /// # Errors
    /// If its name, and the alias made for it, mean something else there: the reason.
    pub fn spell(&self, symbol: &str, space: Space, at: u32) -> Result<Spelled, String> {
        self.spell_as(symbol, None, space, at)
    }

    /// The same, by the word that a recipe has for it: what has no name of its own, a module or what it gives by default, is called so.
    ///
    /// # Errors
    /// As for [`Resolver::spell`].
    pub fn spell_as(
        &self,
        symbol: &str,
        word: Option<&str>,
        space: Space,
        at: u32,
    ) -> Result<Spelled, String> {
        if let Some(known) = self.known_as(symbol, space, at) {
            return Ok(known);
        }
        let names = &self.language.names;
        if let Some(word) = self.own_word(symbol, word) {
            let name = match self.taken(&word, space, at, symbol) {
                false => word.clone(),
                true => self.alias(symbol),
            };
            if name != word && self.taken(&name, space, at, symbol) {
                return Err(format!("`{word}` means something else here, and so does `{name}`"));
            }
            let import = self.language.import_of(symbol, space);
            let import = ImportName { alias: Some(name.clone()), ..import };
            return Ok(Spelled { text: name, imports: vec![import] });
        }
        if names.nesting {
            // In full, from the outermost on where something nearer is called like its begin.
            let path = names.segments(symbol);
            let first = self.candidates(&path, Space::Type, at).into_iter().next();
            let plain = first.as_deref() == Some(symbol);
            let lead = if plain { "" } else { names.separator };
            return Ok(Spelled { text: format!("{lead}{symbol}"), imports: Vec::new() });
        }
        if names.absolute
            && let Some(spelled) = self.spell_absolute(symbol, space, at)
        {
            return Ok(spelled);
        }
        let simple = names.last(symbol);
        if self.language.imports.names_modules && names.segments(symbol).len() == 1 {
            return self.named_module(symbol, at);
        }
        if self.in_own_module(symbol) && !self.hidden(simple, space, at) {
            return Ok(Spelled { text: simple.to_owned(), imports: Vec::new() });
        }
        let taken = self.taken(simple, space, at, symbol);
        let alone = names.segments(symbol).len() < 2;
        let module = self.language.imports.roots && !names.builtin.contains(&symbol);
        // Where a file holds several packages, an import of one does not hold in the others.
        let several = names.rooted && self.facts.packages.len() > 1;
        let unimported = several || alone && !module && !(names.rooted && self.imports_outermost());
        if (taken && names.full_names) || unimported {
            return Ok(Spelled { text: names.in_full(symbol), imports: Vec::new() });
        }
        let mut import = self.language.import_of(symbol, space);
        if taken && self.language.imports.names_modules {
            if self.language.imports.own_names {
                let module = self.named_module(&names.package(symbol), at)?;
                return Ok(Spelled { text: symbol.to_owned(), ..module });
            }
            let module = self.named_module(&names.parent(symbol), at)?;
            let text = format!("{}{}{simple}", module.text, names.separator);
            return Ok(Spelled { text, ..module });
        }
        if taken {
            let alias = self.alias(symbol);
            if self.taken(&alias, space, at, symbol) {
                return Err(format!("`{simple}` means something else here, and so does `{alias}`"));
            }
            import.alias = Some(alias);
        }
        let text = import.alias.clone().unwrap_or_else(|| simple.to_owned());
        Ok(Spelled { text, imports: vec![import] })
    }

    /// A module by the name that the file has for it, or by one that is made of its path.
    fn named_module(&self, module: &str, at: u32) -> Result<Spelled, String> {
        if self.language.imports.own_names {
            if self.taken(module, Space::Value, at, module) {
                return Err(format!("`{module}` means something else here"));
            }
            let text = module.to_owned();
            let known = |i: &crate::Import| i.path() == module;
            let imports = match self.facts.imports.iter().chain(self.globals()).any(known) {
                true => Vec::new(),
                false => vec![ImportName::plain(module)],
            };
            return Ok(Spelled { text, imports });
        }
        let known = self.facts.imports.iter().filter(|i| !i.wildcard && i.path() == module);
        if let Some(local) = known.filter_map(|i| i.local()).next() {
            return Ok(Spelled { text: local.to_owned(), imports: Vec::new() });
        }
        let stem = module.rsplit(['/', ':']).next().unwrap_or(module).split('.').next();
        let alias = Filter::Snake.apply(stem.unwrap_or(module));
        if alias.is_empty() || self.taken(&alias, Space::Value, at, module) {
            return Err(format!(
                "`{module}` needs a name here, and `{alias}` means something else"
            ));
        }
        let import = ImportName { alias: Some(alias.clone()), ..ImportName::plain(module) };
        Ok(Spelled { text: alias, imports: vec![import] })
    }

    /// A name for what has none of its own, where modules are strings: for a module where a recipe has a word for it, and for what a
    /// module gives by default.
    fn own_word(&self, symbol: &str, word: Option<&str>) -> Option<String> {
        let names = &self.language.names;
        if names.module_separator.is_empty() || names.default.is_empty() {
            return None;
        }
        let segments = names.segments(symbol);
        let plain = |w: &&str| w.chars().all(|c| c.is_alphanumeric() || c == '_' || c == '$');
        let word = word.filter(plain).filter(|w| !w.is_empty() && !names.reserved.contains(w));
        match segments.as_slice() {
            [_] => word.map(str::to_owned),
            [module, last] if *last == names.default => {
                let last = module.rsplit('/').next().unwrap_or(module);
                let made =
                    || if plain(&last) { last.to_owned() } else { Filter::Camel.apply(last) };
                Some(word.map_or_else(made, str::to_owned))
            }
            _ => None,
        }
    }

    /// True if a symbol belongs to the module that the file is: what it declares needs no import there.
    pub fn in_own_module(&self, symbol: &str) -> bool {
        let names = &self.language.names;
        let own = &self.facts.module;
        if own.is_empty() || self.language.modules.is_none() {
            return false;
        }
        let segments = names.segments(symbol);
        if self.language.imports.own_names {
            return names.package(symbol) == *own;
        }
        let whole = self.absolute(&segments);
        names.parent(whole.as_deref().unwrap_or(symbol)) == *own
    }

    /// True if what the file declares at its top cannot be named so here: something nearer has the name.
    fn hidden(&self, name: &str, space: Space, at: u32) -> bool {
        let spaces = [Space::Value, Space::Type];
        let looked = if space == Space::Type { &spaces[1..] } else { &spaces[..] };
        self.facts.lookup(name, looked, at).is_some_and(|d| !d.top)
            || self.facts.imports.iter().any(|i| !i.passes_on && i.local() == Some(name))
    }

    /// A name of the file's own for a symbol whose name is taken: that of its library before it, in the same manner.
    fn alias(&self, symbol: &str) -> String {
        let names = &self.language.names;
        let simple = names.last(symbol);
        let module =
            names.segments(symbol)[0].rsplit(['/', '.', '@']).next().unwrap_or("").to_owned();
        if simple.starts_with(char::is_uppercase) {
            return Filter::Pascal.apply(&module) + &Filter::Pascal.apply(simple);
        }
        let joined = format!("{module}_{simple}");
        if simple.contains('_') || self.language.writing.snake {
            Filter::Snake.apply(&joined)
        } else {
            Filter::Camel.apply(&joined)
        }
    }
}
