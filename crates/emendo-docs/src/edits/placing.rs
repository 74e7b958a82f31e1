//! Where a new entry comes: beside another one that a recipe names.

use emendo_text::Span;

use crate::doc::{Found, Node, NodeKind, Pair};
use crate::edits::{Edits, Patch};

/// Which side of another entry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Side {
    /// Right before it, above the remarks that are about it.
    Before,
    /// Right after it, below the remark on its line.
    After,
}

impl Edits<'_> {
    /// Moves an entry that is to be added to the first of these that it can stand beside; it stays where it is if the text would
    /// then say something else, as where the two are in different maps.
    pub fn beside<'p>(
        &self,
        patch: Patch,
        anchors: impl Iterator<Item = &'p Pair>,
        side: Side,
    ) -> Patch {
        let told = self.said(&patch);
        let fits = |p: &Patch| told.is_some() && self.said(p) == told;
        let moved = |a: &Pair| moved(self.text, &patch, a.span, side);
        anchors.filter_map(moved).find(fits).unwrap_or(patch)
    }

    /// What the text says with a patch, whatever the order of its keys; `None` if it can't be read.
    fn said(&self, patch: &Patch) -> Option<Vec<String>> {
        let (start, end) = (patch.span.start as usize, patch.span.end as usize);
        let whole = format!("{}{}{}", &self.text[..start], patch.text, &self.text[end..]);
        let doc = (self.format.read)(&whole);
        (doc.errors.len() <= self.doc.errors.len() && doc.faults().len() <= self.doc.faults().len())
            .then(|| doc.roots.iter().map(said).collect())
    }

    /// Adds an entry to the map that another one stands in. `raw` is the value as it is written.
    pub fn insert_beside(&self, like: &Found<'_>, key: &str, raw: &str) -> Option<Patch> {
        use crate::formats::Style;
        let around = like.way.iter().rev().nth(1);
        let root = self.doc.roots.get(like.doc)?;
        let node = like.item().or(around.map(|p| &p.node)).unwrap_or(root);
        let path = [key.to_owned()];
        let entry = || format!("{}{}{raw}", (self.format.write_key)(key, ""), self.format.sign);
        match self.format.style {
            Style::Lines => {
                let own = like.path();
                let parent = own.rsplit_once('.').map_or(String::new(), |p| format!("{}.", p.0));
                Some(self.insert_line(&format!("{parent}{key}"), raw, Some(root)))
            }
            Style::Sections { .. } if node.span.of(self.text).starts_with('{') => {
                self.in_braces(node, &entry())
            }
            Style::Sections { .. } => {
                // Where the key is a path of its own, so is the new one.
                let outer = &like.pair().keys[..like.pair().keys.len() - 1];
                let outer: String =
                    outer.iter().map(|k| format!("{}.", k.span.of(self.text))).collect();
                let own: Vec<&Pair> = node.pairs().iter().filter(|p| !p.heading).collect();
                let sign = self.sign_of(&own);
                let entry = format!("{outer}{}{sign}{raw}", (self.format.write_key)(key, ""));
                let last = own.last()?.span.end as usize;
                Some(self.line_behind(Some(last), self.lead(like.pair()), &entry))
            }
            Style::Indented => self.insert_indented(&path, raw, node),
            Style::Braces => self.insert_braced(&path, raw, node),
            Style::Elements => super::elements::insert(self, &path, raw, node),
        }
    }

    /// The blanks before an entry on its line.
    fn lead(&self, pair: &Pair) -> &str {
        let lead = &self.text[self.line_start(pair.span.start as usize)..pair.span.start as usize];
        if lead.trim().is_empty() { lead } else { "" }
    }
}

/// A value as a text in which the order of keys does not count.
fn said(node: &Node) -> String {
    // The depth is that of the parser, which is bounded.
    match &node.kind {
        NodeKind::Text(t) => format!("{t:?}"),
        NodeKind::List(all) => format!("{:?}", all.iter().map(said).collect::<Vec<_>>()),
        NodeKind::Map(pairs) => {
            let key =
                |p: &Pair| p.keys.iter().map(|k| k.text.as_str()).collect::<Vec<_>>().join(".");
            let mut all: Vec<(String, String)> =
                pairs.iter().map(|p| (key(p), said(&p.node))).collect();
            // Those of one key keep theirs.
            all.sort_by(|a, b| a.0.cmp(&b.0));
            format!("{all:?}")
        }
        NodeKind::Other => "-".to_owned(),
    }
}

/// The same entry on a line before or after another, or within the same line where entries are divided by commas.
pub(crate) fn moved(text: &str, patch: &Patch, anchor: Span, side: Side) -> Option<Patch> {
    if !patch.span.is_empty() {
        return None;
    }
    let commas = patch.text.trim().starts_with(',') || patch.text.trim().ends_with(',');
    let body = patch.text.trim_matches(|c: char| c.is_whitespace() || c == ',');
    let (start, end) = (anchor.start as usize, anchor.end as usize);
    let nl = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let line = text[..start].rfind('\n').map_or(0, |i| i + 1);
    let lead = &text[line..start];
    let at = |at: usize, text: String| Some(Patch { span: Span::at(at), text });
    let mark = if lead.starts_with('\u{feff}') { '\u{feff}'.len_utf8() } else { 0 };
    let (line, lead) = (line + mark, &lead[mark..]);
    if !lead.trim().is_empty() {
        let sign = if patch.text.starts_with(',') && patch.text[1..].starts_with(body) {
            ","
        } else {
            ", "
        };
        return match (commas, side) {
            (false, _) => None,
            (true, Side::After) => at(end, format!("{sign}{body}")),
            (true, Side::Before) => at(start, format!("{body}{sign}")),
        };
    }
    // A heading with what is below it keeps a blank line between it and the next.
    let gap = if body.starts_with('[') && text[start..].starts_with('[') { nl } else { "" };
    let comma = if commas { "," } else { "" };
    if side == Side::Before {
        return at(above_remarks(text, line), format!("{lead}{body}{comma}{nl}{gap}"));
    }
    let rest = &text[end..];
    let own = rest[..rest.find('\n').unwrap_or(rest.len())].trim_end();
    let next = rest.find('\n').map(|i| end + i + 1);
    // A remark on its line stays with the entry before it.
    let behind = own.trim_start();
    let divided = behind.starts_with(',');
    match next {
        Some(next) if !commas => at(next, format!("{gap}{lead}{body}{nl}")),
        Some(next) if divided && behind.len() > 1 => at(next, format!("{lead}{body},{nl}")),
        _ if commas && !divided && ["//", "#", "/*"].iter().any(|s| behind.starts_with(s)) => {
            let whole = Span::new(end, end + own.len());
            Some(Patch { span: whole, text: format!(",{own}{nl}{lead}{body}") })
        }
        _ if commas => at(end, format!(",{nl}{lead}{body}")),
        _ => at(end + own.len(), format!("{nl}{gap}{lead}{body}")),
    }
}

/// Where the remarks right above a line begin, which are about what stands on it.
fn above_remarks(text: &str, line: usize) -> usize {
    let mut line = line;
    while let Some(above) = line.checked_sub(1).map(|e| text[..e].rfind('\n').map_or(0, |i| i + 1))
    {
        let said = text[above..line].trim();
        let remark = ["#", "//", "<!--", ";", "!"].iter().any(|sign| said.starts_with(sign));
        if !remark || said.starts_with("<!--") && !said.ends_with("-->") {
            break;
        }
        line = above;
    }
    line
}
