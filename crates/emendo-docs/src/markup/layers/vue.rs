//! The code in the template of a component whose attributes are directives.

use emendo_text::Span;

use crate::markup::host::Role;
use crate::markup::layers::Held;
use crate::markup::layers::browser::attributes;
use crate::markup::layers::names::bound;
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
    for template in page.elements.iter().filter(html) {
        let inside = |at: Span| template.content.contains(at);
        for e in page.elements.iter().filter(|e| inside(e.start)) {
            for (attribute, value) in attributes(e) {
                directive(view, e, attribute, value);
            }
        }
        for code in page.code.iter().filter(|c| c.role == Role::Gives && inside(c.at)) {
            view.expression(code.inner, Held::Brackets("}}"));
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
        view.known.extend(bound(text, left, e.span()));
        view.expression(right, held);
    } else if name.starts_with('#') || name.starts_with("v-slot") || name == "slot-scope" {
        view.known.extend(bound(text, at, e.span()));
        return;
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
