//! `recipe list`: the recipes that are known here.

use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use emendo_core::{RecipePlace, check};
use emendo_recipe::Recipe;
use emendo_report::json;
use emendo_text::one_line;

use crate::commands::recipe::show::versions;
use crate::globals::Globals;
use crate::show;
use crate::show::{BOLD, DIM, count};

/// List the recipes that are known here
///
/// Recipes are found in the folders that `recipes` in emendo.toml lists, in the user's own folder, and among those that ship with the
/// program. Wherever a command takes a recipe, its id will do.
#[derive(Args)]
pub(crate) struct List {
    /// Only recipes whose id, title, summary or library contains all of these words
    words: Vec<String>,
    /// Only recipes for this library: its name, or a part of a coordinate
    #[arg(long, value_name = "NAME")]
    library: Option<String>,
    /// Only recipes that are about this ecosystem
    #[arg(long, value_name = "NAME")]
    ecosystem: Option<String>,
    /// Only recipes that change code of this language
    #[arg(long, value_name = "NAME")]
    lang: Option<String>,
}

impl List {
    pub(super) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let shelf = globals.shelf();
        let mut all: Vec<(RecipePlace, Recipe)> = Vec::new();
        for k in shelf.all() {
            // Of two with one id the nearer counts.
            if all.iter().any(|(_, r)| r.id == k.id) {
                continue;
            }
            let checked = check(&globals.world, vec![k.source], &Default::default(), &shelf);
            all.extend(checked.recipes.into_iter().map(|r| (k.kept, r)));
        }
        let known = all.len();
        all.retain(|(_, r)| self.wants(r));
        let mut out = anstream::stdout().lock();
        if globals.json {
            return show::json(&mut out, &json::listed(&all));
        }
        let width = all.iter().map(|(_, r)| r.id.chars().count()).max().unwrap_or(0);
        for (kept, r) in &all {
            let place = match kept {
                RecipePlace::Project => "project",
                RecipePlace::User => "user",
                RecipePlace::Shipped => "shipped",
            };
            let id = one_line(&r.id);
            writeln!(out, "{BOLD}{id:<width$}{BOLD:#}  {}", one_line(&r.title))?;
            let parts = [
                versions(r),
                r.languages().into_iter().collect::<Vec<_>>().join(", "),
                r.ecosystems().into_iter().collect::<Vec<_>>().join(", "),
                format!("{place}: {}", r.source.name),
            ];
            let parts: Vec<String> =
                parts.iter().filter(|p| !p.is_empty()).map(|p| one_line(p)).collect();
            writeln!(out, "{:width$}  {DIM}{}{DIM:#}", "", parts.join(" · "))?;
        }
        if all.is_empty() {
            match known {
                0 => writeln!(out, "no recipe is known here")?,
                n => writeln!(out, "none of {} is like that", count(n, "recipe"))?,
            }
        }
        if globals.json || known > 1 {
            return Ok(ExitCode::SUCCESS);
        }
        let own = crate::places::user_folder().map(|p| p.display().to_string()).unwrap_or_default();
        writeln!(
            out,
            "\n{DIM}more are looked for in folders that `recipes = [\"...\"]` in emendo.toml names, and in {own}{DIM:#}"
        )?;
        Ok(ExitCode::SUCCESS)
    }

    fn wants(&self, r: &Recipe) -> bool {
        let library = r.library.iter();
        let names = library.flat_map(|l| {
            std::iter::once(l.name.to_lowercase())
                .chain(l.coordinates.iter().map(|c| c.text.to_lowercase()))
        });
        let names: Vec<String> = names.collect();
        let text = format!(
            "{} {} {} {}",
            r.id,
            r.title,
            r.summary.as_deref().unwrap_or(""),
            names.join(" ")
        )
        .to_lowercase();
        let has = |w: &String| text.contains(&w.to_lowercase());
        let is = |l: &String| names.iter().any(|n| n.contains(&l.to_lowercase()));
        self.words.iter().all(has)
            && self.library.as_ref().is_none_or(is)
            && self.ecosystem.as_ref().is_none_or(|e| r.ecosystems().contains(e))
            && self.lang.as_ref().is_none_or(|l| r.languages().contains(l))
    }
}
