//! What an index holds, in a form that can be kept between runs, and what of a file others depend on.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::{Arc, RwLock};

use emendo_text::{Digest, Hasher, Lines, RelPath};
use serde::{Deserialize, Serialize};

use crate::facts::FileFacts;
use crate::ground::{Files, Import};
use crate::index::Index;
use crate::index::memo::Passed;
use crate::language::Language;
use crate::project::TypeInfo;

/// The contents of an index.
#[derive(Debug, Default, Serialize, Deserialize)]
pub struct CachedIndex {
    added: BTreeSet<RelPath>,
    types: BTreeMap<String, TypeInfo>,
    packages: BTreeMap<String, BTreeSet<String>>,
    globals: Vec<(String, Import)>,
    modules: BTreeMap<RelPath, Option<Passed>>,
    by_file: Vec<(String, String, BTreeSet<String>)>,
}

impl Index {
    /// What the index holds by now.
    pub fn keep(&self) -> CachedIndex {
        let modules = self.modules.read().map(|m| {
            m.iter()
                .map(|(path, p)| (path.clone(), p.as_deref().cloned()))
                .collect::<BTreeMap<_, _>>()
        });
        let by_file = self.by_file.read().map(|b| {
            let one = |((id, name), found): (&(&'static str, String), &Arc<_>)| {
                let found: &std::collections::HashSet<String> = found;
                ((*id).to_owned(), name.clone(), found.iter().cloned().collect())
            };
            b.iter().map(one).collect()
        });
        CachedIndex {
            added: self.added.iter().cloned().collect(),
            types: self.types.iter().map(|(k, v)| (k.clone(), v.clone())).collect(),
            packages: self
                .packages
                .iter()
                .map(|(k, v)| (k.clone(), v.iter().cloned().collect()))
                .collect(),
            globals: self
                .globals
                .iter()
                .flat_map(|(id, all)| all.iter().map(|i| ((*id).to_owned(), i.clone())))
                .collect(),
            modules: modules.unwrap_or_default(),
            by_file: by_file.unwrap_or_default(),
        }
    }

    /// The index that held this, over files of which no other depends on one that has changed since.
    /// `id` gives a language's own word for one that was kept.
    pub fn kept(
        files: Arc<dyn Files>,
        kept: CachedIndex,
        id: impl Fn(&str) -> Option<&'static str>,
    ) -> Self {
        let modules = kept.modules.into_iter().map(|(path, p)| (path, p.map(Arc::new)));
        let by_file = kept.by_file.into_iter().filter_map(|(language, name, found)| {
            Some(((id(&language)?, name), Arc::new(found.into_iter().collect())))
        });
        let mut globals = BTreeMap::<_, Vec<Import>>::new();
        for (language, import) in kept.globals {
            if let Some(language) = id(&language) {
                globals.entry(language).or_default().push(import);
            }
        }
        Self {
            added: kept.added.into_iter().collect(),
            types: kept.types.into_iter().collect(),
            packages: kept
                .packages
                .into_iter()
                .map(|(k, v)| (k, v.into_iter().collect()))
                .collect(),
            globals,
            modules: RwLock::new(modules.collect()),
            by_file: RwLock::new(by_file.collect()),
            ..Self::new(files)
        }
    }
}

impl FileFacts {
    /// Identity of all that other files may ask of this one: what it is called, brings in, declares and passes on.
    pub fn outside(&self, language: &Language, text: &str) -> Digest {
        let lines = Lines::new(text);
        let mut h = Hasher::new();
        h.part(language.id).part(&self.package).part(&self.module);
        for (_, package) in &self.packages {
            h.part(package);
        }
        for i in &self.imports {
            h.part(i.path()).part(i.local().unwrap_or("")).part(i.inside.join(" "));
            let flags = [i.aliased(), i.wildcard, i.is_static, i.binds_root, i.is_type, i.doubled];
            let more = [i.global, i.passes_on, i.scope.start == 0];
            for flag in flags.iter().chain(&more) {
                h.number(u64::from(*flag));
            }
        }
        for e in &self.exports {
            h.part("export").part(&e.outside).part(&e.inside).number(u64::from(e.fixed));
        }
        for t in &self.types {
            h.part("type").part(t.path.join(" ")).part(t.inside.join(" "));
            h.number(u64::from(lines.line(t.at.start))).number(u64::from(t.extends));
            h.part(t.alias.as_deref().unwrap_or(""));
            for s in &t.supers {
                h.part(&s.0);
            }
            for m in &t.members {
                let hint = m.hint.as_ref().map(|hint| format!("{hint:?}")).unwrap_or_default();
                h.part("member")
                    .number(u64::from(m.read_by_calls))
                    .part(&m.name)
                    .part(format!("{:?}", m.space))
                    .part(hint);
            }
        }
        for (package, name) in self.functions().filter(|_| self.apart) {
            h.part("function").part(package).part(name);
        }
        for name in self.around_types() {
            h.part(name);
        }
        h.finish()
    }
}
