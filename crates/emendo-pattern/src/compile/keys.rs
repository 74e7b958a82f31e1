//! The words by which a pattern is looked for, and what of it may be missing.

use emendo_lang::language::{Keyed, Language};
use emendo_text::Repeat;

use crate::model::{KeyWords, NameDef, PNode, PatternToken, SlotDef};

/// The words by which matches are looked for: none in a pattern of several roots, which has no one place above them, but
/// runs of loose tokens.
pub(super) fn keys(
    language: &Language,
    roots: &[PNode],
    names: &[NameDef],
    optional: &[std::ops::Range<usize>],
    loose: bool,
) -> Vec<KeyWords> {
    let mut out = Vec::new();
    if loose {
        // The run that holds a word is looked for below what holds the word.
        roots.iter().for_each(|r| collect_keys(language, r, names, optional, (0, ""), &mut out));
        return out;
    }
    if let [root] = roots {
        let statement = language.imports.is_head(root.kind);
        if !statement {
            collect_keys(language, root, names, optional, (0, ""), &mut out);
        }
    }
    out
}

/// The tokens of keyed pairs that may be missing.
pub(super) fn optional_tokens(
    language: &Language,
    slots: &[SlotDef],
    node: &PNode,
    out: &mut Vec<std::ops::Range<usize>>,
) {
    let PatternToken::Inner(inner) = &node.what else { return };
    let keyed = language.compare.keyed.iter().find(|k| k.list == node.kind);
    for child in &inner.children {
        let value = match &child.what {
            PatternToken::Inner(pair) => pair.children.last(),
            _ => None,
        };
        let may_miss = value.is_some_and(|v| match &v.what {
            PatternToken::Slot(ix, _) => {
                matches!(slots[*ix].repeat, Repeat::Optional | Repeat::Any)
            }
            _ => false,
        });
        if may_miss && keyed.is_some_and(|k| crate::model::key_of_pattern(k, child).is_some()) {
            out.push(crate::model::tokens_of(child));
        } else {
            optional_tokens(language, slots, child, out);
        }
    }
}

fn collect_keys(
    language: &Language,
    node: &PNode,
    names: &[NameDef],
    optional: &[std::ops::Range<usize>],
    (depth, parent): (usize, &str),
    out: &mut Vec<KeyWords>,
) {
    let facts = &language.names;
    if !optional.is_empty() && optional.contains(&crate::model::tokens_of(node)) {
        return;
    }
    match &node.what {
        PatternToken::Slot(..)
        | PatternToken::Literal(..)
        | PatternToken::Text(_)
        | PatternToken::Base => {}
        PatternToken::Leaf(text, _) => {
            // The key of a pair may stand in quotes, which are no words.
            let is_key =
                |k: &Keyed| k.pair == parent && !k.key.is_empty() && node.field == Some(k.key);
            let quoted = language.compare.keyed.iter().any(is_key);
            if !quoted && language.words.kinds.iter().any(|(k, _)| *k == node.kind) {
                out.push(KeyWords { words: vec![text.clone()], symbols: Vec::new(), depth });
            }
        }
        PatternToken::Name(ix, ..) => {
            let last = |s: &String| facts.last(s).to_owned();
            let symbols: Vec<String> =
                std::iter::once(&names[*ix].symbol).chain(&names[*ix].also).cloned().collect();
            let mut words: Vec<String> = symbols.iter().map(last).collect();
            words.sort();
            words.dedup();
            out.push(KeyWords { words, symbols, depth });
        }
        PatternToken::Inner(inner) => {
            // A receiver may be left unwritten where its member is imported.
            let unwritten = |c: &PNode| {
                let split = language.words.split(node.kind).filter(|_| inner.symbol.is_some());
                split.and_then(|s| inner.part(s.1)).is_some_and(|r| std::ptr::eq(r, c))
            };
            // Any number of links may stand between a chain's end and its start.
            let below = if inner.chained { 1 } else { 0 };
            for child in inner.children.iter().skip(below).filter(|c| !unwritten(c)) {
                collect_keys(language, child, names, optional, (depth + 1, node.kind), out);
            }
        }
    }
}
