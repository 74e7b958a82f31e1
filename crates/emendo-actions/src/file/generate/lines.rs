//! Lines and comments around places.

use emendo_lang::Language;
use emendo_text::Span;

/// Where the line of a place begins.
pub(super) fn line_start(text: &str, at: usize) -> usize {
    text[..at].rfind('\n').map_or(0, |i| i + 1)
}

/// The comments that stand on the lines directly above a place.
pub(super) fn comments_above(text: &str, comments: &[Span], at: Span) -> Option<Span> {
    let mut top = line_start(text, at.start as usize);
    let mut start = None;
    if !text[top..at.start as usize].trim().is_empty() {
        return None;
    }
    while top > 0 {
        let above =
            text[..top].trim_end_matches([' ', '\t']).strip_suffix('\n')?.trim_end_matches('\r');
        let end = above.trim_end_matches([' ', '\t']).len();
        let ends = |c: &&Span| c.start as usize + c.of(text).trim_end().len() == end;
        let Some(c) = comments.iter().find(ends) else { break };
        let line = line_start(text, c.start as usize);
        if !text[line..c.start as usize].trim().is_empty() {
            break;
        }
        (start, top) = (Some(c.start), line);
    }
    let before = text[..at.start as usize].trim_end().len();
    Some(Span::new(start? as usize, before))
}

/// The comment that follows a place on its line, with nothing behind it.
pub(super) fn comment_behind(
    language: &Language,
    text: &str,
    comments: &[Span],
    at: Span,
) -> Option<Span> {
    let rest = &text[at.end as usize..];
    let blanks = |t: &str| t.len() - t.trim_start_matches([' ', '\t']).len();
    let mut from = blanks(rest);
    let ends = language.compare.separators.iter().chain(&[";"]);
    if let Some(sign) = ends.into_iter().find(|s| rest[from..].starts_with(**s)) {
        from += sign.len();
        from += blanks(&rest[from..]);
    }
    let start = at.end + from as u32;
    let c = comments.iter().find(|c| c.start == start)?;
    let own = c.of(text).trim_end();
    let end = c.start as usize + own.len();
    let line = text[end..].split('\n').next().unwrap_or("");
    (line.trim().is_empty() && !own.contains('\n')).then(|| Span::new(start as usize, end))
}

/// The start of the next line, if nothing else stands on this one; else the place itself.
pub(super) fn line_after(text: &str, at: usize) -> usize {
    let end = text[at..].find('\n').map_or(text.len(), |i| at + i + 1);
    if text[at..end].trim().is_empty() { end } else { at }
}

/// True for the start of a line, blanks before it left out.
pub(super) fn begins_line(text: &str, at: usize) -> bool {
    text[line_start(text, at)..at].trim().is_empty()
}

/// Places without those that touch or meet another: these become one.
pub(super) fn merged(mut all: Vec<Span>) -> Vec<Span> {
    let mut out: Vec<Span> = Vec::new();
    all.sort();
    for at in all {
        match out.last_mut().filter(|last| at.start <= last.end) {
            Some(last) => *last = last.hull(at),
            None => out.push(at),
        }
    }
    out
}

/// Whole lines that go, with one of the blank lines around them.
pub(super) fn with_blank_line(text: &str, at: Span) -> Span {
    let (start, end) = (at.start as usize, at.end as usize);
    let whole =
        line_start(text, start) == start && (end == text.len() || text[..end].ends_with('\n'));
    if !whole {
        return at;
    }
    let above = text[..start].strip_suffix('\n').map(|t| line_start(t, t.len()));
    let blank_above = above.filter(|a| text[*a..start].trim().is_empty());
    let below = line_after(text, end);
    match (blank_above, below > end) {
        // The end of the file, or of what is around.
        (Some(above), false) if text[end..].trim().is_empty() => Span::new(above, end),
        (Some(_), true) => Span::new(start, below),
        (None, true) if start == 0 => Span::new(start, below),
        _ => at,
    }
}
