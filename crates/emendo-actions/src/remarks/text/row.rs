//! One old text with its new one: comparing and writing.

use emendo_recipe::{Entry, Pair, Text, Value};
use emendo_text::{Chunk, Digest, Part, Repeat, Span, Template, TemplateError};
use regex::Regex;

use crate::contract::action_digest;

/// What a slot may hold.
#[derive(Clone)]
struct Limit {
    slot: String,
    text: Option<Regex>,
    not_text: Option<Regex>,
}

/// One old text with its new one.
#[derive(Clone)]
pub(super) struct TextRow {
    pub(super) digest: Digest,
    /// As the recipe writes it.
    pub(super) old: String,
    pub(super) advice: Option<String>,
    find: Regex,
    /// A slot that stands twice: the group of its first place, and that of another.
    equal: Vec<(String, String)>,
    limits: Vec<Limit>,
    new: Option<Template>,
    /// What `new` reads like: a place that lies in it is done.
    done: Option<Regex>,
    plain: Vec<String>,
    whole: bool,
}

/// A place that fits.
pub(super) struct TextMatch {
    pub(super) at: Span,
    slots: Vec<(String, Bound)>,
}

enum Bound {
    Place(Span),
    Group(String),
}

/// The regular expression of a template, and which of its groups must be equal.
fn expression(template: &Template) -> (String, Vec<(String, String)>) {
    let (mut source, mut equal) = (String::new(), Vec::new());
    let mut names: Vec<&str> = Vec::new();
    for (i, chunk) in template.chunks.iter().enumerate() {
        let last = i + 1 == template.chunks.len();
        match chunk {
            Chunk::Text { text, .. } => {
                // Blanks are blanks, however many.
                let words: Vec<String> = text.split([' ', '\t']).map(regex::escape).collect();
                let mut blank = false;
                for (n, word) in words.iter().enumerate() {
                    if n > 0 && !blank {
                        source.push_str("[ \\t]+");
                    }
                    blank = word.is_empty() && n > 0;
                    source.push_str(word);
                }
            }
            Chunk::Slot { name, repeat, .. } => {
                let lazy = if last { "" } else { "?" };
                let what = match repeat {
                    Repeat::One => format!("\\S+{lazy}"),
                    Repeat::Optional => format!("\\S*{lazy}"),
                    Repeat::Any => format!("[^\\r\\n]*{lazy}"),
                    Repeat::Some => format!("[^\\r\\n]+{lazy}"),
                };
                if name == "_" {
                    source.push_str(&format!("(?:{what})"));
                    continue;
                }
                let nth = names.iter().filter(|n| *n == name).count();
                names.push(name);
                let group = if nth == 0 { name.clone() } else { format!("{name}__{nth}") };
                if nth > 0 {
                    equal.push((name.clone(), group.clone()));
                }
                source.push_str(&format!("(?P<{group}>{what})"));
            }
        }
    }
    (source, equal)
}

impl TextRow {
    /// Reads a pair; what is wrong comes with its text.
    pub(super) fn compile<'p>(
        pair: &'p Pair,
        slots: &[Entry],
        whole: bool,
    ) -> Result<Self, (&'p Text, TemplateError)> {
        let parsed = |t: &'p Text| Template::parse_text(&t.text).map_err(|e| (t, e));
        let wrong = |t: &'p Text, message: String, help: &str| {
            let at = Span::new(0, t.text.len());
            (t, TemplateError { at, message, help: help.to_owned() })
        };
        let old = parsed(&pair.old)?;
        let blank = |c: &Chunk| match c {
            Chunk::Text { text, .. } => text.trim().is_empty(),
            Chunk::Slot { .. } => true,
        };
        if old.chunks.iter().all(blank) {
            let help = "write the words that are looked for";
            return Err(wrong(&pair.old, "this fits everything".to_owned(), help));
        }
        if pair.old.text.contains('\n') {
            let help = "write one action for each line";
            return Err(wrong(&pair.old, "`old` is more than one line".to_owned(), help));
        }
        let limits: Vec<Limit> = slots
            .iter()
            .filter_map(|e| match &e.node.value {
                Value::Table(t) => {
                    let regex = |key: &str| t.text(key).and_then(|t| Regex::new(&t.text).ok());
                    let (text, not_text) = (regex("text"), regex("not_text"));
                    Some(Limit { slot: e.key.clone(), text, not_text })
                }
                _ => None,
            })
            .collect();
        let new = pair.new.as_ref().map(parsed).transpose()?;
        let mut known: Vec<String> = old.slots().map(|s| s.0.to_owned()).collect();
        let groups = limits.iter().flat_map(|l| &l.text).flat_map(Regex::capture_names);
        known.extend(groups.flatten().map(str::to_owned));
        if let (Some(text), Some(new)) = (&pair.new, &new) {
            let free = new.slots().find(|s| !known.iter().any(|k| k == s.0));
            if let Some((name, at, _)) = free {
                let message = format!("nothing binds the slot `{name}`");
                let help = format!("`old` binds: {}", known.join(", "));
                return Err((text, TemplateError { at, message, help }));
            }
        }
        let (source, equal) = expression(&old);
        let find = if whole { format!("^(?:{source})$") } else { source };
        let too_long = |_| wrong(&pair.old, "this is too long".to_owned(), "use fewer slots");
        let find = Regex::new(&find).map_err(too_long)?;
        // What `old` fits in what `new` writes is done there.
        let written = |t: &Template| {
            let chunk = |c: &Chunk| match c {
                Chunk::Text { text, .. } => text.clone(),
                Chunk::Slot { .. } => "x".to_owned(),
            };
            t.chunks.iter().map(chunk).collect::<String>()
        };
        let grows = new.as_ref().filter(|n| find.is_match(&written(n)));
        let done = grows.map(expression).and_then(|(s, _)| Regex::new(&s).ok());
        let plain = old.chunks.iter().filter_map(|c| match c {
            Chunk::Text { text, .. } => Some(text.clone()),
            Chunk::Slot { .. } => None,
        });
        Ok(Self {
            digest: action_digest("text", &pair.old.text),
            old: pair.old.text.clone(),
            advice: pair.advice.clone(),
            find,
            equal,
            limits,
            done,
            plain: plain.collect(),
            new,
            whole,
        })
    }

    /// Words that a text must hold: those that stand whole in `old`.
    pub(super) fn words(&self) -> Vec<String> {
        let word = |c: char| c.is_alphanumeric() || c == '_' || c == '$' || !c.is_ascii();
        let mut out = Vec::new();
        for (i, text) in self.plain.iter().enumerate() {
            let cut = text.split(|c: char| !word(c)).filter(|w| !w.is_empty());
            for w in cut {
                let at = w.as_ptr() as usize - text.as_ptr() as usize;
                // What touches a slot may be a part of a longer word.
                let first = at == 0 && !(i == 0 && self.starts_plain());
                let last =
                    at + w.len() == text.len() && !(i + 1 == self.plain.len() && self.ends_plain());
                if !first && !last {
                    out.push(w.to_owned());
                }
            }
        }
        out
    }

    fn starts_plain(&self) -> bool {
        !self.old.starts_with("@{")
    }

    fn ends_plain(&self) -> bool {
        !self.old.ends_with('}')
    }

    /// The places in a part of a text that fit; what reads as `new` already is left out.
    pub(super) fn matches(&self, text: &str, part: Span) -> Vec<TextMatch> {
        let inner = part.of(text);
        let mut out = Vec::new();
        let mut from = 0;
        let done: Vec<Span> = match &self.done {
            Some(done) => done.find_iter(inner).map(|m| Span::new(m.start(), m.end())).collect(),
            _ => Vec::new(),
        };
        while from <= inner.len() {
            let Some(groups) = self.find.captures_at(inner, from) else { break };
            let Some(all) = groups.get(0) else { break };
            let at = Span::new(all.start(), all.end());
            let next = inner[all.start()..].chars().next().map_or(1, char::len_utf8);
            let borders = self.whole || bordered(inner, at);
            let equal = self.equal.iter().all(|(a, b)| {
                groups.name(a).map(|g| g.as_str()) == groups.name(b).map(|g| g.as_str())
            });
            let slots = self.slots(&groups, part.start as usize);
            let Some(slots) = slots.filter(|_| borders && equal && !all.is_empty()) else {
                from = all.start() + next;
                continue;
            };
            if !done.iter().any(|d| d.contains(at)) {
                out.push(TextMatch { at: at.shifted(part.start as usize), slots });
            }
            from = all.end().max(all.start() + next);
        }
        out
    }

    /// What the slots hold; none where that is not allowed.
    fn slots(&self, groups: &regex::Captures<'_>, base: usize) -> Option<Vec<(String, Bound)>> {
        let mut out = Vec::new();
        for name in self.find.capture_names().flatten() {
            let Some(g) = groups.name(name) else { continue };
            let place = Span::new(base + g.start(), base + g.end());
            out.push((name.to_owned(), Bound::Place(place)));
            for limit in self.limits.iter().filter(|l| l.slot == name) {
                if limit.not_text.as_ref().is_some_and(|r| r.is_match(g.as_str())) {
                    return None;
                }
                let Some(regex) = &limit.text else { continue };
                let inner = regex.captures(g.as_str())?;
                for group in regex.capture_names().flatten() {
                    let text = inner.name(group).map_or("", |g| g.as_str());
                    out.push((group.to_owned(), Bound::Group(text.to_owned())));
                }
            }
        }
        Some(out)
    }

    /// What a place becomes; none where there is only advice.
    pub(super) fn write(&self, m: &TextMatch, text: &str) -> Option<Vec<Part>> {
        let one = |chunk: &Chunk| match chunk {
            Chunk::Text { text, .. } => Part::Text(text.clone()),
            Chunk::Slot { name, filters, .. } => {
                let bound = m.slots.iter().find(|s| s.0 == *name).map(|s| &s.1);
                match bound {
                    Some(Bound::Place(at)) if filters.is_empty() => Part::Copy(*at),
                    Some(Bound::Place(at)) => {
                        let held = at.of(text).to_owned();
                        Part::Text(filters.iter().fold(held, |t, f| f.apply(&t)))
                    }
                    Some(Bound::Group(held)) => {
                        Part::Text(filters.iter().fold(held.clone(), |t, f| f.apply(&t)))
                    }
                    None => Part::Text(String::new()),
                }
            }
        };
        Some(self.new.as_ref()?.chunks.iter().map(one).collect())
    }
}

/// True if no word goes on over the borders of a place.
fn bordered(text: &str, at: Span) -> bool {
    let word = |c: Option<char>| c.is_some_and(|c| c.is_alphanumeric() || c == '_');
    let (before, inner, after) =
        (&text[..at.start as usize], at.of(text), &text[at.end as usize..]);
    let cut = |a: Option<char>, b: Option<char>| word(a) && word(b);
    !cut(before.chars().next_back(), inner.chars().next())
        && !cut(inner.chars().next_back(), after.chars().next())
}
