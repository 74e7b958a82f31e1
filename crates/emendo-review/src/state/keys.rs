//! What keys do on a page.

use crate::input::Effect;
use crate::keys::{Action, Code, Key};
use crate::place::Sides;
use crate::reasons::{Jump, reasons};
use crate::state::decide::Verb;
use crate::state::filter::Filter;
use crate::state::items::State;
use crate::state::popups::moved;
use crate::state::rows::{Group, Row};
use crate::state::{LineInput, Model, OverviewRow, Page, Popup};

impl Model {
    pub(crate) fn key(&mut self, key: Key, effects: &mut Vec<Effect>) {
        self.message = None;
        if self.popup.is_some() {
            return self.popup_key(key, effects);
        }
        // As everywhere in a terminal.
        if key == (Key { code: Code::Char('c'), control: true }) {
            effects.push(Effect::Quit);
            return;
        }
        let Some(action) = self.keys.action(key) else {
            let help = self.keys.shown(Action::Help);
            self.warn(format!("{} does nothing here: {help} lists the keys", key.shown()));
            return;
        };
        match action {
            Action::Help => self.popup = Some(Popup::Help { top: 0 }),
            Action::Quit => effects.push(Effect::Quit),
            Action::Apply => self.open_apply(effects),
            Action::Undo => self.undo(effects),
            Action::Filter => self.open_filter(),
            Action::Find => {
                let line = LineInput::new(&self.list.filter.word);
                self.popup = Some(Popup::Find { line });
            }
            _ if self.page == Page::Overview => self.overview_key(action),
            _ if self.why.is_some() && self.why_key(action) => {}
            _ => self.list_key(action, effects),
        }
    }

    fn overview_key(&mut self, action: Action) {
        let last = self.overview.len().saturating_sub(1);
        match action {
            Action::Open | Action::Next => self.open_overview_row(),
            Action::Take | Action::Leave | Action::Later | Action::Reword | Action::More => {
                self.warn("here the whole is shown: Enter lists what is under the cursor");
            }
            _ => self.overview_cursor = moved(Some(action), self.overview_cursor, last),
        }
    }

    /// Lists what the overview's cursor is on.
    pub(crate) fn open_overview_row(&mut self) {
        let Some(row) = self.overview.get(self.overview_cursor) else { return };
        let filter = match row {
            OverviewRow::Kind(kind, _) => Filter { kind: *kind, ..Filter::default() },
            OverviewRow::Step(step) => {
                let filter = Filter { step: Some(*step), ..Filter::default() };
                let waits = self.items.iter().any(|i| i.step == *step && i.state.waits());
                let kind = if waits { filter.kind } else { crate::state::filter::Kind::All };
                Filter { kind, ..filter }
            }
        };
        self.page = Page::List;
        self.list_with(filter);
    }

    /// A key while the reasons have the keys; false if it is none of theirs.
    fn why_key(&mut self, action: Action) -> bool {
        let all = reasons(self);
        let cursor = self.why.unwrap_or(0);
        match action {
            Action::Back | Action::Why => {
                self.why = None;
                self.refocus();
            }
            Action::Up | Action::Down | Action::First | Action::Last => {
                self.why = Some(moved(Some(action), cursor, all.len().saturating_sub(1)));
            }
            Action::Open => match all.get(cursor).and_then(|r| r.jump) {
                Some(jump) => self.jump(jump),
                None => self.warn("this line names no place to go to"),
            },
            _ => return false,
        }
        true
    }

    /// Goes to a place that a reason names; back comes here again.
    fn jump(&mut self, jump: Jump) {
        let Some(id) = self.current().map(|i| i.id) else { return };
        self.trail.push((id, self.code.line));
        match jump {
            Jump::Line(line) => self.code.line = Some(line),
            Jump::Place(other) => {
                self.go_to(other);
                self.code.line = None;
            }
        }
        self.why = None;
        let back = self.keys.shown(Action::Back);
        self.say(format!("{back} goes back"));
    }

    fn list_key(&mut self, action: Action, effects: &mut Vec<Effect>) {
        let height = i32::from(self.areas().code.height.saturating_sub(2).max(1));
        match action {
            Action::Take => self.decide_here(&Verb::Take, effects),
            Action::Leave => self.decide_here(&Verb::Leave, effects),
            Action::Reopen => self.decide_here(&Verb::Reopen, effects),
            Action::Pick(n) => self.pick_here(n, effects),
            Action::Later | Action::Next => self.next(true),
            Action::Previous => self.next(false),
            Action::Reword => self.open_reword(effects),
            Action::More => self.open_more(),
            Action::Why => {
                let first = reasons(self).iter().position(|r| r.jump.is_some());
                self.why = Some(first.unwrap_or(0));
                self.refocus();
            }
            Action::Back => self.back(),
            Action::Open => self.open_row(),
            Action::Group => {
                self.list.group = match self.list.group {
                    Group::Step => Group::File,
                    Group::File => Group::Step,
                };
                self.list.folded.clear();
                let keep = self.current().map(|i| i.id);
                self.relist(keep);
            }
            Action::View => self.next_view(),
            Action::Unfold | Action::Fold => self.fold(action == Action::Unfold),
            Action::PageDown => self.scroll(height),
            Action::PageUp => self.scroll(-height),
            Action::Right => self.code.left += 8,
            Action::Left => self.code.left = self.code.left.saturating_sub(8),
            Action::Down if self.page == Page::Read => self.scroll(1),
            Action::Up if self.page == Page::Read => self.scroll(-1),
            _ => {
                let last = self.list.rows.len().saturating_sub(1);
                self.move_to(moved(Some(action), self.list.cursor, last));
            }
        }
    }

    fn decide_here(&mut self, verb: &Verb, effects: &mut Vec<Effect>) {
        let Some(at) = self.current_index() else {
            if self.list.rows.is_empty() {
                self.warn("nothing is listed here");
            } else {
                self.open_more();
            }
            return;
        };
        let each = emendo_core::Terms { each: true, unsure: true, caution: true };
        self.decide(verb, (&[at], each), effects);
    }

    fn pick_here(&mut self, n: u8, effects: &mut Vec<Effect>) {
        let Some(e) = self.current().and_then(|i| self.edit(i)) else { return };
        let label = e.options.get(usize::from(n).saturating_sub(1)).map(|o| o.label.clone());
        match (label, e.options.len()) {
            (Some(label), _) => self.decide_here(&Verb::Pick(label), effects),
            (None, 0) => self.warn("this is not a choice"),
            (None, most) => self.warn(format!("it has {most} alternatives")),
        }
    }

    /// On to an open place, forwards or backwards.
    fn next(&mut self, forward: bool) {
        if !self.go_to_open(forward) {
            let (_, taken, ..) = self.tally();
            let apply = self.keys.shown(Action::Apply);
            let back = self.keys.shown(Action::Back);
            self.say(match taken {
                0 => format!("nothing waits in this list; {back} goes back"),
                n => format!("nothing waits in this list; {apply} writes the {n} that are taken"),
            });
        }
    }

    fn back(&mut self) {
        if let Some((id, line)) = self.trail.pop() {
            self.go_to(id);
            self.code.line = line;
            return;
        }
        match self.page {
            _ if self.code.line.take().is_some() => {}
            Page::Read => self.page = Page::List,
            Page::List if !self.list.filter.word.is_empty() => {
                let filter = Filter { word: String::new(), ..self.list.filter.clone() };
                self.list_with(filter);
            }
            Page::List | Page::Overview => self.page = Page::Overview,
        }
        self.refocus();
    }

    pub(crate) fn open_row(&mut self) {
        match self.list.rows.get(self.list.cursor) {
            Some(Row::Place { .. }) => {
                self.page = if self.page == Page::Read { Page::List } else { Page::Read };
                self.refocus();
            }
            Some(Row::Head { heading, .. }) => {
                let heading = heading.clone();
                if !self.list.folded.remove(&heading) {
                    self.list.folded.insert(heading.clone());
                }
                self.relist(None);
                let is = |r: &Row| matches!(r, Row::Head { heading: h, .. } if *h == heading);
                if let Some(row) = self.list.rows.iter().position(is) {
                    self.list.cursor = row;
                }
            }
            None => {}
        }
    }

    fn next_view(&mut self) {
        let beside = self.sides() == Sides::Beside;
        self.code.sides = match self.sides() {
            Sides::Beside => Some(Sides::Below),
            Sides::Below => Some(Sides::After),
            Sides::After => Some(Sides::Before),
            Sides::Before => Some(Sides::Beside),
        };
        // In a narrow window both sides do not fit beside one another.
        if !beside && self.code.sides == Some(Sides::Beside) && self.areas().code.width < 60 {
            self.code.sides = Some(Sides::Below);
        }
        self.say(match self.sides() {
            Sides::Beside => "old and new side by side",
            Sides::Below => "old lines above new ones",
            Sides::After => "the file as it will be",
            Sides::Before => "the file as it is",
        });
    }

    /// More or fewer unchanged lines.
    fn fold(&mut self, more: bool) {
        const LEVELS: [u32; 4] = [3, 10, 40, u32::MAX / 4];
        let at = LEVELS.iter().position(|l| *l >= self.code.context).unwrap_or(0);
        let to = if more { (at + 1).min(LEVELS.len() - 1) } else { at.saturating_sub(1) };
        self.code.context = LEVELS[to];
    }

    /// The state of the place under the cursor, for which keys hold.
    pub(crate) fn standing_here(&self) -> Option<State> {
        self.current().map(|i| i.state)
    }
}
