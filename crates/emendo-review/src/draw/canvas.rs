//! What the parts of the screen are drawn with.

use ratatui::buffer::Buffer;
use ratatui::layout::Rect;
use ratatui::style::Style;

use crate::cells::fit;
use crate::draw::look::Look;
use crate::input::Hit;

/// What is drawn into, and what can be clicked on.
pub(crate) struct Canvas<'b> {
    pub(crate) buf: &'b mut Buffer,
    pub(crate) look: Look,
    pub(crate) hits: Vec<(Rect, Hit)>,
}

impl Canvas<'_> {
    /// Puts a text, cut to its room; gives the column behind it.
    pub(crate) fn put(&mut self, x: u16, y: u16, room: u16, text: &str, style: Style) -> u16 {
        if room == 0 || y >= self.buf.area.height || x >= self.buf.area.width {
            return x;
        }
        let text = fit(text, usize::from(room));
        self.buf.set_stringn(x, y, text, usize::from(room), style).0
    }

    /// Fills a line with a style.
    pub(crate) fn line(&mut self, at: Rect, style: Style) {
        self.buf.set_style(at, style);
    }

    /// A line from edge to edge with words in it.
    pub(crate) fn rule(&mut self, at: Rect, words: &str) {
        let style = self.look.quiet();
        let dashes = "\u{2500}".repeat(usize::from(at.width));
        self.put(at.x, at.y, at.width, &dashes, style);
        if !words.is_empty() {
            let words = format!(" {words} ");
            self.put(at.x + 1, at.y, at.width.saturating_sub(2), &words, self.look.title());
        }
    }
}
