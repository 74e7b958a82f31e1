//! What a grammar takes and a language does not: looked for where a step wrote.

mod line_ends;

use crate::tree::Node;
use emendo_text::Span;

use crate::facts::FileFacts;
use crate::ground::Import;
use crate::language::{Language, Shadows, Space};
use crate::tree::{Tree, children, function_rule, in_field, span, walk};

use line_ends::broken_lines;
pub use line_ends::{is_bare_expression, needs_brackets};

/// A fault that a step brought: where it is, and what it is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fault {
    /// Where.
    pub at: Span,
    /// What, as a part of a sentence.
    pub why: String,
}

/// The faults at the places that a step wrote; `before` is what the file said until then.
pub fn faults(
    language: &'static Language,
    tree: &Tree,
    text: &str,
    changed: &[Span],
    before: &FileFacts,
) -> Vec<Fault> {
    let mut out = Vec::new();
    let mut declares: Vec<Span> = Vec::new();
    let mut imports = false;
    let near = |at: Span| {
        let i = changed.partition_point(|c| c.end < at.start);
        changed.get(i).is_some_and(|c| c.start <= at.end)
    };
    walk(tree.root(), |n| {
        let at = span(n);
        if !near(at) || n.child_count() == 0 {
            return false;
        }
        hole(language, n, &mut out);
        if language.compare.open_texts.contains(&n.kind()) {
            out.extend(no_code(language, n, text, changed));
        }
        lists(language, n, &mut out);
        if language.scopes.single.contains(&n.kind())
            && let Some(name) = n.child_by_field_name("name").map(span).filter(|s| near(*s))
        {
            declares.push(name);
        }
        imports |= language.imports.kinds.contains(&n.kind());
        true
    });
    for at in changed {
        let never = language.flow.never_first;
        if let Some(at) = never.iter().find_map(|sign| begins_line(tree, text, *at, sign)) {
            let why = format!("a line would begin with `{}`", at.of(text));
            out.push(Fault { at, why });
        }
    }
    for at in broken_lines(language, tree, text, changed) {
        let why = "a line would end in the middle of a statement".to_owned();
        out.push(Fault { at, why });
    }
    out.extend(out_of_order(language, tree, text, changed));
    if !declares.is_empty() || imports {
        let facts = FileFacts::read(language, tree, text);
        let around =
            |name: &str, at: Span, own: Span| around(language, tree, &facts, name, at, own);
        twice(&facts, text, &declares, &around, &mut out);
        imported(&facts, changed, before, &mut out);
    }
    out
}

/// An item is missing in a list: a separator follows another, or the bracket.
fn hole(language: &Language, node: Node<'_>, out: &mut Vec<Fault>) {
    if language.writing.holes.contains(&node.kind()) {
        return;
    }
    let separator = |n: &Node<'_>| !n.is_named() && language.compare.separators.contains(&n.kind());
    let opens = |n: &Node<'_>| matches!(n.kind(), "(" | "[" | "{");
    let all: Vec<Node<'_>> = children(node).into_iter().filter(|n| !n.is_extra()).collect();
    for w in all.windows(2) {
        if separator(&w[1]) && (separator(&w[0]) || opens(&w[0])) {
            let why = "an item of a list would be missing".to_owned();
            out.push(Fault { at: span(w[1]), why });
        }
    }
}

/// What stands on one line in another order than its texts below that.
fn out_of_order(language: &Language, tree: &Tree, text: &str, changed: &[Span]) -> Option<Fault> {
    let (begins, _, ends) = language.flow.below;
    if begins.is_empty() {
        return None;
    }
    let (mut signs, mut closed): (Vec<Span>, Vec<&str>) = (Vec::new(), Vec::new());
    walk(tree.root(), |n| {
        if n.kind() == begins {
            signs.push(span(n));
        } else if n.kind() == ends {
            closed.push(span(n).of(text).trim());
        }
        true
    });
    let word = |s: &Span| {
        let sign = s.of(text).trim_start_matches(['<', '~', '-']);
        sign.trim_matches(['"', '\'', '`'])
    };
    let wrong = (0..signs.len()).find(|i| closed.get(*i) != Some(&word(&signs[*i])))?;
    // A text in another reads as if it were behind it; only what was written now is told of.
    let at = signs[wrong];
    let line = |p: u32| text[..p as usize].matches('\n').count();
    let here =
        changed.iter().any(|c| line(c.start) <= line(at.start) && line(at.start) <= line(c.end));
    here.then(|| Fault { at, why: "a text below would belong to another".to_owned() })
}

/// Code that was written where it is only text: it would have to begin otherwise to be code there.
fn no_code(language: &Language, node: Node<'_>, text: &str, changed: &[Span]) -> Vec<Fault> {
    let plain = |n: &Node<'_>| n.is_named() && !language.compare.interpolations.contains(&n.kind());
    let written = |n: Node<'_>| {
        let at = span(n);
        let inside = |c: &&Span| c.start < at.end && at.start < c.end;
        let code = |c: &Span| {
            let own = Span { start: c.start.max(at.start), end: c.end.min(at.end) }.of(text);
            own.contains(['(', ')']) || own.contains("->") || own.contains("::")
        };
        changed.iter().filter(inside).any(code).then_some(at)
    };
    // What was written as one goes on as text behind a name that stands without brackets.
    let all = children(node);
    let torn = all.windows(2).filter_map(|w| {
        let holds = |c: &&Span| c.start < span(w[0]).end && span(w[1]).start < c.end;
        // In brackets it would end with them, and what begins otherwise is a text of its own.
        let open = !span(w[0]).of(text).ends_with('}');
        let behind = span(w[1]).of(text);
        let mut signs = language.words.member_after.iter().chain(&["(", "["]);
        if !open || !signs.any(|s| behind.starts_with(s)) {
            return None;
        }
        let code = language.compare.interpolations.contains(&w[0].kind());
        (code && plain(&w[1]) && changed.iter().any(|c| holds(&c))).then(|| span(w[1]))
    });
    let found = all.iter().copied().filter(plain).filter_map(written).chain(torn);
    let why = || "what it writes would be text here, and not code".to_owned();
    found.map(|at| Fault { at, why: why() }).collect()
}

/// Two lists of parameters where there can be one.
fn lists(language: &Language, node: Node<'_>, out: &mut Vec<Fault>) {
    if !language.typing.calls.functions.iter().any(|f| f.kind == node.kind()) {
        return;
    }
    let mut cursor = node.walk();
    let lists: Vec<Node<'_>> = node.children_by_field_name("parameters", &mut cursor).collect();
    if let [first, .., last] = lists.as_slice()
        && first.kind() == last.kind()
    {
        let why = "there would be two lists of parameters".to_owned();
        out.push(Fault { at: span(*last), why });
    }
}

/// A name that its scope declares already.
fn twice(
    facts: &FileFacts,
    text: &str,
    declared: &[Span],
    around: &dyn Fn(&str, Span, Span) -> bool,
    out: &mut Vec<Fault>,
) {
    for at in declared {
        let name = at.of(text);
        let Some(own) = facts.lookup(name, &[Space::Value], at.start) else { continue };
        let all = facts.declared_again(name, own.scope);
        if all.contains(at) && (all.len() > 1 || around(name, *at, own.scope)) {
            out.push(Fault { at: *at, why: format!("`{name}` would be declared twice") });
        }
    }
}

/// True if what is declared at a place in its own scope has a name that the function around has already, where the
/// language does not take that.
fn around(
    language: &Language,
    tree: &Tree,
    facts: &FileFacts,
    name: &str,
    at: Span,
    own: Span,
) -> bool {
    if language.scopes.shadows == Shadows::Allowed {
        return false;
    }
    let functions: Vec<&str> = language.typing.calls.functions.iter().map(|f| f.kind).collect();
    let inner_type = facts.types_at(at.start).next().map(|t| t.span);
    for (scope, declares) in facts.scopes_declaring(name, at.start) {
        if facts.is_whole(scope) || inner_type.is_some_and(|t| scope.contains(t)) {
            return false;
        }
        let function = tree.node_at(scope, &functions).filter(|n| functions.contains(&n.kind()));
        let body = || in_field(function?, function_rule(language, function?)?.body).map(span);
        let counts = match language.scopes.shadows {
            Shadows::Allowed => false,
            Shadows::NotOfParameters => body() == Some(own),
            Shadows::NotInFunction | Shadows::NotInMethod => scope != own,
        };
        if counts && declares {
            return true;
        }
        if function.is_some() && language.scopes.shadows != Shadows::NotInMethod {
            return false;
        }
    }
    false
}

/// A name that is imported twice, or that the file declares itself.
fn imported(facts: &FileFacts, changed: &[Span], before: &FileFacts, out: &mut Vec<Fault>) {
    // One of two may hold where the other cannot: a file that has such before may have them after.
    let had = double(before);
    let written = |at: Span| changed.iter().any(|c| c.meets(at) || at.contains(*c));
    let twice = double(facts);
    for import in named(facts) {
        let at = import.item.unwrap_or(import.span);
        let Some(local) = import.local().filter(|_| written(at)) else { continue };
        if twice.len() > had.len() && twice.contains(&at) {
            out.push(Fault { at, why: format!("`{local}` would be imported twice") });
        } else if shadowed(facts, import, local)
            && !named(before).any(|i| i.local() == Some(local) && shadowed(before, i, local))
        {
            let why = format!("`{local}` would be imported where the file declares it");
            out.push(Fault { at, why });
        }
    }
}

/// An import of the whole file that brings in what the file declares.
fn shadowed(facts: &FileFacts, import: &Import, local: &str) -> bool {
    facts.is_whole(import.scope) && facts.declares_type(local)
}

fn named(facts: &FileFacts) -> impl Iterator<Item = &Import> {
    facts.imports.iter().filter(|i| !i.wildcard && !i.passes_on && !i.binds_root)
}

/// The imports that make a name known which another one makes known too.
fn double(facts: &FileFacts) -> Vec<Span> {
    let at = |i: &Import| i.item.unwrap_or(i.span);
    let twice = named(facts).filter(|i| {
        named(facts).any(|other| {
            at(other) != at(i)
                && i.local().is_some()
                && other.local() == i.local()
                && other.scope == i.scope
                && other.inside == i.inside
                && other.is_type == i.is_type
                && (!facts.apart || other.is_static == i.is_static)
        })
    });
    twice.map(at).collect()
}

/// A sign that begins a line, in what was written or right behind it.
fn begins_line(tree: &Tree, text: &str, changed: Span, sign: &str) -> Option<Span> {
    let (start, end) = (changed.start as usize, changed.end as usize);
    let end = end + text[end..].len() - text[end..].trim_start().len() + sign.len();
    let within = text.get(start..end.min(text.len()))?;
    within.match_indices(sign).find_map(|(i, _)| {
        let at = Span::new(start + i, start + i + sign.len());
        let line = text[..start + i].rfind('\n').map_or(0, |l| l + 1);
        let token = || tree.root().descendant_for_byte_range(start + i, start + i + sign.len());
        let first = line > 0 && text[line..start + i].trim().is_empty();
        (first && token().is_some_and(|t| t.kind() == sign)).then_some(at)
    })
}
