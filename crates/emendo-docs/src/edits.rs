//! Changes to a document as places and texts: entries renamed, moved, added, removed, commented out; items of lists.
//! Every other byte stays.

use emendo_text::Span;

use crate::doc::{Doc, Found, Node, NodeKind, Pair};
use crate::formats::{Format, Style};

/// A place with the text that comes there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Patch {
    /// What is replaced; empty where something is added.
    pub span: Span,
    /// What comes there.
    pub text: String,
}

impl Patch {
    fn new(span: Span, text: impl Into<String>) -> Self {
        Self { span, text: text.into() }
    }
}

/// A text, read in its format.
pub struct Edits<'a> {
    /// The format.
    pub format: &'static Format,
    /// The text.
    pub text: &'a str,
    /// What it holds.
    pub doc: &'a Doc,
}

impl Edits<'_> {
    /// Another value where one stands.
    pub fn value(&self, node: &Node, new: &str) -> Patch {
        let old = node.span.of(self.text);
        // An empty value needs the blank behind its sign.
        let lead = match self.format.style {
            Style::Indented
                if node.span.is_empty()
                    && !self.text[..node.span.start as usize].ends_with(' ') =>
            {
                " "
            }
            _ => "",
        };
        Patch::new(node.span, format!("{lead}{}", (self.format.write_value)(new, old)))
    }

    /// Another name for the last part of a key.
    pub fn key(&self, pair: &Pair, new: &str) -> Patch {
        let last = pair.keys.last().map_or(pair.span, |k| k.span);
        Patch::new(last, (self.format.write_key)(new, last.of(self.text)))
    }

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

    /// Takes an item of a list away.
    pub fn remove_item(&self, list: &Node, item: &Node) -> Patch {
        let flow = self.text[list.span.start as usize..].starts_with(['[', '{']);
        let span = if flow { item.span } else { self.block_item(item) };
        self.without(span, list.items().iter().map(|i| i.span), flow)
    }

    /// The item of a block with its dash.
    fn block_item(&self, item: &Node) -> Span {
        let before = self.text[..item.span.start as usize].trim_end();
        let dash = before.strip_suffix('-').map_or(item.span.start as usize, str::len);
        Span { start: dash as u32, end: item.span.end }
    }

    fn is_flow(&self, span: Span, way: &[&Pair]) -> bool {
        match self.format.style {
            Style::Braces => true,
            Style::Elements | Style::Lines => false,
            Style::Indented | Style::Sections { .. } => way.iter().rev().skip(1).any(|p| {
                let at = p.node.span;
                at.contains(span) && self.text[at.start as usize..].starts_with('{')
            }),
        }
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

    /// The lines of a place, with the remark behind it; only the place itself where something else shares them.
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
            // The first entry of an item: what comes behind it takes its place.
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

    /// Puts an entry behind comment signs, line by line; `None` where the format has none.
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

    /// Adds an item to a value with commas, behind the last one and divided from it like the others.
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

    /// Adds an item behind the last of keys with numbers (`gauges[0]`), if the list is written so.
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

    /// The lines of remarks right above an entry that begins its line: they are about it. With where they begin.
    pub fn remarks_above(&self, span: Span) -> (usize, Vec<&str>) {
        let line = self.line_start(span.start as usize);
        let mut out = Vec::new();
        let mut start = line;
        if self.format.comments.is_empty()
            || !self.text[line..span.start as usize].trim().is_empty()
        {
            return (line, out);
        }
        while let Some(end) = start.checked_sub(1) {
            let above = self.line_start(end);
            let said = self.text[above..end].trim();
            if !self.format.is_comment(said) {
                break;
            }
            out.insert(0, said);
            start = above;
        }
        (start, out)
    }

    /// Where the line begins that a place is on.
    fn line_start(&self, at: usize) -> usize {
        self.text[..at].rfind('\n').map_or(0, |i| i + 1)
    }

    /// True for a text between braces that has no blanks.
    fn is_dense(&self) -> bool {
        matches!(self.format.style, Style::Braces)
            && !self.text.trim_end().contains('\n')
            && ![", ", ": "].iter().any(|s| self.text.contains(s))
    }

    fn blank(&self) -> &'static str {
        if self.is_dense() { "" } else { " " }
    }

    /// What stands between a key and its value.
    fn sign(&self) -> &'static str {
        if self.is_dense() { self.format.sign.trim_end() } else { self.format.sign }
    }

    /// How lines end in the text.
    pub fn line_end(&self) -> &'static str {
        if self.text.contains("\r\n") { "\r\n" } else { "\n" }
    }

    /// The end of the line that a place is on, a remark included, without its line end.
    fn end_of_line(&self, at: usize) -> usize {
        let rest = &self.text[at..];
        let line = &rest[..rest.find('\n').unwrap_or(rest.len())];
        at + line.trim_end_matches('\r').len()
    }

    /// Adds an entry at a path, with what is missing on the way. `raw` is the value as it is written.
    pub fn insert(&self, path: &[String], raw: &str, doc: usize) -> Option<Patch> {
        let root = self.doc.roots.get(doc);
        match self.format.style {
            Style::Elements => None,
            Style::Lines => Some(self.insert_line(&path.join("."), raw, root)),
            Style::Sections { header } => self.insert_section(path, raw, root, header),
            Style::Indented => self.insert_indented(path, raw, root?),
            Style::Braces => self.insert_braced(path, raw, root?),
        }
    }

    /// Adds an entry to a map in the order of its keys, where those that stand are in order; `None` where they are not.
    pub fn insert_sorted(&self, path: &[String], raw: &str) -> Option<Patch> {
        let (key, parents) = path.split_last()?;
        let parents: Vec<&str> = parents.iter().map(String::as_str).collect();
        let all = self.doc.below(&parents);
        let name = |f: &Found<'_>| f.pair().keys.last().map_or(String::new(), |k| k.text.clone());
        let names: Vec<String> = all.iter().map(name).collect();
        let next = names.iter().position(|n| n > key)?;
        if names.len() < 2 || names.windows(2).any(|w| w[0] > w[1]) || all[next].pair().heading {
            return None;
        }
        let at = all[next].pair().span.start as usize;
        let line = self.line_start(at);
        let lead = &self.text[line..at];
        let flow = matches!(self.format.style, Style::Braces);
        let sign = if flow { "," } else { "" };
        let entry = format!("{}{}{raw}{sign}", (self.format.write_key)(key, ""), self.sign());
        if lead.trim().is_empty() {
            return Some(Patch::new(Span::at(line), format!("{lead}{entry}{}", self.line_end())));
        }
        flow.then(|| Patch::new(Span::at(at), format!("{entry}{}", self.blank())))
    }

    fn insert_line(&self, key: &str, raw: &str, root: Option<&Node>) -> Patch {
        let pairs = root.map_or(&[][..], Node::pairs);
        let key = self.format.spelled_key(key);
        let shared = |p: &&Pair| {
            let own = p.keys.first().map_or("", |k| k.text.as_str());
            own.split(['.', '_']).zip(key.split(['.', '_'])).take_while(|(a, b)| a == b).count()
        };
        // Behind the entry that shares most of its key.
        let best = pairs.iter().max_by_key(|p| (shared(p), p.span.start)).filter(|p| shared(p) > 0);
        let like = best.or(pairs.last());
        let sign = like.map_or(self.format.sign, |p| {
            Span { start: p.key_span().end, end: p.node.span.start }.of(self.text)
        });
        let sign = if sign.contains('\n') || sign.is_empty() { self.format.sign } else { sign };
        let entry = format!("{}{sign}{raw}", (self.format.write_key)(&key, ""));
        self.line_behind(like.map(|p| p.span.end as usize), "", &entry)
    }

    /// A new line behind the one that a place is on, or at the end.
    fn line_behind(&self, at: Option<usize>, indent: &str, entry: &str) -> Patch {
        let nl = self.line_end();
        let at = at.map_or(self.text.len(), |at| self.end_of_line(at));
        let rest = &self.text[at..];
        // At the beginning of the next line, so that the line before may go by itself.
        let next = ["\r\n", "\n"].iter().find(|e| rest.starts_with(**e)).map(|e| at + e.len());
        let before = &self.text[..at];
        match next {
            Some(next) => Patch::new(Span::at(next), format!("{indent}{entry}{nl}")),
            None if before.is_empty() || before.ends_with('\n') => {
                Patch::new(Span::at(at), format!("{indent}{entry}{nl}"))
            }
            None => Patch::new(Span::at(at), format!("{nl}{indent}{entry}")),
        }
    }

    fn insert_section(
        &self,
        path: &[String],
        raw: &str,
        root: Option<&Node>,
        header: fn(&[String]) -> String,
    ) -> Option<Patch> {
        let (key, parents) = path.split_last()?;
        let pairs = root.map_or(&[][..], Node::pairs);
        let entry = |sign: &str| format!("{}{sign}{raw}", (self.format.write_key)(key, ""));
        // Under its heading, within its inline table, or above all headings.
        let parent_of = |p: &&Pair| {
            let own: Vec<&str> = p.keys.iter().map(|k| k.text.as_str()).collect();
            own.join(".") == parents.join(".")
        };
        if parents.is_empty() {
            let top: Vec<&Pair> = pairs.iter().filter(|p| !p.heading).collect();
            let sign = self.sign_of(&top);
            return Some(match (top.last(), pairs.first()) {
                (Some(last), _) => {
                    self.line_behind(Some(last.span.end as usize), "", &entry(&sign))
                }
                (None, Some(first)) => {
                    let at = self.line_start(first.span.start as usize);
                    Patch::new(
                        Span::at(at),
                        format!("{}{}{}", entry(&sign), self.line_end(), self.line_end()),
                    )
                }
                (None, None) => self.line_behind(None, "", &entry(&sign)),
            });
        }
        if let Some(section) = pairs.iter().filter(|p| p.heading).find(parent_of) {
            let own: Vec<&Pair> = section.node.pairs().iter().collect();
            let sign = self.sign_of(&own);
            let at = own.last().map_or(section.key_span().end, |p| p.span.end);
            return Some(self.line_behind(Some(at as usize), "", &entry(&sign)));
        }
        let all = self.doc.all();
        // The deepest table between braces on the way.
        let inline = (1..=parents.len()).rev().find_map(|n| {
            let path = parents[..n].join(".");
            let braces =
                |f: &&Found<'_>| self.text[f.pair().node.span.start as usize..].starts_with('{');
            Some((n, all.iter().filter(braces).find(|f| f.path() == path)?))
        });
        if let Some((n, f)) = inline {
            let entry = nested_flow(&path[n..], raw, (self.format.sign, " "), |k| {
                (self.format.write_key)(k, "")
            });
            return self.in_braces(&f.pair().node, &entry);
        }
        let nl = self.line_end();
        let body = self.text.trim_end();
        let ends = self.text[body.len()..].matches('\n').count();
        let gap = if body.is_empty() { 0 } else { 2_usize.saturating_sub(ends) };
        let gap = nl.repeat(gap);
        let quoted: Vec<String> = parents.iter().map(|p| (self.format.write_key)(p, "")).collect();
        let text = format!("{gap}{}{nl}{}{nl}", header(&quoted), entry(self.format.sign));
        Some(Patch::new(Span::at(self.text.len()), text))
    }

    fn sign_of(&self, like: &[&Pair]) -> String {
        let of = |p: &&&Pair| {
            Span { start: p.key_span().end, end: p.node.span.start }.of(self.text).to_owned()
        };
        let sign = like.last().as_ref().map(of).unwrap_or_else(|| self.format.sign.to_owned());
        let plain = sign.len() < 6 && !sign.contains('\n') && sign.contains(['=', ':']);
        if plain { sign } else { self.format.sign.to_owned() }
    }

    /// The deepest map on a path that stands, with what is left of the path.
    fn deepest<'n, 'p>(&self, root: &'n Node, path: &'p [String]) -> (&'n Node, &'p [String]) {
        let (mut node, mut rest) = (root, path);
        'down: while rest.len() > 1 {
            for p in node.pairs() {
                let own: Vec<String> =
                    p.keys.iter().flat_map(|k| k.text.split('.')).map(str::to_owned).collect();
                let map = matches!(p.node.kind, NodeKind::Map(_));
                if map && rest.len() > own.len() && rest[..own.len()] == *own {
                    (node, rest) = (&p.node, &rest[own.len()..]);
                    continue 'down;
                }
            }
            break;
        }
        (node, rest)
    }

    fn insert_indented(&self, path: &[String], raw: &str, root: &Node) -> Option<Patch> {
        let (node, rest) = self.deepest(root, path);
        if self.text[node.span.start as usize..].starts_with('{') {
            let entry = nested_flow(rest, raw, (": ", " "), |k| (self.format.write_key)(k, ""));
            return self.in_braces(node, &entry);
        }
        let last = node.pairs().last()?;
        let first = node.pairs().first()?;
        let line = self.line_start(first.span.start as usize);
        let lead = &self.text[line..first.span.start as usize];
        let indent: String = lead
            .trim_start_matches('\u{feff}')
            .chars()
            .map(|c| if c == '\t' { c } else { ' ' })
            .collect();
        let step = self.step();
        let nl = self.line_end();
        let mut entry = String::new();
        for (i, key) in rest.iter().enumerate() {
            if i > 0 {
                entry.push_str(&format!("{nl}{indent}{}", step.repeat(i)));
            }
            entry.push_str(&(self.format.write_key)(key, ""));
            entry.push(':');
        }
        let deeper = format!("{indent}{}", step.repeat(rest.len() - 1));
        entry.push_str(&self.reindented(raw, &deeper, &step));
        Some(self.line_behind(Some(last.span.end as usize), &indent, &entry))
    }

    /// A value behind its key: on the same line, or as a block below it that is indented anew.
    fn reindented(&self, raw: &str, indent: &str, step: &str) -> String {
        let nl = self.line_end();
        if !raw.contains('\n') || raw.starts_with(['"', '\'', '[', '{']) {
            return if raw.is_empty() { String::new() } else { format!(" {raw}") };
        }
        // A block of text: its lines stand by the column of the key.
        if raw.starts_with(['|', '>']) {
            let lines = raw.lines().map(|l| match l.trim().is_empty() {
                true => String::new(),
                false => format!("{indent}{l}"),
            });
            return format!(" {}", lines.collect::<Vec<_>>().join(nl).trim_start());
        }
        let mut out = String::new();
        for line in raw.lines() {
            out.push_str(nl);
            if !line.trim().is_empty() {
                out.push_str(&format!("{indent}{step}{line}"));
            }
        }
        out
    }

    /// How much deeper a level stands than the one around it.
    fn step(&self) -> String {
        let deeper = self.doc.all().into_iter().find_map(|f| {
            let [.., parent, pair] = f.way.as_slice() else { return None };
            let column = |at: u32| at as usize - self.line_start(at as usize);
            let (a, b) = (column(parent.span.start), column(pair.span.start));
            let below =
                self.text[parent.span.start as usize..pair.span.start as usize].contains('\n');
            (below && b > a).then(|| {
                self.text[pair.span.start as usize - (b - a)..pair.span.start as usize].to_owned()
            })
        });
        deeper.filter(|s| s.trim().is_empty()).unwrap_or_else(|| "  ".to_owned())
    }

    fn insert_braced(&self, path: &[String], raw: &str, root: &Node) -> Option<Patch> {
        let (node, rest) = self.deepest(root, path);
        let step = self.step();
        let (key, inner) = rest.split_first()?;
        let line = node.pairs().first().map(|p| self.line_start(p.span.start as usize));
        let indent = match (line, node.pairs().first()) {
            (Some(line), Some(p)) => self.text[line..p.span.start as usize].to_owned(),
            _ => step.clone(),
        };
        let multi = node.span.of(self.text).contains('\n') && indent.trim().is_empty();
        let mut entry = format!("{}{}", (self.format.write_key)(key, ""), self.format.sign);
        if multi {
            let nl = self.line_end();
            for (i, k) in inner.iter().enumerate() {
                entry.push_str(&format!(
                    "{{{nl}{indent}{}{}{}",
                    step.repeat(i + 1),
                    (self.format.write_key)(k, ""),
                    self.format.sign
                ));
            }
            entry.push_str(raw);
            for i in (0..inner.len()).rev() {
                entry.push_str(&format!("{nl}{indent}{}}}", step.repeat(i)));
            }
        } else {
            let all: Vec<String> = rest.to_vec();
            entry = nested_flow(&all, raw, (self.sign(), self.blank()), |k| {
                (self.format.write_key)(k, "")
            });
        }
        self.in_braces(node, &entry)
    }

    /// An entry at the end of what stands between braces.
    fn in_braces(&self, node: &Node, entry: &str) -> Option<Patch> {
        let Some(last) = node.pairs().last() else {
            let inner = Span { start: node.span.start + 1, end: node.span.end - 1 };
            if inner.of(self.text).contains('\n') {
                let nl = self.line_end();
                return Some(Patch::new(
                    Span::at(inner.start as usize),
                    format!("{nl}{}{entry}", self.step()),
                ));
            }
            return Some(Patch::new(inner, format!(" {entry} ")));
        };
        let line = self.line_start(last.span.start as usize);
        let lead = &self.text[line..last.span.start as usize];
        let own_line = lead.trim().is_empty() && line as u32 > node.span.start;
        let gap =
            if own_line { format!("{}{lead}", self.line_end()) } else { self.blank().to_owned() };
        let rest = &self.text[last.span.end as usize..node.span.end as usize];
        // Behind a comma that stands already, the new entry ends with one too.
        if let Some(i) = rest.find(',').filter(|i| rest[..*i].trim().is_empty()) {
            return Some(Patch::new(
                Span::at(last.span.end as usize + i + 1),
                format!("{gap}{entry},"),
            ));
        }
        Some(Patch::new(Span::at(last.span.end as usize), format!(",{gap}{entry}")))
    }
}

/// A path of keys on one line: `a: { b: 1 }`.
fn nested_flow(
    path: &[String],
    raw: &str,
    (sign, blank): (&str, &str),
    key: impl Fn(&str) -> String,
) -> String {
    let Some((first, rest)) = path.split_first() else { return raw.to_owned() };
    let first = key(first);
    if rest.is_empty() {
        return format!("{first}{sign}{raw}");
    }
    format!("{first}{sign}{{{blank}{}{blank}}}", nested_flow(rest, raw, (sign, blank), key))
}
