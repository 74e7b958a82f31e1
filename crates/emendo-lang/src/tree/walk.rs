//! Goes through the nodes of a tree.

use crate::tree::{Node, TreeCursor};
use emendo_text::Span;

use crate::Language;
use crate::language::FunctionRule;

/// A node's range.
pub fn span(node: Node<'_>) -> Span {
    Span::new(node.start_byte(), node.end_byte())
}

/// Visits nodes in source order without recursion; `visit` says whether to go into a node.
pub fn walk<'t>(root: Node<'t>, mut visit: impl FnMut(Node<'t>) -> bool) {
    walk_cursor(root, |cursor| visit(cursor.node()), |_| {});
}

/// Visits nodes with the cursor, which knows fields; `leave` is called for each node that was gone into.
pub fn walk_cursor<'t>(
    root: Node<'t>,
    mut enter: impl FnMut(&TreeCursor<'t>) -> bool,
    mut leave: impl FnMut(&TreeCursor<'t>),
) {
    let mut cursor = root.walk();
    loop {
        if enter(&cursor) && cursor.goto_first_child() {
            continue;
        }
        loop {
            if cursor.goto_next_sibling() {
                break;
            }
            if !cursor.goto_parent() {
                return;
            }
            leave(&cursor);
        }
    }
}

/// A node's children.
pub fn children<'t>(node: Node<'t>) -> Vec<Node<'t>> {
    let mut cursor = node.walk();
    node.children(&mut cursor).collect()
}

/// True for what is an item where it stands in a list: nodes that grammars name, and the sign for a name that nobody
/// needs. Comments are none.
pub fn is_item(node: Node<'_>) -> bool {
    (node.is_named() || node.kind() == "_") && !node.is_extra()
}

/// The part of a node in a field; a number is that of a named child, nothing the first. Several steps stand between
/// slashes: in these a word may be the kind of a child, or a sign, too, `..` leads to the node around, `^` and a kind to the nearest of that kind,
/// and a number behind a colon is that of a node among those in one field (`only` for one that has no others).
pub fn part<'t>(node: Node<'t>, field: &str) -> Option<Node<'t>> {
    if field.is_empty() {
        return named(node).into_iter().next();
    }
    if !field.contains('/') {
        return match field.parse::<usize>() {
            Ok(n) => named(node).into_iter().nth(n),
            Err(_) => node.child_by_field_name(field),
        };
    }
    field.split('/').try_fold(node, step)
}

/// The part of a node that a rule names; none where the rule names none.
pub fn in_field<'t>(node: Node<'t>, field: &str) -> Option<Node<'t>> {
    if field.is_empty() { None } else { part(node, field) }
}

/// What stands right before a node, in what holds it or what it begins.
pub fn token_before(node: Node<'_>) -> Option<Node<'_>> {
    let mut first = node;
    loop {
        if let Some(before) = first.prev_sibling() {
            return Some(before);
        }
        first = first.parent()?;
    }
}

/// The rule of a function; none for what is none.
pub fn function_rule(language: &Language, node: Node<'_>) -> Option<&'static FunctionRule> {
    let mut all = language.typing.calls.functions.iter().filter(|f| f.kind == node.kind());
    let listed = |field: &str| {
        in_field(node, field).is_some() || named(node).iter().any(|n| n.kind() == field)
    };
    let fits = |f: &&FunctionRule| {
        let there = |field: &str| field.is_empty() || in_field(node, field).is_some();
        (listed(f.params) || language.typing.bare_calls)
            && there(f.body)
            && (!f.name.contains(':') || there(f.name))
    };
    match all.clone().count() {
        0 | 1 => all.next(),
        _ => all.find(fits),
    }
}

fn step<'t>(node: Node<'t>, step: &str) -> Option<Node<'t>> {
    if step == ".." {
        return node.parent();
    }
    if let Some(kind) = step.strip_prefix('^') {
        let mut up = node.parent();
        while let Some(n) = up.filter(|n| n.kind() != kind) {
            up = n.parent();
        }
        return up;
    }
    if let Some((field, nth)) = step.split_once(':') {
        let mut cursor = node.walk();
        let mut all = node.children_by_field_name(field, &mut cursor).filter(|n| n.is_named());
        if nth == "only" {
            return all.next().filter(|_| all.next().is_none());
        }
        return all.nth(nth.parse().ok()?);
    }
    let own = if step == "." { Some(node) } else { part(node, step) };
    own.or_else(|| children(node).into_iter().find(|c| c.kind() == step))
}

/// True if a node stands in a place of what holds it: in any, in a field, or as the first where that has no fields.
pub fn at_place(node: Node<'_>, place: &str, field: &str) -> bool {
    match place {
        "" => true,
        "0" => field.is_empty() && node.prev_named_sibling().is_none(),
        place => place == field,
    }
}

/// The children that are items.
pub fn named<'t>(node: Node<'t>) -> Vec<Node<'t>> {
    children(node).into_iter().filter(|c| is_item(*c)).collect()
}

/// A node's children with their fields.
pub fn children_with_fields<'t>(node: Node<'t>) -> Vec<(Node<'t>, Option<&'t str>)> {
    let mut out = Vec::new();
    let mut cursor = node.walk();
    if cursor.goto_first_child() {
        loop {
            out.push((cursor.node(), cursor.field_name()));
            if !cursor.goto_next_sibling() {
                break;
            }
        }
    }
    out
}

/// The named leaves below a node that are single words, in order: the segments of a dotted name.
pub fn words_in(node: Node<'_>, text: &str, out: &mut Vec<(String, Span)>) {
    walk(node, |n| {
        if n.child_count() == 0 && n.is_named() && !n.is_extra() {
            out.push((span(n).of(text).to_owned(), span(n)));
        }
        true
    });
}

/// The spans of the tokens (leaves that are not comments) below `root` that lie in `within`.
pub fn tokens<'t>(root: Node<'t>, within: Span) -> Vec<Node<'t>> {
    let mut out = Vec::new();
    let start =
        root.descendant_for_byte_range(within.start as usize, within.end as usize).unwrap_or(root);
    walk(start, |n| {
        let s = span(n);
        if n.is_extra() || s.end <= within.start || s.start >= within.end {
            return false;
        }
        if n.child_count() == 0 && !s.is_empty() && within.contains(s) {
            out.push(n);
        }
        true
    });
    out
}

/// Splits any text into words, numbers and single other characters, without blanks: what two
/// spellings of the same code have in common whatever their layout.
pub fn token_texts(text: &str) -> impl Iterator<Item = (usize, &str)> {
    let mut rest = text.char_indices().peekable();
    std::iter::from_fn(move || {
        loop {
            let (start, c) = rest.next()?;
            if c.is_whitespace() {
                continue;
            }
            let word = |c: char| c.is_alphanumeric() || c == '_';
            let mut end = start + c.len_utf8();
            if word(c) {
                while let Some((i, c)) = rest.next_if(|(_, c)| word(*c)) {
                    end = i + c.len_utf8();
                }
            }
            return Some((start, &text[start..end]));
        }
    })
}

/// Children, with those of kinds that only hold some together in their place.
pub fn spliced<'t>(language: &Language, node: Node<'t>) -> Vec<(Node<'t>, Option<&'t str>)> {
    let all = children_with_fields(node);
    if language.fragments.splices.is_empty()
        || !all.iter().any(|c| language.fragments.splices.contains(&c.0.kind()))
    {
        return all;
    }
    let open = |c: (Node<'t>, Option<&'t str>)| {
        if language.fragments.splices.contains(&c.0.kind()) {
            children_with_fields(c.0)
        } else {
            vec![c]
        }
    };
    all.into_iter().flat_map(open).collect()
}

/// True for what never tells two codes apart: comments, what is not written, blanks in loose text.
pub fn skipped(language: &Language, node: Node<'_>, text: &str) -> bool {
    node.is_extra()
        || span(node).is_empty()
        || (language.compare.loose_text.contains(&node.kind())
            && span(node).of(text).trim().is_empty())
}

/// True for a token between items, or one that may be left out.
pub fn is_separator(language: &Language, node: Node<'_>) -> bool {
    let bare = || node.named_child_count() == 0;
    language.is_separator(node.kind())
        && (!node.is_named() || language.compare.optional.contains(&node.kind()) && bare())
}

/// True for a literal that holds code.
pub fn holds_code(language: &Language, node: Node<'_>) -> bool {
    !language.compare.interpolations.is_empty()
        && children(node).iter().any(|c| language.compare.interpolations.contains(&c.kind()))
}

/// The nodes from a root down to the smallest one that holds a place, with their fields.
pub fn descend<'t>(root: Node<'t>, at: Span) -> Vec<(Node<'t>, Option<&'t str>)> {
    let mut out = Vec::new();
    let mut cursor = root.walk();
    loop {
        let node = cursor.node();
        if !span(node).contains(at) {
            break;
        }
        out.push((node, cursor.field_name()));
        if cursor.goto_first_child_for_byte(at.start as usize).is_none() {
            break;
        }
    }
    out
}
