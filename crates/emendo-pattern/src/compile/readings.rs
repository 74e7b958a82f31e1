//! Which readings of a pattern are kept.

use emendo_lang::language::Language;

use crate::model::{Key, NameDef, PNode, PatternToken, Reading};

/// A word that stands for a symbol is a use of it: readings in which it is nothing but a name of its own go, where
/// another reading uses it.
pub(super) fn meaning_only(readings: &mut Vec<Reading>, defs: &[NameDef]) {
    let uses = |r: &Reading, word: &str| {
        r.tokens.iter().any(|t| matches!(&t.key, Key::Name { word: w, .. } if w == word))
    };
    let used: Vec<&NameDef> =
        defs.iter().filter(|d| readings.iter().any(|r| uses(r, &d.word))).collect();
    readings.retain(|r| used.iter().all(|d| uses(r, &d.word)));
}

/// True for a reading of another form that is as many things as the pattern itself: `f x`, which is a call with a function
/// behind it, may be read as two statements too.
pub(super) fn says_the_same(reading: &Reading, own: &[Reading]) -> bool {
    let any = |r: &Reading| {
        let slots = r.roots.iter().filter(|n| matches!(n.what, PatternToken::Slot(..)));
        slots.count()
    };
    let like = |r: &&Reading| r.form == 0 && r.roots.len() == reading.roots.len();
    own.iter().filter(like).any(|r| any(r) >= any(reading))
}

/// A grammar may take a declaration that ends before its body for one without a body.
pub(super) fn bodiless_first(language: &Language, source: &str, readings: &mut Vec<Reading>) {
    // What is a whole expression does not end before a body.
    let declares = |r: &Reading| {
        language.grammar.reshape.is_some()
            && language.declaration(r.roots[0].kind).is_some_and(|d| !d.body.is_empty())
    };
    if readings
        .iter()
        .any(|r| language.fragments.contexts[r.context].name == "expression" && !declares(r))
    {
        readings.retain(|r| !language.fragments.contexts[r.context].bodiless);
        return;
    }
    let kinds: Vec<&str> = readings
        .iter()
        .filter(|r| language.fragments.contexts[r.context].bodiless)
        .map(|r| r.roots[0].kind)
        .collect();
    let empty = |r: &Reading| {
        let root = &r.roots[0];
        let body = language.declaration(root.kind).map_or("", |d| d.body);
        let has_body = matches!(&root.what, PatternToken::Inner(i) if i.children.iter().any(|c| c.field == Some(body)));
        kinds.contains(&root.kind) && !has_body
    };
    if !source.trim_end().ends_with(';') {
        readings.retain(|r| language.fragments.contexts[r.context].bodiless || !empty(r));
    }
}

/// True if two readings would match the same; what a slot was spelled as may be left out of the question.
pub(super) fn same_shape(a: &[PNode], b: &[PNode], any_slot: bool) -> bool {
    let slot = |n: &PNode| any_slot && matches!(n.what, PatternToken::Slot(..));
    a.len() == b.len()
        && a.iter().zip(b).all(|(a, b)| {
            (a.kind == b.kind || slot(a) && slot(b))
                && match (&a.what, &b.what) {
                    (PatternToken::Inner(a), PatternToken::Inner(b)) => {
                        a.separators.len() == b.separators.len()
                            && same_shape(&a.children, &b.children, any_slot)
                    }
                    (PatternToken::Leaf(a, _), PatternToken::Leaf(b, _)) => a == b,
                    (PatternToken::Slot(a, _), PatternToken::Slot(b, _)) => a == b,
                    (PatternToken::Name(a, ..), PatternToken::Name(b, ..)) => a == b,
                    (PatternToken::Literal(a, b, _), PatternToken::Literal(c, d, _)) => {
                        a == c && b == d
                    }
                    (PatternToken::Text(a), PatternToken::Text(b)) => a.same(b),
                    (PatternToken::Base, PatternToken::Base) => true,
                    _ => false,
                }
        })
}
