//! Import statements that follow from the edits of a file: added in its own order, dropped with the last use.

mod insert;
mod respell;

use emendo_lang::language::{Language, Space};
use emendo_lang::{FileFacts, Import, ImportName};
use emendo_text::{Part, Span, Splice};

use crate::imports::insert::{insertions, lead_of, line_stop, statements};
pub use crate::imports::respell::respell;
use crate::written::ImportEdit;
use crate::{delete_item, delete_splice};

/// What the active edits of one file and step ask of its imports.
#[derive(Debug, Default)]
pub struct ImportPlan {
    /// Imports that written names need.
    pub add: Vec<ImportName>,
    /// Bytes that edits take away without copying them.
    pub removed: Vec<Span>,
    /// Symbols whose import goes even if it was unused before.
    pub drop: Vec<String>,
    /// Imports of which another one is what they become: the path of the old, the path of the new.
    pub partners: Vec<(String, String)>,
    /// New imports with the symbols whose uses they replace: old, new.
    pub beside: Vec<(String, String)>,
    /// What edits write.
    pub written: Vec<String>,
    /// Items that change themselves, and so stay.
    pub kept: Vec<Span>,
    /// Items of lists that go, used or not.
    pub gone: Vec<Span>,
    /// A statement whose manner those of a file take that is new: what is a type only is marked so there.
    pub like: Option<String>,
    /// Paths that wildcards get: what lies below comes in by them. With whether they take members of a type.
    pub wildcards: Vec<(bool, String)>,
}

impl ImportPlan {
    /// The changes, in order of place.
    pub fn edits(
        &self,
        language: &'static Language,
        facts: &FileFacts,
        text: &str,
        line_end: &str,
    ) -> Vec<ImportEdit> {
        let removed = joined(self.removed.clone());
        // A name that is used as a type only is marked so where the file marks types.
        let marks = self.like.is_some() || facts.imports.iter().any(|i| i.is_type);
        let as_value = |n: &ImportName| self.add.iter().any(|a| !a.is_type && a.same(n));
        let marked = |a: &ImportName| ImportName {
            is_type: a.is_type && marks && !as_value(a),
            ..a.clone()
        };
        let mut wanted: Vec<ImportName> = self
            .add
            .iter()
            .filter(|a| !known(language, facts, a) && !self.comes(language, a))
            .map(marked)
            .collect();
        wanted.sort();
        wanted.dedup();
        let mut add: Vec<&ImportName> = wanted.iter().collect();
        let dropped: Vec<&Import> =
            facts.imports.iter().filter(|i| self.unused(language, facts, &removed, i)).collect();
        let out = Vec::new();
        let mut changes = Changes { language, facts, text, line_end, dropped, plan: self, out };
        // A new import goes into a list of its module; else it stands on the line of the one that it replaces, or below
        // that where other names of it stay.
        let ways = [
            Like::ListPartner,
            Like::LonePartner,
            Like::List,
            Like::Partner,
            Like::Name,
            Like::Any,
        ];
        for how in ways {
            if how == Like::Partner {
                add.retain(|new| !changes.add_to_list(new));
            }
            add.retain(|new| !changes.instead(new, how));
        }
        let add = changes.in_place(add);
        changes.drop_rest();
        let mut edits = changes.out;
        for new in insertions((language, facts, self.like.as_deref()), text, line_end, &add) {
            if let Some(new) = over_dropped(new, &mut edits) {
                edits.push(new);
            }
        }
        edits.sort_by_key(|e| (e.splice.span.start, e.splice.span.end));
        edits
    }

    /// True if a wildcard brings it in once it has its new path.
    fn comes(&self, language: &Language, name: &ImportName) -> bool {
        let package = language.names.parent(&name.path);
        let plain = !name.wildcard && !name.whole && name.alias.is_none();
        plain && self.wildcards.iter().any(|(is, path)| *is == name.is_static && *path == package)
    }

    /// True if the import was used, and every use goes.
    fn unused(
        &self,
        language: &Language,
        facts: &FileFacts,
        removed: &[Span],
        import: &Import,
    ) -> bool {
        if self.gone.contains(&import.item.unwrap_or(import.span)) {
            return true;
        }
        if import.item.is_some_and(|i| self.kept.contains(&i)) {
            return false;
        }
        // The name of a module comes with all that is in it.
        let with_all = || facts.imports.iter().any(|i| i.span == import.span && i.wildcard);
        let whole = import.wildcard || language.imports.own_names && with_all();
        if whole && !import.passes_on {
            // Whether something else comes by it was asked where it was said to go.
            return self.drop.iter().any(|d| language.names.parent(d) == import.path());
        }
        let Some(local) = import.local().filter(|_| !import.passes_on) else { return false };
        if self.add.iter().any(|a| a.same(&import.name()))
            || facts.bound_twice(import)
            || language.imports.kinds.is_empty()
            || facts.quotes(local)
        {
            return false;
        }
        let goes = |at: Span| {
            let i = removed.partition_point(|r| r.end < at.end);
            removed.get(i).is_some_and(|r| r.contains(at))
        };
        // What stands in for it where the library is not there needs it, as long as that stays.
        let beside = facts.words(local).iter().filter(|w| w.space == Space::Declared);
        if beside.into_iter().any(|w| facts.is_top(w.span) && !goes(w.span)) {
            return false;
        }
        // Where a part of the file cannot be read, any word may be a use.
        let uses = facts
            .words(local)
            .iter()
            .chain(facts.words_alike(local))
            .filter(|w| facts.has_errors || !matches!(w.space, Space::Member | Space::Declared))
            .filter(|w| facts.rests_on(w, import));
        let mut any = false;
        let all_go = uses.into_iter().all(|w| {
            any |= !facts.hides(local, w, import);
            goes(w.span) || (!facts.has_errors && facts.hides(local, w, import))
        });
        let again = || {
            let other = self.add.iter().any(|a| language.names.last(&a.path) == local);
            !other && self.written.iter().any(|t| writes_name(language, t, local))
        };
        all_go && !again() && (any || self.drop.iter().any(|d| d == import.path()))
    }
}

/// True if a text holds a name that is no member of something else.
fn writes_name(language: &Language, text: &str, name: &str) -> bool {
    let word = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
    text.match_indices(name).any(|(i, _)| {
        let before = text[..i].trim_end();
        let rest = &text[i + name.len()..];
        let whole = !text[..i].ends_with(word) && !rest.starts_with(word);
        // The key of a pair.
        let colon = rest.trim_start().starts_with(':') && !rest.trim_start().starts_with("::");
        let key = colon && (before.is_empty() || before.ends_with(['{', ',', '(']));
        whole && !key && !language.words.member_after.iter().any(|d| before.ends_with(d))
    })
}

/// A new statement that would stand beside one that goes takes its place. Gives it back if there is none.
fn over_dropped(new: ImportEdit, edits: &mut [ImportEdit]) -> Option<ImportEdit> {
    let at = new.splice.span.start;
    let beside = |e: &&mut ImportEdit| {
        let span = e.splice.span;
        e.splice.parts.is_empty()
            && span.start <= at
            && at < span.end
            && e.statement.is_some_and(|s| span.contains(s))
    };
    let Some(old) = edits.iter_mut().find(beside) else { return Some(new) };
    let (Some(span), [Part::Text(text)]) = (old.statement, new.splice.parts.as_slice()) else {
        return Some(new);
    };
    old.splice = Splice::text(span, text.trim_matches(['\n', '\r', ' ', '\t']));
    old.about.extend(new.about);
    None
}

/// After which name of a sorted list a new one goes, first of all where none is smaller; `None` if the list is not sorted, by
/// letters or without regard to capitals. In a longer list one name may stand out of order: an edit may have written it in the place
/// of another. (Only the text counts, so that it makes no difference when that was written.)
fn place_in_order(names: &[String], new: &str) -> Option<Option<usize>> {
    let exact = |n: &str| n.to_owned();
    let lower = |n: &str| n.to_lowercase();
    let keys: [&dyn Fn(&str) -> String; 2] = [&exact, &lower];
    let ways = keys.map(|key| (names.iter().map(|n| key(n)).collect::<Vec<_>>(), key(new)));
    let sorted = ways.iter().find(|w| w.0.is_sorted());
    if let Some((all, new)) = sorted {
        return Some(all.iter().rposition(|n| n < new));
    }
    let (all, new) = ways.first().filter(|_| names.len() > 3)?;
    let without = |out: usize| all.iter().enumerate().filter(move |(i, _)| *i != out);
    let out = (0..all.len()).rev().find(|out| without(*out).map(|n| n.1).is_sorted())?;
    Some(without(out).filter(|(_, n)| *n < new).map(|(i, _)| i).next_back())
}

/// Spans in order, those that touch made one.
fn joined(mut spans: Vec<Span>) -> Vec<Span> {
    spans.sort();
    let mut out: Vec<Span> = Vec::new();
    for s in spans {
        match out.last_mut() {
            Some(last) if s.start <= last.end => last.end = last.end.max(s.end),
            _ => out.push(s),
        }
    }
    out
}

/// Which dropped import a new one may take the place of.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Like {
    /// One of the same list that it is said to become of.
    ListPartner,
    /// One by itself that it is said to become of, in the same place.
    LonePartner,
    /// One of the same list.
    List,
    /// The one that it is said to become of.
    Partner,
    /// One of the same last name.
    Name,
    /// Any of the same root.
    Any,
}

/// Import statements while they change.
struct Changes<'a> {
    language: &'a Language,
    facts: &'a FileFacts,
    text: &'a str,
    line_end: &'a str,
    dropped: Vec<&'a Import>,
    plan: &'a ImportPlan,
    out: Vec<ImportEdit>,
}

impl<'a> Changes<'a> {
    /// Writes a new import over a dropped one, if there is one like it.
    fn instead(&mut self, new: &ImportName, how: Like) -> bool {
        let segments = self.language.names.segments(&new.path);
        let fits = |old: &&Import| {
            let same_root = !self.language.names.module_separator.is_empty()
                || old.segments.first().map(|s| s.0.as_str()) == segments.first().copied();
            let partner = |p: &&(String, String)| p.0 == old.path() && p.1 == new.path;
            let partners = || self.plan.partners.iter();
            let listed = old.item.is_some() && head_of(old) == segments[..segments.len() - 1];
            let liked = match how {
                Like::Partner => partners().find(partner).is_some(),
                Like::ListPartner => listed && partners().find(partner).is_some(),
                Like::LonePartner => {
                    let beside = head_of(old) == segments[..segments.len() - 1];
                    old.item.is_none() && beside && partners().find(partner).is_some()
                }
                Like::List => listed,
                Like::Name => old.segments.last().map(|s| s.0.as_str()) == segments.last().copied(),
                Like::Any => true,
            };
            // A line among other libraries' imports is not a place for one of another root.
            liked
                && same_root
                && new.is_static == old.is_static
                && !new.wildcard
                && !old.wildcard
                && new.alias.is_none()
                && new.whole == old.binds_root
                && (!old.aliased() || old.binds_root)
        };
        let Some(i) = self.dropped.iter().position(fits) else { return false };
        let old = self.dropped[i];
        let Some(splices) = self.respelled(old, &segments) else { return false };
        self.dropped.remove(i);
        let about = vec![old.path().to_owned(), new.path.clone()];
        for splice in splices {
            let statement = Some(old.span);
            self.out.push(ImportEdit { splice, about: about.clone(), statement });
        }
        true
    }

    /// Writes new imports in the place of the statement whose uses they replace: over it, if nothing of it stays, else on
    /// the line below. Gives back those that have no such place.
    fn in_place<'n>(&mut self, add: Vec<&'n ImportName>) -> Vec<&'n ImportName> {
        let mut places: Vec<(&'a Import, Vec<&'n ImportName>)> = Vec::new();
        let mut rest = Vec::new();
        for new in add {
            match self.replaced_by(new) {
                Some(old) => match places.iter_mut().find(|p| p.0.span == old.span) {
                    Some(known) => known.1.push(new),
                    None => places.push((old, vec![new])),
                },
                None => rest.push(new),
            }
        }
        for (old, new) in places {
            let about: Vec<String> = new.iter().map(|n| n.path.clone()).collect();
            let statements =
                statements((self.language, &self.facts.folder), &new, Some(old.span.of(self.text)));
            let lead = lead_of(self.text, old.span.start as usize);
            let between = format!("{}{lead}", self.line_end);
            let statements: Vec<String> = statements.into_iter().map(|s| s.0).collect();
            let written = statements.join(&between);
            let mut own = self.facts.imports.iter().filter(|i| i.span == old.span);
            let changed = self.out.iter().any(|e| e.statement == Some(old.span));
            let (splice, statement) = if !changed && own.all(|i| self.goes(i)) {
                self.dropped.retain(|d| d.span != old.span);
                (Splice::text(old.span, written), Some(old.span))
            } else {
                let at = Span::at(line_stop(self.text, old.span.end as usize));
                (Splice::text(at, between + &written), None)
            };
            self.out.push(ImportEdit { splice, about, statement });
        }
        rest
    }

    fn goes(&self, import: &Import) -> bool {
        self.dropped.iter().any(|d| d.span == import.span && d.item == import.item)
    }

    /// The import whose uses a new one replaces, where the new one may stand in its place.
    fn replaced_by(&self, new: &ImportName) -> Option<&'a Import> {
        let names = &self.language.names;
        let beside = |i: &&'a Import| {
            let pair = |p: &(String, String)| {
                let below = p.0.strip_prefix(i.path());
                let below = below.is_some_and(|r| !r.starts_with(char::is_alphanumeric));
                p.1 == new.path && (below || names.parent(&p.0) == names.parent(i.path()))
            };
            self.plan.beside.iter().chain(&self.plan.partners).any(pair)
                && !i.passes_on
                && i.is_static == new.is_static
        };
        let all = self.facts.imports.iter();
        let mut fits: Vec<&Import> = all.filter(beside).collect();
        // One that goes before one that stays.
        fits.sort_by_key(|i| (!self.goes(i), i.span.start));
        let old = fits.first().copied()?;
        let one = |i: &&Import| i.span == old.span || i.passes_on;
        let alone = self.facts.imports.iter().all(|i| one(&i));
        let mut own = self.facts.imports.iter().filter(|i| i.span == old.span);
        let place = !names.module_separator.is_empty() || alone && own.all(|i| self.goes(i));
        place.then_some(old)
    }

    /// The import with another path: `None` if that takes more than other segments.
    fn respelled(&self, old: &Import, new: &[&str]) -> Option<Vec<Splice>> {
        if old.implied && old.segments.last().map(|s| s.0.as_str()) != new.last().copied() {
            return None;
        }
        let last = new.last().copied().unwrap_or_default();
        if old.doubled && head_of(old) == new[..new.len() - 1] {
            return Some(vec![doubled(old, last)?]);
        }
        let (head, tail) = old.segments.split_at(old.shared);
        let below = head.iter().map(|s| s.0.as_str()).eq(new.iter().copied().take(head.len()));
        let longer = new.len() > old.segments.len();
        if below && longer && self.language.imports.paths_in_lists && !old.implied {
            return Some(vec![respell(&self.language.names, tail, &new[head.len()..])]);
        }
        if head.is_empty() {
            return Some(vec![respell(&self.language.names, tail, new)]);
        }
        let at = new.len().checked_sub(tail.len())?;
        let same_head = head.iter().map(|s| s.0.as_str()).eq(new[..at].iter().copied());
        let alone = self.facts.imports.iter().filter(|i| i.span == old.span).count() == 1;
        if at == 0 || (!same_head && !alone) {
            return None;
        }
        let mut out = Vec::new();
        if !same_head {
            out.push(respell(&self.language.names, head, &new[..at]));
        }
        if !old.implied {
            out.push(respell(&self.language.names, tail, &new[at..]));
        }
        out.retain(|s| !(s.span.is_empty() && s.parts.is_empty()));
        Some(out)
    }

    /// Adds a new import to a list of its own module that stays.
    fn add_to_list(&mut self, new: &ImportName) -> bool {
        let segments = self.language.names.segments(&new.path);
        let Some(last) = segments.last() else { return false };
        let module = self.language.names.parent(&new.path);
        let stays =
            |i: &&Import| !self.dropped.iter().any(|d| d.span == i.span && d.item == i.item);
        let kin: Vec<&Import> = self
            .facts
            .imports
            .iter()
            .filter(|i| {
                // Of a list within a list, and from the file's own place, as of one by itself.
                (i.open || i.is_type && new.is_type && i.group.is_some())
                    && i.is_static == new.is_static
                    && i.segments.len() == i.shared + 1
                    && self.language.names.parent(i.path()) == module
                    && !new.wildcard
                    && !new.whole
                    && !i.passes_on
            })
            .collect();
        // Types beside types.
        let beside = |i: &&&Import| stays(i) && i.open != new.is_type;
        let first = kin.iter().find(beside).or_else(|| kin.iter().find(|i| stays(i)));
        let Some(first) = first else { return false };
        let list: Vec<&&Import> = kin.iter().filter(|i| i.span == first.span && stays(i)).collect();
        // Types are marked one by one only where the file does so.
        let one_by_one = self.facts.imports.iter().any(|i| i.is_type && i.open);
        let mark = if new.is_type && first.open && one_by_one { "type " } else { "" };
        let written = match &new.alias {
            Some(alias) => format!("{mark}{last} as {alias}"),
            None => format!("{mark}{last}"),
        };
        let name = |i: &Import| i.segments.last().map_or(String::new(), |s| s.0.clone());
        let item = |i: &Import| i.item.unwrap_or(i.span);
        let names: Vec<String> = list.iter().map(|i| name(i)).collect();
        let before = match place_in_order(&names, last) {
            Some(place) => place.map(|at| &list[at]),
            None => list.last(),
        };
        // The blanks between two items of the list, where it has two.
        let gap = list.windows(2).next().map(|w| {
            let between = Span { start: item(w[0]).end, end: item(w[1]).start };
            between.of(self.text).trim_start_matches(',')
        });
        let gap = gap.filter(|g| g.trim().is_empty()).unwrap_or(" ");
        let splice = match before {
            Some(before) => {
                Splice::text(Span::at(item(before).end as usize), format!(",{gap}{written}"))
            }
            None => {
                Splice::text(Span::at(item(list[0]).start as usize), format!("{written},{gap}"))
            }
        };
        let (about, statement) = (vec![new.path.clone()], Some(first.span));
        self.out.push(ImportEdit { splice, about, statement });
        true
    }

    /// What is left of a list without its brackets, if that is one name.
    fn unwrapped(
        &self,
        group: Span,
        all: &[&Import],
        gone: &dyn Fn(&&Import) -> bool,
    ) -> Option<Splice> {
        let mut left = all.iter().filter(|i| self.language.writing.bare_single && !gone(i));
        let (Some(one), None) = (left.next(), left.next()) else { return None };
        let item = one.item.filter(|_| one.group == Some(group) && !one.wildcard)?;
        let written = item.of(self.text);
        let comments = self.facts.comments.iter().any(|c| group.contains(*c));
        // A name for the module itself needs its brackets.
        // A word before the name says what it is, and stands elsewhere without brackets.
        let named = one.segments.get(one.shared).is_none_or(|s| s.1.start == item.start);
        let plain =
            !comments && named && !one.implied && !written.contains('{') && written != "self";
        let parts = vec![emendo_text::Part::Copy(item)];
        plain.then_some(Splice { span: group, parts, inner: false })
    }

    /// Takes away what nothing took the place of: an item, a list, or the statement.
    fn drop_rest(&mut self) {
        let mut done: Vec<Span> = Vec::new();
        for old in self.dropped.clone() {
            let gone =
                |i: &&Import| self.dropped.iter().any(|d| d.span == i.span && d.item == i.item);
            let all: Vec<&Import> =
                self.facts.imports.iter().filter(|i| i.span == old.span).collect();
            let changed = self.out.iter().any(|e| e.statement == Some(old.span));
            let whole = all.iter().all(gone) && !changed;
            let group = old
                .group
                .filter(|g| all.iter().filter(|i| i.group == Some(*g)).all(gone) && !changed);
            let about = vec![old.path().to_owned()];
            // Items that follow one another go together: each takes a comma along.
            let list = || all.iter().filter(|i| i.group == old.group).filter_map(|i| i.item);
            let run = |item: Span| {
                let mut run = item;
                for next in list().filter(|i| i.start >= item.end) {
                    let between = Span { start: run.end, end: next.start };
                    if self.facts.comments.iter().any(|c| between.contains(*c)) {
                        break;
                    }
                    if !all.iter().filter(|i| i.item == Some(next)).all(gone) {
                        break;
                    }
                    run = run.hull(next);
                }
                run
            };
            if old.item.is_some_and(|i| done.iter().any(|d| d.contains(i))) {
                continue;
            }
            let bare = || self.unwrapped(old.group?, &all, &gone);
            let bare = if whole || changed || group.is_some() { None } else { bare() };
            if let Some(splice) = bare {
                done.push(splice.span);
                self.out.push(ImportEdit { splice, about, statement: Some(old.span) });
                continue;
            }
            let (at, splice) = match (whole, group, old.item) {
                (true, ..) | (_, _, None) => {
                    (old.span, delete_splice(self.text, old.span, |_| None))
                }
                (_, Some(group), _) => {
                    // A list within a list goes with the path before it.
                    let within = |s: &&(String, Span)| {
                        s.1.end <= group.start
                            && !self.text[s.1.end as usize..group.start as usize]
                                .contains(['{', ','])
                    };
                    let head = old.segments.iter().find(within);
                    let whole = head.map_or(group, |h| h.1.hull(group));
                    (group, delete_item(&[","], self.text, whole, old.span))
                }
                (_, _, Some(item)) => {
                    let item = run(item);
                    (item, delete_item(&[","], self.text, item, old.group.unwrap_or(old.span)))
                }
            };
            if !done.contains(&at) {
                done.push(at);
                self.out.push(ImportEdit { splice, about, statement: Some(old.span) });
            }
        }
    }
}

/// An import that says its name twice, with another name.
pub fn doubled(old: &Import, name: &str) -> Option<Splice> {
    let at = Span { start: old.segments.last()?.1.start, end: old.item?.end };
    Some(Splice::text(at, format!("{name} as {name}")))
}

/// The segments of an import without the last.
fn head_of(import: &Import) -> Vec<&str> {
    let head = &import.segments[..import.segments.len().saturating_sub(1)];
    head.iter().map(|s| s.0.as_str()).collect()
}

/// True if the file has the import already, or a wildcard that brings it in.
fn known(language: &Language, facts: &FileFacts, name: &ImportName) -> bool {
    let package = language.names.parent(&name.path);
    facts.imports.iter().any(|i| {
        i.is_static == name.is_static
            && i.binds_root == name.whole
            && (i.path() == name.path
                && i.wildcard == name.wildcard
                && i.name().alias == name.alias
                || (i.wildcard && i.path() == package && !name.wildcard))
    })
}

#[cfg(test)]
mod tests {
    use super::place_in_order;

    #[test]
    fn a_name_goes_where_the_order_of_the_list_has_it() {
        let place = |names: &[&str], new: &str| {
            place_in_order(&names.iter().map(|n| (*n).to_owned()).collect::<Vec<_>>(), new)
        };
        assert_eq!(place(&["Board", "Field", "open"], "Config"), Some(Some(0)));
        assert_eq!(place(&["Board", "Field"], "Anchor"), Some(None));
        assert_eq!(place(&["anchor", "Board", "cable", "Dock"], "Chart"), Some(Some(2)));
        assert_eq!(place(&["Board", "Field", "read", "field_read"], "Config"), Some(Some(0)));
        assert_eq!(place(&["open", "close", "read"], "config"), None);
        assert_eq!(place(&["open", "close", "read", "adopt"], "config"), None);
    }
}
