//! Gradle in Groovy and Kotlin: dependencies in all notations, plugins, version catalogues, gradle.properties, the wrapper,
//! toolchains and compatibility levels, repositories.

use emendo_text::{RelPath, Span};

use crate::doc::Doc;
use crate::edits::{Edits, Patch};
use crate::manifests::ecosystem::{
    Ecosystem, Entry, EntryKind, Form, Manifest, ManifestError, New, Property, Toolchain, Value,
    format, parsed, value_of,
};
use crate::manifests::script::{SLASHES, Script, TokenKind, line_like};

pub(super) const GRADLE: Ecosystem = Ecosystem {
    id: "gradle",
    also: &[],
    title: "Gradle",
    claims,
    check_coordinate: |c| {
        let parts = c.split(':').count();
        let plain = c.chars().all(|c| c.is_ascii_alphanumeric() || ".-_:*/".contains(c));
        (parts > 2 || !plain).then(|| {
            format!("`{c}` is not a coordinate: write `group:name`, or the id of a plugin")
        })
    },
    read,
    split: |coordinate| coordinate.split(':').map(str::to_owned).collect(),
    plain: str::to_owned,
    exact: true,
    numbers: 1,
    shared: true,
    named_sources: false,
    toolchains: &["java", "gradle", "kotlin"],
    add,
    locks: &[("gradle.lockfile", "gradle dependencies --write-locks")],
};

fn claims(path: &RelPath) -> bool {
    let name = path.name();
    name.ends_with(".gradle")
        || name.ends_with(".gradle.kts")
        || matches!(name, "gradle.properties" | "gradle-wrapper.properties")
        || name.ends_with(".versions.toml")
}

fn read(path: &RelPath, text: &str) -> Result<Manifest, ManifestError> {
    match path.name() {
        "gradle-wrapper.properties" => Ok(wrapper(text)),
        "gradle.properties" => properties(text),
        name if name.ends_with(".toml") => catalogue(text),
        _ => Ok(build(text)),
    }
}

fn wrapper(text: &str) -> Manifest {
    let mut out = Manifest::default();
    if let Some(at) = text.find("/gradle-").map(|i| i + 8) {
        let len = text[at..].find(['-', '\n']).unwrap_or(0);
        let value = Value::new(text, Span::new(at, at + len));
        out.toolchains.push(Toolchain { what: "gradle", value, form: Form::Plain });
    }
    out
}

fn properties(text: &str) -> Result<Manifest, ManifestError> {
    let doc = parsed(format("properties"), text)?;
    let mut out = Manifest::default();
    for found in doc.all() {
        let value = value_of(text, &found);
        out.properties.extend(value.map(|value| Property::new(found.path(), value)));
    }
    Ok(out)
}

/// `group:name[:version]` at a place.
fn notation(text: &str, at: Span) -> Option<(String, Vec<Value>, Option<Value>)> {
    let raw = at.of(text);
    if raw.contains(char::is_whitespace) {
        return None;
    }
    let mut from = at.start as usize;
    let mut parts = Vec::new();
    for part in raw.split(':') {
        parts.push(Value::new(text, Span::new(from, from + part.len())));
        from += part.len() + 1;
    }
    let named = |v: &Value| {
        !v.text.is_empty() && v.text.chars().all(|c| c.is_alphanumeric() || ".-_".contains(c))
    };
    if parts.len() < 2 || !named(&parts[0]) || !named(&parts[1]) {
        return None;
    }
    let version = parts.get(2).cloned().map(|mut v| {
        // A kind of file may stand after it.
        if let Some(i) = v.text.find('@') {
            v = Value::new(text, Span::new(v.span.start as usize, v.span.start as usize + i));
        }
        v.held = reference(&v.text);
        v
    });
    let coordinate = format!("{}:{}", parts[0].text, parts[1].text);
    parts.truncate(2);
    Some((coordinate, parts, version))
}

/// The last name of `$a`, `${a}` and `${rootProject.ext.a}`.
fn reference(text: &str) -> Option<String> {
    let inner = text.strip_prefix('$')?;
    let inner = inner.strip_prefix('{').map_or(Some(inner), |i| i.strip_suffix('}'))?;
    let plain = inner.chars().all(|c| c.is_alphanumeric() || "._".contains(c));
    plain.then(|| inner.rsplit('.').next().unwrap_or(inner).to_owned())
}

fn catalogue(text: &str) -> Result<Manifest, ManifestError> {
    let toml = format("toml");
    let doc = parsed(toml, text)?;
    let edits = Edits { format: toml, text, doc: &doc };
    let mut out = Manifest::default();
    for found in doc.below(&["versions"]) {
        let name = found.pair().keys.last().map_or("", |k| k.text.as_str());
        let value = value_of(text, &found).or_else(|| rich_in(text, &doc, &["versions", name]));
        out.properties.extend(value.map(|value| {
            Property::new(found.pair().keys.last().map_or(String::new(), |k| k.text.clone()), value)
        }));
    }
    for (list, kind) in [("libraries", EntryKind::Dependency), ("plugins", EntryKind::Plugin)] {
        for found in doc.below(&[list]) {
            let name = found.pair().keys.last().map_or("", |k| k.text.as_str());
            let inner = |key: &[&str]| {
                let path: Vec<&str> = [list, name].into_iter().chain(key.iter().copied()).collect();
                doc.at(&path).first().and_then(|f| value_of(text, f))
            };
            let version = inner(&["version"]).or_else(|| {
                let mut held = inner(&["version", "ref"])?;
                held.held = Some(held.text.clone());
                Some(held)
            });
            let version = version.or_else(|| rich_in(text, &doc, &[list, name, "version"]));
            let told = if let Some(v) = value_of(text, &found) {
                match kind {
                    EntryKind::Plugin => {
                        let (id, version) = v.text.split_once(':').unwrap_or((&v.text, ""));
                        let start = v.span.start as usize;
                        let at = Value::new(text, Span::new(start, start + id.len()));
                        let own = Value::new(
                            text,
                            Span::new(v.span.end as usize - version.len(), v.span.end as usize),
                        );
                        Some((id.to_owned(), vec![at], (!version.is_empty()).then_some(own)))
                    }
                    _ => notation(text, v.span),
                }
            } else if let Some(module) = inner(&["module"]) {
                notation(text, module.span).map(|n| (n.0, n.1, version))
            } else if let Some(id) = inner(&["id"]) {
                Some((id.text.clone(), vec![id], version))
            } else if let (Some(g), Some(n)) = (inner(&["group"]), inner(&["name"])) {
                Some((format!("{}:{}", g.text, n.text), vec![g, n], version))
            } else {
                None
            };
            let Some((coordinate, names, version)) = told else { continue };
            let (span, removal) = (found.pair().span, edits.remove(&found));
            let (scope, base) = (list.to_owned(), Entry::new(kind, names, span, removal));
            out.entries.push(Entry { coordinate, version, scope, ..base });
        }
    }
    Ok(out)
}

/// The version in a table that says more than one thing about it.
fn rich_in(text: &str, doc: &Doc, path: &[&str]) -> Option<Value> {
    let one = |key: &&str| {
        let path: Vec<&str> = path.iter().copied().chain([*key]).collect();
        doc.at(&path).first().and_then(|f| value_of(text, f))
    };
    ["strictly", "require", "prefer"].iter().find_map(one)
}

fn build(text: &str) -> Manifest {
    let s = Script::new(text, &SLASHES);
    let mut out = Manifest::default();
    // The names of the blocks around.
    let mut around: Vec<&str> = Vec::new();
    let mut opens: Vec<bool> = Vec::new();
    let mut i = 0;
    while let Some((kind, token)) = s.get(i) {
        if kind == TokenKind::Sign && token == "{" {
            around.push(block_name(&s, i));
            opens.push(true);
            i += 1;
            continue;
        }
        if kind == TokenKind::Sign && token == "}" {
            around.pop();
            opens.pop();
            i += 1;
            continue;
        }
        let starts = i == 0
            || s.tokens[i - 1].kind == TokenKind::Line
            || s.is(i - 1, "{")
            || s.is(i - 1, ";");
        let inner = around.last().copied().unwrap_or("");
        if kind == TokenKind::Word {
            let next = match inner {
                "dependencies" | "constraints" if starts => dependency(&s, i, &mut out),
                "plugins" if starts => plugin(&s, i, &mut out),
                "repositories" if starts => repository(&s, i, &around, &mut out),
                _ => None,
            };
            if let Some(next) = next {
                i = next;
                continue;
            }
            property(&s, i, inner, starts, &mut out);
            toolchain(&s, i, &mut out);
            if token == "apply" && s.word(i + 1) == Some("plugin") && s.is(i + 2, ":") {
                out.entries.extend(s.value(i + 3).map(|id| {
                    let span = s.hull(i, i + 3);
                    s.entry(EntryKind::Plugin, id.text.clone(), vec![id], None, span)
                }));
            }
        }
        i += 1;
    }
    out
}

/// The word that a block belongs to.
fn block_name<'t>(s: &Script<'t>, open: usize) -> &'t str {
    let mut k = open;
    while k > 0 {
        k -= 1;
        match s.get(k) {
            Some((TokenKind::Word, w)) => return w,
            Some((TokenKind::Sign, ")")) => {
                let mut depth = 0;
                while k > 0 {
                    depth += i32::from(s.is(k, ")")) - i32::from(s.is(k, "("));
                    if depth == 0 {
                        break;
                    }
                    k -= 1;
                }
            }
            _ => return "",
        }
    }
    ""
}

/// An entry of `dependencies`; gives where it ends.
fn dependency(s: &Script<'_>, i: usize, out: &mut Manifest) -> Option<usize> {
    let end = s.statement_end(i);
    let scope = s.word(i)?;
    let mut k = i + 1;
    while s.is(k, "(")
        || matches!(
            s.word(k),
            Some("platform" | "enforcedPlatform" | "testFixtures" | "kapt" | "dependencies")
        ) && s.is(k + 1, "(")
    {
        k += 1;
    }
    let span = s.hull(i, end);
    let mut push = |coordinate: String, names: Vec<Value>, version: Option<Value>, span: Span| {
        let mut entry = s.entry(EntryKind::Dependency, coordinate, names, version, span);
        entry.scope = scope.to_owned();
        out.entries.push(entry);
    };
    if s.word(k) == Some("kotlin") && s.is(k + 1, "(") {
        let name = s.value(k + 2)?;
        let version = if s.is(k + 3, ",") { s.value(k + 4) } else { None };
        push(format!("org.jetbrains.kotlin:kotlin-{}", name.text), Vec::new(), version, span);
        return Some(end + 1);
    }
    // Named parts: `group: "g", name: "a", version: "v"`.
    let named = |key: &str| {
        let at = (k..=end)
            .find(|n| s.word(*n) == Some(key) && (s.is(n + 1, ":") || s.is(n + 1, "=")))?;
        Some(at + 2)
    };
    if let (Some(g), Some(n)) =
        (named("group").and_then(|n| s.value(n)), named("name").and_then(|n| s.value(n)))
    {
        let version = named("version").and_then(|n| {
            s.value(n)
                .map(|mut v| {
                    v.held = reference(&v.text);
                    v
                })
                .or_else(|| {
                    s.word(n).map(|w| Value {
                        held: Some(last_word(s, n, w)),
                        ..Value::new(s.text, s.tokens[n].span)
                    })
                })
        });
        push(format!("{}:{}", g.text, n.text), vec![g, n], version, span);
        return Some(end + 1);
    }
    // One notation, or several after one another.
    let mut any = false;
    let mut at = k;
    while at <= end {
        if let Some(q) = s.quoted(at)
            && let Some((coordinate, names, mut version)) = notation(s.text, q)
        {
            // `"group:name:" + version`
            if version.as_ref().is_some_and(|v| v.text.is_empty()) && s.is(at + 1, "+") {
                version = s.word(at + 2).map(|w| Value {
                    held: Some(last_word(s, at + 2, w)),
                    ..Value::new(s.text, s.tokens[at + 2].span)
                });
            }
            let version = version.filter(|v| !v.text.is_empty()).or_else(|| rich(s, at, end));
            push(coordinate, names, version, if any { s.hull(at, at) } else { span });
            any = true;
        }
        at += 1;
    }
    any.then_some(end + 1)
}

/// A version in a block of its own: `{ version { strictly '1' } }`.
fn rich(s: &Script<'_>, from: usize, end: usize) -> Option<Value> {
    let words = ["strictly", "require", "prefer"];
    let at = (from..=end).find(|k| s.word(*k).is_some_and(|w| words.contains(&w)))?;
    let mut value = s.value(at + 1 + usize::from(s.is(at + 1, "(")))?;
    value.held = reference(&value.text);
    Some(value)
}

/// The last name of a path that begins at a word.
fn last_word<'t>(s: &Script<'t>, from: usize, first: &'t str) -> String {
    let (mut k, mut last) = (from, first);
    while s.is(k + 1, ".")
        && let Some(w) = s.word(k + 2)
    {
        (k, last) = (k + 2, w);
    }
    last.to_owned()
}

/// An entry of `plugins`; gives where it ends.
fn plugin(s: &Script<'_>, i: usize, out: &mut Manifest) -> Option<usize> {
    let word = s.word(i).filter(|w| matches!(*w, "id" | "kotlin"))?;
    let open = usize::from(s.is(i + 1, "("));
    let mut id = s.value(i + 1 + open)?;
    let end = s.statement_end(i);
    let version = (i..=end).find(|k| s.word(*k) == Some("version")).and_then(|k| {
        let k = k + 1 + usize::from(s.is(k + 1, "("));
        s.value(k)
            .map(|mut v| {
                v.held = reference(&v.text);
                v
            })
            .or_else(|| {
                s.word(k).map(|w| Value {
                    held: Some(last_word(s, k, w)),
                    ..Value::new(s.text, s.tokens[k].span)
                })
            })
    });
    let span = s.hull(i, end);
    let mut names = Vec::new();
    let coordinate = if word == "kotlin" {
        format!("org.jetbrains.kotlin.{}", id.text)
    } else {
        id.text.clone()
    };
    if word == "id" {
        id.held = None;
        names.push(id);
    }
    out.entries.push(s.entry(EntryKind::Plugin, coordinate, names, version, span));
    Some(end + 1)
}

/// `maven { url = "..." }`, `maven("...")` and `mavenCentral()`; gives where it ends.
fn repository(s: &Script<'_>, i: usize, around: &[&str], out: &mut Manifest) -> Option<usize> {
    let scope = match around.iter().any(|w| matches!(*w, "pluginManagement" | "buildscript")) {
        true => "plugins",
        false => "dependencies",
    };
    let open = (i + 1..s.tokens.len()).find(|k| !s.is(*k, "(") && !s.is(*k, ")"))?;
    let direct = s.value(i + 2).filter(|_| s.is(i + 1, "("));
    let mut end = s.statement_end(i);
    if s.is(open, "{") {
        let mut depth = 0;
        end = (open..s.tokens.len()).find(|k| {
            depth += i32::from(s.is(*k, "{")) - i32::from(s.is(*k, "}"));
            depth == 0
        })?;
    }
    let told = |key: &str| {
        let at = (open..end).find(|k| s.word(*k) == Some(key))?;
        // A place may be built from text: `uri("...")`.
        (at + 1..(at + 5).min(end)).find_map(|k| s.value(k))
    };
    let url = direct.or_else(|| told("url"));
    let plain = s.is(i + 1, "(") && s.is(i + 2, ")");
    let names = match (url, plain) {
        (Some(url), _) => std::iter::once(url).chain(told("name")).collect(),
        (None, true) => vec![Value::new(s.text, s.tokens[i].span)],
        (None, false) => return Some(end + 1),
    };
    let span = s.hull(i, end);
    out.entries.push(Entry::source(names, scope, span, s.removal(span)));
    Some(end + 1)
}

/// `ext.a = "1"`, `def a = "1"`, `val a = "1"`, `set("a", "1")`, `extra["a"] = "1"`, and `a = "1"` within `ext`.
fn property(s: &Script<'_>, i: usize, inner: &str, starts: bool, out: &mut Manifest) {
    let word = s.word(i).unwrap_or("");
    let mut push = |name: &str, at: usize| {
        if let Some(value) = s.value(at) {
            out.properties.push(Property::new(name.to_owned(), value));
        }
    };
    match word {
        "def" | "val" | "var" | "String" => {
            if let Some(name) = s.word(i + 1) {
                if s.is(i + 2, "=") {
                    push(name, i + 3);
                } else if s.word(i + 2) == Some("by") && s.is(i + 4, "(") {
                    push(name, i + 5);
                }
            }
        }
        "ext" | "extra" if s.is(i + 1, ".") => {
            if let Some(name) = s.word(i + 2).filter(|_| s.is(i + 3, "=")) {
                push(name, i + 4);
            }
        }
        "ext" | "extra" if s.is(i + 1, "[") => {
            if let Some(name) = s.value(i + 2).filter(|_| s.is(i + 4, "=")) {
                push(&name.text, i + 5);
            }
        }
        "set" if s.is(i + 1, "(") => {
            if let Some(name) = s.value(i + 2).filter(|_| s.is(i + 3, ",")) {
                push(&name.text, i + 4);
            }
        }
        name if starts && inner == "ext" && s.is(i + 1, "=") => push(name, i + 2),
        _ => {}
    }
}

fn toolchain(s: &Script<'_>, i: usize, out: &mut Manifest) {
    let word = s.word(i).unwrap_or("");
    let mut push = |value: Value, form: Form| {
        if value.text.starts_with(|c: char| c.is_ascii_digit()) || form == Form::Words {
            out.toolchains.push(Toolchain { what: "java", value, form });
        }
    };
    match word {
        "sourceCompatibility" | "targetCompatibility" | "jvmTarget" | "release" => {
            let k = i + 1 + usize::from(s.is(i + 1, "="));
            if s.word(k) == Some("JavaVersion") && s.is(k + 1, ".") {
                if s.word(k + 2) == Some("toVersion") && s.is(k + 3, "(") {
                    let number = || Some(Value::new(s.text, s.tokens.get(k + 4)?.span));
                    if let Some(v) = s.value(k + 4).or_else(number) {
                        push(v, Form::Plain);
                    }
                } else if let Some(t) = s.tokens.get(k + 2) {
                    push(Value::new(s.text, t.span), Form::Words);
                }
            } else if let Some(v) = s.value(k) {
                push(v, Form::Plain);
            } else if let Some(t) = s.tokens.get(k).filter(|t| t.kind == TokenKind::Word) {
                // 1.8 is two numbers with a dot.
                let more = s.is(k + 1, ".") && s.word(k + 2).is_some();
                let span = if more { t.span.hull(s.tokens[k + 2].span) } else { t.span };
                push(Value::new(s.text, span), Form::Plain);
            }
        }
        "JavaLanguageVersion" if s.is(i + 1, ".") && s.is(i + 3, "(") => {
            if let Some(t) = s.tokens.get(i + 4) {
                push(Value::new(s.text, t.span), Form::Plain);
            }
        }
        "jvmToolchain" if s.is(i + 1, "(") => {
            if let Some(t) = s.tokens.get(i + 2) {
                push(Value::new(s.text, t.span), Form::Plain);
            }
        }
        _ => {}
    }
}

fn add(path: &RelPath, text: &str, new: &New<'_>) -> Option<Patch> {
    if !path.name().contains(".gradle") {
        return None;
    }
    let manifest = build(text);
    let kotlin = path.name().ends_with(".kts");
    if new.kind == EntryKind::Repository {
        return add_repository(text, &manifest, new, kotlin);
    }
    let version = new.version.unwrap_or("");
    let same = manifest.entries.iter().filter(|e| e.kind == new.kind);
    if new.kind == EntryKind::Plugin {
        let tail = if version.is_empty() {
            String::new()
        } else if kotlin {
            format!(" version \"{version}\"")
        } else {
            format!(" version '{version}'")
        };
        let line = if kotlin {
            format!("id(\"{}\"){tail}", new.coordinate)
        } else {
            format!("id '{}'{tail}", new.coordinate)
        };
        return line_like(text, same, "~", &line);
    }
    let scope = match new.scope {
        "" => "implementation",
        "test" | "dev" => "testImplementation",
        other => other,
    };
    let all: Vec<&Entry> = same.collect();
    let near: Vec<&Entry> = all.iter().copied().filter(|e| e.scope == scope).collect();
    let like = if near.is_empty() { all } else { near };
    let what = if version.is_empty() {
        new.coordinate.to_owned()
    } else {
        format!("{}:{version}", new.coordinate)
    };
    let sample = new.like.or_else(|| Some(like.last()?.span.of(text))).unwrap_or("");
    let quote = if sample.contains('\'') {
        '\''
    } else if kotlin || sample.contains('"') {
        '"'
    } else {
        '\''
    };
    let line = if kotlin || sample.contains('(') {
        format!("{scope}({quote}{what}{quote})")
    } else {
        format!("{scope} {quote}{what}{quote}")
    };
    line_like(text, like.into_iter(), "~", &line)
}

/// After the last place of its kind, in the manner of the others that name an address.
fn add_repository(text: &str, manifest: &Manifest, new: &New<'_>, kotlin: bool) -> Option<Patch> {
    let scope = if new.scope == "plugins" { "plugins" } else { "dependencies" };
    let all = manifest.entries.iter().filter(|e| e.kind == EntryKind::Repository);
    let same: Vec<&Entry> = all.filter(|e| e.scope == scope).collect();
    let like = same.iter().rev().map(|e| e.span.of(text)).find(|t| t.starts_with("maven {"));
    let brief = same.iter().any(|e| e.span.of(text).starts_with("maven("));
    let url = new.coordinate;
    let line = match like {
        Some(sample) => {
            let quote = if sample.contains('\'') { '\'' } else { '"' };
            let address = match (sample.contains("uri("), sample.contains('=')) {
                (true, _) => format!("url = uri({quote}{url}{quote})"),
                (false, true) => format!("url = {quote}{url}{quote}"),
                (false, false) => format!("url {quote}{url}{quote}"),
            };
            format!("maven {{ {address} }}")
        }
        None if kotlin && (brief || new.id.is_none()) => format!("maven(\"{url}\")"),
        None if kotlin => format!("maven {{ url = uri(\"{url}\") }}"),
        None => format!("maven {{ url = '{url}' }}"),
    };
    line_like(text, same.into_iter(), "~", &line)
}
