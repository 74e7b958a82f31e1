//! Other forms of a pattern that say the same in Elixir: `x |> f(a)` and `f(x, a)`, `do: x` and `do x end`.

use std::ops::Range;

use tree_sitter::{Node, Parser, Tree};

use crate::elixir::shape::FUNCTIONS;
use crate::shared::{child_of, walk};

/// Calls that may be written both ways; more of them are left as they are.
const MOST: usize = 3;

/// Words whose first argument never stands before a pipe.
const NEVER_PIPED: &[&str] = &[
    "alias",
    "case",
    "cond",
    "def",
    "defdelegate",
    "defguard",
    "defguardp",
    "defimpl",
    "defmacro",
    "defmacrop",
    "defmodule",
    "defp",
    "defprotocol",
    "defstruct",
    "defexception",
    "for",
    "if",
    "import",
    "quote",
    "raise",
    "require",
    "unless",
    "unquote",
    "use",
    "with",
    "test",
    "describe",
];

/// The forms of a pattern besides its own, each with what is written for it.
pub(crate) fn forms(old: &str, new: Option<&str>) -> Vec<(String, Option<String>)> {
    let mut out: Vec<(String, Option<String>)> = Vec::new();
    let start = (old.to_owned(), new.map(str::to_owned));
    let mut all = piped_forms(&start);
    all.insert(0, start.clone());
    let mut blocks: Vec<_> = all.iter().flat_map(block_forms).collect();
    blocks.extend(bodiless_form(&start));
    for form in all.into_iter().chain(blocks) {
        if form.0 != start.0 && !out.iter().any(|o| o.0 == form.0) {
            out.push(form);
        }
    }
    out
}

/// The source with words of the same length in place of its slots.
fn plain(source: &str) -> String {
    let mut out = source.to_owned();
    let mut from = 0;
    while let Some(start) = out[from..].find("@{").map(|i| from + i) {
        let Some(end) = out[start..].find('}').map(|i| start + i + 1) else { break };
        // A module's name begins with a capital letter.
        let module = out[..start].ends_with(['.', '%']) && !out[end..].starts_with('(');
        let word = if module { "Z" } else { "z" }.to_owned() + &"z".repeat(end - start - 1);
        out.replace_range(start..end, &word);
        from = end;
    }
    out
}

fn parsed(source: &str) -> Option<(String, Tree)> {
    let text = plain(source);
    let mut parser = Parser::new();
    parser.set_language(&tree_sitter_elixir::LANGUAGE.into()).ok()?;
    let tree = parser.parse(&text, None)?;
    (!tree.root_node().has_error()).then_some((text, tree))
}

/// The arguments of a call as they are written, without brackets.
fn inside(arguments: Node<'_>, source: &str) -> String {
    let text = &source[arguments.byte_range()];
    let bare = text.strip_prefix('(').and_then(|t| t.strip_suffix(')')).unwrap_or(text);
    bare.trim().to_owned()
}

/// A pipe: what stands before it, and the call.
fn pipe<'t>(node: Node<'t>, text: &str) -> Option<(Node<'t>, Node<'t>)> {
    let operator =
        node.child_by_field_name("operator").filter(|_| node.kind() == "binary_operator");
    operator.filter(|o| &text[o.byte_range()] == "|>")?;
    Some((node.child_by_field_name("left")?, node.child_by_field_name("right")?))
}

/// A source without pipes.
fn without_pipes(source: &str) -> String {
    let mut source = source.to_owned();
    for _ in 0..MOST {
        let Some((text, tree)) = parsed(&source) else { return source };
        let mut found: Option<(Range<usize>, String)> = None;
        walk(tree.root_node(), &mut |node| {
            let Some((left, right)) = pipe(node, &text).filter(|_| found.is_none()) else { return };
            let target = right.child_by_field_name("target").filter(|_| right.kind() == "call");
            let (name, rest) = match target {
                Some(target) => (
                    target,
                    child_of(right, "arguments").map_or(String::new(), |a| inside(a, &source)),
                ),
                None => (right, String::new()),
            };
            let comma = if rest.is_empty() { "" } else { ", " };
            let (name, left) = (&source[name.byte_range()], &source[left.byte_range()]);
            found = Some((node.byte_range(), format!("{name}({left}{comma}{rest})")));
        });
        let Some((at, call)) = found else { return source };
        source.replace_range(at, &call);
    }
    source
}

/// The calls of a source that may stand behind a pipe, the outermost first.
fn pipeable(source: &str) -> Vec<Range<usize>> {
    let mut out = Vec::new();
    let Some((text, tree)) = parsed(source) else { return out };
    walk(tree.root_node(), &mut |node| {
        if node.kind() != "call" || piped(node, source, &text).is_none() {
            return;
        }
        out.push(node.byte_range());
    });
    out
}

/// A call in the form of a pipe.
fn piped(node: Node<'_>, source: &str, text: &str) -> Option<String> {
    let target = node.child_by_field_name("target")?;
    let arguments = child_of(node, "arguments")?;
    let first = arguments.named_child(0).filter(|f| !["keywords"].contains(&f.kind()))?;
    let name = &source[target.byte_range()];
    let bracket = text[arguments.byte_range()].starts_with('(');
    let lone = target.kind() == "dot" && target.child_by_field_name("right").is_none();
    if !bracket || lone || NEVER_PIPED.contains(&name) || name.starts_with('@') {
        return None;
    }
    if node.parent().is_some_and(|p| pipe(p, text).is_some()) {
        return None;
    }
    let written = &source[first.byte_range()];
    let many = written.starts_with("@{") && written.ends_with(['*', '+', '?', '}']) && {
        written[..written.len() - 1].ends_with(['*', '+', '?'])
    };
    if many {
        return None;
    }
    let open = pipe(first, text).is_none()
        && ["binary_operator", "unary_operator", "anonymous_function"].contains(&first.kind());
    let before = if open { format!("({written})") } else { written.to_owned() };
    let rest = &source[first.end_byte()..arguments.end_byte() - 1];
    let rest = rest.trim_start().strip_prefix(',').unwrap_or("").trim();
    let block = source[arguments.end_byte()..node.end_byte()].to_owned();
    Some(format!("{before} |> {name}({rest}){block}"))
}

/// The source with the call at a place in the form of a pipe.
fn with_pipe(source: &str, at: &Range<usize>) -> Option<String> {
    let (text, tree) = parsed(source)?;
    let mut found = None;
    walk(tree.root_node(), &mut |node| {
        if node.byte_range() == *at && node.kind() == "call" && found.is_none() {
            found = piped(node, source, &text);
        }
    });
    let mut out = source.to_owned();
    out.replace_range(at.clone(), &found?);
    Some(out)
}

/// The innermost first argument of a call by itself.
fn innermost(source: &str) -> Option<String> {
    let (text, tree) = parsed(source)?;
    let mut node =
        tree.root_node().named_child(0).filter(|_| tree.root_node().named_child_count() == 1)?;
    while piped(node, source, &text).is_some() {
        node = child_of(node, "arguments")?.named_child(0)?;
    }
    Some(source[node.byte_range()].to_owned())
}

/// A call by itself as a pipe, with all that stands in its first argument.
fn all_piped(source: &str) -> String {
    let mut out = source.to_owned();
    for _ in 0..8 {
        let Some((text, tree)) = parsed(&out) else { return out };
        let mut node = tree.root_node().named_child(0);
        while let Some((left, _)) = node.and_then(|n| pipe(n, &text)) {
            node = Some(left);
        }
        let Some(node) = node.filter(|n| n.kind() == "call") else { return out };
        let Some(written) = piped_first(node, &out) else { return out };
        out.replace_range(node.byte_range(), &written);
    }
    out
}

/// The first part of a chain of pipes, as a pipe itself.
fn piped_first(node: Node<'_>, source: &str) -> Option<String> {
    let own = &source[node.byte_range()];
    let (text, tree) = parsed(own)?;
    piped(tree.root_node().named_child(0)?, own, &text)
}

fn piped_forms((old, new): &(String, Option<String>)) -> Vec<(String, Option<String>)> {
    let flat = without_pipes(old);
    let chains = new.as_deref().is_some_and(|n| n.contains("|>"));
    let flat_new =
        new.as_deref().map(|n| if old.contains("|>") { without_pipes(n) } else { n.to_owned() });
    let places = pipeable(&flat);
    let root = parsed(&flat).and_then(|(_, t)| {
        let only = t.root_node().named_child(0).filter(|_| t.root_node().named_child_count() == 1);
        Some(only?.byte_range())
    });
    let mut out = Vec::new();
    if flat != *old {
        out.push((flat.clone(), flat_new.clone()));
    }
    let places = &places[..places.len().min(MOST)];
    for chosen in 1..1usize << places.len() {
        let mut written = flat.clone();
        // From the last to the first: a place within another comes after it.
        let picked = (0..places.len()).rev().filter(|i| chosen >> i & 1 == 1);
        let mut fits = true;
        for i in picked {
            let grown = written.len() - flat.len();
            let own = &places[i];
            // What was changed within it made it longer.
            let inner = places[i + 1..].iter().enumerate().any(|(k, p)| {
                chosen >> (i + 1 + k) & 1 == 1 && own.start <= p.start && p.end <= own.end
            });
            let end = if inner { own.end + grown } else { own.end };
            match with_pipe(&written, &(own.start..end)) {
                Some(next) => written = next,
                None => fits = false,
            }
        }
        if !fits {
            continue;
        }
        let at_root = root.as_ref().is_some_and(|r| {
            places.iter().enumerate().any(|(i, p)| p == r && chosen >> i & 1 == 1)
        });
        let same = || {
            let (a, b) = (innermost(&flat)?, innermost(flat_new.as_deref()?)?);
            (a == b).then_some(())
        };
        let written_new = match &flat_new {
            Some(n) if at_root && !chains && same().is_some() => Some(all_piped(n)),
            _ if chains => new.clone(),
            other => other.clone(),
        };
        if written != *old {
            out.push((written, written_new));
        }
    }
    out
}

/// The same with blocks in the other form.
fn block_forms((old, new): &(String, Option<String>)) -> Vec<(String, Option<String>)> {
    let turned = |source: &str| in_block(source).or_else(|| behind_key(source));
    let Some(other) = turned(old) else { return Vec::new() };
    let blocked = in_block(old).is_some();
    let turn = if blocked { in_block } else { behind_key };
    let other_new = new.as_deref().map(|n| turn(n).unwrap_or_else(|| n.to_owned()));
    vec![(other, other_new)]
}

/// A definition that leaves its body out may have that behind a key.
fn bodiless_form((old, new): &(String, Option<String>)) -> Option<(String, Option<String>)> {
    let open = |source: &str| {
        let (text, tree) = parsed(source)?;
        let call = whole_call(&tree)?;
        let word = call.child_by_field_name("target").map(|t| &text[t.byte_range()])?;
        let arguments = child_of(call, "arguments")?;
        let whole =
            child_of(call, "do_block").is_some() || child_of(arguments, "keywords").is_some();
        (FUNCTIONS.contains(&word) && !whole)
            .then(|| format!("{}, do: @{{{BODY}}}", source.trim_end()))
    };
    let other = open(old)?;
    let other_new = new.as_deref().map(|n| open(n).unwrap_or_else(|| n.to_owned()));
    Some((other, other_new))
}

/// The slot for a body that a pattern leaves out.
const BODY: &str = "zq_body";

const PARTS: &[&str] = &["do", "else", "rescue", "catch", "after"];

/// `f a, do: x` as `f a do x end`, where that is the whole source.
fn in_block(source: &str) -> Option<String> {
    let (text, tree) = parsed(source)?;
    let call = whole_call(&tree)?;
    if child_of(call, "do_block").is_some() {
        return None;
    }
    let arguments = child_of(call, "arguments")?;
    let keywords = child_of(arguments, "keywords")?;
    let mut cursor = keywords.walk();
    let mut parts = Vec::new();
    let mut first = None;
    for pair in keywords.named_children(&mut cursor) {
        let key = pair.child_by_field_name("key")?;
        let key = text[key.byte_range()].trim_end().trim_end_matches(':').to_owned();
        if !PARTS.contains(&key.as_str()) {
            if first.is_some() {
                return None;
            }
            continue;
        }
        first = first.or(Some(pair.start_byte()));
        parts.push((key, source[pair.child_by_field_name("value")?.byte_range()].to_owned()));
    }
    let mut out = source[call.start_byte()..first?].trim_end().trim_end_matches(',').to_owned();
    if text[arguments.byte_range()].starts_with('(') {
        out.push(')');
    }
    for (i, (key, value)) in parts.iter().enumerate() {
        let between = if i == 0 { " " } else { "\n" };
        out.push_str(&format!("{between}{key}\n  {value}"));
    }
    out.push_str("\nend");
    Some(out)
}

fn whole_call(tree: &Tree) -> Option<Node<'_>> {
    let root = tree.root_node();
    root.named_child(0).filter(|c| root.named_child_count() == 1 && c.kind() == "call")
}

/// `f a do x end` as `f a, do: x`, where each part is one expression.
fn behind_key(source: &str) -> Option<String> {
    let (text, tree) = parsed(source)?;
    let call = whole_call(&tree)?;
    let block = child_of(call, "do_block")?;
    let mut parts: Vec<(String, String)> = Vec::new();
    let mut cursor = block.walk();
    let mut own = Vec::new();
    for one in block.named_children(&mut cursor) {
        match one.kind().strip_suffix("_block") {
            Some(part) if one.named_child_count() == 1 => {
                let value = one.named_child(0)?;
                parts.push((part.to_owned(), source[value.byte_range()].to_owned()));
            }
            Some(_) => return None,
            None => own.push(one),
        }
    }
    let [value] = own.as_slice() else { return None };
    if value.kind() == "stab_clause" {
        return None;
    }
    parts.insert(0, ("do".to_owned(), source[value.byte_range()].to_owned()));
    let keys: Vec<String> = parts.iter().map(|(k, v)| format!("{k}: {}", one_node(v))).collect();
    let head = source[call.start_byte()..block.start_byte()].trim_end();
    let arguments = child_of(call, "arguments");
    let bracketed = arguments.is_some_and(|a| text[a.byte_range()].starts_with('('));
    let bare_call =
        call.child_by_field_name("target").is_some_and(|t| t.kind() == "identifier") && !bracketed;
    match (bracketed, arguments) {
        _ if bare_call && arguments.is_some() => Some(format!("{head}, {}", keys.join(", "))),
        (true, Some(_)) => {
            let open = head.strip_suffix(')')?;
            let comma = if open.trim_end().ends_with('(') { "" } else { ", " };
            Some(format!("{open}{comma}{})", keys.join(", ")))
        }
        _ => None,
    }
}

/// A slot for several statements as one for a single node.
fn one_node(value: &str) -> String {
    let slot = value.strip_prefix("@{").and_then(|v| v.strip_suffix('}'));
    let name = slot.and_then(|s| s.strip_suffix(['*', '+']));
    name.map_or_else(|| value.to_owned(), |n| format!("@{{{n}}}"))
}

#[cfg(test)]
mod tests {
    use super::forms;

    #[test]
    fn pipes_and_blocks_are_written_both_ways() {
        let all = |old: &str, new: &str| {
            let found = forms(old, Some(new)).into_iter();
            found.map(|(o, n)| format!("{o} => {}", n.unwrap_or_default())).collect::<Vec<_>>()
        };
        assert_eq!(all("f(@{a}, 1)", "g(@{a})"), ["@{a} |> f(1) => @{a} |> g()"]);
        assert_eq!(all("@{a} |> f(1)", "@{a} |> g()"), ["f(@{a}, 1) => g(@{a})"]);
        assert_eq!(
            all("A.f(B.g(@{x}), 1)", "C.h(@{x})"),
            [
                "B.g(@{x}) |> A.f(1) => @{x} |> C.h()",
                "A.f(@{x} |> B.g(), 1) => C.h(@{x})",
                "@{x} |> B.g() |> A.f(1) => @{x} |> C.h()",
            ]
        );
        assert_eq!(
            all("if @{c}, do: @{a}", "unless @{c}, do: @{a}"),
            ["if @{c} do\n  @{a}\nend => unless @{c} do\n  @{a}\nend"]
        );
    }
}
