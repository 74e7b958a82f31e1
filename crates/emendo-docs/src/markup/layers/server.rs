//! The code of a template, which runs where the page is made.

use emendo_text::Span;

use crate::markup::host::Role;
use crate::markup::layers::layer::{DirectiveImport, Held, Layer, TakesImports};
use crate::markup::layers::view::View;
use crate::markup::page::{CodePart, Page, word_value};

/// The words of directives that import, each with how one is written.
const IMPORT: [(&str, &str); 2] = [("page", "<%@ page import=\""), ("tag", "<%@ tag import=\"")];

/// The code of a template; none where nobody reads it.
pub(super) fn layer(page: &Page<'_>) -> Option<Layer> {
    let ending = page.host.code.iter().find_map(|d| d.holds)?;
    let script = ending == "js";
    let mut view = View::new(page, script);
    let mut parts = page.code.iter().filter(|c| c.holds.is_some()).peekable();
    while let Some(code) = parts.next() {
        let inner = trimmed(page, code);
        let close = closing(page, code);
        if close != "%>" {
            // Whatever stood before it, a statement begins here.
            view.put(code.inner.start as usize - 1, b';');
        }
        match code.role {
            _ if close == ")" => call(&mut view, code),
            Role::Gives => view.expression(inner, Held::Brackets(close)),
            _ => view.part(inner, code.at, parts.peek().map(|p| p.at), close),
        }
    }
    let directives = ending == "java";
    if directives {
        beans(&mut view);
    }
    let importing = page.code.iter().find(|c| {
        let statements = c.role == Role::Controls && closing(page, c) != ")";
        statements && c.holds.is_some() && c.inner.of(page.text).trim_start().starts_with("use ")
    });
    let takes = match !directives {
        true => match importing {
            Some(part) => TakesImports::Script(part.inner.start),
            None => TakesImports::Nowhere("the code of a template"),
        },
        false => {
            let told = page.code.iter().find_map(|c| directive(page, c));
            TakesImports::Directive(told.map_or(IMPORT[0].1, |d| d.1), "\" %>")
        }
    };
    let mut layer = view.layer(ending, takes);
    if directives {
        layer.imports = page.code.iter().flat_map(|c| imports(page, c)).collect();
    }
    Some(layer)
}

/// What ends a piece of code.
fn closing(page: &Page<'_>, code: &CodePart) -> &'static str {
    const ENDS: &[&str] = &["!!}", "}}", "?>", "@endphp", ")"];
    let end = Span { start: code.inner.end, end: code.at.end }.of(page.text);
    ENDS.iter().find(|e| end.trim() == **e).copied().unwrap_or("%>")
}

/// What stands in the brackets of a call of the template: the arguments of a function that nobody knows. What a loop gives a name
/// is not read.
fn call(view: &mut View<'_, '_>, code: &CodePart) {
    let text = code.inner.of(view.page.text);
    if text.trim().is_empty() || text.contains(';') {
        return;
    }
    let length = text.find(" as ").unwrap_or(text.len());
    let inner = Span { start: code.inner.start, end: code.inner.start + length as u32 };
    if !view.copy(inner, Held::Brackets(")")) {
        return;
    }
    // As long as the sign and the name: a sign that ends what stood before, and a name.
    for at in code.at.start..code.inner.start - 1 {
        view.put(at as usize, if at == code.at.start { b';' } else { b'q' });
    }
    view.put(code.inner.start as usize - 1, b'(');
    view.put(inner.end as usize, b')');
    let behind = view.page.text.as_bytes().get(code.at.end as usize);
    // Lines are counted: their ends stay.
    if behind.is_some_and(|b| !matches!(b, b'\n' | b'\r')) {
        view.put(code.at.end as usize, b';');
    }
}

/// Variables that elements of the page declare: the type is code where it stands, and the name is written behind it.
fn beans(view: &mut View<'_, '_>) {
    let page = view.page;
    for e in page.elements.iter().filter(|e| page.name(e) == "jsp:useBean") {
        let value = |name: &str| page.attribute(e, name)?.value.filter(|v| !v.has_code);
        let told = value("type").or_else(|| value("class")).filter(|v| !v.inner.is_empty());
        let (Some(name), Some(told)) = (value("id"), told) else { continue };
        view.copy(told.inner, Held::Value(told.quote));
        let name = name.inner.of(page.text);
        if !view.write_behind(told.inner.end as usize + 1, &format!("{name};")) {
            view.put(told.inner.end as usize, b';');
        }
    }
}

/// Code without the sign that takes the line end behind it away.
fn trimmed(page: &Page<'_>, code: &CodePart) -> Span {
    let text = code.inner.of(page.text);
    let trims = page.host.id != "jsp" && text.ends_with(['-', '_']) && text.len() > 1;
    Span { start: code.inner.start, end: code.inner.end - u32::from(trims) }
}

/// The word of a directive that may import, with how one is written.
fn directive(page: &Page<'_>, code: &CodePart) -> Option<(&'static str, &'static str)> {
    let inner = code.inner.of(page.text).trim_start();
    let begins = |d: &&(&str, &str)| {
        let rest = inner.strip_prefix(d.0);
        rest.is_some_and(|r| r.starts_with(char::is_whitespace))
    };
    IMPORT.iter().find(begins).filter(|_| code.role == Role::Directive).copied()
}

/// What a directive imports.
fn imports(page: &Page<'_>, code: &CodePart) -> Vec<DirectiveImport> {
    let Some((name, _)) = directive(page, code) else { return Vec::new() };
    let Some(list) = word_value(page.text, code.inner, "import") else { return Vec::new() };
    // From the word to the quote.
    let head = &page.text[code.inner.start as usize..list.start as usize];
    let word = code.inner.start as usize + head.rfind("import").unwrap_or(0);
    let attribute = Span::new(word, list.end as usize + 1);
    let before = &page.text[code.inner.start as usize..word];
    let after = &page.text[attribute.end as usize..code.inner.end as usize];
    let alone = before.trim() == name && after.trim().is_empty();
    let from = code.inner.start as usize + before.trim_end().len();
    let whole = if alone { code.at } else { Span { start: from as u32, end: attribute.end } };
    let mut at = list.start as usize;
    let mut out = Vec::new();
    for item in list.of(page.text).split(',') {
        let start = at + (item.len() - item.trim_start().len());
        let path = Span::new(start, start + item.trim().len());
        at += item.len() + 1;
        if !path.is_empty() {
            out.push(DirectiveImport { path, list, whole, directive: code.at });
        }
    }
    out
}
