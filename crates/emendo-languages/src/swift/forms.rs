//! Other forms of a pattern that say the same in Swift: `f(a, done: { ... })` and `f(a) { ... }`.

use std::ops::Range;

use tree_sitter::{Node, Parser, Tree};

use crate::shared::child_of;
use crate::shared::walk;

/// Calls that may be written both ways; more of them are left as they are.
const MOST: usize = 3;

/// The forms of a pattern besides its own, each with what is written for it.
pub(crate) fn forms(old: &str, new: Option<&str>) -> Vec<(String, Option<String>)> {
    let mut out = Vec::new();
    for last in last_arguments(old).into_iter().take(MOST) {
        let value = &old[last.value.clone()];
        let Some(moved) = moved(old, &last) else { continue };
        let new = new.map(|new| {
            let own = last_arguments(new).into_iter().find(|l| new[l.value.clone()] == *value);
            own.and_then(|l| self::moved(new, &l)).unwrap_or_else(|| new.to_owned())
        });
        out.push((moved, new));
    }
    out.extend(brackets(old, new));
    out.retain(|(old, _)| parsed(old).is_some());
    out
}

/// The last argument of a call that may be a function.
struct Last {
    /// From what stands before its name, or its value, to the last bracket.
    whole: Range<usize>,
    value: Range<usize>,
    alone: bool,
    open: usize,
}

/// The source with words of the same length in place of its slots.
fn plain(source: &str) -> String {
    let mut out = source.to_owned();
    let mut from = 0;
    while let Some(start) = out[from..].find("@{").map(|i| from + i) {
        let Some(end) = out[start..].find('}').map(|i| start + i + 1) else { break };
        // Behind a call it stands for a function.
        let closure = out[..start].ends_with(' ') && end - start > 2;
        let word = if closure && behind_call(&out[..start]) {
            format!("{{{}}}", " ".repeat(end - start - 2))
        } else {
            "z".repeat(end - start)
        };
        out.replace_range(start..end, &word);
        from = end;
    }
    out
}

/// True for a source that ends with a call, or a name that is called.
fn behind_call(before: &str) -> bool {
    let before = before.trim_end();
    before.ends_with([')', '_']) || before.ends_with(char::is_alphanumeric)
}

fn parsed(source: &str) -> Option<Tree> {
    let mut parser = Parser::new();
    parser.set_language(&tree_sitter_swift::LANGUAGE.into()).ok()?;
    let tree = parser.parse(plain(source), None)?;
    (!tree.root_node().has_error()).then_some(tree)
}

/// True for a single slot: one for a list is none.
fn is_slot(text: &str) -> bool {
    let inner = text.strip_prefix("@{").and_then(|t| t.strip_suffix('}'));
    inner.is_some_and(|i| !i.contains(['@', '*', '?', ' ']))
}

/// The last arguments of the calls in a source that have nothing behind their brackets.
fn last_arguments(source: &str) -> Vec<Last> {
    let Some(tree) = parsed(source) else { return Vec::new() };
    let mut out = Vec::new();
    walk(tree.root_node(), &mut |node| {
        let suffixes = ["call_suffix", "constructor_suffix"];
        let list = child_of(node, "value_arguments").filter(|l| {
            suffixes.contains(&node.kind())
                && node.child_count() == 1
                && l.child(0).is_some_and(|c| c.kind() == "(")
        });
        let Some(list) = list else { return };
        let mut cursor = list.walk();
        let all: Vec<Node<'_>> =
            list.children(&mut cursor).filter(|c| c.kind() == "value_argument").collect();
        let Some(last) = all.last() else { return };
        let Some(value) = last.child_by_field_name("value") else { return };
        let text = &source[value.byte_range()];
        if value.kind() != "lambda_literal" && !is_slot(text) {
            return;
        }
        let before = all.len().checked_sub(2).map_or(list.start_byte(), |i| all[i].end_byte());
        out.push(Last {
            whole: before..list.end_byte(),
            value: value.byte_range(),
            alone: all.len() == 1,
            open: list.start_byte(),
        });
    });
    out
}

/// The source with that argument behind the brackets.
fn moved(source: &str, last: &Last) -> Option<String> {
    let value = source.get(last.value.clone())?;
    let close = if last.alone { "" } else { ")" };
    let from = if last.alone { last.open } else { last.whole.start };
    Some(format!("{}{close} {value}{}", &source[..from], &source[last.whole.end..]))
}

/// A function behind brackets as the last argument: its label is not known, so that it has none.
fn brackets(old: &str, new: Option<&str>) -> Option<(String, Option<String>)> {
    let within = |source: &str| {
        let tree = parsed(source)?;
        let mut found = None;
        walk(tree.root_node(), &mut |node| {
            if node.kind() == "call_suffix" && node.child_count() <= 2 && found.is_none() {
                let block = child_of(node, "lambda_literal").map(|b| b.byte_range());
                let list = child_of(node, "value_arguments").map(|l| l.byte_range());
                found = block.map(|b| (list, b));
            }
        });
        let (list, block) = found?;
        let inner = list.map_or("", |l| source[l.start + 1..l.end - 1].trim());
        let start = tree.root_node().descendant_for_byte_range(block.start, block.end)?;
        let from = start.parent()?.start_byte();
        let comma = if inner.is_empty() { "" } else { ", " };
        let (before, after) = (source[..from].trim_end(), &source[block.end..]);
        Some(format!("{before}({inner}{comma}{}){after}", &source[block]))
    };
    let old = within(old)?;
    Some((old, new.map(|new| within(new).unwrap_or_else(|| new.to_owned()))))
}
