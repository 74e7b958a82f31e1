//! Maven project files, as in the POM reference: parents, properties, managed and plain dependencies,
//! plugins with their own dependencies, and all of it again in profiles.

use emendo_text::{RelPath, Span};
use roxmltree::Node;

use crate::edits::Patch;
use crate::formats::xml;
use crate::manifests::ecosystem::{
    Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Property, Toolchain, Value,
};

pub(super) const MAVEN: Ecosystem = Ecosystem {
    id: "maven",
    also: &["mvn", "java"],
    title: "Maven",
    claims: |path: &RelPath| path.name() == "pom.xml" || path.name().ends_with(".pom"),
    check_coordinate,
    read,
    split: |coordinate| coordinate.split(':').map(str::to_owned).collect(),
    plain: str::to_owned,
    exact: true,
    numbers: 1,
    shared: false,
    named_sources: true,
    toolchains: &["java", "kotlin"],
    add,
    locks: &[],
};

/// The group of plugins that name none.
const PLUGIN_GROUP: &str = "org.apache.maven.plugins";

fn check_coordinate(coordinate: &str) -> Option<String> {
    let parts: Vec<&str> = coordinate.split(':').collect();
    let ok = |p: &&str| {
        !p.is_empty()
            && p.chars().all(|c| c.is_ascii_alphanumeric() || matches!(c, '.' | '-' | '_' | '*'))
    };
    let star = coordinate.find('*').filter(|i| *i + 1 < coordinate.len());
    if star.is_some() || coordinate.starts_with('*') {
        return Some(format!(
            "`{coordinate}` fits no coordinate: `*` may stand at its end only, after the group"
        ));
    }
    let fits = parts.len() == 2 && parts.iter().all(ok);
    (!fits).then(|| format!("`{coordinate}` is not a Maven coordinate: write `group:artifact`"))
}

fn read(_: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    let doc = xml::parse(text).map_err(|e| ManifestError { message: e.message, at: e.at })?;
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
            ("repositories" | "pluginRepositories", "repository" | "pluginRepository") => {
                out.entries.extend(repository(text, node));
            }
            ("configuration", "release" | "source" | "target") => {
                let value = value(text, node);
                if value.held.is_none() {
                    out.toolchains.push(Toolchain { what: "java", value, form: Form::Plain });
                }
            }
            ("properties", name) => {
                let what = match name {
                    "maven.compiler.release"
                    | "maven.compiler.source"
                    | "maven.compiler.target"
                    | "java.version" => "java",
                    "kotlin.version" => "kotlin",
                    _ => "",
                };
                let own = value(text, node);
                if !what.is_empty() && own.held.is_none() {
                    out.toolchains.push(Toolchain { what, value: own, form: Form::Plain });
                }
                let grand = node
                    .parent_element()
                    .and_then(|p| p.parent_element())
                    .map_or("", |g| g.tag_name().name());
                if matches!(grand, "project" | "profile") {
                    out.properties.push(Property {
                        name: name.to_owned(),
                        value: value(text, node),
                        overrides: grand == "profile",
                    });
                }
            }
            // What is left out, what a plugin takes: a group and an artifact by name.
            (_, tag)
                if !matches!(tag, "project" | "dependency" | "plugin" | "parent")
                    && child(node, "groupId").is_some() =>
            {
                out.mentions.extend(entry(text, node, EntryKind::Dependency));
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
    let missing =
        Value { text: String::new(), span: Span::at(artifact.span.start as usize), held: None };
    let version = child(node, "version").map(|n| value(text, n));
    let range = node.range();
    let span = Span::new(range.start, range.end);
    let scope = child(node, "scope").map_or(String::new(), |n| value(text, n).text);
    let names = vec![group.unwrap_or(missing), artifact];
    let removal = removal(text, span);
    Some(Entry { coordinate, version, scope, ..Entry::new(kind, names, span, removal) })
}

fn repository(text: &str, node: Node<'_, '_>) -> Option<Entry> {
    let url = value(text, child(node, "url")?);
    let range = node.range();
    let span = Span::new(range.start, range.end);
    let id = child(node, "id").map(|n| value(text, n));
    let plugins = node.tag_name().name() == "pluginRepository";
    let names = std::iter::once(url).chain(id).collect();
    let scope = if plugins { "plugins" } else { "dependencies" };
    Some(Entry::source(names, scope, span, removal(text, span)))
}

/// An element with its lines, where nothing else stands on them.
pub(super) fn removal(text: &str, span: Span) -> Patch {
    crate::manifests::ecosystem::without_lines(text, span, is_remark)
}

/// True if nothing but a remark stands there.
fn is_remark(behind: &str) -> bool {
    behind.is_empty() || behind.starts_with("<!--") && behind.ends_with("-->")
}

/// A new entry after the last of its list, written like it; a new list where there is none.
fn add(_: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    let doc = xml::parse(text).ok()?;
    let root = doc.root_element();
    let nl = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let (list, item) = match (new.kind, new.scope) {
        (EntryKind::Plugin, _) => ("plugins", "plugin"),
        (EntryKind::Repository, "plugins") => ("pluginRepositories", "pluginRepository"),
        (EntryKind::Repository, _) => ("repositories", "repository"),
        _ => ("dependencies", "dependency"),
    };
    let mut says: Vec<(&str, &str)> = Vec::new();
    if new.kind == EntryKind::Repository {
        says.push(("id", new.id?));
        says.push(("url", new.coordinate));
    } else {
        let (group, artifact) = new.coordinate.split_once(':')?;
        says.extend([("groupId", group), ("artifactId", artifact)]);
        says.extend(new.version.map(|v| ("version", v)));
        says.extend((!new.scope.is_empty()).then_some(("scope", new.scope)));
    }
    let holder = if new.kind == EntryKind::Plugin { child(root, "build") } else { Some(root) };
    let list_node = holder.and_then(|h| child(h, list));
    let last = list_node
        .and_then(|l| l.children().rfind(|c| c.is_element() && c.tag_name().name() == item));
    let indent_of = |n: Node<'_, '_>| {
        let at = n.range().start;
        let line = text[..at].rfind('\n').map_or(0, |i| i + 1);
        let lead = &text[line..at];
        lead.trim().is_empty().then(|| lead.to_owned())
    };
    let first =
        root.children().find(Node::is_element).and_then(indent_of).unwrap_or_else(|| "  ".into());
    let around = list_node.or(holder).and_then(indent_of);
    let deep = match (list_node, around) {
        (Some(_), Some(own)) => format!("{own}{first}"),
        (None, Some(own)) => format!("{own}{}", first.repeat(2)),
        _ => first.repeat(2),
    };
    let indent = last.and_then(indent_of).unwrap_or(deep);
    let deeper = format!("{indent}{first}");
    let lines = says.iter().map(|(tag, said)| format!("{deeper}<{tag}>{said}</{tag}>{nl}"));
    let body = format!("<{item}>{nl}{}{indent}</{item}>", lines.collect::<String>());
    if let Some(last) = last {
        let end = last.range().end;
        let line = text[end..].find('\n').map(|i| end + i + 1);
        // At the beginning of the next line, so that the entry before may go by itself.
        let next = line.filter(|l| is_remark(text[end..*l].trim()));
        return Some(match next {
            Some(next) => Patch { span: Span::at(next), text: format!("{indent}{body}{nl}") },
            None => Patch { span: Span::at(end), text: format!("{nl}{indent}{body}") },
        });
    }
    if let Some(l) = list_node {
        let range = l.range();
        let open = text[range.clone()].find('>').map(|i| range.start + i + 1)?;
        let own = indent.strip_suffix(first.as_str()).unwrap_or("");
        // An element that is closed where it opens has to be opened first.
        if text[range.clone()].ends_with("/>") && open == range.end {
            let whole = format!("<{list}>{nl}{indent}{body}{nl}{own}</{list}>");
            return Some(Patch { span: Span::new(range.start, range.end), text: whole });
        }
        let end = if text[open..].starts_with("</") { format!("{nl}{own}") } else { String::new() };
        return Some(Patch { span: Span::at(open), text: format!("{nl}{indent}{body}{end}") });
    }
    let holder = holder?;
    let own = indent.strip_suffix(first.as_str()).unwrap_or("");
    let close = text[..holder.range().end].rfind("</")?;
    let line = text[..close].rfind('\n').map_or(0, |i| i + 1);
    let block = format!("{own}<{list}>{nl}{indent}{body}{nl}{own}</{list}>{nl}");
    Some(match text[line..close].trim().is_empty() {
        true => Patch { span: Span::at(line), text: block },
        false => Patch { span: Span::at(close), text: format!("{nl}{block}") },
    })
}

fn child<'a, 'i>(node: Node<'a, 'i>, name: &str) -> Option<Node<'a, 'i>> {
    node.children().find(|c| c.is_element() && c.tag_name().name() == name)
}

/// The text of an element, and where it stands. Comments and CDATA inside leave the whole inside as the place.
fn value(text: &str, node: Node<'_, '_>) -> Value {
    let (text, span) = xml::inner(text, node);
    let name = text.strip_prefix("${").and_then(|t| t.strip_suffix('}'));
    let held = name.filter(|n| !n.contains(['$', '{'])).map(str::to_owned);
    Value { text, span, held }
}
