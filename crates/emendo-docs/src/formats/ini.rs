//! INI files: sections in brackets, `key = value` or `key: value`, comments after `;` and `#`. Also setup.cfg and the like,
//! whose values go on in indented lines.

use emendo_text::Span;

use crate::doc::{Doc, KeyPart, Node, NodeKind, Pair};
use crate::formats::format::{Format, Style};

pub(super) const INI: Format = Format {
    id: "ini",
    title: "INI",
    extensions: &["ini", "cfg", "conf"],
    names: &[".editorconfig", ".npmrc"],
    style: Style::Sections { header: |path| format!("[{}]", path.join(".")) },
    comments: &["#", ";"],
    sign: " = ",
    dotted: true,
    split: false,
    relaxed: |_| false,
    mentions_anywhere: false,
    constant: false,
    typed: false,
    read,
    write_key: |key, _| key.to_owned(),
    write_value,
};

fn read(text: &str) -> Doc {
    let mut roots: Vec<Pair> = Vec::new();
    let mut section: Option<Pair> = None;
    let mut lines = lines(text).into_iter().peekable();
    while let Some((start, end)) = lines.next() {
        let line = &text[start..end];
        let trimmed = line.trim_start_matches('\u{feff}').trim();
        if trimmed.is_empty() || trimmed.starts_with([';', '#']) {
            continue;
        }
        let from = start + line.find(trimmed).unwrap_or(0);
        if trimmed.starts_with('[')
            && let Some(close) = trimmed.find(']')
        {
            roots.extend(section.take());
            let key = Span::new(from + 1, from + close);
            let whole = Span::new(from, from + close + 1);
            let node = Node { span: whole, kind: NodeKind::Map(Vec::new()) };
            let keys = vec![KeyPart { text: key.of(text).trim().to_owned(), span: key }];
            section = Some(Pair { keys, node, span: whole, heading: true });
            continue;
        }
        // A value goes on in lines that are indented deeper.
        let indent = line.len() - line.trim_start().len();
        let mut last = end;
        while let Some((s, e)) = lines.peek().copied() {
            let next = &text[s..e];
            let deeper = next.len() - next.trim_start().len() > indent && !next.trim().is_empty();
            if !deeper {
                break;
            }
            last = e;
            lines.next();
        }
        let Some(pair) = entry(text, from, end, last) else { continue };
        match &mut section {
            Some(s) => {
                if let NodeKind::Map(pairs) = &mut s.node.kind {
                    s.node.span = s.node.span.hull(pair.span);
                    s.span = s.node.span;
                    pairs.push(pair);
                }
            }
            None => roots.push(pair),
        }
    }
    roots.extend(section);
    crate::formats::format::one_map(text, roots)
}

/// The lines of a text, without their ends.
pub(super) fn lines(text: &str) -> Vec<(usize, usize)> {
    let mut out = Vec::new();
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        out.push((at, at + line.trim_end_matches(['\n', '\r']).len()));
        at += line.len();
    }
    out
}

fn entry(text: &str, from: usize, end: usize, last: usize) -> Option<Pair> {
    let line = &text[from..end];
    let sign = line.find(['=', ':']);
    let key_end = sign.map_or(line.trim_end().len(), |i| line[..i].trim_end().len());
    if key_end == 0 {
        return None;
    }
    let key = Span::new(from, from + key_end);
    let after = sign.map_or(from + key_end, |i| from + i + 1);
    let raw = &text[after..last];
    let lead = raw.len() - raw.trim_start_matches([' ', '\t']).len();
    // A remark after a value of one line is not part of it.
    let body = if last == end { without_remark(&raw[lead..]) } else { raw[lead..].trim_end() };
    let value = Span::new(after + lead, after + lead + body.len());
    let quoted = body.len() > 1 && body.starts_with('"') && body.ends_with('"');
    let inner = if quoted { &body[1..body.len() - 1] } else { body };
    let node = Node { span: value, kind: NodeKind::Text(inner.to_owned()) };
    let keys = vec![KeyPart { text: key.of(text).to_owned(), span: key }];
    Some(Pair {
        keys,
        node,
        span: Span::new(from, (value.end as usize).max(from + key_end)),
        heading: false,
    })
}

fn without_remark(body: &str) -> &str {
    let remark = [" ;", " #", "\t;", "\t#"].iter().filter_map(|m| body.find(m)).min();
    body[..remark.unwrap_or(body.len())].trim_end()
}

fn write_value(value: &str, old: &str) -> String {
    if old.starts_with('"') { format!("\"{value}\"") } else { value.to_owned() }
}
