//! The tokens of the old code at a match, and those of the new code that are to be written there.

use std::ops::Range;

use emendo_lang::language::{Language, Moved};
use emendo_lang::tree::{Tree, span};
use emendo_text::Span;

use crate::found::{Bound, Match, piece};
use crate::model::{
    CLAUSE, Key, PNode, PToken, Pattern, PatternToken, Reading, key_of_pattern, tokens_of,
};
use crate::write::bare::{bare_lists, no_word};
use crate::write::nest::is_open;
use crate::write::token::{Brackets, NewToken, OldToken};
use crate::written::{Place, Unresolved};

/// The tokens of `old` where they stand in the file, in the file's order.
pub(super) fn old_tokens(old: &Pattern, m: &Match) -> Vec<OldToken> {
    let source_tokens = &old.readings[m.reading].tokens;
    let tokens = source_tokens.iter().zip(&m.token_of);
    let mut out: Vec<OldToken> = tokens
        .enumerate()
        .filter_map(|(i, (t, at))| {
            let before = i.checked_sub(1).map_or(0, |b| source_tokens[b].at.end);
            let gap = Span { start: before, end: t.at.start.max(before) }
                .of(old.source_of(&old.readings[m.reading]))
                .to_owned();
            Some(OldToken { key: t.key.clone(), at: (*at)?, gap, place: Some(t.place) })
        })
        .filter(|t| !t.at.is_empty())
        .collect();
    let token = |key: Key, at: Span| OldToken { key, at, gap: String::new(), place: None };
    for bound in m.slots.iter().filter(|b| !b.scattered.is_empty()) {
        let pieces = bound.scattered.iter().enumerate();
        out.extend(pieces.map(|(i, at)| token(Key::Slot(piece(&bound.name, i), Vec::new()), *at)));
        let commas = bound.separators.0.iter();
        out.extend(commas.map(|at| token(Key::Text(",".to_owned()), *at)));
    }
    out.sort_by_key(|t| t.at.start);
    out
}

/// The tokens of `new`, without what is not written at this match, keyed pairs in the file's order.
pub(super) fn new_tokens(
    (language, m): (&Language, &Match),
    Place { tree, text, .. }: Place<'_>,
    placed: &[OldToken],
    old: &Reading,
    (new, source): (&Reading, &str),
) -> Result<Vec<NewToken>, Unresolved> {
    let mut pairs = Vec::new();
    new.roots.iter().for_each(|r| find_pairs(language, r, &mut pairs));
    let mut build = Build { language, m, tokens: &new.tokens, drop: vec![false; new.tokens.len()] };
    build.unwritten(&old.tokens);
    build.left_out_marks(&old.tokens);
    let roots = (old.roots.as_slice(), new.roots.as_slice());
    new.roots.iter().try_for_each(|r| no_word(language, m, text, (r, &new.tokens)))?;
    let bare = bare_lists(language, m, roots, (&new.tokens, text), &mut build.drop);
    build.empty(&pairs, &old.tokens);
    new.roots.iter().for_each(|r| build.clauses(r));
    build.scattered()?;
    let drop = build.drop;
    let mut out: Vec<(usize, NewToken)> = Vec::new();
    let mut scattered = Scattered::new(m, text, &new.tokens, pairs.as_slice());
    for i in (0..new.tokens.len()).filter(|i| !drop[*i]) {
        let t = &new.tokens[i];
        let mut gap = gap_before(&new.tokens, &drop, i, source);
        if bare.contains(&i) && gap.is_empty() {
            gap.push(' ');
        }
        if scattered.expand(i, &gap, &mut out) {
            continue;
        }
        let bound = slot_of(&t.key).and_then(|name| m.slot(name));
        let brackets = bound.and_then(|b| brackets((language, tree), (placed, new), i, b));
        let (key, text) = (t.key.clone(), t.text.clone());
        let copied = |b: &&Bound| b.text.is_none() && b.gathered.is_empty() && !b.span.is_empty();
        let plain = matches!(&t.key, Key::Slot(_, f) if f.is_empty());
        let span = bound.filter(|b| plain && copied(b)).map(|b| b.span);
        let token = NewToken {
            key,
            text,
            gap,
            as_it_stands: false,
            brackets,
            separator: t.separator,
            starts: false,
            root: false,
            separates: false,
            final_item: false,
            span,
        };
        out.push((i, token));
    }
    pairs.extend(scattered.pieces);
    let mut old_pairs = Vec::new();
    old.roots.iter().for_each(|r| find_pairs(language, r, &mut old_pairs));
    reorder(&mut out, &pairs, &old_pairs, m, old);
    if scattered.trailing {
        trailing(&mut out, &pairs);
    }
    new.roots.iter().for_each(|r| lone_items(language, r, m, &mut out));
    items(language, &new.roots, true, &mut out);
    Ok(out.into_iter().map(|t| t.1).collect())
}

/// The brackets that what a slot holds needs in its new place, unless it stands in such a place already.
fn brackets(
    (language, tree): (&Language, &Tree),
    (placed, new): (&[OldToken], &Reading),
    i: usize,
    bound: &Bound,
) -> Option<Brackets> {
    let place = new.tokens[i].place;
    let before = placed.iter().position(|o| o.key == new.tokens[i].key);
    let stays = before.is_some_and(|at| placed[at].place == Some(place));
    let sign = |key: &Key| matches!(key, Key::Text(t) if language.is_separator(t));
    let comes = |i: Option<usize>| i.and_then(|i| new.tokens.get(i)).is_some_and(|t| sign(&t.key));
    let stood = |i: Option<usize>| i.and_then(|i| placed.get(i)).is_some_and(|o| sign(&o.key));
    let followed = comes(Some(i + 1)) && !stood(before.map(|at| at + 1));
    let led = comes(i.checked_sub(1)) && !stood(before.and_then(|at| at.checked_sub(1)));
    let open = || {
        let (start, end) = (bound.span.start as usize, bound.span.end as usize);
        let node = tree.root().descendant_for_byte_range(start, end);
        let node = node.filter(|n| bound.count == 1 && span(*n) == bound.span);
        node.is_some_and(|n| language.is_open(n))
    };
    if stays && !followed && !(led && open()) {
        return None;
    }
    language.brackets(Moved { kind: bound.kind, open: &open, followed }, place)
}

/// Marks where items begin that have lines of their own, and what separates the items of lists.
fn items(language: &Language, nodes: &[PNode], root: bool, out: &mut [(usize, NewToken)]) {
    // What stands in a field, as the body of a condition, belongs to what is before it.
    let lined = |n: &&PNode| {
        let kind = language.writing.line_items.contains(&n.kind);
        n.field.is_none() && (kind || matches!(n.what, PatternToken::Slot(..)))
    };
    if nodes.len() > 1 && nodes.iter().any(|n| language.writing.line_items.contains(&n.kind)) {
        for node in nodes.iter().filter(lined) {
            let tokens = tokens_of(node);
            let first = out.iter_mut().find(|t| tokens.contains(&t.0));
            if let Some(first) = first.filter(|t| !is_open(&t.1.key)) {
                (first.1.starts, first.1.root) = (true, root);
            }
        }
    }
    for node in nodes {
        let PatternToken::Inner(inner) = &node.what else { continue };
        if language.writing.last_items.contains(&node.kind) {
            let tokens = tokens_of(node);
            if let Some(last) = out.iter_mut().rev().find(|t| tokens.contains(&t.0)) {
                last.1.final_item = true;
            }
        }
        let run = language.fragments.token_runs.contains(&node.kind);
        if run || inner.children.iter().any(is_bracket) {
            for (_, at) in &inner.separators {
                if let Some(sign) = out.iter_mut().find(|t| t.0 == *at) {
                    sign.1.separates = true;
                }
            }
        }
        items(language, &inner.children, false, out);
    }
}

fn is_bracket(node: &PNode) -> bool {
    matches!(&node.what, PatternToken::Leaf(t, _) if matches!(t.as_str(), "(" | ")" | "[" | "]" | "{" | "}"))
}

pub(super) fn slot_of(key: &Key) -> Option<&str> {
    match key {
        Key::Slot(name, _) => Some(name),
        _ => None,
    }
}

/// A keyed pair of a pattern: which list, its key, its tokens.
pub(super) struct TokenPair {
    list: usize,
    key: String,
    pub(super) tokens: Range<usize>,
    /// Where its partner stands, if that is known: a piece of a scattered slot is its own.
    at: Option<u32>,
}

/// Scattered slots of `new`, taken apart into the pieces that stand in the file.
struct Scattered<'a> {
    m: &'a Match,
    text: &'a str,
    tokens: &'a [PToken],
    /// Tokens that `new` does not have are counted on from here.
    next: usize,
    /// The lists of pairs of `new`: by any token of a pair.
    lists: Vec<(Range<usize>, usize)>,
    pieces: Vec<TokenPair>,
    trailing: bool,
}

impl<'a> Scattered<'a> {
    fn new(m: &'a Match, text: &'a str, tokens: &'a [PToken], pairs: &[TokenPair]) -> Self {
        let lists = pairs.iter().map(|p| (p.tokens.clone(), p.list)).collect();
        let (next, pieces) = (tokens.len(), Vec::new());
        Self { m, text, tokens, next, lists, pieces, trailing: false }
    }

    /// Writes the pieces of a slot, if that is what the token is.
    fn expand(&mut self, i: usize, gap: &str, out: &mut Vec<(usize, NewToken)>) -> bool {
        let slot = slot_of(&self.tokens[i].key).and_then(|name| self.m.slot(name));
        let Some(bound) = slot.filter(|b| !b.scattered.is_empty()) else { return false };
        let nearest = |l: &&(Range<usize>, usize)| l.0.start.abs_diff(i);
        let list = self.lists.iter().min_by_key(nearest).map_or(usize::MAX, |l| l.1);
        for (nth, at) in bound.scattered.iter().enumerate() {
            let before = &self.text[..at.start as usize];
            let blanks = before.len() - before.trim_end().len();
            let own = before[before.len() - blanks..].to_owned();
            let (first, commas) = (nth == 0, !bound.separators.0.is_empty());
            if !first && commas {
                out.push((self.next, NewToken::comma()));
                self.next += 1;
            }
            let key = Key::Slot(piece(&bound.name, nth), Vec::new());
            let gap = if first { gap.to_owned() } else { own };
            let token = NewToken {
                key,
                text: String::new(),
                gap,
                as_it_stands: !first,
                brackets: None,
                separator: false,
                starts: false,
                root: false,
                separates: false,
                final_item: false,
                span: Some(*at),
            };
            out.push((self.next, token));
            let tokens = self.next..self.next + 1;
            self.pieces.push(TokenPair { list, key: String::new(), tokens, at: Some(at.start) });
            self.next += 1;
        }
        self.trailing |= bound.separators.1;
        true
    }
}

/// A comma behind the last item of a list stays, where the list still ends in an item.
fn trailing(out: &mut Vec<(usize, NewToken)>, pairs: &[TokenPair]) {
    let item = |t: &(usize, NewToken)| pairs.iter().any(|p| p.tokens.contains(&t.0));
    let Some(last) = out.iter().rposition(item) else { return };
    let closes = |t: &(usize, NewToken)| matches!(&t.1.key, Key::Text(k) if [")", "]", "}"].contains(&k.as_str()));
    if out.get(last + 1).is_some_and(closes) {
        out.insert(last + 1, (usize::MAX, NewToken::comma()));
    }
}

/// One item by itself, where that needs a comma to be a list.
fn lone_items(language: &Language, node: &PNode, m: &Match, out: &mut Vec<(usize, NewToken)>) {
    let PatternToken::Inner(inner) = &node.what else { return };
    inner.children.iter().for_each(|c| lone_items(language, c, m, out));
    if !language.writing.lone_comma.contains(&node.kind) {
        return;
    }
    let held = |name: &str| m.slot(name).map_or(1, |b| b.count);
    let items = inner.children.iter().map(|c| match &c.what {
        PatternToken::Leaf(text, _) if matches!(text.as_str(), "(" | ")") => 0,
        PatternToken::Slot(_, token) => {
            let slot = out.iter().find(|t| t.0 == *token).and_then(|t| slot_of(&t.1.key));
            slot.map_or(0, held)
        }
        _ => 1,
    });
    let tokens = tokens_of(node);
    let own = |t: &(usize, NewToken)| tokens.contains(&t.0);
    let comma = inner.separators.iter().any(|(_, i)| out.iter().any(|t| t.0 == *i));
    if items.sum::<usize>() == 1
        && !comma
        && let Some(last) = out.iter().rposition(own)
    {
        out.insert(last, (usize::MAX, NewToken::comma()));
    }
}

fn find_pairs(language: &Language, node: &PNode, out: &mut Vec<TokenPair>) {
    let PatternToken::Inner(inner) = &node.what else { return };
    if let Some(keyed) = language.compare.keyed.iter().find(|k| k.list == node.kind) {
        let list = tokens_of(node).start;
        for child in &inner.children {
            if let Some(key) = key_of_pattern(keyed, child) {
                out.push(TokenPair {
                    list,
                    key: key.to_owned(),
                    tokens: tokens_of(child),
                    at: None,
                });
            }
        }
    }
    inner.children.iter().for_each(|c| find_pairs(language, c, out));
}

struct Build<'a> {
    language: &'a Language,
    m: &'a Match,
    tokens: &'a [PToken],
    drop: Vec<bool>,
}

impl Build<'_> {
    /// What stands before a token in `old` and not in the file stays unwritten in `new` too: the type before a member
    /// that is imported, the key of a pair that is one word.
    fn unwritten(&mut self, old: &[PToken]) {
        let here = |i: usize| self.m.token_of.get(i).copied().flatten().is_some();
        let mut i = 0;
        while i < old.len() {
            let opens = matches!(&old[i].key, Key::Text(t) if t == "(");
            if here(i) || old[i].separator || opens || slot_of(&old[i].key).is_some() {
                i += 1;
                continue;
            }
            let run =
                (i..old.len()).take_while(|j| !here(*j) && slot_of(&old[*j].key).is_none()).count();
            let behind = i + run;
            if behind < old.len() && here(behind) {
                let len = run + 1;
                for j in 0..self.tokens.len().saturating_sub(len - 1) {
                    if (0..len).all(|k| self.tokens[j + k].key == old[i + k].key) {
                        self.drop[j..j + run].iter_mut().for_each(|d| *d = true);
                    }
                }
            }
            i = behind + 1;
        }
    }

    /// A mark that `old` has and the file does without (a semicolon at the end of a line, a comma after the last item)
    /// stays away where `new` has it between the same tokens.
    fn left_out_marks(&mut self, old: &[PToken]) {
        if self.m.slots.iter().any(|b| !b.scattered.is_empty()) {
            // The marks of such a list are those of the file.
            return;
        }
        let key = |t: &[PToken], i: usize| t.get(i).map(|t| t.key.clone());
        for i in (0..old.len()).filter(|i| old[*i].separator) {
            if self.m.token_of.get(i).copied().flatten().is_some() {
                continue;
            }
            let before = i.checked_sub(1).and_then(|b| key(old, b));
            for j in 0..self.tokens.len() {
                let same = self.tokens[j].key == old[i].key
                    && j.checked_sub(1).and_then(|b| key(self.tokens, b)) == before
                    && key(self.tokens, j + 1) == key(old, i + 1);
                self.drop[j] |= same;
            }
        }
    }

    /// Slots that hold nothing go, with a separator beside each, or with their whole pair.
    fn empty(&mut self, pairs: &[TokenPair], old: &[PToken]) {
        for i in 0..self.tokens.len() {
            let bound = slot_of(&self.tokens[i].key).and_then(|name| self.m.slot(name));
            if !bound.is_some_and(|b| b.count == 0 && b.text.is_none()) {
                continue;
            }
            let comma_stands = |o: usize| {
                let before = o.checked_sub(1);
                old[o].key == self.tokens[i].key
                    // Before another item it is that item's comma.
                    && !old.get(o + 1).is_some_and(|t| t.separator)
                    && before.is_some_and(|b| {
                        matches!(&old[b].key, Key::Text(t) if self.language.compare.separators.contains(&t.as_str()))
                            && self.m.token_of.get(b).copied().flatten().is_some()
                    })
            };
            if (0..old.len()).any(comma_stands) {
                // The comma stands in the file all the same, after the last item.
                self.drop[i] = true;
                continue;
            }
            if self.without_brackets(i, old) {
                continue;
            }
            let pair = pairs.iter().find(|p| p.tokens.contains(&i) && p.tokens.end == i + 1);
            let range = pair.map_or(i..i + 1, |p| p.tokens.clone());
            self.leave_out(range);
        }
    }

    /// A clause that nothing is left in goes with its keyword.
    fn clauses(&mut self, node: &PNode) {
        let PatternToken::Inner(inner) = &node.what else { return };
        inner.children.iter().for_each(|c| self.clauses(c));
        let mut clauses = self.language.fragments.contexts.iter().filter(|c| c.name == CLAUSE);
        if !clauses.any(|c| c.accepts.contains(&node.kind)) {
            return;
        }
        let [keyword, rest @ ..] = inner.children.as_slice() else { return };
        let gone = |n: &PNode| tokens_of(n).all(|i| self.drop[i]);
        if matches!(keyword.what, PatternToken::Leaf(..))
            && !rest.is_empty()
            && rest.iter().all(gone)
        {
            self.drop[tokens_of(node)].iter_mut().for_each(|d| *d = true);
        }
    }

    /// Takes a slot out together with the brackets around it, if those are not there either.
    fn without_brackets(&mut self, i: usize, old: &[PToken]) -> bool {
        let Some(o) = old.iter().position(|t| t.key == self.tokens[i].key) else { return false };
        let here = |at: usize| self.m.token_of.get(at).copied().flatten().is_some();
        let gone = |from: usize, to: usize| {
            from < old.len()
                && to < self.tokens.len()
                && !here(from)
                && old[from].key == self.tokens[to].key
        };
        let behind = (1..).take_while(|n| gone(o + n, i + n)).count();
        let before = (1..=o.min(i)).take_while(|n| gone(o - n, i - n)).count();
        let (open, close) = self.language.typing.syntax.generic;
        let is = |at: usize, c: char| self.tokens[at].text.chars().eq([c]);
        if behind == 0 || before == 0 || !is(i - 1, open) || !is(i + 1, close) {
            return false;
        }
        self.drop[i - before..=i + behind].iter_mut().for_each(|d| *d = true);
        true
    }

    /// Takes tokens out, with a comma beside them, or the dot after a receiver that is not there.
    fn leave_out(&mut self, range: Range<usize>) {
        let gone = range.start.checked_sub(1).is_some_and(|b| {
            let text = &self.tokens[b].text;
            self.drop[b] && self.language.words.member_after.contains(&text.as_str())
        });
        self.drop[range.clone()].iter_mut().for_each(|d| *d = true);
        if gone {
            // The dot before it went already, with what is not written in the file.
            return;
        }
        let is = |i: &usize, set: &[&str]| matches!(&self.tokens[*i].key, Key::Text(t) if set.contains(&t.as_str()));
        let before = range.start.checked_sub(1).filter(|b| !self.drop[*b]);
        let after = Some(range.end).filter(|a| *a < self.tokens.len());
        let dot = |i: &usize| is(i, self.language.words.member_after);
        let comma = |i: &usize| is(i, self.language.compare.separators);
        let equals = |i: &usize| is(i, &["="]);
        let beside = before.filter(comma).or(after.filter(comma)).or(after.filter(dot));
        let beside = before.filter(equals).or(beside);
        if let Some(b) = beside {
            self.drop[b] = true;
        }
    }

    /// A rest that stands on both sides of what the pattern took stays where it is: it can be written once only.
    fn scattered(&self) -> Result<(), Unresolved> {
        for bound in self.m.slots.iter().filter(|b| !b.scattered.is_empty()) {
            let own = |t: &&PToken| slot_of(&t.key) == Some(&bound.name);
            let uses: Vec<&PToken> = self.tokens.iter().filter(own).collect();
            let filtered = |t: &&PToken| matches!(&t.key, Key::Slot(_, f) if !f.is_empty());
            if uses.len() > 1 || uses.iter().any(filtered) {
                return Err(Unresolved(format!(
                    "what `{}` holds stands around other parts: it can be written once, and as it is",
                    bound.name
                )));
            }
        }
        Ok(())
    }
}

/// What stands before a token of `new`. Where tokens before it are dropped, the gap goes with the separator, or with
/// what stood on lines of its own: of the gaps around it the first after a bracket, the last before one, else the one
/// with more lines.
fn gap_before(tokens: &[PToken], drop: &[bool], i: usize, source: &str) -> String {
    let first = (0..i).rev().take_while(|j| drop[*j]).last().unwrap_or(i);
    let gap = |at: usize| {
        let before = at.checked_sub(1).map_or(0, |b| tokens[b].at.end);
        Span { start: before, end: tokens[at].at.start.max(before) }.of(source)
    };
    let lines = |at: usize| gap(at).matches('\n').count();
    if first == i {
        return gap(i).to_owned();
    }
    if tokens[i - 1].separator {
        return gap(first).to_owned();
    }
    let text = |at: usize| tokens[at].text.as_str();
    let opens = first.checked_sub(1).is_none_or(|b| matches!(text(b), "{" | "(" | "["));
    let at = match text(i) {
        "}" | ")" | "]" => i,
        _ if opens || lines(first) > lines(i) => first,
        _ => i,
    };
    gap(at).to_owned()
}

/// Puts keyed pairs into the order that their partners have in the file.
fn reorder(
    out: &mut Vec<(usize, NewToken)>,
    pairs: &[TokenPair],
    old_pairs: &[TokenPair],
    m: &Match,
    old: &Reading,
) {
    let place = |p: &TokenPair| {
        let tokens = p.tokens.clone().filter_map(|t| m.token_of.get(t).copied().flatten());
        tokens.map(|s| s.start).min()
    };
    let in_order = |p: &[TokenPair]| {
        p.windows(2).all(|w| w[0].list != w[1].list || place(&w[0]) <= place(&w[1]))
    };
    if in_order(old_pairs) && !pairs.iter().any(|p| p.at.is_some()) {
        return;
    }
    let partner = |p: &TokenPair| {
        if p.at.is_some() {
            return p.at;
        }
        let slots = |r: Range<usize>, t: &[PToken]| -> Vec<Key> {
            let keys = r.filter_map(|i| t.get(i).map(|t| t.key.clone()));
            keys.filter(|k| slot_of(k).is_some()).collect()
        };
        let own: Vec<Key> = out
            .iter()
            .filter(|t| p.tokens.contains(&t.0) && slot_of(&t.1.key).is_some())
            .map(|t| t.1.key.clone())
            .collect();
        let same_key = old_pairs.iter().find(|o| o.key == p.key);
        let same_slot = || {
            old_pairs
                .iter()
                .find(|o| slots(o.tokens.clone(), &old.tokens).iter().any(|k| own.contains(k)))
        };
        same_key.or_else(same_slot).and_then(place)
    };
    let partners: Vec<Option<u32>> = pairs.iter().map(partner).collect();
    let mut lists: Vec<usize> = pairs.iter().map(|p| p.list).collect();
    lists.dedup();
    for list in lists {
        let mut here: Vec<(&TokenPair, u32)> = pairs
            .iter()
            .zip(&partners)
            .filter(|(p, _)| p.list == list)
            .filter_map(|(p, at)| Some((p, (*at)?)))
            .filter(|(p, _)| out.iter().any(|t| p.tokens.contains(&t.0)))
            .collect();
        here.sort_by_key(|(p, _)| out.iter().position(|t| p.tokens.contains(&t.0)));
        let mut sorted: Vec<usize> = (0..here.len()).collect();
        sorted.sort_by_key(|i| here[*i].1);
        if sorted.windows(2).all(|w| w[0] < w[1]) {
            continue;
        }
        let mut taken: Vec<Vec<(usize, NewToken)>> = Vec::new();
        let mut at = Vec::new();
        for (p, _) in &here {
            let start = out.iter().position(|t| p.tokens.contains(&t.0)).unwrap_or(0);
            at.push(start);
            let end = start + out[start..].iter().take_while(|t| p.tokens.contains(&t.0)).count();
            taken.push(out.drain(start..end).collect());
        }
        let gap = |t: &NewToken| (t.gap.clone(), t.as_it_stands);
        let gaps: Vec<(String, bool)> = taken.iter().map(|t| gap(&t[0].1)).collect();
        let mut order: Vec<Option<Vec<(usize, NewToken)>>> = taken.into_iter().map(Some).collect();
        // Each place was found with the ones before it taken out: the same order puts them back.
        let mut grown = 0;
        for (nth, i) in sorted.into_iter().enumerate() {
            let Some(mut tokens) = order[i].take() else { continue };
            (tokens[0].1.gap, tokens[0].1.as_it_stands) = gaps[nth].clone();
            let len = tokens.len();
            let place = at[nth] + grown;
            out.splice(place..place, tokens);
            grown += len;
        }
    }
}
