//! Files that are called after a type, and name the types that fulfil it.

use emendo_lang::{Certainty, Fact};
use emendo_text::{Digest, RelPath, Span, Splice};

use crate::contract::{Asks, Draft, FileCx, Found, Needs, Runner};

/// A type under its old and its new name.
#[derive(Clone)]
pub(crate) struct RenamedType {
    pub(crate) action: (usize, usize),
    pub(crate) digest: Digest,
    pub(crate) old: String,
    pub(crate) new: String,
    /// What the rename needs.
    pub(crate) tie: Option<Digest>,
}

/// Renames types in files that name them, a line each.
pub(crate) struct ServiceMender {
    folder: &'static str,
    rows: Vec<RenamedType>,
    /// It is an action of its own, whose number it is told.
    alone: bool,
}

impl ServiceMender {
    pub(crate) fn new(folder: &'static str, rows: Vec<RenamedType>, alone: bool) -> Self {
        Self { folder, rows, alone }
    }
}

/// True for the files of a folder with services.
pub(crate) fn is_service(folder: &str, path: &RelPath) -> bool {
    let own = path.folder();
    !folder.is_empty() && (own == folder || own.ends_with(&format!("/{folder}")))
}

impl Runner for ServiceMender {
    fn asks(&self) -> Asks {
        let kind = if self.alone { "symbol" } else { "file" };
        let needs = Needs::of(self.rows.iter().map(|r| vec![r.old.clone()]));
        Asks { kind, needs, ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        is_service(self.folder, path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let mut at = 0;
        for line in cx.text.split_inclusive('\n') {
            let code = line.split('#').next().unwrap_or("");
            let name = code.trim();
            let start = at + code.len() - code.trim_start().len();
            at += line.len();
            let Some(row) = self.rows.iter().find(|r| r.old == name) else { continue };
            let span = Span::new(start, start + name.len());
            let text = format!("the line names `{name}`");
            let fact = Fact { says: Certainty::Certain, text, at: Some(span) };
            let own = if self.alone { (action, row.action.1) } else { row.action };
            let draft = Draft::new(own, row.digest, span, vec![fact]);
            let mut draft = draft.writing(vec![Splice::text(span, row.new.clone())]);
            draft.tie.needs = row.tie;
            out.drafts.push(draft);
        }
    }
}
