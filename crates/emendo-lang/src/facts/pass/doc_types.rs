//! Types that documentation tells: those of variables, parameters and results, where code does not say them.

use emendo_text::Span;

use crate::facts::pass::Pass;
use crate::facts::{DocType, Word};
use crate::language::Space;

/// What the words of a type are made of, and what stands around them.
const PLAIN: &[char] =
    &['|', '&', '?', '[', ']', '<', '>', '(', ')', '{', '}', ',', ':', '-', '\\'];

impl Pass<'_> {
    /// Notes the types in a comment that documents, and their names as words.
    pub(super) fn doc_types(&mut self, comment: Span) {
        let Some(rules) = &self.language.words.doc_types else { return };
        let text = comment.of(self.text);
        if !text.starts_with(rules.begins) || !text.contains('@') {
            return;
        }
        let mut at = comment.start as usize;
        for line in text.split_inclusive('\n') {
            let start = at;
            at += line.len();
            let Some(sign) = line.find('@').filter(|i| is_lead(&line[..*i])) else { continue };
            let word = line[sign + 1..].split(|c: char| !(c.is_alphanumeric() || c == '-'));
            let word = word.into_iter().next().unwrap_or("");
            // A tool's own form of a tag has its name before that of the tag.
            let is = |tag: &&&str| {
                word == **tag || word.strip_suffix(**tag).is_some_and(|w| w.ends_with('-'))
            };
            let Some(tag) = rules.tags().find(is) else { continue };
            let rest = start + sign + 1 + word.len();
            let Some(ty) = type_from(self.text, rest, at) else { continue };
            let name = name_from(self.text, ty.end as usize, at, self.language.names.variable_mark);
            self.facts.doc_types.push(DocType { comment, tag, ty, name });
            let whole =
                Span { start: ty.start, end: if *tag == rules.call { at as u32 } else { ty.end } };
            if !self.outline {
                self.words_of_type(whole);
            }
        }
    }

    /// The names in a type that stands in a comment.
    fn words_of_type(&mut self, at: Span) {
        let separator = self.language.names.separator;
        let text = at.of(self.text);
        let part = |c: char| c.is_alphanumeric() || c == '_' || separator.contains(c);
        let mut from = 0;
        while let Some(begins) = text[from..].find(part).map(|i| from + i) {
            let path = &text[begins..];
            let path = &path[..path.find(|c| !part(c)).unwrap_or(path.len())];
            from = begins + path.len();
            // The name of a variable, a member, or a constant.
            let before = text[..begins].chars().next_back();
            if matches!(before, Some('$' | ':' | '\'' | '"' | '-'))
                || path.starts_with(|c: char| c.is_ascii_digit())
            {
                continue;
            }
            let start = at.start + begins as u32;
            let mut place = start as usize;
            for name in path.split(separator) {
                let span = Span::new(place, place + name.len());
                place += name.len() + separator.len();
                if !name.is_empty() {
                    let word = Word {
                        span,
                        space: Space::Type,
                        path_start: start,
                        receiver: None,
                        key: false,
                    };
                    self.push(name, word);
                }
            }
        }
    }
}

/// True for what stands on a line of a comment before its text.
fn is_lead(text: &str) -> bool {
    text.chars().all(|c| c.is_whitespace() || matches!(c, '/' | '*' | '#'))
}

/// The type that begins behind a tag.
fn type_from(text: &str, from: usize, until: usize) -> Option<Span> {
    let line = &text[from..until];
    let begins = line.len() - line.trim_start_matches([' ', '\t']).len();
    let (mut depth, mut end) = (0i32, line.len());
    for (i, c) in line.char_indices().skip_while(|(i, _)| *i < begins) {
        match c {
            '<' | '(' | '[' | '{' => depth += 1,
            '>' | ')' | ']' | '}' => depth -= 1,
            c if c.is_whitespace() && depth <= 0 => {
                end = i;
                break;
            }
            c if depth <= 0 && !(c.is_alphanumeric() || c == '_' || PLAIN.contains(&c)) => {
                end = i;
                break;
            }
            _ => {}
        }
    }
    let found = Span::new(from + begins.min(end), from + end);
    (!found.is_empty() && begins > 0).then_some(found)
}

/// The name of the variable behind a type, without its mark.
fn name_from(text: &str, from: usize, until: usize, mark: &str) -> Option<Span> {
    let line = &text[from..until];
    let trimmed = line.trim_start_matches([' ', '\t', '&', '.']);
    let name = trimmed.strip_prefix(mark)?;
    let start = until - name.len();
    let length = name.find(|c: char| !(c.is_alphanumeric() || c == '_')).unwrap_or(name.len());
    (length > 0).then(|| Span::new(start, start + length))
}
