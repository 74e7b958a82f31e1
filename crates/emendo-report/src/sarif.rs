//! What is open as SARIF 2.1.0 (OASIS, "Static Analysis Results Interchange Format"): proposed edits with their fixes, notes, leftovers,
//! and what the check says since.

use std::collections::HashMap;

use emendo_core::{Edit, FileRecord, Standing, StepInfo, StepKey};
use emendo_lang::Certainty;
use emendo_text::{Lines, RelPath, Span, Text};
use serde_json::{Value, json};

use crate::model::{Report, ReportRun};

/// The report; `version` is the program's own.
pub fn sarif(report: &Report<'_>, version: &str) -> Value {
    let steps = report.steps();
    let mut results = Vec::new();
    if let Some(run) = &report.proposed {
        for (file, outcome) in run.proposal.files.iter().zip(run.outcomes) {
            let text = Text::decode(&outcome.before).ok();
            let source = Source::new(text.as_ref().map_or("", Text::as_str), file);
            let open = file.edits.iter().filter(|e| is_open(e, run));
            results.extend(open.map(|e| edit(e, &source)));
        }
    }
    let open = &report.open;
    for n in &open.notes {
        let at = n.path.as_ref().map(|p| location(p, n.line.map(|l| json!({ "startLine": l }))));
        let id = n.id.to_string();
        results.push(result(&n.step, "warning", &n.say, at, ("note", &id)));
    }
    for (path, l) in &open.leftovers {
        let advice = l.advice.as_ref().map_or(String::new(), |a| format!(": {a}"));
        let said = format!("`{}` is left ({}: {}){advice}", l.symbol, l.certainty.word(), l.why);
        let at = location(path, Some(json!({ "startLine": l.line })));
        let id = l.id.to_string();
        results.push(result(&l.step, "warning", &said, Some(at), ("leftover", &id)));
    }
    results.extend(problems(report));
    // Every rule that a result names is there, also of a step that no run has any more.
    let mut known: Vec<String> = steps.iter().map(|s| s.key.to_string()).collect();
    let mut rules: Vec<Value> = steps.iter().map(|s| rule(s)).collect();
    for r in &results {
        let id = r["ruleId"].as_str().unwrap_or_default().to_owned();
        if !known.contains(&id) {
            rules.push(json!({ "id": id }));
            known.push(id);
        }
    }
    json!({
        "$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
        "version": "2.1.0",
        "runs": [{
            "tool": { "driver": {
                "name": "emendo", "version": version, "semanticVersion": version, "rules": rules,
            } },
            "columnKind": "utf16CodeUnits",
            "originalUriBaseIds": { "PROJECT": { "description": { "text": "the project's root" } } },
            "results": results,
        }],
    })
}

/// A file as it is, with what each step imports into it; none where that cannot be said by places of the file.
struct Source<'a> {
    text: &'a str,
    lines: Lines,
    imports: HashMap<&'a StepKey, Option<Vec<Value>>>,
}

impl<'a> Source<'a> {
    fn new(text: &'a str, file: &'a FileRecord) -> Self {
        let mut out = Self { text, lines: Lines::new(text), imports: HashMap::new() };
        for d in file.edits.iter().filter(|e| e.derived) {
            let written = replacement(d, &out, &d.after);
            let all = out.imports.entry(&d.step).or_insert_with(|| Some(Vec::new()));
            match (all.as_mut(), written) {
                (Some(all), Some(written)) => all.push(written),
                _ => *all = None,
            }
        }
        out
    }

    /// Line and column from 1, the column in units of UTF-16.
    fn position(&self, at: u32) -> (u32, usize) {
        let line = self.lines.line(at);
        let start = self.lines.start(line as usize - 1, self.text.len());
        let before = self.text.get(start..at as usize).unwrap_or_default();
        (line, before.encode_utf16().count() + 1)
    }
}

/// An edit that nobody has rejected, and that is not written.
fn is_open(e: &Edit, run: &ReportRun<'_>) -> bool {
    use emendo_core::Status;
    !e.derived && e.standing.barred().is_none() && run.decisions.status(e) != Status::Rejected
}

fn rule(s: &StepInfo) -> Value {
    let mut rule = json!({
        "id": s.key.to_string(),
        "shortDescription": { "text": s.title },
        "defaultConfiguration": { "level": "note" },
    });
    if let Some(why) = &s.why {
        rule["fullDescription"] = json!({ "text": why });
    }
    if let Some(caution) = &s.caution {
        rule["help"] = json!({ "text": format!("Caution: {caution}") });
    }
    if let Some(docs) = s.docs.as_ref().filter(|d| d.contains("://")) {
        rule["helpUri"] = json!(docs);
    }
    rule
}

fn result(
    step: &StepKey,
    level: &str,
    text: &str,
    at: Option<Value>,
    (kind, id): (&str, &str),
) -> Value {
    let mut out = json!({
        "ruleId": step.to_string(),
        "level": level,
        "message": { "text": text },
        "partialFingerprints": { "emendo/v1": id },
        "properties": { "kind": kind },
    });
    if let Some(at) = at {
        out["locations"] = json!([at]);
    }
    out
}

fn edit(e: &Edit, source: &Source<'_>) -> Value {
    let level = match (e.certainty, &e.caution) {
        (_, Some(_)) => "warning",
        (Certainty::Unsure, _) => "note",
        _ => "warning",
    };
    let facts: Vec<&str> = e.evidence.iter().map(|f| f.text.as_str()).collect();
    let mut said = match e.of_file() {
        Some(what) => format!("{} {what}", e.path),
        None if e.options.is_empty() => "to be rewritten".to_owned(),
        None => {
            let labels: Vec<&str> = e.options.iter().map(|o| o.label.as_str()).collect();
            format!("to be chosen: {}", labels.join(", "))
        }
    };
    said.push_str(&format!(" ({})", e.certainty.word()));
    if let Some(caution) = &e.caution {
        said.push_str(&format!(". Caution: {caution}"));
    }
    if !facts.is_empty() {
        said.push_str(&format!(". {}", facts.join("; ")));
    }
    let region = region_of(e, source).unwrap_or_else(|| json!({ "startLine": e.line.max(1) }));
    let at = location(&e.path, Some(region));
    let id = e.id.to_string();
    let mut out = result(&e.step, level, &said, Some(at), ("edit", &id));
    out["properties"]["certainty"] = json!(e.certainty.word());
    let fixes = fixes(e, source);
    if !fixes.is_empty() {
        out["fixes"] = json!(fixes);
    }
    out
}

/// What writes the edit: with the imports of its step that follow in the same file. A choice has a fix for each alternative.
fn fixes(e: &Edit, source: &Source<'_>) -> Vec<Value> {
    // What other edits lie inside, or must come before, no fix by itself can say.
    let alone = e.file.is_none() && e.parents.is_empty() && e.needs.is_none();
    if !alone || e.standing == Standing::Out && e.options.is_empty() {
        return Vec::new();
    }
    let imports = match source.imports.get(&e.step) {
        None => &[][..],
        Some(Some(all)) => all,
        Some(None) => return Vec::new(),
    };
    let fix = |label: String, after: &str| {
        let mut all = vec![replacement(e, source, after)?];
        all.extend(imports.iter().cloned());
        Some(json!({
            "description": { "text": label },
            "artifactChanges": [{
                "artifactLocation": artifact(&e.path), "replacements": all,
            }],
        }))
    };
    if e.options.is_empty() {
        let after = e.with_inner.as_ref().unwrap_or(&e.after);
        return fix(format!("step {}", e.step.step), after).into_iter().collect();
    }
    let options = e.options.iter().filter(|o| !o.leaves);
    options
        .filter_map(|o| fix(format!("{}, without imports that it may need", o.label), &o.after))
        .collect()
}

fn replacement(e: &Edit, source: &Source<'_>, after: &str) -> Option<Value> {
    Some(json!({
        "deletedRegion": region_of(e, source)?,
        "insertedContent": { "text": after },
    }))
}

/// Where an edit's place stands, if it stands there as the edit says.
fn region_of(e: &Edit, source: &Source<'_>) -> Option<Value> {
    let span = e.origin?;
    let there = source.text.get(span.start as usize..span.end as usize)?;
    (there == e.before).then(|| region(span, source))
}

fn region(span: Span, source: &Source<'_>) -> Value {
    let (line, column) = source.position(span.start);
    let (end_line, end_column) = source.position(span.end);
    json!({
        "startLine": line, "startColumn": column, "endLine": end_line, "endColumn": end_column,
    })
}

fn location(path: &RelPath, region: Option<Value>) -> Value {
    let mut physical = json!({ "artifactLocation": artifact(path) });
    if let Some(region) = region {
        physical["region"] = region;
    }
    json!({ "physicalLocation": physical })
}

fn artifact(path: &RelPath) -> Value {
    json!({ "uri": uri(path.as_str()), "uriBaseId": "PROJECT" })
}

/// A path as a relative reference (RFC 3986): what is not allowed there is escaped.
fn uri(path: &str) -> String {
    let mut out = String::new();
    for b in path.bytes() {
        match b {
            b'a'..=b'z' | b'A'..=b'Z' | b'0'..=b'9' | b'/' | b'-' | b'.' | b'_' | b'~' => {
                out.push(char::from(b));
            }
            b => out.push_str(&format!("%{b:02X}")),
        }
    }
    out
}

/// What the check says since the edits.
fn problems(report: &Report<'_>) -> Vec<Value> {
    let new = report.verified.iter().flat_map(|v| &v.new);
    let mut equal: HashMap<String, usize> = HashMap::new();
    let mut one = |p: &emendo_verify::PlacedProblem| {
        let found = &p.problem;
        let code = found.code.as_ref().map_or(String::new(), |c| format!("{c}: "));
        let text = format!("{code}{}", found.message);
        let key = format!("{:?} {text}", found.path);
        let n = equal.entry(key.clone()).or_default();
        *n += 1;
        let id = emendo_text::Digest::of(format!("{key} {n}").as_bytes()).to_string();
        let at = found
            .path
            .as_ref()
            .map(|path| location(path, found.line.map(|l| json!({ "startLine": l.max(1) }))));
        let step = match p.near.step() {
            Some(step) => step.clone(),
            None => StepKey { recipe: "check".into(), step: found.tool.clone() },
        };
        result(&step, "error", &text, at, ("check", &id))
    };
    new.map(&mut one).collect()
}
