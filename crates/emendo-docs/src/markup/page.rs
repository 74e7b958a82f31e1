//! A page of markup: elements, texts and code, each with its place.

use std::collections::BTreeMap;

use emendo_text::Span;

use crate::markup::host::{Host, NameSpaces, Role};

/// What a text of markup holds, in its order.
#[derive(Debug)]
pub struct Page<'t> {
    /// Its kind.
    pub host: &'static Host,
    /// Its text.
    pub text: &'t str,
    /// The elements, by where they begin.
    pub elements: Vec<Element>,
    /// Texts between tags, code within them left out.
    pub texts: Vec<TextRun>,
    /// The code of the template.
    pub code: Vec<CodePart>,
    /// Comments of the markup.
    pub comments: Vec<Span>,
    /// End tags that close nothing.
    pub stray: Vec<Span>,
    /// What elements are by imports: the number of the element, what it is imported from, and its name there.
    pub imported: BTreeMap<usize, (String, String)>,
}

/// An element.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Element {
    /// The element around it, by its number.
    pub parent: Option<usize>,
    /// Its name, with the prefix.
    pub name: Span,
    /// The attributes in order.
    pub attributes: Vec<Attribute>,
    /// The start tag.
    pub start: Span,
    /// What stands between its tags; empty where it has none.
    pub content: Span,
    /// How it ends.
    pub ending: Ending,
}

/// How an element ends.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Ending {
    /// By an end tag, with the name in it.
    Tag {
        /// The tag.
        tag: Span,
        /// The name.
        name: Span,
    },
    /// Its start tag closes itself.
    Itself,
    /// It never has content.
    Void,
    /// The end tag is left out.
    Missing,
}

/// An attribute.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Attribute {
    /// Its name.
    pub name: Span,
    /// Its value, if it has one.
    pub value: Option<AttributeValue>,
    /// Name and value.
    pub span: Span,
}

/// The value of an attribute.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct AttributeValue {
    /// What stands between the quotes.
    pub inner: Span,
    /// The quote; none for a bare word, or for code in braces.
    pub quote: Option<char>,
    /// Code of the template stands in it.
    pub has_code: bool,
}

/// A text between tags.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TextRun {
    /// Where it stands.
    pub at: Span,
    /// The element that it stands in.
    pub parent: Option<usize>,
    /// It is taken as it is: nothing in it stands for something else.
    pub raw: bool,
}

/// A piece of code of the template.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct CodePart {
    /// With its delimiters.
    pub at: Span,
    /// Without them.
    pub inner: Span,
    /// What it is there for.
    pub role: Role,
    /// The code in it, as the ending of a file that holds such code; nothing where it is not read.
    pub holds: Option<&'static str>,
}

impl Element {
    /// All of it, with its tags.
    pub fn span(&self) -> Span {
        let end = match self.ending {
            Ending::Tag { tag, .. } => tag.end,
            Ending::Itself | Ending::Void => self.start.end,
            Ending::Missing => self.content.end,
        };
        Span { start: self.start.start, end }
    }
}

impl<'t> Page<'t> {
    /// A page of which nothing is known yet.
    pub fn new(host: &'static Host, text: &'t str) -> Self {
        Self {
            host,
            text,
            elements: Vec::new(),
            texts: Vec::new(),
            code: Vec::new(),
            comments: Vec::new(),
            stray: Vec::new(),
            imported: BTreeMap::new(),
        }
    }
}

impl Page<'_> {
    /// What of its places does not hold: elements come in order, each within the one around it, and attributes within their tags. None for
    /// every page that is read; for tests and trials.
    pub fn fault(&self) -> Option<String> {
        let mut last = 0;
        for e in &self.elements {
            let held = e.start.start >= last
                && e.start.end <= e.content.start
                && e.content.start <= e.content.end
                && e.name.start > e.start.start
                && e.attributes.iter().all(|a| e.start.contains(a.span) && a.span.contains(a.name));
            let around = e.parent.map(|p| self.elements[p].content);
            if !held || around.is_some_and(|a| !a.contains(e.span())) {
                return Some(format!("{e:?}"));
            }
            last = e.start.start;
        }
        let texts = self.texts.iter().map(|t| t.at);
        let all = texts.chain(self.code.iter().map(|c| c.at)).chain(self.comments.iter().copied());
        let cut = |s: &Span| self.text.get(s.start as usize..s.end as usize).is_none();
        { all }.find(cut).map(|s| format!("{s:?} is no piece of the text"))
    }

    /// The name of an element, with its prefix.
    pub fn name(&self, element: &Element) -> &str {
        element.name.of(self.text)
    }

    /// An attribute by its name.
    pub fn attribute<'e>(&self, element: &'e Element, name: &str) -> Option<&'e Attribute> {
        element.attributes.iter().find(|a| self.host.same_name(a.name.of(self.text), name))
    }

    /// True if code of the template stands in the start tag beside the values: an attribute may be there or not.
    pub fn varies(&self, element: &Element) -> bool {
        let from = self.code.partition_point(|c| c.at.start < element.start.start);
        let within = self.code[from..].iter().take_while(|c| c.at.start < element.start.end);
        let value = |a: &Attribute| a.value.map(|_| Span { start: a.name.end, end: a.span.end });
        { within }.any(|c| !element.attributes.iter().filter_map(value).any(|v| v.contains(c.at)))
    }

    /// What an element is imported from, and its name there.
    pub fn import_of(&self, element: &Element) -> Option<&(String, String)> {
        let number = self.elements.partition_point(|e| e.start.start < element.start.start);
        self.imported.get(&number)
    }

    /// The elements around one, the nearest first.
    pub fn around(&self, element: &Element) -> impl Iterator<Item = &Element> {
        let mut next = element.parent;
        std::iter::from_fn(move || {
            let e = &self.elements[next?];
            next = e.parent;
            Some(e)
        })
    }

    /// The name space that a prefix stands for at an element; the empty prefix is that of names without one.
    pub fn space_of(&self, element: &Element, prefix: &str) -> Option<&str> {
        if self.host.spaces == NameSpaces::None {
            return None;
        }
        if self.host.spaces == NameSpaces::Imports {
            return self.import_of(element).map(|i| i.0.as_str());
        }
        let declares = |e: &Element| {
            e.attributes
                .iter()
                .rfind(|a| {
                    let name = a.name.of(self.text);
                    match prefix {
                        "" => name == "xmlns",
                        _ => name.strip_prefix("xmlns:") == Some(prefix),
                    }
                })
                .and_then(|a| a.value)
        };
        let found = std::iter::once(element).chain(self.around(element)).find_map(declares);
        if let Some(value) = found {
            return Some(value.inner.of(self.text)).filter(|v| !v.is_empty());
        }
        let libraries = self.libraries();
        libraries
            .into_iter()
            .find(|l| !prefix.is_empty() && l.0.of(self.text) == prefix)
            .map(|l| l.1.of(self.text))
    }

    /// The tag libraries that directives name for the whole file: the prefix, and what it stands for.
    pub fn libraries(&self) -> Vec<(Span, Span)> {
        if self.host.spaces != NameSpaces::Directives {
            return Vec::new();
        }
        let one = |code: &CodePart| {
            let inner = code.inner.of(self.text);
            let directive =
                code.role == Role::Directive && inner.trim_start().starts_with("taglib");
            let value = |name: &str| word_value(self.text, code.inner, name);
            directive
                .then(|| Some((value("prefix")?, value("uri").or_else(|| value("tagdir"))?)))?
        };
        self.code.iter().filter_map(one).collect()
    }
}

/// The value of `name="..."` in a directive.
pub(super) fn word_value(text: &str, within: Span, name: &str) -> Option<Span> {
    let inner = within.of(text);
    let mut from = 0;
    loop {
        let at = from + inner[from..].find(name)?;
        from = at + name.len();
        let starts = inner[..at].ends_with(|c: char| c.is_whitespace());
        let rest = inner[from..].trim_start();
        let Some(rest) = rest.strip_prefix('=').filter(|_| starts) else { continue };
        let rest = rest.trim_start();
        let quote = rest.chars().next().filter(|c| matches!(c, '"' | '\''))?;
        let start = within.end as usize - rest.len() + 1;
        let len = rest[1..].find(quote)?;
        return Some(Span::new(start, start + len));
    }
}
