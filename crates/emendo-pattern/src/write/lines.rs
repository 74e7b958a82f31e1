//! Takes whole things away with their lines, commas and comments.

use emendo_lang::language::Language;
use emendo_lang::tree::{Tree, descend};
use emendo_text::{Part, Shifted, Span, Splice};

use crate::found::GatheredPiece;

/// An item with the mark that ends it, where that belongs to the list around it.
pub(crate) fn with_end(language: &Language, text: &str, item: Span) -> Span {
    let rest = &text[item.end as usize..];
    let blanks = rest.len() - rest.trim_start_matches([' ', '\t']).len();
    let ends = language.compare.optional.contains(&";") && !item.of(text).ends_with([';', '}']);
    let found = ends && rest[blanks..].starts_with(';');
    Span { start: item.start, end: if found { item.end + blanks as u32 + 1 } else { item.end } }
}

/// An item of a list goes with one separator beside it.
pub fn delete_item(separators: &[&str], text: &str, item: Span, list: Span) -> Splice {
    let behind = &text[item.end as usize..list.end as usize];
    let skipped = behind.len() - behind.trim_start().len();
    for s in separators {
        if behind[skipped..].starts_with(s) {
            let comma = item.end as usize + skipped + s.len();
            let line = line_start(text, item.start as usize);
            let line_end = text[comma..].find(['\n', '\r']).map_or(text.len(), |i| comma + i);
            let alone = line > list.start as usize
                && text[line..item.start as usize].trim().is_empty()
                && text[comma..line_end].trim().is_empty();
            if alone {
                return Splice::text(Span::new(line, next_line(text, line_end)), "");
            }
            let after = &behind[skipped + s.len()..];
            let blanks = after.len() - after.trim_start_matches([' ', '\t']).len();
            let span = Span::new(item.start as usize, comma + blanks);
            return Splice::text(span, "").without_end_blanks(text);
        }
    }
    let before = text[list.start as usize..item.start as usize].trim_end();
    for s in separators {
        if let Some(rest) = before.strip_suffix(s) {
            return Splice::text(
                Span::new(list.start as usize + rest.len(), item.end as usize),
                "",
            );
        }
    }
    Splice::text(item, "")
}

/// The end of a comment that begins on the same line directly after `at`.
pub(crate) fn comment_behind(tree: &Tree, text: &str, at: u32) -> Option<u32> {
    let rest = &text[at as usize..];
    let blanks = rest.len() - rest.trim_start_matches([' ', '\t']).len();
    let start = at as usize + blanks;
    let path = descend(tree.root(), Span::new(start, (start + 1).min(text.len())));
    let comment = path.iter().find(|(n, _)| n.is_extra() && n.start_byte() == start)?;
    Some(comment.0.start_byte() as u32 + text[start..comment.0.end_byte()].trim_end().len() as u32)
}

/// Takes a whole item away: with its line if nothing else stands on it, and with one of two blank lines around it.
/// `comment_behind` gives the end of a comment that goes along.
pub fn delete_splice(
    text: &str,
    item: Span,
    comment_behind: impl Fn(u32) -> Option<u32>,
) -> Splice {
    let (start, mut end) = (item.start as usize, item.end as usize);
    let line = line_start(text, start);
    let alone_before = text[line..start].trim().is_empty();
    let to_line_end = |at: usize| text[at..].find(['\n', '\r']).map_or(text.len(), |i| at + i);
    if let Some(comment) = comment_behind(item.end).filter(|c| {
        let line_end = to_line_end(*c as usize);
        text[*c as usize..line_end].trim().is_empty() && !text[end..*c as usize].contains('\n')
    }) {
        end = comment as usize;
    }
    let line_end = to_line_end(end);
    if !alone_before || !text[end..line_end].trim().is_empty() {
        // Something else stands on the line: only the item and the blanks on one side go.
        let rest = &text[item.end as usize..];
        let blanks = rest.len() - rest.trim_start_matches([' ', '\t']).len();
        let (s, e) = if alone_before || text[..start].ends_with([' ', '\t', '(']) && blanks > 0 {
            (start, item.end as usize + blanks)
        } else {
            (text[..start].trim_end_matches([' ', '\t']).len(), end)
        };
        return Splice::text(Span::new(s, e), "");
    }
    let after = next_line(text, line_end);
    // Behind a line that opens a body a blank line has nothing to set apart.
    let opens = text[..line].trim_end().ends_with(['{', '(', '[', ':']);
    let blank_before =
        line == 0 || opens || text[line_start(text, line - 1)..line].trim().is_empty();
    let next_end = to_line_end(after);
    let blank_after = after < text.len() && text[after..next_end].trim().is_empty();
    if blank_before && blank_after {
        let mut end = next_line(text, next_end);
        // Nothing is set apart from the beginning of the file.
        while line == 0 && end < text.len() && text[end..to_line_end(end)].trim().is_empty() {
            end = next_line(text, to_line_end(end));
        }
        return Splice::text(Span::new(line, end), "");
    }
    if after == text.len() && line_end == text.len() {
        // The last line has no line end: the one before loses its own.
        let line = text[..line].trim_end_matches(['\n', '\r']).len().max(line.saturating_sub(2));
        return Splice::text(Span::new(line, after), "");
    }
    Splice::text(Span::new(line, after), "")
}

/// What was collected, laid out from a place on whose line begins with `indent`.
pub(crate) fn gathered(pieces: &[GatheredPiece], line_end: &str, indent: &str) -> Vec<Part> {
    let mut out = Vec::new();
    for piece in pieces {
        let mut lines = piece.before.split('\n');
        let mut before = lines.next().unwrap_or("").to_owned();
        let rest: Vec<&str> = lines.collect();
        for (i, line) in rest.iter().enumerate() {
            before.push_str(line_end);
            if i + 1 == rest.len() || !line.is_empty() {
                before.push_str(indent);
            }
            before.push_str(line);
        }
        if !before.is_empty() {
            out.push(Part::Text(before));
        }
        let parts = piece.parts.clone();
        let (from, to, fixed) = (piece.indent.clone(), indent.to_owned(), piece.fixed.clone());
        match from == to {
            true => out.extend(parts),
            false => out.push(Part::Shifted(Box::new(Shifted { parts, from, to, fixed }))),
        }
    }
    out
}

/// Where the line that holds `at` begins.
pub(crate) fn line_start(text: &str, at: usize) -> usize {
    text[..at].rfind(['\n', '\r']).map_or(0, |i| i + 1)
}

/// Where the line after the line end at `at` begins.
pub(crate) fn next_line(text: &str, at: usize) -> usize {
    if text[at..].starts_with("\r\n") { at + 2 } else { (at + 1).min(text.len()) }
}

/// The blanks at the start of the line that holds `at`.
pub(crate) fn indent_at(text: &str, at: usize) -> &str {
    let start = line_start(text, at);
    let line = &text[start..at];
    &line[..line.len() - line.trim_start().len()]
}
