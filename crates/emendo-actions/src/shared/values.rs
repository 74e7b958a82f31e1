//! Small texts with slots, where no language is involved: values of settings, words of notes.

use emendo_text::{Chunk, Template};
use regex::Regex;

/// What a slot is filled with.
pub(crate) enum Filled {
    /// Plain text.
    Text(String),
}

/// Fills the slots of a text; the error names a slot without a value.
pub(crate) fn fill(text: &str, value: impl Fn(&str) -> Option<Filled>) -> Result<String, String> {
    let template = Template::parse_text(text).map_err(|e| e.message)?;
    let mut out = String::new();
    for chunk in template.chunks {
        match chunk {
            Chunk::Text { text, .. } => out.push_str(&text),
            Chunk::Slot { name, .. } => match value(&name) {
                Some(Filled::Text(t)) => out.push_str(&t),
                None => return Err(name),
            },
        }
    }
    Ok(out)
}

/// A text with slots as a matcher of whole values.
#[derive(Debug)]
pub(crate) struct ValuePattern(Regex);

impl ValuePattern {
    /// Compiles a text with slots.
    pub(crate) fn compile(text: &str) -> Result<Self, emendo_text::TemplateError> {
        let template = Template::parse_text(text)?;
        let mut source = String::from("(?s)^");
        let mut seen = std::collections::HashSet::new();
        for chunk in &template.chunks {
            match chunk {
                Chunk::Text { text, .. } => source.push_str(&regex::escape(text)),
                Chunk::Slot { name, .. } if name != "_" && seen.insert(name.clone()) => {
                    source.push_str(&format!("(?P<{name}>.+?)"));
                }
                Chunk::Slot { .. } => source.push_str(".+?"),
            }
        }
        source.push('$');
        let fail = |e: regex::Error| emendo_text::TemplateError {
            at: emendo_text::Span::new(0, text.len()),
            message: e.to_string(),
            help: "use fewer slots".into(),
        };
        Regex::new(&source).map(Self).map_err(fail)
    }

    /// The slots of a value that fits.
    pub(crate) fn fit(&self, value: &str) -> Option<Vec<(String, String)>> {
        let groups = self.0.captures(value)?;
        let names = self.0.capture_names().flatten();
        Some(
            names
                .filter_map(|n| Some((n.to_owned(), groups.name(n)?.as_str().to_owned())))
                .collect(),
        )
    }

    /// The names of its slots.
    pub(crate) fn slots(&self) -> Vec<String> {
        self.0.capture_names().flatten().map(str::to_owned).collect()
    }
}
