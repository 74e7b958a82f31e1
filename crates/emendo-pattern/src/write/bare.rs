//! Brackets of a list that the file does without, and `new` may do without too; keys as the file writes them.

use emendo_lang::language::Language;

use crate::found::Match;
use crate::model::{Key, PNode, PToken, PatternToken, tokens_of};
use crate::write::writer::Writer;

/// Leaves the brackets of lists unwritten that the file does without: of what `new` ends in, of the heads of declarations, and
/// of lists in which nothing is written. Gives the tokens that come first in a list then.
pub(super) fn bare_lists(
    language: &Language,
    m: &Match,
    (old, new): (&[PNode], &[PNode]),
    tokens: &[PToken],
    dropped: &mut [bool],
) -> Vec<usize> {
    let (mut had, mut has) = (Vec::new(), Vec::new());
    old.iter().for_each(|r| lists(language, r, &mut had));
    new.iter().for_each(|r| lists(language, r, &mut has));
    let mut out = Vec::new();
    if had.len() != has.len() {
        return out;
    }
    let last = (last_list(language, old), last_list(language, new));
    for (old, new) in had.into_iter().zip(has).filter(|(old, new)| old.kind == new.kind) {
        let (own, written) = (tokens_of(old), tokens_of(new));
        let stands = |i: usize| m.token_of.get(i).copied().flatten().is_some();
        if stands(own.start) || stands(own.end - 1) {
            continue;
        }
        let inner = written.start + 1..written.end - 1;
        let empty = |t: &PToken| match &t.key {
            Key::Slot(name, _) => m.slot(name).is_some_and(|b| b.count == 0 && b.text.is_none()),
            Key::Text(t) => language.compare.separators.contains(&t.as_str()),
            _ => false,
        };
        if tokens[inner.clone()].iter().all(empty) {
            dropped[written].iter_mut().for_each(|d| *d = true);
            continue;
        }
        let is = |list: Option<&PNode>, node: &PNode| list.is_some_and(|l| std::ptr::eq(l, node));
        let ends = is(last.0, old) && is(last.1, new);
        let head = !language.typing.calls.arguments.lists.contains(&new.kind);
        // What begins with a bracket would be read as another thing.
        let first = &tokens[inner.start].key;
        let opens = matches!(first, Key::Text(t) if ["(", "{", "["].contains(&t.as_str()));
        if (ends || head) && !opens {
            (dropped[written.start], dropped[written.end - 1]) = (true, true);
            out.push(inner.start);
        }
    }
    out
}

/// The lists with brackets that may be left out, in order.
fn lists<'p>(language: &Language, node: &'p PNode, out: &mut Vec<&'p PNode>) {
    let PatternToken::Inner(inner) = &node.what else { return };
    out.extend(in_brackets(language, node).then_some(node));
    inner.children.iter().for_each(|c| lists(language, c, out));
}

/// True for a list in brackets that may be left out.
fn in_brackets(language: &Language, node: &PNode) -> bool {
    let PatternToken::Inner(inner) = &node.what else { return false };
    let rule = language.compare.bracketed.iter().find(|b| b.0 == node.kind && b.1.len() == 2);
    let is = |p: Option<&PNode>, mark: &str| matches!(p.map(|p| &p.what), Some(PatternToken::Leaf(t, _)) if t == mark);
    rule.is_some_and(|(_, marks)| {
        is(inner.children.first(), marks[0]) && is(inner.children.last(), marks[1])
    })
}

impl Writer<'_> {
    /// A new key beside a sign that stays gets the sign before it that goes with that, or loses it.
    pub(super) fn signed_keys(&mut self, anchors: &[(usize, usize)]) {
        let signed = self.language.compare.keyed.iter().map(|k| k.signed);
        let Some((_, sign, between)) = signed.filter(|s| !s.2.is_empty()).last() else { return };
        for (o, n) in anchors {
            let (stands, wanted) = (self.old[*o].at.of(self.text), &self.new[*n].key);
            let Key::Text(wanted) = wanted else { continue };
            let kept = n.checked_sub(1).is_none_or(|key| anchors.iter().any(|a| a.1 == key));
            if stands == wanted || kept || ![stands, wanted.as_str()].contains(&between) {
                continue;
            }
            let key = &mut self.new[n - 1];
            key.text = match stands == between {
                true => format!("{sign}{}", key.text),
                false => key.text.strip_prefix(sign).unwrap_or(&key.text).to_owned(),
            };
        }
    }
}

/// The list with brackets that some code ends in.
fn last_list<'p>(language: &Language, roots: &'p [PNode]) -> Option<&'p PNode> {
    let [root] = roots else { return None };
    let end = tokens_of(root).end;
    let mut node = root;
    loop {
        let PatternToken::Inner(inner) = &node.what else { return None };
        if in_brackets(language, node) {
            return Some(node);
        }
        node = inner.children.last().filter(|c| tokens_of(c).end == end)?;
    }
}
