//! Statements that become comments, and comments that are put above code.

use emendo_lang::Space;
use emendo_lang::tree::{Node, children, descend, span, walk};
use emendo_text::{Span, Splice, indent_unit};

use crate::contract::{Code, FileCx};

/// A statement as a comment.
pub(crate) struct CommentedOut {
    /// The statement.
    pub(crate) statement: Span,
    /// What is written.
    pub(crate) splices: Vec<Splice>,
}

/// A statement that stands alone on its lines, or the only one of a body without brackets.
struct Statement<'t> {
    node: Node<'t>,
    at: Span,
    /// Bytes of the lines that it stands on, line end left out.
    lines: Span,
}

/// The innermost statement or member around a place.
fn statement_around<'t>(code: &'t Code, at: Span) -> Result<Node<'t>, String> {
    let (items, nested) = (code.language.writing.line_items, code.language.flow.nested);
    let path = descend(code.tree.root(), at);
    for (node, _) in path.into_iter().rev() {
        if items.contains(&node.kind()) {
            return Ok(node);
        }
        if nested.contains(&node.kind()) && span(node) != at {
            return Err("it stands in a function that is a value itself".to_owned());
        }
    }
    Err("it stands in no statement".to_owned())
}

fn line_start(text: &str, at: u32) -> u32 {
    text[..at as usize].rfind('\n').map_or(0, |n| n as u32 + 1)
}

fn line_end(text: &str, at: u32) -> u32 {
    let rest = &text[at as usize..];
    let end = rest.find('\n').map_or(rest.len(), |n| rest[..n].trim_end_matches('\r').len());
    at + end as u32
}

impl<'t> Statement<'t> {
    /// The statement around a place, if it can become a comment as a whole.
    fn around(code: &'t Code, text: &str, at: Span) -> Result<Self, String> {
        let node = statement_around(code, at)?;
        let own = span(node);
        let own = Span { start: own.start, end: own.start + own.of(text).trim_end().len() as u32 };
        let lines = Span { start: line_start(text, own.start), end: line_end(text, own.end) };
        if code.layer.as_ref().is_some_and(|l| !l.is_code(lines)) {
            return Err("its lines hold more than code".to_owned());
        }
        Ok(Self { node, at: own, lines })
    }

    fn alone(&self, code: &Code, text: &str) -> bool {
        let before = Span { start: self.lines.start, end: self.at.start }.of(text);
        let after = Span { start: self.at.end, end: self.lines.end };
        let rest = after.of(text).trim();
        before.trim().is_empty() && (rest.is_empty() || is_comment(code, after, text))
    }

    /// True if it is the body of another statement, without brackets of its own.
    fn is_bare_body(&self) -> bool {
        let Some(parent) = self.node.parent().filter(|p| p.parent().is_some()) else {
            return false;
        };
        let token = |n: &Node<'_>, words: [&str; 2]| words.contains(&n.kind());
        !children(parent).iter().any(|c| token(c, ["{", ":"]))
            && !parent.kind().ends_with("block")
            && !parent.kind().ends_with("program")
    }
}

/// True if what stands at a place is a comment that begins and ends there.
fn is_comment(code: &Code, at: Span, text: &str) -> bool {
    let lead = at.of(text).len() - at.of(text).trim_start().len();
    let start = at.start as usize + lead;
    let node = code.tree.root().descendant_for_byte_range(start, start + 1);
    node.is_some_and(|n| {
        let comment = n.is_extra() || n.parent().is_some_and(|p| p.is_extra());
        comment && n.end_byte() <= at.end as usize + 1
    })
}

/// A name that a statement declares and other code uses, with a place where it does.
fn used_elsewhere(code: &Code, at: Span) -> Option<String> {
    let facts = &code.facts;
    for (name, words) in facts.all_words() {
        for w in words.iter().filter(|w| at.contains(w.span) && w.space == Space::Declared) {
            let local = facts.uses_of_local(name, w.span);
            let used = match &local {
                Some((_, uses)) => uses.iter().any(|u| !at.contains(u.span)),
                None => facts.words(name).iter().any(|u| !at.contains(u.span)),
            };
            if used {
                return Some(name.to_owned());
            }
        }
    }
    let imports = facts.imports.iter().filter(|i| at.contains(i.span));
    let elsewhere = |n: &&str| facts.words(n).iter().any(|u| !at.contains(u.span));
    imports.filter_map(|i| i.local()).find(elsewhere).map(str::to_owned)
}

/// A text as lines of a comment.
fn comment_lines(sign: &str, text: &str) -> Vec<String> {
    text.lines().map(|l| format!("{sign} {}", l.trim_end()).trim_end().to_owned()).collect()
}

/// What a note and a statement are called where they stand as comments.
fn joined(lines: impl IntoIterator<Item = String>, (indent, line_end): (&str, &str)) -> String {
    let lines: Vec<String> = lines.into_iter().collect();
    lines.join(&format!("{line_end}{indent}"))
}

/// Makes a comment of the whole statement around a place, with some words above it. `plain` says that it must be an expression
/// or declare variables that nothing uses.
///
/// # Errors
/// Why that cannot be done.
pub(crate) fn comment_out(
    cx: &FileCx<'_>,
    code: &Code,
    at: Span,
    say: &str,
    plain: bool,
) -> Result<CommentedOut, String> {
    let (text, writing) = (cx.text, &code.language.writing);
    let sign = writing.comment;
    if sign.is_empty() {
        return Err(format!("{} has no comments that end with their line", code.language.title));
    }
    let s = Statement::around(code, text, at)?;
    if plain && !is_plain(code, s.node) {
        return Err("more than an expression would go".to_owned());
    }
    if let Some(name) = used_elsewhere(code, s.at) {
        return Err(format!("`{name}` is used elsewhere"));
    }
    let indent = Span { start: s.lines.start, end: s.at.start }.of(text);
    let indent = &indent[..indent.len() - indent.trim_start().len()];
    let bare = s.is_bare_body();
    if !bare && !s.alone(code, text) {
        return Err("other code stands on its line".to_owned());
    }
    // Lines of a string that goes over several are no lines of code.
    let unit = indent_unit(text).unwrap_or_else(|| "    ".to_owned());
    let own_line = indent.len() as u32 + s.lines.start == s.at.start;
    let inner = match (bare, own_line) {
        (true, true) => indent.to_owned(),
        (true, false) => format!("{indent}{unit}"),
        (false, _) => indent.to_owned(),
    };
    let end = if bare && !own_line { s.at.end } else { s.lines.end };
    let whole = Span { start: s.at.start, end };
    let strip = |line: &str| line.strip_prefix(indent).unwrap_or(line.trim_start()).to_owned();
    let code_lines = whole.of(text).lines().enumerate().map(|(i, l)| {
        let l = if i == 0 { l.to_owned() } else { strip(l) };
        format!("{sign} {l}").trim_end().to_owned()
    });
    let mut lines = comment_lines(sign, say);
    lines.extend(code_lines);
    let ends = (inner.as_str(), cx.line_end);
    let mut out = joined(lines, ends);
    let statement = s.at;
    if !bare {
        if !writing.idle.is_empty() && is_sole(code, s.node) {
            out.push_str(&format!("{}{inner}{}", cx.line_end, writing.idle));
        }
        return Ok(CommentedOut { statement, splices: vec![Splice::text(whole, out)] });
    }
    let before = text[..s.at.start as usize].trim_end();
    let head = line_start(text, before.len() as u32);
    let head = &text[head as usize..before.len()];
    let outer = &head[..head.len() - head.trim_start().len()];
    let gap = Span::new(before.len(), s.at.start as usize);
    let open = format!(" {{{}{inner}", cx.line_end);
    let close = format!("{}{outer}}}", cx.line_end);
    let mut splices = vec![Splice::text(gap, open), Splice::text(whole, out + &close)];
    splices.retain(|s| !s.span.is_empty() || !s.parts.is_empty());
    Ok(CommentedOut { statement, splices })
}

/// True for an expression, and for local variables; what holds statements is none.
fn is_plain(code: &Code, node: Node<'_>) -> bool {
    if node.kind() == code.language.writing.expression_statement {
        return true;
    }
    let at = span(node);
    let facts = &code.facts;
    let declared = facts.all_words().flat_map(|(name, words)| {
        let own = words.iter().filter(|w| at.contains(w.span) && w.space == Space::Declared);
        own.map(move |w| (name, w.span))
    });
    let mut declared = declared.peekable();
    let local = declared.peek().is_some()
        && declared.all(|(name, at)| {
            facts.uses_of_local(name, at).is_some() && facts.owner_of(at).is_none()
        });
    let items = code.language.writing.line_items;
    let mut holds = false;
    walk(node, |n| {
        holds |= n != node && items.contains(&n.kind());
        !holds
    });
    local && !holds
}

/// True if nothing else than comments stands in the body that holds a statement.
fn is_sole(code: &Code, node: Node<'_>) -> bool {
    let Some(parent) = node.parent().filter(|p| p.parent().is_some()) else { return false };
    let items = code.language.writing.line_items;
    children(parent).iter().filter(|c| items.contains(&c.kind())).count() == 1
}

/// Puts a comment above the statement around a place; nothing if its words stand there already.
///
/// # Errors
/// Why that cannot be done.
pub(crate) fn comment_above(
    cx: &FileCx<'_>,
    code: &Code,
    at: Span,
    say: &str,
) -> Result<Option<Splice>, String> {
    let (text, sign) = (cx.text, code.language.writing.comment);
    if sign.is_empty() {
        return Err(format!("{} has no comments that end with their line", code.language.title));
    }
    let items = code.language.writing.line_items;
    let path = descend(code.tree.root(), at);
    let first = |n: &Node<'_>| {
        let start = n.start_byte() as u32;
        let lead = Span { start: line_start(text, start), end: start };
        let code_only = code.layer.as_ref().is_none_or(|l| l.is_code(Span::at(start as usize)));
        lead.of(text).trim().is_empty() && code_only
    };
    let stands = path.iter().rev().map(|p| p.0).find(|n| items.contains(&n.kind()) && first(n));
    let Some(node) = stands else { return Err("no statement begins on its line".to_owned()) };
    let start = node.start_byte() as u32;
    let line = line_start(text, start);
    if code.layer.as_ref().is_some_and(|l| !l.is_code(Span { start: line, end: start + 1 })) {
        return Err("its line holds more than code".to_owned());
    }
    let indent = Span { start: line, end: start }.of(text);
    let lines = comment_lines(sign, say);
    if stands_above(text, line, &lines) {
        return Ok(None);
    }
    let written = joined(lines, (indent, cx.line_end));
    Ok(Some(Splice::text(Span::at(start as usize), format!("{written}{}{indent}", cx.line_end))))
}

/// True if these lines stand above a line, in their order and among other comments.
fn stands_above(text: &str, line: u32, lines: &[String]) -> bool {
    let mut above = text[..line as usize].lines().rev().map(str::trim).peekable();
    let sign = lines.first().map_or("", |l| l.split(' ').next().unwrap_or(""));
    let mut seen = Vec::new();
    while let Some(l) = above.next_if(|l| !sign.is_empty() && l.starts_with(sign)) {
        seen.push(l);
    }
    seen.reverse();
    seen.windows(lines.len().max(1)).any(|w| w.iter().zip(lines).all(|(a, b)| a == b))
}

/// A statement that was made a comment before.
pub(crate) struct CommentedBefore {
    /// The comment, its words included.
    pub(crate) at: Span,
    /// The words above the statement.
    pub(crate) say: String,
    /// The statement without the signs, a line each.
    pub(crate) reads: String,
}

/// Comments longer than this are no statements with some words above them.
const MOST_LINES: usize = 60;

/// Statements that were made comments before, under words that this knows.
pub(crate) fn commented_before(
    code: &Code,
    text: &str,
    is_said: &dyn Fn(&str) -> bool,
) -> Vec<CommentedBefore> {
    let sign = code.language.writing.comment;
    let mut out = Vec::new();
    if sign.is_empty() {
        return out;
    }
    let mut block: Vec<(usize, &str)> = Vec::new();
    let mut at = 0;
    for line in text.split_inclusive('\n').chain([""]) {
        let inner = line.trim();
        match inner.strip_prefix(sign) {
            Some(rest) => block.push((at + line.len() - line.trim_start().len(), rest.trim())),
            None => {
                out.extend(commented(&block, (text, sign), is_said));
                block.clear();
            }
        }
        at += line.len();
    }
    out
}

/// The words and the statement that a run of comment lines is.
fn commented(
    block: &[(usize, &str)],
    (text, sign): (&str, &str),
    is_said: &dyn Fn(&str) -> bool,
) -> Option<CommentedBefore> {
    if !(2..=MOST_LINES).contains(&block.len()) {
        return None;
    }
    let join = |part: &[(usize, &str)]| part.iter().map(|b| b.1).collect::<Vec<_>>().join("\n");
    let ways =
        (0..block.len() - 1).flat_map(|from| (from + 1..block.len()).map(move |to| (from, to)));
    let mut said = ways.map(|(from, to)| (from, to, join(&block[from..to])));
    let (from, to, say) = said.find(|w| is_said(&w.2))?;
    let last = block.last()?.0;
    let end = last + text[last..].find('\n').unwrap_or(text.len() - last);
    debug_assert!(text[last..].starts_with(sign));
    Some(CommentedBefore { at: Span::new(block[from].0, end), say, reads: join(&block[to..]) })
}

/// A statement as [`CommentedBefore::reads`] will give it.
pub(crate) fn reads(text: &str) -> String {
    text.lines().map(str::trim).collect::<Vec<_>>().join("\n")
}
