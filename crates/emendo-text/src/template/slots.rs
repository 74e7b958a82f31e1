//! Text with slots, cut into chunks; it knows no language.

use crate::span::Span;

/// How much a slot takes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Repeat {
    /// One node.
    One,
    /// Present or not.
    Optional,
    /// Any number in a list.
    Any,
    /// At least one in a list.
    Some,
}

/// A piece of a template.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Chunk {
    /// Plain text, escapes undone.
    Text {
        /// Where it stands in the source.
        at: Span,
        /// The text.
        text: String,
    },
    /// A slot.
    Slot {
        /// Where it stands in the source, `@{` and `}` included.
        at: Span,
        /// Its name; `_` for an unnamed one.
        name: String,
        /// How much it takes.
        repeat: Repeat,
        /// What its text goes through before it is written.
        filters: Vec<Filter>,
    },
}

/// A change of a slot's text.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Filter {
    /// `open_at_once`
    Snake,
    /// `open-at-once`
    Kebab,
    /// `openAtOnce`
    Camel,
    /// `OpenAtOnce`
    Pascal,
    /// `OPEN_AT_ONCE`
    Constant,
    /// All letters small.
    Lower,
    /// All letters capital.
    Upper,
    /// In double quotes.
    Quote,
    /// Without its quotes.
    Unquote,
    /// The static type of it, in code.
    Type,
}

impl Filter {
    /// The words for them.
    pub(super) const WORDS: [(&str, Self); 10] = [
        ("snake", Self::Snake),
        ("kebab", Self::Kebab),
        ("camel", Self::Camel),
        ("pascal", Self::Pascal),
        ("constant", Self::Constant),
        ("lower", Self::Lower),
        ("upper", Self::Upper),
        ("quote", Self::Quote),
        ("unquote", Self::Unquote),
        ("type", Self::Type),
    ];

    /// The text, changed. A type is not told by a text: who knows the code writes it.
    pub fn apply(self, text: &str) -> String {
        match self {
            Self::Snake => words(text).join("_").to_lowercase(),
            Self::Kebab => words(text).join("-").to_lowercase(),
            Self::Constant => words(text).join("_").to_uppercase(),
            Self::Pascal => words(text).iter().map(|w| capital(w)).collect(),
            Self::Camel => {
                let words = words(text);
                let rest = words.iter().skip(1).map(|w| capital(w));
                let first = words.first().map(|w| w.to_lowercase());
                first.into_iter().chain(rest).collect()
            }
            Self::Lower => text.to_lowercase(),
            Self::Upper => text.to_uppercase(),
            Self::Quote if is_quoted(text) => text.to_owned(),
            Self::Quote => format!("\"{}\"", text.replace('\\', "\\\\").replace('"', "\\\"")),
            Self::Unquote if is_quoted(text) => text[1..text.len() - 1].to_owned(),
            Self::Unquote | Self::Type => text.to_owned(),
        }
    }
}

fn is_quoted(text: &str) -> bool {
    ['"', '\'', '`'].iter().any(|q| text.len() > 1 && text.starts_with(*q) && text.ends_with(*q))
}

fn capital(word: &str) -> String {
    let mut chars = word.chars();
    let first = chars.next().map(|c| c.to_uppercase().collect::<String>()).unwrap_or_default();
    first + &chars.as_str().to_lowercase()
}

/// The words of a name in any spelling: `openAtOnce`, `open-at-once`, `HTTPServer`.
fn words(text: &str) -> Vec<String> {
    let chars: Vec<char> = text.chars().collect();
    let mut out: Vec<String> = Vec::new();
    let mut word = String::new();
    for (i, c) in chars.iter().enumerate() {
        if !c.is_alphanumeric() {
            out.push(std::mem::take(&mut word));
            continue;
        }
        let before = i.checked_sub(1).map(|b| chars[b]);
        let small_before = before.is_some_and(|b| b.is_lowercase() || b.is_numeric());
        let small_behind = chars.get(i + 1).is_some_and(|n| n.is_lowercase());
        if c.is_uppercase()
            && (small_before || (before.is_some_and(char::is_uppercase) && small_behind))
        {
            out.push(std::mem::take(&mut word));
        }
        word.push(*c);
    }
    out.push(word);
    out.retain(|w| !w.is_empty());
    out
}

/// A source with slots.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Template {
    /// The chunks in order.
    pub chunks: Vec<Chunk>,
}

/// What is wrong with a slot.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TemplateError {
    /// Where.
    pub at: Span,
    /// What.
    pub message: String,
    /// The way out.
    pub help: String,
}

/// The way out for slots with reserved names.
pub const OTHER_NAMES: &str = "slots need other names";

const RESERVED: &[&str] = &["here", "it", "key", "input"];

/// Where a template stands: which reserved words are slots there.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Marks {
    /// None is.
    None,
    /// `here` is.
    Here,
    /// `it` is.
    It,
}

impl Template {
    /// Cuts a source into chunks. `\@{` is a literal `@{`.
    ///
    /// # Errors
    /// For a slot that does not end, has no proper name, or a name that is reserved.
    pub fn parse(source: &str) -> Result<Self, TemplateError> {
        Self::parse_with(source, Marks::None)
    }

    /// The same where a reserved word is a slot.
    ///
    /// # Errors
    /// For a slot that does not end, has no proper name, or a name that is reserved here.
    pub fn parse_with(source: &str, marks: Marks) -> Result<Self, TemplateError> {
        let mut chunks = Vec::new();
        let mut text = String::new();
        let mut text_start = 0;
        let mut i = 0;
        while let Some(found) = source[i..].find("@{") {
            let at = i + found;
            if source[..at].ends_with('\\') {
                text.push_str(&source[i..at - 1]);
                text.push_str("@{");
                i = at + 2;
                continue;
            }
            text.push_str(&source[i..at]);
            if !text.is_empty() {
                chunks.push(Chunk::Text {
                    at: Span::new(text_start, at),
                    text: std::mem::take(&mut text),
                });
            }
            let (chunk, end) = slot(source, at, marks)?;
            chunks.push(chunk);
            i = end;
            text_start = end;
        }
        text.push_str(&source[i..]);
        if !text.is_empty() {
            chunks.push(Chunk::Text { at: Span::new(text_start, source.len()), text });
        }
        Ok(Self { chunks })
    }

    /// The slots: name, place, repeat.
    pub fn slots(&self) -> impl Iterator<Item = (&str, Span, Repeat)> {
        self.chunks.iter().filter_map(|c| match c {
            Chunk::Slot { at, name, repeat, .. } => Some((name.as_str(), *at, *repeat)),
            Chunk::Text { .. } => None,
        })
    }
}

/// The names of the slots of a source, without those that have none, whatever else is wrong with it.
pub fn slot_names(source: &str) -> Vec<String> {
    let inner = source.split("@{").skip(1).filter_map(|rest| rest.split(['}', '|']).next());
    let names = inner.map(|i| i.trim().trim_end_matches(['*', '+', '?', '.']).to_owned());
    names.filter(|n| !n.is_empty() && n != "_").collect()
}

fn slot(source: &str, at: usize, marks: Marks) -> Result<(Chunk, usize), TemplateError> {
    let fail = |span: Span, message: String, help: &str| TemplateError {
        at: span,
        message,
        help: help.to_owned(),
    };
    let Some(len) = source[at..].find('}') else {
        let span = Span::new(at, (at + 2).min(source.len()));
        return Err(fail(
            span,
            "this slot has no closing brace".into(),
            "write `@{name}`; a literal `@{` is written `\\@{`",
        ));
    };
    let end = at + len + 1;
    let span = Span::new(at, end);
    let inner = &source[at + 2..end - 1];
    let mut parts = inner.split('|');
    let inner = parts.next().unwrap_or("").trim();
    let mut filters = Vec::new();
    for word in parts {
        match Filter::WORDS.iter().find(|(w, _)| *w == word.trim()) {
            Some((_, filter)) => filters.push(*filter),
            None => {
                let known: Vec<&str> = Filter::WORDS.iter().map(|(w, _)| *w).collect();
                let help = format!("filters: {}", known.join(", "));
                return Err(fail(span, format!("there is no filter `{}`", word.trim()), &help));
            }
        }
    }
    let (name, repeat) = match inner.as_bytes().last() {
        Some(b'*') => (&inner[..inner.len() - 1], Repeat::Any),
        Some(b'+') => (&inner[..inner.len() - 1], Repeat::Some),
        Some(b'?') => (&inner[..inner.len() - 1], Repeat::Optional),
        _ => (inner, Repeat::One),
    };
    let plain = !name.is_empty()
        && name.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
        && !name.starts_with(|c: char| c.is_ascii_digit());
    if !plain && let Some(meant) = meant(inner) {
        return Err(fail(span, format!("`{inner}` is not a slot name"), &format!("write {meant}")));
    }
    if !plain {
        let help = "a slot is `@{name}`, `@{name*}`, `@{name+}` or `@{name?}`; a literal `@{` is written `\\@{`";
        return Err(fail(span, format!("`{inner}` is not a slot name"), help));
    }
    if is_reserved(name, marks) {
        return Err(reserved(source, span, marks));
    }
    Ok((Chunk::Slot { at: span, name: name.to_owned(), repeat, filters }, end))
}

fn is_reserved(name: &str, marks: Marks) -> bool {
    let marked = matches!((marks, name), (Marks::Here, "here") | (Marks::It, "it"));
    RESERVED.contains(&name) && !marked
}

/// One message for all slots of a source, from one on, whose names are reserved.
fn reserved(source: &str, at: Span, marks: Marks) -> TemplateError {
    let inner =
        |rest: &str| rest.split('}').next().map(|i| i.trim_end_matches(['*', '+', '?']).to_owned());
    let mut names: Vec<String> =
        source[at.start as usize..].split("@{").skip(1).filter_map(inner).collect();
    names.retain(|n| is_reserved(n, marks));
    let mut seen = std::collections::BTreeSet::new();
    names.retain(|n| seen.insert(n.clone()));
    let quoted: Vec<String> = names.iter().map(|n| format!("`{n}`")).collect();
    let message = match quoted.as_slice() {
        [one] => format!("{one} is a reserved word"),
        many => format!("{} are reserved words", many.join(", ")),
    };
    TemplateError { at, message, help: OTHER_NAMES.to_owned() }
}

/// The slot that is meant by a common slip; none if the slip is not known.
fn meant(inner: &str) -> Option<String> {
    let word = |w: &str| {
        !w.is_empty()
            && !w.starts_with(|c: char| c.is_ascii_digit())
            && w.chars().all(|c| c.is_ascii_alphanumeric() || c == '_')
    };
    if inner.is_empty() {
        return Some("`@{name}`, or `@{_}` for one without a name".to_owned());
    }
    let listed = inner
        .strip_suffix("...")
        .or_else(|| inner.strip_prefix("..."))
        .or_else(|| inner.strip_prefix('*'));
    if let Some(name) = listed.filter(|n| word(n)) {
        return Some(format!("`@{{{name}*}}` for any number in a list"));
    }
    let joined = inner.replace(['-', '.', ' '], "_");
    word(&joined).then(|| format!("`@{{{joined}}}`: letters, digits and `_` make a name"))
}

impl Template {
    /// Parses a template of text that is not code: nothing has a type there.
    ///
    /// # Errors
    /// As [`Template::parse`], and for the filter `type`.
    pub fn parse_text(source: &str) -> Result<Self, TemplateError> {
        let parsed = Self::parse(source)?;
        let typed = parsed.chunks.iter().find_map(|c| match c {
            Chunk::Slot { at, filters, .. } => filters.contains(&Filter::Type).then_some(*at),
            Chunk::Text { .. } => None,
        });
        match typed {
            Some(at) => Err(TemplateError {
                at,
                message: "only code has types: the filter `type` says nothing here".to_owned(),
                help: "use it in `new` of an action about code".to_owned(),
            }),
            None => Ok(parsed),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn slots_of_every_kind_and_the_escape() {
        let t = Template::parse(r"f(@{a}, @{b*}, \@{c}, @{_?})").expect("parses");
        let slots: Vec<_> = t.slots().map(|(n, _, r)| (n.to_owned(), r)).collect();
        let want = [("a", Repeat::One), ("b", Repeat::Any), ("_", Repeat::Optional)];
        assert_eq!(slots, want.map(|(n, r)| (n.to_owned(), r)));
        assert!(
            t.chunks.iter().any(|c| matches!(c, Chunk::Text { text, .. } if text.contains("@{c}")))
        );
    }

    #[test]
    fn filters_know_every_spelling_of_a_name() {
        let all = |f: Filter| ["openAtOnce", "open-at_once", "HTTPServer2Go"].map(|t| f.apply(t));
        assert_eq!(all(Filter::Snake), ["open_at_once", "open_at_once", "http_server2_go"]);
        assert_eq!(all(Filter::Pascal), ["OpenAtOnce", "OpenAtOnce", "HttpServer2Go"]);
        assert_eq!(all(Filter::Camel), ["openAtOnce", "openAtOnce", "httpServer2Go"]);
        assert_eq!(all(Filter::Constant), ["OPEN_AT_ONCE", "OPEN_AT_ONCE", "HTTP_SERVER2_GO"]);
        assert_eq!(Filter::Quote.apply("a\"b"), "\"a\\\"b\"");
        assert_eq!(Filter::Unquote.apply("'a'"), "a");
        assert!(Template::parse("@{x|loud}").is_err());
    }

    #[test]
    fn a_bad_slot_says_where() {
        let e = Template::parse("f(@{a b})").expect_err("no name");
        assert_eq!((e.at.start, e.at.end), (2, 8));
        assert!(Template::parse("f(@{a").is_err());
        assert!(Template::parse("@{here}").is_err());
    }

    #[test]
    fn a_slip_gets_the_slot_that_is_meant() {
        let said = |source: &str| {
            let e = Template::parse(source).expect_err("faulty");
            (e.message, e.help)
        };
        assert!(said("f(@{args...})").1.contains("@{args*}"));
        assert!(said("f(@{my-port})").1.contains("@{my_port}"));
        assert!(said("f(@{})").1.contains("@{_}"));
        let (message, _) = said("f(@{it}, @{key*}, @{x}, @{it})");
        assert_eq!(message, "`it`, `key` are reserved words");
    }
}
