//! One change of a text.

use crate::piece::Part;
use crate::span::Span;

/// One change of bytes.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Splice {
    /// The bytes that are replaced.
    pub span: Span,
    /// What is written instead.
    pub parts: Vec<Part>,
    /// It lies inside a slot that the same edit copies, and goes along with it.
    pub inner: bool,
}

impl Splice {
    /// Replaces by plain text.
    pub fn text(span: Span, text: impl Into<String>) -> Self {
        let text = text.into();
        let parts = if text.is_empty() { Vec::new() } else { vec![Part::Text(text)] };
        Self { span, parts, inner: false }
    }
}
