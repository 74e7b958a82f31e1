//! A migration as Markdown: for a pull request, or the files of the project.

use std::collections::BTreeMap;

use emendo_core::{Edit, OpenWork, StepKey};
use emendo_text::{RelPath, one_line};
use emendo_verify::{CheckResult, PlacedProblem, Verification, gathered};

use crate::model::{Report, ReportRun, What};

/// Rows of a table above which it is folded.
const LONG: usize = 25;

/// The whole report.
pub fn markdown(report: &Report<'_>) -> String {
    let mut out = String::new();
    heads(&mut out, report);
    if report.unread {
        line(
            &mut out,
            "A recipe is not what it was when it was applied: the edits of that apply are not listed, its files are.\n",
        );
    }
    steps(&mut out, report);
    libraries(&mut out, report);
    files(&mut out, report);
    verified(&mut out, report.verified.as_ref());
    section(&mut out, "Not decided, or not written", &pending(&report.open), Sign::ToDo);
    section(&mut out, "Left to do", &left(&report.open), Sign::ToDo);
    section(&mut out, "Left on purpose", &on_purpose(&report.open), Sign::Plain);
    out
}

fn line(out: &mut String, text: &str) {
    out.push_str(text);
    out.push('\n');
}

/// The titles, and from which version to which.
fn heads(out: &mut String, report: &Report<'_>) {
    let mut seen: Vec<&str> = Vec::new();
    let mut recipes = Vec::new();
    for r in report.runs().flat_map(|r| &r.proposal.header.recipes) {
        if !seen.contains(&r.id.as_str()) {
            seen.push(&r.id);
            recipes.push(r);
        }
    }
    let titles: Vec<String> = recipes.iter().map(|r| text(&r.title)).collect();
    let title = if titles.is_empty() { text(&report.project) } else { titles.join(", ") };
    line(out, &format!("# {title}\n"));
    for r in &recipes {
        let library = r.library.as_deref().unwrap_or(&r.title);
        let from = r.from.as_ref().map_or(String::new(), |v| format!(" from {}", code(v)));
        let to = r.to.as_ref().map_or(String::new(), |v| format!(" to {}", code(v)));
        let id = code(&r.id);
        if !from.is_empty() || !to.is_empty() {
            line(out, &format!("{}{from}{to}, by the recipe {id}.\n", text(library)));
        } else {
            line(out, &format!("By the recipe {id}.\n"));
        }
    }
    let edits = |r: &ReportRun<'_>| live(r).count();
    let applied: usize = report.applied.iter().map(edits).sum();
    let mut said = Vec::new();
    if !report.applied.is_empty() {
        said.push(format!("{} applied", count(applied, "edit")));
    }
    if let Some(run) = &report.proposed {
        let all = edits(run);
        if all > 0 || report.applied.is_empty() {
            said.push(format!("{} proposed", count(all, "edit")));
        }
    }
    if !said.is_empty() {
        line(out, &format!("{}, {}.\n", said.join(", "), count(report.changes.len(), "file")));
    }
}

/// The edits of a run that are in and decided by themselves.
fn live<'r>(run: &'r ReportRun<'_>) -> impl Iterator<Item = &'r Edit> {
    let is_in = |e: &&Edit| e.standing == emendo_core::Standing::In && !e.derived;
    run.proposal.edits().filter(is_in)
}

fn count(n: usize, one: &str) -> String {
    if n == 1 { format!("1 {one}") } else { format!("{n} {one}s") }
}

/// How many edits each step has, with its reason.
fn steps(out: &mut String, report: &Report<'_>) {
    let mut counts: BTreeMap<&StepKey, (usize, usize)> = BTreeMap::new();
    for run in report.runs() {
        for e in live(run) {
            let n = counts.entry(&e.step).or_default();
            if run.is_applied() {
                n.0 += 1;
            } else {
                n.1 += 1;
            }
        }
    }
    let both = !report.applied.is_empty() && counts.values().any(|c| c.1 > 0);
    let rows: Vec<String> = report
        .steps()
        .iter()
        .filter_map(|s| {
            let (applied, proposed) = *counts.get(&s.key)?;
            let number = match both {
                true => format!("{applied} | {proposed}"),
                false => format!("{}", applied + proposed),
            };
            let why = s.why.as_deref().map_or(String::new(), text);
            Some(format!("| {} | {number} | {} | {why} |", code(&s.key.step), text(&s.title)))
        })
        .collect();
    if rows.is_empty() {
        return;
    }
    let (head, rule) = match both {
        true => ("| step | applied | proposed | what it does | why |", "|---|--:|--:|---|---|"),
        false => ("| step | edits | what it does | why |", "|---|--:|---|---|"),
    };
    line(out, &format!("{head}\n{rule}"));
    rows.iter().for_each(|r| line(out, r));
    for s in report.steps().iter().filter(|s| counts.contains_key(&s.key)) {
        if let Some(caution) = &s.caution {
            line(out, &format!("\n> **Caution** ({}): {}", code(&s.key.step), text(caution)));
        }
    }
}

fn libraries(out: &mut String, report: &Report<'_>) {
    if report.libraries.is_empty() {
        return;
    }
    line(out, "\n## Dependencies\n\n| library | before | after |\n|---|---|---|");
    for l in &report.libraries {
        let versions = |all: &[String]| match all {
            [] => "–".to_owned(),
            all => all.iter().map(|v| code(v)).collect::<Vec<_>>().join(", "),
        };
        let name = code(&format!("{}:{}", l.ecosystem, l.coordinate));
        line(out, &format!("| {name} | {} | {} |", versions(&l.before), versions(&l.after)));
    }
}

/// What became of each file, and by which steps.
fn files(out: &mut String, report: &Report<'_>) {
    if report.changes.is_empty() {
        return;
    }
    let mut counts: Vec<String> = Vec::new();
    for what in [What::Changed, What::Created, What::Moved, What::Deleted] {
        let n = report.changes.iter().filter(|c| What::of(c) == what).count();
        if n > 0 {
            counts.push(format!("{n} {}", what.word()));
        }
    }
    line(out, &format!("\n## Files: {}\n", counts.join(", ")));
    let by = report.steps_by_file();
    let recipes: std::collections::BTreeSet<&str> =
        report.steps().iter().map(|s| s.key.recipe.as_str()).collect();
    let long = report.changes.len() > LONG;
    if long {
        let n = count(report.changes.len(), "file");
        line(out, &format!("<details><summary>{n}, with the steps that changed them</summary>\n"));
    }
    line(out, "| file | what | steps |\n|---|---|---|");
    for c in &report.changes {
        let Some(path) = c.path() else { continue };
        let name = match (&c.from, &c.to) {
            (Some(from), Some(to)) if from != to => {
                format!("{} → {}", code(from.as_str()), code(to.as_str()))
            }
            _ => code(path.as_str()),
        };
        let steps = by.get(path).into_iter().flatten().map(|s| match recipes.len() {
            1 => code(&s.step),
            _ => code(&s.to_string()),
        });
        let steps: Vec<String> = steps.collect();
        line(out, &format!("| {name} | {} | {} |", What::of(c).word(), steps.join(", ")));
    }
    if long {
        line(out, "\n</details>");
    }
}

/// How it was verified.
fn verified(out: &mut String, v: Option<&Verification>) {
    line(out, "\n## Verification\n");
    let Some(v) = v else {
        line(out, "The project's check was not run.");
        return;
    };
    let result = |r: &CheckResult| match (r.passed, r.code) {
        (true, _) => "passed".to_owned(),
        (false, Some(code)) => {
            format!("failed with exit code {code}, {}", count(r.problems.len(), "error"))
        }
        (false, None) => "was ended by a signal".to_owned(),
    };
    line(out, &format!("{}\n", code(&v.command)));
    match &v.before {
        Some(r) => line(out, &format!("- before the edits: {}", result(r))),
        None => line(out, "- before the edits: not run"),
    }
    if let Some(r) = &v.after {
        let how = if v.ahead { ", in a copy of the project" } else { "" };
        line(out, &format!("- with the edits{how}: {}", result(r)));
    }
    for g in v.guilty() {
        let n = count(g.problems, "error");
        line(out, &format!("- without the step {}: {n} less", code(&g.step.step)));
    }
    if !v.new.is_empty() {
        line(out, &format!("\n{} since the edits:\n", count(v.new.len(), "new error")));
    }
    for (_, all) in gathered(&v.new) {
        all.iter().for_each(|p| problem(out, p));
    }
}

fn problem(out: &mut String, p: &PlacedProblem) {
    let found = &p.problem;
    let at = match (&found.path, found.line) {
        (Some(path), Some(line)) => code(&format!("{path}:{line}")),
        (Some(path), None) => code(path.as_str()),
        _ => "no place".to_owned(),
    };
    let step = p.near.step().map_or(String::new(), |s| format!(" (step {})", code(&s.step)));
    line(out, &format!("- [ ] {at}: {}{step}", text(&found.message)));
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Sign {
    ToDo,
    Plain,
}

fn section(out: &mut String, title: &str, items: &[String], sign: Sign) {
    if items.is_empty() {
        return;
    }
    line(out, &format!("\n## {title}\n"));
    let sign = if sign == Sign::ToDo { "- [ ]" } else { "-" };
    for item in items {
        line(out, &format!("{sign} {item}"));
    }
}

fn pending(work: &OpenWork<'_>) -> Vec<String> {
    let lists = [&work.undecided, &work.choices, &work.again, &work.accepted];
    let all = lists.into_iter().flatten();
    all.map(|e| format!("{}: {}", at(e), code(&e.step.step))).collect()
}

fn left(work: &OpenWork<'_>) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    out.extend(
        work.notes.iter().map(|n| format!("{}: {}", place(n.path.as_ref(), n.line), text(&n.say))),
    );
    let held =
        work.held_back.iter().map(|e| format!("{}: {} is held back", at(e), code(&e.step.step)));
    out.extend(held);
    let left = work.leftovers.iter();
    out.extend(left.map(|(p, l)| {
        let advice = l.advice.as_deref().map_or(String::new(), |a| format!(": {}", text(a)));
        format!("{}: {} is still named{advice}", place(Some(p), Some(l.line)), code(&l.symbol))
    }));
    out
}

fn on_purpose(work: &OpenWork<'_>) -> Vec<String> {
    let edits = |list: &[&Edit], word: &str| {
        list.iter().map(|e| format!("{}: {} {word}", at(e), code(&e.step.step))).collect::<Vec<_>>()
    };
    let mut out = edits(&work.rejected, "was rejected");
    out.extend(edits(&work.kept, "was left as it is"));
    out.extend(work.protected.iter().map(|e| {
        let why = e.standing.barred().unwrap_or_default();
        format!("{}: {}: {}", at(e), code(&e.step.step), text(why))
    }));
    let notes = work.done_notes.iter().chain(&work.protected_notes);
    out.extend(notes.map(|n| format!("{}: {}", place(n.path.as_ref(), n.line), text(&n.say))));
    let left = work.done_leftovers.iter().chain(&work.protected_leftovers);
    out.extend(left.map(|(p, l)| format!("{}: {}", place(Some(p), Some(l.line)), code(&l.symbol))));
    out
}

fn at(e: &Edit) -> String {
    place(Some(&e.path), Some(e.line))
}

fn place(path: Option<&RelPath>, line: Option<u32>) -> String {
    match (path, line) {
        (Some(path), Some(line)) => code(&format!("{}:{line}", path.as_str())),
        _ => "the step itself".into(),
    }
}

/// A text on one line, with the signs of Markdown made harmless.
fn text(text: &str) -> String {
    let mut out = String::new();
    for c in one_line(text).chars() {
        if matches!(c, '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '|' | '#' | '!' | '&' | '@')
        {
            out.push('\\');
        }
        out.push(c);
    }
    out
}

/// A text as code, in a fence that is longer than any inside.
fn code(text: &str) -> String {
    let text = one_line(text).replace('|', "\\|");
    let longest = text.split(|c| c != '`').map(str::len).max().unwrap_or(0);
    let fence = "`".repeat(longest + 1);
    let pad = if longest > 0 { " " } else { "" };
    format!("{fence}{pad}{text}{pad}{fence}")
}
