//! Where a version is really held: a property of this file, of a parent, or of a file beside or above.

use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_docs::{Manifest, Value};
use emendo_text::RelPath;

use crate::contract::FileCx;
use crate::library::runner::{Held, LibraryRunner};

impl LibraryRunner {
    /// Properties that this file defines and matching entries use, here or in projects that inherit from it.
    pub(super) fn held_here<'a>(&self, cx: &'a FileCx<'_>) -> Vec<Held<'a>> {
        let mut out: Vec<Held<'a>> = Vec::new();
        for (user, manifest) in cx.manifests.iter().filter(|m| self.reads(m.0)) {
            for entry in &manifest.entries {
                let Some(row) = self.row(entry) else { continue };
                let Some(name) = entry.version.as_ref().and_then(Value::property) else {
                    continue;
                };
                let Some((definer, name)) = self.follow(cx.manifests, user, name) else { continue };
                if definer != cx.path || out.iter().any(|h| h.name == name && h.row == row) {
                    continue;
                }
                let others = self.other_users(cx.manifests, cx.path, name);
                out.push(Held { name, row, coordinate: &entry.coordinate, user, others });
            }
        }
        out
    }

    /// True if a library that stays uses the property that an entry of this file refers to.
    pub(super) fn shares(&self, cx: &FileCx<'_>, name: &str) -> bool {
        let found = self.follow(cx.manifests, cx.path, name);
        found.is_some_and(|(definer, name)| {
            !self.other_users(cx.manifests, definer, name).is_empty()
        })
    }

    /// Libraries that the action is not about and that share the property.
    fn other_users(
        &self,
        manifests: &BTreeMap<RelPath, Arc<Manifest>>,
        definer: &RelPath,
        name: &str,
    ) -> Vec<String> {
        let mut out: Vec<String> = Vec::new();
        for (user, manifest) in manifests.iter().filter(|m| self.reads(m.0)) {
            let moves = |e: &&emendo_docs::Entry| {
                let plain = self.ecosystem.plain;
                self.moving.iter().any(|m| plain(&m.old) == plain(&e.coordinate))
            };
            let others = manifest.entries.iter().filter(|e| self.row(e).is_none() && !moves(e));
            for e in others {
                let uses = e.version.as_ref().and_then(Value::property) == Some(name);
                if uses
                    && self.definer(manifests, user, name) == Some(definer)
                    && !out.contains(&e.coordinate)
                {
                    out.push(e.coordinate.clone());
                }
            }
        }
        out
    }

    /// The property that really holds a value, through properties that refer to others.
    fn follow<'a>(
        &self,
        manifests: &'a BTreeMap<RelPath, Arc<Manifest>>,
        user: &'a RelPath,
        name: &'a str,
    ) -> Option<(&'a RelPath, &'a str)> {
        let (mut at, mut name) = (self.definer(manifests, user, name)?, name);
        for _ in 0..8 {
            let value = &manifests.get(at)?.properties.iter().find(|p| p.name == name)?.value;
            match value.property() {
                Some(next) => {
                    at = self.definer(manifests, at, next)?;
                    name = next;
                }
                None => return Some((at, name)),
            }
        }
        None
    }

    /// The value that a property really holds.
    pub(super) fn value_of<'a>(
        &self,
        manifests: &'a BTreeMap<RelPath, Arc<Manifest>>,
        user: &'a RelPath,
        name: &'a str,
    ) -> Option<&'a str> {
        let (definer, name) = self.follow(manifests, user, name)?;
        let property = manifests.get(definer)?.properties.iter().find(|p| p.name == name)?;
        Some(&property.value.text)
    }

    /// The file that defines a property: this one, or the nearest parent in the project.
    pub(super) fn definer<'a>(
        &self,
        manifests: &'a BTreeMap<RelPath, Arc<Manifest>>,
        from: &'a RelPath,
        name: &str,
    ) -> Option<&'a RelPath> {
        let mut at = manifests.get_key_value(from)?;
        for _ in 0..32 {
            if at.1.properties.iter().any(|p| p.name == name) {
                return Some(at.0);
            }
            if self.ecosystem.shared {
                return self.around(manifests, from, name);
            }
            let parent = at.1.parent.as_ref()?;
            let by_path = beside(at.0, &at.1.parent_path).and_then(|p| manifests.get_key_value(&p));
            let fits = |m: &(&RelPath, &Arc<Manifest>)| m.1.own.as_ref() == Some(parent);
            at = by_path.filter(fits).or_else(|| manifests.iter().find(fits))?;
        }
        None
    }

    /// True for a manifest of the ecosystem.
    fn reads(&self, path: &RelPath) -> bool {
        (self.ecosystem.claims)(path)
    }

    /// The file that defines a value for the files of its folder and of those below: the nearest, a file of its own before
    /// those in folders beside it.
    fn around<'a>(
        &self,
        manifests: &'a BTreeMap<RelPath, Arc<Manifest>>,
        from: &RelPath,
        name: &str,
    ) -> Option<&'a RelPath> {
        let defines = |m: &Manifest| m.properties.iter().any(|p| p.name == name);
        let all = manifests.iter().filter(|m| self.reads(m.0) && defines(m.1));
        let folder = from.folder();
        let reach = |path: &RelPath| {
            let own = path.folder();
            // What lies in a folder of the build itself counts as lying beside it.
            let own = own.strip_suffix("/gradle").unwrap_or(if own == "gradle" { "" } else { own });
            let above = own.is_empty() || folder == own || folder.starts_with(&format!("{own}/"));
            above.then_some(own.len())
        };
        all.filter_map(|(path, _)| Some((reach(path)?, path))).max_by_key(|r| r.0).map(|r| r.1)
    }
}

/// A path relative to a file's folder; a folder stands for the manifest in it.
fn beside(file: &RelPath, relative: &str) -> Option<RelPath> {
    let mut parts: Vec<&str> = file.folder().split('/').filter(|p| !p.is_empty()).collect();
    for part in relative.split('/') {
        match part {
            "" | "." => {}
            ".." => drop(parts.pop()?),
            name => parts.push(name),
        }
    }
    let joined = parts.join("/");
    let path = if joined.ends_with(".xml") || joined.ends_with(".pom") {
        joined
    } else {
        format!("{joined}/{}", file.name())
    };
    RelPath::new(path.trim_start_matches('/')).ok()
}
