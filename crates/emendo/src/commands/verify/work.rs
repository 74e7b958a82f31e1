//! One verification under way: the check in the project, and what stands where in what is checked.

use std::collections::{BTreeSet, HashMap};

use emendo_core::{LineMap, OpenWork, Rehearsal, Session, TreeState, Variant};
use emendo_text::RelPath;
use emendo_verify::{CheckResult, History, Landmarks, Verification};

use crate::commands::verify::telling::Telling;
use crate::errors::Usage;
use crate::programs::check::{CheckCommand, CheckPlace, Files, run_check};

/// One verification under way.
pub(super) struct Work<'a> {
    pub(super) session: &'a Session,
    pub(super) history: &'a History,
    pub(super) command: &'a CheckCommand,
    pub(super) below: &'a str,
    /// The command that makes a copy ready.
    pub(super) prepare: Option<&'a str>,
    /// A project of any size is copied.
    pub(super) any_size: bool,
    pub(super) telling: &'a Telling,
    /// The applies that stand.
    pub(super) applies: &'a [u32],
}

impl Work<'_> {
    fn place(&self) -> CheckPlace<'_> {
        let root = self.session.project().root();
        CheckPlace { project: root, root, below: self.below }
    }

    pub(super) fn verification(&self, tree: &TreeState) -> Verification {
        Verification {
            command: self.command.words(),
            below: self.below.to_owned(),
            tree: tree.id(),
            applies: self.applies.to_vec(),
            before: None,
            after: None,
            ahead: false,
            new: Vec::new(),
            findings: None,
        }
    }

    /// Over the tree as it is, before anything is written.
    pub(super) fn baseline(&self) -> anyhow::Result<Verification> {
        let (tree, before) = self.in_place("before the edits")?;
        Ok(Verification { before: Some(before), ..self.verification(&tree) })
    }

    /// Runs the check in the project, and keeps what it says. Files that it writes are known as its own from then on.
    pub(super) fn in_place(&self, when: &str) -> anyhow::Result<(TreeState, CheckResult)> {
        let (tree, made) = (self.session.tree(), self.history.made());
        let files = Files::new(self.place(), &tree, std::iter::empty());
        self.telling.begins(&self.command.words(), when)?;
        let mut show = |line: &str| self.telling.line(line);
        let ran = run_check(self.command, self.place(), self.history, &files, None, &mut show);
        self.telling.ended();
        let result = ran.map_err(|e| failed_to_run(&self.command.words(), &e))?;
        let mut made = made;
        let now = self.session.tree();
        let written = self.session.journals()?;
        let ours: BTreeSet<&RelPath> =
            written.iter().flat_map(|j| j.ops.ops.iter().map(|o| &o.path)).collect();
        let fresh = now.unlike(&tree);
        if fresh.iter().any(|p| ours.contains(p)) {
            self.telling.warn(
                "files of the edits changed while the check ran: what it says may be of neither version",
            )?;
        }
        made.extend(fresh.into_iter().filter(|p| !ours.contains(p)));
        self.history.keep_made(&made)?;
        let tree = tree.without(&made);
        self.history.keep(tree.id(), (&self.command.words(), self.below), &result)?;
        Ok((tree, result))
    }

    /// What edits, notes and leftovers stand where in what is checked.
    pub(super) fn landmarks(&self, rehearsal: &Rehearsal) -> anyhow::Result<Landmarks> {
        let whole = rehearsal.whole()?;
        let project = self.session.project();
        let now = |path: &RelPath| match whole.files.get(path) {
            Some(content) => content.as_ref().map(|b| b.to_vec()),
            None => project.bytes(path).ok().map(|b| b.to_vec()),
        };
        let mut marks = Landmarks::of(rehearsal, &now);
        let Ok(proposal) = self.session.shown(&mut |_, _| {}) else { return Ok(marks) };
        let decisions = self.session.decisions()?;
        let open = OpenWork::of(&proposal, &decisions);
        let moved = Moved::new(rehearsal, &whole);
        marks.add(&open, &|path, line| moved.line(path, line));
        Ok(marks)
    }
}

/// Where lines of the files on disk stand in what is checked.
struct Moved(HashMap<RelPath, (RelPath, LineMap)>);

impl Moved {
    fn new(rehearsal: &Rehearsal, whole: &Variant) -> Self {
        if rehearsal.is_written() || whole.files.is_empty() {
            return Self(Default::default());
        }
        let outcomes = rehearsal.runs.iter().flat_map(|r| &r.outcomes);
        let moved = outcomes.filter_map(|o| {
            let lines = LineMap::between(&o.before, &o.after);
            Some((o.from.clone()?, (o.to.clone()?, lines)))
        });
        Self(moved.collect())
    }

    fn line(&self, path: &RelPath, line: u32) -> (RelPath, u32) {
        match self.0.get(path) {
            Some((to, lines)) => (to.clone(), lines.at(line)),
            None => (path.clone(), line),
        }
    }
}

/// A command that cannot be run is a wrong command.
pub(super) fn failed_to_run(command: &str, e: &std::io::Error) -> anyhow::Error {
    match e.kind() {
        std::io::ErrorKind::NotFound => Usage::error(
            format!("`{}` cannot be run: there is no such program", emendo_text::one_line(command)),
            "the command after `--` runs without a shell; for a line of shell: `-- sh -c \"LINE\"`",
        ),
        _ => anyhow::Error::new(std::io::Error::new(e.kind(), e.to_string()))
            .context(format!("`{}` cannot be run", emendo_text::one_line(command))),
    }
}
