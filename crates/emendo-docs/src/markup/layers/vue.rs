//! The code in the template of a component whose attributes are directives.

use emendo_text::Span;

use crate::markup::host::Role;
use crate::markup::layers::browser::attributes;
use crate::markup::layers::layer::Held;
use crate::markup::layers::view::View;
use crate::markup::page::{Attribute, AttributeValue, Element, Page};

/// True if the markup sees what the script imports.
pub(super) fn sees_imports(page: &Page<'_>) -> bool {
    let script = |e: &&Element| page.name(e) == "script" && e.parent.is_none();
    page.elements.iter().filter(script).any(|e| page.attribute(e, "setup").is_some())
}

/// Copies the code of the template.
pub(super) fn fill(view: &mut View<'_, '_>) {
    let page = view.page;
    let html = |e: &&Element| {
        let lang = page.attribute(e, "lang").and_then(|a| a.value);
        page.name(e) == "template"
            && e.parent.is_none()
            && lang.is_none_or(|v| v.inner.of(page.text) == "html")
    };
    if sees_imports(page) {
        styles(view);
    }
    for template in page.elements.iter().filter(html) {
        let inside = |at: Span| template.content.contains(at);
        for e in page.elements.iter().filter(|e| inside(e.start)) {
            for attribute in &e.attributes {
                computed(view, attribute);
            }
            for (attribute, value) in attributes(e) {
                directive(view, e, attribute, value);
            }
        }
        for code in page.code.iter().filter(|c| c.role == Role::Gives && inside(c.at)) {
            view.expression(code.inner, Held::Brackets("}}"));
        }
    }
}

/// The name of an argument that is worked out: `:[name]="x"`.
fn computed(view: &mut View<'_, '_>, attribute: &Attribute) {
    let name = attribute.name.of(view.page.text);
    let inner = name.find('[').zip(name.rfind(']')).filter(|(open, close)| open < close);
    if let Some((open, close)) = inner {
        let start = attribute.name.start as usize;
        view.copy(Span::new(start + open + 1, start + close), Held::Name);
    }
}

/// Values of styles that the script gives: `color: v-bind(level)`.
fn styles(view: &mut View<'_, '_>) {
    const BIND: &str = "v-bind(";
    let page = view.page;
    for style in page.elements.iter().filter(|e| page.name(e) == "style") {
        let text = style.content.of(page.text);
        for (i, _) in text.match_indices(BIND) {
            let from = i + BIND.len();
            let rest = &text[from..];
            let quote = rest.trim_start().chars().next().filter(|c| matches!(c, '"' | '\''));
            let (lead, end) = match quote {
                Some(q) => {
                    let lead = rest.find(q).map_or(0, |n| n + 1);
                    (lead, rest[lead..].find(q).map(|n| lead + n))
                }
                None => (0, rest.find(')')),
            };
            let Some(end) = end else { continue };
            let start = style.content.start as usize + from;
            let held = quote.map_or(Held::Brackets(")"), |q| Held::Value(Some(q)));
            view.expression(Span::new(start + lead, start + end), held);
        }
    }
}

fn directive(view: &mut View<'_, '_>, e: &Element, attribute: &Attribute, value: AttributeValue) {
    let text = view.page.text;
    let name = attribute.name.of(text);
    let held = Held::Value(value.quote);
    let at = value.inner;
    if name.starts_with('@') || name.starts_with("v-on:") {
        let body = at.of(text).trim_start();
        if body.starts_with("function") || body.starts_with("async function") {
            view.expression(at, held);
        } else {
            view.copy(at, held);
        }
    } else if name == "v-for" {
        let Some((left, right)) = halves(text, at) else { return };
        view.bind(left, e.span(), held);
        view.expression(right, held);
    } else if name.starts_with('#') || name.starts_with("v-slot") || name == "slot-scope" {
        view.bind(at, e.span(), held);
    } else if name.starts_with([':', '.']) || name.starts_with("v-") {
        view.expression(at, held);
    } else {
        return;
    }
    view.undo(at);
}

/// What stands before and behind `in` or `of`.
fn halves(text: &str, at: Span) -> Option<(Span, Span)> {
    let source = at.of(text);
    let found = [" in ", " of "].iter().filter_map(|w| source.find(w)).min()?;
    let middle = at.start as usize + found;
    Some((
        Span { start: at.start, end: middle as u32 },
        Span { start: middle as u32 + 4, end: at.end },
    ))
}
