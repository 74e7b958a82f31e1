//! Where a pattern fits in a project, and, where it fits nowhere, how far it came.

use std::sync::Arc;

use emendo_actions::{Code, Needs, World};
use emendo_lang::{Certainty, Index, Project as _, Resolver};
use emendo_pattern::{Nearest, Pattern};
use emendo_text::{Lines, RelPath, Text};
use rayon::prelude::*;
use serde::Serialize;

use crate::plan::{Declared, Narrow};
use crate::project::{Project, ProjectFiles, is_generated, walk};

/// Files in which the nearest place is looked for.
const NEAR_FILES: usize = 400;
/// Longest excerpt of a place and of a slot, in bytes.
const EXCERPT: usize = 500;
/// Larger files are passed over.
const MAX_FILE: u64 = 64 << 20;

/// A place where a pattern fits.
#[derive(Clone, Debug, Serialize)]
pub struct Hit {
    /// The file.
    pub path: RelPath,
    /// Its line, from 1.
    pub line: u32,
    /// Where on the line, in characters from 1.
    pub column: u32,
    /// The first byte.
    pub start: u32,
    /// After the last byte.
    pub end: u32,
    /// The code, or its start where it is long.
    pub text: String,
    /// What each slot holds: name and text.
    pub slots: Vec<(String, String)>,
    /// How sure it is that the names mean what was given.
    pub certainty: Certainty,
    /// Why, in plain words.
    pub evidence: Vec<String>,
}

/// The place where a pattern came furthest.
#[derive(Clone, Debug, Serialize)]
pub struct Near {
    /// The file.
    pub path: RelPath,
    /// The line at which it stopped, from 1.
    pub line: u32,
    /// Where on the line, in characters from 1.
    pub column: u32,
    /// The line's text.
    pub source: String,
    /// What the pattern wants there.
    pub wanted: String,
    /// What stands there.
    pub found: String,
    /// Parts of the pattern that fitted before.
    pub fitted: usize,
}

/// What a search found.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Search {
    /// Files of the language.
    pub files: usize,
    /// Files that hold all the words of the pattern.
    pub candidates: usize,
    /// The places, by path and place.
    pub hits: Vec<Hit>,
    /// Places where comparing was given up: too many ways to fit several list slots.
    pub gave_up: usize,
    /// Where nothing fits: the nearest place.
    pub near: Option<Near>,
}

/// Looks for a pattern in all files of its language.
pub fn search(world: &Arc<World>, project: &Project, pattern: &Pattern) -> Search {
    let language = pattern.language();
    let needs = Needs::of(pattern.needs());
    let narrow = Narrow::new([&needs], &Declared::default(), &[]);
    let walked = walk(project, &[]);
    let index =
        Index::new(Arc::new(ProjectFiles::new(world.clone(), project, walked.files.clone())));
    let files: Vec<RelPath> =
        walked.files.into_iter().filter(|p| world.reads(language, p)).collect();
    let found: Vec<(Vec<Hit>, usize)> = files
        .par_iter()
        .filter_map(|path| {
            let bytes = read(project, path)?;
            let wanted = narrow.may_matter(&bytes) && narrow.present(&bytes).meets(&needs);
            if !wanted || is_generated(&bytes) {
                return None;
            }
            Some(hits(pattern, path, &Text::decode(&bytes).ok()?, (world, &index)))
        })
        .collect();
    let mut out = Search { files: files.len(), candidates: found.len(), ..Search::default() };
    out.gave_up = found.iter().map(|f| f.1).sum();
    out.hits = found.into_iter().flat_map(|f| f.0).collect();
    if out.hits.is_empty() {
        out.near = nearest(project, pattern, &files, (world, &index));
    }
    out
}

fn read(project: &Project, path: &RelPath) -> Option<Arc<Vec<u8>>> {
    let size = project.size(path).ok()?;
    if size > MAX_FILE { None } else { project.bytes(path).ok() }
}

/// Where a pattern fits in a file, and at how many places comparing was given up.
fn hits(
    pattern: &Pattern,
    path: &RelPath,
    text: &Text,
    (world, index): (&World, &Index),
) -> (Vec<Hit>, usize) {
    let at = (path, index.files());
    let programs = Code::all(world, pattern.language(), at, text.as_str());
    let found: Vec<(Vec<Hit>, usize)> =
        programs.iter().map(|code| hits_in(code, pattern, path, (text.as_str(), index))).collect();
    let gave_up = found.iter().map(|f| f.1).sum();
    let mut out: Vec<Hit> = found.into_iter().flat_map(|f| f.0).collect();
    out.sort_by_key(|h| (h.start, h.end));
    (out, gave_up)
}

/// Where a pattern fits in one program of a file.
fn hits_in(
    code: &Code,
    pattern: &Pattern,
    path: &RelPath,
    (source, index): (&str, &Index),
) -> (Vec<Hit>, usize) {
    let view = code.text(source);
    let resolver = Resolver::new(pattern.language(), &code.facts, index, &code.tree, view);
    let lines = Lines::new(source);
    let mut out: Vec<Hit> = Vec::new();
    // Places come in order: columns are counted on from the last one, so that a long line is walked once.
    let mut last = (0u32, 0u32, 0u32);
    let found = pattern.places(&code.tree, view, &resolver);
    for mut m in found.matches {
        m.span = code.in_file(m.span);
        if out.last().is_some_and(|h| (h.start, h.end) == (m.span.start, m.span.end)) {
            continue;
        }
        let line = lines.line(m.span.start);
        let start = lines.start(line as usize - 1, source.len()) as u32;
        let (from, before) =
            if last.0 == line && last.1 <= m.span.start { (last.1, last.2) } else { (start, 0) };
        let counted = source[from as usize..m.span.start as usize].chars().count() as u32;
        let column = before + counted + 1;
        last = (line, m.span.start, column - 1);
        let say = |f: &emendo_lang::Fact| {
            let line = f.at.map_or(0, |at| lines.line(at.start));
            f.text.replace("{line}", &line.to_string())
        };
        let held = |s: &emendo_pattern::Bound| {
            s.text.clone().unwrap_or_else(|| excerpt(code.in_file(s.span).of(source)))
        };
        let named = m.slots.iter().filter(|s| s.name != "_");
        out.push(Hit {
            path: path.clone(),
            line,
            column,
            start: m.span.start,
            end: m.span.end,
            text: excerpt(m.span.of(source)),
            slots: named.map(|s| (s.name.clone(), held(s))).collect(),
            certainty: m.certainty(),
            evidence: m.facts.iter().map(say).collect(),
        });
    }
    (out, found.gave_up.len())
}

/// The start of a text, and a sign where it goes on: places may lie in one another, a hundred thousand deep.
fn excerpt(text: &str) -> String {
    if text.len() <= EXCERPT {
        return text.to_owned();
    }
    let end = (0..=EXCERPT).rev().find(|i| text.is_char_boundary(*i)).unwrap_or(0);
    format!("{} ...", &text[..end])
}

fn place(lines: &Lines, text: &str, at: u32) -> (u32, u32) {
    let line = lines.line(at);
    let start = lines.start(line as usize - 1, text.len());
    (line, text[start..at as usize].chars().count() as u32 + 1)
}

/// The place where the pattern came furthest, in the files that hold any of its words.
fn nearest(
    project: &Project,
    pattern: &Pattern,
    files: &[RelPath],
    (world, index): (&World, &Index),
) -> Option<Near> {
    let needs = Needs::of(pattern.needs());
    let any = Needs(needs.0.into_iter().flatten().map(|w| vec![w]).collect());
    let narrow = Narrow::new([&any], &Declared::default(), &[]);
    let holds = |p: &&RelPath| {
        any.0.is_empty() || read(project, p).is_some_and(|bytes| narrow.may_matter(&bytes))
    };
    let looked: Vec<Arc<RelPath>> =
        files.iter().filter(holds).take(NEAR_FILES).map(|p| Arc::new(p.clone())).collect();
    let best = looked
        .into_par_iter()
        .filter_map(|path| {
            let text = Text::decode(&read(project, &path)?).ok()?;
            let source = text.as_str();
            let near_in = |code: &Code| {
                let view = code.text(source);
                let resolver =
                    Resolver::new(pattern.language(), &code.facts, index, &code.tree, view);
                pattern.nearest(&code.tree, view, &resolver)
            };
            let programs = Code::all(world, pattern.language(), (&path, index.files()), source);
            let all = programs.iter().filter_map(near_in);
            let near: Nearest = all.reduce(|a, b| if b.fitted > a.fitted { b } else { a })?;
            let lines = Lines::new(source);
            let (line, column) = place(&lines, source, near.at.start);
            let start = lines.start(line as usize - 1, source.len());
            Some(Near {
                path: (*path).clone(),
                line,
                column,
                source: excerpt(source[start..].lines().next().unwrap_or("")),
                wanted: near.wanted,
                found: excerpt(near.at.of(source)),
                fitted: near.fitted,
            })
        })
        .collect::<Vec<_>>();
    best.into_iter().reduce(|a, b| if b.fitted > a.fitted { b } else { a })
}
