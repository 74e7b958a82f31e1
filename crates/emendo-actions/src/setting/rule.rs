//! What a row says of a key, and the change that it makes.

use emendo_docs::{Format, Patch};
use emendo_lang::Fact;
use emendo_text::{Digest, RelPath, Span, Splice};

use crate::contract::Draft;

#[derive(Clone)]
pub(crate) struct SettingRule {
    pub(crate) digest: Digest,
    /// The key, or what stands before `*`.
    pub(crate) key: String,
    pub(crate) all_below: bool,
    pub(crate) new: Option<String>,
    pub(crate) advice: Option<String>,
}

impl SettingRule {
    /// What is left of a key after what the rule is about, if it is about it.
    pub(crate) fn fits<'k>(
        &self,
        format: &Format,
        path: &RelPath,
        key: &'k str,
    ) -> Option<&'k str> {
        if !self.all_below {
            return format.same_key(path, key, &self.key).then_some("");
        }
        let whole = self.key.trim_end_matches('.');
        if self.key.is_empty() || format.same_key(path, key, whole) {
            return Some(if self.key.is_empty() { key } else { "" });
        }
        let sign = if format.constant { '_' } else { '.' };
        let ends = key.char_indices().filter(|(_, c)| *c == sign).map(|(i, _)| i);
        ends.into_iter().find(|i| format.same_key(path, &key[..*i], whole)).map(|i| &key[i + 1..])
    }

    /// The words that a file with the key must hold, in any spelling.
    pub(crate) fn spellings(&self) -> Vec<String> {
        let whole = self.key.trim_end_matches('.');
        let last = whole.rsplit('.').next().unwrap_or(whole);
        let camel = |s: &str| {
            let mut parts = s.split(['-', '_']);
            let first = parts.next().unwrap_or("").to_owned();
            parts.fold(first, |out, p| {
                let mut c = p.chars();
                let head: String = c.next().map(|c| c.to_uppercase().collect()).unwrap_or_default();
                out + &head + c.as_str()
            })
        };
        let mut out = vec![last.to_owned(), emendo_docs::constant(whole), camel(last)];
        out.push(last.replace('_', "-"));
        out.push(last.replace('-', "_"));
        out.dedup();
        out
    }

    /// The new key, with what is left of the old one.
    pub(crate) fn target(&self, rest: &str) -> Option<String> {
        let new = self.new.as_ref()?;
        Some(if rest.is_empty() {
            new.trim_end_matches('.').to_owned()
        } else {
            format!("{new}{rest}")
        })
    }
}

/// An edit of these patches, if there are any.
pub(crate) fn draft(
    action: (usize, usize),
    digest: Digest,
    hull: Span,
    mut patches: Vec<Patch>,
    evidence: Vec<Fact>,
) -> Option<Draft> {
    patches.sort_by_key(|p| (p.span.start, p.span.end));
    // What overlaps could not be written without losing a part.
    if patches.windows(2).any(|w| w[0].span.end > w[1].span.start) {
        return None;
    }
    let splices: Vec<Splice> = patches.into_iter().map(|p| Splice::text(p.span, p.text)).collect();
    if splices.is_empty() {
        return None;
    }
    let mut draft = Draft::new(action, digest, hull, evidence).writing(splices);
    draft.tokens.retain(|s| !s.is_empty());
    Some(draft)
}
