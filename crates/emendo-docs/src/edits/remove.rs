//! Entries that go, with their lines and remarks.

use emendo_text::Span;

use crate::doc::{Found, Node, Pair};
use crate::edits::{Edits, Patch};
use crate::formats::Style;

impl Edits<'_> {
    /// Takes an entry away: with its line, or with its comma. A parent that held nothing else goes too.
    pub fn remove(&self, found: &Found<'_>) -> Patch {
        self.remove_below(found, &[])
    }

    /// The same, but a parent on one of these paths stays: something comes into it.
    pub fn remove_below(&self, found: &Found<'_>, kept: &[String]) -> Patch {
        let mut way = found.way.as_slice();
        let path = |way: &[&Pair]| {
            let parts = way.iter().flat_map(|p| &p.keys).map(|k| k.text.as_str());
            parts.collect::<Vec<_>>().join(".")
        };
        let stays = |way: &[&Pair]| {
            let own = path(way);
            kept.iter().any(|k| *k == own || k.starts_with(&format!("{own}.")))
        };
        while let [rest @ .., pair] = way
            && let Some(parent) = rest.last()
            && parent.node.pairs().len() == 1
            && !matches!(self.format.style, Style::Elements)
            && pair.span.end <= parent.span.end
            && !stays(rest)
        {
            way = rest;
        }
        let pair = way[way.len() - 1];
        let siblings = match way {
            [.., parent, _] => parent.node.pairs(),
            _ => self.doc.roots.get(found.doc).map_or(&[][..], Node::pairs),
        };
        self.without(pair.span, siblings.iter().map(|p| p.span), self.is_flow(pair.span, way))
    }

    /// Takes an entry out of a map that is an item of a list; `None` if nothing of the item would be left.
    pub fn remove_in_item(&self, found: &Found<'_>) -> Option<Patch> {
        let item = found.item()?;
        let (pair, pairs) = (found.pair(), item.pairs());
        let next = pairs.get(1)?;
        let flow = self.text[item.span.start as usize..].starts_with('{');
        if !flow && pairs[0].span == pair.span {
            // The next one moves up beside the dash.
            return Some(Patch::new(Span { start: pair.span.start, end: next.span.start }, ""));
        }
        Some(self.without(pair.span, pairs.iter().map(|p| p.span), flow))
    }

    /// Takes an item of a list away.
    pub fn remove_item(&self, list: &Node, item: &Node) -> Patch {
        let flow = self.text[list.span.start as usize..].starts_with(['[', '{']);
        let span = if flow { item.span } else { self.block_item(item) };
        self.without(span, list.items().iter().map(|i| i.span), flow)
    }

    /// The item of a block with its dash.
    pub(crate) fn block_item(&self, item: &Node) -> Span {
        let before = self.text[..item.span.start as usize].trim_end();
        let dash = before.strip_suffix('-').map_or(item.span.start as usize, str::len);
        Span { start: dash as u32, end: item.span.end }
    }

    fn without(&self, span: Span, siblings: impl Iterator<Item = Span>, flow: bool) -> Patch {
        if !flow {
            let mut whole = self.whole_lines(span);
            // An attribute takes the blanks before it along.
            if matches!(self.format.style, Style::Elements) && !span.of(self.text).starts_with('<')
            {
                let before = self.text[..span.start as usize].trim_end();
                whole = Span { start: before.len() as u32, end: span.end };
            }
            return Patch::new(whole, "");
        }
        let siblings: Vec<Span> = siblings.collect();
        let at = siblings.iter().position(|s| s.contains(span) || *s == span);
        let next = at.and_then(|i| siblings.get(i + 1));
        let before = at.and_then(|i| siblings.get(i.checked_sub(1)?));
        match (next, before) {
            // With what stands up to the next one, if they share a line; else with its own line.
            (Some(next), _) => {
                let between = &self.text[span.end as usize..next.start as usize];
                let line = self.line_start(span.start as usize);
                let alone = self.text[line..span.start as usize].trim().is_empty();
                match between.find('\n') {
                    Some(i) if alone => Patch::new(Span::new(line, span.end as usize + i + 1), ""),
                    _ => Patch::new(Span { start: span.start, end: next.start }, ""),
                }
            }
            (None, Some(before)) => {
                let rest = &self.text[span.end as usize..];
                let comma = rest.trim_start().starts_with(',');
                // Remarks between the two stay.
                let between = &self.text[before.end as usize..span.start as usize];
                let kept = between.replacen(',', "", 1);
                let kept = if kept.trim().is_empty() { "" } else { kept.trim_end() };
                let end = if comma {
                    span.end as usize + rest.find(',').map_or(0, |i| i + 1)
                } else {
                    span.end as usize
                };
                let sign = if comma { "," } else { "" };
                Patch::new(Span::new(before.end as usize, end), format!("{sign}{kept}"))
            }
            (None, None) => {
                let before = &self.text[..span.start as usize];
                let start = before.trim_end_matches([' ', '\t', '\n', '\r']).len();
                let rest = &self.text[span.end as usize..];
                let end = span.end as usize + rest.len()
                    - rest.trim_start_matches([' ', '\t', '\n', '\r', ',']).len();
                Patch::new(Span::new(start, end), "")
            }
        }
    }

    /// The lines of a place, with the remark after it; only the place itself where something else shares them.
    fn whole_lines(&self, span: Span) -> Span {
        let start = self.line_start(span.start as usize);
        let lead = &self.text[start..span.start as usize];
        let rest = &self.text[span.end as usize..];
        let line = &rest[..rest.find('\n').unwrap_or(rest.len())];
        let behind = line.trim();
        let remark = behind.is_empty()
            || self.format.is_comment(behind)
            || behind.starts_with("<!--") && behind.ends_with("-->");
        let own = lead.trim();
        if !remark {
            return span;
        }
        if !own.is_empty() {
            // The first entry of an item: what comes after it takes its place.
            let next =
                rest.find(|c: char| !c.is_whitespace()).filter(|i| rest[..*i].contains('\n'));
            let dash = own == "-"
                && next.is_some_and(|i| {
                    let column = rest[..i].rsplit('\n').next().map_or(0, str::len);
                    column == lead.len()
                });
            return match next.filter(|_| dash) {
                Some(i) => Span { start: span.start, end: span.end + i as u32 },
                None => span,
            };
        }
        let end = span.end as usize + line.len();
        let end = end + usize::from(self.text[end..].starts_with('\n'));
        if end == self.text.len() && !self.text[..end].ends_with('\n') && start > 0 {
            // The last line without an end takes the one before it along.
            let before = self.text[..start].trim_end_matches(['\n', '\r']).len();
            return Span::new(before.max(start.saturating_sub(2)), end);
        }
        // Of blank lines on both sides one stays.
        let above = self.text[..start].trim_end_matches(['\n', '\r']).len();
        let blank_before = start == 0 || self.text[above..start].matches('\n').count() > 1;
        let rest = &self.text[end..];
        let blank = rest.find('\n').filter(|i| rest[..*i].trim().is_empty());
        Span::new(start, end + blank.filter(|_| blank_before).map_or(0, |i| i + 1))
    }

    /// Puts an entry after comment signs, line by line; `None` where the format has none.
    pub fn comment_out(&self, pair: &Pair) -> Option<Vec<Patch>> {
        let sign = self.format.comments.first().copied();
        if matches!(self.format.style, Style::Elements) {
            let inner = pair.span.of(self.text);
            let plain = !inner.contains("--");
            return plain.then(|| {
                vec![
                    Patch::new(Span::at(pair.span.start as usize), "<!-- "),
                    Patch::new(Span::at(pair.span.end as usize), " -->"),
                ]
            });
        }
        let sign = sign?;
        let start = self.line_start(pair.span.start as usize);
        let whole = &self.text[start..pair.span.end as usize];
        let mut out = Vec::new();
        let mut at = start;
        let indent = whole.len() - whole.trim_start_matches([' ', '\t']).len();
        for line in whole.split_inclusive('\n') {
            if !line.trim().is_empty() {
                let lead = indent.min(line.len() - line.trim_start_matches([' ', '\t']).len());
                out.push(Patch::new(Span::at(at + lead), format!("{sign} ")));
            }
            at += line.len();
        }
        Some(out)
    }
}
