//! The windows in front of the page: what opens them, and what their keys do.

use std::collections::BTreeSet;

use emendo_core::Standing;
use emendo_text::{Digest, RelPath};

use crate::input::Effect;
use crate::keys::{Action, Code, Key};
use crate::state::decide::Verb;
use crate::state::filter::{Filter, KINDS};
use crate::state::rows::Row;
use crate::state::scope::{around, under};
use crate::state::{ApplyPlan, FilterRow, LineInput, Model, Page, Popup};

impl LineInput {
    pub(crate) fn new(text: &str) -> Self {
        Self { text: text.to_owned(), at: text.len() }
    }

    /// What a key does to the line; false if it does nothing.
    fn key(&mut self, key: Key) -> bool {
        let before =
            |text: &str, at: usize| text[..at].chars().next_back().map_or(0, char::len_utf8);
        let after = |text: &str, at: usize| text[at..].chars().next().map_or(0, char::len_utf8);
        match key.code {
            Code::Char(c) if !key.control => {
                self.text.insert(self.at, c);
                self.at += c.len_utf8();
            }
            Code::Char('u') if key.control => {
                self.text.drain(..self.at);
                self.at = 0;
            }
            Code::Char('a') if key.control => self.at = 0,
            Code::Backspace => {
                let n = before(&self.text, self.at);
                self.text.drain(self.at - n..self.at);
                self.at -= n;
            }
            Code::Delete => {
                let n = after(&self.text, self.at);
                self.text.drain(self.at..self.at + n);
            }
            Code::Left => self.at -= before(&self.text, self.at),
            Code::Right => self.at += after(&self.text, self.at),
            Code::Home => self.at = 0,
            Code::End => self.at = self.text.len(),
            _ => return false,
        }
        true
    }
}

impl Model {
    /// What can be decided at once from here.
    pub(crate) fn open_more(&mut self) {
        let listed = self.listed();
        let scopes = match self.list.rows.get(self.list.cursor) {
            Some(Row::Place { item, .. }) => around(&self.proposal, &self.items, (*item, &listed)),
            Some(Row::Head { heading, .. }) => under(&self.proposal, &self.items, heading, &listed),
            None => return,
        };
        if scopes.len() == 1 && self.current().is_some() {
            self.warn("nothing else goes with this place: decide on it by itself");
            return;
        }
        let cursor = usize::from(self.current().is_some());
        self.popup = Some(Popup::More { scopes, cursor });
    }

    pub(crate) fn open_filter(&mut self) {
        let count = |f: &dyn Fn(&crate::state::items::Item) -> bool| {
            self.items.iter().filter(|i| f(i)).count()
        };
        let kinds = KINDS.iter().map(|(k, _)| (FilterRow::Kind(*k), count(&|i| k.holds(i))));
        let mut rows: Vec<(FilterRow, usize)> = kinds.collect();
        let kind = self.list.filter.kind;
        for s in 0..self.proposal.header.steps.len() {
            if self.items.iter().any(|i| i.step == s) {
                rows.push((FilterRow::Step(s), count(&|i| i.step == s && kind.holds(i))));
            }
        }
        let now = FilterRow::Kind(kind);
        let cursor = rows.iter().position(|r| r.0 == now).unwrap_or(0);
        self.popup = Some(Popup::Filter { rows, cursor });
    }

    /// The user's own words for the edit under the cursor: in a line here, or in the editor.
    pub(crate) fn open_reword(&mut self, effects: &mut Vec<Effect>) {
        let Some(e) = self.current().and_then(|i| self.edit(i)) else {
            self.warn("only an edit can be put in your own words");
            return;
        };
        if let Some(why) = e.standing.barred().filter(|_| e.behind.is_none()) {
            let why = format!("it is held back: {why}");
            self.warn(why);
            return;
        }
        let draft = self.draft.as_ref().filter(|d| d.0 == e.id).map(|d| &d.1);
        let text = draft.unwrap_or(e.with_inner.as_ref().unwrap_or(&e.after)).clone();
        let (id, path) = (e.id, e.path.clone());
        match text.trim_end_matches('\n').contains('\n') {
            true => effects.push(Effect::Edit(id, text, path)),
            false => {
                let line = LineInput::new(&text);
                self.popup = Some(Popup::Reword { edit: id, line, refused: None });
            }
        }
    }

    /// What an apply would do.
    pub(crate) fn open_apply(&mut self, effects: &mut Vec<Effect>) {
        if self.work.computing || self.work.busy.is_some() {
            self.warn("the proposal is being computed: a moment");
            return;
        }
        let taken = || self.items.iter().filter(|i| i.state.taken());
        let edits = taken().filter_map(|i| self.edit(i));
        let edits = edits.filter(|e| !matches!(e.standing, Standing::Withheld(_)));
        let paths: BTreeSet<RelPath> = edits.map(|e| e.path.clone()).collect();
        if paths.is_empty() {
            self.warn("nothing is taken yet: there is nothing to write");
            return;
        }
        let waiting = self.items.iter().filter(|i| i.state.waits() && i.is_edit()).count();
        let plan = ApplyPlan { edits: taken().count(), files: paths.len(), waiting, dirty: None };
        self.popup = Some(Popup::Apply(plan));
        effects.push(Effect::Prepare(paths.into_iter().collect()));
    }

    /// A key while a window is open.
    pub(crate) fn popup_key(&mut self, key: Key, effects: &mut Vec<Effect>) {
        let Some(popup) = self.popup.take() else { return };
        let action = self.keys.action(key);
        match popup {
            Popup::Find { line } => self.find_key(key, line),
            Popup::Reword { edit, line, .. } => self.reword_key(key, (edit, line), effects),
            _ if action == Some(Action::Back) => {}
            Popup::More { scopes, cursor } => {
                let last = scopes.len().saturating_sub(1);
                let chosen = &scopes[cursor.min(last)];
                let verb = match action {
                    Some(Action::Take) => Some(Verb::Take),
                    Some(Action::Leave) => Some(Verb::Leave),
                    Some(Action::Reopen) => Some(Verb::Reopen),
                    Some(Action::Pick(n)) => self.label(&chosen.places, n).map(Verb::Pick),
                    _ => None,
                };
                if let Some(verb) = verb {
                    let chosen = chosen.clone();
                    return self.decide(&verb, (&chosen.places, chosen.terms), effects);
                }
                let cursor = moved(action, cursor, last);
                self.popup = Some(Popup::More { scopes, cursor });
            }
            Popup::Filter { rows, cursor } => {
                let last = rows.len().saturating_sub(1);
                if action == Some(Action::Open) {
                    return self.filter_by(rows[cursor.min(last)].0);
                }
                let cursor = moved(action, cursor, last);
                self.popup = Some(Popup::Filter { rows, cursor });
            }
            Popup::Apply(plan) => self.apply_key(action, plan, effects),
            Popup::Help { top } => match action {
                Some(Action::Help | Action::Open | Action::Quit) => {}
                _ => self.popup = Some(Popup::Help { top: scrolled(action, top) }),
            },
            Popup::Text { title, lines, top } => match action {
                Some(Action::Open | Action::Quit) => {}
                _ => {
                    let top = scrolled(action, top).min(lines.len().saturating_sub(1));
                    self.popup = Some(Popup::Text { title, lines, top });
                }
            },
        }
    }

    /// The label of an alternative of the first choice among places.
    fn label(&self, places: &[usize], n: u8) -> Option<String> {
        let edits = places.iter().filter_map(|i| self.edit(&self.items[*i]));
        let mut choices = edits.filter(|e| !e.options.is_empty());
        choices.next()?.options.get(usize::from(n).checked_sub(1)?).map(|o| o.label.clone())
    }

    pub(crate) fn filter_by(&mut self, row: FilterRow) {
        let filter = match row {
            FilterRow::Kind(kind) => Filter { kind, ..Filter::default() },
            FilterRow::Step(step) => Filter { step: Some(step), ..self.list.filter.clone() },
        };
        self.page = Page::List;
        self.list_with(filter);
    }

    fn find_key(&mut self, key: Key, mut line: LineInput) {
        match key.code {
            Code::Escape => {}
            Code::Enter => {
                let word = line.text.trim().to_lowercase();
                let filter = Filter { word, ..self.list.filter.clone() };
                self.page = if self.page == Page::Overview { Page::List } else { self.page };
                self.list_with(filter);
                if self.list.rows.is_empty() {
                    self.warn("nothing that is listed mentions that");
                }
            }
            _ => {
                line.key(key);
                self.popup = Some(Popup::Find { line });
            }
        }
    }

    fn reword_key(
        &mut self,
        key: Key,
        (edit, mut line): (Digest, LineInput),
        effects: &mut Vec<Effect>,
    ) {
        match key.code {
            Code::Escape => {}
            Code::Enter => self.reword(edit, line.text, effects),
            Code::Char('e') if key.control => {
                let path = self.proposal.edits().find(|e| e.id == edit).map(|e| e.path.clone());
                effects.extend(path.map(|path| Effect::Edit(edit, line.text, path)));
            }
            _ => {
                line.key(key);
                self.popup = Some(Popup::Reword { edit, line, refused: None });
            }
        }
    }

    /// Asks for a text to be taken.
    pub(crate) fn reword(&mut self, edit: Digest, text: String, effects: &mut Vec<Effect>) {
        if self.work.busy.is_some() {
            self.warn("a moment: something else is at work");
            return;
        }
        self.work.busy = Some("checking your text");
        effects.push(Effect::Reword(edit, text));
    }

    fn apply_key(&mut self, action: Option<Action>, plan: ApplyPlan, effects: &mut Vec<Effect>) {
        let with_uncommitted = match &plan.dirty {
            Some(Ok(dirty)) => !dirty.is_empty(),
            Some(Err(_)) => true,
            None => {
                self.popup = Some(Popup::Apply(plan));
                return;
            }
        };
        // What is the user's own is written over only by a key of its own.
        let key = if with_uncommitted { Action::Apply } else { Action::Open };
        if action == Some(key) {
            self.work.busy = Some("writing");
            effects.push(Effect::Apply { with_uncommitted });
        } else {
            self.popup = Some(Popup::Apply(plan));
        }
    }
}

/// Where a cursor is after a key.
pub(crate) fn moved(action: Option<Action>, cursor: usize, last: usize) -> usize {
    match action {
        Some(Action::Down) => (cursor + 1).min(last),
        Some(Action::Up) => cursor.saturating_sub(1),
        Some(Action::PageDown) => (cursor + 10).min(last),
        Some(Action::PageUp) => cursor.saturating_sub(10),
        Some(Action::First) => 0,
        Some(Action::Last) => last,
        _ => cursor,
    }
}

fn scrolled(action: Option<Action>, top: usize) -> usize {
    moved(action, top, usize::MAX / 2)
}
