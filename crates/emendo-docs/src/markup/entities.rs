//! What stands for characters in markup.

use std::borrow::Cow;

/// A text as it is meant: `&amp;` and its like undone; what is not known stays as it is.
pub fn decode(text: &str) -> Cow<'_, str> {
    if !text.contains('&') {
        return Cow::Borrowed(text);
    }
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    while let Some(at) = rest.find('&') {
        out.push_str(&rest[..at]);
        rest = &rest[at..];
        match at_start(rest) {
            Some((c, len)) => {
                out.push(c);
                rest = &rest[len..];
            }
            None => {
                out.push('&');
                rest = &rest[1..];
            }
        }
    }
    out.push_str(rest);
    Cow::Owned(out)
}

/// The character that a text begins with something for, and how long that is.
pub(super) fn at_start(text: &str) -> Option<(char, usize)> {
    // A name is short; without its end it is only a sign.
    let end = text.char_indices().take(12).find(|(_, c)| *c == ';')?.0;
    Some((entity(text.get(1..end)?)?, end + 1))
}

fn entity(name: &str) -> Option<char> {
    if let Some(number) = name.strip_prefix('#') {
        let code = match number.strip_prefix(['x', 'X']) {
            Some(hex) => u32::from_str_radix(hex, 16).ok()?,
            None => number.parse().ok()?,
        };
        return char::from_u32(code);
    }
    Some(match name {
        "amp" => '&',
        "lt" => '<',
        "gt" => '>',
        "quot" => '"',
        "apos" => '\'',
        "nbsp" => '\u{a0}',
        _ => return None,
    })
}

/// A text as it is written: in an attribute with this quote around it, or as content.
pub fn encode(text: &str, quote: Option<char>) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '&' => out.push_str("&amp;"),
            '<' => out.push_str("&lt;"),
            '>' if quote.is_none() => out.push_str("&gt;"),
            '"' if quote == Some('"') => out.push_str("&quot;"),
            '\'' if quote == Some('\'') => out.push_str("&#39;"),
            c => out.push(c),
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::{decode, encode};

    #[test]
    fn entities_are_read_and_written() {
        assert_eq!(
            decode("a &amp;&lt;b&gt; &#39;&#x41;&quot; &copy; & &amp"),
            "a &<b> 'A\" &copy; & &amp"
        );
        assert_eq!(encode("a & <b> \"c\" 'd'", Some('"')), "a &amp; &lt;b> &quot;c&quot; 'd'");
        assert_eq!(encode("a & <b> \"c\"", None), "a &amp; &lt;b&gt; \"c\"");
    }
}
