//! A file's content and the facts that a write must keep.

use std::borrow::Cow;

/// How bytes and characters relate.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Encoding {
    /// UTF-8.
    Utf8,
    /// Some 8-bit encoding that extends ASCII. Each byte stands as the character of the same
    /// number, so that bytes nobody touches come back as they were.
    EightBit,
}

/// A file's content as text. A byte order mark is set apart and comes back with [`Text::encode`].
#[derive(Clone, Debug)]
pub struct Text {
    text: String,
    bom: bool,
    encoding: Encoding,
    line_end: &'static str,
}

/// Why bytes are not read as text.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, thiserror::Error)]
pub enum Unreadable {
    /// Holds NUL bytes.
    #[error("binary")]
    Binary,
    /// UTF-16 or UTF-32.
    #[error("an encoding that does not extend ASCII")]
    WideEncoding,
}

const BOM: &[u8] = b"\xef\xbb\xbf";

impl Text {
    /// Reads bytes as text.
    ///
    /// # Errors
    /// For UTF-16 or UTF-32 with a byte order mark, and for content with NUL bytes.
    pub fn decode(bytes: &[u8]) -> Result<Self, Unreadable> {
        if bytes.starts_with(b"\xff\xfe") || bytes.starts_with(b"\xfe\xff") {
            return Err(Unreadable::WideEncoding);
        }
        let bom = bytes.starts_with(BOM);
        let body = if bom { &bytes[BOM.len()..] } else { bytes };
        if body.contains(&0) {
            return Err(Unreadable::Binary);
        }
        let (text, encoding) = match std::str::from_utf8(body) {
            Ok(text) => (text.to_owned(), Encoding::Utf8),
            Err(_) => (body.iter().map(|b| char::from(*b)).collect(), Encoding::EightBit),
        };
        let line_end = prevailing_line_end(&text);
        Ok(Self { text, bom, encoding, line_end })
    }

    /// A text without a byte order mark, from a string.
    pub fn new(text: impl Into<String>) -> Self {
        let text = text.into();
        let line_end = prevailing_line_end(&text);
        Self { text, bom: false, encoding: Encoding::Utf8, line_end }
    }

    /// The content without its byte order mark.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// The encoding.
    pub fn encoding(&self) -> Encoding {
        self.encoding
    }

    /// The line end that most lines have: `\n`, `\r\n` or `\r`.
    pub fn line_end(&self) -> &'static str {
        self.line_end
    }

    /// The bytes of a new content in this file's encoding, byte order mark included.
    ///
    /// Gives `None` if a character cannot be written in the file's 8-bit encoding.
    pub fn encode(&self, content: &str) -> Option<Vec<u8>> {
        let mut out = if self.bom { BOM.to_vec() } else { Vec::new() };
        match self.encoding {
            Encoding::Utf8 => out.extend_from_slice(content.as_bytes()),
            Encoding::EightBit => {
                for c in content.chars() {
                    out.push(u8::try_from(u32::from(c)).ok()?);
                }
            }
        }
        Some(out)
    }

    /// True if `inserted` may be written into this file without guessing its encoding.
    pub fn can_hold(&self, inserted: &str) -> bool {
        self.encoding == Encoding::Utf8 || inserted.is_ascii()
    }

    /// `inserted` with its line ends turned into those of this file.
    pub fn with_line_ends<'a>(&self, inserted: &'a str) -> Cow<'a, str> {
        if self.line_end == "\n" && !inserted.contains('\r') {
            return Cow::Borrowed(inserted);
        }
        Cow::Owned(inserted.replace("\r\n", "\n").replace('\n', self.line_end))
    }
}

fn prevailing_line_end(text: &str) -> &'static str {
    let bytes = text.as_bytes();
    let (mut lf, mut crlf, mut cr) = (0usize, 0usize, 0usize);
    for (i, b) in bytes.iter().enumerate() {
        match b {
            b'\n' if i > 0 && bytes[i - 1] == b'\r' => crlf += 1,
            b'\n' => lf += 1,
            b'\r' if bytes.get(i + 1) != Some(&b'\n') => cr += 1,
            _ => {}
        }
    }
    if crlf > lf && crlf >= cr {
        "\r\n"
    } else if cr > lf {
        "\r"
    } else {
        "\n"
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_readable_content_comes_back_byte_for_byte() {
        let cases: [&[u8]; 5] =
            [b"", b"a\r\nb", b"\xef\xbb\xbfx\n", b"caf\xe9 \x80\xff\n", "é\n".as_bytes()];
        for bytes in cases {
            let text = Text::decode(bytes).expect("readable");
            assert_eq!(text.encode(text.as_str()).as_deref(), Some(bytes));
        }
    }

    #[test]
    fn wide_encodings_and_binary_are_refused() {
        assert_eq!(Text::decode(b"\xff\xfea\0").err(), Some(Unreadable::WideEncoding));
        assert_eq!(Text::decode(b"a\0b").err(), Some(Unreadable::Binary));
    }

    #[test]
    fn line_ends_follow_the_majority() {
        assert_eq!(Text::new("a\r\nb\r\nc\n").line_end(), "\r\n");
        assert_eq!(Text::new("a\rb\r").line_end(), "\r");
        assert_eq!(Text::new("a").line_end(), "\n");
    }
}
