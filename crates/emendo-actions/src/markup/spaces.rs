//! Name spaces by another name: where they are declared, named by a directive, or paired with the location of a schema.

use std::sync::Arc;

use emendo_docs::markup::{Attribute, Element, Page, read};
use emendo_lang::{Certainty, Fact};
use emendo_recipe::{Action, Scope};
use emendo_text::{RelPath, Span, Splice};

use crate::contract::{
    Asks, Draft, FileCx, Found, Needs, NoteDraft, OldKey, Replaces, Runner, Tables,
};
use crate::markup::runner::{Row, local};
use crate::shared::{Filled, ValuePattern, fill};

/// What becomes of the location of a schema.
pub(super) struct Location {
    pub(super) old: ValuePattern,
    pub(super) new: String,
}

pub(super) struct SpaceRunner {
    tables: Arc<Tables>,
    scope: Scope,
    rows: Vec<Row>,
    locations: Vec<Location>,
}

/// Attributes that hold a name space by itself, by their names without prefix.
const HOLDERS: &[&str] = &["targetNamespace", "namespace", "noNamespaceSchemaLocation"];

impl SpaceRunner {
    pub(super) fn new(
        tables: Arc<Tables>,
        action: &Action,
        rows: Vec<Row>,
        locations: Vec<Location>,
    ) -> Self {
        Self { tables, scope: action.scope.clone(), rows, locations }
    }

    fn row(&self, space: &str) -> Option<(usize, &Row)> {
        self.rows.iter().enumerate().find(|(_, r)| r.old.as_deref() == Some(space))
    }

    /// The places of an element that name a space of a row, with what becomes of them.
    fn element(&self, page: &Page<'_>, e: &Element) -> Vec<(usize, Vec<Splice>, Vec<NoteDraft>)> {
        let mut out: Vec<(usize, Vec<Splice>, Vec<NoteDraft>)> = Vec::new();
        let mut add = |n: usize, splices: Vec<Splice>, notes: Vec<NoteDraft>| match out
            .iter_mut()
            .find(|o| o.0 == n)
        {
            Some(o) => {
                o.1.extend(splices);
                o.2.extend(notes);
            }
            None => out.push((n, splices, notes)),
        };
        for a in &e.attributes {
            let name = a.name.of(page.text);
            let Some(value) = a.value.filter(|v| !v.has_code) else { continue };
            let declares = name == "xmlns" || name.starts_with("xmlns:") || HOLDERS.contains(&name);
            if declares {
                if let Some((n, row)) = self.row(value.inner.of(page.text)) {
                    let new = row.new.iter().map(|new| Splice::text(value.inner, new));
                    add(n, new.collect(), Vec::new());
                }
            } else if local(name) == "schemaLocation" && name != "schemaLocation" {
                for (n, splices, note) in self.pairs(page, a, value.inner) {
                    add(n, splices, note.into_iter().collect());
                }
            }
        }
        out
    }

    /// The pairs of name spaces and locations in one value; the blanks between them stay.
    fn pairs(
        &self,
        page: &Page<'_>,
        a: &Attribute,
        value: Span,
    ) -> Vec<(usize, Vec<Splice>, Option<NoteDraft>)> {
        let text = value.of(page.text);
        let mut words = Vec::new();
        let mut at = 0;
        for word in text.split_whitespace() {
            let start = at + text[at..].find(word).unwrap_or(0);
            at = start + word.len();
            words.push(Span::new(value.start as usize + start, value.start as usize + at));
        }
        let mut out = Vec::new();
        for pair in words.chunks_exact(2) {
            let (space, location) = (pair[0], pair[1]);
            let Some((n, row)) = self.row(space.of(page.text)) else { continue };
            let Some(new) = &row.new else { continue };
            let mut splices = vec![Splice::text(space, new)];
            let was = location.of(page.text);
            let becomes = self.locations.iter().find_map(|l| {
                let slots = l.old.fit(was)?;
                let value = |name: &str| {
                    slots.iter().find(|s| s.0 == name).map(|s| Filled::Text(s.1.clone()))
                };
                fill(&l.new, value).ok()
            });
            let known = self
                .locations
                .iter()
                .any(|l| ValuePattern::compile(&l.new).is_ok_and(|p| p.fit(was).is_some()));
            let note = match becomes {
                Some(new) if new != was => {
                    splices.push(Splice::text(location, &new));
                    None
                }
                Some(_) => None,
                None if known => None,
                None => Some(NoteDraft::new(
                    a.span,
                    format!(
                        "the schema of `{new}` lies at `{was}` here: no row says where it lies now"
                    ),
                )),
            };
            out.push((n, splices, note));
        }
        out
    }
}

impl Runner for SpaceRunner {
    fn asks(&self) -> Asks {
        let old = |r: &Row| {
            Some(OldKey { key: r.old.clone()?, new: r.new.clone(), advice: r.advice.clone() })
        };
        Asks {
            kind: "markup",
            needs: Needs::of(self.rows.iter().filter_map(|r| Some(vec![r.old.clone()?]))),
            replaces: Replaces {
                keys: self.rows.iter().filter_map(old).collect(),
                ..Replaces::NONE
            },
            rows: self.rows.iter().filter_map(|r| r.old.clone()).collect(),
            about_pages: true,
            ..Asks::NONE
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.tables.host_of(path).is_some() && self.scope.covers(path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(host) = cx.tables.host_of(cx.path) else { return };
        let page = read(host, cx.text);
        let fact = |at: Span| Fact {
            says: Certainty::Certain,
            text: "the name space is named here".to_owned(),
            at: Some(at),
        };
        for e in &page.elements {
            for (n, splices, notes) in self.element(&page, e) {
                let row = &self.rows[n];
                match (&row.new, &row.advice) {
                    (None, Some(advice)) => {
                        out.notes.push(NoteDraft::new(e.start, advice.clone()));
                    }
                    _ => {
                        out.notes.extend(notes);
                        let mut splices = splices;
                        splices.sort_by_key(|s| s.span.start);
                        let hull = splices.first().map_or(e.name, |s| s.span);
                        let draft = Draft::new((action, n), row.digest, hull, vec![fact(hull)]);
                        out.drafts.push(draft.writing(splices));
                    }
                }
            }
        }
        for (_, uri) in page.libraries() {
            let Some((n, row)) = self.row(uri.of(page.text)) else { continue };
            match (&row.new, &row.advice) {
                (Some(new), _) => {
                    let draft = Draft::new((action, n), row.digest, uri, vec![fact(uri)]);
                    out.drafts.push(draft.writing(vec![Splice::text(uri, new)]));
                }
                (None, Some(advice)) => out.notes.push(NoteDraft::new(uri, advice.clone())),
                (None, None) => {}
            }
        }
    }
}
