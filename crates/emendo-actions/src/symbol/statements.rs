//! An import statement as a whole: which of its items become others in their place, and how they are written over.

use emendo_lang::{Fact, Import, Language, Names};
use emendo_pattern::{doubled, respell};
use emendo_text::{Span, Splice};

/// An import that is to name something else.
pub(super) struct Moved<'a> {
    pub(super) import: &'a Import,
    pub(super) row: usize,
    pub(super) target: String,
    pub(super) fact: Fact,
}

/// One import statement, with those of its items that become others.
pub(super) struct Statement<'s> {
    names: &'s Names,
    /// Its items, each once.
    distinct: Vec<&'s Import>,
    moved: &'s [Moved<'s>],
}

impl<'s> Statement<'s> {
    pub(super) fn new(names: &'s Names, all: &'s [Import], moved: &'s [Moved<'s>]) -> Self {
        let mut distinct: Vec<&Import> = Vec::new();
        for i in all {
            if !distinct.iter().any(|d| d.item == i.item && d.path() == i.path()) {
                distinct.push(i);
            }
        }
        Self { names, distinct, moved }
    }

    /// True where only the item itself changes, or there is no list: the names are written over.
    pub(super) fn in_place(&self, m: &Moved<'_>) -> bool {
        let wanted = self.names.segments(&m.target);
        let shared = m.import.shared.min(m.import.segments.len());
        let same_head = wanted.len() > shared
            && m.import.segments[..shared].iter().zip(&wanted).all(|(a, b)| a.0 == **b);
        same_head || m.import.item.is_none()
    }

    /// True where all items of a list, those of lists within it too, come to lie below one new head.
    pub(super) fn together(&self, m: &Moved<'_>) -> bool {
        let shared = m.import.shared.min(m.import.segments.len());
        let own = m.import.segments.len() - shared;
        let mut head = self.names.segments(&m.target);
        head.truncate(head.len().saturating_sub(own.max(1)));
        let last = |i: &Import| i.segments.get(shared.wrapping_sub(1)).map(|s| s.1);
        let mut here = self.distinct.iter().filter(|d| shared == 0 || last(d) == last(m.import));
        here.all(|d| {
            let same = |o: &&Moved<'_>| o.import.item == d.item && o.import.path() == d.path();
            let moved = self.moved.iter().find(same);
            moved.is_some_and(|o| self.names.segments(&o.target).starts_with(&head))
        })
    }

    /// What a module gives unnamed is written otherwise than what it gives by name.
    pub(super) fn default_changes(&self, m: &Moved<'_>) -> bool {
        let names = self.names;
        !names.default.is_empty()
            && (names.last(&m.target) == names.default)
                != (names.last(m.import.path()) == names.default)
    }

    /// The new names, written over the old ones.
    pub(super) fn written_over(
        &self,
        language: &Language,
        folder: &str,
        over: &[&Moved<'_>],
    ) -> Vec<Splice> {
        let names = self.names;
        let mut written: Vec<Splice> = Vec::new();
        for m in over {
            let spelled = language.spelled_from(folder, &m.target);
            let wanted = names.segments(spelled.as_deref().unwrap_or(&m.target));
            if m.import.doubled
                && let Some(splice) = doubled(m.import, names.last(&m.target))
                && names.parent(&m.target) == names.parent(m.import.path())
            {
                written.push(splice);
                continue;
            }
            let implied = m.import.implied && m.import.segments.len() > 1;
            let (from, to) = if implied {
                (&m.import.segments[..m.import.segments.len() - 1], &wanted[..wanted.len() - 1])
            } else {
                (&m.import.segments[..], &wanted[..])
            };
            for splice in spell_parts(names, from, to, m.import.shared, self.together(m)) {
                if !written.contains(&splice) {
                    written.push(splice);
                }
            }
        }
        written
    }
}

/// The shared head of a list and its item are written over apart: brackets may stand between them. Where not all items go
/// `together`, the head stays what it is for the others.
fn spell_parts(
    names: &emendo_lang::Names,
    from: &[(String, Span)],
    to: &[&str],
    shared: usize,
    together: bool,
) -> Vec<Splice> {
    let shared = shared.min(from.len());
    if shared == 0 || shared == from.len() || to.len() <= from.len() - shared {
        return vec![respell(names, from, to)];
    }
    let same_head = from[..shared].iter().zip(to).all(|(a, b)| a.0 == **b);
    let cut = if same_head && !together { shared } else { to.len() - (from.len() - shared) };
    let parts = [(&from[..shared], &to[..cut]), (&from[shared..], &to[cut..])];
    parts
        .into_iter()
        .filter(|(a, b)| a.iter().map(|s| s.0.as_str()).ne(b.iter().copied()))
        .map(|(a, b)| respell(names, a, b))
        .collect()
}
