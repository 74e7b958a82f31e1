//! The state of the screen. It changes by [`Model::update`] only.

mod code;
pub(crate) mod decide;
pub(crate) mod filter;
pub(crate) mod items;
mod keys;
mod lists;
mod popups;
pub(crate) mod rows;
pub(crate) mod scope;
mod update;

use std::collections::{HashMap, HashSet, VecDeque};
use std::sync::Arc;

use emendo_core::{Decision, Decisions, Edit, Proposal, World};
use emendo_text::{Digest, RelPath};

use crate::keys::KeyMap;
use crate::layout::Areas;
pub(crate) use crate::layout::Page;
use crate::place::{CodeRow, FileText, Sides};
use crate::state::filter::{Filter, Kind};
use crate::state::items::{At, Item};
use crate::state::rows::{Group, Heading, Row};
use crate::state::scope::Scope;

/// A row of the overview.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum OverviewRow {
    /// Places of a kind, and how many.
    Kind(Kind, usize),
    /// A step, by number.
    Step(usize),
}

/// A window in front of the page.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Popup {
    Help {
        top: usize,
    },
    /// What can be decided at once.
    More {
        scopes: Vec<Scope>,
        cursor: usize,
    },
    /// What may be listed.
    Filter {
        rows: Vec<(FilterRow, usize)>,
        cursor: usize,
    },
    Find {
        line: LineInput,
    },
    /// The user's own words for a place.
    Reword {
        edit: Digest,
        line: LineInput,
        refused: Option<String>,
    },
    /// What an apply will do.
    Apply(ApplyPlan),
    /// What an apply did, or another text of several lines.
    Text {
        title: String,
        lines: Vec<String>,
        top: usize,
    },
}

/// A row of the window that chooses what is listed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum FilterRow {
    Kind(Kind),
    Step(usize),
}

/// What an apply will do.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct ApplyPlan {
    pub(crate) edits: usize,
    pub(crate) files: usize,
    /// Places that still wait.
    pub(crate) waiting: usize,
    /// Files with the user's own changes, or why that cannot be known; none before it was looked.
    pub(crate) dirty: Option<Result<Vec<RelPath>, String>>,
}

/// A line that is typed.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub(crate) struct LineInput {
    pub(crate) text: String,
    /// Where the next character goes, in bytes.
    pub(crate) at: usize,
}

/// What the last line of the screen says.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Message {
    pub(crate) text: String,
    /// Something was not done.
    pub(crate) warns: bool,
}

/// The list.
#[derive(Clone, Debug)]
pub(crate) struct List {
    pub(crate) rows: Vec<Row>,
    pub(crate) cursor: usize,
    pub(crate) top: usize,
    pub(crate) group: Group,
    pub(crate) filter: Filter,
    pub(crate) folded: HashSet<Heading>,
}

/// The code of the place.
#[derive(Clone, Debug)]
pub(crate) struct Code {
    pub(crate) rows: Vec<CodeRow>,
    /// The rows of the place among them.
    pub(crate) place: (usize, usize),
    pub(crate) top: usize,
    /// Columns that are scrolled away.
    pub(crate) left: usize,
    /// How it is laid out; none as the width allows.
    pub(crate) sides: Option<Sides>,
    pub(crate) context: u32,
    /// Another line that is looked at, of those that facts name.
    pub(crate) line: Option<u32>,
    /// What the rows were made of.
    made_of: Option<CodeKey>,
}

#[derive(Clone, Debug, PartialEq, Eq)]
struct CodeKey {
    at: At,
    sides: Sides,
    context: u32,
    line: Option<u32>,
    picked: Option<String>,
    loaded: bool,
    turn: u64,
    /// Where it is shown: with another size the place is looked for anew.
    area: ratatui::layout::Rect,
}

/// A decision that can be taken back: what stood before it.
#[derive(Clone, Debug)]
struct Batch {
    before: Vec<Decision>,
    says: String,
    /// The place that was looked at.
    id: Option<Digest>,
}

/// What is being computed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(crate) struct Work {
    /// The proposal is computed anew.
    pub(crate) computing: bool,
    /// Once more after that.
    again: bool,
    /// A text is checked, or an apply is at work.
    pub(crate) busy: Option<&'static str>,
}

/// All that the screen shows, and all that it needs to know.
pub struct Model {
    world: Arc<World>,
    pub(crate) proposal: Arc<Proposal>,
    pub(crate) decisions: Decisions,
    /// What the project's check said the last time, in a line.
    pub(crate) check: Option<String>,
    pub(crate) items: Vec<Item>,
    pub(crate) page: Page,
    pub(crate) overview: Vec<OverviewRow>,
    pub(crate) overview_cursor: usize,
    pub(crate) list: List,
    pub(crate) code: Code,
    /// The reasons have the keys: the line of them under the cursor.
    pub(crate) why: Option<usize>,
    pub(crate) popup: Option<Popup>,
    pub(crate) message: Option<Message>,
    pub(crate) work: Work,
    pub(crate) keys: KeyMap,
    pub(crate) size: (u16, u16),
    /// Places that were left for others that their reasons name.
    trail: Vec<(Digest, Option<u32>)>,
    history: Vec<Batch>,
    /// A text of the user's own that was not taken: it is there when they try again.
    draft: Option<(Digest, String)>,
    texts: HashMap<RelPath, Option<Arc<FileText>>>,
    /// Files in the order in which they were read: only some are held.
    read: VecDeque<RelPath>,
    /// Which proposal the texts belong to.
    turn: u64,
}

/// Files of which the text is held.
const HELD: usize = 8;

impl Model {
    /// The screen of a proposal, at its overview.
    pub fn new(
        world: Arc<World>,
        proposal: Arc<Proposal>,
        decisions: Decisions,
        keys: KeyMap,
    ) -> Self {
        let list = List {
            rows: Vec::new(),
            cursor: 0,
            top: 0,
            group: Group::Step,
            filter: Filter::default(),
            folded: HashSet::new(),
        };
        let code = Code {
            rows: Vec::new(),
            place: (0, 1),
            top: 0,
            left: 0,
            sides: None,
            context: 3,
            line: None,
            made_of: None,
        };
        let mut out = Self {
            world,
            proposal,
            decisions,
            check: None,
            items: Vec::new(),
            page: Page::Overview,
            overview: Vec::new(),
            overview_cursor: 0,
            list,
            code,
            why: None,
            popup: None,
            message: None,
            work: Work::default(),
            keys,
            size: (80, 24),
            trail: Vec::new(),
            history: Vec::new(),
            draft: None,
            texts: HashMap::new(),
            read: VecDeque::new(),
            turn: 0,
        };
        out.rebuild(None);
        out
    }

    /// The same, with what the project's check said the last time, in a line.
    #[must_use]
    pub fn with_check(self, check: Option<String>) -> Self {
        Self { check, ..self }
    }

    /// What the project's check said the last time.
    pub fn check(&self) -> Option<&str> {
        self.check.as_deref()
    }

    /// True if this column and line of the screen is code.
    pub fn is_code(&self, x: u16, y: u16) -> bool {
        self.areas().code.contains((x, y).into())
    }

    /// The decisions that the screen shows.
    pub fn decisions(&self) -> &Decisions {
        &self.decisions
    }

    /// How each place stands, by id: a word each, as the list shows it.
    pub fn standings(&self) -> Vec<(Digest, &'static str)> {
        self.items.iter().map(|i| (i.id, i.state.word())).collect()
    }

    /// How the screen is divided.
    pub(crate) fn areas(&self) -> Areas {
        Areas::of(self.size, self.page, self.why.is_some())
    }

    /// The place under the cursor.
    pub(crate) fn current(&self) -> Option<&Item> {
        self.items.get(self.current_index()?)
    }

    pub(crate) fn current_index(&self) -> Option<usize> {
        match self.list.rows.get(self.list.cursor)? {
            Row::Place { item, .. } => Some(*item),
            Row::Head { .. } => None,
        }
    }

    /// The edit of a place.
    pub(crate) fn edit(&self, item: &Item) -> Option<&Edit> {
        let At::Edit(f, e) = item.at else { return None };
        self.proposal.files.get(f)?.edits.get(e)
    }

    /// The file of a place.
    pub(crate) fn path(&self, item: &Item) -> Option<&RelPath> {
        Some(&self.proposal.files.get(item.file?)?.path)
    }

    /// The text of the file of a place, if it is read.
    pub(crate) fn text(&self, item: &Item) -> Option<&FileText> {
        self.texts.get(self.path(item)?)?.as_deref()
    }

    /// The layout of the code that is there.
    pub(crate) fn sides(&self) -> Sides {
        // Half of it must show most lines whole.
        let wide = self.areas().code.width >= 120;
        self.code.sides.unwrap_or(if wide { Sides::Beside } else { Sides::Below })
    }

    pub(crate) fn say(&mut self, text: impl Into<String>) {
        self.message = Some(Message { text: text.into(), warns: false });
    }

    pub(crate) fn warn(&mut self, text: impl Into<String>) {
        self.message = Some(Message { text: text.into(), warns: true });
    }
}
