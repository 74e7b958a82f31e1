//! Import statements that follow from the edits of a file: added in its own order, dropped with the last use.

use emendo_text::{Part, Span};

use crate::facts::{FileFacts, Import, ImportName};
use crate::language::{Language, Space};
use crate::pattern::{Splice, delete_splice};

/// What the active edits of one file and step ask of its imports.
#[derive(Debug, Default)]
pub struct ImportPlan {
    /// Imports that written names need.
    pub add: Vec<ImportName>,
    /// Bytes that edits take away without copying them.
    pub removed: Vec<Span>,
    /// Symbols whose import goes even if it was unused before.
    pub drop: Vec<String>,
}

/// One change of the imports.
#[derive(Debug)]
pub struct ImportEdit {
    /// The change.
    pub splice: Splice,
    /// The statements that are changed or dropped, by path, and added.
    pub about: Vec<String>,
    /// The statement that is changed or dropped.
    pub statement: Option<Span>,
}

impl ImportPlan {
    /// The changes, in order of place.
    pub fn edits(
        &self,
        language: &Language,
        facts: &FileFacts,
        text: &str,
        line_end: &str,
    ) -> Vec<ImportEdit> {
        let removed = joined(self.removed.clone());
        let mut add: Vec<&ImportName> = self.add.iter().filter(|a| !known(facts, a)).collect();
        add.sort();
        add.dedup();
        let mut dropped: Vec<&Import> =
            facts.imports.iter().filter(|i| self.unused(language, facts, &removed, i)).collect();
        let mut edits = Vec::new();
        // A new import stands on the line of the one it replaces: one of the same name first.
        let mut pairs: Vec<(&Import, &ImportName)> = Vec::new();
        for same_name in [true, false] {
            dropped.retain(|old| {
                let fits = |new: &&ImportName| {
                    let last = new.path.rsplit('.').next();
                    // A line among other libraries' imports is no place for one of another root.
                    new.is_static == old.is_static
                        && root(&new.path) == root(old.path())
                        && (!same_name || last == old.local())
                };
                let Some(i) = add.iter().position(fits) else { return true };
                pairs.push((old, add.remove(i)));
                false
            });
        }
        for (old, new) in pairs {
            edits.push(ImportEdit {
                splice: rename(old, &new.path),
                about: vec![old.path().to_owned(), new.path.clone()],
                statement: Some(old.span),
            });
        }
        for old in dropped {
            edits.push(ImportEdit {
                splice: delete_splice(text, old.span, |_| None),
                about: vec![old.path().to_owned()],
                statement: Some(old.span),
            });
        }
        edits.extend(insertions(language, facts, text, line_end, &add));
        edits.sort_by_key(|e| (e.splice.span.start, e.splice.span.end));
        edits
    }

    /// True if the import was used, and every use goes.
    fn unused(
        &self,
        language: &Language,
        facts: &FileFacts,
        removed: &[Span],
        import: &Import,
    ) -> bool {
        let Some(local) = import.local() else { return false };
        if self.add.contains(&import.name()) || language.names.import.is_empty() {
            return false;
        }
        let uses = facts
            .words(local)
            .iter()
            .filter(|w| !matches!(w.space, Space::Member | Space::Declared));
        let mut any = false;
        let all_go = uses.into_iter().all(|w| {
            any |= !facts.hides(local, w);
            let i = removed.partition_point(|r| r.end < w.span.end);
            removed.get(i).is_some_and(|r| r.contains(w.span)) || facts.hides(local, w)
        });
        all_go && (any || self.drop.iter().any(|d| d == import.path()))
    }
}

/// Spans in order, those that touch made one.
fn joined(mut spans: Vec<Span>) -> Vec<Span> {
    spans.sort();
    let mut out: Vec<Span> = Vec::new();
    for s in spans {
        match out.last_mut() {
            Some(last) if s.start <= last.end => last.end = last.end.max(s.end),
            _ => out.push(s),
        }
    }
    out
}

/// The first segment.
fn root(path: &str) -> &str {
    path.split('.').next().unwrap_or(path)
}

fn known(facts: &FileFacts, name: &ImportName) -> bool {
    let (package, _) = name.path.rsplit_once('.').unwrap_or(("", &name.path));
    facts.imports.iter().any(|i| {
        i.is_static == name.is_static
            && (i.path() == name.path && i.wildcard == name.wildcard
                || (i.wildcard && i.path() == package && !name.wildcard))
    })
}

/// Turns the path of an import into another, touching only the segments that differ.
fn rename(import: &Import, path: &str) -> Splice {
    respell(&import.segments, path)
}

/// Turns dotted segments in place into another path, touching only those that differ.
pub fn respell(segments: &[(String, Span)], path: &str) -> Splice {
    let new: Vec<&str> = path.split('.').collect();
    let old: Vec<&str> = segments.iter().map(|(s, _)| s.as_str()).collect();
    let most = old.len().min(new.len());
    let head = old.iter().zip(&new).take_while(|(a, b)| a == b).count().min(most);
    let tail =
        old.iter().rev().zip(new.iter().rev()).take_while(|(a, b)| a == b).count().min(most - head);
    let (gone, come) = (&segments[head..segments.len() - tail], &new[head..new.len() - tail]);
    let text = come.join(".");
    match (gone.first(), gone.last()) {
        (Some(first), Some(last)) if !come.is_empty() => Splice::text(first.1.hull(last.1), text),
        // Segments only go: with the dot on one side.
        (Some(first), Some(last)) => {
            let span = match (head.checked_sub(1), segments.get(segments.len() - tail)) {
                (_, Some(next)) => Span { start: first.1.start, end: next.1.start },
                (Some(before), None) => Span { start: segments[before].1.end, end: last.1.end },
                (None, None) => first.1.hull(last.1),
            };
            Splice::text(span, "")
        }
        // Segments only come.
        _ => match segments.get(head) {
            Some(next) => Splice::text(Span::at(next.1.start as usize), format!("{text}.")),
            None => {
                let end = segments.last().map_or(0, |s| s.1.end as usize);
                Splice::text(Span::at(end), format!(".{text}"))
            }
        },
    }
}

fn insertions(
    language: &Language,
    facts: &FileFacts,
    text: &str,
    line_end: &str,
    add: &[&ImportName],
) -> Vec<ImportEdit> {
    let mut out: Vec<ImportEdit> = Vec::new();
    for name in add {
        let statement = (language.names.write_import)(name);
        let (at, before, after) = insertion(facts, text, line_end, name);
        let written = format!("{before}{statement}{after}");
        match out.iter_mut().find(|e| e.splice.span == Span::at(at)) {
            Some(same) => {
                // Several at one place: the first brings the blank lines, the others follow line by line.
                if let Some(Part::Text(t)) = same.splice.parts.first_mut() {
                    if before.is_empty() {
                        t.push_str(&written);
                    } else {
                        let rest = format!("{line_end}{statement}");
                        let cut = t.trim_end_matches(['\n', '\r']).len();
                        t.insert_str(cut, &rest);
                    }
                }
                same.about.push(name.path.clone());
            }
            None => {
                let splice = Splice::text(Span::at(at), written);
                out.push(ImportEdit { splice, about: vec![name.path.clone()], statement: None });
            }
        }
    }
    out
}

/// Where a new import goes, and the text before and behind it.
fn insertion(
    facts: &FileFacts,
    text: &str,
    line_end: &str,
    name: &ImportName,
) -> (usize, String, String) {
    let shared =
        |a: &str| a.split('.').zip(name.path.split('.')).take_while(|(a, b)| a == b).count();
    let like: Vec<&Import> =
        facts.imports.iter().filter(|i| i.is_static == name.is_static).collect();
    if let Some(best) = like.iter().map(|i| shared(i.path())).max() {
        // The run of imports of the nearest kin, in file order; the new one goes before the first that sorts behind it.
        let kin: Vec<&&Import> = like.iter().filter(|i| shared(i.path()) == best).collect();
        let behind = kin.iter().find(|i| i.path() > name.path.as_str());
        return match behind {
            Some(next) => {
                (line_start(text, next.span.start as usize), String::new(), line_end.to_owned())
            }
            None => {
                let last = kin.last().map_or(0, |i| i.span.end as usize);
                let gap = if best == 0 && grouped(facts, text) {
                    line_end.repeat(2)
                } else {
                    line_end.to_owned()
                };
                (line_stop(text, last), gap, String::new())
            }
        };
    }
    if let Some(last) = facts.imports.last() {
        // Imports of the other kind only: a group of its own behind them.
        return (
            line_stop(text, last.span.end as usize),
            format!("{line_end}{line_end}"),
            String::new(),
        );
    }
    match facts.package_span {
        Some(package) => {
            (line_stop(text, package.end as usize), format!("{line_end}{line_end}"), String::new())
        }
        None => (0, String::new(), format!("{line_end}{line_end}")),
    }
}

/// True if the file sets imports of different roots apart by blank lines.
fn grouped(facts: &FileFacts, text: &str) -> bool {
    facts.imports.windows(2).any(|w| {
        let between = &text[w[0].span.end as usize..w[1].span.start as usize];
        root(w[0].path()) != root(w[1].path())
            && between.lines().skip(1).any(|l| l.trim().is_empty())
            && between.lines().count() > 2
    })
}

fn line_start(text: &str, at: usize) -> usize {
    let start = text[..at].rfind(['\n', '\r']).map_or(0, |i| i + 1);
    if text[start..at].trim().is_empty() { start } else { at }
}

/// The end of the line, so that a comment behind a statement stays beside it.
fn line_stop(text: &str, at: usize) -> usize {
    let end = text[at..].find(['\n', '\r']).map_or(text.len(), |i| at + i);
    let rest = text[at..end].trim();
    if rest.is_empty() || rest.starts_with("//") || rest.starts_with("/*") { end } else { at }
}
