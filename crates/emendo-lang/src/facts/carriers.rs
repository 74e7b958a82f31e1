//! Members and functions that give objects of certain types: by their names, files reach the types without naming them.

use emendo_text::Span;

use crate::facts::FileFacts;
use crate::language::{Language, Space};
use crate::tree::token_texts;

/// Longest stretch after a name in which its type is looked for.
const STRETCH: usize = 600;

impl FileFacts {
    /// The names of members, functions and variables at the top of the file whose type, or what they give, is spoken of
    /// with one of the wanted words. Told by the words beside each name alone: too many rather than too few.
    pub fn carriers(
        &self,
        language: &Language,
        text: &str,
        wanted: &dyn Fn(&str) -> bool,
    ) -> Vec<String> {
        let members = self.types.iter().flat_map(|t| &t.members);
        let mut all: Vec<(&str, Span)> = members.map(|m| (m.name.as_str(), m.at)).collect();
        let spaces = [Space::Value, Space::Callable];
        let top = self.top_names().filter_map(|n| Some((n, self.lookup_top(n, &spaces)?)));
        let imported = |at: Span| self.imports.iter().any(|i| i.span.contains(at));
        all.extend(top.filter(|(_, at)| !imported(*at)));
        all.sort_unstable_by_key(|(_, at)| at.start);
        all.dedup();
        let mut out: Vec<String> = Vec::new();
        for (i, (name, at)) in all.iter().enumerate() {
            let end = all.get(i + 1).map_or(text.len(), |next| next.1.start as usize);
            if gives(language, text, *at, end, wanted) {
                out.push((*name).to_owned());
            }
        }
        out.sort_unstable();
        out.dedup();
        out
    }
}

/// True if a wanted word stands where the type of a name is written, or in the value that tells it.
fn gives(
    language: &Language,
    text: &str,
    at: Span,
    until: usize,
    wanted: &dyn Fn(&str) -> bool,
) -> bool {
    let holds = |part: &str| token_texts(part).any(|(_, t)| wanted(t));
    let before = &text[..at.start as usize];
    let line = before.rfind(['\n', ';', '{', '}', '(', ',']).map_or(0, |i| i + 1);
    if language.typing.built_in.type_first {
        return holds(&before[line..]);
    }
    let from = at.end as usize;
    let mut until = until.max(from).min(from + STRETCH).min(text.len());
    while !text.is_char_boundary(until) {
        until -= 1;
    }
    let rest = &text[from..until];
    let open = rest.trim_start().starts_with(['(', '<']);
    let behind = if open { after_brackets(rest) } else { rest };
    let declared = behind.trim_start().starts_with([':', '-']);
    // A declared type ends before the value or the body; without one, those tell.
    let part = match behind.find(['{', '=', ';']) {
        Some(i) if declared || language.typing.built_in.members_typed => &behind[..i],
        _ => behind,
    };
    holds(part)
}

/// What stands after the brackets that a text begins with.
fn after_brackets(text: &str) -> &str {
    let mut depth = 0i32;
    for (i, c) in text.char_indices() {
        match c {
            '(' | '[' | '{' => depth += 1,
            ')' | ']' | '}' => {
                depth -= 1;
                if depth == 0 && !text[i + 1..].trim_start().starts_with('(') {
                    return &text[i + 1..];
                }
            }
            _ => {}
        }
    }
    ""
}
