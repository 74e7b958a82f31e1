//! Messages about places in a text, as data.

use crate::Span;

/// How much a diagnostic weighs.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Severity {
    /// Worth knowing; the recipe runs.
    Warning,
    /// The recipe does not run.
    Error,
}

/// A marked place with what is to say about it; the text may be empty.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Label {
    /// The place.
    pub span: Span,
    /// What is said about it.
    pub text: String,
}

/// The way out of what is wrong. How the user goes it, by a command or otherwise, is for the interface to say.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Help {
    /// In words.
    Text(String),
    /// Give this input of the recipe a value.
    GiveInput(String),
    /// See what is wrong with this other recipe.
    CheckRecipe(String),
    /// Name a recipe by its path, or by an id that is known.
    NameRecipe,
    /// Add an example, and see what else none exercises.
    AddExample,
}

/// What is wrong, where, and what to do. Where it belongs to a text, the labels mark places in it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Diagnostic {
    /// Error or warning.
    pub severity: Severity,
    /// What is wrong, as one sentence without a full stop.
    pub message: String,
    /// The main place first.
    pub labels: Vec<Label>,
    /// The way out.
    pub help: Option<Help>,
    /// A word for what it is about, with a page of its own.
    pub code: Option<&'static str>,
}

impl Diagnostic {
    /// An error at a place.
    pub fn error(message: impl Into<String>, span: Span) -> Self {
        let labels = vec![Label { span, text: String::new() }];
        Self { severity: Severity::Error, message: message.into(), labels, help: None, code: None }
    }

    /// A warning at a place.
    pub fn warning(message: impl Into<String>, span: Span) -> Self {
        Self { severity: Severity::Warning, ..Self::error(message, span) }
    }

    /// Says something about the main place.
    #[must_use]
    pub fn label(mut self, text: impl Into<String>) -> Self {
        if let Some(first) = self.labels.first_mut() {
            first.text = text.into();
        }
        self
    }

    /// Marks a further place.
    #[must_use]
    pub fn also(mut self, span: Span, text: impl Into<String>) -> Self {
        self.labels.push(Label { span, text: text.into() });
        self
    }

    /// Says the way out.
    #[must_use]
    pub fn help(self, text: impl Into<String>) -> Self {
        self.way(Help::Text(text.into()))
    }

    /// Says the way out as data.
    #[must_use]
    pub fn way(self, help: Help) -> Self {
        Self { help: Some(help), ..self }
    }

    /// Says what it is about, if that is not said yet.
    #[must_use]
    pub fn about(mut self, code: &'static str) -> Self {
        self.code.get_or_insert(code);
        self
    }

    /// Says what all of these are about that do not say it yet.
    pub fn all_about(all: &mut [Self], code: &'static str) {
        for d in all {
            d.code.get_or_insert(code);
        }
    }

    /// Where the main place begins, for sorting.
    pub fn start(&self) -> u32 {
        self.labels.first().map_or(0, |l| l.span.start)
    }
}
