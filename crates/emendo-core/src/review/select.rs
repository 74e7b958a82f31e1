//! Which edits, notes and leftovers a selection means.

use emendo_lang::Certainty;
use emendo_text::{Digest, RelPath};

use crate::edits::{Edit, Note};
use crate::review::place::{DecidedPlace, places};
use crate::review::proposal::Proposal;

/// Why a selection selects nothing: it fits nothing, or names something that is not there.
#[derive(Debug, thiserror::Error)]
#[error("{message}")]
pub struct SelectionError {
    /// What is wrong.
    pub message: String,
    /// The way out.
    pub way: SelectionWay,
}

/// The way out of a selection that selects nothing. How the user goes it is for the interface to say.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum SelectionWay {
    /// Look at what there is.
    Look,
    /// This is no edit, but a place that is ticked off.
    TickOff(String),
    /// Another text for the place of this edit may be taken.
    OtherText(String),
    /// This was written: only as a whole an apply is taken back.
    TakeBack,
}

impl SelectionError {
    pub(crate) fn new(message: impl Into<String>) -> Self {
        Self { message: message.into(), way: SelectionWay::Look }
    }
}

/// Which edits are meant: those that all the given conditions hold for.
#[derive(Clone, Debug, Default)]
pub struct Selection {
    /// Steps, by id or `recipe/step`; any of them.
    pub steps: Vec<String>,
    /// Files, folders or globs, from the project's root; any of them.
    pub files: Vec<String>,
    /// This certainty, and those above it.
    pub certainty: Option<Certainty>,
    /// That certainty only.
    pub exact: bool,
    /// Edits, by the beginnings of their ids.
    pub edits: Vec<String>,
    /// Edits of the step and the shape of these.
    pub like: Vec<String>,
    /// All edits.
    pub all: bool,
}

/// A condition of a selection, in words.
struct Selector<'s> {
    said: String,
    by_path: bool,
    fits: Box<dyn Fn(&Edit) -> bool + 's>,
}

/// The edits of a selection, in order: those that can be decided on.
///
/// # Errors
/// If it names something that is not there, or its conditions select nothing together.
pub fn select<'p>(proposal: &'p Proposal, s: &Selection) -> Result<Vec<&'p Edit>, SelectionError> {
    known_steps(proposal, &s.steps)?;
    for prefix in s.edits.iter().chain(&s.like) {
        one_edit(proposal, prefix)?;
    }
    let files = FileWords::of(&s.files)?;
    let likes: Vec<&Edit> =
        s.like.iter().filter_map(|w| proposal.decidable().find(|e| begins(e.id, w))).collect();
    let mut all: Vec<Selector<'_>> = Vec::new();
    let words = |what: &str, given: &[String]| {
        let given: Vec<String> = given.iter().map(|g| format!("`{g}`")).collect();
        format!("{what} {}", given.join(" or "))
    };
    if !s.steps.is_empty() {
        all.push(Selector {
            said: words("the step", &s.steps),
            by_path: false,
            fits: Box::new(|e| s.steps.iter().any(|w| e.step.is(w))),
        });
    }
    if !s.files.is_empty() {
        all.push(Selector {
            said: words("the path", &s.files),
            by_path: true,
            fits: Box::new(|e| files.hold(&e.path)),
        });
    }
    if !s.edits.is_empty() {
        all.push(Selector {
            said: words("the edit", &s.edits),
            by_path: false,
            fits: Box::new(|e| s.edits.iter().any(|w| begins(e.id, w))),
        });
    }
    if !s.like.is_empty() {
        let same = |a: &Edit, b: &Edit| a.step == b.step && a.shape == b.shape;
        all.push(Selector {
            said: words("what is like", &s.like),
            by_path: false,
            fits: Box::new(move |e| likes.iter().any(|l| same(l, e))),
        });
    }
    if let Some(c) = s.certainty {
        let exact = s.exact;
        all.push(Selector {
            said: format!("the certainty `{}`", c.word()),
            by_path: false,
            fits: Box::new(move |e| if exact { e.certainty == c } else { e.certainty >= c }),
        });
    }
    let hit = |e: &&Edit| all.iter().all(|s| (s.fits)(e));
    let out: Vec<&Edit> = proposal.decidable().filter(hit).collect();
    // A certainty that no edit has is no mistake; a word for a place or a step that selects nothing may be one.
    let named =
        !(s.steps.is_empty() && s.files.is_empty() && s.edits.is_empty() && s.like.is_empty());
    match out.is_empty() && named {
        true => Err(nothing(proposal, &all)),
        false => Ok(out),
    }
}

/// Why conditions select nothing.
fn nothing(proposal: &Proposal, all: &[Selector<'_>]) -> SelectionError {
    let count = |s: &Selector<'_>| proposal.decidable().filter(|e| (s.fits)(e)).count();
    let edits = |n: usize| match n {
        0 => "no edit".to_owned(),
        1 => "1 edit".to_owned(),
        n => format!("{n} edits"),
    };
    if let Some(none) = all.iter().find(|s| count(s) == 0) {
        let mut message = format!("no edit of the proposal is selected by {}", none.said);
        // A file by its name alone.
        let named = |path: &RelPath| none.said.contains(&format!("`{}`", path.name()));
        if let Some(file) = proposal.files.iter().find(|f| none.by_path && named(&f.path)) {
            message.push_str(&format!("; there is `{}`", file.path));
        }
        return SelectionError::new(message);
    }
    let each: Vec<String> =
        all.iter().map(|s| format!("{} selects {}", s.said, edits(count(s)))).collect();
    SelectionError::new(format!("{}, and no edit is selected by all of them", each.join(", ")))
}

pub(crate) fn begins(id: Digest, word: &str) -> bool {
    id.to_string().starts_with(word)
}

fn known_steps(proposal: &Proposal, steps: &[String]) -> Result<(), SelectionError> {
    for step in steps {
        if !proposal.header.steps.iter().any(|i| i.key.is(step)) {
            let known: Vec<&str> =
                proposal.header.steps.iter().map(|i| i.key.step.as_str()).collect();
            let known = known.join(", ");
            return Err(SelectionError::new(format!(
                "no step is called `{step}`; the steps: {known}"
            )));
        }
    }
    Ok(())
}

/// Checks that the beginning of an id means one edit that can be decided on.
fn one_edit(proposal: &Proposal, prefix: &str) -> Result<(), SelectionError> {
    let fail = |message: String| Err(SelectionError::new(message));
    let place = || places(proposal).any(|p| begins(p.id, prefix));
    match proposal.edits().filter(|e| begins(e.id, prefix)).count() {
        0 if place() => {
            let message = format!("`{prefix}` is a note or a leftover, not an edit");
            return Err(SelectionError { message, way: SelectionWay::TickOff(prefix.to_owned()) });
        }
        0 => return fail(format!("no edit has an id that begins with `{prefix}`")),
        1 => {}
        n => return fail(format!("`{prefix}` is the beginning of {n} ids: give more of it")),
    }
    if proposal.edits().any(|e| e.derived && begins(e.id, prefix)) {
        return fail(format!(
            "`{prefix}` is an import that follows from other edits: decide on those"
        ));
    }
    Ok(())
}

/// Files, folders and globs, from the project's root.
pub struct FileWords(Vec<(String, Option<globset::GlobMatcher>)>);

impl FileWords {
    /// Reads words.
    ///
    /// # Errors
    /// If a glob cannot be read.
    pub fn of(words: &[String]) -> Result<Self, SelectionError> {
        let read = |word: &String| {
            let plain = word.trim_start_matches("./").trim_end_matches('/');
            let glob = plain.contains(['*', '?', '[', '{']);
            let glob =
                glob.then(|| globset::GlobBuilder::new(plain).literal_separator(true).build());
            match glob.transpose() {
                Ok(glob) => Ok((plain.to_owned(), glob.map(|g| g.compile_matcher()))),
                Err(e) => Err(SelectionError::new(format!("`{word}` is not a glob: {e}"))),
            }
        };
        words.iter().map(read).collect::<Result<_, _>>().map(Self)
    }

    /// True for a file that is meant.
    pub fn hold(&self, path: &RelPath) -> bool {
        let below =
            |word: &str| path.as_str().strip_prefix(word).is_some_and(|r| r.starts_with('/'));
        self.0.iter().any(|(word, glob)| {
            word.is_empty()
                || word == "."
                || path.as_str() == word
                || below(word)
                || glob.as_ref().is_some_and(|g| g.is_match(path.as_str()))
        })
    }
}

/// The notes and leftovers of a selection: by id, or all that its steps and files hold.
pub(crate) fn select_places(
    proposal: &Proposal,
    s: &Selection,
) -> Result<Vec<DecidedPlace>, SelectionError> {
    known_steps(proposal, &s.steps)?;
    let files = FileWords::of(&s.files)?;
    for word in &s.edits {
        match places(proposal).filter(|p| begins(p.id, word)).count() {
            1 => {}
            0 if proposal.decidable().any(|e| begins(e.id, word)) => {
                return Err(SelectionError::new(format!(
                    "`{word}` is an edit: accept or reject it; notes and leftovers are ticked off"
                )));
            }
            0 => {
                let message = format!("no note or leftover has an id that begins with `{word}`");
                return Err(SelectionError::new(message));
            }
            n => {
                let message = format!("`{word}` is the beginning of {n} ids: give more of it");
                return Err(SelectionError::new(message));
            }
        }
    }
    let meant = |p: &DecidedPlace| {
        (s.edits.is_empty() || s.edits.iter().any(|w| begins(p.id, w)))
            && (s.steps.is_empty() || s.steps.iter().any(|w| p.step.is(w)))
            && (s.files.is_empty() || p.path.as_ref().is_some_and(|p| files.hold(p)))
    };
    Ok(places(proposal).filter(meant).collect())
}

/// The open notes of a list that lie in these files, folders and globs; all without any.
///
/// # Errors
/// If a glob cannot be read.
pub fn notes_in<'p>(notes: &[&'p Note], files: &[String]) -> Result<Vec<&'p Note>, SelectionError> {
    let words = FileWords::of(files)?;
    let fits = |n: &&Note| files.is_empty() || n.path.as_ref().is_some_and(|p| words.hold(p));
    Ok(notes.iter().copied().filter(fits).collect())
}
