//! Taking whole things away: with their line, the comment after them, or a separator.

use emendo_lang::language::Language;
use emendo_lang::tree::{Tree, descend};
use emendo_text::{Span, Splice};

use crate::found::Match;
use crate::write::lines::{comment_behind, delete_item, delete_splice, with_end};
use crate::written::{Unresolved, Written};

pub(super) fn delete(
    language: &Language,
    m: &Match,
    tree: &Tree,
    text: &str,
) -> Result<Written, Unresolved> {
    let whole =
        if language.writing.line_items.contains(&m.kind) { Some(m.span) } else { m.statement };
    if m.link {
        // With the blanks before it: the next link moves up to where it stood.
        let start = text[..m.span.start as usize].trim_end().len();
        let span = Span::new(start, m.span.end as usize);
        return Ok(Written { splices: vec![Splice::text(span, "")], ..Written::default() });
    }
    let comment = |at: u32| comment_behind(tree, text, at);
    let listed = language.compare.keyed.iter().any(|k| k.list == m.place.0)
        || language.compare.lists.contains(&m.place.0);
    if let Some(span) = whole {
        let held = !listed
            && descend(tree.root(), span)
                .into_iter()
                .any(|(n, field)| emendo_lang::tree::span(n) == span && field.is_some());
        if held {
            return Err(Unresolved(
                "something must stand here, so it cannot be deleted: put braces around it first"
                    .into(),
            ));
        }
        let splice = delete_splice(text, with_end(language, text, span), comment);
        return Ok(Written { splices: vec![splice], ..Written::default() });
    }
    if listed && let Some(list) = m.parent {
        return Ok(Written {
            splices: vec![delete_item(language.compare.separators, text, m.span, list)],
            ..Written::default()
        });
    }
    Err(Unresolved(
        "only a whole statement, member or list item can be deleted, and this is a part of one"
            .into(),
    ))
}
