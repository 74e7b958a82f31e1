//! Names that a type has by what it adds to, or is built on.

use crate::language::Space;
use crate::resolver::Resolver;
use crate::types::variables::looks_like_type;

/// How many types are looked through, one built on another.
const DEPTH: usize = 8;

impl Resolver<'_> {
    /// The symbol of a path that begins with a type in what the types around add to or are built on, with the one that holds
    /// it; the inner none for a parameter of such a type, the outer one for other names.
    pub(super) fn held_around(&self, path: &[&str], at: u32) -> Option<Option<(String, String)>> {
        let names = &self.language.names;
        let first = *path.first().filter(|p| names.inherits && looks_like_type(p))?;
        let own = self.facts.lookup(first, &[Space::Type], at);
        if own.is_some_and(|o| !o.top) {
            return None;
        }
        for t in self.facts.types_at(at) {
            // What stands in its head is looked for outside of it.
            let head = t.supers.iter().map(|s| s.1.end).fold(t.at.end, u32::max);
            if at <= head {
                continue;
            }
            let mut all = self.around(t);
            if !t.extends && !all.is_empty() {
                // Its own are found where they stand.
                all.remove(0);
            }
            let mut next = 0;
            while let Some(symbol) = all.get(next).cloned().filter(|_| next < DEPTH) {
                next += 1;
                let adds = t.extends && next == 1;
                if adds && self.shape(&symbol).is_some_and(|s| s.params.iter().any(|p| p == first))
                {
                    return Some(None);
                }
                let within = names.join(&[symbol.as_str(), first]);
                if self.project.type_of(&within).is_some_and(|t| t.declared) {
                    let whole: Vec<&str> =
                        std::iter::once(within.as_str()).chain(path[1..].iter().copied()).collect();
                    return Some(Some((names.join(&whole), symbol)));
                }
                let supers = self.project.type_of(&symbol).map(|t| t.supers.clone());
                all.extend(supers.into_iter().flatten().flatten());
            }
        }
        None
    }
}
