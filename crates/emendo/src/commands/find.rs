//! `find`: where a pattern fits, before a recipe is written.

use std::collections::BTreeMap;
use std::io;
use std::io::Write;
use std::process::ExitCode;

use clap::Args;
use emendo_core::{Certainty, Hit, Near, Project, Search, World, search};
use emendo_lang::Language;
use emendo_pattern::Pattern;
use emendo_report::json;
use emendo_text::{Diagnostic, one_line, visible, visible_name};

use crate::errors::{Shown, USAGE, Usage};
use crate::globals::Globals;
use crate::messages;
use crate::show::{BOLD, DIM, GOOD, LOOK, PLACE, count};

/// Longest code that is shown of a slot.
const SHOWN: usize = 100;

/// Show where a pattern matches, and what its slots hold there
///
/// The pattern is a piece of source with slots, as in a recipe: `new Station(@{host}, @{port})`. Where nothing matches,
/// the nearest place is shown, and where the match stopped. No file changes.
#[derive(Args)]
pub(crate) struct Find {
    /// The pattern; `-` reads it from standard input
    pattern: String,
    /// The language of the pattern
    #[arg(long, value_name = "LANGUAGE")]
    lang: String,
    /// A word of the pattern, and the symbol that it stands for; may be given several times
    #[arg(long, value_name = "WORD=SYMBOL")]
    names: Vec<String>,
    /// Read the pattern only as this: expression, statement, member, type, ...
    #[arg(long = "as", value_name = "CONTEXT")]
    context: Option<String>,
    /// Print how many places there are, and in how many files
    #[arg(long)]
    count: bool,
}

impl Find {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        let language = language(&globals.world, &self.lang)?;
        let names = names(&self.names)?;
        let source = if self.pattern == "-" {
            io::read_to_string(io::stdin())?
        } else {
            self.pattern.clone()
        };
        let compiled = Pattern::compile(language, &source, &names, self.context.as_deref());
        let pattern = match compiled {
            Ok(pattern) => pattern,
            Err(e) => {
                let d = Diagnostic::error(e.message, e.at).help(e.help);
                writeln!(anstream::stderr(), "{}", messages::render(&d, "the pattern", &source))?;
                let help = d.help.as_ref().map(messages::help);
                let messages = vec![json::diagnostic(&d, ("the pattern", &source), help)];
                let message = "the pattern cannot be read";
                return Err(Shown { code: USAGE, message, messages }.into());
            }
        };
        let project = Project::open(&globals.dir).map_err(emendo_core::SessionError::from)?;
        globals.around(&project)?;
        let root = project.root().to_owned();
        let project = project.with_tracked(move || crate::programs::git::tracked(&root));
        let found = search(&globals.world, &project, &pattern);
        let mut out = anstream::stdout().lock();
        if globals.json {
            let files = files(&found);
            let value = match self.count {
                true => json::places(&found, files),
                false => json::found(&found, files, &pattern.readings()),
            };
            crate::show::json(&mut out, &value)?;
        } else if self.count {
            total(&mut out, &found)?;
        } else {
            found.hits.iter().try_for_each(|h| hit(&mut out, h))?;
            total(&mut out, &found)?;
            if found.gave_up > 0 {
                let places = count(found.gave_up, "place");
                writeln!(
                    out,
                    "{LOOK}{places} not fully compared{LOOK:#}: too many ways to fit the list slots; write more of the code between them"
                )?;
            }
            if let Some(near) = &found.near {
                nearest(&mut out, near)?;
            }
        }
        Ok(ExitCode::SUCCESS)
    }
}

fn language(world: &World, word: &str) -> anyhow::Result<&'static Language> {
    world.language(word).ok_or_else(|| {
        Usage::error(
            format!("there is no language `{word}`"),
            format!("one of: {}", world.language_words()),
        )
    })
}

fn names(given: &[String]) -> anyhow::Result<BTreeMap<String, String>> {
    let pair = |g: &String| match g.split_once('=') {
        Some((word, symbol)) if !word.is_empty() && !symbol.is_empty() => {
            Ok((word.to_owned(), symbol.to_owned()))
        }
        _ => Err(Usage::error(
            format!("`{g}` names nothing"),
            "write `--names WORD=SYMBOL`, as in `--names Station=tidewire.client.Station`",
        )),
    };
    given.iter().map(pair).collect()
}

fn files(found: &Search) -> usize {
    let mut paths: Vec<&str> = found.hits.iter().map(|h| h.path.as_str()).collect();
    paths.dedup();
    paths.len()
}

fn hit(out: &mut impl Write, h: &Hit) -> io::Result<()> {
    let place = format!("{}:{}:{}", visible_name(h.path.as_str()), h.line, h.column);
    let style = if h.certainty == Certainty::Certain { GOOD } else { LOOK };
    let word = h.certainty.word();
    writeln!(out, "{PLACE}{place}{PLACE:#} {style}{word}{style:#}  {}", shown(&h.text))?;
    let width = h.slots.iter().map(|s| s.0.len()).max().unwrap_or(0);
    for (name, text) in &h.slots {
        writeln!(out, "    {DIM}{name:width$} ={DIM:#} {}", shown(text))?;
    }
    for why in h.evidence.iter().filter(|_| h.certainty != Certainty::Certain) {
        writeln!(out, "    {DIM}{}{DIM:#}", one_line(why))?;
    }
    Ok(())
}

/// Code on one line, cut where it is long.
fn shown(text: &str) -> String {
    let line = text.split_whitespace().collect::<Vec<_>>().join(" ");
    let line = visible(&line).into_owned();
    if line.chars().count() <= SHOWN {
        return line;
    }
    let head: String = line.chars().take(SHOWN).collect();
    format!("{head} ...")
}

fn total(out: &mut impl Write, found: &Search) -> io::Result<()> {
    let places = count(found.hits.len(), "place");
    let files = count(files(found), "file");
    writeln!(
        out,
        "{BOLD}{places} in {files}{BOLD:#} {DIM}({} looked at, {} with all words of the pattern){DIM:#}",
        count(found.files, "file"),
        found.candidates
    )
}

fn nearest(out: &mut impl Write, near: &Near) -> io::Result<()> {
    writeln!(
        out,
        "\nthe nearest place, where {} of the pattern fitted:",
        count(near.fitted, "token")
    )?;
    let place = format!("{}:{}:{}", visible_name(near.path.as_str()), near.line, near.column);
    writeln!(out, "  {PLACE}{place}{PLACE:#}  {}", shown(&near.source))?;
    if near.wanted.is_empty() {
        writeln!(out, "  it stopped at {LOOK}{}{LOOK:#}", shown(&near.found))
    } else {
        writeln!(
            out,
            "  the pattern wants {GOOD}{}{GOOD:#}; {LOOK}{}{LOOK:#} stands there",
            shown(&near.wanted),
            shown(&near.found)
        )
    }
}
