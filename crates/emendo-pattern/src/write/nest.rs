//! Brackets among tokens: which token stands in which pair, and which pairs of old and new code are one.

use crate::model::Key;

/// No pair is around a token.
pub(super) const TOP: usize = usize::MAX;

/// For each token, the bracket that opens the pair around it, and the partner of each bracket.
#[derive(Default)]
pub(super) struct Nest {
    pub(super) around: Vec<usize>,
    pub(super) partner: Vec<Option<usize>>,
}

impl Nest {
    pub(super) fn of<'k>(keys: impl ExactSizeIterator<Item = &'k Key>) -> Self {
        let count = keys.len();
        let (mut around, mut partner) = (vec![TOP; count], vec![None; count]);
        let mut open: Vec<(usize, char)> = Vec::new();
        for (i, key) in keys.enumerate() {
            let text = if let Key::Text(text) = key { text.as_str() } else { "" };
            if let Some(sign) = closes(text)
                && let Some((at, _)) = open.pop_if(|(_, o)| *o == sign)
            {
                partner[i] = Some(at);
                partner[at] = Some(i);
            }
            around[i] = open.last().map_or(TOP, |o| o.0);
            if let Some(sign) = opens(text) {
                open.push((i, sign));
            }
        }
        Self { around, partner }
    }

    /// True if a token stands in a pair, or in one within it.
    pub(super) fn holds(&self, pair: usize, token: usize) -> bool {
        match self.partner.get(pair).copied().flatten() {
            Some(end) => pair < token && token < end,
            None => pair == TOP,
        }
    }

    /// The pairs, each by the bracket that opens it, outer ones first.
    pub(super) fn pairs(&self) -> impl Iterator<Item = usize> + '_ {
        let opens = |i: &usize| self.partner[*i].is_some_and(|end| end > *i);
        (0..self.partner.len()).filter(opens)
    }

    /// The token at the level of a pair that a token is, or stands below.
    pub(super) fn lift(&self, pair: usize, mut token: usize) -> usize {
        while self.around[token] != pair && self.around[token] != TOP {
            token = self.around[token];
        }
        token
    }
}

/// True if a token opens a bracket.
pub(super) fn is_open(key: &Key) -> bool {
    matches!(key, Key::Text(t) if opens(t).is_some())
}

/// The bracket that a text opens.
fn opens(text: &str) -> Option<char> {
    text.chars().next_back().filter(|c| matches!(c, '(' | '[' | '{'))
}

/// The bracket that a text closes.
fn closes(text: &str) -> Option<char> {
    match text {
        ")" => Some('('),
        "]" => Some('['),
        "}" => Some('{'),
        _ => None,
    }
}

/// Lets a closing bracket that stays be the partner of the opening one that stays, where nothing stands against it.
pub(super) fn pair_up(anchors: &mut [(usize, usize)], old: &Nest, new: &Nest) {
    let place = |anchors: &[(usize, usize)], o: usize| anchors.binary_search_by_key(&o, |a| a.0);
    for i in 0..anchors.len() {
        let (o, n) = anchors[i];
        let Some(open) = old.partner[o].filter(|open| *open < o) else { continue };
        let Ok(first) = place(anchors, open) else { continue };
        let Some(end) = new.partner[anchors[first].1].filter(|end| *end != n) else { continue };
        let after = i.checked_sub(1).is_none_or(|b| anchors[b].1 < end);
        let before = anchors.get(i + 1).is_none_or(|a| end < a.1);
        if after && before {
            anchors[i].1 = end;
        }
    }
}
