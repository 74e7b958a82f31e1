//! What an action finds in one file.

use emendo_lang::{Certainty, Fact, ImportName, weakest};
use emendo_text::{Digest, Part, RelPath, Span, Splice};
use serde::{Deserialize, Serialize};

use crate::contract::code::Code;

/// What becomes of a file as a whole.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum FileOp {
    /// It lies elsewhere.
    Move(RelPath),
    /// It is there, and was not.
    Create,
    /// It is there no more.
    Delete,
}

/// A change that an action would make, in coordinates of its step's input text.
#[derive(Clone, Debug)]
pub struct Draft {
    /// Which action of the step, and which of its pairs.
    pub action: (usize, usize),
    /// Identity of the action's kind and `old`.
    pub digest: Digest,
    /// The whole place.
    pub hull: Span,
    /// The tokens that the pattern itself names.
    pub tokens: Vec<Span>,
    /// The change; empty for a choice that nobody has made.
    pub change: Change,
    /// How sure it is.
    pub certainty: Certainty,
    /// Why.
    pub evidence: Vec<Fact>,
    /// Alternatives of a choice.
    pub alternatives: Vec<Alternative>,
    /// What it holds together with.
    pub tie: Tie,
    /// The layer of a page that it changes, by its number; 0 in files that are code as a whole.
    pub layer: usize,
    /// Why it cannot be written.
    pub withheld: Option<String>,
    /// What becomes of the file as a whole.
    pub op: Option<FileOp>,
    /// What its slots hold, where it changes the name of a declaration at the top of the file, or the package.
    pub names: Vec<(String, String)>,
}

impl Draft {
    /// A change of one place, as sure as the weakest of its facts; what it writes is to be said yet.
    pub fn new(action: (usize, usize), digest: Digest, hull: Span, evidence: Vec<Fact>) -> Self {
        Self {
            action,
            digest,
            hull,
            tokens: vec![hull],
            change: Change::default(),
            certainty: weakest(&evidence),
            evidence,
            alternatives: Vec::new(),
            tie: Tie::default(),
            layer: 0,
            withheld: None,
            op: None,
            names: Vec::new(),
        }
    }

    /// What a move of the file needs it by that goes along with the names that it changes.
    pub fn declared_tie(&self, path: &RelPath) -> Digest {
        let mut h = emendo_text::Hasher::new();
        h.part("declared").digest(self.digest).part(path.as_str());
        for (name, text) in &self.names {
            h.part(name).part(text);
        }
        self.tie.provides.unwrap_or_else(|| h.finish())
    }

    /// The same with what it writes; its place covers all of that, and its tokens are what is written over.
    #[must_use]
    pub fn writing(self, mut splices: Vec<Splice>) -> Self {
        splices.sort_by_key(|s| (s.span.start, s.span.end));
        let hull = splices.iter().map(|s| s.span).fold(self.hull, Span::hull);
        let tokens = splices.iter().map(|s| s.span).collect();
        Self { hull, tokens, change: Change { splices, ..self.change }, ..self }
    }
}

/// What holds edits of several files together: a declaration and what follows it.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Tie {
    /// Others need it by this.
    pub provides: Option<Digest>,
    /// It needs what provides this.
    pub needs: Option<Digest>,
    /// What it takes away, by name, with the uses in the file that other edits of the step must take away.
    pub uses: Vec<(String, Vec<Span>)>,
}

/// Splices with the imports that they need.
#[derive(Clone, Debug, Default)]
pub struct Change {
    /// The splices, in order.
    pub splices: Vec<Splice>,
    /// Imports that the written names need.
    pub imports: Vec<ImportName>,
    /// Imports that become others: the path of the old, the path of the new.
    pub partners: Vec<(String, String)>,
    /// Imports that stand for what others stood for: a new one goes where the old one was. Less sure than partners.
    pub beside: Vec<(String, String)>,
    /// Items of imports that change themselves, and so stay.
    pub kept: Vec<Span>,
    /// Items of import lists that go.
    pub gone: Vec<Span>,
    /// Symbols whose imports go, even unused.
    pub drop_imports: Vec<String>,
    /// Names of the old code that the new code does not use any more.
    pub released: Vec<Span>,
    /// Code that one slot holds, and that is one thing in the new code too.
    pub wholes: Vec<Span>,
    /// What is written is no code: nothing that it names is used.
    pub silent: bool,
}

impl Change {
    /// The bytes that a change takes away without copying them anywhere.
    pub fn uncopied(&self) -> Vec<Span> {
        let all = || self.splices.iter().filter(|s| !s.span.is_empty());
        let mut copies: Vec<Span> =
            self.splices.iter().flat_map(|s| Part::copies(&s.parts)).collect();
        copies.sort();
        let mut out = Vec::new();
        for s in all() {
            let mut at = s.span.start;
            let from = copies.partition_point(|c| c.end <= s.span.start);
            for c in copies[from..].iter().take_while(|c| c.start < s.span.end) {
                if c.start > at {
                    out.push(Span { start: at, end: c.start });
                }
                at = at.max(c.end);
            }
            if s.span.end > at {
                out.push(Span { start: at, end: s.span.end });
            }
        }
        out
    }
}

/// One way to write a place.
#[derive(Clone, Debug)]
pub struct Alternative {
    /// Its word.
    pub label: String,
    /// When it is the right one.
    pub why: Option<String>,
    /// The change; empty leaves the place.
    pub change: Change,
    /// What lowers the certainty.
    pub facts: Vec<Fact>,
}

/// A place that a person must look at.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NoteDraft {
    /// The place in the step's input text.
    pub at: Span,
    /// What to say.
    pub say: String,
    /// What the place reads, where that outlives what becomes of it: a statement that was made a comment.
    pub reads: Option<String>,
    /// What the edits provide that leave this to do: without it they break something, and so they are not sure.
    pub left_by: Vec<Digest>,
}

impl NoteDraft {
    /// A note at a place.
    pub fn new(at: Span, say: impl Into<String>) -> Self {
        Self { at, say: say.into(), reads: None, left_by: Vec::new() }
    }

    /// The same, about what the edits leave to do that provide these.
    #[must_use]
    pub fn left_by(self, ties: impl IntoIterator<Item = Digest>) -> Self {
        Self { left_by: ties.into_iter().collect(), ..self }
    }
}

/// Tokens that a note keeps as they are.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Kept {
    /// The tokens.
    pub tokens: Vec<Span>,
    /// Why.
    pub say: String,
}

/// All that a step finds in one file. It depends on the text and the answers only, never on decisions.
#[derive(Default)]
pub struct Found {
    /// Changes, by action and place.
    pub drafts: Vec<Draft>,
    /// Notes.
    pub notes: Vec<NoteDraft>,
    /// What no edit may write over.
    pub kept: Vec<Kept>,
    /// The parsed text and its facts, where the file is code.
    pub code: Option<Code>,
}

/// Identity of an action: its kind and what it looks for.
pub(crate) fn action_digest(kind: &str, old: &str) -> Digest {
    emendo_text::Hasher::new().part(kind).part(old).finish()
}
