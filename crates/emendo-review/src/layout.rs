//! How the screen is divided, from its size alone.

use ratatui::layout::Rect;

/// Which page is there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Page {
    /// How big, how sure, what waits.
    Overview,
    /// The list, with the place under the cursor.
    List,
    /// The place alone: keys scroll it.
    Read,
}

/// Columns from which the list stands beside the code.
const BESIDE: u16 = 110;

/// Columns of a line's number and its sign.
pub(crate) const GUTTER: u16 = 8;

/// The parts of the screen.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Areas {
    /// The first line: what is listed, and how it stands.
    pub(crate) head: Rect,
    /// The list, or the overview.
    pub(crate) list: Rect,
    /// The line above the code: which place it is.
    pub(crate) title: Rect,
    pub(crate) code: Rect,
    /// The reasons, with a line above them.
    pub(crate) why: Rect,
    /// What was done last.
    pub(crate) message: Rect,
    /// The keys that hold.
    pub(crate) keys: Rect,
}

impl Areas {
    /// The parts of a screen of this size.
    pub(crate) fn of((width, height): (u16, u16), page: Page, why: bool) -> Self {
        let body = Rect::new(0, 1, width, height.saturating_sub(3));
        let head = Rect::new(0, 0, width, height.min(1));
        let message = Rect::new(0, height.saturating_sub(2), width, height.min(1));
        let keys = Rect::new(0, height.saturating_sub(1), width, height.min(1));
        let none = Rect::new(0, 0, 0, 0);
        let all = |list, title, code, why| Self { head, list, title, code, why, message, keys };
        if page == Page::Overview {
            return all(body, none, none, none);
        }
        let (list, place) = match page {
            Page::Read => (none, body),
            _ if width >= BESIDE => {
                let w = (width * 3 / 10).clamp(34, 56);
                let rest = Rect::new(w + 1, 1, width - w - 1, body.height);
                (Rect::new(0, 1, w, body.height), rest)
            }
            _ => {
                let h = (body.height / 4).clamp(3, 9).min(body.height);
                let rest = Rect::new(0, 1 + h, width, body.height - h);
                (Rect::new(0, 1, width, h), rest)
            }
        };
        let part = if why { place.height * 3 / 5 } else { (place.height / 3).clamp(4, 10) };
        let part = part.min(place.height.saturating_sub(4));
        let title = Rect { height: place.height.min(1), ..place };
        let code_height = place.height.saturating_sub(1 + part);
        let code = Rect::new(place.x, place.y + title.height, place.width, code_height);
        let reasons = Rect::new(place.x, code.y + code.height, place.width, part);
        all(list, title, code, reasons)
    }
}
