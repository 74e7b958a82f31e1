//! Entries that come, in the style of the format.

use emendo_text::Span;

use crate::doc::{Found, Node, NodeKind, Pair};
use crate::edits::{Edits, Patch, elements, nested_flow};
use crate::formats::Style;

impl Edits<'_> {
    /// Adds an entry at a path, with what is missing on the way. `raw` is the value as it is written.
    pub fn insert(&self, path: &[String], raw: &str, doc: usize) -> Option<Patch> {
        let root = self.doc.roots.get(doc);
        match self.format.style {
            Style::Elements => elements::insert(self, path, raw, root?),
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

    pub(super) fn insert_line(&self, key: &str, raw: &str, root: Option<&Node>) -> Patch {
        let pairs = root.map_or(&[][..], Node::pairs);
        let key = self.format.spelled_key(key);
        let shared = |p: &&Pair| {
            let own = p.keys.first().map_or("", |k| k.text.as_str());
            own.split(['.', '_']).zip(key.split(['.', '_'])).take_while(|(a, b)| a == b).count()
        };
        // After the entry that shares most of its key.
        let best = pairs.iter().max_by_key(|p| (shared(p), p.span.start)).filter(|p| shared(p) > 0);
        let like = best.or(pairs.last());
        let sign = like.map_or(self.format.sign, |p| {
            Span { start: p.key_span().end, end: p.node.span.start }.of(self.text)
        });
        let sign = if sign.contains('\n') || sign.is_empty() { self.format.sign } else { sign };
        let entry = format!("{}{sign}{raw}", (self.format.write_key)(&key, ""));
        self.line_behind(like.map(|p| p.span.end as usize), "", &entry)
    }

    /// A new line after the one that a place is on, or at the end.
    pub(crate) fn line_behind(&self, at: Option<usize>, indent: &str, entry: &str) -> Patch {
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

    pub(super) fn sign_of(&self, like: &[&Pair]) -> String {
        let of = |p: &&&Pair| {
            Span { start: p.key_span().end, end: p.node.span.start }.of(self.text).to_owned()
        };
        let sign = like.last().as_ref().map(of).unwrap_or_else(|| self.format.sign.to_owned());
        let plain = sign.len() < 6 && !sign.contains('\n') && sign.contains(['=', ':']);
        if plain { sign } else { self.format.sign.to_owned() }
    }

    /// The deepest map on a path that stands, with what is left of the path.
    pub(crate) fn deepest<'n, 'p>(
        &self,
        root: &'n Node,
        path: &'p [String],
    ) -> (&'n Node, &'p [String]) {
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

    pub(super) fn insert_indented(&self, path: &[String], raw: &str, root: &Node) -> Option<Patch> {
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

    /// A value after its key: on the same line, or as a block below it that is indented anew.
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
    pub(crate) fn step(&self) -> String {
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

    pub(super) fn insert_braced(&self, path: &[String], raw: &str, root: &Node) -> Option<Patch> {
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
    pub(super) fn in_braces(&self, node: &Node, entry: &str) -> Option<Patch> {
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
        // After a comma that stands already, the new entry ends with one too.
        if let Some(i) = rest.find(',').filter(|i| rest[..*i].trim().is_empty()) {
            return Some(Patch::new(
                Span::at(last.span.end as usize + i + 1),
                format!("{gap}{entry},"),
            ));
        }
        Some(Patch::new(Span::at(last.span.end as usize), format!(",{gap}{entry}")))
    }
}
