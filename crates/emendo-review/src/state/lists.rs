//! The overview and the list: made of the proposal and the decisions, with the cursor where it was.

use emendo_text::Digest;
use std::borrow::Cow;

use crate::state::filter::{Filter, Kind};
use crate::state::items::{At, State, items};
use crate::state::rows::{Row, rows};
use crate::state::{Model, OverviewRow};

impl Model {
    /// Makes all lists anew. The cursor stays at its place, or near it.
    pub(crate) fn rebuild(&mut self, keep: Option<Digest>) {
        let keep = keep.or_else(|| self.current().map(|i| i.id));
        self.items = items(&self.proposal, &self.decisions);
        self.rebuild_overview();
        self.relist(keep);
    }

    fn rebuild_overview(&mut self) {
        let count = |kind: Kind| self.items.iter().filter(|i| kind.holds(i)).count();
        let row = |kind: Kind| OverviewRow::Kind(kind, count(kind));
        let first = [
            Kind::Undecided,
            Kind::Cautions,
            Kind::Unsure,
            Kind::Likely,
            Kind::Choices,
            Kind::Again,
            Kind::Notes,
            Kind::Leftovers,
            Kind::Held,
            Kind::Taken,
            Kind::OnPurpose,
        ];
        let some = |r: &OverviewRow| !matches!(r, OverviewRow::Kind(_, 0));
        let mut out: Vec<OverviewRow> = first.into_iter().map(row).filter(some).collect();
        let used = |s: &usize| self.items.iter().any(|i| i.step == *s);
        let steps = (0..self.proposal.header.steps.len()).filter(used);
        out.extend(steps.map(OverviewRow::Step));
        self.overview = out;
        self.overview_cursor = self.overview_cursor.min(self.overview.len().saturating_sub(1));
    }

    /// Lists anew what the filter lets in; the cursor goes to this place, or stays near where it was.
    pub(crate) fn relist(&mut self, keep: Option<Digest>) {
        let list = &self.list;
        self.list.rows = rows(&self.proposal, &self.items, &list.filter, list.group, &list.folded);
        let found = keep.and_then(|id| self.row_of(id));
        let last = self.list.rows.len().saturating_sub(1);
        self.list.cursor = found.unwrap_or(self.list.cursor.min(last));
        // A heading that is above what is wanted is no place to stop at.
        if found.is_none() && self.current_index().is_none() {
            let next = (self.list.cursor..=last).find(|i| self.is_place(*i));
            self.list.cursor = next.unwrap_or(self.list.cursor);
        }
    }

    fn is_place(&self, row: usize) -> bool {
        matches!(self.list.rows.get(row), Some(Row::Place { .. }))
    }

    /// The row of a place.
    pub(crate) fn row_of(&self, id: Digest) -> Option<usize> {
        let is = |r: &Row| matches!(r, Row::Place { item, .. } if self.items[*item].id == id);
        self.list.rows.iter().position(is)
    }

    /// Lists other places.
    pub(crate) fn list_with(&mut self, filter: Filter) {
        self.list.filter = filter;
        self.list.folded.clear();
        self.list.cursor = 0;
        self.relist(None);
    }

    /// The places that are listed, in order; those under folded headings too.
    pub(crate) fn listed(&self) -> Vec<usize> {
        let holds = |i: &usize| self.list.filter.holds(&self.proposal, &self.items[*i]);
        (0..self.items.len()).filter(holds).collect()
    }

    /// Goes to the next place that waits, around the end if there is none further on; backwards too.
    pub(crate) fn go_to_open(&mut self, forward: bool) -> bool {
        let n = self.list.rows.len();
        let waits = |i: &usize| matches!(self.list.rows[*i], Row::Place { item, .. } if self.items[item].state.waits());
        let order = (1..=n).map(|d| match forward {
            true => (self.list.cursor + d) % n,
            false => (self.list.cursor + n - d) % n,
        });
        let found = order.into_iter().find(waits);
        if let Some(row) = found {
            self.move_to(row);
        }
        found.is_some()
    }

    /// Puts the cursor on a row; what was looked at around the place before is forgotten.
    pub(crate) fn move_to(&mut self, row: usize) {
        if row != self.list.cursor {
            self.code.line = None;
            self.why = None;
        }
        self.list.cursor = row.min(self.list.rows.len().saturating_sub(1));
    }

    /// Goes to a place, listed or not.
    pub(crate) fn go_to(&mut self, id: Digest) {
        if self.row_of(id).is_none() {
            self.list.filter = Filter { kind: Kind::All, ..Filter::default() };
            self.list.folded.clear();
            self.relist(Some(id));
        }
        if let Some(row) = self.row_of(id) {
            self.move_to(row);
        }
    }

    /// How many places stand in each way: waiting, taken, left on purpose, held back.
    pub(crate) fn tally(&self) -> (usize, usize, usize, usize) {
        let count = |f: &dyn Fn(State) -> bool| self.items.iter().filter(|i| f(i.state)).count();
        (
            count(&State::waits),
            count(&State::taken),
            count(&State::on_purpose),
            count(&|s| s == State::Held),
        )
    }

    /// The line of a place that is shown in lists: what stands there, in a line.
    pub(crate) fn excerpt(&self, at: At) -> String {
        let p = &self.proposal;
        let text = match at {
            At::Edit(f, e) => p.files.get(f).and_then(|f| f.edits.get(e)).map(|e| {
                let whole = e.of_file().map(Cow::Owned);
                whole.unwrap_or(match e.before.trim().is_empty() {
                    true => Cow::Borrowed(e.after.as_str()),
                    false => Cow::Borrowed(e.before.as_str()),
                })
            }),
            At::Note(f, n) => {
                let note = p.files.get(f).and_then(|f| f.notes.get(n));
                note.map(|n| Cow::Borrowed(n.source.as_str()))
            }
            At::StepNote(n) => p.trailer.notes.get(n).map(|n| Cow::Borrowed(n.say.as_str())),
            At::Leftover(f, l) => {
                let left = p.files.get(f).and_then(|f| f.leftovers.get(l));
                left.map(|l| Cow::Borrowed(l.source.as_str()))
            }
        };
        let text = text.unwrap_or_default();
        let text = text.trim_start();
        let cut: String = text.chars().take(200).collect();
        emendo_text::one_line(&cut)
    }
}
