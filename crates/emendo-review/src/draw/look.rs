//! Styles by what they say. Colours are those of the terminal, so that light and dark ones both can be read; without colours the
//! rest still tells everything apart.

use ratatui::style::{Color, Modifier, Style};

use crate::place::Class;
use crate::state::items::State;

/// How the screen looks.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Look {
    /// Colours may be used.
    pub colour: bool,
}

impl Look {
    fn with(self, color: Color) -> Style {
        if self.colour { Style::new().fg(color) } else { Style::new() }
    }

    /// The first line.
    pub(crate) fn bar(self) -> Style {
        Style::new().add_modifier(Modifier::REVERSED)
    }

    /// What the cursor is on: all of it in one manner.
    pub(crate) fn cursor(self) -> Style {
        Style::reset().add_modifier(Modifier::REVERSED)
    }

    pub(crate) fn title(self) -> Style {
        Style::new().add_modifier(Modifier::BOLD)
    }

    pub(crate) fn strong(self) -> Style {
        Style::new().add_modifier(Modifier::BOLD)
    }

    pub(crate) fn quiet(self) -> Style {
        Style::new().add_modifier(Modifier::DIM)
    }

    pub(crate) fn key(self) -> Style {
        Style::new().add_modifier(Modifier::BOLD | Modifier::UNDERLINED)
    }

    pub(crate) fn warns(self) -> Style {
        self.with(Color::Magenta).add_modifier(Modifier::BOLD)
    }

    pub(crate) fn link(self) -> Style {
        self.with(Color::LightBlue)
    }

    pub(crate) fn gone(self) -> Style {
        self.with(Color::Red)
    }

    pub(crate) fn come(self) -> Style {
        self.with(Color::Green)
    }

    /// What an edit changed in a line; more so if it is the one that is looked at.
    pub(crate) fn mark(self, new: bool, mine: bool) -> Style {
        let style = if new { self.come() } else { self.gone() };
        let style = style.add_modifier(Modifier::BOLD);
        match mine {
            true => style.add_modifier(Modifier::REVERSED),
            false => style.add_modifier(Modifier::UNDERLINED),
        }
    }

    /// The word for how a place stands.
    pub(crate) fn standing(self, state: State) -> Style {
        match state {
            s if s.taken() => self.come(),
            s if s.on_purpose() => self.quiet(),
            State::Choose | State::Again => self.warns(),
            State::Held => self.gone(),
            _ => self.strong(),
        }
    }

    pub(crate) fn class(self, class: Class) -> Style {
        match class {
            Class::Comment => Style::new().add_modifier(Modifier::DIM | Modifier::ITALIC),
            Class::Text => self.with(Color::Magenta),
            Class::Number => self.with(Color::Magenta),
            Class::Keyword | Class::Key => self.with(Color::LightBlue),
        }
    }
}
