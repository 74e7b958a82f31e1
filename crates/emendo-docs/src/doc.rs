//! A document of any format as keyed values, each with its place in the text.

use std::collections::HashSet;

use emendo_text::Span;

/// What a text holds. It always exists: what could not be read is listed.
#[derive(Clone, Debug, Default)]
pub struct Doc {
    /// The document, or several.
    pub roots: Vec<Node>,
    /// Places that could not be read.
    pub errors: Vec<DocError>,
}

/// Why a place of a document could not be read.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("{message}")]
pub struct DocError {
    /// What is wrong.
    pub message: String,
    /// Where.
    pub at: Span,
}

/// A value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Node {
    /// Where it stands, quotes and brackets included.
    pub span: Span,
    /// What it is.
    pub kind: NodeKind,
}

/// What a value is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NodeKind {
    /// A single value, escapes undone; numbers and words too.
    Text(String),
    /// Keyed values in order.
    Map(Vec<Pair>),
    /// Values in order.
    List(Vec<Node>),
    /// A reference to another value, or nothing.
    Other,
}

/// A keyed value.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pair {
    /// The key; several parts where the format writes a path.
    pub keys: Vec<KeyPart>,
    /// The value.
    pub node: Node,
    /// Key and value.
    pub span: Span,
    /// The key is a heading, with the values on lines of their own below it.
    pub heading: bool,
}

/// A part of a key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KeyPart {
    /// The text, escapes undone.
    pub text: String,
    /// Where it stands, quotes included.
    pub span: Span,
}

/// A keyed value with the keys that lead to it.
#[derive(Clone, Debug)]
pub struct Found<'d> {
    /// The pairs from the outermost to its own.
    pub way: Vec<&'d Pair>,
    /// The lists that it stands in: the place of each among the pairs, and the item, counted from 0.
    pub items: Vec<(usize, usize)>,
    /// The number of its document.
    pub doc: usize,
}

impl Node {
    /// The text of a single value.
    pub fn text(&self) -> Option<&str> {
        match &self.kind {
            NodeKind::Text(t) => Some(t),
            _ => None,
        }
    }

    /// The keyed values of a map.
    pub fn pairs(&self) -> &[Pair] {
        match &self.kind {
            NodeKind::Map(pairs) => pairs,
            _ => &[],
        }
    }

    /// The values of a list.
    pub fn items(&self) -> &[Self] {
        match &self.kind {
            NodeKind::List(items) => items,
            _ => &[],
        }
    }

    /// The value of a key of one part.
    pub fn get(&self, key: &str) -> Option<&Self> {
        self.pairs().iter().find(|p| p.is(&[key])).map(|p| &p.node)
    }

    /// The text of a key of one part.
    pub fn text_of(&self, key: &str) -> Option<&str> {
        self.get(key)?.text()
    }
}

impl Pair {
    /// True if the key is this path.
    pub fn is(&self, path: &[&str]) -> bool {
        self.keys.iter().map(|k| k.text.as_str()).eq(path.iter().copied())
    }

    /// The key's place, all parts together.
    pub fn key_span(&self) -> Span {
        let all = self.keys.iter().map(|k| k.span);
        all.reduce(Span::hull).unwrap_or(self.span)
    }
}

impl<'d> Found<'d> {
    /// The pair itself.
    pub fn pair(&self) -> &'d Pair {
        self.way[self.way.len() - 1]
    }

    /// All parts of its key from the outermost on.
    pub fn parts(&self) -> impl Iterator<Item = &'d KeyPart> + use<'d, '_> {
        self.way.iter().flat_map(|p| &p.keys)
    }

    /// Its whole key, with the numbers of the items that it stands in: `feeds[1].mode`.
    pub fn numbered(&self) -> String {
        let mut out = String::new();
        for (i, pair) in self.way.iter().enumerate() {
            for key in &pair.keys {
                let dot = if out.is_empty() { "" } else { "." };
                out.push_str(&format!("{dot}{}", key.text));
            }
            for (_, item) in self.items.iter().filter(|(at, _)| *at == i) {
                out.push_str(&format!("[{item}]"));
            }
        }
        out
    }

    /// The map that it stands in, where that is an item of a list.
    pub fn item(&self) -> Option<&'d Node> {
        let list = &self.way.get(self.way.len().checked_sub(2)?)?.node;
        let depth = self.way.len() - 2;
        let mut node = list;
        for (_, item) in self.items.iter().filter(|(at, _)| *at == depth) {
            node = node.items().get(*item)?;
        }
        (!std::ptr::eq(node, list)).then_some(node)
    }

    /// True if it stands in the map that these pairs and items lead to, however deep.
    pub fn stands_in(&self, doc: usize, items: &[(usize, usize)], way: &[&Pair]) -> bool {
        let within = || way.iter().zip(&self.way).all(|(a, b)| a.span == b.span);
        self.doc == doc && self.way.len() > way.len() && self.items.starts_with(items) && within()
    }

    /// True if it stands in the map that another one stands in, however deep.
    pub fn stands_beside(&self, other: &Self) -> bool {
        self.stands_in(other.doc, &other.items, &other.way[..other.way.len() - 1])
    }

    /// Its whole key, with dots.
    pub fn path(&self) -> String {
        let parts: Vec<&str> = self.parts().map(|k| k.text.as_str()).collect();
        parts.join(".")
    }
}

impl Doc {
    /// All keyed values, each before what stands in it; those within lists are not among them.
    pub fn all(&self) -> Vec<Found<'_>> {
        let mut out = Vec::new();
        for (doc, root) in self.roots.iter().enumerate() {
            gather(root, &mut Way::default(), (doc, false), &mut out);
        }
        out
    }

    /// The same with those within lists.
    pub fn all_with_items(&self) -> Vec<Found<'_>> {
        let mut out = Vec::new();
        for (doc, root) in self.roots.iter().enumerate() {
            gather(root, &mut Way::default(), (doc, true), &mut out);
        }
        out
    }

    /// What a reader of the document would refuse: places that can't be read, and keys that stand twice.
    pub fn faults(&self) -> Vec<Span> {
        let mut out: Vec<Span> = self.errors.iter().map(|e| e.at).collect();
        let mut seen: HashSet<(usize, Vec<&str>, u32)> = HashSet::new();
        for found in self.all() {
            let pair = found.pair();
            // Elements and sections of lists may stand many times.
            let around = found.way.iter().rev().nth(1).map_or(u32::MAX, |p| p.span.start);
            let path: Vec<&str> = pair.keys.iter().map(|k| k.text.as_str()).collect();
            if !pair.heading && !seen.insert((found.doc, path, around)) {
                out.push(pair.span);
            }
        }
        out
    }

    /// The values of a path, however its keys are split; several where it is written more than once.
    pub fn at(&self, path: &[&str]) -> Vec<Found<'_>> {
        self.all()
            .into_iter()
            .filter(|f| f.parts().map(|k| k.text.as_str()).eq(path.iter().copied()))
            .collect()
    }

    /// The text of a path.
    pub fn text_at(&self, path: &[&str]) -> Option<&str> {
        self.at(path).into_iter().find_map(|f| f.pair().node.text())
    }

    /// All keyed values directly below a path, whichever way they are written.
    pub fn below(&self, path: &[&str]) -> Vec<Found<'_>> {
        let fits = |f: &Found<'_>| {
            let parts: Vec<&str> = f.parts().map(|k| k.text.as_str()).collect();
            parts.len() == path.len() + 1 && parts[..path.len()] == *path
        };
        self.all().into_iter().filter(fits).collect()
    }
}

#[derive(Default)]
struct Way<'d> {
    pairs: Vec<&'d Pair>,
    items: Vec<(usize, usize)>,
}

fn gather<'d>(
    node: &'d Node,
    way: &mut Way<'d>,
    (doc, lists): (usize, bool),
    out: &mut Vec<Found<'d>>,
) {
    // The depth is that of the parser, which is bounded.
    for pair in node.pairs() {
        way.pairs.push(pair);
        out.push(Found { way: way.pairs.clone(), items: way.items.clone(), doc });
        gather(&pair.node, way, (doc, lists), out);
        way.pairs.pop();
    }
    let above = way.pairs.len().checked_sub(1).filter(|_| lists);
    for (i, item) in node.items().iter().enumerate() {
        let Some(at) = above else { break };
        way.items.push((at, i));
        gather(item, way, (doc, lists), out);
        way.items.pop();
    }
}
