//! What was found: matches with what their slots hold.

use emendo_lang::tree::{Tree, span, tokens};
use emendo_lang::weakest;
use emendo_lang::{Certainty, Fact};
use emendo_text::Span;

use crate::model::{HERE, Key, Pattern};

/// What a slot holds at a match.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Bound {
    /// The slot's name.
    pub name: String,
    /// The place; an insertion point where nothing was matched.
    pub span: Span,
    /// The kind of the node, or of the only one in a list.
    pub kind: &'static str,
    /// How many nodes.
    pub count: usize,
    /// It is a slot for one thing, and holds one.
    pub(crate) whole: bool,
    /// Set for named groups of a `text` constraint: the group's text.
    pub text: Option<String>,
    /// The type that such a text names.
    pub(crate) symbol: Option<String>,
    /// What else of a list it holds, where something of the pattern stands between: empty for all in one piece.
    pub(crate) scattered: Vec<Span>,
    /// The separators of that list, and whether one stands behind its last item.
    pub(crate) separators: (Vec<Span>, bool),
    /// Set for what was collected: its pieces.
    pub gathered: Vec<GatheredPiece>,
}

/// One piece of what was collected.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct GatheredPiece {
    /// What is written for it, indented as it stands in the file.
    pub parts: Vec<emendo_text::Part>,
    /// That indentation.
    pub indent: String,
    /// What stands between the piece before and this one; a line end there goes on where the first piece begins.
    pub before: String,
    /// Where lines of the file begin that keep their indentation.
    pub fixed: Vec<u32>,
}

impl Bound {
    /// Its name, and the text that it holds.
    pub fn held(&self, text: &str) -> (String, String) {
        let own = self.text.clone().unwrap_or_else(|| self.span.of(text).to_owned());
        (self.name.clone(), own)
    }

    /// What it holds of a list, piece by piece, where something of the pattern stands between; empty for all in one piece.
    pub fn pieces(&self) -> Vec<Span> {
        self.scattered.clone()
    }

    /// True if it is one piece of code of the file.
    pub(crate) fn is_one(&self) -> bool {
        self.whole
            && !self.kind.is_empty()
            && self.text.is_none()
            && self.scattered.is_empty()
            && self.gathered.is_empty()
    }

    /// What a slot holds at a place.
    pub(crate) fn new(name: &str, span: Span, kind: &'static str, count: usize) -> Self {
        Self {
            name: name.to_owned(),
            span,
            kind,
            count,
            whole: false,
            text: None,
            symbol: None,
            scattered: Vec::new(),
            separators: (Vec::new(), false),
            gathered: Vec::new(),
        }
    }
}

/// A use of a named symbol at a match.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct NameUse {
    /// The symbol.
    pub symbol: String,
    /// Where it is written.
    pub span: Span,
    /// Written with its package.
    pub full: bool,
    /// Only its last word is the place: what stands before it, a package or a module, stays.
    pub last_only: bool,
}

/// A place where a pattern fits.
#[derive(Clone, Debug)]
pub struct Match {
    /// Which reading fits.
    pub(crate) reading: usize,
    /// The place.
    pub span: Span,
    /// For each token of the pattern, the bytes it stands for.
    pub(crate) token_of: Vec<Option<Span>>,
    /// Type arguments that the pattern leaves out.
    pub(crate) type_arguments: Vec<Span>,
    /// Brackets around a list that the pattern leaves out.
    pub(crate) brackets: Vec<(Span, Span)>,
    /// The slots, named groups among them.
    pub slots: Vec<Bound>,
    /// Slots out of which something was collected, and that still hold something.
    pub(crate) sifted: Vec<String>,
    /// What was found out about the names.
    pub facts: Vec<Fact>,
    /// Those of the facts that only say that nothing tells what a word means: what surrounds the place may tell it.
    pub(crate) open: Vec<Fact>,
    /// What was found out by what stands around and within, group by group.
    pub(crate) beside: Vec<Vec<Fact>>,
    /// A slot is of one of several types, only some of which are meant: what is known.
    pub(crate) partly: Option<String>,
    /// The type of a slot is the one that is asked for.
    pub typed: bool,
    /// The named symbols, where they are written.
    pub names: Vec<NameUse>,
    /// Kind of the node (the first one, for a run).
    pub kind: &'static str,
    /// Kind of the parent, and the field below it.
    pub(crate) place: (&'static str, Option<&'static str>),
    /// The statement that is nothing but this expression.
    pub(crate) statement: Option<Span>,
    /// It is a link of a chain.
    pub(crate) link: bool,
    /// Spans of the ancestors that are items of their own: nearest first.
    pub(crate) parent: Option<Span>,
}

impl Match {
    /// True if it is all of a statement.
    pub fn is_statement(&self, at: Span) -> bool {
        self.statement == Some(at)
    }

    /// What a slot holds.
    pub fn slot(&self, name: &str) -> Option<&Bound> {
        self.slots.iter().find(|s| s.name == name)
    }

    /// True if slots of the same name hold equal code here and in another match, some names left out.
    pub(crate) fn agrees(&self, other: &Self, except: &[&str], tree: &Tree, text: &str) -> bool {
        let named = |b: &&Bound| b.name != "_" && !except.contains(&b.name.as_str());
        other.slots.iter().filter(named).all(|b| self.allows(&b.name, b.span, tree, text))
    }

    /// True if a slot of this name may hold what stands at a place: nothing else is bound to the name.
    pub(crate) fn allows(&self, name: &str, at: Span, tree: &Tree, text: &str) -> bool {
        self.slot(name).is_none_or(|own| match &own.text {
            Some(held) => held.as_str() == at.of(text),
            None => equal(tree, text, own.span, at),
        })
    }

    /// True if a slot of this name may hold a text from elsewhere: nothing else is bound to the name.
    pub fn holds_text(&self, name: &str, held: &str, text: &str) -> bool {
        self.slot(name)
            .is_none_or(|own| own.held(text).1.split_whitespace().eq(held.split_whitespace()))
    }

    /// What was found out that does not merely say that nothing is known.
    pub fn told(&self) -> impl Iterator<Item = &Fact> {
        self.facts.iter().filter(|f| !self.open.contains(f))
    }

    /// True if the filters of a pattern's slots would change nothing of what stands in them.
    pub fn is_filtered(&self, pattern: &Pattern, text: &str) -> bool {
        let tokens = pattern.readings[self.reading].tokens.iter().zip(&self.token_of);
        tokens.into_iter().all(|(t, at)| match (&t.key, at) {
            (Key::Slot(_, filters), Some(at)) => {
                let own = at.of(text);
                filters.iter().fold(own.to_owned(), |t, f| f.apply(&t)) == own
            }
            _ => true,
        })
    }

    /// Binds the slots of another match that are not bound yet.
    pub(crate) fn bind_more(&mut self, more: &[Bound]) {
        for b in more {
            if b.name != HERE && b.name != "_" && self.slot(&b.name).is_none() {
                self.slots.push(b.clone());
            }
        }
    }

    /// Binds one more slot to a text.
    pub fn add_text(&mut self, name: &str, text: String) {
        self.add_named(name, text, None);
    }

    /// Binds one more slot to a text, which names a type: what is written for it needs the import of that.
    pub fn add_named(&mut self, name: &str, text: String, symbol: Option<String>) {
        let mut bound = Bound::new(name, Span::at(self.span.start as usize), "", 1);
        (bound.text, bound.symbol) = (Some(text), symbol);
        self.slots.push(bound);
    }

    /// The match with the pieces of scattered slots as slots of their own.
    pub(crate) fn in_pieces(&self) -> Self {
        let mut out = self.clone();
        for bound in self.slots.iter().filter(|b| !b.scattered.is_empty()) {
            for (i, at) in bound.scattered.iter().enumerate() {
                out.slots.push(Bound::new(&piece(&bound.name, i), *at, "", 1));
            }
        }
        out
    }

    /// Empties a slot: all that it held is taken elsewhere.
    pub(crate) fn empty(&mut self, name: &str) {
        for slot in self.slots.iter_mut().filter(|s| s.name == name) {
            (slot.span, slot.count) = (Span::at(slot.span.start as usize), 0);
        }
    }

    /// Binds one more slot.
    pub fn add(&mut self, bound: Bound) {
        self.slots.push(bound);
    }

    /// The lowest certainty among the facts.
    pub fn certainty(&self) -> Certainty {
        weakest(&self.facts)
    }

    /// The places of the pattern's own tokens, slots left out.
    pub fn own_tokens<'a>(&'a self, pattern: &'a Pattern) -> impl Iterator<Item = Span> + 'a {
        let tokens = &pattern.readings[self.reading].tokens;
        let own = tokens
            .iter()
            .zip(&self.token_of)
            .filter(|(t, _)| !matches!(t.key, crate::model::Key::Slot(..)));
        own.filter_map(|(_, s)| *s)
    }
}

/// The name of a piece of a scattered slot; no slot of a recipe can be called so.
pub(crate) fn piece(slot: &str, nth: usize) -> String {
    format!("{slot}#{nth}")
}

/// True for the name of a piece.
pub(crate) fn is_piece(slot: &str) -> bool {
    slot.contains('#')
}

/// Equal code: the same tokens, whatever the layout and the comments.
pub(crate) fn equal(tree: &Tree, text: &str, a: Span, b: Span) -> bool {
    if a.of(text) == b.of(text) {
        return true;
    }
    let (x, y) = (tokens(tree.root(), a), tokens(tree.root(), b));
    !x.is_empty()
        && x.len() == y.len()
        && x.iter().zip(&y).all(|(x, y)| span(*x).of(text) == span(*y).of(text))
}

/// What looking for a pattern in a file gave.
#[derive(Debug, Default)]
pub struct Places {
    /// Where it fits.
    pub matches: Vec<Match>,
    /// Where nothing can be said: there were too many ways to compare several list slots with a long list.
    pub gave_up: Vec<Span>,
    /// Where it fits only for some of the types that a slot may be of: the place, and what is known.
    pub partly: Vec<(Span, String)>,
}

/// Where a pattern came furthest.
#[derive(Clone, Debug)]
pub struct Nearest {
    /// Tokens of the pattern that fitted.
    pub fitted: usize,
    /// What stands where it stopped.
    pub at: Span,
    /// What the pattern wants there.
    pub wanted: String,
    /// The symbol that it wants there, where it is a name.
    pub symbol: Option<String>,
    /// The slot that it wants there.
    pub slot: Option<String>,
    /// The words of what is asked of that slot.
    pub asked: Vec<&'static str>,
}
