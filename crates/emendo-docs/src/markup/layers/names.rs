//! Names that a pattern binds.

use emendo_text::Span;

use crate::markup::layers::KnownName;

/// The names that a pattern binds: `x`, `(x, i)`, `{ a, b: c = 1 }`, `[k, ...rest]`.
pub(super) fn bound(text: &str, at: Span, within: Span) -> Vec<KnownName> {
    let source = at.of(text);
    let part = |c: char| c.is_alphanumeric() || c == '_' || c == '$';
    let mut out = Vec::new();
    // How deep a value stands that a name has where nothing is given.
    let (mut depth, mut value) = (0_i32, None);
    let mut from = 0;
    while let Some(c) = source[from..].chars().next() {
        match c {
            c if part(c) => {
                let len = source[from..].find(|c| !part(c)).unwrap_or(source.len() - from);
                let rest = source[from + len..].trim_start();
                let key = rest.starts_with(':');
                if value.is_none() && !key && !c.is_ascii_digit() {
                    let at = Span::new(at.start as usize + from, at.start as usize + from + len);
                    out.push(KnownName { name: at.of(text).to_owned(), at, within });
                }
                from += len;
                continue;
            }
            '=' if value.is_none() => value = Some(depth),
            '(' | '[' | '{' => depth += 1,
            ')' | ']' | '}' => {
                depth -= 1;
                value = value.filter(|v| *v <= depth);
            }
            ',' if value == Some(depth) => value = None,
            _ => {}
        }
        from += c.len_utf8();
    }
    out
}
