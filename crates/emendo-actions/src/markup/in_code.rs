//! Markup within code: elements by the tree of the code, and what they mean by its imports.

use emendo_docs::markup::{
    Attribute, AttributeValue, CodePart, Element, Ending, IN_CODE, Page, Role, TextRun,
};
use emendo_lang::Language;
use emendo_lang::tree::{Node, children, span, walk};
use emendo_text::{RelPath, Span};

use crate::contract::{Asks, Code, FileCx, Found, Runner};
use crate::markup::runner::MarkupRunner;

/// Does in the markup of one language's code what the action says.
pub(super) struct InCodeRunner {
    pub(super) language: &'static Language,
    pub(super) inner: MarkupRunner,
}

impl Runner for InCodeRunner {
    fn asks(&self) -> Asks {
        Asks { language: Some(self.language), ..self.inner.asks() }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.language.claims(path) && self.inner.in_scope(path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(code) = cx.code else { return };
        self.inner.find_in(&page(code, cx.text), cx, action, out);
    }
}

/// The markup of some code as a page.
fn page<'t>(code: &Code, text: &'t str) -> Page<'t> {
    let tags = &code.language.tags;
    let mut page = Page::new(&IN_CODE, text);
    // Open elements, each with its end.
    let mut open: Vec<(usize, u32)> = Vec::new();
    walk(code.tree.root(), |node| {
        let at = span(node);
        while open.pop_if(|o| o.1 <= at.start).is_some() {}
        let parent = open.last().map(|o| o.0);
        let kind = node.kind();
        if kind == tags.element || kind == tags.alone {
            if let Some(element) = element(code, node, parent, text) {
                let number = page.elements.len();
                if let Some(import) = imported(code, &element, text) {
                    page.imported.insert(number, import);
                }
                page.elements.push(element);
                open.push((number, at.end));
            }
        } else if kind == tags.text {
            page.texts.push(TextRun { at, parent, raw: false });
        } else if kind == tags.code {
            let inner = Span { start: at.start + 1, end: at.end.max(at.start + 2) - 1 };
            page.code.push(CodePart { at, inner, role: Role::Gives, holds: None });
        }
        true
    });
    page
}

fn element(code: &Code, node: Node<'_>, parent: Option<usize>, text: &str) -> Option<Element> {
    let tags = &code.language.tags;
    let alone = node.kind() == tags.alone;
    let parts = children(node);
    let opening = if alone { node } else { *parts.first()? };
    let closing = parts.last().filter(|c| !alone && c.kind() == tags.closing);
    // What has no name only holds others.
    let name = span(opening.child_by_field_name(tags.name)?);
    let attributes = children(opening).into_iter().filter(|c| c.kind() == tags.attribute);
    let attributes = attributes.filter_map(|a| attribute(code, a, text)).collect();
    let start = span(opening);
    let (content, ending) = match closing {
        Some(tag) => {
            let content = Span { start: start.end, end: span(*tag).start };
            let name = tag.child_by_field_name(tags.name).map(span)?;
            (content, Ending::Tag { tag: span(*tag), name })
        }
        None => (Span::at(start.end as usize), Ending::Itself),
    };
    Some(Element { parent, name, attributes, start, content, ending })
}

fn attribute(code: &Code, node: Node<'_>, text: &str) -> Option<Attribute> {
    let parts = children(node);
    let name = span(*parts.first()?);
    let value = parts.get(1..)?.last().map(|v| {
        let at = span(*v);
        let written = at.of(text);
        let quote = written.chars().next().filter(|c| matches!(c, '"' | '\''));
        if quote.is_some() && at.len() > 1 {
            let inner = Span { start: at.start + 1, end: at.end - 1 };
            return AttributeValue { inner, quote, has_code: false };
        }
        // A plain string in braces is a value too.
        let inner = written.strip_prefix('{').and_then(|w| w.strip_suffix('}')).map(str::trim);
        let quoted = inner.and_then(|i| {
            let quote = i.chars().next().filter(|c| matches!(c, '"' | '\''))?;
            let held = i.strip_prefix(quote)?.strip_suffix(quote)?;
            let start = at.start as usize + written.find(quote)? + 1;
            let plain =
                !held.contains([quote, '\\', '&', '<']) && v.kind() == code.language.tags.code;
            plain.then(|| (Span::new(start, start + held.len()), quote))
        });
        match quoted {
            Some((inner, quote)) => AttributeValue { inner, quote: Some(quote), has_code: false },
            None => AttributeValue { inner: at, quote: None, has_code: true },
        }
    });
    Some(Attribute { name, value, span: span(node) })
}

/// What an element is imported from, and its name there: `kit.Gauge`, `Gauge`, whatever it is called in the file.
fn imported(code: &Code, element: &Element, text: &str) -> Option<(String, String)> {
    let name = element.name.of(text);
    let (first, rest) = name.split_once('.').map_or((name, ""), |(f, r)| (f, r));
    let names = &code.language.names;
    let import = code.facts.imports.iter().find(|i| i.local() == Some(first) && !i.passes_on)?;
    let word = code.facts.words(first).iter().find(|w| w.span.start == element.name.start);
    if word.is_some_and(|w| code.facts.hides(first, w, import)) {
        return None;
    }
    let path = import.path();
    match (import.binds_root || import.segments.len() == 1, rest) {
        (_, "") => Some((names.parent(path), names.last(path).to_owned())),
        (_, rest) => Some((path.to_owned(), rest.to_owned())),
    }
}
