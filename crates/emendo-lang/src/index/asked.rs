//! What other files tell of types: read when it is asked for, and kept.

use std::sync::Arc;

use emendo_text::Lines;

use crate::facts::FileFacts;
use crate::index::Index;
use crate::index::memo::{Asked, Loaded};
use crate::language::Language;
use crate::project::{Asking, Lender, MemberKey, Project};
use crate::resolver::Resolver;
use crate::tree::Tree;
use crate::ty::{Learned, MemberType, standard};

/// How much text of files is kept parsed.
const KEPT: usize = 2 << 20;

impl Loaded {
    pub(crate) fn resolver<'l>(&'l self, project: &'l Index, asking: &Asking) -> Resolver<'l> {
        let resolver = Resolver::new(self.language, &self.facts, project, &self.tree, &self.text);
        resolver.in_file(&self.path).asked_by(asking)
    }
}

impl Index {
    /// What is told of types of libraries, besides what the languages' own tables tell.
    pub fn teach(&mut self, language: &'static Language, symbol: &str, told: Learned) {
        let key = (language.id, symbol.to_owned());
        let before = self.learned.get(&key).or_else(|| standard(language).get(symbol));
        let told = match before {
            Some(before) => told.with(before),
            None => told,
        };
        self.learned.insert(key, told);
    }

    /// Asks these too for types that nothing else tells.
    pub fn lenders(&mut self, lenders: impl IntoIterator<Item = Arc<dyn Lender>>) {
        self.lenders.extend(lenders);
    }

    /// The members that are asked for, read from the file that tells of them.
    pub(crate) fn worked_out(
        &self,
        (_, symbol, name, named): &MemberKey,
        language: &'static Language,
        asking: &Asking,
    ) -> Option<Arc<[MemberType]>> {
        self.telling(language, symbol).and_then(|file| {
            let resolver = file.resolver(self, asking);
            let mut all = resolver.own_member(symbol, name, *named)?;
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

    /// The file that tpub(crate) ells of a symbol.
    pub(crate) fn telling(&self, language: &'static Language, symbol: &str) -> Option<Arc<Loaded>> {
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
