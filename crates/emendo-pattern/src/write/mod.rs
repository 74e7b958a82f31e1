//! Writing one pattern over a match of another: what both share stays as it stands in the file.

mod align;
mod bare;
mod carried;
mod delete;
mod layout;
mod lines;
mod nest;
mod permute;
mod place;
mod token;
mod tokens;
mod writer;

use std::collections::BTreeMap;

use emendo_lang::language::{Language, Moved};
use emendo_lang::tree::Tree;
use emendo_lang::{Resolver, Space, Spellings};
use emendo_text::{Chunk, Filter, Marks, Part, Repeat, Span};

pub(crate) use lines::{comment_behind, gathered, indent_at, line_start, next_line, with_end};
pub use lines::{delete_item, delete_splice};

use crate::found::{Bound, Match};
use crate::model::{PNode, Pattern, PatternError, PatternToken, Reading, TOKENS};
use crate::write::delete::delete;
use crate::write::tokens::new_tokens;
use crate::write::writer::{Writer, add};
use crate::written::{Place, Unresolved, Written};

/// The `new` of an action, compiled against its `old`.
#[derive(Debug)]
pub struct Replacement {
    pattern: Option<Pattern>,
    /// For each reading of `old`, the reading of `new` in the same position.
    readings: Vec<Option<usize>>,
    /// The reading of `new` as loose tokens, where it may stand among such.
    tokens: Option<usize>,
    /// Names that `new` declares and `old` does not: what a slot holds must not come to mean them.
    declares: Vec<String>,
}

impl Replacement {
    /// Compiles `new` against `old`. An empty `new` deletes.
    ///
    /// # Errors
    /// If `new` cannot be read where `old` stands, or uses a slot that `old` does not bind (`extra` are bound elsewhere).
    pub fn compile(
        old: &Pattern,
        new: &str,
        names: &BTreeMap<String, String>,
        extra: &[String],
    ) -> Result<Self, PatternError> {
        if new.trim().is_empty() {
            let readings = vec![None; old.readings.len()];
            return Ok(Self { pattern: None, readings, tokens: None, declares: Vec::new() });
        }
        let mut pattern = Pattern::compile_like(old, new, names, None)?;
        unbound(old, &pattern, new, extra)?;
        let straight = dedent(new);
        if straight != new {
            pattern = Pattern::compile_like(old, &straight, names, None)?;
        }
        // What reads alike in several places was kept once: here it is asked for in the place of `old`.
        let contexts = old.language.fragments.contexts;
        for o in &old.readings {
            let name = contexts[o.context].name;
            if !pattern.readings.iter().any(|n| contexts[n.context].name == name)
                && let Ok(more) = Pattern::compile_like(old, &straight, names, Some(name))
            {
                pattern.readings.extend(more.readings);
            }
        }
        let loose = pattern.readings.iter().any(|n| contexts[n.context].name == TOKENS);
        if !loose
            && !old.language.fragments.token_runs.is_empty()
            && let Ok(more) = Pattern::compile_like(old, &straight, names, Some(TOKENS))
        {
            pattern.readings.extend(more.readings);
        }
        let forms = (old.language.fragments.other_forms)(&old.source, Some(&straight));
        // Those of `new` by itself are no answer to those of `old`.
        pattern.readings.retain(|r| r.form == 0);
        pattern.forms = forms.into_iter().take(old.forms.len()).filter_map(|f| f.1).collect();
        for form in 0..pattern.forms.len() {
            let source = pattern.forms[form].clone();
            let own = pattern.form_readings(&source, Marks::None, form + 1);
            pattern.readings.extend(own);
        }
        Self::placed(old, pattern, new)
    }

    /// Compiles what is written for a match of `old` at another place: it may be any kind of code.
    ///
    /// # Errors
    /// As [`Replacement::compile`], but for the place.
    pub fn compile_free(
        old: &Pattern,
        new: &str,
        names: &BTreeMap<String, String>,
        extra: &[String],
    ) -> Result<Self, PatternError> {
        let pattern = Pattern::compile(old.language, &dedent(new), names, None)?;
        unbound(old, &pattern, new, extra)?;
        let readings = vec![Some(0); old.readings.len()];
        let declares = declared_anew(old, &pattern);
        Ok(Self { pattern: Some(pattern), readings, tokens: None, declares })
    }

    /// Pairs the readings of `old` with those of `new`.
    fn placed(old: &Pattern, pattern: Pattern, new: &str) -> Result<Self, PatternError> {
        let contexts = old.language.fragments.contexts;
        let readings: Vec<Option<usize>> = old
            .readings
            .iter()
            .map(|o| {
                let name = contexts[o.context].name;
                let of = |fits: &dyn Fn(&Reading) -> bool| pattern.readings.iter().position(fits);
                // What is written for one form stands for another where there is none of its own.
                let written = |form: usize| {
                    let same = of(&|n| n.form == form && n.context == o.context);
                    same.or_else(|| of(&|n| n.form == form && contexts[n.context].name == name))
                };
                written(o.form).or_else(|| written(0))
            })
            .collect();
        if readings.iter().all(Option::is_none) {
            let list = |p: &Pattern| p.readings().join(" or ");
            return Err(PatternError {
                at: Span::new(0, new.len()),
                message: format!("this cannot stand where `old` stands: it reads as {}, `old` as {}", list(&pattern), list(old)),
                help: "write both as the same kind of code: two expressions, two statements, two declarations".into(),
                unread: false,
            });
        }
        let tokens = pattern.readings.iter().position(|n| contexts[n.context].name == TOKENS);
        let declares = declared_anew(old, &pattern);
        Ok(Self { pattern: Some(pattern), readings, tokens, declares })
    }

    /// Makes the replacement know its symbols under their other names too.
    pub fn spell(&mut self, spellings: &Spellings) {
        if let Some(p) = &mut self.pattern {
            p.spell(spellings);
        }
    }

    /// True if it deletes.
    pub fn deletes(&self) -> bool {
        self.pattern.is_none()
    }

    /// The replacement as a pattern, for finding places where the work is done.
    pub fn pattern(&self) -> Option<&Pattern> {
        self.pattern.as_ref()
    }

    /// The same, to say what its slots may hold where it is looked for.
    pub fn pattern_mut(&mut self) -> Option<&mut Pattern> {
        self.pattern.as_mut()
    }

    /// The replacement at a match as text of its own, for another place.
    ///
    /// # Errors
    /// If it cannot be written.
    pub(crate) fn fresh(
        &self,
        old: &Pattern,
        m: &Match,
        at: Place<'_>,
    ) -> Result<(Vec<Part>, Written), Unresolved> {
        let (Some(new), Some(ix)) = (&self.pattern, self.readings[m.reading]) else {
            return Ok((vec![Part::Copy(m.span)], Written::default()));
        };
        let whole = m.in_pieces();
        let m = &whole;
        let mut writer = Writer::new(old, m, at);
        writer.old.clear();
        let (readings, language) = (&new.readings[ix], old.language);
        writer.new = new_tokens(
            (language, m),
            at,
            &[],
            &old.readings[m.reading],
            (readings, new.source_of(readings)),
        )?;
        writer.plan(&[], new.unit());
        let mut parts = Vec::new();
        for i in 0..writer.new.len() {
            if i > 0 {
                let gap = writer.gap(i);
                add(&mut parts, gap);
            }
            writer.token(i, &mut parts);
        }
        match writer.failed {
            Some(failed) => Err(failed),
            None => Ok((parts, writer.out)),
        }
    }

    /// A name in a slot that would come to mean what `new` declares.
    fn captures(&self, m: &Match, text: &str, resolver: &Resolver<'_>) -> Result<(), Unresolved> {
        let facts = resolver.facts;
        let spaces = [Space::Value, Space::Callable];
        let written = |b: &&Bound| {
            b.text.is_none()
                && self.pattern.as_ref().is_some_and(|p| p.slots().any(|s| s == b.name))
        };
        for name in &self.declares {
            for slot in m.slots.iter().filter(written) {
                let inside = facts
                    .words(name)
                    .iter()
                    .filter(|w| slot.span.contains(w.span) && !w.key && w.space == Space::Value);
                // What the slot declares itself goes along.
                let own = |at: u32| {
                    facts.lookup(name, &spaces, at).is_some_and(|d| slot.span.contains(d.at))
                };
                if inside.into_iter().any(|w| !own(w.span.start)) {
                    let held = emendo_lang::tree::in_line(slot.span.of(text));
                    return Err(Unresolved(format!(
                        "`{name}` in `{held}` would mean what is declared here: give it another name in `new`"
                    )));
                }
            }
        }
        Ok(())
    }

    /// The splices that write it over a match.
    ///
    /// # Errors
    /// If the place cannot be written: no reading of `new` fits it, or nothing whole can be deleted.
    pub fn write(
        &self,
        old: &Pattern,
        m: &Match,
        tree: &Tree,
        text: &str,
        line_end: &str,
        resolver: &Resolver<'_>,
    ) -> Result<Written, Unresolved> {
        let language = old.language;
        let Some(new) = &self.pattern else {
            return delete(language, m, tree, text);
        };
        let among_tokens = language.fragments.token_runs.contains(&m.place.0);
        let tokens = self.tokens.filter(|_| among_tokens);
        let Some(ix) = self.readings[m.reading].filter(|_| !among_tokens).or(tokens) else {
            let context = language.fragments.contexts[old.readings[m.reading].context].name;
            return Err(Unresolved(format!(
                "`new` cannot be read as the {context} that stands here"
            )));
        };
        let (old_count, new_count) =
            (old.readings[m.reading].roots.len(), new.readings[ix].roots.len());
        if new_count > old_count && m.place.1.is_some() {
            return Err(Unresolved(format!(
                "`new` has {new_count} parts where only one can stand: put braces around this place first"
            )));
        }
        self.captures(m, text, resolver)?;
        let whole = m.in_pieces();
        let m = &whole;
        let place = Place { tree, text, line_end, resolver };
        let mut writer = Writer::new(old, m, place);
        writer.new = new_tokens(
            (language, m),
            place,
            &writer.old,
            &old.readings[m.reading],
            (&new.readings[ix], new.source_of(&new.readings[ix])),
        )?;
        if writer.new.is_empty() {
            // All that is left are slots that hold nothing.
            return delete(language, m, tree, text);
        }
        let root = &new.readings[ix].roots[0];
        let old_kind = old.readings[m.reading].roots[0].kind;
        let place = (m.place.0, m.place.1.unwrap_or(""));
        let wrap = Some(root.kind).filter(|kind| *kind != old_kind);
        let whole = |kind| Moved { kind, open: &|| false, followed: false };
        let wrap = wrap.and_then(|kind| language.brackets(whole(kind), place));
        let again = new.readings[ix].parens && !old.readings[m.reading].parens;
        let wrap = wrap.or(again.then_some(("(", ")")));
        let bare = language.compare.bare_code.iter().find(|b| b.0 == m.place.0);
        let bare = bare.filter(|b| !text[..m.span.start as usize].ends_with(b.1));
        let word = language.words.kinds.iter().any(|w| w.0 == root.kind);
        let wrap = match bare {
            Some((_, open, close)) => (!word).then_some((*open, *close)),
            None => wrap,
        };
        writer.run(new.unit(), wrap);
        match writer.failed {
            Some(failed) => Err(failed),
            None => Ok(writer.out),
        }
    }
}

fn unbound(
    old: &Pattern,
    new: &Pattern,
    source: &str,
    extra: &[String],
) -> Result<(), PatternError> {
    let template = emendo_text::Template::parse(source).map_err(|e| PatternError {
        at: e.at,
        message: e.message,
        help: e.help,
        unread: false,
    })?;
    debug_assert!(!new.readings.is_empty());
    for chunk in &template.chunks {
        if let Chunk::Slot { at, name, repeat, filters } = chunk
            && filters.contains(&Filter::Type)
            && (old.is_list(name) || matches!(repeat, Repeat::Any | Repeat::Some))
        {
            let message = format!("`{name}` holds a list, and a list has no one type");
            let help = "the filter `type` is for a slot that holds one thing".to_owned();
            return Err(PatternError { at: *at, message, help, unread: false });
        }
    }
    for (name, at, _) in template.slots() {
        if old.slots().any(|s| s == name) || extra.iter().any(|e| e == name) {
            continue;
        }
        let known: Vec<&str> = old.slots().chain(extra.iter().map(String::as_str)).collect();
        let help = match (name, known.as_slice()) {
            ("_", _) => "give the slot a name in `old` and use that name here".to_owned(),
            (_, []) => "`old` has no slots".to_owned(),
            _ => format!("`old` binds: {}", known.join(", ")),
        };
        let message = if name == "_" {
            "an unnamed slot cannot be written".to_owned()
        } else {
            format!("nothing binds the slot `{name}`")
        };
        return Err(PatternError { at, message, help, unread: false });
    }
    Ok(())
}

/// Takes away the indentation that all lines share, and blank lines at the ends.
fn dedent(source: &str) -> String {
    let body = source.trim_start_matches(['\n', '\r']).trim_end();
    let lines = || body.lines().filter(|l| !l.trim().is_empty());
    let shared = lines().map(|l| l.len() - l.trim_start().len()).min().unwrap_or(0);
    let cut = body.lines().map(|l| l.get(shared..).unwrap_or(""));
    cut.collect::<Vec<_>>().join("\n")
}

/// Names of variables and parameters that a pattern declares, and another does not.
fn declared_anew(old: &Pattern, new: &Pattern) -> Vec<String> {
    let all = |p: &Pattern| {
        let mut out = Vec::new();
        p.readings
            .iter()
            .flat_map(|r| &r.roots)
            .for_each(|n| declared(p.language, n, false, &mut out));
        out
    };
    let known = all(old);
    let mut out = all(new);
    out.retain(|n| !known.contains(n));
    out.sort();
    out.dedup();
    out
}

/// What functions of a pattern declare: elsewhere what stands in a slot is evaluated before the name is there.
fn declared(language: &Language, node: &PNode, within: bool, out: &mut Vec<String>) {
    let PatternToken::Inner(inner) = &node.what else { return };
    let within = within || language.typing.calls.functions.iter().any(|f| f.kind == node.kind);
    for rule in language
        .scopes
        .bindings
        .iter()
        .filter(|b| within && b.kind == node.kind && b.space == Space::Value)
    {
        let named = inner.children.iter().filter(|c| match rule.field {
            "" => c.kind == rule.child,
            field => c.field == Some(field),
        });
        out.extend(named.filter_map(|c| match &c.what {
            PatternToken::Leaf(word, _)
                if word.starts_with(|c: char| c.is_alphabetic() || c == '_') =>
            {
                Some(word.clone())
            }
            _ => None,
        }));
    }
    inner.children.iter().for_each(|c| declared(language, c, within, out));
}
