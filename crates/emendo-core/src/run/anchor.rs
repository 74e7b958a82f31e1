//! Lasting names for places in the original text: they survive layout changes, other steps and second runs.

use std::collections::HashMap;

use emendo_lang::{Language, Tree, token_texts};
use emendo_text::{Digest, Hasher, Span};
use rustc_hash::FxHashMap;

/// A file's original text, ready for naming places in it.
pub(crate) struct Anchors {
    /// Where tokens begin and end.
    tokens: Vec<Span>,
    /// Rolling hash of the tokens up to each index.
    prefix: Vec<u64>,
    powers: Vec<u64>,
    declarations: Vec<AnchorScope>,
    /// Where each token stands, by its hash.
    starts: FxHashMap<u64, Vec<u32>>,
    /// For each declaration and run length: how often each run begins, in order of place.
    runs: FxHashMap<(usize, usize), FxHashMap<u64, Vec<u32>>>,
}

struct AnchorScope {
    span: Span,
    parent: usize,
    path: String,
}

/// A place by its name: what it is in and which tokens it covers.
pub(crate) struct Anchor {
    /// The path of the declarations around it.
    pub(crate) declaration: String,
    /// The tokens.
    pub(crate) tokens: Digest,
    /// How many equal runs stand before it in the declaration.
    pub(crate) ordinal: usize,
}

/// Up to so many tokens of the same text, each is compared by itself.
const FEW: usize = 2048;
const BASE: u64 = 0x9E37_79B9_7F4A_7C15;

impl Anchors {
    /// Prepares a text; declarations are known where the file is code.
    pub(crate) fn new(text: &str, code: Option<(&Language, &Tree)>) -> Self {
        let mut tokens = Vec::new();
        let mut prefix = vec![0u64];
        let mut powers = vec![1u64];
        let mut starts: FxHashMap<u64, Vec<u32>> = FxHashMap::default();
        for (i, t) in token_texts(text) {
            starts.entry(hash(t)).or_default().push(tokens.len() as u32);
            tokens.push(Span::new(i, i + t.len()));
            let last = prefix[prefix.len() - 1];
            prefix.push(last.wrapping_mul(BASE).wrapping_add(hash(t)));
            powers.push(powers[powers.len() - 1].wrapping_mul(BASE));
        }
        let declarations = declarations(text, code);
        Self { tokens, prefix, powers, declarations, starts, runs: FxHashMap::default() }
    }

    /// The name of a place.
    pub(crate) fn name(&mut self, text: &str, at: Span) -> Anchor {
        let first = self.tokens.partition_point(|t| t.end <= at.start);
        let last = self.tokens.partition_point(|t| t.start < at.end).max(first);
        let declaration = self.around(at);
        let mut hasher = Hasher::new();
        for t in &self.tokens[first..last] {
            hasher.part(t.of(text));
        }
        let ordinal = self.ordinal(declaration, first, last - first);
        Anchor {
            declaration: self.declarations[declaration].path.clone(),
            tokens: hasher.finish(),
            ordinal,
        }
    }

    fn run(&self, from: usize, len: usize) -> u64 {
        self.prefix[from + len].wrapping_sub(self.prefix[from].wrapping_mul(self.powers[len]))
    }

    fn ordinal(&mut self, declaration: usize, first: usize, len: usize) -> usize {
        if len == 0 {
            return 0;
        }
        let key = (declaration, len);
        let span = self.declarations[declaration].span;
        if !self.runs.contains_key(&key)
            && let Some(alike) = self.starts.get(&self.run(first, 1))
        {
            let from = alike.partition_point(|i| self.tokens[*i as usize].start < span.start);
            let to = alike.partition_point(|i| (*i as usize) < first);
            if to.saturating_sub(from) <= FEW {
                let run = self.run(first, len);
                return alike[from..to]
                    .iter()
                    .filter(|i| {
                        **i as usize + len <= self.tokens.len()
                            && self.run(**i as usize, len) == run
                    })
                    .count();
            }
        }
        if !self.runs.contains_key(&key) {
            let from = self.tokens.partition_point(|t| t.start < span.start);
            let to = self.tokens.partition_point(|t| t.end <= span.end);
            let mut starts: FxHashMap<u64, Vec<u32>> = FxHashMap::default();
            for i in from..(to + 1).saturating_sub(len) {
                starts.entry(self.run(i, len)).or_default().push(i as u32);
            }
            self.runs.insert(key, starts);
        }
        let run = self.run(first, len);
        self.runs[&key].get(&run).map_or(0, |s| s.partition_point(|i| (*i as usize) < first))
    }

    /// The innermost declaration that holds the place.
    fn around(&self, at: Span) -> usize {
        let mut i = self.declarations.partition_point(|d| d.span.start <= at.start).max(1) - 1;
        while i > 0 && !self.declarations[i].span.contains(at) {
            i = self.declarations[i].parent;
        }
        i
    }
}

fn hash(token: &str) -> u64 {
    token
        .bytes()
        .fold(0xcbf2_9ce4_8422_2325, |h: u64, b| (h ^ u64::from(b)).wrapping_mul(0x0100_0000_01b3))
}

/// The named declarations of a file in source order; the file itself is the first.
fn declarations(text: &str, code: Option<(&Language, &Tree)>) -> Vec<AnchorScope> {
    let mut out =
        vec![AnchorScope { span: Span::new(0, text.len()), parent: 0, path: String::new() }];
    let Some((language, tree)) = code else { return out };
    let mut open = vec![0usize];
    let mut seen: HashMap<String, usize> = HashMap::new();
    for (span, name) in tree.declarations(language, text) {
        while open.len() > 1 && !out[open[open.len() - 1]].span.contains(span) {
            open.pop();
        }
        let parent = open[open.len() - 1];
        let mut path = format!("{}.{name}", out[parent].path);
        let count = seen.entry(path.clone()).or_default();
        *count += 1;
        if *count > 1 {
            path.push_str(&format!("#{count}"));
        }
        open.push(out.len());
        out.push(AnchorScope { span, parent, path });
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn equal_runs_are_told_apart_and_layout_does_not_matter() {
        let names = |text: &str, find: &str| {
            let mut anchors = Anchors::new(text, None);
            let hits: Vec<usize> = text.match_indices(find).map(|(i, _)| i).collect();
            hits.into_iter()
                .map(|i| anchors.name(text, Span::new(i, i + find.len())))
                .map(|a| (a.tokens, a.ordinal))
                .collect::<Vec<_>>()
        };
        let one = names("f(a); g(); f(a); f(b);", "f(a)");
        assert_eq!(one.iter().map(|o| o.1).collect::<Vec<_>>(), [0, 1]);
        let other = "f ( a );  g();\n\tf(\n a );";
        let mut spread = Anchors::new(other, None);
        let second = spread.name(other, Span::new(16, 23));
        assert_eq!((second.tokens, second.ordinal), (one[1].0, 1));
    }
}
