//! How what is written is laid out where it goes.

use emendo_text::{Part, Span, Splice};

use crate::found::is_piece;
use crate::model::Key;
use crate::write::lines::line_start;
use crate::write::tokens::{NewToken, OldToken};
use crate::write::writer::{Region, Writer, add};

impl Writer<'_> {
    /// The text for the new tokens of a region: the gap before, the tokens, the gap after.
    pub(crate) fn inserted(&mut self, r: &Region) -> (String, Vec<Part>, String) {
        let gap_of = |w: &Self, n: (usize, usize)| w.gap(n.1);
        if r.range.is_empty() {
            let between = match (r.prev, r.next) {
                (Some(_), Some(n)) => self.layout_kept(r, n).unwrap_or_else(|| gap_of(self, n)),
                _ => String::new(),
            };
            return (between, Vec::new(), String::new());
        }
        let mut before = r.prev.map_or(String::new(), |_| self.gap(r.range.start));
        let mut after = r.next.map_or(String::new(), |n| gap_of(self, n));
        let own_line = self.layout(r, &mut before, &mut after);
        let mut parts = Vec::new();
        for i in r.range.clone() {
            let token = &self.new[i];
            let inner_gap = (i + 1 < r.range.end).then(|| i + 1);
            let separator = token.separator;
            self.token(i, &mut parts);
            if let Some(inner_gap) = inner_gap {
                let blank = self.new[inner_gap].gap.trim().is_empty();
                let written = match &own_line {
                    Some(line) if separator && blank => line.clone(),
                    _ => self.gap(inner_gap),
                };
                add(&mut parts, written);
            } else if separator
                && let Some(line) = &own_line
                && after.trim().is_empty()
            {
                after.clone_from(line);
            }
        }
        (before, parts, after)
    }

    /// The exceptions to "white space comes from `new`": one-per-line lists, and brackets inside brackets.
    /// Gives the break that follows each separator, if the list has one item a line.
    fn layout(&self, r: &Region, before: &mut String, after: &mut String) -> Option<String> {
        let original = Span { start: r.start, end: r.end }.of(self.text);
        let is = |t: &NewToken, set: &[&str]| matches!(&t.key, Key::Text(k) if set.contains(&k.as_str()));
        let (first, last) = (&self.new[r.range.start], &self.new[r.range.end - 1]);
        let breaks = |s: &str| s.contains('\n') || s.contains('\r');
        const OPEN: &[&str] = &["(", "[", "{"];
        const CLOSE: &[&str] = &[")", "]", "}"];
        if r.deleted.is_empty() && breaks(original) && original.trim().is_empty() {
            if r.prev.is_some_and(|p| is(&self.new[p.1], OPEN)) && is(last, OPEN) {
                original.clone_into(after);
                return None;
            }
            if r.next.is_some_and(|n| is(&self.new[n.1], CLOSE)) && is(first, CLOSE) {
                original.clone_into(before);
                return None;
            }
        }
        if r.deleted.is_empty()
            && breaks(original)
            && original.trim().is_empty()
            && !first.separator
            && !last.separator
        {
            // What comes into brackets that are broken over lines stands on the line of what was there.
            if r.prev.is_some_and(|p| is(&self.new[p.1], OPEN)) && !breaks(before) && !breaks(after)
            {
                original.clone_into(before);
                return None;
            }
        }
        if r.deleted.is_empty() && !breaks(original) && original.trim().is_empty() {
            // Blanks that the author of the code set inside brackets stay inside them.
            let unlike = |n: (usize, usize)| self.old[n.0].gap != original;
            if let Some(next) = r.next.filter(|n| is(&self.new[n.1], CLOSE) && unlike(*n)) {
                if after.as_str() == self.old[next.0].gap {
                    original.clone_into(after);
                }
            } else if let (Some(prev), Some(next)) = (r.prev, r.next.filter(|n| unlike(*n)))
                && is(&self.new[prev.1], OPEN)
                && *before == self.old[next.0].gap
            {
                original.clone_into(before);
            }
        }
        // Only items of a list that is written so stand on lines of their own.
        let is_comma = |t: &NewToken| {
            t.separator && matches!(&t.key, Key::Text(k) if [",", ";"].contains(&k.as_str()))
        };
        let in_list = |i: usize| {
            let before = i.checked_sub(1).map(|b| &self.old[b].key);
            matches!(before, Some(Key::Text(k)) if OPEN.contains(&k.as_str()) || matches!(k.as_str(), "," | ";"))
        };
        let line_of = |i: usize| {
            let at = self.old[i].at.start;
            let start = line_start(self.text, at as usize);
            let lead = &self.text[start..at as usize];
            (in_list(i) && lead.trim().is_empty() && start > 0)
                .then(|| format!("{}{lead}", self.line_end))
        };
        if is_comma(first) {
            let line = line_of(r.prev?.0);
            if line.is_some()
                && r.deleted.is_empty()
                && breaks(original)
                && original.trim().is_empty()
            {
                original.clone_into(after);
            }
            return line;
        }
        if is_comma(last) && r.deleted.is_empty() && original.trim().is_empty() {
            let line = line_of(r.next?.0)?;
            original.clone_into(before);
            return Some(line);
        }
        None
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
            _ => new,
        };
        if !gaps.iter().any(full) {
            let first_deleted = r.prev.map_or(0, |p| p.0 + 1);
            let before =
                keep(&gaps[0], self.old.get(first_deleted).filter(|_| r.prev.is_some()), before);
            let after = keep(&gaps[gaps.len() - 1], r.next.and_then(|n| self.old.get(n.0)), after);
            self.push(Splice { span: whole, parts: join(before, after), inner: false });
            return;
        }
        let Some(first) = r.deleted.first().copied() else {
            // Nothing goes: the new tokens stand directly after the kept one.
            // Behind a comma they belong to what follows.
            let behind_comma = r.prev.is_some_and(|p| self.new[p.1].separator)
                && r.next.is_some()
                && !self.new[r.range.end - 1].separator;
            let to_prev = r.prev.is_some() && !behind_comma;
            let point = if to_prev { r.start } else { r.end };
            let (before, after) =
                if to_prev { (before, String::new()) } else { (String::new(), after) };
            self.push(Splice {
                span: Span { start: point, end: point },
                parts: join(before, after),
                inner: false,
            });
            return;
        };
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
        let before = if keep_first { String::new() } else { before };
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
            let breaks = |s: &str| s.contains(['\n', '\r']);
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

    /// Where items of a list go that has one a line, what follows them stays on its own line.
    fn layout_kept(&self, r: &Region, next: (usize, usize)) -> Option<String> {
        let breaks = |s: &str| s.contains(['\n', '\r']);
        let first = Span { start: r.start, end: r.deleted.first()?.start.max(r.start) };
        let last = Span { start: r.deleted.last()?.end.min(r.end), end: r.end };
        let closes =
            matches!(&self.new[next.1].key, Key::Text(t) if [")", "]", "}"].contains(&t.as_str()));
        let own = last.of(self.text);
        let kept = breaks(own)
            && own.trim().is_empty()
            && !breaks(&self.old[next.0].gap)
            && (closes || breaks(first.of(self.text)));
        kept.then(|| own.to_owned())
    }

    /// What stands before a token of `new`, as it is written into the file.
    pub(crate) fn gap(&self, i: usize) -> String {
        let token = &self.new[i];
        if token.as_it_stands { token.gap.clone() } else { self.reindent(&token.gap) }
    }

    /// A gap of `new` with the file's line ends and the indentation of the place.
    pub(crate) fn reindent(&self, gap: &str) -> String {
        if !gap.contains('\n') {
            return gap.to_owned();
        }
        let tabs = self.indent.contains('\t');
        let mut out = String::new();
        for (i, line) in gap.split('\n').enumerate() {
            if i == 0 {
                out.push_str(line.trim_end_matches('\r'));
                continue;
            }
            out.push_str(self.line_end);
            let body = line.trim_start_matches(' ');
            let width = line.len() - body.len();
            if body.is_empty() && i + 1 < gap.split('\n').count() {
                continue;
            }
            out.push_str(self.indent);
            if tabs {
                out.push_str(&"\t".repeat(width / 4));
                out.push_str(&" ".repeat(width % 4));
            } else {
                out.push_str(&" ".repeat(width));
            }
            out.push_str(body);
        }
        out
    }
}
