//! What keeps a text from being TOML, each fault once, and what follows from one.

use emendo_text::{Diagnostic, Span};

/// Turns the errors of the TOML parser, as places and sentences, into messages: the first of each line.
pub(super) fn messages(text: &str, errors: &[(Span, String)]) -> Vec<Diagnostic> {
    if !errors.is_empty()
        && let Some((what, at)) = another_format(text)
    {
        let d = Diagnostic::error(format!("this is {what}, and a recipe is a TOML file"), at);
        return vec![
            d.about("toml").help("it begins with `emendo = 1`, and an `id` and a `title` follow"),
        ];
    }
    let mut out: Vec<Diagnostic> = Vec::new();
    let mut header_broken = false;
    let mut last_line = None;
    for (span, said) in errors {
        let line = line_of(text, span.start as usize);
        // Below a broken header, keys land in the table above, where they may stand already.
        if last_line == Some(line.start) || (header_broken && said == "duplicate key") {
            continue;
        }
        last_line = Some(line.start);
        header_broken |= text[line.clone()].trim_start().starts_with('[');
        let d = Diagnostic::error(format!("this is not TOML: {said}"), *span).about("toml");
        out.push(d.help(help(&text[line], said)));
    }
    out
}

fn help(line: &str, said: &str) -> String {
    let curly = ['\u{2018}', '\u{2019}', '\u{201c}', '\u{201d}'];
    if line.contains(curly) {
        return "these are typographic quotes: write straight ones, '...'".into();
    }
    if said == "duplicate key" {
        return "a key stands once in a table; several actions are `[[step.code]]` each".into();
    }
    let value = line.split_once('=').map_or("", |(_, v)| v.trim_start());
    if value.starts_with('"') && value.matches('"').count() > 2 {
        return "a quote ends the text: write a pattern in '...', where quotes and backslashes stand for themselves".into();
    }
    if value.starts_with('\'') && value.matches('\'').count() > 2 {
        return "a quote ends the text: write a pattern that has ' itself in '''...'''".into();
    }
    "recipes are TOML 1.0; write patterns in '...' or '''...''' strings".into()
}

/// The format that a text is in, where it is plainly not TOML, with the place that shows it.
fn another_format(text: &str) -> Option<(&'static str, Span)> {
    let body = text.trim_start_matches('\u{feff}');
    let start = text.len() - body.trim_start().len();
    let first = body.trim_start();
    let at = |len: usize| Span::new(start, start + len);
    if first.starts_with('{') {
        return Some(("JSON", at(1)));
    }
    if first.starts_with('<') {
        return Some(("XML", at(1)));
    }
    let yaml = |l: &str| {
        let word = l.split(':').next().unwrap_or("");
        let plain =
            !word.is_empty() && word.chars().all(|c| c.is_alphanumeric() || c == '_' || c == '-');
        plain && l[word.len()..].starts_with(':')
    };
    let code = |l: &&str| !l.trim().is_empty() && !l.trim_start().starts_with('#') && *l != "---";
    let line = first.lines().find(code)?;
    let none = !text.lines().any(|l| l.starts_with('[') || l.contains(" = "));
    (yaml(line) && none).then(|| ("YAML", at(first.lines().next().map_or(0, str::len))))
}

/// The bytes of the line at a place, without its end.
fn line_of(text: &str, at: usize) -> std::ops::Range<usize> {
    let at = at.min(text.len());
    let bytes = text.as_bytes();
    let start = bytes[..at].iter().rposition(|b| *b == b'\n').map_or(0, |n| n + 1);
    let end = bytes[at..].iter().position(|b| *b == b'\n').map_or(text.len(), |n| at + n);
    start..end
}

/// Takes out what may only follow from a text's faults as TOML: what is said of the tables that they stand in.
pub fn without_consequences(text: &str, found: &mut Vec<Diagnostic>) {
    let is_toml = |d: &Diagnostic| d.code == Some("toml");
    let broken: Vec<usize> =
        found.iter().filter(|d| is_toml(d)).map(|d| d.start() as usize).collect();
    if broken.is_empty() {
        return;
    }
    if another_format(text).is_some() {
        found.retain(is_toml);
        return;
    }
    let header = |at: usize| text[line_of(text, at)].starts_with('[');
    // From the header of the table around a place to the next header.
    let table = |at: usize| {
        let mut start = line_of(text, at).start;
        while start > 0 && !header(start) {
            start = line_of(text, start - 1).start;
        }
        let mut end = line_of(text, at).end;
        while end < text.len() && !header(end + 1) {
            end = line_of(text, end + 1).end;
        }
        start..end
    };
    found.retain(|d| {
        is_toml(d) || !broken.iter().any(|b| table(*b).contains(&(d.start() as usize)))
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    fn said(text: &str) -> Vec<Diagnostic> {
        let errors = toml::de::DeTable::parse_recoverable(text).1;
        let errors: Vec<(Span, String)> = errors
            .iter()
            .map(|e| {
                let span = e.span().unwrap_or(0..0);
                (Span::new(span.start, span.end), e.message().to_owned())
            })
            .collect();
        messages(text, &errors)
    }

    #[test]
    fn each_fault_is_said_once() {
        assert_eq!(said("a = 1\n[[step]\nid = 's'\na = 2\n").len(), 1);
        assert_eq!(said("old = \"f(\"@{x}\")\"\nnew = \u{2018}x\u{2019}\n").len(), 2);
        assert!(said("{\"emendo\": 1}").iter().all(|d| d.message.contains("JSON")));
        assert!(said("emendo: 1\nsteps:\n  - id: a\n").iter().all(|d| d.message.contains("YAML")));
        assert!(said("a = 1\n").is_empty());
    }
}
