//! Text inside tokens: contents of literals, compared whatever their quotes, and slots within them.

use emendo_text::{Repeat, Span};

use crate::compare::Matcher;
use crate::model::{LiteralText, TextPiece};
use crate::quotes::{plain, quoted};

impl LiteralText {
    /// True if both would match the same.
    pub(crate) fn same(&self, other: &Self) -> bool {
        let piece = |a: &TextPiece, b: &TextPiece| match (a, b) {
            (TextPiece::Part(a, _), TextPiece::Part(b, _)) => a == b,
            (TextPiece::Slot(a, _), TextPiece::Slot(b, _)) => a == b,
            _ => false,
        };
        self.quotes.as_ref().map(|q| &q.0) == other.quotes.as_ref().map(|q| &q.0)
            && self.pieces.len() == other.pieces.len()
            && self.pieces.iter().zip(&other.pieces).all(|(a, b)| piece(a, b))
    }
}

impl<'t> Matcher<'_, 't> {
    /// A literal of the same contents.
    pub(super) fn literal(&mut self, prefix: &str, content: &str, token: usize, at: Span) -> bool {
        let text = at.of(self.text);
        let same = match quoted(text) {
            Some(q) => q.prefix == prefix && plain(&text[q.open..text.len() - q.close]) == content,
            None => text == content,
        };
        if same {
            self.state.tokens[token] = Some(at);
        }
        same
    }

    /// A token is what stands inside the quotes of a literal.
    pub(super) fn inside_quotes(&mut self, token: usize, content: &str, at: Span) -> bool {
        let found = at.of(self.text).find(content);
        if let Some(from) = found {
            let start = at.start as usize + from;
            self.state.tokens[token] = Some(Span::new(start, start + content.len()));
        }
        found.is_some()
    }

    /// Text whose parts stand in order, with the slots between them.
    pub(super) fn pieces(&mut self, text: &LiteralText, at: Span) -> bool {
        let mut inner = at;
        if let Some((prefix, open, close)) = &text.quotes {
            let Some(q) = quoted(at.of(self.text)).filter(|q| q.prefix == *prefix) else {
                return false;
            };
            inner = Span::new(at.start as usize + q.open, at.end as usize - q.close);
            self.state.tokens[*open] = Some(Span { start: at.start, end: inner.start });
            self.state.tokens[*close] = Some(Span { start: inner.end, end: at.end });
        }
        let mut from = inner.start;
        for (i, piece) in text.pieces.iter().enumerate() {
            let rest = Span { start: from, end: inner.end }.of(self.text);
            match piece {
                TextPiece::Part(part, token) => {
                    let last = i + 1 == text.pieces.len();
                    if !rest.starts_with(part.as_str()) || (last && rest.len() != part.len()) {
                        return false;
                    }
                    let end = from + part.len() as u32;
                    self.state.tokens[*token] = Some(Span { start: from, end });
                    from = end;
                }
                TextPiece::Slot(ix, token) => {
                    let Some(len) = reach(rest, &text.pieces[i + 1..]) else { return false };
                    let repeat = self.pattern.slots[*ix].repeat;
                    let needed =
                        repeat == Repeat::Some || (repeat == Repeat::One && text.pieces.len() > 1);
                    let end = from + len as u32;
                    if (needed && len == 0)
                        || !self.bind_text(*ix, *token, Span { start: from, end })
                    {
                        return false;
                    }
                    from = end;
                }
            }
        }
        from == inner.end
    }
}

/// How much of `rest` a slot takes that is followed by these pieces.
fn reach(rest: &str, behind: &[TextPiece]) -> Option<usize> {
    match behind {
        [] => Some(rest.len()),
        [TextPiece::Part(part, _)] => rest.strip_suffix(part.as_str()).map(str::len),
        [TextPiece::Part(part, _), ..] => rest.find(part.as_str()),
        [TextPiece::Slot(..), ..] => Some(0),
    }
}

#[cfg(test)]
mod tests {
    use super::quoted;

    #[test]
    fn literals_of_every_language_come_apart() {
        let content = |t: &str| {
            let q = quoted(t)?;
            Some((q.prefix.clone(), t[q.open..t.len() - q.close].to_owned()))
        };
        let want = |p: &str, c: &str| Some((p.to_owned(), c.to_owned()));
        assert_eq!(content("\"a\""), want("", "a"));
        assert_eq!(content("''"), want("", ""));
        assert_eq!(content("R'''a'b'''"), want("r", "a'b"));
        assert_eq!(content("\"\"\"\"\"\""), want("", ""));
        assert_eq!(content("br#\"a\"b\"#"), want("br", "a\"b"));
        assert_eq!(content("@\"a\""), want("@", "a"));
    }
}
