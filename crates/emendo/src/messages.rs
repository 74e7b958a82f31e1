//! Diagnostics with the text they are about, underlined.

use std::ops::Range;

use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};
use emendo_text::{Diagnostic, Help, Severity, one_line};

/// Renders a diagnostic about `text`, which was read from `name`.
pub(crate) fn render(d: &Diagnostic, name: &str, text: &str) -> String {
    // Only the lines that are shown are looked at: a recipe may have thousands of messages.
    let (lines, first_line) = shown_lines(d, text);
    let from = lines.start;
    let text = text.get(lines).unwrap_or_default();
    // Control characters would move the underlines and deceive the reader: each becomes one harmless character.
    let clean: String = text
        .chars()
        .map(|c| if c.is_control() && !matches!(c, '\n' | '\t' | '\r') { '\u{2423}' } else { c })
        .collect();
    let same_bytes = clean.len() == text.len();
    let shown = if same_bytes { clean.as_str() } else { text };
    let level = match d.severity {
        Severity::Error => Level::ERROR,
        Severity::Warning => Level::WARNING,
    };
    let message = one_line(&d.message);
    let help = d.help.as_ref().map(|h| one_line(&help(h)));
    let title = level.primary_title(message.as_str());
    let title = match d.code {
        Some(code) => title.id(code),
        None => title,
    };
    let mut group = title.elements(std::iter::empty::<annotate_snippets::Message<'_>>());
    if d.labels.is_empty() {
        group = group.element(annotate_snippets::Origin::path(name));
    } else {
        let mut snippet = Snippet::source(shown).path(name).line_start(first_line);
        for (i, l) in d.labels.iter().enumerate() {
            let kind = if i == 0 { AnnotationKind::Primary } else { AnnotationKind::Context };
            let start = (l.span.start as usize).saturating_sub(from).min(shown.len());
            let end = (l.span.end as usize).saturating_sub(from).clamp(start, shown.len());
            let annotation = kind.span(start..end);
            snippet = snippet.annotation(if l.text.is_empty() {
                annotation
            } else {
                annotation.label(l.text.as_str())
            });
        }
        group = group.element(snippet);
    }
    if let Some(help) = &help {
        group = group.element(Level::HELP.message(help.as_str()));
    }
    let page = d.code.map(|code| format!("`emendo recipe check --about {code}`"));
    if let Some(page) = &page {
        group = group.element(Level::NOTE.with_name("more").message(page.as_str()));
    }
    Renderer::styled().render(&[group])
}

/// The whole lines from the first label of a diagnostic to its last, as a range of bytes, and the number of the first one.
fn shown_lines(d: &Diagnostic, text: &str) -> (Range<usize>, usize) {
    let bytes = text.as_bytes();
    let first = d.labels.iter().map(|l| l.span.start as usize).min().unwrap_or(0).min(bytes.len());
    let last = d.labels.iter().map(|l| l.span.end as usize).max().unwrap_or(0);
    let last = last.clamp(first, bytes.len());
    let start = bytes[..first].iter().rposition(|b| *b == b'\n').map_or(0, |at| at + 1);
    let end = bytes[last..].iter().position(|b| *b == b'\n').map_or(bytes.len(), |at| last + at);
    let number = 1 + bytes[..start].iter().filter(|b| **b == b'\n').count();
    (start..end, number)
}

/// The way out in words, with the command that goes it.
pub(crate) fn help(help: &Help) -> String {
    match help {
        Help::Text(text) => text.clone(),
        Help::GiveInput(name) => {
            format!("give it one with `--input {name}=VALUE`, or a `default` in `[inputs.{name}]`")
        }
        Help::CheckRecipe(recipe) => format!("`emendo recipe check {recipe}` says where"),
        Help::NameRecipe => {
            "give the path of a recipe file, or an id that `emendo recipe list` shows".into()
        }
        Help::AddExample => {
            "add an example, and see what else is missing: `emendo recipe test --coverage`".into()
        }
    }
}
