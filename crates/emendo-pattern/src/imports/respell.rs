//! One path written over another.

use emendo_lang::language::Names;
use emendo_text::{Span, Splice};

/// Turns dotted segments in place into another path, touching only those that differ.
pub fn respell(names: &Names, segments: &[(String, Span)], new: &[&str]) -> Splice {
    let separator = names.separator;
    let old: Vec<&str> = segments.iter().map(|(s, _)| s.as_str()).collect();
    let most = old.len().min(new.len());
    let head = old.iter().zip(new).take_while(|(a, b)| a == b).count().min(most);
    let tail =
        old.iter().rev().zip(new.iter().rev()).take_while(|(a, b)| a == b).count().min(most - head);
    let (gone, come) = (&segments[head..segments.len() - tail], &new[head..new.len() - tail]);
    let text = come.join(separator);
    match (gone.first(), gone.last()) {
        (Some(first), Some(last)) if !come.is_empty() => Splice::text(first.1.hull(last.1), text),
        // Segments only go: with the separator on one side.
        (Some(first), Some(last)) => {
            let span = match (head.checked_sub(1), segments.get(segments.len() - tail)) {
                (_, Some(next)) => Span { start: first.1.start, end: next.1.start },
                (Some(before), None) => Span { start: segments[before].1.end, end: last.1.end },
                (None, None) => first.1.hull(last.1),
            };
            Splice::text(span, "")
        }
        // Segments only come.
        _ => match segments.get(head) {
            Some(next) => {
                Splice::text(Span::at(next.1.start as usize), format!("{text}{separator}"))
            }
            None => {
                let end = segments.last().map_or(0, |s| s.1.end as usize);
                Splice::text(Span::at(end), format!("{separator}{text}"))
            }
        },
    }
}
