//! Text made from a template with names, conditions and loops, within bounds: a template can neither run for long nor write much.

use std::io::{self, Write};

use minijinja::{Environment, UndefinedBehavior};
use serde::Serialize;

/// How much work a template may do.
const FUEL: u64 = 200_000;

/// Why a template gives no text.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("line {line}: {message}")]
pub struct FillError {
    /// The line of the template, from 1.
    pub line: usize,
    /// What is wrong there.
    pub message: String,
    /// It is a matter of what the values are, and not of the template alone.
    pub by_values: bool,
}

/// Fills values into a template (`{{ name }}`, `{% if %}`, `{% for %}`; filters of Jinja, and `wrap` for paragraphs). What it writes
/// may have at most `most` bytes. A name that has no value is an error.
///
/// # Errors
/// If the template is faulty, asks for what is not there, or goes beyond its bounds.
pub fn fill(template: &str, values: &impl Serialize, most: usize) -> Result<String, FillError> {
    let mut env = Environment::new();
    env.set_fuel(Some(FUEL));
    env.set_undefined_behavior(UndefinedBehavior::Strict);
    env.add_filter("wrap", |text: String, width: usize| wrap(&text, width));
    let mut out = Bounded { bytes: Vec::new(), most };
    let done = env
        .template_from_str(template)
        .and_then(|t| t.render_captured_to(values, &mut out).map(|_| ()));
    match done {
        Ok(()) => Ok(String::from_utf8_lossy(&out.bytes).into_owned()),
        Err(e) => Err(said(&e, most)),
    }
}

/// Why a template gives no text of at most so many bytes.
pub(super) fn said(e: &minijinja::Error, most: usize) -> FillError {
    let line = e.line().unwrap_or(1);
    let message = match e.kind() {
        minijinja::ErrorKind::OutOfFuel => "it takes too long".to_owned(),
        minijinja::ErrorKind::WriteFailure => format!("it writes more than {most} bytes"),
        kind => e.detail().map_or_else(|| kind.to_string(), |d| format!("{kind}: {d}")),
    };
    let by_values = matches!(
        e.kind(),
        minijinja::ErrorKind::InvalidOperation | minijinja::ErrorKind::WriteFailure
    );
    FillError { line, message, by_values }
}

/// Takes no more than its bound.
pub(super) struct Bounded {
    pub(super) bytes: Vec<u8>,
    pub(super) most: usize,
}

impl Write for Bounded {
    fn write(&mut self, buf: &[u8]) -> io::Result<usize> {
        if self.bytes.len() + buf.len() > self.most {
            return Err(io::ErrorKind::FileTooLarge.into());
        }
        self.bytes.extend_from_slice(buf);
        Ok(buf.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Breaks paragraphs into lines of at most so many characters; a word that is longer stands alone.
fn wrap(text: &str, width: usize) -> String {
    let mut out = String::new();
    for (i, paragraph) in text.trim().split('\n').enumerate() {
        if i > 0 {
            out.push('\n');
        }
        let mut used = 0;
        for word in paragraph.split_whitespace() {
            let len = word.chars().count();
            if used > 0 && used + 1 + len > width {
                out.push('\n');
                used = 0;
            }
            if used > 0 {
                out.push(' ');
                used += 1;
            }
            out.push_str(word);
            used += len;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeMap;

    use super::fill;

    #[test]
    fn a_template_is_filled_within_its_bounds() {
        let values = BTreeMap::from([("title", "Open stations at once")]);
        let said = |template: &str| fill(template, &values, 100).map_err(|e| e.to_string());
        assert_eq!(said("P-1: {{ title|lower }}"), Ok("P-1: open stations at once".into()));
        assert_eq!(said("{{ title|wrap(9) }}"), Ok("Open\nstations\nat once".into()));
        assert!(said("\n{{ name }}").is_err_and(|e| e.starts_with("line 2: ")));
        assert!(said("{% if %}").is_err_and(|e| e.starts_with("line 1: syntax error")));
        let long = "{% for a in range(9999) %}{{ title }}{% endfor %}";
        assert_eq!(said(long), Err("line 1: it writes more than 100 bytes".into()));
        let busy = "{% for a in range(9999) %}{% for b in range(9999) %}{% endfor %}{% endfor %}";
        assert_eq!(said(busy), Err("line 1: it takes too long".into()));
        let huge = "{% set x = 'a' * 90000000000 %}{{ x }}";
        assert!(said(huge).is_err(), "{:?}", said(huge).map(|t| t.len()));
    }
}
