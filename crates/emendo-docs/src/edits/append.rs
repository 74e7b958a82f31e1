//! Items that come to the end of a list.

use emendo_text::Span;

use crate::doc::{Found, Node, NodeKind};
use crate::edits::{Edits, Patch};
use crate::formats::Style;

impl Edits<'_> {
    /// Adds an item to a list that stands, or makes a list of a single value.
    pub fn append(&self, node: &Node, item: &str) -> Option<Patch> {
        let list = match &node.kind {
            NodeKind::List(items) => items.as_slice(),
            // Values with commas are lists where the format has no other.
            NodeKind::Text(old)
                if !matches!(self.format.style, Style::Braces | Style::Elements) =>
            {
                return Some(self.append_text(node, old, item));
            }
            _ => return None,
        };
        let like = list.last().map_or("\"", |i| i.span.of(self.text));
        self.append_raw(node, &(self.format.write_value)(item, like))
    }

    /// Adds an item to a list that stands, as it is written.
    pub fn append_raw(&self, node: &Node, text: &str) -> Option<Patch> {
        let list = node.items();
        let flow = self.text[node.span.start as usize..].starts_with('[');
        let Some(last) = list.last() else {
            return flow.then(|| Patch::new(Span::at(node.span.start as usize + 1), text));
        };
        let at = last.span.end as usize;
        if flow {
            let line = self.line_start(last.span.start as usize);
            let lead = &self.text[line..last.span.start as usize];
            let own_line = lead.trim().is_empty() && (line as u32) > node.span.start;
            let rest = &self.text[at..node.span.end as usize];
            let comma = rest.trim_start().starts_with(',');
            if let Some(next) = rest.find('\n').filter(|_| own_line && comma) {
                let entry = format!("{lead}{text},{}", self.line_end());
                return Some(Patch::new(Span::at(at + next + 1), entry));
            }
            let at = if comma { at + rest.find(',').map_or(0, |i| i + 1) } else { at };
            let gap = if own_line {
                format!("{}{lead}", self.line_end())
            } else {
                self.blank().to_owned()
            };
            let sign = if comma { "" } else { "," };
            return Some(Patch::new(Span::at(at), format!("{sign}{gap}{text}")));
        }
        let dash = self.block_item(last);
        let line = self.line_start(dash.start as usize);
        let lead = &self.text[line..dash.start as usize];
        let indent: String = lead.chars().map(|c| if c == '\t' { '\t' } else { ' ' }).collect();
        Some(self.line_behind(Some(at), &indent, &format!("- {text}")))
    }

    /// Adds an item to a value with commas, after the last one and divided from it like the others.
    fn append_text(&self, node: &Node, old: &str, item: &str) -> Patch {
        let raw = node.span.of(self.text);
        let quoted = raw.starts_with(['"', '\'']);
        let usual = if matches!(self.format.style, Style::Lines) { "," } else { ", " };
        if old.trim().is_empty() || raw.starts_with(['|', '>']) {
            let whole =
                if old.is_empty() { item.to_owned() } else { format!("{old}{usual}{item}") };
            return self.value(node, &whole);
        }
        // A line for each, where they stand so.
        let lines = raw.rfind('\n').filter(|i| !raw[*i..].contains(','));
        let lines = lines.map(|i| {
            let start = i - usize::from(raw[..i].ends_with('\r'));
            &raw[start..i + 1 + raw[i + 1..].len() - raw[i + 1..].trim_start().len()]
        });
        let sep = lines.or_else(|| {
            raw.rfind(',').map(|i| {
                let rest = &raw[i + 1..];
                let gap = rest.len() - rest.trim_start_matches(['\\', ' ', '\t', '\r', '\n']).len();
                &raw[i..=i + gap]
            })
        });
        let sep = sep.unwrap_or(usual);
        let end = node.span.end as usize - usize::from(quoted);
        Patch::new(Span::at(end), format!("{sep}{item}"))
    }

    /// Adds an item after the last of keys with numbers (`gauges[0]`), if the list is written so.
    pub fn append_numbered(&self, all: &[Found<'_>], key: &str, item: &str) -> Option<Patch> {
        let number = |f: &Found<'_>| {
            let path = f.path();
            let rest = path.strip_prefix(key)?.strip_prefix('[')?.strip_suffix(']')?;
            rest.parse::<u32>().ok()
        };
        let mut own: Vec<(u32, &Found<'_>)> =
            all.iter().filter_map(|f| Some((number(f)?, f))).collect();
        own.sort_by_key(|o| o.0);
        let (last, found) = *own.last()?;
        if own.iter().any(|o| o.1.pair().node.text() == Some(item)) {
            return None;
        }
        let pair = found.pair();
        let sign = Span { start: pair.key_span().end, end: pair.node.span.start }.of(self.text);
        let key =
            pair.key_span().of(self.text).replace(&format!("[{last}]"), &format!("[{}]", last + 1));
        let value = (self.format.write_value)(item, pair.node.span.of(self.text));
        Some(self.line_behind(Some(pair.span.end as usize), "", &format!("{key}{sign}{value}")))
    }
}
