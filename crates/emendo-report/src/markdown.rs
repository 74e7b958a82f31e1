//! What a migration did, as Markdown for a pull request or the files of the project.

use std::collections::BTreeMap;

use emendo_core::{Edit, Journal, OpenWork, Proposal, StepKey};
use emendo_text::{RelPath, one_line};

/// The end of a migration: what was applied, what was left on purpose, and what is left to do.
pub fn finished(proposal: &Proposal, applied: &[&Journal], work: &OpenWork<'_>) -> String {
    let mut out = String::new();
    let titles: Vec<String> = proposal.header.recipes.iter().map(|r| text(&r.title)).collect();
    line(&mut out, &format!("# {}\n", titles.join(", ")));
    steps(&mut out, proposal, applied);
    files(&mut out, applied);
    section(&mut out, "Not decided, or not written", &pending(work));
    section(&mut out, "Left to do", &left(work));
    section(&mut out, "Left on purpose", &on_purpose(work));
    out
}

fn line(out: &mut String, text: &str) {
    out.push_str(text);
    out.push('\n');
}

/// How many edits of each step were applied, with its reason.
fn steps(out: &mut String, proposal: &Proposal, applied: &[&Journal]) {
    let mut counts: BTreeMap<&StepKey, usize> = BTreeMap::new();
    for d in applied.iter().flat_map(|j| &j.ops.decisions) {
        *counts.entry(&d.step).or_default() += 1;
    }
    line(out, "| step | edits | what it does | why |\n|---|---|---|---|");
    for s in &proposal.header.steps {
        let n = counts.get(&s.key).copied().unwrap_or(0);
        let why = s.why.as_deref().map_or(String::new(), text);
        line(out, &format!("| {} | {n} | {} | {why} |", text(&s.key.step), text(&s.title)));
    }
    for s in proposal.header.steps.iter().filter(|s| counts.contains_key(&s.key)) {
        if let Some(caution) = &s.caution {
            line(out, &format!("\n**Caution** ({}): {}", text(&s.key.step), text(caution)));
        }
    }
}

fn files(out: &mut String, applied: &[&Journal]) {
    let mut all: Vec<RelPath> = applied.iter().flat_map(|j| j.ops.files()).collect();
    all.sort();
    all.dedup();
    let all: Vec<String> = all.into_iter().map(|p| code(p.as_str())).collect();
    section(out, "Changed files", &all);
}

fn section(out: &mut String, title: &str, items: &[String]) {
    if items.is_empty() {
        return;
    }
    line(out, &format!("\n## {title}\n"));
    let sign = if matches!(title, "Changed files" | "Left on purpose") { "-" } else { "- [ ]" };
    for item in items {
        line(out, &format!("{sign} {item}"));
    }
}

fn pending(work: &OpenWork<'_>) -> Vec<String> {
    let lists = [&work.undecided, &work.choices, &work.again, &work.accepted];
    let all = lists.into_iter().flatten();
    all.map(|e| format!("{}: {}", at(e), text(&e.step.step))).collect()
}

fn left(work: &OpenWork<'_>) -> Vec<String> {
    let mut out: Vec<String> = Vec::new();
    out.extend(
        work.notes.iter().map(|n| format!("{}: {}", place(n.path.as_ref(), n.line), text(&n.say))),
    );
    let held =
        work.held_back.iter().map(|e| format!("{}: {} is held back", at(e), text(&e.step.step)));
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
        list.iter().map(|e| format!("{}: {} {word}", at(e), text(&e.step.step))).collect::<Vec<_>>()
    };
    let mut out = edits(&work.rejected, "was rejected");
    out.extend(edits(&work.kept, "was left as it is"));
    out.extend(work.protected.iter().map(|e| {
        let why = e.standing.barred().unwrap_or_default();
        format!("{}: {}: {}", at(e), text(&e.step.step), text(why))
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
        if matches!(c, '\\' | '`' | '*' | '_' | '[' | ']' | '<' | '>' | '|' | '#' | '!' | '&') {
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
