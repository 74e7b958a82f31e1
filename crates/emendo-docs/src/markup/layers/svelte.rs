//! The code in the markup of a component, in braces that may begin with a word.

use emendo_text::Span;

use crate::markup::layers::names::bound;
use crate::markup::layers::view::View;
use crate::markup::layers::{Held, KnownName};
use crate::markup::page::CodePart;

const HELD: Held = Held::Brackets("}");

/// Copies the code of the markup.
pub(super) fn fill(view: &mut View<'_, '_>) {
    let page = view.page;
    let text = page.text;
    let mut open: Vec<(&str, Vec<(Span, u32)>)> = Vec::new();
    for part in &page.code {
        let inner = part.inner.of(text);
        let sign = inner.chars().next().unwrap_or(' ');
        let rest = inner.get(1..).unwrap_or("");
        let word = rest.split(|c: char| !c.is_ascii_alphabetic()).next().unwrap_or("");
        let behind = Span { start: part.inner.start + 1 + word.len() as u32, ..part.inner };
        match sign {
            '#' => {
                let binds = begins(view, word, behind);
                let from = part.at.end;
                open.push((word, binds.into_iter().map(|b| (b, from)).collect()));
            }
            ':' => {
                let condition = behind.of(text).trim_start().strip_prefix("if");
                if let Some(c) = condition.filter(|_| word == "else") {
                    let at = Span::new(part.inner.end as usize - c.len(), part.inner.end as usize);
                    view.expression(at, HELD, (2, 1));
                } else if matches!(word, "then" | "catch")
                    && let Some(block) = open.last_mut()
                {
                    block.1.push((behind, part.at.end));
                }
            }
            '/' => {
                let Some((_, binds)) = open.pop() else { continue };
                for (pattern, from) in binds {
                    let within = Span { start: from, end: part.at.start };
                    let known = bound(text, pattern, within);
                    view.known.extend(known);
                }
            }
            '@' => special(view, word, behind, part),
            _ => {
                let spread = inner.trim_start().strip_prefix("...");
                let at = spread.map_or(part.inner, |s| Span {
                    start: part.inner.end - s.len() as u32,
                    ..part.inner
                });
                view.expression(at, HELD, (1, 1));
            }
        }
    }
    for e in &page.elements {
        for a in e.attributes.iter().filter_map(|a| {
            let name = a.name.of(text).strip_prefix("let:")?;
            Some((a, Span { start: a.name.end - name.len() as u32, ..a.name }))
        }) {
            let value = a.0.value.map(|v| v.inner);
            let at = value.unwrap_or(a.1);
            let name = KnownName { name: a.1.of(text).to_owned(), at: a.1, within: e.content };
            let renamed = bound(text, at, e.content);
            view.known.extend(if value.is_some() { renamed } else { vec![name] });
        }
    }
}

/// What a block begins with: its expression, and the patterns that it binds.
fn begins(view: &mut View<'_, '_>, word: &str, at: Span) -> Vec<Span> {
    let text = view.page.text;
    let source = at.of(text);
    let cut = |from: usize, to: usize| {
        Span::new(at.start as usize + from, at.start as usize + to)
    };
    match word {
        "each" => {
            // The last one: a type may be told by the word too.
            let Some(found) = source.rfind(" as ") else {
                view.expression(at, HELD, (2, 1));
                return Vec::new();
            };
            view.expression(cut(0, found), HELD, (2, 1));
            let mut end = source.len();
            // A key stands in brackets at the end.
            if source.trim_end().ends_with(')')
                && let Some(open) = source[found..].rfind(" (")
            {
                end = found + open;
            }
            vec![cut(found + 4, end)]
        }
        "await" => {
            let then = [" then ", " catch "].iter().find_map(|w| Some((source.find(w)?, w.len())));
            let (end, from) = then.map_or((source.len(), source.len()), |(i, len)| (i, i + len));
            view.expression(cut(0, end), HELD, (2, 1));
            vec![cut(from, source.len())]
        }
        "snippet" => {
            let parameters = source.find('(').map(|open| cut(open, source.len()));
            parameters.into_iter().collect()
        }
        _ => {
            view.expression(at, HELD, (2, 1));
            Vec::new()
        }
    }
}

/// Code after a word with a sign: a constant, or what is written as it is.
fn special(view: &mut View<'_, '_>, word: &str, at: Span, part: &CodePart) {
    match word {
        "const" => {
            // The word is part of the statement.
            view.statements(Span { start: part.inner.start + 1, ..at }, HELD);
        }
        "debug" => {}
        _ => view.expression(at, HELD, (2, 1)),
    }
}
