//! Maven project files, as in the POM reference: parents, properties, managed and plain dependencies,
//! plugins with their own dependencies, and all of it again in profiles.

use emendo_text::{RelPath, Span};
use roxmltree::{Document, Node, ParsingOptions};

use super::{Ecosystem, Entry, EntryKind, Manifest, ManifestError, Property, Value};

pub(super) const MAVEN: Ecosystem = Ecosystem {
    id: "maven",
    title: "Maven",
    claims: |path: &RelPath| path.name() == "pom.xml" || path.name().ends_with(".pom"),
    check_coordinate,
    read,
    split: |coordinate| coordinate.split(':').map(str::to_owned).collect(),
};

/// The group of plugins that name none.
const PLUGIN_GROUP: &str = "org.apache.maven.plugins";

fn check_coordinate(coordinate: &str) -> Option<String> {
    let parts: Vec<&str> = coordinate.split(':').collect();
    let ok = |p: &&str| {
        !p.is_empty()
            && p.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '.' | '-' | '_' | '*'))
    };
    let fits = parts.len() == 2 && parts.iter().all(ok);
    (!fits).then(|| format!("`{coordinate}` is no Maven coordinate: write `group:artifact`"))
}

fn read(text: &str) -> Result<Manifest, ManifestError> {
    let options = ParsingOptions { allow_dtd: true, ..ParsingOptions::default() };
    let doc = Document::parse_with_options(text, options).map_err(|e| {
        let pos = e.pos();
        let line = text
            .split('\n')
            .take(pos.row.saturating_sub(1) as usize)
            .map(|l| l.len() + 1)
            .sum::<usize>();
        let at = (line + pos.col.saturating_sub(1) as usize).min(text.len());
        ManifestError { message: e.to_string(), at: Span::at(at) }
    })?;
    let root = doc.root_element();
    let mut out = Manifest::default();
    for node in root.descendants().filter(Node::is_element) {
        let parent = node.parent_element().map_or("", |p| p.tag_name().name());
        match (parent, node.tag_name().name()) {
            ("dependencies", "dependency") => {
                out.entries.extend(entry(text, node, EntryKind::Dependency));
            }
            ("plugins", "plugin") => out.entries.extend(entry(text, node, EntryKind::Plugin)),
            ("project", "parent") => {
                out.entries.extend(entry(text, node, EntryKind::Parent));
                out.parent = out.entries.last().map(|e| e.coordinate.clone());
                let path = child(node, "relativePath").map(|n| value(text, n).text);
                out.parent_path = path.unwrap_or_else(|| "../pom.xml".to_owned());
            }
            ("properties", name) => {
                let grand = node
                    .parent_element()
                    .and_then(|p| p.parent_element())
                    .map_or("", |g| g.tag_name().name());
                if matches!(grand, "project" | "profile") {
                    out.properties
                        .push(Property { name: name.to_owned(), value: value(text, node) });
                }
            }
            _ => {}
        }
    }
    let own = |tag: &str| child(root, tag).map(|n| value(text, n).text);
    let group =
        own("groupId").or_else(|| out.parent.as_deref()?.split(':').next().map(str::to_owned));
    out.own = own("artifactId").map(|a| format!("{}:{a}", group.unwrap_or_default()));
    Ok(out)
}

fn entry(text: &str, node: Node<'_, '_>, kind: EntryKind) -> Option<Entry> {
    let artifact = value(text, child(node, "artifactId")?);
    let group = child(node, "groupId").map(|n| value(text, n));
    let group_text = group.as_ref().map_or(PLUGIN_GROUP, |g| g.text.as_str());
    let coordinate = format!("{group_text}:{}", artifact.text);
    let missing = Value { text: String::new(), span: Span::at(artifact.span.start as usize) };
    let version = child(node, "version").map(|n| value(text, n));
    let range = node.range();
    Some(Entry {
        kind,
        coordinate,
        names: vec![group.unwrap_or(missing), artifact],
        version,
        span: Span::new(range.start, range.end),
    })
}

fn child<'a, 'i>(node: Node<'a, 'i>, name: &str) -> Option<Node<'a, 'i>> {
    node.children().find(|c| c.is_element() && c.tag_name().name() == name)
}

/// The text of an element, and where it stands. Comments and CDATA inside leave the whole inside as the place.
fn value(text: &str, node: Node<'_, '_>) -> Value {
    let decoded: String =
        node.children().filter_map(|c| if c.is_text() { c.text() } else { None }).collect();
    let start = node.first_child().map(|c| c.range().start);
    let end = node.last_child().map(|c| c.range().end);
    let (start, end) = match (start, end) {
        (Some(s), Some(e)) => (s, e),
        _ => (node.range().end, node.range().end),
    };
    let inner = text.get(start..end).unwrap_or("");
    let lead = inner.len() - inner.trim_start().len();
    let span = Span::new(start + lead, start + inner.trim_end().len().max(lead));
    Value { text: decoded.trim().to_owned(), span }
}
