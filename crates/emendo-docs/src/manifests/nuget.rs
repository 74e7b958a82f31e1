//! NuGet packages: project files, central versions (Directory.Packages.props), shared properties (Directory.Build.props), and
//! packages.config; target frameworks.

use emendo_text::{RelPath, Span};
use roxmltree::Node;

use crate::edits::Patch;
use crate::formats::xml;
use crate::manifests::ecosystem::{
    Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Property, Toolchain, Value,
    any_word, whole,
};
use crate::manifests::maven::removal;

pub(super) const NUGET: Ecosystem = Ecosystem {
    id: "nuget",
    also: &["dotnet", "csharp", "net"],
    title: "NuGet",
    claims,
    check_coordinate: any_word,
    read,
    split: whole,
    plain: |c| c.to_lowercase(),
    exact: true,
    numbers: 1,
    shared: true,
    named_sources: true,
    toolchains: &["framework", "csharp"],
    add,
    locks: &[("packages.lock.json", "dotnet restore --force-evaluate")],
};

fn claims(path: &RelPath) -> bool {
    path.extension()
        .is_some_and(|e| matches!(e, "csproj" | "fsproj" | "vbproj" | "props" | "targets"))
        || path.name().eq_ignore_ascii_case("packages.config")
        || path.name().eq_ignore_ascii_case("nuget.config")
}

fn read(_: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    let doc = xml::parse(text).map_err(|e| ManifestError { message: e.message, at: e.at })?;
    let mut out = Manifest::default();
    for node in doc.root_element().descendants().filter(Node::is_element) {
        let parent = node.parent_element().map_or("", |p| p.tag_name().name());
        match (parent, node.tag_name().name()) {
            (_, "PackageReference" | "PackageVersion" | "GlobalPackageReference" | "package") => {
                out.entries.extend(entry(text, node));
            }
            ("packageSources", "add") => {
                let named = |name: &str| attribute(node, &[name]);
                if let (Some(url), Some(key)) = (named("value"), named("key")) {
                    let range = node.range();
                    let span = Span::new(range.start, range.end);
                    let removal = removal(text, span);
                    let names = vec![url, key];
                    out.entries.push(Entry::source(names, "dependencies", span, removal));
                }
            }
            ("PropertyGroup", name) => {
                let (value, span) = xml::inner(text, node);
                let held = held(&value);
                let value = Value { text: value, span, held };
                match name {
                    "TargetFramework" | "TargetFrameworks" => {
                        let mut at = value.span.start as usize;
                        for one in value.span.of(text).split(';') {
                            let value = Value::new(text, Span::new(at, at + one.len()));
                            at += one.len() + 1;
                            let form = frame(one);
                            out.toolchains.push(Toolchain { what: "framework", value, form });
                        }
                    }
                    "LangVersion" => {
                        let value = value.clone();
                        out.toolchains.push(Toolchain { what: "csharp", value, form: Form::Plain });
                    }
                    _ => {}
                }
                out.properties.push(Property::new(name.to_owned(), value));
            }
            _ => {}
        }
    }
    Ok(out)
}

/// `net8.0` says 8.0 after `net`; `net48` and `netstandard2.0` are not levels of the same count.
fn frame(text: &str) -> Form {
    let was = ["netcoreapp", "net"].into_iter().find(|p| {
        let rest = text.strip_prefix(p).unwrap_or("");
        rest.starts_with(|c: char| c.is_ascii_digit()) && rest.contains('.')
    });
    was.map_or(Form::Fixed, |was| Form::Behind { was, now: "net" })
}

fn held(text: &str) -> Option<String> {
    let name = text.strip_prefix("$(")?.strip_suffix(')')?;
    (!name.contains(['$', '('])).then(|| name.to_owned())
}

/// The value of an attribute, in whatever case it is written.
fn attribute(node: Node<'_, '_>, names: &[&str]) -> Option<Value> {
    let found =
        node.attributes().find(|a| names.iter().any(|n| a.name().eq_ignore_ascii_case(n)))?;
    let range = found.range_value();
    let span = Span::new(range.start, range.end);
    Some(Value { text: found.value().to_owned(), span, held: held(found.value()) })
}

fn entry(text: &str, node: Node<'_, '_>) -> Option<Entry> {
    let name = attribute(node, &["Include", "Update", "id"])?;
    let version = attribute(node, &["Version", "VersionOverride"]).or_else(|| {
        let inner = node.children().find(|c| c.tag_name().name() == "Version")?;
        let (text, span) = xml::inner(text, inner);
        let held = held(&text);
        Some(Value { text, span, held })
    });
    let range = node.range();
    let span = Span::new(range.start, range.end);
    let scope = node.tag_name().name().to_owned();
    let base = Entry::new(EntryKind::Dependency, vec![name], span, removal(text, span));
    Some(Entry { version, scope, ..base })
}

/// After the last entry of the file, written like it.
fn add(path: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    let manifest = read(path, text).ok()?;
    let tag = match path.name() {
        "Directory.Packages.props" => "PackageVersion",
        _ => "PackageReference",
    };
    let source = new.kind == EntryKind::Repository;
    let fits = |e: &&Entry| if source { e.kind == new.kind } else { e.scope == tag };
    let like = manifest.entries.iter().rev().find(fits)?;
    // Where versions are held centrally, references have none.
    let central = tag == "PackageReference" && like.version.is_none();
    let version =
        new.version.filter(|_| !central).map_or(String::new(), |v| format!(" Version=\"{v}\""));
    let line = if source {
        format!("<add key=\"{}\" value=\"{}\" />", new.id?, new.coordinate)
    } else {
        format!("<{tag} Include=\"{}\"{version} />", new.coordinate)
    };
    let start = text[..like.span.start as usize].rfind('\n').map_or(0, |i| i + 1);
    let indent = &text[start..like.span.start as usize];
    let nl = if text.contains("\r\n") { "\r\n" } else { "\n" };
    let end = like.span.end as usize;
    let next = text[end..].find('\n').map(|i| end + i + 1);
    Some(match next.filter(|_| indent.trim().is_empty()) {
        Some(next) => Patch { span: Span::at(next), text: format!("{indent}{line}{nl}") },
        None => Patch { span: Span::at(end), text: line },
    })
}
