//! Components: a script, and markup that uses what it declares.

use std::collections::HashSet;

use crate::markup::host::Scripts;
use crate::markup::layers::browser::{Script, scripts};
use crate::markup::layers::layer::{Held, Layer, TakesImports};
use crate::markup::layers::view::View;
use crate::markup::layers::{svelte, vue};
use crate::markup::page::{Ending, Page};

/// The scripts of a component with the code of its markup.
pub(super) fn layers(page: &Page<'_>) -> Vec<Layer> {
    let scripts = scripts(page);
    let ending = scripts.iter().map(|s| s.ending).find(|e| *e != "js").unwrap_or("js");
    let takes = match scripts.last() {
        Some(script) => TakesImports::Script(script.content.start),
        None => TakesImports::Nowhere("a component without a script"),
    };
    let mut view = View::new(page, true);
    for script in &scripts {
        view.script(script.content);
    }
    let mut out = Vec::new();
    match page.host.scripts {
        Scripts::Blocks => {
            svelte::fill(&mut view);
            tags(&mut view, &scripts);
            view.signed(b'$');
        }
        _ if vue::sees_imports(page) => {
            vue::fill(&mut view);
            tags(&mut view, &scripts);
        }
        // What the markup names are members of the component.
        _ => {
            let mut own = View::new(page, true);
            vue::fill(&mut own);
            out.push(own.layer(ending, TakesImports::Nowhere("the template of a component")));
        }
    }
    out.insert(0, view.layer(ending, takes));
    for layer in &mut out {
        layer.hoisted = true;
    }
    out
}

/// Tags that name what the scripts know: a component is called by its name, or by its words in small letters.
fn tags(view: &mut View<'_, '_>, scripts: &[Script]) {
    let page = view.page;
    let part = |c: char| !(c.is_alphanumeric() || c == '_' || c == '$');
    let words: HashSet<&str> =
        scripts.iter().flat_map(|s| s.content.of(page.text).split(part)).collect();
    for e in &page.elements {
        let end = match e.ending {
            Ending::Tag { name, .. } => Some(name),
            _ => None,
        };
        for at in [Some(e.name), end].into_iter().flatten() {
            let name = at.of(page.text);
            let first = name.split('.').next().unwrap_or(name);
            if words.contains(first) && (name.contains('.') || begins_large(name)) {
                view.copy(at, Held::Name);
            } else if name.contains('-') && words.contains(joined(name).as_str()) {
                view.long_name(at, &joined(name));
            }
        }
    }
}

fn begins_large(name: &str) -> bool {
    name.starts_with(|c: char| c.is_uppercase())
}

/// `tide-gauge` as `TideGauge`.
fn joined(name: &str) -> String {
    let word = |w: &str| {
        let mut chars = w.chars();
        chars.next().map_or(String::new(), |c| c.to_uppercase().chain(chars).collect())
    };
    name.split('-').map(word).collect()
}
