//! Brackets of a list that the file does without, and `new` may do without too; keys as the file writes them.

use emendo_lang::language::Language;

use crate::found::Match;
use crate::model::{Key, PNode, PToken, PatternToken, TextPiece, tokens_of};
use crate::written::Unresolved;

/// Leaves the brackets of lists unwritten that the file does without: of what `new` ends in, of the heads of declarations, and
/// of lists in which nothing is written. Gives the tokens that come first in a list then.
pub(super) fn bare_lists(
    language: &Language,
    m: &Match,
    (old, new): (&[PNode], &[PNode]),
    (tokens, text): (&[PToken], &str),
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
        let first = match &tokens[inner.start].key {
            Key::Text(t) => t.as_str(),
            Key::Slot(name, _) => m.slot(name).map_or("", |b| b.span.of(text)),
            _ => "",
        };
        let opens = first.starts_with(['(', '{']);
        if (ends || head) && !opens && in_brackets(language, new) {
            (dropped[written.start], dropped[written.end - 1]) = (true, true);
            out.push(inner.start);
        }
    }
    out
}

/// A slot that would be a part of a word by itself, and holds no plain one: the reason.
pub(super) fn no_word(
    language: &Language,
    m: &Match,
    text: &str,
    (node, tokens): (&PNode, &[PToken]),
) -> Result<(), Unresolved> {
    match &node.what {
        PatternToken::Inner(inner) => {
            inner.children.iter().try_for_each(|c| no_word(language, m, text, (c, tokens)))
        }
        PatternToken::Text(pieces)
            if language.words.symbols.iter().any(|s| s.kind == node.kind) =>
        {
            for piece in &pieces.pieces {
                let TextPiece::Slot(_, token) = piece else { continue };
                let Key::Slot(name, _) = &tokens[*token].key else { continue };
                let Some(bound) = m.slot(name) else { continue };
                let held = bound.text.as_deref().unwrap_or_else(|| bound.span.of(text));
                let held = held.trim_end_matches(['?', '!', '=']);
                let plain = held.chars().all(|c| c.is_alphanumeric() || c == '_');
                if held.is_empty() || !plain || held.starts_with(|c: char| c.is_ascii_digit()) {
                    return Err(Unresolved(format!("what `{name}` holds is no plain word")));
                }
            }
            Ok(())
        }
        _ => Ok(()),
    }
}

/// The lists with brackets that may be left out, in order.
fn lists<'p>(language: &Language, node: &'p PNode, out: &mut Vec<&'p PNode>) {
    let PatternToken::Inner(inner) = &node.what else { return };
    let bare = in_brackets(language, node) || is_hollow(language, node);
    out.extend(bare.then_some(node));
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

/// True for a list in brackets that is left out where nothing is in it.
fn is_hollow(language: &Language, node: &PNode) -> bool {
    let PatternToken::Inner(inner) = &node.what else { return false };
    let mark = |p: Option<&PNode>| matches!(p.map(|p| &p.what), Some(PatternToken::Leaf(t, _)) if ["(", ")"].contains(&t.as_str()));
    language.compare.hollow.iter().any(|kinds| kinds.contains(&node.kind))
        && mark(inner.children.first())
        && mark(inner.children.last())
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
