//! Recipes from their files: loaded, compiled, and with every message about them.

use std::collections::BTreeMap;
use std::io;
use std::path::Path;

use emendo_recipe::{Recipe, Source, load};
use emendo_text::{Diagnostic, Severity};

use crate::actions::recipe_kinds;
use crate::plan::Plan;

/// Recipes with all that is to say about them.
pub struct Checked {
    /// The recipes, in order.
    pub recipes: Vec<Recipe>,
    /// The plan; only to be run if nothing failed.
    pub plan: Plan,
    /// The messages of each recipe, in the same order.
    pub messages: Vec<Vec<Diagnostic>>,
}

impl Checked {
    /// True if any message is an error.
    pub fn failed(&self) -> bool {
        self.messages.iter().flatten().any(|d| d.severity == Severity::Error)
    }
}

/// Reads a recipe's text.
///
/// # Errors
/// If the file cannot be read or is not UTF-8.
pub fn read_source(path: &Path) -> io::Result<Source> {
    let bytes = std::fs::read(path)?;
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes).to_vec();
    let text = String::from_utf8(bytes)
        .map_err(|_| io::Error::new(io::ErrorKind::InvalidData, "the file is not UTF-8"))?;
    let folder =
        path.parent().map(|p| if p.as_os_str().is_empty() { Path::new(".") } else { p }.to_owned());
    let full = path.canonicalize().unwrap_or_else(|_| path.to_owned());
    Ok(Source { name: path.display().to_string(), path: full.display().to_string(), text, folder })
}

/// Loads and compiles recipes in the order given.
pub fn check(sources: Vec<Source>, inputs: &BTreeMap<String, String>) -> Checked {
    let kinds = recipe_kinds();
    let several = sources.len() > 1;
    let mut recipes: Vec<Recipe> = Vec::new();
    let mut messages = Vec::new();
    for source in sources {
        // With several recipes, an input belongs to those that have it.
        let mut given = inputs.clone();
        if several {
            given.retain(|name, _| {
                source.text.contains(&format!("[inputs.{name}]"))
                    || source.text.contains("[inputs]")
            });
        }
        let mut loaded = load(source, &kinds, &given);
        if let Some(twin) = recipes.iter().find(|r| r.id == loaded.recipe.id && !r.id.is_empty()) {
            let message = format!("`{}` has the same id: `{}`", twin.source.name, twin.id);
            let mut d =
                Diagnostic::error(message, emendo_text::Span::at(0)).help("name each recipe once");
            d.labels.clear();
            loaded.diagnostics.push(d);
        }
        recipes.push(loaded.recipe);
        messages.push(loaded.diagnostics);
    }
    let (plan, more) = Plan::compile(&recipes);
    for (all, more) in messages.iter_mut().zip(more) {
        all.extend(more);
        all.sort_by_key(Diagnostic::start);
        all.dedup();
    }
    Checked { recipes, plan, messages }
}
