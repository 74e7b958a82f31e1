//! Code as evidence and messages show it.

use emendo_text::Span;

use crate::tree::{Tree, span, walk};

/// Longer code is cut, between words.
const MOST: usize = 40;

/// The code of a place on one line, its comments left out; what is too long is cut between words.
pub fn shown(tree: &Tree, at: Span, text: &str) -> String {
    let mut kept = String::new();
    let mut from = at.start;
    let smallest = tree.root().descendant_for_byte_range(at.start as usize, at.end as usize);
    if let Some(node) = smallest {
        walk(node, |n| {
            let place = span(n);
            if n.is_extra() && at.contains(place) && place.start >= from {
                kept.push_str(Span { start: from, end: place.start }.of(text));
                from = place.end;
            }
            !n.is_extra() && place.meets(at)
        });
    }
    kept.push_str(Span { start: from, end: at.end.max(from) }.of(text));
    in_line(&kept)
}

/// Text on one line, cut between words if it is too long.
pub fn in_line(text: &str) -> String {
    let line = text.split_whitespace().collect::<Vec<_>>().join(" ");
    if line.chars().count() <= MOST {
        return line;
    }
    let word = |c: char| c.is_alphanumeric() || c == '_';
    let chars: Vec<char> = line.chars().collect();
    let inside = |n: usize| word(chars[n - 1]) && word(chars[n]);
    // A single word that is too long is cut all the same.
    let end = (MOST / 2..=MOST).rev().find(|n| !inside(*n)).unwrap_or(MOST);
    let cut: String = chars[..end].iter().collect();
    let blank = if chars[end] == ' ' || cut.ends_with(' ') { " " } else { "" };
    format!("{}{blank}…", cut.trim_end())
}
