//! A toy action: a text becomes another.

use emendo_actions::{Asks, Change, CompileCx, Draft, FileCx, Found, Kind, Needs, Runner, Tie};
use emendo_core::Certainty;
use emendo_lang::Fact;
use emendo_recipe::{Action, ActionKind, Key, Scope, Shape};
use emendo_text::{Hasher, RelPath, Span, Splice};

/// Replaces a text wherever it stands, in files of any kind.
pub struct Swapping;

const KEYS: &[Key] = &[
    Key::required("old", Shape::Text, "the text that goes"),
    Key::required("new", Shape::Text, "the text that comes"),
    Key::new("sure", Shape::Text, "certain, likely or unsure"),
    Key::new("changes", Shape::Bool, "it may change what other files see"),
    Key::new("asks", Shape::Bool, "it asks what other files declare"),
];

impl ActionKind for Swapping {
    fn name(&self) -> &'static str {
        "swap"
    }
    fn about(&self) -> &'static str {
        "a text becomes another"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        false
    }
}

impl Kind for Swapping {
    fn compile(&self, action: &Action, _: &mut CompileCx<'_>) -> Option<Box<dyn Runner>> {
        let text = |key: &str| action.table.text(key).map(|t| t.text.clone());
        let sure = match text("sure").as_deref() {
            Some("likely") => Certainty::Likely,
            Some("unsure") => Certainty::Unsure,
            _ => Certainty::Certain,
        };
        Some(Box::new(SwapRunner {
            old: text("old")?,
            new: text("new")?,
            sure,
            changes: action.table.is_true("changes"),
            asks: action.table.is_true("asks"),
            scope: action.scope.clone(),
        }))
    }
}

struct SwapRunner {
    old: String,
    new: String,
    sure: Certainty,
    changes: bool,
    asks: bool,
    scope: Scope,
}

impl Runner for SwapRunner {
    fn asks(&self) -> Asks {
        Asks {
            kind: "swap",
            needs: Needs::of([vec![self.old.clone()]]),
            changes_declarations: self.changes,
            asks_declarations: self.asks,
            ..Asks::NONE
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.scope.covers(path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        for (at, _) in cx.text.match_indices(&self.old) {
            let hull = Span::new(at, at + self.old.len());
            let fact = Fact { says: self.sure, text: "it stands there".into(), at: None };
            out.drafts.push(Draft {
                action: (action, 0),
                digest: Hasher::new().part("swap").part(&self.old).finish(),
                hull,
                tokens: vec![hull],
                change: Change {
                    splices: vec![Splice::text(hull, self.new.clone())],
                    ..Change::default()
                },
                certainty: self.sure,
                evidence: vec![fact],
                alternatives: Vec::new(),
                tie: Tie::default(),
            });
        }
    }
}

/// The kind, as a `World` takes it.
pub static SWAP: Swapping = Swapping;
