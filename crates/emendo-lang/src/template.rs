//! Text with slots, cut into chunks; it knows no language.

use emendo_text::Span;

/// How much a slot takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Repeat {
    /// One node.
    One,
    /// Present or not.
    Optional,
    /// Any number in a list.
    Any,
    /// At least one in a list.
    Some,
}

/// A piece of a template.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Chunk {
    /// Plain text, escapes undone.
    Text {
        /// Where it stands in the source.
        at: Span,
        /// The text.
        text: String,
    },
    /// A slot.
    Slot {
        /// Where it stands in the source, `@{` and `}` included.
        at: Span,
        /// Its name; `_` for an unnamed one.
        name: String,
        /// How much it takes.
        repeat: Repeat,
    },
}

/// A source with slots.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Template {
    /// The chunks in order.
    pub chunks: Vec<Chunk>,
}

/// What is wrong with a slot.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TemplateError {
    /// Where.
    pub at: Span,
    /// What.
    pub message: String,
    /// The way out.
    pub help: String,
}

const RESERVED: &[&str] = &["here", "it", "key", "input"];

impl Template {
    /// Cuts a source into chunks. `\@{` is a literal `@{`.
    ///
    /// # Errors
    /// For a slot that does not end, has no proper name, or a name that is reserved.
    pub fn parse(source: &str) -> Result<Self, TemplateError> {
        let mut chunks = Vec::new();
        let mut text = String::new();
        let mut text_start = 0;
        let mut i = 0;
        while let Some(found) = source[i..].find("@{") {
            let at = i + found;
            if source[..at].ends_with('\\') {
                text.push_str(&source[i..at - 1]);
                text.push_str("@{");
                i = at + 2;
                continue;
            }
            text.push_str(&source[i..at]);
            if !text.is_empty() {
                chunks.push(Chunk::Text {
                    at: Span::new(text_start, at),
                    text: std::mem::take(&mut text),
                });
            }
            let (chunk, end) = slot(source, at)?;
            chunks.push(chunk);
            i = end;
            text_start = end;
        }
        text.push_str(&source[i..]);
        if !text.is_empty() {
            chunks.push(Chunk::Text { at: Span::new(text_start, source.len()), text });
        }
        Ok(Self { chunks })
    }

    /// The slots: name, place, repeat.
    pub fn slots(&self) -> impl Iterator<Item = (&str, Span, Repeat)> {
        self.chunks.iter().filter_map(|c| match c {
            Chunk::Slot { at, name, repeat } => Some((name.as_str(), *at, *repeat)),
            Chunk::Text { .. } => None,
        })
    }
}

fn slot(source: &str, at: usize) -> Result<(Chunk, usize), TemplateError> {
    let fail = |span: Span, message: String, help: &str| TemplateError {
        at: span,
        message,
        help: help.to_owned(),
    };
    let Some(len) = source[at..].find('}') else {
        let span = Span::new(at, (at + 2).min(source.len()));
        return Err(fail(
            span,
            "this slot has no closing brace".into(),
            "write `@{name}`; a literal `@{` is written `\\@{`",
        ));
    };
    let end = at + len + 1;
    let span = Span::new(at, end);
    let inner = &source[at + 2..end - 1];
    let (name, repeat) = match inner.as_bytes().last() {
        Some(b'*') => (&inner[..inner.len() - 1], Repeat::Any),
        Some(b'+') => (&inner[..inner.len() - 1], Repeat::Some),
        Some(b'?') => (&inner[..inner.len() - 1], Repeat::Optional),
        _ => (inner, Repeat::One),
    };
    if inner.contains('|') {
        let help = "leave the filter out and write the slot as it is";
        return Err(fail(span, format!("filters are not built yet: `{inner}`"), help));
    }
    let plain = !name.is_empty()
        && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
        && !name.starts_with(|c: char| c.is_ascii_digit());
    if !plain {
        let help = "a slot is `@{name}`, `@{name*}`, `@{name+}` or `@{name?}`; a literal `@{` is written `\\@{`";
        return Err(fail(span, format!("`{inner}` is no slot name"), help));
    }
    if RESERVED.contains(&name) {
        return Err(fail(
            span,
            format!("`{name}` is a reserved word"),
            "give the slot another name",
        ));
    }
    Ok((Chunk::Slot { at: span, name: name.to_owned(), repeat }, end))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn slots_of_every_kind_and_the_escape() {
        let t = Template::parse(r"f(@{a}, @{b*}, \@{c}, @{_?})").expect("parses");
        let slots: Vec<_> = t.slots().map(|(n, _, r)| (n.to_owned(), r)).collect();
        let want = [("a", Repeat::One), ("b", Repeat::Any), ("_", Repeat::Optional)];
        assert_eq!(slots, want.map(|(n, r)| (n.to_owned(), r)));
        assert!(
            t.chunks.iter().any(|c| matches!(c, Chunk::Text { text, .. } if text.contains("@{c}")))
        );
    }

    #[test]
    fn a_bad_slot_says_where() {
        let e = Template::parse("f(@{a b})").expect_err("no name");
        assert_eq!((e.at.start, e.at.end), (2, 8));
        assert!(Template::parse("f(@{a").is_err());
        assert!(Template::parse("@{here}").is_err());
    }
}
