//! The code of the place under the cursor: made when something about it changes, scrolled so that the place is seen.

use std::sync::Arc;

use emendo_core::Status;
use emendo_text::RelPath;

use crate::input::Effect;
use crate::layout::GUTTER;
use crate::place::{CodeRow, FileText, Window, rows};
use crate::state::items::At;
use crate::state::{CodeKey, HELD, Model};

impl Model {
    /// Takes the bytes of a file.
    pub(crate) fn file(&mut self, path: RelPath, bytes: Option<&[u8]>) {
        let record = self.proposal.files.iter().find(|f| f.path == path);
        let text = FileText::new(&self.world, &path, record, bytes);
        if self.read.len() >= HELD
            && let Some(old) = self.read.pop_front()
        {
            self.texts.remove(&old);
        }
        self.read.push_back(path.clone());
        self.texts.insert(path, Some(Arc::new(text)));
    }

    /// Lets go of all texts: the proposal is another one.
    pub(crate) fn forget_texts(&mut self) {
        self.texts.clear();
        self.read.clear();
        self.turn += 1;
    }

    /// Makes the rows of the place under the cursor if they are not there yet, and asks for its file.
    pub(crate) fn look(&mut self, effects: &mut Vec<Effect>) {
        let Some(item) = self.current().cloned() else {
            self.code.rows.clear();
            self.code.made_of = None;
            return;
        };
        if let Some(path) = self.path(&item).cloned()
            && !self.texts.contains_key(&path)
        {
            self.texts.insert(path.clone(), None);
            effects.push(Effect::Read(path));
        }
        let picked = self.edit(&item).and_then(|e| match self.decisions.status(e) {
            Status::Accepted(label) => label,
            _ => None,
        });
        let key = CodeKey {
            at: item.at,
            sides: self.sides(),
            context: self.code.context,
            line: self.code.line,
            picked,
            loaded: self.text(&item).is_some(),
            turn: self.turn,
            area: self.areas().code,
        };
        if self.code.made_of.as_ref() == Some(&key) {
            return;
        }
        let edit = match item.at {
            At::Edit(_, e) => Some(e),
            _ => None,
        };
        let line = self.code.line.or((edit.is_none() && item.line > 0).then_some(item.line));
        let (made, place) = match self.text(&item) {
            Some(text) => {
                let record = item.file.and_then(|f| self.proposal.files.get(f));
                let window = Window {
                    sides: key.sides,
                    context: key.context,
                    edit: edit.filter(|_| self.code.line.is_none()),
                    line,
                    picked: key.picked.as_deref(),
                    width: usize::from(key.area.width),
                };
                rows(record, text, &window)
            }
            None => (Vec::new(), (0, 1)),
        };
        self.code.rows = made;
        self.code.place = place;
        self.code.made_of = Some(key);
        self.show_place();
    }

    /// Scrolls so that the place is seen: near the top third, and its first change within the width.
    fn show_place(&mut self) {
        let areas = self.areas();
        let height = usize::from(areas.code.height);
        let (from, to) = self.code.place;
        let above = (height.saturating_sub(to - from) / 3).min(height / 3);
        self.code.top = from.saturating_sub(above);
        self.clamp();
        self.code.left = 0;
        let width = usize::from(areas.code.width) / self.columns();
        let room = width.saturating_sub(usize::from(GUTTER) + 2);
        // No further than it must, for what stands before it tells what it is; its beginning is seen rather than its end.
        let left = |(from, to): (usize, usize)| to.saturating_sub(room).min(from.saturating_sub(4));
        self.code.left = self.change().map_or(0, left);
    }

    /// How many texts stand side by side.
    fn columns(&self) -> usize {
        if self.sides() == crate::place::Sides::Beside { 2 } else { 1 }
    }

    /// The columns of what the place changes.
    fn change(&self) -> Option<(usize, usize)> {
        let item = self.current()?;
        let text = self.text(item)?;
        let At::Edit(_, e) = item.at else { return None };
        let (from, to) = self.code.place;
        let mine = self.code.rows.get(from..to)?.iter();
        let lines = mine.flat_map(|r| match r {
            CodeRow::Line { old, new, mine: true, .. } => [(*old, false), (*new, true)],
            _ => [(None, false), (None, true)],
        });
        let columns = lines.filter_map(|(line, new)| {
            let line = line?;
            let own = || text.marks(new, line).iter().filter(|m| m.by as usize == e);
            let (from, to) = (own().map(|m| m.from).min()?, own().map(|m| m.to).max()?);
            let column = |at: u32| {
                let before = text.side(new).line(line).get(..at as usize)?;
                Some(crate::cells::width(before))
            };
            Some((column(from)?, column(to)?))
        });
        columns.reduce(|a, b| (a.0.min(b.0), a.1.max(b.1)))
    }

    /// Scrolls the code by lines.
    pub(crate) fn scroll(&mut self, lines: i32) {
        let to = i64::try_from(self.code.top).unwrap_or(0) + i64::from(lines);
        self.code.top = usize::try_from(to.max(0)).unwrap_or(0);
        self.clamp();
    }

    pub(crate) fn clamp(&mut self) {
        let height = usize::from(self.areas().code.height);
        self.code.top = self.code.top.min(self.code.rows.len().saturating_sub(height));
    }
}
