//! What names mean where types are looked for in the types around, from the innermost on, then in what the innermost is
//! built on, and at last at the outermost. No import brings a name in.

use crate::facts::TypeDecl;
use crate::ground::{Certainty, Fact};
use crate::language::Space;
use crate::resolver::Resolver;

impl<'a> Resolver<'a> {
    /// The symbols that a path may stand for, the likeliest first, each with what tells so.
    pub(super) fn nested(&self, path: &[&str], at: u32, depth: usize) -> Vec<(String, Fact)> {
        self.nested_through(path, at, depth, true)
    }

    /// The same; a single name that is another one for a type stands for that only `through` it.
    fn nested_through(
        &self,
        path: &[&str],
        at: u32,
        depth: usize,
        through: bool,
    ) -> Vec<(String, Fact)> {
        let names = &self.language.names;
        let Some(first) = path.first().filter(|_| depth > 0) else { return Vec::new() };
        let fact = |says, text| Fact { says, text, at: None };
        // The name of a declaration means what it declares.
        let own = self.facts.types_called(first, names).find(|t| t.at.start == at && !t.extends);
        if let Some(own) = own.filter(|_| path.len() == 1) {
            let text = format!("`{first}` is declared here");
            return vec![(self.own_name(own), fact(Certainty::Certain, text))];
        }
        if let ("", Some(rest)) = (*first, path.get(1..).filter(|r| !r.is_empty())) {
            let text = format!("`{}` is written in full", path.join(names.separator));
            return vec![(names.join(rest), fact(Certainty::Certain, text))];
        }
        if !first.starts_with(char::is_uppercase) {
            return Vec::new();
        }
        let held: Vec<&'a TypeDecl> =
            self.facts.types_at(at).filter(|t| !t.extends && self.holds_place(t, at)).collect();
        let around: Vec<String> = held.iter().map(|t| self.own_name(t)).collect();
        let whole = |holder: &str| {
            let head =
                if holder.is_empty() { (*first).to_owned() } else { names.join(&[holder, first]) };
            (
                head.clone(),
                std::iter::once(head.as_str())
                    .chain(path[1..].iter().copied())
                    .collect::<Vec<_>>()
                    .join(names.separator),
            )
        };
        let supers = held.first().map_or_else(Vec::new, |t| self.bases(t, depth));
        let holders = around.iter().chain(supers.iter()).map(String::as_str).chain([""]);
        let mut known = Vec::new();
        let mut possible = Vec::new();
        for holder in holders {
            let (head, symbol) = whole(holder);
            if self.is_declared(holder, first) {
                let through = through || path.len() > 1;
                let other = self.through_other_names(&head, path, depth).filter(|_| through);
                let symbol = other.unwrap_or(symbol);
                // What a type is built on may hold the rest of the path.
                let rest = path.get(1..).filter(|r| !r.is_empty());
                let inherited = rest.map_or_else(Vec::new, |rest| self.inherited_path(&head, rest));
                known.push((symbol, holder.to_owned()));
                known.extend(inherited.into_iter().map(|s| (s, holder.to_owned())));
                break;
            }
            possible.push((symbol, holder.to_owned()));
        }
        // What is declared nearest is meant; what lies further out, only where nothing is declared there.
        let mut out = Vec::new();
        let says = |holder: &str, declared: bool| match (holder, declared) {
            ("", true) => format!("`{first}` is declared in this project"),
            ("", false) if path.len() > 1 => {
                format!("`{}` is written in full", path.join(names.separator))
            }
            ("", false) => format!("no type around is known to hold a `{first}`"),
            (holder, true) => format!("`{holder}`, which holds `{first}`, is around"),
            (holder, false) => format!("`{first}` stands in `{holder}`"),
        };
        match known.is_empty() {
            false => {
                out.extend(
                    known.into_iter().map(|(s, h)| (s, fact(Certainty::Certain, says(&h, true)))),
                );
                // A library may declare more in a type of the same name.
                let nearer = possible.into_iter().filter(|(_, h)| !h.is_empty());
                out.extend(nearer.map(|(s, h)| (s, fact(Certainty::Certain, says(&h, false)))));
            }
            true => {
                possible.sort_by_key(|(_, h)| !h.is_empty());
                out.extend(
                    possible
                        .into_iter()
                        .map(|(s, h)| (s, fact(Certainty::Certain, says(&h, false)))),
                );
            }
        }
        out
    }

    /// Does a path mean the symbol?
    pub(super) fn nested_means(&self, path: &[&str], at: u32, symbol: &str) -> Option<Fact> {
        let names = &self.language.names;
        if names.is_member(symbol) {
            // A member of the type itself, behind its name.
            let (last, of) = path.split_last()?;
            let owner = names.parent(symbol);
            let fits = *last == names.last(symbol) && names.of_type_itself(symbol) == Some(true);
            return if fits && !of.is_empty() { self.nested_means(of, at, &owner) } else { None };
        }
        let all = self.nested_through(path, at, 8, false);
        all.into_iter().find(|(s, _)| s == symbol).map(|(_, fact)| fact)
    }

    /// True for a type whose body holds a place: not what stands in its head, nor a value that is given a name.
    fn holds_place(&self, t: &TypeDecl, at: u32) -> bool {
        let in_head = t.supers.iter().any(|(_, s)| s.start <= at && at < s.end);
        at != t.at.start && !(t.at.start <= at && at < t.at.end) && !in_head
    }

    /// What a type is built on, as far as that is told.
    fn bases(&self, t: &TypeDecl, depth: usize) -> Vec<String> {
        let mut out: Vec<String> = Vec::new();
        let mut next: Vec<String> = Vec::new();
        for (written, at) in &t.supers {
            let path: Vec<&str> = written.split(self.language.names.separator).collect();
            next.extend(
                self.candidates_within(&path, Space::Type, at.start, depth - 1).into_iter().take(1),
            );
        }
        for _ in 0..8 {
            let mut more = Vec::new();
            for symbol in next {
                if out.contains(&symbol) {
                    continue;
                }
                let told = self.project.type_of(&symbol);
                more.extend(
                    told.iter().flat_map(|i| i.supers.iter()).filter_map(|s| s.first().cloned()),
                );
                out.push(symbol);
            }
            next = more;
        }
        out
    }

    /// A path below what a type of the project is built on, if it is not declared below the type itself.
    fn inherited_path(&self, head: &str, rest: &[&str]) -> Vec<String> {
        let names = &self.language.names;
        if self.is_declared(head, rest[0]) {
            return Vec::new();
        }
        let mut next = vec![head.to_owned()];
        let mut out: Vec<String> = Vec::new();
        for _ in 0..8 {
            let mut more = Vec::new();
            for symbol in next {
                let told = self.project.type_of(&symbol);
                let supers = told.iter().flat_map(|i| i.supers.iter()).filter_map(|s| s.first());
                more.extend(supers.filter(|s| !out.contains(s)).cloned());
            }
            out.extend(more.iter().cloned());
            next = more;
        }
        let whole = |s: String| {
            let all: Vec<&str> = std::iter::once(s.as_str()).chain(rest.iter().copied()).collect();
            all.join(names.separator)
        };
        out.into_iter().map(whole).collect()
    }

    /// True if this file or another declares a type of a name in a holder.
    fn is_declared(&self, holder: &str, name: &str) -> bool {
        let names = &self.language.names;
        let symbol = if holder.is_empty() { name.to_owned() } else { names.join(&[holder, name]) };
        self.facts.types_called(name, names).any(|t| !t.extends && self.own_name(t) == symbol)
            || self.project.holds(self.language, holder, name)
    }

    /// What a type is another name for.
    fn through_other_names(&self, head: &str, path: &[&str], depth: usize) -> Option<String> {
        let names = &self.language.names;
        let own = self.facts.types_called(path[0], names).find(|t| self.own_name(t) == *head)?;
        let alias = own.alias.as_ref().filter(|a| *a != path[0])?;
        let next: Vec<&str> =
            alias.split(names.separator).chain(path[1..].iter().copied()).collect();
        let all = self.candidates_within(&next, Space::Type, own.span.start, depth - 1);
        all.into_iter().next().filter(|s| s != head)
    }
}
