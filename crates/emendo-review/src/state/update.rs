//! The one way in which the state changes.

use std::sync::Arc;

use emendo_core::{Decisions, Proposal};

use crate::input::{Effect, Hit, Input};
use crate::state::{Model, Page, Popup};

impl Model {
    /// Takes what happened; gives what is to be done about it.
    pub fn update(&mut self, input: Input) -> Vec<Effect> {
        let mut effects = Vec::new();
        match input {
            Input::Key(key) => self.key(key, &mut effects),
            Input::Click(hit) => self.click(hit, &mut effects),
            Input::Wheel { lines, code } => self.wheel(lines, code),
            Input::Size(width, height) => {
                self.size = (width, height);
                self.refocus();
            }
            Input::File(path, bytes) => self.file(path, bytes.as_deref()),
            Input::Failed(what, decisions) => {
                self.work = Default::default();
                self.decisions = *decisions;
                self.rebuild(None);
                self.warn(what);
            }
            Input::Now(proposal, decisions) => {
                self.replace(proposal, *decisions);
                self.computed(&mut effects);
            }
            Input::Reworded(proposal, decisions) => {
                self.work.busy = None;
                self.draft = None;
                self.reworded(&decisions);
                self.replace(proposal, *decisions);
                self.say("taken in your own words");
                if !self.current().is_some_and(|i| i.state.waits()) {
                    self.go_to_open(true);
                }
            }
            Input::Refused(edit, text, why) => {
                self.work.busy = None;
                let line = crate::state::LineInput::new(&text);
                if text.contains('\n') {
                    self.draft = Some((edit, text));
                    let again = self.keys.shown(crate::keys::Action::Reword);
                    self.warn(format!("{why}; {again} opens your text once more"));
                } else {
                    self.popup = Some(Popup::Reword { edit, line, refused: Some(why) });
                }
            }
            Input::Decisions(decisions) => {
                self.decisions = *decisions;
                self.rebuild(None);
                self.say("decisions were made elsewhere; they are shown here now");
                self.compute(&mut effects);
            }
            Input::Edited(edit, text) => self.reword(edit, text, &mut effects),
            Input::Ready(found) => {
                if let Some(Popup::Apply(plan)) = &mut self.popup {
                    plan.dirty = Some(found);
                }
            }
            Input::NotApplied(lines, decisions) => {
                self.work.busy = None;
                self.decisions = *decisions;
                self.rebuild(None);
                self.popup =
                    Some(Popup::Text { title: "Nothing is written".into(), lines, top: 0 });
            }
            Input::Applied(lines, now) => {
                self.work.busy = None;
                self.history.clear();
                if let Some((proposal, decisions)) = now {
                    self.replace(proposal, *decisions);
                }
                self.page = Page::Overview;
                self.popup = Some(Popup::Text { title: "Written".into(), lines, top: 0 });
            }
        }
        self.look(&mut effects);
        self.follow();
        effects
    }

    /// Another proposal, with the decisions that belong to it.
    fn replace(&mut self, proposal: Arc<Proposal>, decisions: Decisions) {
        let keep = self.current().map(|i| i.id);
        self.proposal = proposal;
        self.decisions = decisions;
        self.forget_texts();
        self.rebuild(keep);
    }

    /// The place under the cursor is scrolled to anew.
    pub(crate) fn refocus(&mut self) {
        self.code.made_of = None;
    }

    /// Keeps the cursor of the list in sight.
    fn follow(&mut self) {
        let height = usize::from(self.areas().list.height).max(1);
        let (cursor, rows) = (self.list.cursor, self.list.rows.len());
        let top = self.list.top.min(rows.saturating_sub(height));
        self.list.top = match () {
            () if cursor < top => cursor,
            () if cursor >= top + height => cursor + 1 - height,
            () => top,
        };
        self.clamp();
    }

    fn wheel(&mut self, lines: i32, code: bool) {
        let step = |at: usize, last: usize| {
            let to = i64::try_from(at).unwrap_or(0) + i64::from(lines);
            usize::try_from(to.max(0)).unwrap_or(0).min(last)
        };
        match (&mut self.popup, self.page) {
            (Some(Popup::Help { top } | Popup::Text { top, .. }), _) => {
                *top = step(*top, usize::MAX);
            }
            (Some(_), _) => {}
            (None, Page::Overview) => {
                let last = self.overview.len().saturating_sub(1);
                self.overview_cursor = step(self.overview_cursor, last);
            }
            (None, _) if code => self.scroll(lines),
            (None, _) => {
                let last = self.list.rows.len().saturating_sub(1);
                self.move_to(step(self.list.cursor, last));
            }
        }
    }

    fn click(&mut self, hit: Hit, effects: &mut Vec<Effect>) {
        match hit {
            Hit::Key(key) => self.key(key, effects),
            Hit::Row(row) if self.page == Page::Overview => {
                if self.overview_cursor == row {
                    self.open_overview_row();
                }
                self.overview_cursor = row.min(self.overview.len().saturating_sub(1));
            }
            Hit::Row(row) => {
                if self.list.cursor == row {
                    self.open_row();
                } else {
                    self.move_to(row);
                }
            }
            Hit::Code(row) => {
                if matches!(self.code.rows.get(row), Some(crate::place::CodeRow::Fold(_))) {
                    self.code.context = self.code.context.max(3).saturating_mul(4).min(1 << 20);
                }
            }
            Hit::Why(row) => self.why = Some(row),
            Hit::Choice(row) => match self.popup.take() {
                Some(Popup::Filter { rows, cursor }) if cursor == row && row < rows.len() => {
                    self.filter_by(rows[row].0);
                }
                Some(Popup::Filter { rows, .. }) => {
                    self.popup = Some(Popup::Filter { rows, cursor: row });
                }
                Some(Popup::More { scopes, .. }) => {
                    self.popup = Some(Popup::More { scopes, cursor: row });
                }
                other => self.popup = other,
            },
        }
    }
}
