//! `recipe show`: what a recipe does, step by step, and why.

use std::collections::BTreeSet;
use std::io;
use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use emendo_recipe::{Recipe, Step};
use emendo_report::json;
use emendo_text::{one_line, visible_name};

use crate::globals::{Globals, inputs, load_to_look, refuse_faulty};
use crate::show;
use crate::show::{BOLD, DIM, LOOK, count};

/// Say what a recipe does: its steps with their reasons, what it includes, languages, cautions
#[derive(Args)]
pub(crate) struct Show {
    /// The recipe: a file, or an id that `recipe list` shows
    recipe: String,
    /// A value for an input of the recipe
    #[arg(long = "input", value_name = "NAME=VALUE")]
    inputs: Vec<String>,
}

impl Show {
    pub(super) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let checked = load_to_look(globals, &self.recipe, &inputs(&self.inputs)?)?;
        let recipe = &checked.recipes[0];
        // What can be read is shown, and what is wrong after it.
        if globals.json || recipe.title.is_empty() {
            refuse_faulty(&checked)?;
        }
        let mut out = anstream::stdout().lock();
        if globals.json {
            return show::json(&mut out, &json::recipe(recipe));
        }
        head(&mut out, recipe)?;
        writeln!(out)?;
        steps(&mut out, recipe, "", 0)?;
        out.flush()?;
        refuse_faulty(&checked)?;
        Ok(ExitCode::SUCCESS)
    }
}

/// The versions that a recipe leads from and to.
pub(super) fn versions(recipe: &Recipe) -> String {
    let Some(l) = &recipe.library else { return String::new() };
    let part = |lead: &str, t: &Option<emendo_recipe::Text>| {
        t.as_ref().map_or(String::new(), |t| format!(" {lead}{}", t.text))
    };
    format!("{}{}{}", l.name, part("", &l.from), part("to ", &l.to))
}

fn head(out: &mut impl Write, r: &Recipe) -> io::Result<()> {
    writeln!(out, "{BOLD}{}{BOLD:#} {DIM}({}){DIM:#}", one_line(&r.title), one_line(&r.id))?;
    if let Some(summary) = &r.summary {
        writeln!(out, "{}", one_line(summary))?;
    }
    writeln!(out)?;
    let list = |all: BTreeSet<String>| all.into_iter().collect::<Vec<_>>().join(", ");
    let rows = [
        ("file", r.source.name.clone()),
        ("library", versions(r)),
        ("languages", list(r.languages())),
        ("ecosystems", list(r.ecosystems())),
        ("docs", r.docs.clone().unwrap_or_default()),
    ];
    for (name, value) in rows.iter().filter(|r| !r.1.is_empty()) {
        writeln!(out, "{name:<11} {}", one_line(value))?;
    }
    for i in &r.inputs {
        let value = match (&i.default, i.one_of.is_empty()) {
            (Some(d), _) => format!("{d} unless given"),
            (None, _) => "must be given".to_owned(),
        };
        let about = i.summary.as_deref().unwrap_or("");
        let choice = if i.one_of.is_empty() {
            String::new()
        } else {
            format!(" {DIM}one of: {}{DIM:#}", i.one_of.join(", "))
        };
        writeln!(
            out,
            "{:<11} {} ({}) {}{choice}",
            "input",
            one_line(&i.name),
            one_line(&value),
            one_line(about)
        )?;
    }
    for (what, needs) in requirements(r) {
        writeln!(out, "{:<11} {what}: {}", "requires", one_line(&needs))?;
    }
    let actions: usize = r.whole().iter().flat_map(|r| &r.steps).map(|s| s.actions.len()).sum();
    let number: usize =
        r.whole().iter().flat_map(|r| &r.steps).filter(|s| s.include.is_none()).count();
    let examples: usize = r.whole().iter().map(|r| r.examples.len()).sum();
    let all = [count(number, "step"), count(actions, "action"), count(examples, "example")];
    writeln!(out, "{:<11} {}", "holds", all.join(", "))
}

fn requirements(r: &Recipe) -> Vec<(&'static str, String)> {
    let Some(t) = &r.requires else { return Vec::new() };
    let mut out = Vec::new();
    for (key, about) in [("machine", "installed here"), ("project", "declared by the project")] {
        for e in t.table(key).iter().flat_map(|t| &t.entries) {
            if let Some(version) = t.table(key).and_then(|t| t.text(&e.key)) {
                out.push((about, format!("{} {}", e.key, version.text)));
            }
        }
    }
    for (l, _) in t.tables("libraries") {
        if let (Some(name), Some(version)) = (l.text("name"), l.text("version")) {
            out.push(("library", format!("{} {}", name.text, version.text)));
        }
    }
    out
}

fn steps(out: &mut impl Write, r: &Recipe, lead: &str, depth: usize) -> io::Result<()> {
    let indent = "  ".repeat(depth);
    for s in &r.steps {
        let id = format!("{lead}{}", s.id);
        if let Some(include) = &s.include {
            let inner = include.loaded.as_deref();
            let title = if s.title.is_empty() { inner.map_or("", |r| &r.title) } else { &s.title };
            writeln!(out, "{indent}{BOLD}{}{BOLD:#}  {}", visible_name(&id), one_line(title))?;
            let name = inner.map_or(include.recipe.text.as_str(), |r| &r.id);
            writeln!(out, "{indent}  {DIM}includes the recipe {}{DIM:#}", one_line(name))?;
            about(out, s, &indent)?;
            if let Some(inner) = inner {
                steps(out, inner, &format!("{id}/"), depth + 1)?;
            }
            continue;
        }
        writeln!(out, "{indent}{BOLD}{}{BOLD:#}  {}", visible_name(&id), one_line(&s.title))?;
        about(out, s, &indent)?;
        writeln!(out, "{indent}  {DIM}{}{DIM:#}", kinds(s))?;
    }
    Ok(())
}

fn about(out: &mut impl Write, s: &Step, indent: &str) -> io::Result<()> {
    if let Some(why) = &s.why {
        writeln!(out, "{indent}  {}", one_line(why))?;
    }
    if let Some(caution) = &s.caution {
        writeln!(out, "{indent}  {LOOK}caution: {}{LOOK:#}", one_line(caution))?;
    }
    if let Some(docs) = &s.docs {
        writeln!(out, "{indent}  see {}", one_line(docs))?;
    }
    Ok(())
}

/// The kinds of a step's actions with how many there are.
fn kinds(s: &Step) -> String {
    let mut out: Vec<(&str, usize)> = Vec::new();
    for a in &s.actions {
        match out.iter_mut().find(|k| k.0 == a.kind.name()) {
            Some(k) => k.1 += 1,
            None => out.push((a.kind.name(), 1)),
        }
    }
    let one = |(kind, n): &(&str, usize)| {
        if *n == 1 { (*kind).to_owned() } else { format!("{kind} ({n})") }
    };
    let langs: BTreeSet<&str> =
        s.actions.iter().filter_map(|a| Some(a.scope.lang.as_ref()?.text.as_str())).collect();
    let kinds = out.iter().map(one).collect::<Vec<_>>().join(", ");
    if langs.is_empty() {
        return kinds;
    }
    format!("{kinds} in {}", langs.into_iter().collect::<Vec<_>>().join(", "))
}
