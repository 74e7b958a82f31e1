//! Goes over real files of every settings format: `documents FOLDER...`. Each is read; every place must stand in the text; every value,
//! written over itself, must read the same again; and taking any entry away must leave all others as they were.

#![allow(clippy::print_stdout)]

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use emendo_docs::{Doc, Edits, Format, NodeKind, Style, format_of};
use emendo_text::{RelPath, Text};

#[derive(Default)]
struct Tally {
    files: usize,
    unread: usize,
    values: usize,
    removed: usize,
    faults: Vec<String>,
}

fn main() {
    let mut files = Vec::new();
    std::env::args().skip(1).for_each(|dir| walk(Path::new(&dir), &mut files));
    let mut tallies: BTreeMap<&str, Tally> = BTreeMap::new();
    for path in files {
        let name = path.file_name().and_then(|n| n.to_str()).unwrap_or("");
        let Some(format) = RelPath::new(name).ok().and_then(|p| format_of(&p)) else { continue };
        let Ok(bytes) = std::fs::read(&path) else { continue };
        let Ok(text) = Text::decode(&bytes) else { continue };
        if bytes.len() > 200_000 {
            continue;
        }
        let tally = tallies.entry(format.id).or_default();
        tally.files += 1;
        if let Some(fault) = one(format, text.as_str(), tally) {
            tally.faults.push(format!("{}: {fault}", path.display()));
        }
    }
    for (id, t) in tallies {
        println!(
            "{id:<11} {:>6} files, {:>5} not read whole, {:>7} values, {:>6} removals, {:>4} faults",
            t.files,
            t.unread,
            t.values,
            t.removed,
            t.faults.len()
        );
        t.faults.iter().take(8).for_each(|f| println!("    {f}"));
    }
}

fn walk(dir: &Path, out: &mut Vec<PathBuf>) {
    let Ok(entries) = std::fs::read_dir(dir) else { return };
    for entry in entries.flatten() {
        match entry.file_type() {
            Ok(t) if t.is_dir() => walk(&entry.path(), out),
            Ok(t) if t.is_file() => out.push(entry.path()),
            _ => {}
        }
    }
}

/// The values of a document by their paths.
fn values(doc: &Doc) -> Vec<(String, String)> {
    let text = |f: &emendo_docs::Found<'_>| f.pair().node.text().map(str::to_owned);
    doc.all().iter().filter_map(|f| Some((f.path(), text(f)?))).collect()
}

fn one(format: &'static Format, text: &str, tally: &mut Tally) -> Option<String> {
    let doc = (format.read)(text);
    if !doc.errors.is_empty() {
        tally.unread += 1;
        return None;
    }
    let before = values(&doc);
    tally.values += before.len();
    let edits = Edits { format, text, doc: &doc };
    let mut patches = Vec::new();
    for f in doc.all() {
        let pair = f.pair();
        let sound = pair.span.contains(pair.node.span) || pair.heading;
        if !sound || text.get(pair.span.start as usize..pair.span.end as usize).is_none() {
            return Some(format!("the place of `{}`", f.path()));
        }
        if let NodeKind::Text(t) = &pair.node.kind {
            let block = pair.node.span.of(text).starts_with(['|', '>']);
            let many = pair.node.span.of(text).contains('\n') || t.contains('\n');
            if !block && !many {
                patches.push(edits.value(&pair.node, t));
            }
        }
    }
    patches.sort_by_key(|p| std::cmp::Reverse(p.span.start));
    let mut out = text.to_owned();
    for p in &patches {
        out.replace_range(p.span.start as usize..p.span.end as usize, &p.text);
    }
    let after = values(&(format.read)(&out));
    if let Some((a, b)) = before.iter().zip(&after).find(|(a, b)| a != b) {
        return Some(format!("a value over itself: {a:?} and {b:?}"));
    }
    if matches!(format.style, Style::Elements) {
        return None;
    }
    // A few entries go, one at a time.
    let all = doc.all();
    for f in all.iter().step_by(1 + all.len() / 5) {
        let patch = edits.remove(f);
        let mut out = text.to_owned();
        out.replace_range(patch.span.start as usize..patch.span.end as usize, &patch.text);
        let again = (format.read)(&out);
        tally.removed += 1;
        if !again.errors.is_empty() {
            return Some(format!("without `{}`: {}", f.path(), again.errors[0].message));
        }
        let left = values(&again);
        let gone = f.path();
        let other = |v: &&(String, String)| v.0 != gone && !v.0.starts_with(&format!("{gone}."));
        let kept = before.iter().filter(other).count();
        let have = left.iter().filter(other).count();
        if kept != have {
            return Some(format!("without `{gone}`: {kept} values and {have} left"));
        }
    }
    None
}
