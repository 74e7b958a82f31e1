//! What a step finds in a file, and the edits that come of it.

use emendo_actions::FileOp;
use emendo_lang::Certainty;
use emendo_text::{Digest, LineMark, Lines, RelPath, Span};
use serde::{Deserialize, Serialize};

/// A step of a recipe, by their lasting words.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
pub struct StepKey {
    /// The recipe's id.
    pub recipe: String,
    /// The step's id.
    pub step: String,
}

impl StepKey {
    /// True if a word means the step: its id, or that of a step around it, with the recipe's id before it or without.
    pub fn is(&self, word: &str) -> bool {
        let step = word.strip_prefix(&format!("{}/", self.recipe)).unwrap_or(word);
        let means = |w: &str| {
            self.step == w || self.step.strip_prefix(w).is_some_and(|rest| rest.starts_with('/'))
        };
        means(step) || means(word)
    }
}

impl std::fmt::Display for StepKey {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}/{}", self.recipe, self.step)
    }
}

/// What a step wrote that must not be done twice, kept in the journal.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct OnceWritten {
    /// The step.
    #[serde(flatten)]
    pub step: StepKey,
    /// The file.
    pub path: RelPath,
    /// The place as it read afterwards.
    pub text: String,
    /// The user's own text: how many equal ones stand before it in the file. None for what an action wrote.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub own: Option<usize>,
}

impl OnceWritten {
    /// What these edits wrote in a file, of the steps that do their work once.
    pub(crate) fn of<'e>(
        edits: impl Iterator<Item = &'e Edit>,
        once: &std::collections::HashSet<StepKey>,
    ) -> Vec<Self> {
        let stays = |e: &&Edit| e.standing == Standing::In && !e.derived;
        edits.filter(|e| stays(e) && once.contains(&e.step)).map(|e| Self::by(e, None)).collect()
    }

    /// What the user put in words of their own in a file, with what became of it.
    pub(crate) fn reworded(edits: &[Edit], marks: &[LineMark], after: &str) -> Vec<Self> {
        let lines = Lines::new(after);
        let own =
            edits.iter().enumerate().filter(|(_, e)| e.reworded && e.standing == Standing::In);
        let placed = own.filter_map(|(i, e)| {
            let mark = marks.iter().find(|m| m.new && m.by as usize == i)?;
            let at = lines.start(mark.line as usize - 1, after.len()) + mark.from as usize;
            let before = after.match_indices(e.after.as_str()).take_while(|(n, _)| *n < at);
            Some(Self::by(e, Some(before.count())))
        });
        placed.collect()
    }

    fn by(e: &Edit, own: Option<usize>) -> Self {
        Self { step: e.step.clone(), path: e.path.clone(), text: e.after.clone(), own }
    }
}

/// One piece of evidence, as it is shown.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Evidence {
    /// How sure this fact leaves the place.
    pub says: Certainty,
    /// The fact, in plain words.
    pub text: String,
    /// The line of the original file that it speaks of, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line: Option<u32>,
}

/// One way to write a place, as it is shown.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct ShownAlternative {
    /// Its word, for `choose`.
    pub label: String,
    /// When it is the right one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub why: Option<String>,
    /// The place as it would read.
    pub after: String,
    /// Its seal.
    pub seal: Digest,
    /// It leaves the place as it is.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub leaves: bool,
}

/// Where an edit stands in its run.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase", tag = "standing", content = "because")]
pub enum Standing {
    /// In the text of this run.
    In,
    /// Left out: rejected, or a choice that nobody has made.
    Out,
    /// Held back, with the reason.
    Withheld(String),
    /// Left on purpose, with the reason: the project's settings or a comment protect the place.
    Protected(String),
}

impl Standing {
    /// Why it cannot be in, whatever is decided about it.
    pub fn barred(&self) -> Option<&str> {
        match self {
            Self::Withheld(why) | Self::Protected(why) => Some(why),
            Self::In | Self::Out => None,
        }
    }
}

/// A proposed change at one place, of one step.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub struct Edit {
    /// Its lasting id.
    pub id: Digest,
    /// Its step.
    #[serde(flatten)]
    pub step: StepKey,
    /// The kind of its action.
    pub action: String,
    /// The file.
    pub path: RelPath,
    /// The line in the original file that it changes first, from 1.
    pub line: u32,
    /// Further lines of the original file that it changes, from 1.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub more_lines: Vec<u32>,
    /// Where the whole place stands in the original file, in bytes of its text; none where an earlier step wrote some of it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub origin: Option<Span>,
    /// How sure it is that the place is what the recipe means.
    pub certainty: Certainty,
    /// Why.
    pub evidence: Vec<Evidence>,
    /// What behaves differently although it compiles.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub caution: Option<String>,
    /// The place as it reads before the step.
    pub before: String,
    /// The place as it reads after the edit; the same as before for a choice that nobody has made.
    pub after: String,
    /// The same with the edits that lie inside the place, where there are any.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub with_inner: Option<String>,
    /// It writes the user's own text.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub reworded: bool,
    /// What an acceptance stands for.
    pub seal: Digest,
    /// Edits that look alike have the same shape.
    pub shape: Digest,
    /// Edits of earlier steps that wrote what this one changes.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub parents: Vec<Digest>,
    /// Alternatives of a choice.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub options: Vec<ShownAlternative>,
    /// For finding a rejection again when the id has changed.
    pub weak: Digest,
    /// Another edit of the step holds this one back.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub behind: Option<Digest>,
    /// In, out or withheld.
    #[serde(flatten)]
    pub standing: Standing,
    /// An import that follows from the other edits of the step: nobody decides it alone.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub derived: bool,
    /// Edits that need this one say the same in `needs`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub provides: Option<Digest>,
    /// It is in only if all edits that provide this are.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub needs: Option<Digest>,
    /// What becomes of the file as a whole.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub file: Option<FileOp>,
}

impl Edit {
    /// True if it changes something on a line of the original file.
    pub fn is_on(&self, line: u32) -> bool {
        self.line == line || self.more_lines.contains(&line)
    }

    /// What becomes of the file as a whole, in words.
    pub fn of_file(&self) -> Option<String> {
        Some(match self.file.as_ref()? {
            FileOp::Move(to) => format!("becomes {to}"),
            FileOp::Create => "is created".to_owned(),
            FileOp::Delete => "is deleted".to_owned(),
        })
    }

    /// True if it is a choice whose alternative of this name leaves the place as it is.
    pub fn leaves(&self, label: &str) -> bool {
        self.options.iter().any(|o| o.label == label && o.leaves)
    }
}

/// A place that a person must look at; no edit.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct Note {
    /// Its lasting id, by which it is ticked off.
    pub id: Digest,
    /// The step that says it.
    #[serde(flatten)]
    pub step: StepKey,
    /// The file; none where the note stands at the step.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub path: Option<RelPath>,
    /// The line in the original file, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub line: Option<u32>,
    /// The line's text.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub source: String,
    /// What to say.
    pub say: String,
    /// The project's settings or a comment protect the place: it is left on purpose.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub protected: bool,
}
