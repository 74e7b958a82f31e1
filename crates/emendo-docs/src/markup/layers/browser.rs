//! Scripts of a page, and what attributes say to do on events.

use emendo_text::Span;

use crate::markup::layers::layer::{Held, Layer, TakesImports};
use crate::markup::layers::view::View;
use crate::markup::page::{Attribute, AttributeValue, Element, Page};

/// A script of a page.
pub(super) struct Script {
    pub(super) content: Span,
    pub(super) ending: &'static str,
    /// It may import.
    pub(super) module: bool,
}

/// What `type` and `lang` of a script say, and what that is.
const KINDS: &[(&str, &str)] = &[
    ("", "js"),
    ("text/javascript", "js"),
    ("application/javascript", "js"),
    ("application/x-javascript", "js"),
    ("text/ecmascript", "js"),
    ("module", "js"),
    ("text/babel", "jsx"),
    ("text/jsx", "jsx"),
    ("js", "js"),
    ("javascript", "js"),
    ("jsx", "jsx"),
    ("ts", "ts"),
    ("typescript", "ts"),
    ("text/typescript", "ts"),
    ("tsx", "tsx"),
];

/// The elements that hold scripts.
fn script_elements<'p>(page: &'p Page<'_>) -> impl Iterator<Item = &'p Element> {
    let script =
        |e: &&Element| page.name(e).eq_ignore_ascii_case("script") && !e.content.is_empty();
    page.elements.iter().filter(script)
}

/// What an attribute of a script says.
fn said<'t>(page: &'t Page<'_>, e: &Element, name: &str) -> &'t str {
    let value = page.attribute(e, name).and_then(|a| a.value);
    value.map_or("", |v| v.inner.of(page.text)).trim()
}

/// What a script is written in, as it says.
fn kind<'t>(page: &'t Page<'_>, e: &Element) -> &'t str {
    let lang = said(page, e, "lang");
    if lang.is_empty() { said(page, e, "type") } else { lang }
}

fn ending(page: &Page<'_>, e: &Element) -> Option<&'static str> {
    KINDS.iter().find(|k| k.0.eq_ignore_ascii_case(kind(page, e))).map(|k| k.1)
}

/// Scripts in a language that is not known; data and templates are none.
pub(super) fn unread(page: &Page<'_>) -> Vec<Span> {
    let code = |e: &&Element| {
        let kind = kind(page, e).to_ascii_lowercase();
        let data = ["json", "template", "html", "map", "xml", "plain", "x-", "speculation"];
        ending(page, e).is_none() && !data.iter().any(|d| kind.contains(d))
    };
    script_elements(page).filter(code).map(|e| e.content).collect()
}

/// The scripts of a page whose language is known.
pub(super) fn scripts(page: &Page<'_>) -> Vec<Script> {
    let one = |e: &Element| {
        let ending = ending(page, e)?;
        let imports = |l: &str| {
            let l = l.trim_start();
            ["import ", "import{", "import*", "export "].iter().any(|w| l.starts_with(w))
        };
        let module = said(page, e, "type").eq_ignore_ascii_case("module")
            || e.content.of(page.text).lines().any(imports);
        Some(Script { content: e.content, ending, module })
    };
    script_elements(page).filter_map(one).collect()
}

/// Scripts that are modules each by itself; all others see one another, and events see them.
pub(super) fn layers(page: &Page<'_>) -> Vec<Layer> {
    let (modules, plain): (Vec<Script>, Vec<Script>) =
        scripts(page).into_iter().partition(|s| s.module);
    let mut out = Vec::new();
    let mut endings: Vec<&'static str> = plain.iter().map(|s| s.ending).collect();
    endings.insert(0, "js");
    endings.sort_unstable();
    endings.dedup();
    for ending in endings {
        let mut view = View::new(page, true);
        for script in plain.iter().filter(|s| s.ending == ending) {
            view.script(script.content);
        }
        if ending == "js" {
            for (attribute, value) in page.elements.iter().flat_map(attributes) {
                event(&mut view, attribute, value);
            }
        }
        out.push(view.layer(ending, TakesImports::Nowhere("a script that is no module")));
    }
    for script in modules {
        let mut view = View::new(page, true);
        view.script(script.content);
        out.push(view.layer(script.ending, TakesImports::Script(script.content.start)));
    }
    out
}

/// The attributes of an element with their values.
pub(super) fn attributes(e: &Element) -> impl Iterator<Item = (&Attribute, AttributeValue)> {
    e.attributes.iter().filter_map(|a| Some((a, a.value?)))
}

/// The code of an attribute that says what happens on an event, or where to go by a script.
fn event(view: &mut View<'_, '_>, attribute: &Attribute, value: AttributeValue) {
    const GO: &str = "javascript:";
    let (text, name) = (view.page.text, attribute.name.of(view.page.text));
    let inner = value.inner.of(text);
    let on = name.len() > 2
        && name.is_char_boundary(2)
        && name[..2].eq_ignore_ascii_case("on")
        && name.bytes().all(|b| b.is_ascii_alphabetic());
    let goes = inner.get(..GO.len()).is_some_and(|s| s.eq_ignore_ascii_case(GO));
    // Braces belong to a template of code.
    let on = on && !(value.quote.is_none() && inner.starts_with('{'));
    let at = match (on, goes) {
        (_, true) => Span { start: value.inner.start + GO.len() as u32, ..value.inner },
        (true, false) => value.inner,
        (false, false) => return,
    };
    if view.copy(at, Held::Value(value.quote)) {
        view.undo(at);
        view.fill(at);
    }
}
