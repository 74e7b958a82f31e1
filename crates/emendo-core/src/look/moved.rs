//! What steps do to files as a whole: found out before a step runs, since files that refer to others must know.

use std::collections::{BTreeMap, HashMap, HashSet};

use emendo_actions::{FileMove, FileOp, Moves, PathsCx, Runner, menders};
use emendo_lang::Index;
use emendo_text::RelPath;
use rayon::prelude::*;

use crate::apply::may_write;
use crate::edits::{Decisions, OnceWritten};
use crate::look::truths::Truths;
use crate::plan::{Declared, Narrow, Plan};
use crate::project::{Project, ProjectFiles};

/// What the paths of a project are like at a step.
pub(crate) struct PathsNow<'a> {
    pub(crate) project: &'a Project,
    /// The files as the steps before have left them.
    pub(crate) texts: &'a ProjectFiles,
    pub(crate) index: &'a Index,
    pub(crate) truths: &'a Truths,
    pub(crate) own: &'a [OnceWritten],
    pub(crate) decisions: &'a Decisions,
}

/// What a step does to files as a whole, with what mends the references to them.
pub(crate) struct StepMoves {
    pub(crate) moves: Moves,
    pub(crate) menders: Vec<Box<dyn Runner>>,
}

/// What a step does to files as a whole; none if it has no such action.
pub(crate) fn moves(plan: &Plan, n: usize, now: &PathsNow<'_>) -> Option<StepMoves> {
    let step = &plan.steps[n];
    let rules = step.actions.iter().enumerate();
    let mut rules = rules.filter_map(|(i, a)| Some((i, a, a.asks.paths.as_ref()?))).peekable();
    rules.peek()?;
    let written =
        |path: &RelPath| now.own.iter().any(|o| o.step == step.info.key && o.path == *path);
    let found = rules.flat_map(|(i, action, rule)| {
        rule.moves(&PathsCx {
            tables: &plan.world,
            files: now.texts.paths(),
            project: now.index,
            covers: &|path| now.truths.cover(action, path),
            text: &|path| now.texts.peek(path),
            written: &written,
            action: i,
        })
    });
    let mut all = one_each(found.collect());
    if all.is_empty() {
        return None;
    }
    all.iter_mut().for_each(|m| m.rejected = now.decisions.gone(m.tie()));
    refuse_unwritable(&mut all, now);
    refuse_taken(&mut all, now);
    let mut moves = Moves::new(all);
    let mended = menders(&plan.world.tables, &moves, now.index);
    for (path, fact) in mended.doubts {
        moves.doubt(&path, fact);
    }
    moves.users = users(&mended.words, now.texts);
    moves.users.extend(mended.users);
    moves.users.extend(moves.all().iter().map(|m| m.path.clone()).collect::<Vec<_>>());
    Some(StepMoves { moves, menders: mended.menders })
}

/// True if a step moves files although most projects have none for it.
pub(crate) fn moves_after_all(plan: &Plan, now: &PathsNow<'_>) -> bool {
    let rarely = |n: &usize| plan.steps[*n].actions.iter().any(|a| a.asks.paths_rarely);
    let mut steps = (0..plan.steps.len()).filter(rarely);
    steps.any(|n| moves(plan, n, now).is_some())
}

/// One move for each file: deleting beats moving, else what stands first in the recipe counts, and the file says so.
fn one_each(all: Vec<FileMove>) -> Vec<FileMove> {
    let mut kept: BTreeMap<RelPath, FileMove> = BTreeMap::new();
    for m in all {
        match kept.get_mut(&m.path) {
            None => drop(kept.insert(m.path.clone(), m)),
            Some(known) if known.op == m.op => {}
            Some(known) if m.op == FileOp::Delete => *known = m,
            Some(known) if known.op == FileOp::Delete => {}
            Some(known) => {
                let other = m.target().map_or(String::new(), |t| format!("`{t}`"));
                let first = known.target().map_or(String::new(), |t| format!("`{t}`"));
                known.withheld = Some(format!("it would become both {first} and {other}"));
            }
        }
    }
    kept.into_values().collect()
}

/// Holds back what would write where nothing is written.
fn refuse_unwritable(all: &mut [FileMove], now: &PathsNow<'_>) {
    for m in all.iter_mut().filter(|m| m.withheld.is_none()) {
        let Some(to) = m.target() else { continue };
        if !may_write(to) {
            m.withheld = Some(format!("nothing is ever written at `{to}`"));
        } else if now.project.protects(to) {
            m.withheld = Some(format!("emendo.toml protects `{to}`"));
        }
    }
}

/// Holds back what would lie where another file lies.
fn refuse_taken(all: &mut [FileMove], now: &PathsNow<'_>) {
    let mut targets: HashMap<String, Vec<RelPath>> = HashMap::new();
    for m in all.iter().filter(|m| m.stands()) {
        if let Some(to) = m.target() {
            targets.entry(to.as_str().to_lowercase()).or_default().push(m.path.clone());
        }
    }
    for m in all.iter_mut().filter(|m| m.withheld.is_none()) {
        let Some(to) = m.target().cloned() else { continue };
        let other =
            targets.get(&to.as_str().to_lowercase()).into_iter().flatten().find(|p| **p != m.path);
        let other = other.filter(|_| !m.rejected);
        if let Some(other) = other {
            m.withheld = Some(format!("`{other}` would become `{to}` too"));
        }
    }
    // What makes room for others must not be held back itself.
    loop {
        let leaves: HashMap<RelPath, emendo_text::Digest> = all
            .iter()
            .filter(|m| m.stands() && m.op != FileOp::Create)
            .map(|m| (m.path.clone(), m.tie()))
            .collect();
        let mut changed = false;
        for m in all.iter_mut().filter(|m| m.withheld.is_none()) {
            let Some(to) = m.target().cloned() else { continue };
            let lower = |p: &RelPath| p.as_str().to_lowercase();
            let case_only = m.op != FileOp::Create && lower(&to) == lower(&m.path);
            if to == m.path && m.op != FileOp::Create {
                continue;
            }
            if let Some(tie) = leaves.get(&to).filter(|_| to != m.path) {
                m.needs = Some(*tie);
                continue;
            }
            m.needs = None;
            if let Some(what) = taken(&to, now).filter(|_| !case_only) {
                m.withheld = Some(what);
                changed = true;
            }
        }
        if !changed {
            return;
        }
    }
}

/// What lies at a path, or keeps a folder from being made there.
fn taken(to: &RelPath, now: &PathsNow<'_>) -> Option<String> {
    let known = |p: &RelPath| now.texts.paths().binary_search(p).is_ok();
    if known(to) || now.project.exists(to) {
        return Some(format!("`{to}` is there already"));
    }
    let mut folder = to.folder();
    while let Ok(around) = RelPath::new(folder) {
        if known(&around) || now.project.is_blocked(&around) {
            return Some(format!("`{around}` is a file, not a folder"));
        }
        folder = folder.rsplit_once('/')?.0;
    }
    None
}

/// Files that hold one of these words.
fn users(words: &[String], texts: &ProjectFiles) -> HashSet<RelPath> {
    if words.is_empty() {
        return HashSet::new();
    }
    let declared = Declared { words: words.iter().cloned().collect(), ..Declared::default() };
    let narrow = Narrow::new([], &declared, &[]);
    let all = texts.paths().par_iter();
    let holds = |p: &&RelPath| texts.peek_if(p, &|b| narrow.may_matter(b)).is_some();
    all.filter(holds).cloned().collect()
}
