//! What an apply writes, in one piece or step by step, each piece with a commit of its own.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::io;
use std::ops::RangeInclusive;

use emendo_lang::Certainty;
use emendo_text::{Digest, RelPath, Text};

use crate::apply::{
    CommitKind, CommitRecord, Disk, Formatter, History, Journal, NoHistory, Ops, Packer,
    PathChange, Phase, PlannedCommit, Unknown, message, title,
};
use crate::edits::{Decision, Decisions, Edit, OnceWritten, Standing, StepKey, Verdict, Waiting};
use crate::plan::Plan;
use crate::review::{Proposal, WrittenFile};
use crate::run::{FileAfter, FileResult, Sink};
use crate::session::Session;
use crate::session::error::SessionError;
use crate::state::mark_unsettled;

/// What `apply` is asked to do.
pub struct ApplyOptions<'a> {
    /// Accept this level and above first.
    pub accept: Option<Certainty>,
    /// Leave out files that have changed, and files that hold the user's own changes.
    pub skip_changed: bool,
    /// The time, in seconds since 1970; for people who read the journal.
    pub time: u64,
    /// Of these files, those that hold the user's own changes.
    pub dirty: &'a dyn Fn(&[RelPath]) -> Vec<RelPath>,
    /// Write files with the user's own changes too.
    pub with_uncommitted: bool,
    /// Write step by step, and make a commit of each.
    pub commits: bool,
    /// Version control, for commits.
    pub history: &'a dyn History,
    /// What brings files into the project's form.
    pub formatter: Option<&'a dyn Formatter>,
}

impl<'a> ApplyOptions<'a> {
    /// Writes all that is accepted, in files that this says hold no changes of the user's own; no commits.
    pub fn new(dirty: &'a dyn Fn(&[RelPath]) -> Vec<RelPath>) -> Self {
        Self {
            accept: None,
            skip_changed: false,
            time: 0,
            dirty,
            with_uncommitted: false,
            commits: false,
            history: &NoHistory,
            formatter: None,
        }
    }
}

/// What was written by itself, and can be taken back by itself.
#[derive(Clone, Debug)]
pub struct AppliedPart {
    /// Its number.
    pub id: u32,
    /// The titles of its steps; empty where all was written in one.
    pub title: String,
    /// Its steps; none where all was written in one.
    pub steps: Vec<StepKey>,
    /// Its files.
    pub files: Vec<RelPath>,
    /// Its edits.
    pub edits: usize,
    /// Its commit.
    pub commit: Option<String>,
    /// Files that were written and are in no commit: version control does not keep them, or they hold the user's own changes.
    pub uncommitted: Vec<RelPath>,
}

/// What a part makes of one path.
struct PartChange {
    path: RelPath,
    /// There is a file before.
    there: bool,
    /// Its content after; none where there is to be no file.
    after: Option<Vec<u8>>,
    /// Where the file goes that leaves the path.
    moved_to: Option<RelPath>,
    /// Where the file comes from that takes the path.
    from: Option<RelPath>,
}

impl PartChange {
    /// What leads from one state of a file to the next: where it lies, and its content.
    fn between(
        before: Option<&(RelPath, Vec<u8>)>,
        after: Option<&(RelPath, Vec<u8>)>,
    ) -> Vec<Self> {
        let same = before.map(|b| &b.0) == after.map(|a| &a.0);
        let leaves = before.map(|(path, _)| Self {
            path: path.clone(),
            there: true,
            after: after.filter(|_| same).map(|a| a.1.clone()),
            moved_to: after.filter(|_| !same).map(|a| a.0.clone()),
            from: None,
        });
        let comes = after.filter(|_| !same).map(|(path, bytes)| Self {
            path: path.clone(),
            there: false,
            after: Some(bytes.clone()),
            moved_to: None,
            from: before.map(|b| b.0.clone()),
        });
        leaves.into_iter().chain(comes).collect()
    }

    /// Adds it to what is written; `before` is the content that stands there.
    fn pack(
        &self,
        packer: &mut Packer<'_>,
        disk: &dyn Disk,
        before: &[u8],
        dirty: bool,
    ) -> io::Result<()> {
        let meta = match &self.from {
            Some(from) => disk.meta(from)?,
            None => None,
        };
        packer.add(&PathChange {
            path: &self.path,
            before: self.there.then_some(before),
            after: self.after.as_deref(),
            moved_to: self.moved_to.as_ref(),
            meta,
            dirty,
        })
    }
}

/// Steps that are written together.
pub(super) struct Part {
    /// The numbers of its steps in the plan; those between the first and the last that write nothing among them.
    steps: RangeInclusive<usize>,
    /// Its steps that write something.
    pub(super) keys: Vec<StepKey>,
    /// What its files become; of the first part that stands in the packer.
    changes: Vec<PartChange>,
    used: Vec<Decision>,
    once: Vec<OnceWritten>,
    /// Its edits, for who must find them again.
    drafts: Vec<Waiting>,
}

impl Part {
    fn of(steps: RangeInclusive<usize>, keys: Vec<StepKey>) -> Self {
        let (changes, used) = (Vec::new(), Vec::new());
        Self { steps, keys, changes, used, once: Vec::new(), drafts: Vec::new() }
    }

    /// All steps in one.
    pub(super) fn whole(plan: &Plan) -> Vec<Self> {
        vec![Self::of(0..=plan.steps.len(), Vec::new())]
    }

    /// A part for each step with accepted edits, and one for those that cannot stand apart.
    pub(super) fn by_step(plan: &Plan, accepted: &HashMap<Digest, &Edit>) -> Vec<Self> {
        let number = |key: &StepKey| plan.steps.iter().position(|s| s.info.key == *key);
        let ties: Vec<(usize, Option<Digest>, Option<Digest>)> = accepted
            .values()
            .filter_map(|e| Some((number(&e.step)?, e.provides, e.needs)))
            .collect();
        let writes: HashSet<usize> = ties.iter().map(|t| t.0).collect();
        let keys = |steps: &RangeInclusive<usize>| {
            let all = steps.clone().filter(|n| writes.contains(n));
            all.map(|n| plan.steps[n].info.key.clone()).collect()
        };
        let runs = together(&ties);
        runs.into_iter().map(|steps| Self::of(steps.clone(), keys(&steps))).collect()
    }
}

/// The runs of steps that stand by themselves, from their edits: the number of the step, what the edit provides, what it needs. Steps
/// stand together only where an edit of the earlier one needs an edit of the later; what lies between them goes along.
fn together(edits: &[(usize, Option<Digest>, Option<Digest>)]) -> Vec<RangeInclusive<usize>> {
    let mut last: HashMap<Digest, usize> = HashMap::new();
    for (n, provides, _) in edits {
        if let Some(tie) = provides {
            let at = last.entry(*tie).or_default();
            *at = (*n).max(*at);
        }
    }
    let mut reach: BTreeMap<usize, usize> = BTreeMap::new();
    for (n, _, needs) in edits {
        let to = needs.and_then(|tie| last.get(&tie)).copied().unwrap_or(*n);
        let at = reach.entry(*n).or_insert(*n);
        *at = to.max(*at);
    }
    let mut out: Vec<RangeInclusive<usize>> = Vec::new();
    for (n, to) in reach {
        match out.last_mut().filter(|run| n <= *run.end()) {
            Some(run) => *run = *run.start()..=to.max(*run.end()),
            None => out.push(n..=to),
        }
    }
    out
}

/// Gathers what an apply writes, file by file and part by part.
pub(super) struct Gathering<'a> {
    pub(super) disk: &'a dyn Disk,
    /// Takes what the first part writes; that can be much, and is not held in memory.
    pub(super) packer: Packer<'a>,
    pub(super) parts: Vec<Part>,
    /// The numbers of the steps.
    pub(super) numbers: HashMap<StepKey, usize>,
    pub(super) accepted: &'a HashMap<Digest, &'a Edit>,
    pub(super) bases: HashMap<RelPath, Digest>,
    pub(super) dirty: HashSet<RelPath>,
    /// What of it is in the user's own words.
    pub(super) own_words: HashMap<Digest, String>,
    pub(super) underfoot: Vec<RelPath>,
    /// Steps that do their work once.
    pub(super) once: HashSet<StepKey>,
    /// What becomes of each file in the end.
    pub(super) written: HashMap<RelPath, WrittenFile>,
    /// Files move, come or go.
    pub(super) moves: bool,
}

impl Gathering<'_> {
    fn part(&mut self, step: &StepKey) -> Option<&mut Part> {
        let n = *self.numbers.get(step)?;
        self.parts.iter_mut().find(|p| p.steps.contains(&n))
    }

    /// What an accepted edit stands for: it is used up.
    fn verdict(&self, e: &Edit) -> Option<Verdict> {
        let shown = self.accepted.get(&e.id)?;
        if let Some(own) = self.own_words.get(&e.id) {
            return Some(Verdict::Own { text: own.clone(), seal: e.seal });
        }
        Some(match shown.options.iter().find(|o| o.after == e.after) {
            Some(o) if !e.options.is_empty() => {
                Verdict::Picked { label: o.label.clone(), seal: o.seal }
            }
            _ => Verdict::Accepted { seal: e.seal },
        })
    }

    /// What steps wrote that is not to be done twice.
    fn once(&self, file: &FileResult) -> Vec<OnceWritten> {
        let mut out = OnceWritten::of(file.edits.iter(), &self.once);
        let named =
            |o: &mut OnceWritten| o.path.clone_from(file.fate.to.as_ref().unwrap_or(&file.path));
        if let Some(after) = &file.after {
            let text = Text::decode(after).map(|t| t.as_str().to_owned()).unwrap_or_default();
            out.extend(OnceWritten::reworded(&file.edits, &file.marks, &text));
        }
        out.iter_mut().for_each(named);
        out
    }

    /// What each part makes of a file.
    fn changes(&mut self, file: &mut FileResult, before: &[u8]) -> io::Result<()> {
        let dirty = self.dirty.contains(&file.path);
        let single = self.parts.len() == 1;
        let mut at = (!file.fate.created).then(|| (file.path.clone(), before.to_vec()));
        for (i, part) in self.parts.iter_mut().enumerate() {
            let step = file.steps.iter().rposition(|(n, _)| n <= part.steps.end());
            let next = match (single, step) {
                (true, _) if file.fate.deleted => None,
                (true, _) => {
                    let path = file.fate.to.as_ref().unwrap_or(&file.path).clone();
                    let bytes = file.after.take();
                    bytes.map(|b| (path, b)).or_else(|| at.clone())
                }
                (false, Some(step)) => {
                    let FileAfter { path, bytes } = &file.steps[step].1;
                    bytes.as_ref().map(|b| (path.clone(), b.clone()))
                }
                (false, None) => continue,
            };
            if next == at {
                continue;
            }
            for change in PartChange::between(at.as_ref(), next.as_ref()) {
                match i {
                    0 => change.pack(&mut self.packer, self.disk, before, dirty)?,
                    _ => part.changes.push(change),
                }
            }
            at = next;
        }
        Ok(())
    }
}

impl Sink for Gathering<'_> {
    fn file(&mut self, mut file: FileResult) -> io::Result<()> {
        let before = self.disk.read(&file.path)?;
        let came = file.fate.created && before.is_some();
        let before = before.unwrap_or_default();
        if came
            || Digest::of(&before) != file.base
            || self.bases.get(&file.path) != Some(&file.base)
        {
            self.underfoot.push(file.path);
            return Ok(());
        }
        for e in file.edits.iter().filter(|e| e.standing == Standing::In) {
            let Some(verdict) = self.verdict(e) else { continue };
            let key = file.keys.get(&e.id).copied();
            let Some(part) = self.part(&e.step) else { continue };
            part.used.push(Decision::about(e, verdict));
            let (step, path) = (e.step.clone(), e.path.clone());
            part.drafts.extend(key.map(|key| Waiting { edit: e.id, step, path, key }));
        }
        for once in self.once(&file) {
            if let Some(part) = self.part(&once.step) {
                part.once.push(once);
            }
        }
        self.moves |= !file.fate.stays();
        let after = file.after.as_ref().filter(|a| **a != before).map(|a| Digest::of(a));
        self.changes(&mut file, &before)?;
        if let Some(after) = after {
            let written = WrittenFile { after, hunks: file.hunks };
            self.written.insert(file.path, written);
        }
        Ok(())
    }
}

/// A series of parts that is being written.
pub(super) struct Series<'a> {
    pub(super) session: &'a Session,
    pub(super) disk: &'a dyn Disk,
    pub(super) options: &'a ApplyOptions<'a>,
    pub(super) proposal: &'a Proposal,
    pub(super) dirty: HashSet<RelPath>,
    /// How files are: as they were proposed, or as a part before wrote them.
    pub(super) now: HashMap<RelPath, Digest>,
    /// The first apply of the series.
    pub(super) first: Option<u32>,
}

impl<'a> Series<'a> {
    /// Writes one part and makes its commit. On an error it is taken back, and what was written before stays.
    ///
    /// # Errors
    /// What stopped it.
    pub(super) fn write(
        &mut self,
        mut part: Part,
        packer: Option<Packer<'a>>,
        waiting: Vec<Waiting>,
    ) -> Result<Option<(AppliedPart, Journal)>, SessionError> {
        let mut packer = match packer {
            Some(packer) => packer,
            None => Packer::begin(self.disk, &self.session.state()?)?,
        };
        for change in std::mem::take(&mut part.changes) {
            if let Err(e) = self.add(&mut packer, &change) {
                packer.abandon();
                return Err(e);
            }
        }
        if packer.is_empty() {
            packer.abandon();
            return Ok(None);
        }
        let plan = Ops {
            decisions: part.used.clone(),
            once: std::mem::take(&mut part.once),
            steps: part.keys.clone(),
            series: self.options.commits.then(|| self.first.unwrap_or(packer.id())),
            waiting,
            ..Ops::new(self.options.time, &self.proposal.header)
        };
        let mut journal = packer.seal(plan)?;
        self.first.get_or_insert(journal.id);
        let room = journal.room(false);
        journal.run(self.disk).map_err(|e| SessionError::of_disk(e, room))?;
        let (commit, uncommitted) = match self.finish(&mut journal, &part) {
            Ok(done) => done,
            Err(e) => {
                let aside = self.session.state()?.join(crate::session::ASIDE);
                journal.take_back(self.disk, Unknown::Aside(&aside))?;
                return Err(e);
            }
        };
        if let Err(e) = self.session.use_up(&mut journal, self.disk) {
            // With a commit it is finished by the next run; without one nothing is to be left of it.
            if commit.is_none() {
                self.session.roll_back(self.disk, &mut journal, false)?;
            }
            return Err(e);
        }
        for op in &journal.ops.ops {
            match op.becomes() {
                Some(digest) => drop(self.now.insert(op.path.clone(), digest)),
                None => drop(self.now.remove(&op.path)),
            }
        }
        let written = AppliedPart {
            id: journal.id,
            title: title(&self.proposal.header, &part.keys),
            steps: part.keys,
            files: journal.ops.files(),
            edits: part.used.len(),
            commit,
            uncommitted,
        };
        Ok(Some((written, journal)))
    }

    fn add(&self, packer: &mut Packer<'_>, change: &PartChange) -> Result<(), SessionError> {
        let path = &change.path;
        let before = self.disk.read(path)?;
        let as_known = self.now.get(path).copied() == before.as_ref().map(|b| Digest::of(b));
        if change.there != before.is_some() || change.there && !as_known {
            return Err(SessionError::Changed(vec![path.clone()]));
        }
        let dirty = self.dirty.contains(path);
        Ok(change.pack(packer, self.disk, &before.unwrap_or_default(), dirty)?)
    }

    /// What follows when the files of a part are written: the project's form, and the commit. Gives that, and the files that are
    /// in none.
    fn finish(
        &self,
        journal: &mut Journal,
        part: &Part,
    ) -> Result<(Option<String>, Vec<RelPath>), SessionError> {
        let paths: Vec<RelPath> = journal.ops.ops.iter().map(|o| o.path.clone()).collect();
        let there: Vec<RelPath> =
            journal.ops.ops.iter().filter(|o| !o.gone).map(|o| o.path.clone()).collect();
        if let Some(formatter) = self.options.formatter.filter(|f| !f.is_idle(&there)) {
            journal.enter(self.disk, Phase::Formatting)?;
            formatter.format(&there)?;
            journal.adopt(self.disk)?;
            journal.enter(self.disk, Phase::Written)?;
        }
        if !self.options.commits {
            return Ok((None, Vec::new()));
        }
        let own = |p: &&RelPath| self.dirty.contains(*p);
        let (mut out, mut clean): (Vec<RelPath>, Vec<RelPath>) =
            (paths.iter().filter(own).cloned().collect(), paths);
        clean.retain(|p| !self.dirty.contains(p));
        let message = self.message(part, &clean)?;
        let new: Vec<RelPath> =
            journal.ops.ops.iter().filter(|o| o.born).map(|o| o.path.clone()).collect();
        let planned = self.options.history.plan(&message, &clean, &new)?;
        let held = planned.as_ref().map_or(&[][..], |p| &p.paths);
        out.extend(clean.iter().filter(|p| !held.contains(p)).cloned());
        let Some(planned) = planned else { return Ok((None, out)) };
        let id = self.session.commit(
            journal,
            self.disk,
            (CommitKind::Written, planned),
            self.options.history,
        )?;
        Ok((Some(id), out))
    }

    /// The message of a part's commit.
    pub(super) fn message(&self, part: &Part, paths: &[RelPath]) -> Result<String, SessionError> {
        let template = self.session.project().commit_message();
        let header = &self.proposal.header;
        message(template, header, &part.keys, (part.used.len(), paths))
            .map_err(SessionError::Message)
    }
}

/// The edits of each part that come after it.
pub(super) fn waiting(parts: &[Part]) -> Vec<Vec<Waiting>> {
    let mut out = vec![Vec::new(); parts.len()];
    for i in (1..parts.len()).rev() {
        let later: Vec<Waiting> = out[i].iter().chain(&parts[i].drafts).cloned().collect();
        out[i - 1] = later;
    }
    out
}

/// The files that the edits of a part are in.
pub(super) fn paths_of(part: &Part) -> Vec<RelPath> {
    let mut out: Vec<RelPath> = part.used.iter().filter_map(|d| d.path.clone()).collect();
    out.sort();
    out.dedup();
    out
}

/// The ids of the edits of a part.
pub(super) fn ids(part: &Part) -> impl Iterator<Item = Digest> {
    part.used.iter().map(|d| d.edit)
}

impl Session {
    /// The acceptances that an apply stands on are used up, and it is done.
    pub(super) fn use_up(
        &self,
        journal: &mut Journal,
        disk: &dyn Disk,
    ) -> Result<(), SessionError> {
        let used = journal.ops.decisions.iter();
        let cleared: Vec<Decision> =
            used.map(|d| Decision { verdict: Verdict::Cleared, ..d.clone() }).collect();
        Decisions::append(&self.log()?, &cleared)?;
        mark_unsettled(&self.state()?, true)?;
        Ok(journal.enter(disk, Phase::Done)?)
    }

    /// Makes a commit of an apply, kept before and after. A commit that something changed on the way is taken off again.
    ///
    /// # Errors
    /// If it is refused, or changed.
    pub(super) fn commit(
        &self,
        journal: &Journal,
        disk: &dyn Disk,
        (kind, planned): (CommitKind, PlannedCommit),
        history: &dyn History,
    ) -> Result<String, SessionError> {
        let mut record = CommitRecord { planned, made: None };
        journal.keep_commit(disk, kind, &record)?;
        let made = history.make(&record.planned).inspect_err(|_| journal.forget_commit(kind))?;
        let mut changed = match kind {
            CommitKind::Written => journal.unlike(disk, |o| [o.becomes()])?,
            CommitKind::TakenBack => journal.unlike(disk, |o| [o.was()])?,
        };
        changed.retain(|p| record.planned.paths.contains(p));
        if !changed.is_empty() || !made.otherwise.is_empty() {
            history.take_off(&record.planned, &made)?;
            journal.forget_commit(kind);
            let mut all: Vec<String> = changed.iter().map(ToString::to_string).collect();
            all.extend(made.otherwise.into_iter().filter(|o| !all.contains(o)).collect::<Vec<_>>());
            return Err(SessionError::HookChanged(all));
        }
        record.made = Some(made.id.clone());
        journal.keep_commit(disk, kind, &record)?;
        history.follow(&record.planned, &made.id)?;
        Ok(made.id)
    }
}

#[cfg(test)]
mod tests {
    use emendo_text::Digest;

    use super::together;

    #[test]
    fn steps_stand_together_only_where_an_earlier_one_needs_a_later() {
        let tie = |n: u8| Some(Digest::of(&[n]));
        let apart = [(0, None, None), (2, tie(1), None), (4, None, tie(1)), (4, tie(2), tie(2))];
        assert_eq!(together(&apart), [0..=0, 2..=2, 4..=4]);
        let needs = [(0, None, None), (1, None, tie(1)), (2, None, None), (3, tie(1), None)];
        assert_eq!(together(&needs), [0..=0, 1..=3]);
        let chain = [(0, None, tie(1)), (1, tie(1), tie(2)), (2, tie(2), None), (3, None, tie(1))];
        assert_eq!(together(&chain), [0..=2, 3..=3]);
        assert!(together(&[]).is_empty());
    }
}
