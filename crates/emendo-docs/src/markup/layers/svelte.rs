//! The code in the markup of a component, in braces that may begin with a word.

use emendo_text::Span;

use crate::markup::layers::layer::Held;
use crate::markup::layers::view::View;
use crate::markup::page::Attribute;

const HELD: Held = Held::Brackets("}");

/// Copies the code of the markup.
pub(super) fn fill(view: &mut View<'_, '_>) {
    let page = view.page;
    let text = page.text;
    let mut open: Vec<(&str, Vec<(Span, u32)>)> = Vec::new();
    let own = |a: &Attribute| a.name.of(text).starts_with("let:");
    let attributes = || page.elements.iter().flat_map(|e| &e.attributes);
    let bound_here: Vec<Span> =
        attributes().filter(|a| own(a)).filter_map(|a| Some(a.value?.inner)).collect();
    let values: Vec<Span> = attributes().filter_map(|a| Some(a.value?.inner)).collect();
    let tags: Vec<Span> = page.elements.iter().map(|e| e.start).collect();
    for part in page.code.iter().filter(|p| !bound_here.iter().any(|b| b.contains(p.at))) {
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
                    view.expression(at, HELD);
                } else if matches!(word, "then" | "catch")
                    && let Some(block) = open.last_mut()
                {
                    block.1.push((behind, part.at.end));
                }
            }
            '/' => {
                let Some((_, binds)) = open.pop() else { continue };
                for (pattern, from) in binds {
                    view.bind(pattern, Span { start: from, end: part.at.start }, HELD);
                }
            }
            '@' if word == "const" => constant(view, behind, open.last_mut().map(|o| &mut o.1)),
            '@' if word == "debug" => {}
            '@' => view.expression(behind, HELD),
            _ => {
                let spread = inner.trim_start().strip_prefix("...");
                let at = spread.map_or(part.inner, |s| Span {
                    start: part.inner.end - s.len() as u32,
                    ..part.inner
                });
                let within = |all: &[Span]| {
                    let i = all.partition_point(|s| s.end < part.at.end);
                    all.get(i).is_some_and(|s| s.contains(part.at))
                };
                let name = inner.chars().all(|c| c.is_alphanumeric() || c == '_');
                let short = name && within(&tags) && !within(&values);
                view.expression(at, if short { Held::Short } else { HELD });
            }
        }
    }
    for a in attributes() {
        let name = a.name.of(text);
        // What is named like its value needs none.
        let likes = ["class:", "bind:", "style:"];
        let short = likes.iter().find_map(|d| name.strip_prefix(d)).filter(|_| a.value.is_none());
        if let Some(rest) = short {
            let start = a.name.end as usize - rest.len();
            view.copy(Span::new(start, a.name.end as usize), Held::Named);
        }
        // What is done to an element is named beside it.
        let does = ["use:", "transition:", "in:", "out:", "animate:"];
        let Some(rest) = does.iter().find_map(|d| name.strip_prefix(d)) else { continue };
        let start = a.name.end as usize - rest.len();
        let end = start + rest.find('|').unwrap_or(rest.len());
        view.copy(Span::new(start, end), Held::Name);
    }
    for e in &page.elements {
        for a in e.attributes.iter().filter_map(|a| {
            let name = a.name.of(text).strip_prefix("let:")?;
            Some((a, Span { start: a.name.end - name.len() as u32, ..a.name }))
        }) {
            let value = a.0.value.map(|v| v.inner);
            view.bind(value.unwrap_or(a.1), e.content, HELD);
        }
    }
}

/// What a block begins with: its expression, and the patterns that it binds.
fn begins(view: &mut View<'_, '_>, word: &str, at: Span) -> Vec<Span> {
    let text = view.page.text;
    let source = at.of(text);
    let cut = |from: usize, to: usize| Span::new(at.start as usize + from, at.start as usize + to);
    match word {
        "each" => {
            // The last one: a type may be told by the word too.
            let Some(found) = source.rfind(" as ") else {
                view.expression(at, HELD);
                return Vec::new();
            };
            view.expression(cut(0, found), HELD);
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
            view.expression(cut(0, end), HELD);
            vec![cut(from, source.len())]
        }
        "snippet" => {
            let parameters = source.find('(').map(|open| cut(open, source.len()));
            parameters.into_iter().collect()
        }
        _ => {
            view.expression(at, HELD);
            Vec::new()
        }
    }
}

/// A constant of a block: what it is called is known in the block.
fn constant(view: &mut View<'_, '_>, at: Span, block: Option<&mut Vec<(Span, u32)>>) {
    let source = at.of(view.page.text);
    let Some(sign) = source.find('=') else { return };
    let middle = at.start + sign as u32;
    let name = Span { start: at.start, end: middle };
    match block {
        Some(binds) => binds.push((name, at.start)),
        None => {
            let around = view.page.elements.iter().map(|e| e.content).filter(|c| c.contains(at));
            let within = around.min_by_key(|c| c.len());
            let all = Span::new(0, view.page.text.len());
            view.bind(name, within.unwrap_or(all), HELD);
        }
    }
    view.expression(Span { start: middle + 1, ..at }, HELD);
}
