//! Components: a script, and markup that uses what it declares.

use crate::markup::host::Scripts;
use crate::markup::layers::browser::scripts;
use crate::markup::layers::view::View;
use crate::markup::layers::{Layer, TakesImports, svelte, vue};
use crate::markup::page::Page;

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
        Scripts::Blocks => svelte::fill(&mut view),
        _ if vue::sees_imports(page) => vue::fill(&mut view),
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
