//! Entries that get another name, go to another place, or go: together where one place would be left empty, or made anew.

use std::collections::BTreeMap;

use emendo_docs::{Edits, Found as Entry, Patch, Style};
use emendo_lang::Fact;
use emendo_text::Span;

use crate::contract::{FileCx, Found};
use crate::setting::rule::{SettingRule, draft};

/// What becomes of entries that do not stay where they are.
pub(super) struct Moves<'a> {
    cx: &'a FileCx<'a>,
    edits: &'a Edits<'a>,
    all: &'a [Entry<'a>],
    going: Vec<Going>,
}

struct Going {
    entry: usize,
    row: usize,
    /// The new key; none if the entry only goes.
    target: Option<String>,
    /// What becomes of its value.
    patches: Vec<Patch>,
    evidence: Vec<Fact>,
}

impl<'a> Moves<'a> {
    pub(super) fn new(cx: &'a FileCx<'a>, edits: &'a Edits<'a>, all: &'a [Entry<'a>]) -> Self {
        Self { cx, edits, all, going: Vec::new() }
    }

    pub(super) fn remove(&mut self, entry: usize, row: usize, evidence: Vec<Fact>) {
        self.going.push(Going { entry, row, target: None, patches: Vec::new(), evidence });
    }

    pub(super) fn shift(
        &mut self,
        entry: usize,
        row: usize,
        target: String,
        patches: Vec<Patch>,
        evidence: Vec<Fact>,
    ) {
        self.going.push(Going { entry, row, target: Some(target), patches, evidence });
    }

    /// Another key at the same place; nothing where that takes another place. An error says what is in the way.
    pub(super) fn rename(&self, n: usize, target: &str) -> Result<Option<Vec<Patch>>, String> {
        let entry = &self.all[n];
        let (format, pair) = (self.edits.format, entry.pair());
        let spelled = format.spelled_like(target, &entry.path());
        let own = |e: &&Entry<'_>| e.doc == entry.doc && e.items == entry.items;
        let taken = |e: &&Entry<'_>| own(e) && e.path() == spelled;
        if self.all.iter().any(|e| taken(&e)) {
            let key = entry.path();
            return Err(format!(
                "`{key}` should become `{spelled}`, which this file has already: keep one of the two"
            ));
        }
        if matches!(format.style, Style::Lines) {
            return Ok(Some(vec![self.edits.key(pair, &spelled)]));
        }
        let around: Vec<&str> = entry.way[..entry.way.len() - 1]
            .iter()
            .flat_map(|p| &p.keys)
            .map(|k| k.text.as_str())
            .collect();
        let around = around.join(".");
        let rest = if around.is_empty() {
            Some(target)
        } else {
            target.strip_prefix(around.as_str()).and_then(|r| r.strip_prefix('.'))
        };
        let Some(rest) = rest else { return Ok(None) };
        let segments: Vec<&str> = rest.split('.').collect();
        let own: Vec<&str> = pair.keys.iter().map(|k| k.text.as_str()).collect();
        if segments.len() == own.len() {
            let parts = pair.keys.iter().zip(&segments).filter(|(k, s)| k.text != **s);
            let patch = |(k, s): (&emendo_docs::KeyPart, &&str)| Patch {
                span: k.span,
                text: (format.write_key)(s, k.span.of(self.edits.text)),
            };
            let mut patches: Vec<Patch> = parts.map(patch).collect();
            patches.extend(patches.first().and_then(|p| self.closing(pair.span, p)));
            return Ok(Some(patches));
        }
        if own.len() == 1 && own[0].contains('.') || format.dotted || (format.relaxed)(self.cx.path)
        {
            let text = if format.split {
                let parts: Vec<String> =
                    segments.iter().map(|s| (format.write_key)(s, "")).collect();
                parts.join(".")
            } else {
                (format.write_key)(rest, pair.key_span().of(self.edits.text))
            };
            return Ok(Some(vec![Patch { span: pair.key_span(), text }]));
        }
        Ok(None)
    }

    /// The tag that closes an element whose opening one changes.
    fn closing(&self, whole: Span, open: &Patch) -> Option<Patch> {
        let text = self.edits.text;
        let name = open.span.of(text);
        // With the prefix of its namespace, if it has one.
        let before = &text[..open.span.start as usize];
        let prefix = &before[before.rfind('<')? + 1..];
        let tag =
            prefix.is_empty() || prefix.ends_with(':') && !prefix.contains(char::is_whitespace);
        let at =
            text[..whole.end as usize].rfind("</").filter(|at| *at > open.span.end as usize)? + 2;
        let fits =
            tag && text[at..].starts_with(prefix) && text[at + prefix.len()..].starts_with(name);
        let at = at + prefix.len();
        fits.then(|| Patch { span: Span::new(at, at + name.len()), text: open.text.clone() })
    }

    /// Writes what goes and comes as edits.
    pub(super) fn write(self, action: usize, rules: &[SettingRule], out: &mut Found) {
        // Entries that leave one map empty, or come into one new map, are one edit.
        let mut groups: BTreeMap<(u32, String), Vec<&Going>> = BTreeMap::new();
        for (i, g) in self.going.iter().enumerate() {
            let parent = self.parent(g.entry);
            let all_go = parent.is_some_and(|p| {
                let own = self
                    .all
                    .iter()
                    .enumerate()
                    .filter(|(_, e)| e.way.len() > 1 && e.way[e.way.len() - 2].span == p);
                own.map(|(n, _)| n).all(|n| self.going.iter().any(|o| o.entry == n))
            });
            let target = g.target.as_ref().and_then(|t| t.rsplit_once('.')).map(|t| t.0.to_owned());
            let missing = target.filter(|t| !self.all.iter().any(|e| e.path() == *t));
            let key = match (parent.filter(|_| all_go), missing) {
                (_, Some(new)) => (0, new),
                (Some(p), None) => (p.start + 1, String::new()),
                (None, None) => (u32::MAX, format!("{i}")),
            };
            groups.entry(key).or_default().push(g);
        }
        for group in groups.values() {
            self.group(action, group, rules, out);
        }
    }

    fn parent(&self, n: usize) -> Option<Span> {
        match self.all[n].way.as_slice() {
            [.., parent, _] => Some(parent.span),
            _ => None,
        }
    }

    fn group(&self, action: usize, group: &[&Going], rules: &[SettingRule], out: &mut Found) {
        let Some(first) = group.first() else { return };
        let mut patches = Vec::new();
        // What something comes into stays, though all that stood in it goes.
        let targets = group.iter().filter_map(|g| g.target.as_deref());
        let kept: Vec<String> =
            targets.filter_map(|t| Some(t.rsplit_once('.')?.0.to_owned())).collect();
        let emptied = group.len() > 1
            && group.iter().all(|g| self.parent(g.entry) == self.parent(first.entry))
            && {
                let parent = self.parent(first.entry);
                let own = self
                    .all
                    .iter()
                    .filter(|e| e.way.len() > 1 && Some(e.way[e.way.len() - 2].span) == parent);
                own.count() == group.len()
            };
        if emptied {
            let way = self.all[first.entry].way.clone();
            let parent = Entry {
                way: way[..way.len() - 1].to_vec(),
                items: Vec::new(),
                doc: self.all[first.entry].doc,
            };
            patches.push(self.edits.remove_below(&parent, &kept));
        } else {
            patches.extend(group.iter().map(|g| self.gone(g, &kept)));
        }
        let coming: Vec<Coming<'_>> = group.iter().filter_map(|g| self.coming(g)).collect();
        if !coming.is_empty() {
            match self.inserted(&coming, self.all[first.entry].doc) {
                Some(patch) => patches.push(clear_of(patch, &patches)),
                None => {
                    let at = self.all[first.entry].pair().key_span();
                    let say = format!("this is `{}` from now on: move it by hand", coming[0].key);
                    out.notes.push(crate::contract::NoteDraft::new(at, say));
                    return;
                }
            }
        }
        let hull = group.iter().map(|g| self.all[g.entry].pair().span).reduce(Span::hull);
        let rule = &rules[first.row];
        let hull = hull.unwrap_or(Span::at(0));
        let (at, evidence) = ((action, first.row), first.evidence.clone());
        match draft(at, rule.digest, hull, patches, evidence) {
            Some(d) => out.drafts.push(d),
            None => {
                let at = self.all[first.entry].pair().key_span();
                let to = first.target.as_deref().map_or(String::new(), |t| format!(" to `{t}`"));
                let say = format!("this is to be moved{to} by hand");
                out.notes.push(crate::contract::NoteDraft::new(at, say));
            }
        }
    }

    /// Takes an entry away, with the remarks above it if it goes to another place.
    fn gone(&self, g: &Going, kept: &[String]) -> Patch {
        let entry = &self.all[g.entry];
        let mut patch = self.edits.remove_below(entry, kept);
        let (start, remarks) = self.remarks(entry.pair().span);
        let whole = patch.span.start > start as u32
            && self.edits.text[..patch.span.start as usize].ends_with('\n');
        if g.target.is_some() && !remarks.is_empty() && whole {
            patch.span.start = start as u32;
        }
        patch
    }

    fn remarks(&self, span: Span) -> (usize, Vec<&str>) {
        // Where commas divide entries, lines of remarks are left where they are.
        match self.edits.format.style {
            Style::Braces | Style::Elements => (span.start as usize, Vec::new()),
            _ => self.edits.remarks_above(span),
        }
    }

    fn coming<'g>(&'g self, g: &'g Going) -> Option<Coming<'g>> {
        let remarks = self.remarks(self.all[g.entry].pair().span).1;
        Some(Coming { key: g.target.as_deref()?, raw: self.raw(g), remarks })
    }

    /// The value as it is written where it comes to stand.
    fn raw(&self, g: &Going) -> String {
        let node = self.all[g.entry].pair().node.span;
        let mut text = node.of(self.edits.text).to_owned();
        let mut patches = g.patches.clone();
        patches.sort_by_key(|p| std::cmp::Reverse(p.span.start));
        for p in patches.iter().filter(|p| node.contains(p.span)) {
            let (start, end) =
                ((p.span.start - node.start) as usize, (p.span.end - node.start) as usize);
            text.replace_range(start..end, &p.text);
        }
        if !text.contains('\n') {
            text.push_str(self.remark(node));
        }
        // Lines stand by the column of the first, or of the key of a block of text.
        let column = |at: u32| {
            let line = self.edits.text[..at as usize].rfind('\n').map_or(0, |i| i + 1);
            at as usize - line
        };
        let block = text.starts_with(['|', '>']);
        let indent =
            if block { column(self.all[g.entry].pair().span.start) } else { column(node.start) };
        let cut = |line: &str| {
            let own = line.len() - line.trim_start_matches([' ', '\t']).len();
            line[own.min(indent)..].to_owned()
        };
        let mut lines = text.split('\n');
        let first = lines.next().unwrap_or("").to_owned();
        lines.map(cut).fold(first, |out, line| format!("{out}\n{line}"))
    }

    /// The remark after a value, which goes with it.
    fn remark(&self, value: Span) -> &str {
        let format = self.edits.format;
        let rest = &self.edits.text[value.end as usize..];
        let line = rest[..rest.find('\n').unwrap_or(rest.len())].trim_end();
        let own = !matches!(format.style, Style::Braces);
        if own && format.is_comment(line.trim_start()) { line } else { "" }
    }

    fn inserted(&self, coming: &[Coming<'_>], doc: usize) -> Option<Patch> {
        if matches!(self.edits.format.style, Style::Elements) {
            // Whether an element or an attribute is meant there, nothing tells; and its remarks would be lost.
            return None;
        }
        let segments = |key: &str| key.split('.').map(str::to_owned).collect::<Vec<_>>();
        let first = coming.first()?;
        let alone = |c: &Coming<'_>| {
            Some(self.remarked(self.edits.insert(&segments(c.key), &c.raw, doc)?, c))
        };
        if let [one] = coming {
            return alone(one);
        }
        let format = self.edits.format;
        let nl = self.cx.line_end;
        let entry = |c: &Coming<'_>| {
            let key = (format.write_key)(last(c.key), "");
            let remarks = c.remarks.iter().map(|r| format!("{r}\n"));
            format!("{}{key}{}{}", remarks.collect::<String>(), format.sign, c.raw)
        };
        let parent = first.key.rsplit_once('.')?.0;
        if self.all.iter().any(|e| e.path() == parent) {
            // Into what stands already: one after another.
            let all: Vec<Patch> = coming.iter().map(alone).collect::<Option<_>>()?;
            let mut all = all.into_iter();
            let mut first = all.next()?;
            all.for_each(|p| first.text.push_str(&p.text));
            return Some(first);
        }
        let parent = segments(parent);
        match format.style {
            Style::Indented => {
                let block: Vec<String> = coming.iter().map(entry).collect();
                self.edits.insert(&parent, &block.join("\n"), doc)
            }
            Style::Braces => {
                let inner: Vec<String> = coming.iter().map(entry).collect();
                self.edits.insert(&parent, &format!("{{ {} }}", inner.join(", ")), doc)
            }
            _ => {
                let mut patch = alone(first)?;
                let ends = patch.text.ends_with('\n');
                for more in &coming[1..] {
                    let more = entry(more).replace("\r\n", "\n").replace('\n', nl);
                    match ends {
                        true => patch.text.push_str(&format!("{more}{nl}")),
                        false => patch.text.push_str(&format!("{nl}{more}")),
                    }
                }
                Some(patch)
            }
        }
    }

    /// A new entry with its remarks on lines above it.
    fn remarked(&self, mut patch: Patch, c: &Coming<'_>) -> Patch {
        if c.remarks.is_empty() {
            return patch;
        }
        let format = self.edits.format;
        let name = match format.style {
            Style::Lines => format.spelled_key(c.key),
            _ => last(c.key).to_owned(),
        };
        let name = (format.write_key)(&name, "");
        let begins = |line: &&str| line.trim_start().starts_with(&name);
        let mut at = 0;
        for line in patch.text.split_inclusive('\n') {
            if begins(&line) {
                let lead = &line[..line.len() - line.trim_start().len()];
                let lines = c.remarks.iter().map(|r| format!("{lead}{r}{}", self.cx.line_end));
                let lines: String = lines.collect();
                patch.text.insert_str(at, &lines);
                break;
            }
            at += line.len();
        }
        patch
    }
}

/// An entry that comes to another place.
struct Coming<'a> {
    /// Its new key.
    key: &'a str,
    /// Its value as it is written.
    raw: String,
    /// The remarks above it.
    remarks: Vec<&'a str>,
}

fn last(key: &str) -> &str {
    key.rsplit('.').next().unwrap_or(key)
}

/// What comes in the middle of what goes stands right after it.
fn clear_of(mut patch: Patch, gone: &[Patch]) -> Patch {
    // At the very end of what goes it stands after it already.
    let meets = |g: &&Patch| g.span.start <= patch.span.start && patch.span.start < g.span.end;
    if let Some(g) = gone.iter().find(meets)
        && patch.span.is_empty()
    {
        let nl = if patch.text.starts_with("\r\n") { "\r\n" } else { "\n" };
        if let Some(body) = patch.text.strip_prefix(nl) {
            patch.text = format!("{body}{nl}");
        }
        patch.span = Span::at(g.span.end as usize);
    }
    patch
}
