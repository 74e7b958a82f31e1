//! What nodes tell by themselves: the names of types, what values are, where a file begins.

use crate::tree::Node;
use emendo_text::Span;

use crate::facts::{Hint, Tells};
use crate::language::Language;
use crate::tree::{children, in_field, part, span};

pub(crate) fn preamble_end(language: &Language, root: Node<'_>, text: &str) -> u32 {
    let mut end = 0;
    let mut cursor = root.walk();
    if !cursor.goto_first_child() {
        return end;
    }
    loop {
        let node = cursor.node();
        let child = || node.named_child(0).map_or("", |c| c.kind());
        let known = |(kind, only): &(&str, &str)| {
            *kind == node.kind() && (only.is_empty() || *only == child())
        };
        // Some comments are read with the end of their line.
        let own = span(node).of(text).trim_end_matches(['\n', '\r']).len();
        let ends = node.start_byte() + own;
        let rest = &text[ends..];
        let set_apart = rest.trim_start_matches([' ', '\t']).lines().take(2).count() == 2
            && rest.lines().nth(1).is_some_and(|l| l.trim().is_empty());
        if language.imports.preamble.iter().any(known) || (node.is_extra() && set_apart) {
            end = ends as u32;
        } else if !node.is_extra() {
            return end;
        }
        if !cursor.goto_next_sibling() {
            return end;
        }
    }
}

/// What stands between the quotes of a literal: its contents as far as they are one piece.
pub(crate) fn within(node: Node<'_>) -> Span {
    let parts = children(node);
    let inner = parts.iter().filter(|c| c.is_named()).map(|c| span(*c)).reduce(Span::hull);
    match (parts.first(), parts.last()) {
        (Some(first), Some(last)) if parts.len() >= 2 && !first.is_named() => {
            Span::new(first.end_byte(), last.start_byte().max(first.end_byte()))
        }
        (Some(first), Some(last)) if parts.len() >= 2 && inner != Some(span(*first)) => {
            Span::new(first.end_byte(), last.start_byte().max(first.end_byte()))
        }
        _ if node.end_byte() - node.start_byte() >= 2 => {
            Span::new(node.start_byte() + 1, node.end_byte() - 1)
        }
        _ => span(node),
    }
}

/// A dotted name without blanks.
pub(crate) fn clean(text: &str) -> String {
    text.chars().filter(|c| !c.is_whitespace()).collect()
}

/// Longest dotted name that is looked at.
pub(crate) const LONGEST: usize = 300;

/// A dotted name without blanks; `None` for a chain with calls, and for names of unlikely length.
pub(crate) fn plain(node: Node<'_>, text: &str) -> Option<String> {
    if node.end_byte() - node.start_byte() > LONGEST {
        return None;
    }
    let name = clean(span(node).of(text));
    let dotted = name
        .chars()
        .all(|c| c.is_alphanumeric() || matches!(c, '_' | '.' | ':' | '$' | '@' | '#' | '\\'));
    dotted.then_some(name)
}

/// The node of a type's own name: without arguments, references and the like.
pub(crate) fn core_of<'t>(language: &Language, node: Node<'t>) -> Option<Node<'t>> {
    let types = &language.declares;
    let mut node = node;
    for _ in 0..16 {
        let kind = node.kind();
        if language.words.kinds.iter().any(|w| w.0 == kind) || language.words.paths.contains(&kind)
        {
            return Some(node);
        }
        if !types.hints.wraps.contains(&kind) {
            return None;
        }
        let inner: Vec<Node<'t>> = children(node)
            .into_iter()
            .filter(|c| c.is_named() && !c.is_extra() && !types.hints.skipped.contains(&c.kind()))
            .collect();
        node = match inner.as_slice() {
            [one] => *one,
            // A type by its name and its arguments in brackets.
            _ => node.child_by_field_name("value")?,
        };
    }
    None
}

/// The name of a type, as it is written, without its arguments.
pub(crate) fn type_head(language: &Language, node: Node<'_>, text: &str) -> Option<String> {
    let types = &language.declares;
    // A type in quotes is one all the same.
    let mut inner = node;
    while types.hints.wraps.contains(&inner.kind()) && inner.named_child_count() == 1 {
        inner = inner.named_child(0)?;
    }
    if language.compare.strings.contains(&inner.kind()) && types.hints.wraps.contains(&node.kind())
    {
        let parts = within(inner).of(text).split('|').map(str::trim);
        let mut parts = parts.filter(|p| !types.hints.nothing.contains(p));
        let quoted = parts.next().filter(|_| parts.next().is_none())?;
        let dotted = !quoted.is_empty()
            && quoted.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '.'));
        return dotted.then(|| quoted.to_owned());
    }
    let Some(core) = core_of(language, node) else { return run(language, node, text) };
    let path = plain(core, text)?;
    if types.hints.through.contains(&path.as_str()) {
        // A wrapper that leaves its contents what they are.
        let holder = core.parent()?;
        let arguments =
            children(holder).into_iter().find(|c| types.hints.skipped.contains(&c.kind()))?;
        let first = children(arguments)
            .into_iter()
            .find(|c| c.is_named() && !types.hints.skipped.contains(&c.kind()))?;
        return type_head(language, first, text);
    }
    Some(path)
}

/// A name whose words stand side by side in a type.
fn run(language: &Language, node: Node<'_>, text: &str) -> Option<String> {
    let words = &language.words;
    let is_word = |n: &Node<'_>| words.kinds.iter().any(|k| k.0 == n.kind());
    let all: Vec<Node<'_>> = children(node).into_iter().filter(is_word).collect();
    let (first, last) = (all.first()?, all.last()?);
    let name = Span::new(first.start_byte(), last.end_byte());
    words.runs.contains(&node.kind()).then(|| clean(name.of(text)))
}

/// What a value tells of its type.
pub(crate) fn value_hint(language: &Language, node: Node<'_>, text: &str) -> Option<Hint> {
    let types = &language.declares;
    let mut node = node;
    while (language.flow.waits.contains(&node.kind())
        || node.kind() == language.compare.parenthesized)
        && node.named_child_count() >= 1
    {
        node = node.named_child(0)?;
    }
    if let Some((_, field)) = types.hints.made.iter().find(|m| m.0 == node.kind()) {
        let path = type_head(language, part(node, field)?, text)?;
        return Some(Hint { path, how: Tells::Made });
    }
    if node.kind() == types.hints.call.0 {
        let function = in_field(node, types.hints.call.1)?;
        let mut path = plain(core_of(language, function)?, text)?;
        let receiver = language.words.call(node.kind()).map(|s| s.1);
        if let Some(object) = receiver.and_then(|field| part(node, field)) {
            let own = types.hints.own.contains(&object.kind());
            let object = if own { object } else { core_of(language, object)? };
            path = format!("{}{}{path}", plain(object, text)?, language.names.separator);
        }
        return Some(Hint { path, how: Tells::Called });
    }
    let named = language.words.kinds.iter().any(|w| w.0 == node.kind())
        || language.words.paths.contains(&node.kind());
    let path = if named { plain(node, text)? } else { return None };
    Some(Hint { path, how: Tells::Same })
}
