//! What an action of this kind says.

use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::sync::Arc;

use emendo_lang::Language;
use emendo_pattern::Pattern;
use emendo_text::{Digest, FillValue, RelPath, Span};

use crate::file::generate::item::{Collect, Held, Item};

/// A place in a file that is there.
pub(super) struct InsertAt {
    pub(super) file: RelPath,
    pub(super) place: Pattern,
    pub(super) after: bool,
}

/// Where what is written goes.
pub(super) enum Goal {
    /// A file that is created.
    File(RelPath),
    /// A place in a file.
    Insert(InsertAt),
}

impl Goal {
    pub(super) fn path(&self) -> &RelPath {
        match self {
            Self::File(path) => path,
            Self::Insert(at) => &at.file,
        }
    }
}

/// In which order items are written.
pub(super) struct Order {
    pub(super) by: String,
    pub(super) number: bool,
    pub(super) default: Option<String>,
    pub(super) descending: bool,
}

/// Collects items over all files, writes what comes of them, and takes the originals away.
pub(super) struct GenerateRule {
    pub(super) digest: Digest,
    pub(super) collects: Vec<Arc<Collect>>,
    pub(super) names: BTreeMap<String, String>,
    pub(super) order: Option<Order>,
    pub(super) template: String,
    pub(super) goal: Goal,
    pub(super) carry: bool,
    pub(super) drop: bool,
    /// Symbols that are imported besides.
    pub(super) add: Vec<String>,
}

impl GenerateRule {
    /// True if code of a language means the same in the file that is written.
    pub(super) fn speaks(language: &Language, target: &Language) -> bool {
        std::ptr::eq(language, target) || language.typing.standard == target.typing.standard
    }
}

impl Order {
    /// What an item is ordered by, as text.
    fn key(&self, item: &Item) -> Option<String> {
        let of = |at: Span| Some(at.of(&item.source.text).to_owned());
        let slot = item.slots.iter().find(|s| s.name == self.by).map(|s| &s.held);
        match slot {
            Some(Held::Code(at, value)) => match value {
                FillValue::Text(text) => Some(text.clone()),
                FillValue::Whole(n) => Some(n.to_string()),
                FillValue::Number(n) => Some(n.to_string()),
                _ => of(*at),
            },
            Some(Held::Text(text)) => Some(text.clone()),
            Some(Held::List(at, _)) => of(*at),
            Some(Held::Nothing) => None,
            None if self.by == "text" => of(item.span),
            None => None,
        }
        .or_else(|| self.default.clone())
    }

    pub(super) fn compare(&self, a: &Item, b: &Item) -> Ordering {
        let keys = (self.key(a), self.key(b));
        let order = match &keys {
            // What has none comes last, whichever way the others go.
            (None, None) => Ordering::Equal,
            (None, Some(_)) => return Ordering::Greater,
            (Some(_), None) => return Ordering::Less,
            (Some(a), Some(b)) if self.number => {
                let number = |t: &str| t.replace('_', "").parse::<f64>().unwrap_or(f64::INFINITY);
                number(a).total_cmp(&number(b))
            }
            (Some(a), Some(b)) => a.cmp(b),
        };
        if self.descending { order.reverse() } else { order }
    }
}
