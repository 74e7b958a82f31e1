//! The index as the project that resolvers ask.

use std::collections::HashSet;
use std::sync::Arc;

use emendo_text::RelPath;

use crate::facts::FileFacts;
use crate::ground::{Files, Import};
use crate::index::Index;
use crate::language::Language;
use crate::project::{Asking, PassedOn, Project, TypeInfo, WrittenCode};
use crate::resolver::Resolver;
use crate::tree::Tree;
use crate::ty::{Learned, MemberType, Shape, TypeAnswer, standard};

impl Project for Index {
    fn files(&self) -> &dyn Files {
        self.files.as_ref()
    }

    fn type_of(&self, symbol: &str) -> Option<&TypeInfo> {
        self.types.get(symbol)
    }

    fn holds(&self, language: &'static Language, package: &str, name: &str) -> bool {
        if self.declares(package, name) {
            return true;
        }
        if language.imports.packages.is_empty() {
            return false;
        }
        let key = (language.id, name.to_owned());
        let known = self.by_file.read().ok().and_then(|b| b.get(&key).cloned());
        let packages = known.unwrap_or_else(|| {
            let files = language
                .grammar
                .extensions
                .iter()
                .flat_map(|e| self.files.named(&format!("{name}.{e}")));
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

    fn file_of(&self, language: &'static Language, symbol: &str) -> Option<RelPath> {
        let names = &language.names;
        if let Some(path) = self.types.get(symbol).and_then(|t| t.path.clone()) {
            return Some(path);
        }
        if language.modules.is_some() {
            let module = names.parent(symbol);
            return self
                .module_file(language, &module)
                .or_else(|| self.file_in(language, &module, names.last(symbol)));
        }
        let last = names.last(symbol);
        let files = language
            .grammar
            .extensions
            .iter()
            .flat_map(|e| self.files.named(&format!("{last}.{e}")));
        let held = self.holds(language, &names.parent(symbol), last);
        files.into_iter().next().filter(|_| held)
    }

    fn declaring_file(&self, language: &'static Language, symbol: &str) -> Option<RelPath> {
        let path = self.file_of(language, symbol)?;
        let told = language.modules.is_none() || self.types.contains_key(symbol);
        (told || self.is_own(language, &path, language.names.last(symbol))).then_some(path)
    }

    fn module_file(&self, language: &'static Language, module: &str) -> Option<RelPath> {
        let modules = language.modules.as_ref()?;
        let key = (language.id, module.to_owned());
        if let Some(known) = self.module_files.read().ok()?.get(&key) {
            return known.clone();
        }
        let found = (modules.file)(module, self.files());
        self.module_files.write().ok()?.insert(key, found.clone());
        found
    }

    fn has_module(&self, language: &'static Language, module: &str) -> bool {
        self.module_file(language, module).is_some() || !self.files_of(language, module).is_empty()
    }

    fn canonical(&self, language: &'static Language, symbol: &str) -> Option<PassedOn> {
        language.modules.as_ref()?;
        let key = (language.id, symbol.to_owned());
        if let Some(known) = self.canonical.read().ok()?.get(&key) {
            return known.clone();
        }
        let found = self.followed(language, symbol);
        self.canonical.write().ok()?.insert(key, found.clone());
        found
    }

    fn globals(&self, language: &Language) -> &[Import] {
        self.globals.get(language.id).map_or(&[], Vec::as_slice)
    }

    fn learned(&self, language: &Language, symbol: &str) -> Option<&Learned> {
        if !self.learned.is_empty()
            && let Some(told) = self.learned.get(&(language.id, symbol.to_owned()))
        {
            return Some(told);
        }
        standard(language).get(symbol)
    }

    fn lent(&self, code: &WrittenCode<'_>) -> Option<TypeAnswer> {
        self.lenders.iter().find_map(|l| l.lend(self, code))
    }

    fn exported(&self, language: &Language, symbol: &str) -> Option<String> {
        if self.learned.is_empty() {
            return None;
        }
        let names = &language.names;
        let module = self.learned.get(&(language.id, names.parent(symbol)))?;
        let last = names.last(symbol);
        module.exports.iter().find(|e| names.last(e) == last && *e != symbol).cloned()
    }

    fn shape(
        &self,
        language: &'static Language,
        symbol: &str,
        asking: &Asking,
    ) -> Option<Arc<Shape>> {
        let key = (language.id, symbol.to_owned());
        if let Some(known) = self.asked.shapes.read().ok()?.get(&key) {
            return known.clone();
        }
        let file = self.telling(language, symbol);
        let (found, keep) = asking.trail.work_out(1, || {
            file.and_then(|f| f.resolver(self, asking).own_shape(symbol)).map(Arc::new)
        });
        if keep {
            self.asked.shapes.write().ok()?.insert(key, found.clone());
        }
        found
    }

    fn member(
        &self,
        language: &'static Language,
        symbol: &str,
        name: &str,
        named: bool,
        asking: &Asking,
    ) -> Option<Arc<[MemberType]>> {
        let key = (language.id, symbol.to_owned(), name.to_owned(), named);
        if let Some(known) = self.asked.members.read().ok()?.get(&key) {
            return known.clone();
        }
        // Asked for again while it is worked out: nothing tells.
        let trail = &asking.trail;
        if trail.members.borrow().contains(&key) {
            trail.cut.set(true);
            return None;
        }
        trail.members.borrow_mut().push(key.clone());
        let (found, keep) = trail.work_out(1, || self.worked_out(&key, language, asking));
        trail.members.borrow_mut().pop();
        if keep {
            self.asked.members.write().ok()?.insert(key, found.clone());
        }
        found
    }

    fn single_function(
        &self,
        language: &'static Language,
        symbol: &str,
        asking: &Asking,
    ) -> Option<String> {
        let asking = Asking { depth: 0, ..asking.clone() };
        self.telling(language, symbol)?.resolver(self, &asking).own_single_function(symbol)
    }
}
