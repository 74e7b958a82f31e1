//! Python packages: pyproject.toml in both layouts, requirements files, constraints, setup.cfg, setup.py.

mod requirement;
mod setup;

use emendo_text::{RelPath, Span};

use crate::doc::{Doc, Node, NodeKind};
use crate::edits::{Edits, Patch};
use crate::manifests::ecosystem::{
    Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Toolchain, Value, format,
    inserted, inside, key_of, keyed, parsed, value_of, whole,
};
use crate::manifests::python::requirement::requirement;

pub(super) const PYTHON: Ecosystem = Ecosystem {
    id: "python",
    also: &["pip", "pypi", "poetry", "py"],
    title: "Python",
    claims,
    check_coordinate: crate::manifests::ecosystem::any_word,
    read,
    split: whole,
    plain,
    exact: false,
    numbers: 1,
    shared: false,
    named_sources: false,
    toolchains: &["python"],
    add,
    locks: &[
        ("poetry.lock", "poetry lock"),
        ("uv.lock", "uv lock"),
        ("pdm.lock", "pdm lock"),
        ("Pipfile.lock", "pipenv lock"),
    ],
};

fn claims(path: &RelPath) -> bool {
    let name = path.name();
    let listed = |n: &str| n.starts_with("requirements") || n.starts_with("constraints");
    let folder = path.folder().rsplit('/').next().is_some_and(|f| f == "requirements");
    matches!(name, "pyproject.toml" | "setup.cfg" | "setup.py" | "Pipfile")
        || ((listed(name) || folder) && (name.ends_with(".txt") || name.ends_with(".in")))
}

/// Names that differ in case and in `-`, `_` and `.` only are the same (PEP 503).
fn plain(name: &str) -> String {
    let mut out = String::new();
    for c in name.chars() {
        match c {
            '-' | '_' | '.' if out.ends_with('-') => {}
            '-' | '_' | '.' => out.push('-'),
            c => out.extend(c.to_lowercase()),
        }
    }
    out
}

fn read(path: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    match path.name() {
        "pyproject.toml" => project(text),
        "Pipfile" => pipfile(text),
        "setup.cfg" => setup(text),
        "setup.py" => Ok(setup::script(text)),
        _ => Ok(lines(text)),
    }
}

/// The address of a line that says where packages come from.
fn index_of(line: &str) -> Option<&str> {
    let words = ["--extra-index-url", "--index-url", "--find-links", "-i", "-f"];
    let rest = words.iter().find_map(|w| line.strip_prefix(w))?;
    let url = rest.strip_prefix(['=', ' ', '\t'])?.trim_start();
    (!url.is_empty() && !url.contains(char::is_whitespace)).then_some(url)
}

fn lines(text: &str) -> Manifest {
    let mut out = Manifest::default();
    let mut at = 0;
    for line in text.split_inclusive('\n') {
        let start = at;
        at += line.len();
        let body = line.trim_start_matches('\u{feff}').trim();
        let from = start + line.find(body).unwrap_or(0);
        if let Some(url) = index_of(body) {
            let at = from + body.len() - url.len();
            let names = vec![Value::new(text, Span::new(at, at + url.len()))];
            let (span, whole) =
                (Span::new(from, from + body.len()), Span::new(start, start + line.len()));
            let removal = Patch { span: whole, text: String::new() };
            out.entries.push(Entry::source(names, "dependencies", span, removal));
            continue;
        }
        if body.is_empty()
            || body.starts_with(['#', '-'])
            || body.contains("://") && !body.contains(" @ ")
        {
            continue;
        }
        let code = body
            .find(" #")
            .map_or(body, |i| &body[..i])
            .trim_end()
            .trim_end_matches('\\')
            .trim_end();
        // A line may go on: with the version, or with its checksums.
        let mut whole = at;
        while text[start..whole].trim_end().ends_with('\\') && whole < text.len() {
            whole += text[whole..].find('\n').map_or(text.len() - whole, |i| i + 1);
        }
        let end = if whole > at { text[..whole].trim_end().len() } else { from + code.len() };
        let span = Span::new(from, end);
        let sealed = text[from..whole].contains("--hash=");
        let removal = Patch { span: Span::new(start, whole), text: String::new() };
        let entry = requirement(text, span, "", removal);
        out.entries.extend(entry.map(|e| Entry { sealed, ..e }));
    }
    out
}

fn project(text: &str) -> Result<Manifest, ManifestError> {
    let toml = format("toml");
    let doc = parsed(toml, text)?;
    let edits = Edits { format: toml, text, doc: &doc };
    let own =
        doc.text_at(&["project", "name"]).or_else(|| doc.text_at(&["tool", "poetry", "name"]));
    let mut out = Manifest { own: own.map(str::to_owned), ..Manifest::default() };
    for list in [["tool", "poetry", "source"], ["tool", "uv", "index"]] {
        for found in doc.at(&list) {
            for item in found.pair().node.items() {
                let said = |key: &str| {
                    let pair = item.pairs().iter().find(|p| p.is(&[key]))?;
                    Some(Value::new(text, inside(text, pair.node.span)))
                };
                if let Some(url) = said("url") {
                    let names = std::iter::once(url).chain(said("name")).collect();
                    let removal =
                        crate::manifests::ecosystem::without_lines(text, item.span, |b| {
                            b.is_empty()
                        });
                    out.entries.push(Entry::source(names, "dependencies", item.span, removal));
                }
            }
        }
    }
    for found in doc.all() {
        let parts: Vec<&str> = found.parts().map(|k| k.text.as_str()).collect();
        let (list, scope) = match parts.as_slice() {
            ["project", "dependencies"] => (true, "dependencies"),
            ["build-system", "requires"] => (true, "build"),
            ["project", "optional-dependencies", name] | ["dependency-groups", name] => {
                (true, *name)
            }
            ["tool", "poetry", "dependencies" | "dev-dependencies", _]
            | ["tool", "poetry", "group", _, "dependencies", _] => (false, parts[parts.len() - 2]),
            ["project", "requires-python"] => {
                let value = value_of(text, &found);
                out.toolchains.extend(value.map(|value| Toolchain {
                    what: "python",
                    value,
                    form: Form::Plain,
                }));
                continue;
            }
            _ => continue,
        };
        if list {
            each(text, &edits, &found.pair().node, scope, &mut out);
            continue;
        }
        let name = key_of(text, &found);
        let version = match &found.pair().node.kind {
            NodeKind::Map(_) => {
                let path: Vec<&str> = parts.iter().copied().chain(["version"]).collect();
                doc.at(&path).first().and_then(|f| value_of(text, f))
            }
            _ => value_of(text, &found),
        };
        if name.text == "python" {
            out.toolchains.extend(version.map(|value| Toolchain {
                what: "python",
                value,
                form: Form::Plain,
            }));
            continue;
        }
        let extras = features(text, &doc, &parts);
        let elsewhere = ["git", "path", "url"].iter().find_map(|k| {
            let path: Vec<&str> = parts.iter().copied().chain([*k]).collect();
            value_of(text, doc.at(&path).first()?)
        });
        let entry = keyed(&edits, &found, name, version, scope);
        out.entries.push(Entry { features: extras, elsewhere, ..entry });
    }
    Ok(out)
}

fn features(text: &str, doc: &Doc, parts: &[&str]) -> Vec<Value> {
    let path: Vec<&str> = parts.iter().copied().chain(["extras"]).collect();
    let found = doc.at(&path).into_iter().next();
    let items = found.map_or(Vec::new(), |f| f.pair().node.items().to_vec());
    items.iter().map(|i| Value::new(text, inside(text, i.span))).collect()
}

fn each(text: &str, edits: &Edits<'_>, list: &Node, scope: &str, out: &mut Manifest) {
    for item in list.items().iter().filter(|i| i.text().is_some()) {
        let removal = edits.remove_item(list, item);
        let at = inside(text, item.span);
        out.entries
            .extend(requirement(text, at, scope, removal).map(|e| Entry { span: item.span, ..e }));
    }
}

fn pipfile(text: &str) -> Result<Manifest, ManifestError> {
    let toml = format("toml");
    let doc = parsed(toml, text)?;
    let edits = Edits { format: toml, text, doc: &doc };
    let mut out = Manifest::default();
    for list in ["packages", "dev-packages"] {
        for found in doc.below(&[list]) {
            let name = key_of(text, &found);
            let inner = doc.at(&[list, &name.text, "version"]);
            let version =
                inner.first().and_then(|f| value_of(text, f)).or_else(|| value_of(text, &found));
            let features = features(text, &doc, &[list, &name.text]);
            let elsewhere = ["git", "path", "file"]
                .iter()
                .find_map(|k| value_of(text, doc.at(&[list, &name.text, k]).first()?));
            let entry = keyed(&edits, &found, name, version, list);
            out.entries.push(Entry { features, elsewhere, ..entry });
        }
    }
    for found in doc.at(&["requires", "python_version"]) {
        let value = value_of(text, &found);
        out.toolchains.extend(value.map(|value| Toolchain {
            what: "python",
            value,
            form: Form::Plain,
        }));
    }
    Ok(out)
}

fn setup(text: &str) -> Result<Manifest, ManifestError> {
    let doc = parsed(format("ini"), text)?;
    let mut out = Manifest {
        own: doc.text_at(&["metadata", "name"]).map(str::to_owned),
        ..Manifest::default()
    };
    for found in doc.all() {
        let parts: Vec<&str> = found.parts().map(|k| k.text.as_str()).collect();
        match parts.as_slice() {
            ["options", "install_requires" | "setup_requires" | "tests_require"]
            | ["options.extras_require", _] => {}
            ["options", "python_requires"] => {
                let value = value_of(text, &found);
                out.toolchains.extend(value.map(|value| Toolchain {
                    what: "python",
                    value,
                    form: Form::Plain,
                }));
                continue;
            }
            _ => continue,
        }
        let at = found.pair().node.span;
        let mut from = at.start as usize;
        for line in at.of(text).split_inclusive('\n') {
            let body = line.trim();
            let start = from + line.find(body).unwrap_or(0);
            let whole = text[..start].rfind('\n').map_or(0, |i| i + 1);
            let end = from + line.len();
            from = end;
            if body.is_empty() || body.starts_with('#') {
                continue;
            }
            let span = Span::new(start, start + body.len());
            let next = text[span.end as usize..]
                .find('\n')
                .map_or(text.len(), |i| span.end as usize + i + 1);
            let removal = Patch { span: Span::new(whole, next), text: String::new() };
            out.entries.extend(requirement(text, span, parts[parts.len() - 1], removal));
        }
    }
    Ok(out)
}

fn add(path: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    if new.kind == EntryKind::Repository {
        if !path.name().ends_with(".txt") && !path.name().ends_with(".in") {
            return None;
        }
        let line = format!("--extra-index-url {}", new.coordinate);
        let manifest = lines(text);
        let same = manifest.entries.iter().filter(|e| e.kind == new.kind);
        let nl = if text.contains("\r\n") { "\r\n" } else { "\n" };
        let first = || Patch { span: Span::at(0), text: format!("{line}{nl}") };
        return crate::manifests::script::line_like(text, same, "~", &line)
            .or_else(|| Some(first()));
    }
    let extras = if new.features.is_empty() {
        String::new()
    } else {
        format!("[{}]", new.features.join(","))
    };
    let version = match new.version {
        Some(v) if v.starts_with(|c: char| c.is_ascii_digit()) => format!(">={v}"),
        other => other.unwrap_or("").to_owned(),
    };
    let whole = format!("{}{extras}{version}", new.coordinate);
    match path.name() {
        "pyproject.toml" => {
            let toml = format("toml");
            let doc = parsed(toml, text).ok()?;
            if !doc.below(&["tool", "poetry", "dependencies"]).is_empty() {
                let version = new.version.unwrap_or("*");
                let path = match new.scope {
                    "" => vec!["tool", "poetry", "dependencies", new.coordinate],
                    group => vec!["tool", "poetry", "group", group, "dependencies", new.coordinate],
                };
                return inserted(toml, text, &path, &format!("\"{version}\""));
            }
            let path = match new.scope {
                "" => vec!["project", "dependencies"],
                group => vec!["project", "optional-dependencies", group],
            };
            let edits = Edits { format: toml, text, doc: &doc };
            match doc.at(&path).first() {
                Some(list) => edits.append(&list.pair().node, &whole),
                None => inserted(toml, text, &path, &format!("[\"{whole}\"]")),
            }
        }
        "setup.cfg" | "Pipfile" => None,
        _ => {
            let manifest = lines(text);
            let same = manifest.entries.iter().filter(|e| e.kind == new.kind);
            crate::manifests::script::line_like(text, same, new.coordinate, &whole)
                .or_else(|| Some(Patch { span: Span::at(text.len()), text: format!("{whole}\n") }))
        }
    }
}
