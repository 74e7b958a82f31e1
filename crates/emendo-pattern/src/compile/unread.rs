//! Why a source cannot be read as a pattern, in its author's words: where reading stopped, and what is likely meant.

use std::sync::LazyLock;

use emendo_lang::language::Language;
use emendo_text::{Chunk, Span, Template};
use regex::Regex;

use crate::model::PatternError;

/// Says why no context of a language reads a source. `best`: the furthest place at which one of them stopped.
pub(super) fn unreadable(
    language: &Language,
    (source, template): (&str, &Template),
    context: Option<&str>,
    best: Option<Span>,
) -> PatternError {
    let whole = Span::new(0, source.len());
    let names: Vec<&str> = language.fragments.contexts.iter().map(|c| c.name).collect();
    if let Some(wanted) = context
        && !names.contains(&wanted)
    {
        let mut names = names;
        names.dedup();
        return PatternError {
            at: whole,
            message: format!("{} has no context `{wanted}`", language.title),
            help: format!("one of: {}", names.join(", ")),
            unread: false,
        };
    }
    let foreign = foreign_slot(source, template);
    let at = foreign.as_ref().map(|f| f.0).or(best).unwrap_or(whole);
    let stop = foreign.as_ref().map(|f| f.1.as_str()).or_else(|| stopped_at(source, at));
    let title = language.title;
    let message = match stop {
        Some(word) => format!("this cannot be read as {title}: reading stops at `{word}`"),
        None if best.is_some() => format!("this cannot be read as {title}: it ends too soon"),
        None => format!("this cannot be read as {title}, in any context"),
    };
    let help = foreign
        .as_ref()
        .map(|(_, written, meant)| format!("a slot is written `{meant}`, not `{written}`"))
        .or_else(|| spread(source, template))
        .or_else(|| unclosed(template))
        .or_else(|| beside_slot(source, template, at));
    let unread = help.is_none();
    let help = help.unwrap_or_else(|| "write a whole expression, statement, declaration, type, annotation or import; check brackets and quotes".into());
    PatternError { at, message, help, unread }
}

/// The word or sign at which reading stopped; none at the end of the source.
fn stopped_at(source: &str, at: Span) -> Option<&str> {
    let rest = source.get(at.start as usize..)?.trim_start();
    let start = source.len() - rest.len();
    // Brackets at the end that nothing opened are no help; what stands before them is.
    let first = rest.chars().next()?;
    let last = rest.trim_end().chars().count() == 1 && !first.is_alphanumeric();
    if last && at.start as usize + 1 >= source.trim_end().len() {
        return None;
    }
    let slot = rest.starts_with("@{").then(|| rest.find('}')).flatten().map(|n| n + 1);
    let word = || rest.find(|c: char| !(c.is_alphanumeric() || c == '_'));
    let len = slot.or_else(|| first.is_alphanumeric().then(|| word().unwrap_or(rest.len())));
    source.get(start..start + len.unwrap_or(first.len_utf8()))
}

/// The plain texts of a template with where they stand.
fn texts(template: &Template) -> impl Iterator<Item = (&Span, &str)> {
    template.chunks.iter().filter_map(|c| match c {
        Chunk::Text { at, text } => Some((at, text.as_str())),
        Chunk::Slot { .. } => None,
    })
}

/// A blank in the spelling of templates and shells, with the slot that it should be.
pub(super) fn foreign_slot(source: &str, template: &Template) -> Option<(Span, String, String)> {
    static FORMS: LazyLock<Option<Regex>> = LazyLock::new(|| {
        Regex::new(
            r"[$#]\{(?P<a>\w+)\}|\{\{\s*(?P<b>\w+)\s*\}\}|\$(?P<c>[A-Za-z_]\w*)|(?:^|[(,=\s])(?P<d>@[A-Za-z_]\w*)\s*(?:[,);]|$)",
        )
        .ok()
    });
    let forms = FORMS.as_ref()?;
    texts(template).find_map(|(at, _)| {
        let text = at.of(source);
        let found = forms.captures(text)?;
        let of = |name: &str| found.name(name);
        let whole = of("d").or_else(|| found.get(0))?;
        let word = ["a", "b", "c", "d"].iter().find_map(|n| of(n))?.as_str();
        let meant = format!("@{{{}}}", word.trim_start_matches('@'));
        let start = at.start as usize + whole.start();
        Some((Span::new(start, start + whole.len()), whole.as_str().to_owned(), meant))
    })
}

/// Three dots for "and whatever else there is".
fn spread(source: &str, template: &Template) -> Option<String> {
    let bare = |t: &str| {
        t.split("...").skip(1).zip(t.split("...")).any(|(after, before)| {
            let open = before.trim_end().ends_with(['(', ',', '[', '{', ';']);
            open && after.trim_start().starts_with([')', ',', ']', '}', ';'])
        })
    };
    let starred = |t: &str| t.contains("(*)") || t.contains(", *)");
    let hit = texts(template).any(|(at, _)| bare(at.of(source)) || starred(at.of(source)));
    hit.then(|| {
        "`@{rest*}` stands for any number of items in a list, `@{_*}` for those that are not used"
            .into()
    })
}

/// A bracket that is not closed, or one that nothing opened, outside of quotes.
fn unclosed(template: &Template) -> Option<String> {
    let mut open: Vec<char> = Vec::new();
    let mut quote: Option<char> = None;
    for (_, text) in texts(template) {
        let mut chars = text.chars();
        while let Some(c) = chars.next() {
            match (c, quote) {
                ('\\', _) => drop(chars.next()),
                (c, Some(q)) if c == q => quote = None,
                (_, Some(_)) => {}
                ('"' | '`', None) => quote = Some(c),
                ('(' | '[' | '{', None) => open.push(c),
                (')' | ']' | '}', None) => {
                    let wanted = match c {
                        ')' => '(',
                        ']' => '[',
                        _ => '{',
                    };
                    if open.pop() != Some(wanted) {
                        return Some(format!("nothing opens this `{c}`: check the brackets"));
                    }
                }
                _ => {}
            }
        }
    }
    if let Some(q) = quote {
        return Some(format!("a `{q}` is not closed"));
    }
    let close = |c: &char| match c {
        '(' => ')',
        '[' => ']',
        _ => '}',
    };
    open.last().map(|c| format!("a `{c}` has no `{}`", close(c)))
}

/// A slot at which reading stopped: it stands where no whole piece of code can.
fn beside_slot(source: &str, template: &Template, at: Span) -> Option<String> {
    let between = |s: &Span| source.get(s.end as usize..at.start as usize);
    let near = |s: &Span| s.contains(at) || between(s).is_some_and(|t| t.trim().is_empty());
    // Within brackets it is an item of a list.
    let outside = |s: &Span| {
        let before = source.get(..s.start as usize).unwrap_or("").replace("@{", "@<");
        let count = |signs: [char; 2]| before.matches(signs).count();
        count(['(', '[']) == count([')', ']'])
    };
    let slot = template.slots().find(|(_, s, _)| near(s) && outside(s))?.0;
    Some(format!(
        "`@{{{slot}}}` stands for a whole expression, statement, type, name or item of a list, not for a clause: write `catch` or `else` out, with slots in it, and leave out what may be anything in a declaration (modifiers, result type)"
    ))
}
