//! Where new import statements go, in the order of the file.

use emendo_lang::language::Language;
use emendo_lang::{FileFacts, Import, ImportName};
use emendo_text::{Part, Span, Splice};

use crate::written::ImportEdit;

/// The statements for some imports of a file in a folder, each with those that it makes: several names of one module in one.
pub(crate) fn statements<'n>(
    (language, folder): (&Language, &str),
    add: &[&'n ImportName],
    like: Option<&str>,
) -> Vec<(String, Vec<&'n ImportName>)> {
    let names = &language.names;
    let mut out: Vec<(String, Vec<&ImportName>)> = Vec::new();
    for name in add {
        if out.iter().any(|(_, done)| done.contains(name)) {
            continue;
        }
        let module = names.parent(&name.path);
        let plain = |n: &&ImportName| {
            !n.wildcard && !n.whole && !n.is_static && !n.passes_on && !module.is_empty()
        };
        let kin: Vec<&ImportName> = add
            .iter()
            .copied()
            .filter(|n| plain(n) && plain(name) && names.parent(&n.path) == module)
            .collect();
        let item = |n: &&ImportName| {
            let last = names.last(&n.path);
            let mark = if n.is_type { "type " } else { "" };
            let alias = n.alias.as_ref().map_or(String::new(), |a| format!(" as {a}"));
            format!("{mark}{last}{alias}")
        };
        let items: Vec<String> = kin.iter().map(item).collect();
        let path = language.spelled_from(folder, &name.path).filter(|_| !name.spelled);
        let spelled = path.map(|path| ImportName { path, ..(*name).clone() });
        let written = spelled.as_ref().unwrap_or(name);
        let module = names.parent(&written.path);
        let list =
            if kin.len() > 1 { (language.imports.write_list)(&module, &items, like) } else { None };
        let (statement, made) = match list {
            Some(list) => (list, kin),
            None => ((language.imports.write_import)(written, like), vec![*name]),
        };
        // One statement may bring in all of a module.
        match out.iter_mut().find(|s| s.0 == statement) {
            Some(same) => same.1.extend(made),
            None => out.push((statement, made)),
        }
    }
    out
}

pub(crate) fn insertions(
    (language, facts, manner): (&Language, &FileFacts, Option<&str>),
    text: &str,
    line_end: &str,
    add: &[&ImportName],
) -> Vec<ImportEdit> {
    let mut out: Vec<ImportEdit> = Vec::new();
    let like = |is_static: bool| {
        let like = facts.imports.iter().find(|i| i.is_static == is_static);
        like.or(facts.imports.first()).map(|i| i.span.of(text)).or(manner)
    };
    let (fixed, free): (Vec<&ImportName>, Vec<&ImportName>) =
        add.iter().copied().partition(|n| n.is_static);
    let all = [(free, false), (fixed, true)];
    let all =
        all.iter().flat_map(|(add, is)| statements((language, &facts.folder), add, like(*is)));
    for (statement, made) in all {
        let about: Vec<String> = made.iter().map(|n| n.path.clone()).collect();
        let (at, before, after) = insertion(language, facts, text, line_end, made[0]);
        let written = format!("{before}{statement}{after}");
        match out.iter_mut().find(|e| e.splice.span == Span::at(at)) {
            Some(same) => {
                // Several at one place: the first brings the blank lines, the others follow line by line.
                if let Some(Part::Text(t)) = same.splice.parts.first_mut() {
                    if before.is_empty() && after == line_end {
                        t.push_str(&written);
                    } else {
                        let lead = before.rsplit(['\n', '\r']).next().unwrap_or("");
                        let rest = format!("{line_end}{lead}{statement}");
                        let cut = t.trim_end_matches(['\n', '\r']).len();
                        t.insert_str(cut, &rest);
                    }
                }
                same.about.extend(about);
            }
            None => {
                let splice = Splice::text(Span::at(at), written);
                out.push(ImportEdit { splice, about, statement: None });
            }
        }
    }
    out
}

/// The blanks at the start of the line of a statement.
pub(crate) fn lead_of(text: &str, at: usize) -> &str {
    let start = text[..at].rfind(['\n', '\r']).map_or(0, |i| i + 1);
    let lead = &text[start..at];
    &lead[..lead.len() - lead.trim_start().len()]
}

/// Where a new import goes, and the text before and after it.
pub(crate) fn insertion(
    language: &Language,
    facts: &FileFacts,
    text: &str,
    line_end: &str,
    name: &ImportName,
) -> (usize, String, String) {
    let names = &language.names;
    let wanted = names.segments(&name.path);
    let shared =
        |i: &Import| i.segments.iter().zip(&wanted).take_while(|(a, b)| a.0 == **b).count();
    let indent = |i: &Import| {
        let start = i.span.start as usize;
        let from = text[..start].rfind(['\n', '\r']).map_or(0, |l| l + 1);
        start - from
    };
    // Imports inside functions and conditions are not place for one that holds for the file.
    let module = |i: &Import| names.absolute && facts.types.iter().any(|t| t.span == i.scope);
    let package = |i: &Import| facts.packages.iter().any(|(p, _)| *p == i.scope);
    let whole = |i: &&Import| facts.is_whole(i.scope) || package(i) || module(i);
    let outermost = facts.imports.iter().filter(whole).map(indent).min().unwrap_or(0);
    let here = |i: &&Import| whole(i) && indent(i) == outermost;
    let all: Vec<&Import> = facts.imports.iter().filter(here).collect();
    let lead = " ".repeat(outermost);
    let like: Vec<&&Import> = all.iter().filter(|i| i.is_static == name.is_static).collect();
    if let Some(best) = like.iter().map(|i| shared(i)).max() {
        // The run of imports of the nearest kin, in file order; the new one goes before the first that sorts after it.
        let group = |root: &str| (language.imports.group)(root);
        let own = wanted.first().map_or(0, |root| group(root));
        let group_of = |i: &Import| i.segments.first().map_or(0, |s| group(&s.0));
        let close: Vec<&&&Import> = like.iter().filter(|i| shared(i) == best).collect();
        let same: Vec<&&&Import> = close.iter().copied().filter(|i| group_of(i) == own).collect();
        let gap = |before: &Import, behind: bool| {
            let apart = group_of(before) != own;
            let blank = (best == 0 || apart) && grouped(facts, text) && (behind || apart);
            if blank { line_end.repeat(2) } else { line_end.to_owned() }
        };
        if same.is_empty() {
            // The first of its group: after the groups before it.
            let before = like.iter().rev().find(|i| group_of(i) < own);
            return match before {
                Some(last) => {
                    let at = line_stop(text, last.span.end as usize);
                    (at, gap(last, true) + &lead, String::new())
                }
                None => {
                    let first = like[0];
                    let at = line_start(text, first.span.start as usize);
                    (at, lead, gap(first, false))
                }
            };
        }
        let kin = same;
        let sorts_behind =
            |i: &Import| i.segments.iter().map(|s| s.0.as_str()).gt(wanted.iter().copied());
        let behind = kin.iter().find(|i| sorts_behind(i));
        return match behind {
            Some(next) => (line_start(text, next.span.start as usize), lead, line_end.to_owned()),
            None => {
                let last = kin.last().map_or(0, |i| i.span.end as usize);
                let blank = best == 0 && grouped(facts, text);
                let gap = if blank { line_end.repeat(2) } else { line_end.to_owned() };
                (line_stop(text, last), gap + &lead, String::new())
            }
        };
    }
    if let Some(first) = all.first().filter(|_| language.imports.types_first && !name.is_static) {
        let at = line_start(text, first.span.start as usize);
        return (at, lead, line_end.repeat(2));
    }
    if let Some(last) = all.last() {
        // Imports of the other kind only: a group of its own after them.
        let at = line_stop(text, last.span.end as usize);
        return (at, format!("{line_end}{line_end}{lead}"), String::new());
    }
    let before = facts.package_span.map_or(facts.preamble_end, |p| p.end.max(facts.preamble_end));
    match before {
        0 => (0, String::new(), format!("{line_end}{line_end}")),
        at => (line_stop(text, at as usize), format!("{line_end}{line_end}"), String::new()),
    }
}

/// True if the file sets imports of different roots apart by blank lines.
pub(crate) fn grouped(facts: &FileFacts, text: &str) -> bool {
    let root = |i: &Import| i.segments.first().map(|s| s.0.clone());
    facts.imports.windows(2).any(|w| {
        if w[1].span.start < w[0].span.end {
            return false;
        }
        let between = &text[w[0].span.end as usize..w[1].span.start as usize];
        let lines: Vec<&str> = between.split('\n').collect();
        let inner = lines.get(1..lines.len().saturating_sub(1)).unwrap_or(&[]);
        root(&w[0]) != root(&w[1]) && inner.iter().any(|l| l.trim().is_empty())
    })
}

pub(crate) fn line_start(text: &str, at: usize) -> usize {
    let start = text[..at].rfind(['\n', '\r']).map_or(0, |i| i + 1);
    if text[start..at].trim().is_empty() { start } else { at }
}

/// The end of the line, so that a comment after a statement stays beside it.
pub(crate) fn line_stop(text: &str, at: usize) -> usize {
    let end = text[at..].find(['\n', '\r']).map_or(text.len(), |i| at + i);
    let rest = text[at..end].trim();
    if rest.is_empty() || rest.starts_with("//") || rest.starts_with("/*") { end } else { at }
}
