//! What becomes of elements and attributes, as changes of the text: only what differs is touched.

use emendo_docs::markup::{Attribute, Element, Ending, Host, Page, encode};
use emendo_text::{Chunk, Span, Splice, Template, indent_unit};

use crate::shared::{Filled, fill};

/// Writes into a page.
pub(super) struct Write<'p> {
    pub(super) page: &'p Page<'p>,
    pub(super) line_end: &'p str,
    /// What slots hold, as it is written.
    pub(super) slots: &'p [(String, String)],
}

/// A text of the recipe with its slots filled; what is not from the file is written so that it means what it says, and what comes from
/// elsewhere in it must not end the value. Quotes in code of a template are its own.
pub(super) fn filled(
    host: &Host,
    text: &str,
    slots: &[(String, String)],
    quote: Option<char>,
) -> String {
    let within = |slot: &str| match quote {
        Some(q) if slot.contains(q) && !host.has_code(slot) => {
            slot.replace(q, if q == '"' { "&quot;" } else { "&#39;" })
        }
        _ => slot.to_owned(),
    };
    let Ok(template) = Template::parse_text(text) else { return encode(text, quote) };
    let chunk = |c: &Chunk| match c {
        Chunk::Text { text, .. } => encode(text, quote),
        Chunk::Slot { name, .. } => {
            slots.iter().find(|s| s.0 == *name).map(|s| within(&s.1)).unwrap_or_default()
        }
    };
    template.chunks.iter().map(chunk).collect()
}

/// A text of the recipe with its slots filled, as both are written.
pub(super) fn plain(text: &str, slots: &[(String, String)]) -> String {
    let slot = |name: &str| {
        let found = slots.iter().find(|s| s.0 == name);
        Some(Filled::Text(found.map(|s| s.1.clone()).unwrap_or_default()))
    };
    fill(text, slot).unwrap_or_else(|_| text.to_owned())
}

impl Write<'_> {
    /// Another name in both tags; the prefix stays, unless the new name brings one.
    pub(super) fn rename(&self, e: &Element, new: &str, out: &mut Vec<Splice>) {
        let one = |at: Span, out: &mut Vec<Splice>| {
            let name = at.of(self.page.text);
            let at = match name.find(':').filter(|_| !new.contains(':')) {
                Some(colon) => Span::new(at.start as usize + colon + 1, at.end as usize),
                None => at,
            };
            if at.of(self.page.text) != new {
                out.push(Splice::text(at, new));
            }
        };
        one(e.name, out);
        if let Ending::Tag { name, .. } = e.ending {
            one(name, out);
        }
    }

    /// The value of an attribute; nothing where it says so already. A value in words of the file keeps its quotes.
    pub(super) fn value(&self, a: &Attribute, new: &str) -> Option<Splice> {
        if self.page.host.is_code(new) {
            let written = format!("={new}");
            let at = Span { start: a.name.end, end: a.span.end };
            return (at.of(self.page.text) != written).then(|| Splice::text(at, written));
        }
        let Some(value) = a.value else {
            let (quote, text) = self.quoted(new);
            return Some(Splice::text(
                Span::at(a.name.end as usize),
                format!("={quote}{text}{quote}"),
            ));
        };
        if let Some(quote) = value.quote {
            let text = filled(self.page.host, new, self.slots, Some(quote));
            return (text != value.inner.of(self.page.text))
                .then(|| Splice::text(value.inner, &text));
        }
        let (quote, text) = self.quoted(new);
        (text != value.inner.of(self.page.text))
            .then(|| Splice::text(value.inner, format!("{quote}{text}{quote}")))
    }

    /// A value with the quote that goes around it.
    fn quoted(&self, new: &str) -> (char, String) {
        let host = self.page.host;
        let plain = filled(host, new, self.slots, None);
        let quote = if plain.contains('"') && !plain.contains('\'') { '\'' } else { '"' };
        (quote, filled(host, new, self.slots, Some(quote)))
    }

    /// Gives an attribute another value; one that is not there is given back, with its value.
    pub(super) fn set(
        &self,
        e: &Element,
        name: &str,
        value: &str,
        out: &mut Vec<Splice>,
    ) -> Option<String> {
        match self.page.attribute(e, name) {
            Some(a) => {
                out.extend(self.value(a, value));
                None
            }
            None if self.page.host.is_code(value) => Some(format!("{name}={value}")),
            None => {
                let (quote, text) = self.quoted(value);
                Some(format!("{name}={quote}{text}{quote}"))
            }
        }
    }

    /// Adds attributes after the last one, laid out as that is.
    pub(super) fn new_attributes(&self, e: &Element, all: &[String], out: &mut Vec<Splice>) {
        if all.is_empty() {
            return;
        }
        let last = e.attributes.last();
        let at = last.map_or(e.name.end, |a| a.span.end) as usize;
        let before = last.map_or("", |a| {
            let from = e.attributes.iter().rev().nth(1).map_or(e.name.end, |b| b.span.end);
            &self.page.text[from as usize..a.span.start as usize]
        });
        // What stands between the last two is blank, or code that is not to be repeated.
        let lead = if before.contains('\n') && before.trim().is_empty() { before } else { " " };
        let text: String = all.iter().map(|a| format!("{lead}{a}")).collect();
        out.push(Splice::text(Span::at(at), &text));
    }

    /// An attribute with the blanks before it.
    pub(super) fn without(&self, a: &Attribute) -> Splice {
        let before = &self.page.text[..a.span.start as usize];
        let start = before.trim_end().len();
        Splice::text(Span::new(start, a.span.end as usize), "")
    }

    /// A place with its line, where nothing else stands on it.
    pub(super) fn with_line(&self, at: Span) -> Span {
        let text = self.page.text;
        let before = &text[..at.start as usize];
        let start = before.trim_end_matches([' ', '\t']).len();
        let after = &text[at.end as usize..];
        let blank = after.len() - after.trim_start_matches([' ', '\t']).len();
        let rest = &after[blank..];
        let end_of_line =
            if rest.starts_with("\r\n") { 2 } else { usize::from(rest.starts_with('\n')) };
        let begins = start == 0 || before[..start].ends_with('\n');
        match begins && (end_of_line > 0 || rest.is_empty()) {
            true => Span::new(start, at.end as usize + blank + end_of_line),
            false => at,
        }
    }

    /// The element with its content; a reason if that cannot be done.
    pub(super) fn remove(&self, e: &Element, out: &mut Vec<Splice>) -> Option<String> {
        if e.ending == Ending::Missing {
            return Some(self.unended(e, "taken away"));
        }
        out.push(Splice::text(self.with_line(e.span()), ""));
        None
    }

    /// Only the tags; a reason if that cannot be done.
    pub(super) fn unwrap(&self, e: &Element, out: &mut Vec<Splice>) -> Option<String> {
        match e.ending {
            Ending::Missing => return Some(self.unended(e, "unwrapped")),
            Ending::Tag { tag, .. } => {
                out.push(Splice::text(self.with_line(e.start), ""));
                out.push(Splice::text(self.with_line(tag), ""));
            }
            Ending::Itself | Ending::Void => out.push(Splice::text(self.with_line(e.start), "")),
        }
        None
    }

    /// An element around it, if it is not there; a reason if that cannot be done.
    pub(super) fn wrap(&self, e: &Element, wrap: &str, out: &mut Vec<Splice>) -> Option<String> {
        let (before, after) = wrap.split_once("@{it}")?;
        let name = before.trim_start().trim_start_matches('<');
        let name = name.split(|c: char| c.is_whitespace() || c == '>').next().unwrap_or("");
        let around = e.parent.map(|p| &self.page.elements[p]);
        if around.is_some_and(|p| self.page.host.same_name(self.page.name(p), name)) {
            return None;
        }
        if e.ending == Ending::Missing {
            return Some(self.unended(e, "wrapped"));
        }
        let span = e.span();
        out.push(Splice::text(Span::at(span.start as usize), before));
        out.push(Splice::text(Span::at(span.end as usize), after));
        None
    }

    /// A child, if it is not there; a reason if that cannot be done. `name`: what the element is called from now on.
    pub(super) fn add(
        &self,
        e: &Element,
        child: &str,
        first: bool,
        name: Option<&str>,
        out: &mut Vec<Splice>,
    ) -> Option<String> {
        let child = plain(child, self.slots);
        let text = self.page.text;
        let squeezed = |s: &str| s.split_whitespace().collect::<String>();
        let wanted = squeezed(&child);
        let children = self.children(e);
        if children.iter().any(|c| squeezed(c.span().of(text)) == wanted) {
            return None;
        }
        let old = self.page.name(e).to_owned();
        match e.ending {
            Ending::Missing | Ending::Void => return Some(self.unended(e, "given a child")),
            Ending::Itself => {
                let tag = e.start.of(text);
                let open = tag.trim_end_matches("/>").trim_end().len();
                let name = name.map_or(old.clone(), |n| match old.split_once(':') {
                    Some((prefix, _)) if !n.contains(':') => format!("{prefix}:{n}"),
                    _ => n.to_owned(),
                });
                let at = Span::new(e.start.start as usize + open, e.start.end as usize);
                out.push(Splice::text(at, format!(">{child}</{name}>")));
                return None;
            }
            Ending::Tag { .. } => {}
        }
        let content = e.content.of(text);
        if !content.contains('\n') {
            let at = if first { e.content.start } else { e.content.end };
            out.push(Splice::text(Span::at(at as usize), &child));
            return None;
        }
        let indent = match children.first() {
            Some(c) if self.indent(c.start).1 => self.indent(c.start).0.to_owned(),
            _ => format!(
                "{}{}",
                self.indent(e.start).0,
                indent_unit(text).unwrap_or_else(|| "    ".into())
            ),
        };
        let line = self.line_end;
        let child = child.replace('\n', &format!("{line}{indent}"));
        let at = match first {
            true => e.content.start as usize,
            false => e.content.start as usize + content.trim_end().len(),
        };
        out.push(Splice::text(Span::at(at), format!("{line}{indent}{child}")));
        None
    }

    /// The elements right within one.
    pub(super) fn children(&self, e: &Element) -> Vec<&Element> {
        let own = |c: &&Element| {
            c.parent.is_some_and(|p| std::ptr::eq(&raw const self.page.elements[p], e))
        };
        self.page.elements.iter().filter(own).collect()
    }

    /// What stands before a place on its line, and whether that is blank.
    pub(super) fn indent(&self, at: Span) -> (&str, bool) {
        let before = &self.page.text[..at.start as usize];
        let line = &before[before.rfind('\n').map_or(0, |i| i + 1)..];
        let blank = line.len() - line.trim_start().len();
        (&line[..blank], blank == line.len())
    }

    pub(super) fn unended(&self, e: &Element, done: &str) -> String {
        let name = self.page.name(e);
        format!("`{name}` is to be {done}, and it is not clear where it ends: do it by hand")
    }
}
