//! What steps do to files as a whole: found out before a step runs, since files that refer to others must know.

use std::collections::{BTreeMap, HashMap, HashSet};

use emendo_actions::{
    Asked, Code, Draft, FileCx, FileMove, FileOp, Found, Moves, Needs, PathChanges, PathsCx,
    Runner, TextIfHeld, menders,
};
use emendo_lang::{Index, Project as _};
use emendo_text::{Digest, RelPath, Span, Text};
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
    pub(crate) answers: &'a [Asked],
    /// Why nothing may be written at a place of a text.
    pub(crate) protected: &'a (dyn Fn(&RelPath, &str, Span) -> Option<String> + Sync),
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
    let mut found = PathChanges::default();
    for (i, action, rule) in rules {
        let more = rule.moves(&PathsCx {
            tables: &plan.world,
            files: now.texts.paths(),
            project: now.index,
            packages: &step.packages,
            answers: now.answers,
            covers: &|path| now.truths.cover(action, path),
            text: &|path| now.texts.peek(path),
            holding: &|needs| holding(needs, now.texts),
            declared: &|| declared(plan, n, now),
            written: &written,
            action: i,
        });
        found.moves.extend(more.moves);
        found.drafts.extend(more.drafts);
        found.notes.extend(more.notes);
    }
    let mut all = one_each(found.moves);
    if all.is_empty() && found.drafts.is_empty() && found.notes.is_empty() {
        return None;
    }
    all.iter_mut().for_each(|m| m.rejected = now.decisions.gone(m.tie()));
    refuse_unwritable(&mut all, now);
    refuse_taken(&mut all, now);
    let mut found = PathChanges { moves: all, ..found };
    together(&mut found, now);
    let mut moves = Moves::new(found);
    let mended = menders(&plan.world.tables, &moves, now.index);
    for (path, fact) in mended.doubts {
        moves.doubt(&path, fact);
    }
    moves.users.extend(users(&mended.words, now.texts));
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
            Some(known) if known.op == m.op && known.content == m.content => {}
            Some(known) if known.op == FileOp::Create && m.op == FileOp::Create => {
                known.withheld = Some("two actions of the step would create it".to_owned());
            }
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
        let leaves: HashMap<RelPath, Digest> = all
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
            m.needs = m.along;
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

/// The edits of a step that change names of declarations at the top of files, or packages.
fn declared(plan: &Plan, n: usize, now: &PathsNow<'_>) -> Vec<(RelPath, Draft)> {
    let step = &plan.steps[n];
    let mut out = Vec::new();
    for (i, action) in step.actions.iter().enumerate() {
        let Some(language) = action.asks.language else { continue };
        let holding = holding(&action.asks.needs, now.texts);
        let in_file = |path: &RelPath| {
            let text = holding(path)?;
            let text = Text::new(&text);
            let at = (path, now.index.files());
            let mut found = Found::default();
            for code in Code::all(&plan.world, language, at, text.as_str()) {
                let own = (code.text(text.as_str()), text.line_end());
                let cx = FileCx {
                    code: Some(&code),
                    packages: &step.packages,
                    answers: now.answers,
                    ..FileCx::new(&plan.world, path, own, now.index)
                };
                action.runner.find(&cx, i, &mut found);
            }
            found.drafts.retain(|d| !d.names.is_empty());
            Some(found.drafts.into_iter().map(|d| (path.clone(), d)).collect::<Vec<_>>())
        };
        let covered = now.texts.paths().par_iter().filter(|p| now.truths.cover(action, p));
        let found: Vec<(RelPath, Draft)> = covered.filter_map(in_file).flatten_iter().collect();
        out.extend(found);
    }
    out
}

/// What gives the text of a file that holds certain words.
fn holding<'a>(needs: &Needs, texts: &'a ProjectFiles) -> TextIfHeld<'a> {
    let narrow = Narrow::new([needs], &Declared::default(), &[]);
    let needs = needs.clone();
    Box::new(move |path| {
        texts.peek_if(path, &|b| narrow.may_matter(b) && narrow.present(b).meets(&needs))
    })
}

/// What goes together stands together: where a part of it is held back, protected or rejected, so is the rest.
fn together(found: &mut PathChanges, now: &PathsNow<'_>) {
    let ties: HashSet<Digest> = found.drafts.iter().filter_map(|d| d.1.tie.needs).collect();
    for tie in ties {
        let part = |d: &Draft| [d.tie.needs, d.tie.provides].contains(&Some(tie));
        let own = found.moves.iter().find(|m| m.tie() == tie);
        let mut why = own.and_then(|m| m.withheld.clone());
        let parts = || found.drafts.iter().filter(|d| part(&d.1));
        why = why.or_else(|| parts().find_map(|d| d.1.withheld.clone()));
        why = why.or_else(|| {
            parts().find_map(|(path, d)| (now.protected)(path, &now.texts.peek(path)?, d.hull))
        });
        if let Some(why) = why {
            let drafts = found.drafts.iter_mut().filter(|d| part(&d.1));
            drafts.for_each(|d| d.1.withheld = Some(why.clone()));
            let moves = found.moves.iter_mut().filter(|m| m.tie() == tie);
            moves.for_each(|m| m.withheld = Some(why.clone()));
            continue;
        }
        // One of the parts is rejected: the others rest on it.
        for (_, d) in found.drafts.iter_mut().filter(|d| d.1.tie.needs == Some(tie)) {
            let own = d.tie.provides.filter(|own| now.decisions.gone(*own));
            d.tie.needs = own.or(d.tie.needs);
        }
    }
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
