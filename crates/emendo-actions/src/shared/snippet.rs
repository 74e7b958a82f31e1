//! Pieces of text with slots that no language reads: compared token by token, so that white space and the kind of quotes do
//! not matter, and written so that only tokens that differ are touched.

use emendo_text::{
    Chunk, Filter, Indents, Repeat, Span, Splice, Template, TemplateError, template_unit,
};

/// A piece of text with slots.
#[derive(Debug)]
pub(crate) struct Snippet {
    parts: Vec<SnippetPart>,
    template: Template,
    /// It stands on several lines, each level so far in.
    lines: bool,
    unit: usize,
}

#[derive(Debug)]
enum SnippetPart {
    Token(String),
    Slot { name: String, repeat: Repeat },
}

/// Slots with the places that they hold.
type Slots = Vec<(String, Span)>;

/// A place that fits.
pub(crate) struct SnippetFit {
    /// The place.
    pub(crate) span: Span,
    slots: Slots,
}

/// Tokens that one slot takes at most.
const REACH: usize = 400;

impl Snippet {
    /// Compiles a text with slots.
    pub(crate) fn compile(text: &str) -> Result<Self, TemplateError> {
        let template = Template::parse_text(text)?;
        let mut parts = Vec::new();
        for chunk in &template.chunks {
            match chunk {
                Chunk::Text { text, .. } => {
                    let own = tokens(text, 0).into_iter();
                    parts.extend(own.map(|t| SnippetPart::Token(plain(t.of(text)).to_owned())));
                }
                Chunk::Slot { name, repeat, .. } => {
                    parts.push(SnippetPart::Slot { name: name.clone(), repeat: *repeat });
                }
            }
        }
        let (lines, unit) = (text.contains('\n'), template_unit(text));
        Ok(Self { parts, template, lines, unit })
    }

    /// True if it holds nothing.
    pub(crate) fn is_empty(&self) -> bool {
        self.parts.is_empty()
    }

    /// The names of its slots.
    pub(crate) fn slots(&self) -> impl Iterator<Item = &str> {
        self.parts.iter().filter_map(|p| match p {
            SnippetPart::Slot { name, .. } if name != "_" => Some(name.as_str()),
            _ => None,
        })
    }

    /// The places within a span that fit, from the first on; none overlaps another.
    pub(crate) fn find(&self, text: &str, within: Span) -> Vec<SnippetFit> {
        let all = tokens(within.of(text), within.start as usize);
        let mut out = Vec::new();
        let mut i = 0;
        while i < all.len() {
            let mut slots = Vec::new();
            match fits(&self.parts, text, &all[i..], &mut slots) {
                Some(n) if n > 0 => {
                    out.push(SnippetFit { span: all[i].hull(all[i + n - 1]), slots });
                    i += n;
                }
                _ => i += 1,
            }
        }
        out
    }

    /// Writes this over a place that fits another; nothing if it says the same already.
    pub(crate) fn write(&self, text: &str, fit: &SnippetFit) -> Option<Splice> {
        let mut new = String::new();
        let line = text[..fit.span.start as usize].rfind(['\n', '\r']).map_or(0, |i| i + 1);
        let lead = &text[line..fit.span.start as usize];
        let lead = &lead[..lead.len() - lead.trim_start().len()];
        let own = " ".repeat(self.unit);
        let level = if self.lines { emendo_text::indent_unit(text) } else { None };
        let line_end = if text.contains("\r\n") { "\r\n" } else { "\n" };
        let unit = (level.as_deref().unwrap_or(&own), self.unit);
        let mut indents = Indents::new(unit, line_end, lead);
        for chunk in &self.template.chunks {
            match chunk {
                Chunk::Text { text, .. } => new.push_str(&indents.gap(text, None)),
                Chunk::Slot { name, filters, .. } => {
                    let held = fit.slots.iter().find(|s| s.0 == *name).map(|s| s.1.of(text));
                    let filtered =
                        |t: &str| filters.iter().fold(t.to_owned(), |t, f: &Filter| f.apply(&t));
                    new.push_str(&filtered(held.unwrap_or("")));
                }
            }
        }
        let (old, fresh) = (tokens(fit.span.of(text), fit.span.start as usize), tokens(&new, 0));
        if fresh.is_empty() {
            return Some(Splice::text(lines_of(text, fit.span), ""));
        }
        let same = |a: &Span, b: &Span| plain(a.of(text)) == plain(b.of(&new));
        let front = old.iter().zip(&fresh).take_while(|(a, b)| same(a, b)).count();
        let most = old.len().min(fresh.len()) - front;
        let ends = old.iter().rev().zip(fresh.iter().rev());
        let back = ends.take(most).take_while(|(a, b)| same(a, b)).count();
        let (gone, come) = (&old[front..old.len() - back], &fresh[front..fresh.len() - back]);
        let of = |s: &[Span]| Some(s.first()?.hull(*s.last()?));
        match (of(gone), of(come)) {
            (None, None) => None,
            (Some(gone), Some(come)) => Some(Splice::text(gone, come.of(&new))),
            (Some(gone), None) => {
                let next = old.get(old.len() - back).filter(|_| back > 0);
                let end = next.map_or(gone.end, |n| n.start);
                Some(Splice::text(Span { start: gone.start, end }, ""))
            }
            (None, Some(come)) => {
                let (at, from) = match front.checked_sub(1) {
                    Some(i) => (old[i].end, fresh[i].end),
                    None => (fit.span.start, 0),
                };
                let to = if front == 0 { fresh[come_end(&fresh, back)].start } else { come.end };
                Some(Splice::text(Span::at(at as usize), Span { start: from, end: to }.of(&new)))
            }
        }
    }
}

fn come_end(fresh: &[Span], back: usize) -> usize {
    (fresh.len() - back).min(fresh.len() - 1)
}

/// Words, with the signs that versions and names hold, and single other signs.
fn tokens(text: &str, from: usize) -> Vec<Span> {
    let word = |c: char| c.is_alphanumeric() || "_-.".contains(c);
    let mut out: Vec<Span> = Vec::new();
    let mut start = None;
    for (i, c) in text.char_indices() {
        if word(c) {
            start.get_or_insert(i);
            continue;
        }
        out.extend(start.take().map(|s| Span::new(from + s, from + i)));
        if !c.is_whitespace() {
            out.push(Span::new(from + i, from + i + c.len_utf8()));
        }
    }
    out.extend(start.map(|s| Span::new(from + s, from + text.len())));
    out
}

/// Quotes are the same, whichever they are.
fn plain(token: &str) -> &str {
    if token == "'" { "\"" } else { token }
}

/// How many tokens fit the parts; slots take as few as they can.
fn fits(parts: &[SnippetPart], text: &str, all: &[Span], slots: &mut Slots) -> Option<usize> {
    let Some((first, rest)) = parts.split_first() else { return Some(0) };
    match first {
        SnippetPart::Token(t) => {
            let own = all.first().filter(|s| plain(s.of(text)) == t)?;
            debug_assert!(!own.is_empty());
            fits(rest, text, &all[1..], slots).map(|n| n + 1)
        }
        SnippetPart::Slot { name, repeat } => {
            let known = slots.iter().find(|s| s.0 == *name && name != "_").map(|s| s.1);
            let least = usize::from(matches!(repeat, Repeat::One | Repeat::Some));
            for n in least..=all.len().min(REACH) {
                let held = match n.checked_sub(1) {
                    Some(last) => all[0].hull(all[last]),
                    None => Span::at(all.first().map_or(0, |s| s.start as usize)),
                };
                if !balanced(text, &all[..n]) || known.is_some_and(|k| k.of(text) != held.of(text))
                {
                    continue;
                }
                let kept = slots.len();
                slots.push((name.clone(), held));
                if let Some(more) = fits(rest, text, &all[n..], slots) {
                    return Some(n + more);
                }
                slots.truncate(kept);
            }
            None
        }
    }
}

/// True if brackets that open are closed too.
fn balanced(text: &str, all: &[Span]) -> bool {
    let mut depth = 0_i32;
    all.iter().all(|s| {
        match s.of(text) {
            "(" | "[" | "{" => depth += 1,
            ")" | "]" | "}" => depth -= 1,
            _ => {}
        }
        depth >= 0
    }) && depth == 0
}

/// The lines of a place, where nothing else stands on them.
fn lines_of(text: &str, span: Span) -> Span {
    let (start, end) = (span.start as usize, span.end as usize);
    let line = text[..start].rfind('\n').map_or(0, |i| i + 1);
    let next = text[end..].find('\n').map_or(text.len(), |i| end + i + 1);
    let alone = text[line..start].trim().is_empty() && text[end..next].trim().is_empty();
    if alone { Span::new(line, next) } else { span }
}
