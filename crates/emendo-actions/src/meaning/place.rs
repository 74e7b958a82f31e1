//! One file, as it is looked through for symbols.

use emendo_lang::{ImportName, Resolver, token_texts};
use emendo_text::{Span, Splice};

use crate::contract::{Code, FileCx};

/// A file under the eyes of one action.
pub(crate) struct Place<'a> {
    pub(crate) cx: &'a FileCx<'a>,
    pub(crate) code: &'a Code,
    pub(crate) resolver: Resolver<'a>,
    pub(crate) action: usize,
    pub(crate) reaches: std::cell::OnceCell<bool>,
}

impl<'a> Place<'a> {
    pub(crate) fn new(cx: &'a FileCx<'a>, code: &'a Code, action: usize) -> Self {
        let reaches = std::cell::OnceCell::new();
        Self { cx, code, resolver: cx.resolver(code), action, reaches }
    }

    /// True if the file names anything of the library.
    pub(crate) fn reaches(&self) -> bool {
        *self.reaches.get_or_init(|| self.resolver.reaches(self.cx.packages, self.cx.text))
    }

    /// True for what stands in a text, as code or not.
    pub(crate) fn in_text(&self, at: Span) -> bool {
        self.code.facts.strings.iter().any(|s| s.contains(at))
    }

    pub(crate) fn text(&self, at: Span) -> &str {
        at.of(self.cx.text)
    }
}

/// The segments of a dotted name, with blanks and comments between them left out.
pub(crate) fn segments(text: &str, at: Span) -> Vec<(String, Span)> {
    let mut out = Vec::new();
    let source = at.of(text);
    let mut comment: Option<&str> = None;
    let mut tokens = token_texts(source).peekable();
    while let Some((i, t)) = tokens.next() {
        let next = tokens.peek().map(|(_, t)| *t);
        match comment {
            Some("*") if t == "*" && next == Some("/") => {
                tokens.next();
                comment = None;
                continue;
            }
            Some(_) => continue,
            None => {}
        }
        if t == "/" && next == Some("*") {
            tokens.next();
            comment = Some("*");
        } else if t.starts_with(|c: char| c.is_alphanumeric() || c == '_' || c == '$') {
            let start = at.start as usize + i;
            out.push((t.to_owned(), Span::new(start, start + t.len())));
        } else if matches!(t, "?" | "!")
            && i + 1 == source.len()
            && let Some((name, own)) = out.last_mut()
            && own.end as usize == at.start as usize + i
        {
            // A sign that ends a name belongs to it.
            name.push_str(t);
            own.end += 1;
        }
    }
    out
}

/// What a use becomes.
pub(crate) struct Rewritten {
    pub(crate) splices: Vec<Splice>,
    pub(crate) imports: Vec<ImportName>,
    /// Items of imports that change themselves.
    pub(crate) kept: Vec<Span>,
}

/// What may stand between the parts of a symbol.
pub(crate) const BETWEEN: [char; 4] = ['.', ':', '/', '\\'];

/// A name with all that is spelled below it; backslashes that texts double are single.
pub(crate) fn spelled_on(text: &str, at: Span) -> String {
    let part = |c: &char| c.is_alphanumeric() || *c == '_' || BETWEEN.contains(c);
    let ahead: String = text[at.end as usize..].chars().take_while(part).collect();
    undoubled(&format!("{}{}", at.of(text), ahead.trim_end_matches(BETWEEN)))
}

/// A name without the backslashes that a text needs before its own.
pub(crate) fn undoubled(name: &str) -> String {
    name.replace("\\\\", "\\")
}

/// A name for the place of another: with doubled backslashes where that has them.
pub(crate) fn doubled_like(written: &str, name: &str) -> String {
    if written.contains("\\\\") { name.replace('\\', "\\\\") } else { name.to_owned() }
}
