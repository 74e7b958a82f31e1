//! What literals stand for.

use emendo_lang::Language;
use emendo_lang::tree::Node;
use emendo_lang::tree::{children, holds_code, is_item, span};
use emendo_text::FillValue;

/// Literals within literals, deeper than this, stand for nothing.
const DEEPEST: usize = 32;

/// What a literal stands for; nothing for any other code.
pub(super) fn value(language: &Language, node: Node<'_>, text: &str) -> FillValue {
    value_at(language, node, text, DEEPEST).unwrap_or(FillValue::Nothing)
}

/// True if a node has one of the forms that a word of `form` stands for.
pub(super) fn is_form(language: &Language, kind: &str, form: &str) -> bool {
    language.fragments.forms.iter().any(|f| f.0 == form && f.1.contains(&kind))
}

fn value_at(language: &Language, node: Node<'_>, text: &str, depth: usize) -> Option<FillValue> {
    let depth = depth.checked_sub(1)?;
    let own = span(node).of(text);
    let is = |form: &str| is_form(language, node.kind(), form);
    if is("string") {
        return string(language, node, text).map(FillValue::Text);
    }
    if is("template") && own.starts_with('`') && !own.contains("${") {
        return string(language, node, text).map(FillValue::Text);
    }
    if is("number") {
        return number(own);
    }
    if is("boolean") {
        return match own.to_lowercase().as_str() {
            "true" => Some(FillValue::Truth(true)),
            "false" => Some(FillValue::Truth(false)),
            _ => None,
        };
    }
    let negative = own.starts_with('-') && node.named_child_count() == 1;
    if let Some(inner) = node.named_child(0).filter(|n| negative && is_number(language, *n)) {
        return match number(span(inner).of(text))? {
            FillValue::Whole(v) => Some(FillValue::Whole(-v)),
            FillValue::Number(v) => Some(FillValue::Number(-v)),
            _ => None,
        };
    }
    let items = || children(node).into_iter().filter(|n| is_item(*n));
    let spread = |n: &Node<'_>| language.compare.spreads.contains(&n.kind());
    if let Some(keyed) = language.compare.keyed.iter().find(|k| k.list == node.kind())
        && is("object")
    {
        let mut out = Vec::new();
        for pair in items() {
            if pair.kind() != keyed.pair {
                return None;
            }
            let key = pair.child_by_field_name(keyed.key).or_else(|| pair.named_child(0))?;
            let held = pair.child_by_field_name("value").or_else(|| pair.named_child(1))?;
            let key = match value_at(language, key, text, depth) {
                Some(FillValue::Text(key)) => key,
                _ if is_word(span(key).of(text)) => span(key).of(text).to_owned(),
                _ => return None,
            };
            let held = value_at(language, held, text, depth).unwrap_or(FillValue::Nothing);
            out.push((key, held));
        }
        return Some(FillValue::Map(out));
    }
    if is("list") && !items().any(|n| spread(&n)) {
        // What is written before the brackets is no literal's.
        let plain = own.starts_with(['[', '{', '(']);
        let one = |n: Node<'_>| value_at(language, n, text, depth).unwrap_or(FillValue::Nothing);
        return plain.then(|| FillValue::List(items().map(one).collect()));
    }
    None
}

fn is_word(text: &str) -> bool {
    text.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '$'))
}

fn is_number(language: &Language, node: Node<'_>) -> bool {
    is_form(language, node.kind(), "number")
}

/// The number that a literal stands for, whatever its type.
fn number(text: &str) -> Option<FillValue> {
    let plain = text.replace('_', "").to_lowercase();
    for (lead, base) in [("0x", 16), ("0o", 8), ("0b", 2)] {
        if let Some(digits) = plain.strip_prefix(lead) {
            let end = digits.find(|c: char| !c.is_digit(base)).unwrap_or(digits.len());
            return i64::from_str_radix(&digits[..end], base).ok().map(FillValue::Whole);
        }
    }
    let end =
        plain.find(|c: char| !c.is_ascii_digit() && c != '.' && c != 'e').unwrap_or(plain.len());
    let (digits, suffix) = plain.split_at(end);
    let signed = digits.ends_with('e') && suffix.starts_with(['-', '+']);
    let typed = suffix.is_empty() || suffix.starts_with(|c: char| c.is_ascii_alphabetic());
    if signed || !typed {
        return plain.parse().ok().map(FillValue::Number);
    }
    match digits.parse::<i64>() {
        Ok(whole) if !suffix.starts_with(['f', 'd', 'm']) => Some(FillValue::Whole(whole)),
        _ => digits.parse().ok().map(FillValue::Number),
    }
}

/// The text that a literal stands for; none where code stands in it, or where that cannot be told.
fn string(language: &Language, node: Node<'_>, whole: &str) -> Option<String> {
    let text = span(node).of(whole);
    if holds_code(language, node) {
        return None;
    }
    // Literals that stand side by side are one.
    let parts: Vec<Node<'_>> =
        children(node).into_iter().filter(|c| is_form(language, c.kind(), "string")).collect();
    if !parts.is_empty() {
        let parts = parts.into_iter().map(|p| string(language, p, whole));
        return parts.collect();
    }
    let first = text.find(['"', '\'', '`'])?;
    let (prefix, rest) = text.split_at(first);
    let prefix = prefix.to_lowercase();
    if prefix.contains(['f', '$', 'b']) {
        return None;
    }
    let quote = &rest[..1];
    let long = rest.len() >= 6 && rest.starts_with(&quote.repeat(3));
    let quotes = quote.repeat(if long { 3 } else { 1 });
    let hashes = "#".repeat(prefix.matches('#').count());
    let inner = rest.strip_prefix(&quotes)?.strip_suffix(&format!("{quotes}{hashes}"))?;
    if long && inner.contains('\n') {
        // Some languages take the indentation away there.
        return None;
    }
    if prefix.contains(['r', '#']) {
        return Some(inner.to_owned());
    }
    if prefix.contains('@') {
        return Some(inner.replace("\"\"", "\""));
    }
    unescaped(inner)
}

/// A text without its escapes; none for one that languages read apart.
fn unescaped(inner: &str) -> Option<String> {
    let mut out = String::new();
    let mut chars = inner.chars();
    while let Some(c) = chars.next() {
        if c != '\\' {
            out.push(c);
            continue;
        }
        out.push(match chars.next()? {
            'n' => '\n',
            't' => '\t',
            'r' => '\r',
            '0' if !chars.as_str().starts_with(|c: char| c.is_ascii_digit()) => '\0',
            c @ ('\\' | '\'' | '"' | '`') => c,
            'x' => code_point(&mut chars, 2)?,
            'u' => code_point(&mut chars, 4)?,
            _ => return None,
        });
    }
    Some(out)
}

/// The character whose number follows, in so many digits or in braces.
fn code_point(chars: &mut std::str::Chars<'_>, digits: usize) -> Option<char> {
    let rest = chars.as_str();
    let (number, after) = match rest.strip_prefix('{') {
        Some(inner) => inner.split_once('}')?,
        None => rest.split_at_checked(digits)?,
    };
    *chars = after.chars();
    char::from_u32(u32::from_str_radix(number, 16).ok()?)
}
