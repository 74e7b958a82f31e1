//! The code of a page, as texts that a language can read.
//!
//! What a page holds of one program is a [`Layer`]: a text as long as the page, in which the code stands at its own places and all else is
//! blank. So a place in a layer is a place in the page, and whatever reads code reads a layer without knowing of pages. A value that the
//! template puts into a script stands there as a name; what steers it is blank. `server.rs` gathers the code of a template, `browser.rs`
//! that of scripts and events, `component.rs` that of components, in which the markup uses what
//! the script declares.

mod browser;
mod component;
mod layer;
mod names;
mod server;
mod svelte;
mod view;
mod vue;

use emendo_text::Span;

pub use layer::{
    CodePiece, DirectiveImport, Held, KnownName, Layer, LongSign, StandIn, TakesImports,
};

use crate::markup::host::{Role, Scripts};
use crate::markup::page::Page;

/// The code of a page, by programs.
pub fn layers(page: &Page<'_>) -> Vec<Layer> {
    let mut out: Vec<Layer> = server::layer(page).into_iter().collect();
    match page.host.scripts {
        Scripts::None => {}
        Scripts::Browser => out.extend(browser::layers(page)),
        Scripts::Directives | Scripts::Blocks => out.extend(component::layers(page)),
    }
    out.retain(|l| !l.pieces.is_empty());
    out
}

/// Code in a page that nobody reads: that of templates in other languages, and scripts in such.
pub fn unread(page: &Page<'_>) -> Vec<Span> {
    let components = matches!(page.host.scripts, Scripts::Directives | Scripts::Blocks);
    let code = page.code.iter().filter(|c| {
        let other = matches!(c.role, Role::Comment | Role::Directive);
        c.holds.is_none() && !other && !components
    });
    code.map(|c| c.at).chain(browser::unread(page)).collect()
}

/// Values and texts of a page, read as expressions of one language: each with its place and what it stands in.
pub fn values(page: &Page<'_>, ending: &'static str, all: &[(Span, Held)]) -> Layer {
    let mut view = view::View::new(page, true);
    for (at, held) in all {
        view.expression(*at, *held);
        if *held != Held::Script {
            view.undo(*at);
        }
        view.fill(*at);
    }
    view.layer(ending, TakesImports::Nowhere("a value"))
}
