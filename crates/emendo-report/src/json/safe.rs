//! JSON that is harmless to show: characters that are not shown, or that change what stands around them, are escaped.

use std::io::{self, Write};

use emendo_text::is_hidden;
use serde::Serialize;
use serde_json::ser::{Formatter, PrettyFormatter, Serializer};

struct Safe<'a>(PrettyFormatter<'a>);

impl Formatter for Safe<'_> {
    fn write_string_fragment<W: ?Sized + Write>(
        &mut self,
        out: &mut W,
        text: &str,
    ) -> io::Result<()> {
        let mut rest = text;
        while let Some((at, c)) = rest.char_indices().find(|(_, c)| is_hidden(*c)) {
            out.write_all(&rest.as_bytes()[..at])?;
            for unit in c.encode_utf16(&mut [0; 2]) {
                write!(out, "\\u{unit:04x}")?;
            }
            rest = &rest[at + c.len_utf8()..];
        }
        out.write_all(rest.as_bytes())
    }
    fn begin_array<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.begin_array(out)
    }
    fn end_array<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_array(out)
    }
    fn begin_array_value<W: ?Sized + Write>(&mut self, out: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_array_value(out, first)
    }
    fn end_array_value<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_array_value(out)
    }
    fn begin_object<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.begin_object(out)
    }
    fn end_object<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_object(out)
    }
    fn begin_object_key<W: ?Sized + Write>(&mut self, out: &mut W, first: bool) -> io::Result<()> {
        self.0.begin_object_key(out, first)
    }
    fn begin_object_value<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.begin_object_value(out)
    }
    fn end_object_value<W: ?Sized + Write>(&mut self, out: &mut W) -> io::Result<()> {
        self.0.end_object_value(out)
    }
}

/// Writes a value, readable for people and harmless to show.
///
/// # Errors
/// What `out` gives.
pub fn write(out: impl Write, value: &impl Serialize) -> serde_json::Result<()> {
    let mut serializer = Serializer::with_formatter(out, Safe(PrettyFormatter::new()));
    value.serialize(&mut serializer)
}

#[cfg(test)]
mod tests {
    #[test]
    fn hidden_characters_come_back_but_are_not_shown() {
        let text = "a\u{202e}b\u{1b}[31m\u{2028}\n\u{7f}";
        let mut out = Vec::new();
        super::write(&mut out, &vec![text]).expect("writes");
        assert!(out.is_ascii(), "{}", String::from_utf8_lossy(&out));
        let back: Vec<String> = serde_json::from_slice(&out).expect("is JSON");
        assert_eq!(back, [text]);
    }
}
