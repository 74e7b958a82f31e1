//! The list: places under headings, by step or as a tree of files.

use std::collections::HashSet;

use emendo_core::Proposal;

use crate::state::filter::Filter;
use crate::state::items::Item;

/// What a heading stands for.
#[derive(Clone, Debug, PartialEq, Eq, Hash)]
pub(crate) enum Heading {
    /// A step, by number.
    Step(usize),
    /// A folder, from the root.
    Folder(String),
    /// A file, by number.
    File(usize),
}

/// A row of the list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Row {
    Head {
        depth: usize,
        heading: Heading,
        text: String,
        /// Places below it, and those of them that wait.
        all: usize,
        waiting: usize,
        folded: bool,
    },
    /// A place, by its number among the items.
    Place { depth: usize, item: usize },
}

/// How the list is put in order.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Group {
    Step,
    File,
}

/// The rows of the places that are listed.
pub(crate) fn rows(
    p: &Proposal,
    items: &[Item],
    filter: &Filter,
    group: Group,
    folded: &HashSet<Heading>,
) -> Vec<Row> {
    let mut listed: Vec<usize> = (0..items.len()).filter(|i| filter.holds(p, &items[*i])).collect();
    let mut out = Vec::new();
    match group {
        Group::Step => {
            listed.sort_by_key(|i| items[*i].step);
            for places in listed.chunk_by(|a, b| items[*a].step == items[*b].step) {
                let step = items[places[0]].step;
                let text = p.header.steps.get(step).map_or("", |s| s.title.as_str()).to_owned();
                let open = head(&mut out, (0, Heading::Step(step), text), (items, places), folded);
                if open {
                    out.extend(places.iter().map(|i| Row::Place { depth: 1, item: *i }));
                }
            }
        }
        Group::File => {
            folder(&mut out, (p, items, folded), &listed, ("", 0));
        }
    }
    out
}

/// Adds a heading; true if what is below it is to be listed.
fn head(
    out: &mut Vec<Row>,
    (depth, heading, text): (usize, Heading, String),
    (items, places): (&[Item], &[usize]),
    folded: &HashSet<Heading>,
) -> bool {
    let waiting = places.iter().filter(|i| items[**i].state.waits()).count();
    let is_folded = folded.contains(&heading);
    let all = places.len();
    out.push(Row::Head { depth, heading, text, all, waiting, folded: is_folded });
    !is_folded
}

/// The rows of a folder: a chain of folders with nothing else in it is one heading.
fn folder(
    out: &mut Vec<Row>,
    (p, items, folded): (&Proposal, &[Item], &HashSet<Heading>),
    places: &[usize],
    (prefix, depth): (&str, usize),
) {
    let path = |i: &usize| items[*i].file.map_or("", |f| p.files[f].path.as_str());
    // The part of a path that comes next below the folder.
    let next = |i: &usize| {
        let rest = path(i).strip_prefix(prefix).unwrap_or("").trim_start_matches('/');
        rest.split_once('/').map(|(first, _)| first.to_owned())
    };
    for group in places.chunk_by(|a, b| match (next(a), next(b)) {
        (Some(x), Some(y)) => x == y,
        (None, None) => items[*a].file == items[*b].file,
        _ => false,
    }) {
        let Some(mut name) = next(&group[0]) else {
            let file = items[group[0]].file;
            let Some(file) = file else {
                out.extend(group.iter().map(|i| Row::Place { depth, item: *i }));
                continue;
            };
            let text = p.files[file].path.name().to_owned();
            if head(out, (depth, Heading::File(file), text), (items, group), folded) {
                out.extend(group.iter().map(|i| Row::Place { depth: depth + 1, item: *i }));
            }
            continue;
        };
        let join = |a: &str, b: &str| if a.is_empty() { b.to_owned() } else { format!("{a}/{b}") };
        let mut whole = join(prefix, &name);
        loop {
            let rest = |i: &usize| {
                let rest = path(i).strip_prefix(whole.as_str()).unwrap_or("");
                rest.trim_start_matches('/').split_once('/').map(|(f, _)| f.to_owned())
            };
            let Some(only) = rest(&group[0]) else { break };
            if !group.iter().all(|i| rest(i).as_ref() == Some(&only)) {
                break;
            }
            name = format!("{name}/{only}");
            whole = join(&whole, &only);
        }
        let heading = Heading::Folder(whole.clone());
        if head(out, (depth, heading, format!("{name}/")), (items, group), folded) {
            folder(out, (p, items, folded), group, (&whole, depth + 1));
        }
    }
}
