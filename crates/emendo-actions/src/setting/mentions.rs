//! Keys where they are mentioned: in strings of code, in attributes and templates, in values of other settings.

use std::sync::Arc;

use emendo_docs::{Doc, NodeKind};
use emendo_lang::{Certainty, Fact, Language};
use emendo_recipe::Scope;
use emendo_text::{RelPath, Span, Splice};

use crate::contract::Tables;
use crate::contract::{Asks, Draft, FileCx, Found, Needs, NoteDraft, Runner};
use crate::setting::rule::SettingRule;

/// A form in which a key is mentioned: what stands before and after it.
#[derive(Clone)]
pub(super) struct Form {
    before: String,
    behind: String,
    /// The key is all of a literal.
    whole: bool,
}

impl Form {
    pub(super) fn compile(text: &str) -> Result<Self, String> {
        let Some((before, rest)) = text.split_once("@{key}") else {
            return Err("a form of mentions must hold `@{key}`".into());
        };
        // What a further slot holds may be anything.
        let behind = rest.split("@{").next().unwrap_or(rest);
        let whole = before.ends_with(['"', '\'', '`']) && behind.starts_with(['"', '\'', '`']);
        Ok(Self { before: before.to_owned(), behind: behind.to_owned(), whole })
    }

    /// True if the form stands around a place.
    fn fits(&self, text: &str, at: Span) -> bool {
        let (lead, rest) = (&text[..at.start as usize], &text[at.end as usize..]);
        if self.whole {
            let quote = lead.chars().next_back().filter(|c| "\"'`".contains(*c));
            return quote.is_some_and(|q| rest.starts_with(q));
        }
        lead.ends_with(&self.before) && rest.starts_with(&self.behind)
    }
}

pub(super) struct MentionRunner {
    tables: Arc<Tables>,
    language: Option<&'static Language>,
    scope: Scope,
    rules: Vec<SettingRule>,
    forms: Vec<Form>,
    needs: Needs,
}

impl MentionRunner {
    pub(super) fn new(
        tables: Arc<Tables>,
        language: Option<&'static Language>,
        scope: Scope,
        rules: Vec<SettingRule>,
        forms: Vec<Form>,
    ) -> Self {
        // A key that is put together is there in parts: its first will do.
        let first = |r: &SettingRule| {
            let whole = r.key.trim_end_matches('.');
            let mut parts: Vec<&str> = whole.split('.').collect();
            if language.is_some() && parts.len() > 1 {
                parts.truncate(1);
            }
            parts.into_iter().map(str::to_owned).collect::<Vec<_>>()
        };
        let environment =
            |r: &SettingRule| vec![emendo_docs::constant(r.key.trim_end_matches('.'))];
        let needs = Needs::of(rules.iter().map(first).chain(rules.iter().map(environment)));
        Self { tables, language, scope, rules, forms, needs }
    }

    /// The places where mentions may stand: literals of code, values of settings, or all of a text.
    fn places(&self, cx: &FileCx<'_>) -> Vec<Span> {
        if let Some(code) = cx.code {
            return code.facts.strings.clone();
        }
        let Some(format) = cx.tables.format_of(cx.path) else {
            return outside_comments(cx.text);
        };
        if format.mentions_anywhere {
            return outside_comments(cx.text);
        }
        let doc: Doc = (format.read)(cx.text);
        let mut out = Vec::new();
        for e in doc.all() {
            match &e.pair().node.kind {
                NodeKind::Text(_) => out.push(e.pair().node.span),
                NodeKind::List(items) => out.extend(items.iter().map(|i| i.span)),
                _ => {}
            }
        }
        out
    }
}

/// What stands in a page or a template outside of its comments: these set nothing.
fn outside_comments(text: &str) -> Vec<Span> {
    let (mut out, mut at) = (Vec::new(), 0);
    while let Some(start) = text[at..].find("<!--").map(|i| at + i) {
        out.push(Span::new(at, start));
        at = text[start..].find("-->").map_or(text.len(), |i| start + i + 3);
    }
    out.push(Span::new(at, text.len()));
    out
}

/// The places of keys in a settings file: they are the settings themselves, and mention none.
fn keys(cx: &FileCx<'_>) -> Vec<Span> {
    let Some(format) = cx.tables.format_of(cx.path).filter(|_| cx.code.is_none()) else {
        return Vec::new();
    };
    let doc: Doc = (format.read)(cx.text);
    let named = doc.all().into_iter().filter(|e| !e.pair().keys.is_empty());
    named.map(|e| e.pair().key_span()).collect()
}

/// The places within a text where a key stands by itself: nothing of a longer key beside it.
pub(super) fn spelled(text: &str, within: Span, key: &str, below: bool) -> Vec<Span> {
    let part = within.of(text);
    let word = |c: char| c.is_alphanumeric() || c == '_' || c == '-';
    let mut out = Vec::new();
    for (i, _) in part.match_indices(key) {
        let before = part[..i].chars().next_back();
        let rest = &part[i + key.len()..];
        let mut after = rest.chars();
        let next = after.next();
        let longer = next.is_some_and(word) || next == Some('.') && after.next().is_some_and(word);
        let fits = !before.is_some_and(|c| word(c) || c == '.');
        if fits && (below && key.ends_with(['.', '_']) && next.is_some_and(word) || !longer) {
            let start = within.start as usize + i;
            out.push(Span::new(start, start + key.len()));
        }
    }
    out
}

impl Runner for MentionRunner {
    fn asks(&self) -> Asks {
        Asks { kind: "setting", language: self.language, needs: self.needs.clone(), ..Asks::NONE }
    }

    fn covers(&self, path: &RelPath) -> bool {
        let fits = match self.language {
            Some(l) => l.claims(path),
            None => {
                let tables = &self.tables;
                tables.language_of(path).is_none()
                    && tables.ecosystem_of(path).is_none()
                    && !tables.is_lock(path)
                    && (is_text(path) || tables.format_of(path).is_some())
            }
        };
        fits && !self.scope.not_files.matches(path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let places = self.places(cx);
        let mut order: Vec<usize> = (0..self.rules.len()).collect();
        order.sort_by_key(|i| std::cmp::Reverse(self.rules[*i].key.len()));
        let mut done: Vec<Span> = keys(cx);
        for row in order {
            let rule = &self.rules[row];
            // A single word is too little of a key where nothing else tells.
            if !rule.key.trim_end_matches('.').contains('.') && !rule.all_below {
                continue;
            }
            let variable = emendo_docs::constant(&rule.key);
            for place in &places {
                let whole = rule.key.trim_end_matches('.');
                let mut found = spelled(cx.text, *place, &rule.key, rule.all_below);
                if rule.all_below {
                    found.extend(spelled(cx.text, *place, whole, false));
                }
                for at in found {
                    if done.iter().any(|d| d.contains(at)) {
                        continue;
                    }
                    let full = if rule.all_below { whole_key(cx.text, at, *place) } else { at };
                    // Within code the literal's own quotes stand outside of the place.
                    let literal = cx.code.is_some() && full == *place;
                    let fits = |f: &Form| f.fits(cx.text, full) || f.whole && literal;
                    if literal && is_joined(cx.text, *place) {
                        done.push(at);
                        let say = self.say(rule, place.of(cx.text));
                        out.notes.push(NoteDraft::new(*place, say));
                    } else if self.forms.iter().any(fits) {
                        done.push(at);
                        self.mention(cx, (action, row), at, out);
                    }
                }
                self.environment(cx, (action, row), (*place, &variable), &mut done, out);
                if cx.code.is_some() && self.put_together(cx, rule, *place) {
                    let say = self.say(rule, place.of(cx.text));
                    if !out.notes.iter().any(|n| n.at == *place) {
                        out.notes.push(NoteDraft::new(*place, say));
                    }
                }
            }
        }
    }
}

impl MentionRunner {
    /// Mentions of the variable of the environment that stands for a key.
    fn environment(
        &self,
        cx: &FileCx<'_>,
        action: (usize, usize),
        (place, key): (Span, &str),
        done: &mut Vec<Span>,
        out: &mut Found,
    ) {
        let rule = &self.rules[action.1];
        for at in spelled(cx.text, place, key, rule.all_below) {
            let full = if rule.all_below { whole_key(cx.text, at, place) } else { at };
            let lead = &cx.text[..full.start as usize];
            let filled = self.forms.iter().any(|f| f.before.ends_with("${"));
            let literal = cx.code.is_some() && full == place;
            let fits = filled
                && lead.ends_with(['$', '{'])
                && (lead.ends_with('$') || lead.ends_with("${"))
                || self.forms.iter().any(|f| f.whole && (literal || f.fits(cx.text, full)));
            if fits && !done.iter().any(|d| d.contains(at)) {
                done.push(at);
                self.mention(cx, action, at, out);
            }
        }
    }

    fn mention(&self, cx: &FileCx<'_>, action: (usize, usize), at: Span, out: &mut Found) {
        let rule = &self.rules[action.1];
        let Some(new) = &rule.new else {
            let advice = rule.advice.clone().unwrap_or_default();
            out.notes.push(NoteDraft::new(at, format!("`{}`: {advice}", rule.key)));
            return;
        };
        let written = at.of(cx.text);
        let new = if written.ends_with(['.', '_']) { new } else { new.trim_end_matches('.') };
        let new = if written == emendo_docs::constant(&rule.key) {
            emendo_docs::constant(new)
        } else {
            new.to_owned()
        };
        let what = if cx.code.is_some() { "a literal" } else { "a value or text" };
        let text = format!("{what} names the setting `{}`", at.of(cx.text).trim_end_matches('.'));
        let fact = Fact { says: Certainty::Likely, text, at: Some(at) };
        let draft = Draft::new(action, rule.digest, at, vec![fact]);
        out.drafts.push(draft.writing(vec![Splice::text(at, new)]));
    }

    /// True if a literal is the beginning of a key to which something is added at run time.
    fn put_together(&self, cx: &FileCx<'_>, rule: &SettingRule, place: Span) -> bool {
        // What opens a placeholder stands before the key.
        let own = place.of(cx.text);
        let open = self.forms.iter().map(|f| f.before.as_str()).filter(|b| own.starts_with(b));
        let text = &own[open.map(str::len).max().unwrap_or(0)..];
        let cut = ["${", "#{", "{", "%s", "%{"].iter().filter_map(|m| text.find(m)).min();
        let start = &text[..cut.unwrap_or(text.len())];
        let whole = rule.key.trim_end_matches('.');
        let begins = start.ends_with('.')
            && start.len() > 1
            && (whole.starts_with(start) || rule.all_below && start.starts_with(&rule.key));
        let rest = cx.text[place.end as usize..].trim_start_matches(['"', '\'', '`']).trim_start();
        let joined = cut.is_some() || rest.starts_with(['+', '.', '%', ',', '&']);
        begins && joined && (cut.is_none() || cut.is_some_and(|c| c == start.len()))
    }

    fn say(&self, rule: &SettingRule, text: &str) -> String {
        let key = format!("{}{}", rule.key, if rule.all_below { "*" } else { "" });
        let now = match (&rule.new, &rule.advice) {
            (Some(new), _) => {
                format!("is `{new}{}` from now on", if rule.all_below { "*" } else { "" })
            }
            (None, Some(advice)) => advice.clone(),
            (None, None) => "changes".to_owned(),
        };
        format!("a key is put together here from `{text}`: `{key}` {now}")
    }
}

/// True if more is put before or after a literal.
fn is_joined(text: &str, place: Span) -> bool {
    let quotes = ['"', '\'', '`'];
    let rest = text[place.end as usize..].trim_start_matches(quotes).trim_start();
    let lead = text[..place.start as usize].trim_end_matches(quotes).trim_end();
    rest.starts_with('+') && !rest.starts_with("+=") || lead.ends_with('+') && !lead.ends_with("++")
}

/// The whole key of which a beginning stands at a place.
fn whole_key(text: &str, at: Span, within: Span) -> Span {
    let rest = &text[at.end as usize..within.end as usize];
    let more =
        rest.find(|c: char| !(c.is_alphanumeric() || "._-*".contains(c))).unwrap_or(rest.len());
    Span { start: at.start, end: at.end + more as u32 }
}

/// Files in which a text may name a setting: settings, pages, templates, scripts.
fn is_text(path: &RelPath) -> bool {
    const ENDINGS: &[&str] = &[
        "html",
        "htm",
        "xhtml",
        "jsp",
        "jspx",
        "ftl",
        "vm",
        "mustache",
        "hbs",
        "ejs",
        "erb",
        "jinja",
        "j2",
        "tpl",
        "tmpl",
        "vue",
        "svelte",
        "cshtml",
        "razor",
        "xml",
        "config",
        "properties",
        "yaml",
        "yml",
        "toml",
        "json",
        "ini",
        "cfg",
        "conf",
        "env",
        "sh",
        "bash",
        "gradle",
        "kts",
        "kt",
        "groovy",
        "scala",
        "rb",
        "php",
        "go",
        "swift",
        "dart",
        "ex",
        "exs",
    ];
    path.extension().is_some_and(|e| ENDINGS.contains(&e))
}
