//! Names that a pattern binds.

use emendo_text::Span;

use crate::markup::layers::layer::KnownName;

/// What a pattern binds, and the values that names have where nothing is given.
pub(super) struct Bound {
    pub(super) names: Vec<KnownName>,
    pub(super) values: Vec<Span>,
}

/// Reads a pattern: `x`, `(x, i)`, `{ a, b: c = 1 }`, `[k, ...rest]`.
pub(super) fn bound(text: &str, at: Span, within: Span) -> Bound {
    let source = at.of(text);
    let part = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
    let mut out = Bound { names: Vec::new(), values: Vec::new() };
    let place = |i: usize| at.start as usize + i;
    // How deep a value stands, and where it begins.
    let (mut depth, mut value): (i32, Option<(i32, usize)>) = (0, None);
    let mut from = 0;
    while let Some(c) = source[from..].chars().next() {
        match c {
            c if part(c) => {
                let len = source[from..].find(|c| !part(c)).unwrap_or(source.len() - from);
                let rest = source[from + len..].trim_start();
                let key = rest.starts_with(':');
                if value.is_none() && !key && !c.is_ascii_digit() {
                    let at = Span::new(place(from), place(from + len));
                    out.names.push(KnownName { name: at.of(text).to_owned(), at, within });
                }
                from += len;
                continue;
            }
            '=' if value.is_none() => value = Some((depth, from + 1)),
            '(' | '[' | '{' => depth += 1,
            ')' | ']' | '}' => {
                depth -= 1;
                if let Some((_, start)) = value.take_if(|v| v.0 > depth) {
                    out.values.push(Span::new(place(start), place(from)));
                }
            }
            ',' => {
                if let Some((_, start)) = value.take_if(|v| v.0 == depth) {
                    out.values.push(Span::new(place(start), place(from)));
                }
            }
            _ => {}
        }
        from += c.len_utf8();
    }
    out.values.extend(value.map(|(_, start)| Span::new(place(start), place(source.len()))));
    out
}
