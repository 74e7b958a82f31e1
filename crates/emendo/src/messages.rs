//! Diagnostics with the text they are about, underlined.

use annotate_snippets::{AnnotationKind, Level, Renderer, Snippet};
use emendo_text::{Diagnostic, Help, Severity, one_line};

/// Renders a diagnostic about `text`, which was read from `name`.
pub(crate) fn render(d: &Diagnostic, name: &str, text: &str) -> String {
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
        let mut snippet = Snippet::source(shown).path(name).line_start(1);
        for (i, l) in d.labels.iter().enumerate() {
            let kind = if i == 0 { AnnotationKind::Primary } else { AnnotationKind::Context };
            let start = (l.span.start as usize).min(shown.len());
            let end = (l.span.end as usize).clamp(start, shown.len());
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
    Renderer::styled().render(&[group])
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
