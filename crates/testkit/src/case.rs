//! Cases as data.
//!
//! A case is cut into sections by lines that begin with `--- `: `recipe` (steps or actions; the head is added),
//! `before PATH`, `after PATH` (without it the file must stay as it is) and `notes` (a line each: parts of the
//! notes that are expected), `leftovers` (a line each: `PATH:LINE`, what is still there when all is done).
//! Words after a path change the bytes of the file: `crlf`, `bom`, `latin1`; after that of an `after` they say how
//! many edits of a certainty are proposed there: `certain=2 unsure=1`.
//! `gone PATH` is a file that is not there any more afterwards, since it is deleted or lies elsewhere: an `after` of its new path says what
//! it holds then.
//! A case without a recipe takes that of its folder, `shared.toml`.
//! `says ARGS` runs the program with ARGS in the project after `propose`: each line must stand in its output (`RECIPE` is
//! the recipe's path); `says! ARGS` on the tree as it is after `apply`; `hides` and `hides!`: no line may. `again` is what a
//! second run says; without it, it proposes nothing. `why` is not read.
//! `marked PATH OLD NEW` is a file before and after at once: on a line that ends with a comment of one word, a certainty,
//! OLD becomes NEW, with an edit for each that is so sure; all other lines stay.

use std::collections::BTreeMap;
use std::path::Path;

use emendo_core::{
    ApplyOptions, Certainty, OpenCounts, OpenWork, Proposal, RealDisk, Selection, Session, Shelf,
    Standing, Summary, Tally, check, read_source, summarize,
};

use crate::sandbox::Sandbox;

/// A case, as it is read.
#[derive(Default)]
pub struct Case {
    /// The recipe; the head is missing, and the step if it has none.
    pub recipe: String,
    /// The files before.
    pub before: BTreeMap<String, Vec<u8>>,
    /// The files that change, as they are after.
    pub after: BTreeMap<String, Vec<u8>>,
    /// The files that are gone afterwards.
    pub gone: Vec<String>,
    /// Parts of the notes.
    pub notes: Vec<String>,
    /// Path, certainty, and how many edits.
    pub edits: Vec<(String, String, usize)>,
    /// `PATH:LINE` of what is left, where that is said.
    pub leftovers: Option<Vec<String>>,
    /// What a second run says; nothing to change where that is not said.
    pub again: Option<Vec<String>>,
    /// What the program says besides.
    pub spoken: Vec<Spoken>,
}

/// What a run of the program says, or does not.
pub struct Spoken {
    /// Its arguments, in a line.
    pub args: String,
    /// It runs after `apply`, not before.
    pub late: bool,
    /// The lines must stand in its output, else they must not.
    pub says: bool,
    /// The lines.
    pub lines: Vec<String>,
}

/// What a run of a case gave.
#[derive(Debug, Default)]
pub struct Found {
    /// What the notes say.
    pub notes: Vec<String>,
    /// The decided edits, imports left out: path and certainty.
    pub edits: Vec<(String, String)>,
    /// `PATH:LINE` of what is left.
    pub leftovers: Vec<String>,
}

const CERTAINTIES: [&str; 3] = ["certain", "likely", "unsure"];

fn bytes(text: &str, how: &[&str]) -> Vec<u8> {
    let text = if how.contains(&"crlf") { text.replace('\n', "\r\n") } else { text.to_owned() };
    if how.contains(&"latin1") {
        return text.chars().map(|c| u8::try_from(c as u32).expect("Latin-1")).collect();
    }
    let mut out = if how.contains(&"bom") { b"\xef\xbb\xbf".to_vec() } else { Vec::new() };
    out.extend(text.as_bytes());
    out
}

/// A marked file as it is after, with how many edits of each certainty that takes.
fn marked(body: &str, old: &str, new: &str) -> (String, BTreeMap<&'static str, usize>) {
    let mut after = String::new();
    let mut counts = BTreeMap::from(CERTAINTIES.map(|c| (c, 0)));
    for line in body.lines() {
        let ends = |c: &&str| {
            line.strip_suffix(*c).is_some_and(|l| l.ends_with("// ") || l.ends_with("# "))
        };
        match CERTAINTIES.into_iter().find(ends) {
            Some(mark) => {
                *counts.entry(mark).or_default() += line.matches(old).count();
                after.push_str(&line.replace(old, new));
            }
            None => after.push_str(line),
        }
        after.push('\n');
    }
    (after, counts)
}

impl Case {
    /// Reads a case, with the recipe of its folder if it has none.
    pub fn read(path: &Path) -> Self {
        let text = std::fs::read_to_string(path).expect("readable");
        let mut case = Self::default();
        for section in format!("\n{text}").split("\n--- ").skip(1) {
            let (head, body) = section.split_once('\n').unwrap_or((section, ""));
            let ended = body.is_empty() || body.ends_with('\n');
            let body = if ended { body.to_owned() } else { format!("{body}\n") };
            if !case.section(head, &body) {
                panic!("{}: no section `{head}`", path.display());
            }
        }
        assert!(!case.before.is_empty(), "{}: nothing to run on", path.display());
        if case.recipe.is_empty() {
            let shared = path.with_file_name("shared.toml");
            case.recipe = std::fs::read_to_string(shared).expect("the folder's recipe");
        }
        case
    }

    /// How many edits of a certainty are proposed in a file.
    fn counts(&mut self, file: &str, how: &[&str]) {
        for (certainty, count) in how.iter().filter_map(|h| h.split_once('=')) {
            let count = count.parse().expect("a number");
            self.edits.push((file.into(), certainty.into(), count));
        }
    }

    /// Takes a section in; false if nothing is called so.
    fn section(&mut self, head: &str, body: &str) -> bool {
        let lines = || body.lines().map(str::to_owned).collect();
        match head.split_whitespace().collect::<Vec<_>>().as_slice() {
            ["recipe"] => body.clone_into(&mut self.recipe),
            ["before", file, how @ ..] => {
                self.before.insert((*file).into(), bytes(body, how));
            }
            ["gone", file, how @ ..] => {
                self.counts(file, how);
                self.gone.push((*file).into());
            }
            ["after", file, how @ ..] => {
                self.counts(file, how);
                self.after.insert((*file).into(), bytes(body, how));
            }
            ["marked", file, old, new] => {
                let (after, counts) = marked(body, old, new);
                self.before.insert((*file).into(), bytes(body, &[]));
                self.edits.extend(counts.into_iter().map(|(c, n)| ((*file).into(), c.into(), n)));
                self.after.insert((*file).into(), after.into_bytes());
            }
            ["leftovers"] => self.leftovers = Some(lines()),
            ["notes"] => self.notes = lines(),
            ["again"] => self.again = Some(lines()),
            ["why"] => {}
            [word @ ("says" | "says!" | "hides" | "hides!"), ..] => self.spoken.push(Spoken {
                args: head[word.len()..].trim().to_owned(),
                late: word.ends_with('!'),
                says: word.starts_with("says"),
                lines: lines(),
            }),
            _ => return false,
        }
        true
    }

    /// A scratch project with the files before, and the whole recipe beside it.
    pub fn sandbox(&self, lang: &str) -> Sandbox {
        let s = Sandbox::new();
        let whole = self.recipe.contains("[[step]]");
        let step = if whole { "" } else { "[[step]]\nid = \"s\"\ntitle = \"s\"\n" };
        let head = format!("emendo = 1\nid = \"case\"\ntitle = \"Case\"\nlang = \"{lang}\"\n");
        let text = match self.recipe.starts_with("emendo = ") {
            true => self.recipe.clone(),
            false => format!("{head}{step}{}", self.recipe),
        };
        std::fs::write(s.recipe_path(), text).expect("writable");
        self.before.iter().for_each(|(path, bytes)| s.write(path, bytes));
        s
    }

    /// Compares what a proposal holds with what is expected.
    ///
    /// # Errors
    /// What is wrong.
    pub fn compare(&self, found: &Found) -> Result<(), String> {
        let said = &found.notes;
        let missing = self.notes.iter().find(|n| !said.iter().any(|s| s.contains(n.as_str())));
        if let Some(n) = missing {
            return Err(format!("no note says `{n}`; the notes: {said:#?}"));
        }
        let extra = said.iter().find(|s| !self.notes.iter().any(|n| s.contains(n.as_str())));
        if let Some(n) = extra {
            return Err(format!("a note too many: {n}"));
        }
        for (path, certainty, count) in &self.edits {
            let own = found.edits.iter().filter(|e| e.0 == *path);
            let all: Vec<&str> = own.map(|e| e.1.as_str()).collect();
            let sure = all.iter().filter(|c| *c == certainty).count();
            if sure != *count {
                return Err(format!("{path}: {sure} edits are {certainty}, not {count}: {all:?}"));
            }
        }
        match &self.leftovers {
            Some(wanted) if found.leftovers != *wanted => {
                Err(format!("left are {:#?}, not {wanted:#?}", found.leftovers))
            }
            _ => Ok(()),
        }
    }

    /// Compares the files after all edits with what is expected.
    ///
    /// # Errors
    /// The file that differs.
    pub fn compare_files(&self, found: &BTreeMap<String, Vec<u8>>) -> Result<(), String> {
        if let Some(path) = self.gone.iter().find(|p| found.contains_key(*p)) {
            return Err(format!("{path} is still there"));
        }
        let stays = self.before.iter().filter(|(p, _)| !self.after.contains_key(*p));
        let stays = stays.filter(|(p, _)| !self.gone.contains(p));
        for (path, wanted) in self.after.iter().chain(stays) {
            let is = found.get(path).ok_or_else(|| format!("{path} is gone"))?;
            if is != wanted {
                let show = |b: &[u8]| String::from_utf8_lossy(b).into_owned();
                return Err(format!("{path} became\n{}\nand not\n{}", show(is), show(wanted)));
            }
        }
        Ok(())
    }

    /// Runs the case through the engine: proposes, compares, accepts everything, applies, compares.
    ///
    /// # Errors
    /// What is wrong.
    pub fn try_out(&self, lang: &str) -> Result<(), String> {
        let s = self.sandbox(lang);
        let session = Session::open(&s.root()).map_err(|e| e.to_string())?;
        let source = read_source(&s.recipe_path()).map_err(|e| e.to_string())?;
        let checked = check(session.world(), vec![source], &BTreeMap::new(), &Shelf::default());
        if checked.failed() {
            let all = checked.messages.iter().flat_map(|m| &m.found);
            return Err(all.map(|d| d.message.as_str()).collect::<Vec<_>>().join("; "));
        }
        let proposal = session.propose(&checked, &Default::default(), &[], &mut |_, _| {});
        let proposal = proposal.map_err(|e| e.to_string())?;
        self.compare(&Found::of(&proposal))?;
        counts_agree(&session, &proposal, None)?;
        // What carries a caution is covered only where its step is named.
        let steps = proposal.decidable().map(|e| e.step.step.clone()).collect();
        let certainty = Some(Certainty::Unsure);
        let all = Selection { steps, certainty, ..Selection::default() };
        let decided = session.accept(&all).map_err(|e| e.to_string())?;
        counts_agree(&session, &proposal, Some(decided.open))?;
        let options = ApplyOptions { with_uncommitted: true, ..ApplyOptions::new(&|_| Vec::new()) };
        let disk = RealDisk::open(&s.root()).map_err(|e| e.to_string())?;
        let applied = session.apply(&disk, &options).map_err(|e| e.to_string())?;
        self.compare_files(&s.tree())?;
        let after = session.proposal().map_err(|e| e.to_string())?.ok_or("no proposal is kept")?;
        counts_agree(&session, &after, applied.open)
    }
}

/// Shows that each way to count gives the same: by step, in all, by what is open, and what a command said.
fn counts_agree(
    session: &Session,
    proposal: &Proposal,
    said: Option<OpenCounts>,
) -> Result<(), String> {
    let decisions = session.decisions().map_err(|e| e.to_string())?;
    let Summary { steps, total: t, open } = summarize(proposal, &decisions);
    let lists = OpenWork::of(proposal, &decisions).counts();
    let by_step = |of: fn(&Tally) -> usize| steps.iter().map(|s| of(&s.tally)).sum::<usize>();
    let ticked = proposal.notes().filter(|n| !n.protected && decisions.done(n.id)).count();
    let decided = t.accepted + t.rejected + t.kept + t.undecided + t.again;
    let same = [
        ("edits by step", by_step(|t| t.edits), t.edits),
        ("notes by step", by_step(|t| t.notes), t.notes),
        ("held back by step", by_step(|t| t.withheld), t.withheld),
        ("edits by certainty", t.certain + t.likely + t.unsure, t.edits),
        ("edits by decision", decided, t.edits),
        ("undecided", open.undecided + open.choices, t.undecided),
        ("accepted", open.accepted, t.accepted),
        ("rejected", open.rejected, t.rejected),
        ("left as they are", open.kept, t.kept),
        ("to decide again", open.again, t.again),
        ("held back", open.held_back, t.withheld),
        ("notes", open.notes + ticked, t.notes),
    ];
    if let Some((what, a, b)) = same.iter().find(|(_, a, b)| a != b) {
        return Err(format!("{what}: {a} here, {b} there"));
    }
    match lists == open && said.is_none_or(|s| s == open) {
        true => Ok(()),
        false => Err(format!("open: {open:?}, {lists:?}, {said:?}")),
    }
}

impl Found {
    /// What a proposal holds.
    pub fn of(proposal: &Proposal) -> Self {
        let decided = proposal.decidable().filter(|e| e.standing == Standing::In);
        let mut leftovers: Vec<String> =
            proposal.leftovers().map(|(path, l)| format!("{path}:{}", l.line)).collect();
        leftovers.dedup();
        Self {
            notes: proposal.notes().map(|n| n.say.clone()).collect(),
            edits: decided.map(|e| (e.path.to_string(), e.certainty.word().to_owned())).collect(),
            leftovers,
        }
    }

    /// The same from a proposal as JSON.
    pub fn of_json(proposal: &serde_json::Value) -> Self {
        let list = |v: &serde_json::Value| v.as_array().cloned().unwrap_or_default();
        let text = |v: &serde_json::Value| v.as_str().unwrap_or_default().to_owned();
        let mut out = Self::default();
        for file in list(&proposal["files"]) {
            let path = text(&file["path"]);
            let own = list(&file["edits"]).into_iter();
            let own = own.filter(|e| e["derived"] != true && e["standing"] == "in");
            out.edits.extend(own.map(|e| (path.clone(), text(&e["certainty"]))));
            out.notes.extend(list(&file["notes"]).iter().map(|n| text(&n["say"])));
            let left = list(&file["leftovers"]).into_iter();
            out.leftovers.extend(left.map(|l| format!("{path}:{}", l["line"])));
        }
        out.notes.extend(list(&proposal["notes"]).iter().map(|n| text(&n["say"])));
        out.leftovers.dedup();
        out
    }
}
