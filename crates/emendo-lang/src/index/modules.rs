//! What the modules of a project pass on, followed to where a name is declared.

use std::collections::HashMap;
use std::sync::Arc;

use emendo_text::RelPath;

use crate::facts::FileFacts;
use crate::ground::remembered;
use crate::index::memo::Passed;
use crate::index::{DEPTH, Index};
use crate::language::Language;
use crate::project::{PassedOn, Project};
use crate::tree::Tree;

impl Index {
    pub(crate) fn followed(&self, language: &'static Language, symbol: &str) -> Option<PassedOn> {
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
                    Some(file) => {
                        self.passed(language, file).is_some_and(|p| p.may_give(segments[cut]))
                    }
                };
                if holds {
                    return Some((next, module, false));
                }
            }
            return None;
        }
        None
    }

    /// The files of a module that may be several.
    pub(super) fn files_of(&self, language: &'static Language, module: &str) -> Vec<RelPath> {
        language.modules.as_ref().map_or_else(Vec::new, |m| (m.files)(module, self.files()))
    }

    /// The file of such a module that declares a name.
    pub(super) fn file_in(
        &self,
        language: &'static Language,
        module: &str,
        name: &str,
    ) -> Option<RelPath> {
        let key = format!("{} declared in {module}", language.id);
        let known = remembered(&*self.files, &key, || self.declared_in(language, module));
        let mut within = known.get(name)?.iter();
        within.find(|p| self.is_own(language, p, name)).cloned()
    }

    /// The names that stand in the files of such a module behind words that declare, by a quick look.
    fn declared_in(
        &self,
        language: &'static Language,
        module: &str,
    ) -> HashMap<String, Vec<RelPath>> {
        let words = language.modules.as_ref().map_or(&[][..], |m| m.declaring);
        let mut out: HashMap<String, Vec<RelPath>> = HashMap::new();
        for path in self.files_of(language, module) {
            let Some(text) = self.files.text(&path) else { continue };
            let plain = |c: char| !(c.is_alphanumeric() || c == '_');
            let mut declares = false;
            for word in text.split(plain).filter(|w| !w.is_empty()) {
                if declares {
                    let files = out.entry(word.to_owned()).or_default();
                    if files.last() != Some(&path) {
                        files.push(path.clone());
                    }
                }
                declares = words.contains(&word);
            }
        }
        out
    }

    /// True if the file of a module declares a name itself.
    pub(super) fn is_own(&self, language: &'static Language, path: &RelPath, name: &str) -> bool {
        self.passed(language, path).is_some_and(|p| p.own.contains(name))
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
}
