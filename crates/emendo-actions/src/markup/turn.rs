//! Children that become attributes, and attributes that become children.

use emendo_docs::markup::{Element, Ending};
use emendo_text::{Span, Splice, indent_unit};

use crate::markup::place::parts;
use crate::markup::write::Write;

impl Write<'_> {
    /// Takes children away whose text is the value of an attribute, and gives the attributes; a reason if that cannot be done.
    pub(super) fn to_attributes(
        &self,
        e: &Element,
        all: &[(String, String)],
        fresh: &mut Vec<String>,
        out: &mut Vec<Splice>,
    ) -> Option<String> {
        let page = self.page;
        let mut gone: Vec<Span> = Vec::new();
        let mut new = Vec::new();
        for (child, attribute) in all {
            let named = |c: &&Element| {
                let name = page.name(c);
                page.host.same_name(name, child) || page.host.same_name(parts(name).1, child)
            };
            let own: Vec<&Element> = self.children(e).into_iter().filter(named).collect();
            let Some(first) = own.first() else { continue };
            let inner = first.content.of(page.text);
            let text = inner.trim();
            let code = page.code.iter().any(|c| first.content.contains(c.at));
            let why = if own.len() > 1 {
                format!("`{child}` stands {} times", own.len())
            } else if page.attribute(e, attribute).is_some() {
                format!("`{attribute}` stands in the tag already")
            } else if !first.attributes.is_empty() || text.contains('<') && !code {
                format!("`{child}` holds more than text")
            } else if first.ending == Ending::Missing {
                format!("it is not clear where `{child}` ends")
            } else {
                let quote = if text.contains('"') && !text.contains('\'') { '\'' } else { '"' };
                let entity = if quote == '"' { "&quot;" } else { "&#39;" };
                let text = if code { text.to_owned() } else { text.replace(quote, entity) };
                new.push(format!("{attribute}={quote}{text}{quote}"));
                gone.push(first.span());
                continue;
            };
            return Some(format!("`{child}` is to be an attribute, but {why}: do it by hand"));
        }
        fresh.extend(new);
        let rest = e.content;
        let mut left = String::new();
        let mut at = rest.start;
        for g in &gone {
            left.push_str(Span { start: at, end: g.start.max(at) }.of(page.text));
            at = g.end;
        }
        left.push_str(Span { start: at, end: rest.end.max(at) }.of(page.text));
        match e.ending {
            // Nothing is left between the tags.
            Ending::Tag { tag, .. } if !gone.is_empty() && left.trim().is_empty() => {
                if page.host.void.is_empty() {
                    let close = Span { start: e.start.end - 1, end: tag.end };
                    out.push(Splice::text(close, "/>"));
                } else {
                    out.push(Splice::text(rest, ""));
                }
            }
            _ => out.extend(gone.iter().map(|g| Splice::text(self.with_line(*g), ""))),
        }
        None
    }

    /// The changes by which attributes become children, in the order of the recipe.
    ///
    /// # Errors
    /// Why that cannot be done.
    pub(super) fn to_children(
        &self,
        e: &Element,
        all: &[(String, String)],
        name: Option<&str>,
    ) -> Result<Vec<Splice>, String> {
        let page = self.page;
        let (mut out, mut children) = (Vec::new(), Vec::new());
        let prefix = parts(page.name(e)).0;
        for (attribute, child) in all {
            let Some(a) = page.attribute(e, attribute) else { continue };
            let child = match prefix {
                "" => child.clone(),
                _ if child.contains(':') => child.clone(),
                p => format!("{p}:{child}"),
            };
            let taken = self.children(e).iter().any(|c| page.host.same_name(page.name(c), &child));
            let why = match (a.value, taken) {
                (_, true) => format!("`{child}` stands there already"),
                (None, _) => "it has no value".to_owned(),
                (Some(v), _) => {
                    let text = v.inner.of(page.text);
                    // In a text these need not stand for the quotes around a value.
                    let text = text.replace("&quot;", "\"").replace("&#39;", "'");
                    children.push(format!("<{child}>{text}</{child}>"));
                    out.push(self.without(a));
                    continue;
                }
            };
            return Err(format!("`{attribute}` is to be a child, but {why}: do it by hand"));
        }
        if children.is_empty() {
            return Ok(out);
        }
        let (lead, begins) = self.indent(e.start);
        let unit = indent_unit(page.text).unwrap_or_else(|| "    ".into());
        let line = self.line_end;
        let content = e.content.of(page.text);
        let lines = begins && (content.contains('\n') || e.ending == Ending::Itself);
        let own: String = match lines {
            true => children.iter().map(|c| format!("{line}{lead}{unit}{c}")).collect(),
            false => children.concat(),
        };
        match e.ending {
            Ending::Missing | Ending::Void => return Err(self.unended(e, "given a child")),
            Ending::Tag { .. } => {
                out.push(Splice::text(Span::at(e.content.start as usize), own));
            }
            Ending::Itself => {
                let tag = e.start.of(page.text);
                // Blanks before the sign go with an attribute that stood there.
                let open = tag.trim_end_matches("/>").trim_end().len();
                let start = e.start.start as usize + open;
                let start =
                    out.iter().map(|s: &Splice| s.span.end as usize).fold(start, usize::max);
                let old = page.name(e);
                let name = match (name, prefix) {
                    (None, _) => old.to_owned(),
                    (Some(n), "") => n.to_owned(),
                    (Some(n), _) if n.contains(':') => n.to_owned(),
                    (Some(n), p) => format!("{p}:{n}"),
                };
                let end = if lines { format!("{line}{lead}") } else { String::new() };
                let at = Span::new(start, e.start.end as usize);
                out.push(Splice::text(at, format!(">{own}{end}</{name}>")));
            }
        }
        Ok(out)
    }
}
