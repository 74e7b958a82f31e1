//! What a change of a signature writes, and how sure it is.

use std::collections::BTreeMap;

use emendo_lang::Fact;
use emendo_text::{Digest, Span};

use crate::contract::{Change, Draft, Found, Tie};
use crate::meaning::Place;

/// What is gathered of one edit before it is a draft.
#[derive(Default)]
pub(crate) struct Gathered {
    pub(crate) change: Change,
    pub(crate) facts: Vec<Fact>,
    pub(crate) tokens: Vec<Span>,
    /// What it takes away, by name, with its uses.
    pub(crate) uses: Vec<(String, Vec<Span>)>,
}

/// What an edit is one of.
pub(crate) struct Of {
    pub(crate) row: usize,
    pub(crate) digest: Digest,
    pub(crate) tie: Tie,
}

/// Where edits of a file go, with what all of them share.
pub(crate) struct Output<'o> {
    pub(crate) action: usize,
    pub(crate) out: &'o mut Found,
}

impl Output<'_> {
    pub(crate) fn draft(
        &mut self,
        of: Of,
        hull: Span,
        tokens: Vec<Span>,
        mut change: Change,
        evidence: Vec<Fact>,
    ) {
        if change.splices.is_empty() {
            return;
        }
        change.splices.sort_by_key(|s| (s.span.start, s.span.end));
        let hull = change.splices.iter().map(|s| s.span).fold(hull, Span::hull);
        let draft = Draft::new((self.action, of.row), of.digest, hull, evidence);
        self.out.drafts.push(Draft { tokens, change, tie: of.tie, ..draft });
    }
}

/// Code of the recipe as it is written at a place: names that stand for symbols in the spelling that the file allows.
pub(crate) fn spelled(
    p: &Place<'_>,
    code: &str,
    names: &BTreeMap<String, String>,
    space: emendo_lang::Space,
    at: u32,
    change: &mut Change,
) -> Result<String, String> {
    let mut out = String::new();
    let mut end = 0;
    let mut before = "";
    for (start, token) in emendo_lang::token_texts(code) {
        out.push_str(&code[end..start]);
        end = start + token.len();
        match names.get(token).filter(|_| before != ".") {
            Some(symbol) => {
                let spelled = p.resolver.spell(symbol, space, at)?;
                change.imports.extend(spelled.imports);
                out.push_str(&spelled.text);
            }
            None => out.push_str(token),
        }
        before = token;
    }
    out.push_str(&code[end..]);
    Ok(out)
}

/// Names in code that goes are used there no more.
pub(crate) fn release(p: &Place<'_>, gone: &[Span], change: &mut Change) {
    let words = p.code.facts.all_words().flat_map(|(_, w)| w).map(|w| w.span);
    change.released.extend(words.filter(|w| gone.iter().any(|g| g.contains(*w))));
}

/// What `@{it}` stands in for, split around it.
pub(crate) fn around_it(text: &str) -> Option<(&str, &str)> {
    text.split_once("@{it}")
}

/// Writes a text before and after a place that stays.
pub(crate) fn put_around(at: Span, before: &str, after: &str, change: &mut Change) {
    for (place, text) in [(at.start, before), (at.end, after)] {
        if !text.is_empty() {
            change.splices.push(emendo_text::Splice::text(Span::at(place as usize), text));
        }
    }
}
