//! Text in the cells of a screen: wide and combining characters, tabs, what must be made visible, lines of any length.

use ratatui::buffer::Buffer;
use ratatui::style::Style;
use unicode_segmentation::UnicodeSegmentation;
use unicode_width::UnicodeWidthStr;

/// Columns from one stop of a tab to the next.
const TAB: usize = 4;

/// A part of the screen's line: column, line, columns.
pub(crate) type Cells = (u16, u16, u16);

/// How many columns a text takes, tabs and hidden characters as they are shown.
pub(crate) fn width(text: &str) -> usize {
    if is_plain(text) {
        return text.len();
    }
    text.graphemes(true).fold(0, |column, g| column + width_at(g, column))
}

/// Every byte is a column.
fn is_plain(text: &str) -> bool {
    text.bytes().all(|b| (0x20..0x7f).contains(&b))
}

fn width_at(g: &str, column: usize) -> usize {
    match g {
        "\t" => TAB - column % TAB,
        g if g.chars().any(emendo_text::is_hidden) => emendo_text::visible(g).width(),
        g => g.width(),
    }
}

/// Puts a line of code on the screen from a column of it on; `style` says how each byte looks. What is cut off has a sign at that edge.
pub(crate) fn code(
    buf: &mut Buffer,
    (x, y, w): Cells,
    text: &str,
    skip: usize,
    style: &dyn Fn(usize) -> Style,
) {
    let w = usize::from(w);
    if w == 0 {
        return;
    }
    let mut put = |column: usize, symbol: &str, style: Style| {
        let at = x + u16::try_from(column).unwrap_or(u16::MAX);
        if let Some(cell) = buf.cell_mut((at, y)) {
            cell.set_symbol(symbol).set_style(style);
        }
    };
    let plain = is_plain(text);
    // Where every byte is a column, what is scrolled away need not be walked.
    let (mut at, mut column) =
        if plain { (skip.min(text.len()), skip.min(text.len())) } else { (0, 0) };
    let mut more = false;
    for g in text[at..].graphemes(true) {
        let wide = width_at(g, column);
        let here = style(at);
        at += g.len();
        let from = column;
        column += wide;
        if column <= skip {
            continue;
        }
        if from >= skip + w || column > skip + w {
            more = true;
            break;
        }
        let shown = match g {
            "\t" => " ".repeat(wide),
            g if g.chars().any(emendo_text::is_hidden) => emendo_text::visible(g).into_owned(),
            g => g.to_owned(),
        };
        if shown.len() == g.len() && g != "\t" {
            // A wide character that is cut at the left edge leaves blanks.
            match from >= skip {
                true => {
                    put(from - skip, g, here);
                    (1..wide).for_each(|i| put(from - skip + i, "", here));
                }
                false => (skip..column).for_each(|c| put(c - skip, " ", here)),
            }
            continue;
        }
        for (i, c) in shown.chars().enumerate() {
            if from + i >= skip && from + i < skip + w {
                put(from + i - skip, c.encode_utf8(&mut [0; 4]), here);
            }
        }
    }
    let sign = style(usize::MAX);
    if more {
        put(w - 1, "\u{2026}", sign);
    }
    if skip > 0 && !text.is_empty() {
        put(0, "\u{2026}", sign);
    }
}

/// A text cut to a width, with a sign where it was.
pub(crate) fn fit(text: &str, width: usize) -> String {
    if self::width(text) <= width {
        return text.to_owned();
    }
    let mut out = String::new();
    let mut column = 0;
    for g in text.graphemes(true) {
        let wide = width_at(g, column);
        if column + wide + 1 > width {
            break;
        }
        out.push_str(g);
        column += wide;
    }
    if width > 0 {
        out.push('\u{2026}');
    }
    out
}

/// The same, cut at the front: what stands last says most in a path.
pub(crate) fn fit_end(text: &str, width: usize) -> String {
    if self::width(text) <= width {
        return text.to_owned();
    }
    let mut kept: Vec<&str> = Vec::new();
    let mut column = 1;
    for g in text.graphemes(true).rev() {
        let wide = width_at(g, 0);
        if column + wide > width {
            break;
        }
        kept.push(g);
        column += wide;
    }
    kept.reverse();
    if width > 0 { format!("\u{2026}{}", kept.concat()) } else { String::new() }
}

/// A text in lines of at most this width, broken between words where that can be.
pub(crate) fn wrap(text: &str, width: usize) -> Vec<String> {
    let width = width.max(1);
    let mut out = vec![String::new()];
    let mut column = 0;
    for word in text.split_inclusive(' ') {
        let bare = self::width(word.trim_end());
        if column > 0 && column + bare > width {
            out.push(String::new());
            column = 0;
        }
        if bare <= width {
            if let Some(last) = out.last_mut() {
                last.push_str(word);
            }
            column += self::width(word);
            continue;
        }
        for g in word.graphemes(true) {
            let wide = width_at(g, column);
            if column + wide > width {
                out.push(String::new());
                column = 0;
            }
            if let Some(last) = out.last_mut() {
                last.push_str(g);
            }
            column += wide;
        }
    }
    out.iter_mut().for_each(|l| l.truncate(l.trim_end().len()));
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use ratatui::layout::Rect;

    fn shown(text: &str, skip: usize, w: u16) -> String {
        let mut buf = Buffer::empty(Rect::new(0, 0, w, 1));
        code(&mut buf, (0, 0, w), text, skip, &|_| Style::new());
        (0..w).map(|x| buf[(x, 0)].symbol().to_owned()).collect()
    }

    #[test]
    fn what_is_wide_combined_hidden_or_cut() {
        assert_eq!(shown("a\tb", 0, 8), "a   b   ");
        assert_eq!(shown("\u{6f6e}\u{6c50}x", 0, 6), "\u{6f6e}\u{6c50}x ");
        assert_eq!(shown("e\u{301}!", 0, 4), "e\u{301}!  ");
        assert_eq!(shown("a\u{1b}b", 0, 10), "a\\u{1b}b  ");
        assert_eq!(shown("0123456789", 0, 5), "0123\u{2026}");
        assert_eq!(shown("0123456789", 4, 5), "\u{2026}567\u{2026}");
        assert_eq!(shown("\u{6f6e}\u{6c50}x", 1, 5), "\u{2026}\u{6c50}x ");
        assert_eq!(width("a\t\u{6c50}\u{202e}"), 4 + 2 + 8);
    }

    #[test]
    fn texts_are_cut_and_wrapped_by_columns() {
        assert_eq!(fit("abcdef", 4), "abc\u{2026}");
        assert_eq!(fit_end("a/b/cde.java", 8), "\u{2026}de.java");
        assert_eq!(wrap("one two three", 7), ["one two", "three"]);
        assert_eq!(wrap("abcdefgh", 3), ["abc", "def", "gh"]);
        assert_eq!(wrap("", 3), [""]);
    }
}
