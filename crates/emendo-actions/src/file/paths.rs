//! Paths with slots: `src/@{folder*}/@{name}.test.ts`.

use emendo_recipe::{Table, Value};
use emendo_text::{Chunk, RelPath, Repeat, Span, Template, TemplateError};
use regex::Regex;

/// What a path holds in its slots.
pub(super) type PathSlots = Vec<(String, String)>;

/// A path with slots that files are compared with.
pub(super) struct PathPattern {
    regex: Regex,
    /// Slots that stand twice: the first group, and another that must be equal.
    equal: Vec<(String, String)>,
    limits: Vec<(String, Option<Regex>, Option<Regex>)>,
}

fn wrong(text: &str, message: impl Into<String>, help: &str) -> TemplateError {
    let at = Span::new(0, text.len());
    TemplateError { at, message: message.into(), help: help.to_owned() }
}

/// A path as a recipe writes it, taken apart.
pub(super) fn template(text: &str) -> Result<Template, TemplateError> {
    let parsed = Template::parse_text(text)?;
    let plain: String = parsed
        .chunks
        .iter()
        .map(|c| match c {
            Chunk::Text { text, .. } => text.as_str(),
            Chunk::Slot { .. } => "x",
        })
        .collect();
    let help = "a path leads from the project's root to a file, without `..` and with `/` between its parts";
    if plain.starts_with("./") || plain.ends_with('/') || plain.contains("//") {
        return Err(wrong(text, format!("`{text}` is not the path of a file"), help));
    }
    match RelPath::new(&plain) {
        Ok(_) => Ok(parsed),
        Err(e) => Err(wrong(text, e.to_string(), help)),
    }
}

impl PathPattern {
    /// Reads a path with slots, with what the slots may hold.
    pub(super) fn compile(text: &str, slots: Option<&Table>) -> Result<Self, TemplateError> {
        let template = template(text)?;
        let (mut source, mut equal) = (String::from("^"), Vec::new());
        let mut names: Vec<&str> = Vec::new();
        for (i, chunk) in template.chunks.iter().enumerate() {
            match chunk {
                Chunk::Text { text, .. } => {
                    // Any number of folders may be none: then one slash goes with them.
                    let before = i.checked_sub(1).map(|b| &template.chunks[b]);
                    let folders = matches!(
                        before,
                        Some(Chunk::Slot { repeat: Repeat::Any | Repeat::Some, .. })
                    );
                    let text = text.strip_prefix('/').filter(|_| folders).unwrap_or(text);
                    source.push_str(&regex::escape(text));
                }
                Chunk::Slot { name, repeat, .. } => {
                    let next = template.chunks.get(i + 1);
                    let slash =
                        matches!(next, Some(Chunk::Text { text, .. }) if text.starts_with('/'));
                    let nth = names.iter().filter(|n| *n == name).count();
                    names.push(name);
                    let group = if nth == 0 { name.clone() } else { format!("{name}__{nth}") };
                    if nth > 0 && name != "_" {
                        equal.push((name.clone(), group.clone()));
                    }
                    let named = |what: &str| match name.as_str() {
                        "_" => format!("(?:{what})"),
                        _ => format!("(?P<{group}>{what})"),
                    };
                    source.push_str(&match (repeat, slash) {
                        (Repeat::One, _) => named("[^/]+?"),
                        (Repeat::Optional, _) => named("[^/]*?"),
                        (Repeat::Any, true) => format!("(?:{}/)?", named(".+?")),
                        (Repeat::Any, false) => named(".*?"),
                        (Repeat::Some, true) => format!("{}/", named(".+?")),
                        (Repeat::Some, false) => named(".+?"),
                    });
                }
            }
        }
        source.push('$');
        let too_long = |e: regex::Error| wrong(text, e.to_string(), "use fewer slots");
        let regex = Regex::new(&source).map_err(too_long)?;
        let limits = slots.map_or(&[][..], |s| &s.entries).iter().filter_map(|e| {
            let Value::Table(t) = &e.node.value else { return None };
            let limit = |key: &str| t.text(key).and_then(|t| Regex::new(&t.text).ok());
            Some((e.key.clone(), limit("text"), limit("not_text")))
        });
        Ok(Self { regex, equal, limits: limits.collect() })
    }

    /// The names of its slots, named groups of what they may hold among them.
    pub(super) fn slots(&self) -> Vec<String> {
        let own = self.regex.capture_names().flatten().map(str::to_owned);
        let groups = self.limits.iter().filter_map(|l| l.1.as_ref());
        own.chain(groups.flat_map(|r| r.capture_names().flatten().map(str::to_owned))).collect()
    }

    /// The slots of a path that fits.
    pub(super) fn fit(&self, path: &str) -> Option<PathSlots> {
        let groups = self.regex.captures(path)?;
        let text = |name: &str| groups.name(name).map_or("", |g| g.as_str());
        if self.equal.iter().any(|(a, b)| text(a) != text(b)) {
            return None;
        }
        let names = self.regex.capture_names().flatten();
        let mut out: PathSlots = names.map(|n| (n.to_owned(), text(n).to_owned())).collect();
        for (slot, limit, not) in &self.limits {
            let Some(held) = out.iter().find(|s| s.0 == *slot).map(|s| s.1.clone()) else {
                continue;
            };
            if not.as_ref().is_some_and(|r| r.is_match(&held)) {
                return None;
            }
            let Some(limit) = limit else { continue };
            let inner = limit.captures(&held)?;
            for group in limit.capture_names().flatten() {
                let text = inner.name(group).map_or("", |g| g.as_str());
                out.push((group.to_owned(), text.to_owned()));
            }
        }
        Some(out)
    }
}

/// A path with its slots filled; folders that are none leave no slash behind.
pub(super) fn filled(template: &Template, slots: &PathSlots) -> Result<RelPath, String> {
    let mut out = String::new();
    for chunk in &template.chunks {
        match chunk {
            Chunk::Text { text, .. } => {
                let text = match out.is_empty() || out.ends_with('/') {
                    true => text.strip_prefix('/').unwrap_or(text),
                    false => text,
                };
                out.push_str(text);
            }
            Chunk::Slot { name, filters, .. } => {
                let held = slots.iter().find(|s| s.0 == *name).map_or("", |s| &s.1);
                out.push_str(&filters.iter().fold(held.to_owned(), |t, f| f.apply(&t)));
            }
        }
    }
    RelPath::new(&out).map_err(|e| format!("`{out}` is not a path in the project: {e}"))
}
