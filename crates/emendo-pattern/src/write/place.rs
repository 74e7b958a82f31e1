//! How what is written is laid out where it goes.

use emendo_text::{Part, Span, Splice};

use crate::found::is_piece;
use crate::model::Key;
use crate::write::layout::{regap, reindent};
use crate::write::lines::indent_at;
use crate::write::nest::{Nest, is_open};
use crate::write::token::{NewToken, OldToken};
use crate::write::writer::{Region, Writer, add};

impl Writer<'_> {
    /// The text for the new tokens of a region: the gap before, the tokens, the gap after.
    pub(crate) fn inserted(&mut self, r: &Region) -> (String, Vec<Part>, String) {
        if r.range.is_empty() {
            let between = match (r.prev, r.next) {
                (Some(_), Some(n)) => self.gap(n.1),
                _ => String::new(),
            };
            return (between, Vec::new(), String::new());
        }
        let mut before = r.prev.map_or(String::new(), |_| self.gap(r.range.start));
        let mut after = r.next.map_or(String::new(), |n| self.gap(n.1));
        self.inner_blanks(r, &mut before, &mut after);
        let mut parts = Vec::new();
        self.write_tokens(r.range.clone(), &mut parts);
        (before, parts, after)
    }

    /// New tokens with what stands between them.
    fn write_tokens(&mut self, range: std::ops::Range<usize>, parts: &mut Vec<Part>) {
        for i in range.clone() {
            if i > range.start {
                let gap = self.gap(i);
                add(parts, gap);
            }
            self.token(i, parts);
        }
    }

    /// Blanks that the author of the code set inside brackets stay inside them.
    fn inner_blanks(&self, r: &Region, before: &mut String, after: &mut String) {
        let original = Span { start: r.start, end: r.end }.of(self.text);
        if !r.deleted.is_empty() || breaks(original) || !original.trim().is_empty() {
            return;
        }
        let closes =
            |t: &NewToken| matches!(&t.key, Key::Text(k) if [")", "]", "}"].contains(&k.as_str()));
        let unlike = |n: (usize, usize)| self.old[n.0].gap != original;
        if let Some(next) = r.next.filter(|n| closes(&self.new[n.1]) && unlike(*n)) {
            if after.as_str() == self.old[next.0].gap {
                original.clone_into(after);
            }
        } else if let (Some(prev), Some(next)) = (r.prev, r.next.filter(|n| unlike(*n)))
            && is_open(&self.new[prev.1].key)
            && *before == self.old[next.0].gap
        {
            original.clone_into(before);
        }
    }

    /// New tokens beside comments, where nothing goes: what ends an item stands behind it, what begins one before it.
    fn beside_comments(&mut self, r: &Region, lead: &str, tail: &str) {
        let file = Span { start: r.start, end: r.end }.of(self.text);
        let line = |w: &Self, i: usize| breaks(&w.gap(i));
        let split = r.range.clone().find(|i| line(self, *i));
        let first = split.unwrap_or(r.range.end);
        let mut parts = Vec::new();
        if first > r.range.start {
            // Behind a comma they belong to what follows.
            let behind_comma = split.is_none()
                && r.prev.is_some_and(|p| self.new[p.1].separator)
                && r.next.is_some()
                && !self.new[r.range.end - 1].separator;
            let to_prev = r.prev.is_some() && !behind_comma;
            add(&mut parts, lead.to_owned());
            if to_prev {
                let gap = self.gap(r.range.start);
                add(&mut parts, gap);
            }
            self.write_tokens(r.range.start..first, &mut parts);
            if !to_prev {
                let gap = r.next.map_or(String::new(), |n| self.gap(n.1));
                add(&mut parts, gap);
            }
            if split.is_none() {
                add(&mut parts, tail.to_owned());
            }
            let at = Span::at(if to_prev { r.start } else { r.end } as usize);
            self.push(Splice { span: at, parts: std::mem::take(&mut parts), inner: false });
        } else {
            add(&mut parts, lead.to_owned());
        }
        if split.is_none() {
            return;
        }
        let whole = r.next.is_none_or(|n| line(self, n.1));
        if whole {
            // The comment on the line belongs to what stands before it.
            let own = r.prev.map_or(0, |_| file.find(['\n', '\r']).unwrap_or(file.len()));
            let closes = matches!(&self.new[first].key, Key::Text(t) if t == "}");
            let inside = r.prev.filter(|_| closes && file.trim_end().len() > own);
            let own = if inside.is_some() { file.len() } else { own };
            let own = file[..own].trim_end().len();
            if let Some(prev) = inside {
                // Comments on lines of their own before a bracket that ends belong to what it holds.
                let at = Span { start: r.start, end: r.start + own as u32 };
                let from = indent_at(self.text, self.old[prev.0].at.end as usize);
                let to = self.layout.lines.get(prev.1).map_or(from, String::as_str);
                let moved = reindent(at.of(self.text), from, to);
                if moved != at.of(self.text) {
                    self.push(Splice::text(at, moved));
                }
            }
            let gap = self.gap(first);
            add(&mut parts, gap);
            self.write_tokens(first..r.range.end, &mut parts);
            add(&mut parts, tail.to_owned());
            let mut at = Span::at(r.start as usize + own);
            // The comments come to stand where what follows them does.
            let rest = Span { start: at.start, end: r.end };
            let indent = r.next.and_then(|n| self.layout.lines.get(n.1));
            let had = rest.of(self.text);
            if let Some(moved) = indent.map(|i| regap(had, i)).filter(|m| m != had) {
                at = rest;
                add(&mut parts, moved);
            }
            self.push(Splice { span: at, parts, inner: false });
        } else {
            self.write_tokens(first..r.range.end, &mut parts);
            let gap = r.next.map_or(String::new(), |n| self.gap(n.1));
            add(&mut parts, gap + tail);
            self.push(Splice { span: Span::at(r.end as usize), parts, inner: false });
        }
    }

    /// Puts new text into the file: over the old tokens, with everything between them that is not a blank kept.
    pub(crate) fn place(
        &mut self,
        r: &Region,
        lead: String,
        before: String,
        parts: Vec<Part>,
        after: String,
        tail: String,
    ) {
        let whole = Span { start: r.start, end: r.end };
        let mut gaps = Vec::new();
        let mut at = r.start;
        for d in &r.deleted {
            gaps.push(Span { start: at, end: d.start.max(at) });
            at = d.end;
        }
        gaps.push(Span { start: at, end: r.end.max(at) });
        let full = |g: &Span| !g.of(self.text).trim().is_empty();
        let join = |before: String, after: String| {
            let mut out = Vec::new();
            add(&mut out, lead.clone() + &before);
            for p in &parts {
                match p {
                    Part::Text(t) => add(&mut out, t.clone()),
                    copy => out.push(copy.clone()),
                }
            }
            add(&mut out, after + &tail);
            out
        };
        // One token for one token: blanks that the author of the code set differently stay.
        let single = r.deleted.len() == 1 && r.range.len() == 1;
        let keep = |gap: &Span, old: Option<&OldToken>, new: String| match old {
            Some(old) if single && gap.of(self.text) != old.gap => gap.of(self.text).to_owned(),
            Some(old) if !r.range.is_empty() => with_blank_lines(gap.of(self.text), &old.gap)
                .map_or(new.clone(), |lines| match lines_in(&new) == lines_in(&old.gap) {
                    true => format!("{lines}{}", new.trim_start_matches(['\n', '\r'])),
                    false => new,
                }),
            _ => new,
        };
        if !gaps.iter().any(full) {
            let first_deleted = r.prev.map_or(0, |p| p.0 + 1);
            let before =
                keep(&gaps[0], self.old.get(first_deleted).filter(|_| r.prev.is_some()), before);
            let last = gaps[gaps.len() - 1];
            let next = r.next.and_then(|n| Some((self.old.get(n.0)?, &self.new[n.1].key)));
            // Blanks that the recipe leaves as they are stay those of the author of the code, as does the line of a bracket
            // that opens a body.
            let stays = next.is_some_and(|(old, key)| {
                let own = last.of(self.text);
                let line = !breaks(own) && own.len() > 1 && r.deleted.is_empty();
                old.gap == after && !breaks(&after) && (line || is_open(key) && breaks(own))
            });
            let after = match stays {
                true => last.of(self.text).to_owned(),
                false => keep(&last, next.map(|n| n.0), after),
            };
            self.push(Splice { span: whole, parts: join(before, after), inner: false });
            return;
        }
        let Some(first) = r.deleted.first().copied() else {
            self.beside_comments(r, &lead, &tail);
            return;
        };
        if r.range.is_empty() && lead.is_empty() && tail.is_empty() && self.line_stays(r, &gaps) {
            return;
        }
        let last_gap = gaps[gaps.len() - 1];
        let keep_first = full(&gaps[0]) || r.prev.is_none();
        let span = Span { start: if keep_first { first.start } else { r.start }, end: first.end };
        let only = r.deleted.len() == 1;
        let keep_last = full(&last_gap) || r.next.is_none();
        let extend = only && !keep_last;
        let mut span = if extend { Span { start: span.start, end: r.end } } else { span };
        let last_text = last_gap.of(self.text);
        if only
            && keep_last
            && !r.range.is_empty()
            && after.is_empty()
            && !last_text.contains(['\n', '\r'])
        {
            // A comment that follows inline moves up to the new token.
            span.end += (last_text.len() - last_text.trim_start().len()) as u32;
        }
        if keep_first && r.prev.is_some() && r.next.is_none() && r.range.is_empty() {
            // Nothing follows: the blanks that led to what goes, go too.
            span.start = r.start + gaps[0].of(self.text).trim_end().len() as u32;
        }
        // Nothing new comes, and what stays after it brings its own blanks.
        let spaced = r.range.is_empty() && keep_last && last_text.starts_with(char::is_whitespace);
        let before = if keep_first || spaced { String::new() } else { before };
        let next = r.next.and_then(|n| self.old.get(n.0));
        let tail_gap = if extend { keep(&last_gap, next, after.clone()) } else { String::new() };
        self.push(Splice { span, parts: join(before, tail_gap), inner: false });
        for (i, d) in r.deleted.iter().enumerate().skip(1) {
            let start = if full(&gaps[i]) { d.start } else { gaps[i].start };
            let last = i + 1 == r.deleted.len();
            let inline = last
                && !r.range.is_empty()
                && after.is_empty()
                && !last_text.contains(['\n', '\r']);
            let blanks = if inline { last_text.len() - last_text.trim_start().len() } else { 0 };
            let end = if last && !keep_last { r.end } else { d.end + blanks as u32 };
            let written = if last && !keep_last { after.clone() } else { String::new() };
            self.push(Splice::text(Span { start, end }, written));
        }
    }

    /// A slot alone on its line is pulled up where `new` shows it inline beside something new.
    pub(crate) fn pull_up(&mut self, edges: &[Option<(usize, usize)>]) {
        for w in edges.windows(3) {
            let (Some(prev), Some(here), next) = (w[0], w[1], w[2]) else { continue };
            let stays = |k: &Key| matches!(k, Key::Slot(name, _) if is_piece(name));
            if !matches!(self.new[here.1].key, Key::Slot(..))
                || stays(&self.new[here.1].key)
                || self.layout.listed(here.1)
                || prev.0 + 1 != here.0
                || prev.1 + 1 != here.1
            {
                continue;
            }
            let (at, before) = (self.old[here.0].at, self.old[prev.0].at);
            let gap = Span { start: before.end, end: at.start };
            let gap_text = gap.of(self.text);
            let inline = self.new[here.1].gap.as_str();
            let changed_behind = next
                .map_or(here.1 + 1 < self.new.len() || here.0 + 1 < self.old.len(), |n| {
                    n.0 != here.0 + 1 || n.1 != here.1 + 1
                });
            let line_end = self.text[at.end as usize..]
                .find(['\n', '\r'])
                .map_or(self.text.len(), |i| at.end as usize + i);
            let own = self.old[here.0 + 1..].iter().take_while(|t| (t.at.end as usize) <= line_end);
            let covered = own.map(|t| t.at.end as usize).last().unwrap_or(at.end as usize);
            let alone = self.text[covered..line_end].trim().is_empty()
                && covered < self.m.span.end as usize;
            // More items of the same list on later lines keep the list one-per-line.
            let list_goes_on = next.is_some_and(|n| {
                self.new[here.1 + 1..n.1].iter().any(|t| t.separator)
                    && self.old[here.0 + 1..n.0].len() <= 1
            });
            if breaks(gap_text)
                && gap_text.trim().is_empty()
                && !breaks(inline)
                && !breaks(at.of(self.text))
                && changed_behind
                && alone
                && !list_goes_on
            {
                let inline = inline.to_owned();
                self.push(Splice::text(gap, inline));
            }
        }
    }

    /// Brackets that end directly after one another in `new`, and begin so, do so in the file where only the latter is new.
    pub(crate) fn close_up(&mut self, edges: &[Option<(usize, usize)>]) {
        let nests =
            (Nest::of(self.old.iter().map(|t| &t.key)), Nest::of(self.new.iter().map(|t| &t.key)));
        let begins = |nest: &Nest, i: usize| nest.partner[i].filter(|p| *p < i);
        for w in edges.windows(2) {
            let (Some(inner), Some(outer)) = (w[0], w[1]) else { continue };
            if inner.0 + 1 != outer.0 || inner.1 + 1 != outer.1 || !self.new[outer.1].gap.is_empty()
            {
                continue;
            }
            let (Some(first), Some(second)) =
                (begins(&nests.1, outer.1), begins(&nests.1, inner.1))
            else {
                continue;
            };
            let was = begins(&nests.0, outer.0).map(|o| o + 1) == begins(&nests.0, inner.0);
            let gap = Span { start: self.old[inner.0].at.end, end: self.old[outer.0].at.start };
            let blank = gap.of(self.text);
            if first + 1 == second
                && self.new[second].gap.is_empty()
                && !was
                && breaks(blank)
                && blank.trim().is_empty()
            {
                self.push(Splice::text(gap, ""));
            }
        }
    }

    /// Where what goes ends in a line of its own, and what follows begins one, that line end stays, with the comments.
    fn line_stays(&mut self, r: &Region, gaps: &[Span]) -> bool {
        let last = gaps[gaps.len() - 1];
        let begins = r.next.is_some_and(|n| breaks(&self.gap(n.1)));
        if !begins || !breaks(last.of(self.text)) {
            return false;
        }
        for (i, d) in r.deleted.iter().enumerate() {
            let text = gaps[i].of(self.text);
            let start = gaps[i].start + text.trim_end_matches([' ', '\t']).len() as u32;
            self.push(Splice::text(Span { start, end: d.end }, ""));
        }
        true
    }

    /// What stands before a token of `new`, as it is written into the file.
    pub(crate) fn gap(&self, i: usize) -> String {
        self.layout.gaps.get(i).cloned().unwrap_or_default()
    }
}

/// The line ends of a gap that has blank lines where the pattern has none.
fn with_blank_lines<'t>(file: &'t str, pattern: &str) -> Option<&'t str> {
    let more = lines_in(pattern) > 0 && lines_in(file) > lines_in(pattern);
    let end = file.rfind('\n').filter(|_| more && file.trim().is_empty())?;
    Some(&file[..=end])
}

fn lines_in(text: &str) -> usize {
    text.matches('\n').count()
}

fn breaks(text: &str) -> bool {
    text.contains(['\n', '\r'])
}
