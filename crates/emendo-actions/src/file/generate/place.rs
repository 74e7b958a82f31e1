//! Where items stand: by themselves, or in a list.

use emendo_lang::tree::Node;
use emendo_lang::tree::{children, descend, is_item, span};
use emendo_pattern::{Match, Pattern, Place, Replacement};
use emendo_text::{Span, Splice};

use crate::file::generate::value::is_form;

/// Where an item stands, for taking it away.
#[derive(Clone, Debug)]
pub(super) enum ItemPlace {
    /// By itself: a statement or a member.
    Alone(Vec<Splice>),
    /// In a list.
    Listed(ItemList),
}

/// A list that items stand in.
#[derive(Clone, Debug)]
pub(super) struct ItemList {
    /// The list, with its brackets.
    pub(super) list: Span,
    /// All that stands in it.
    pub(super) elements: Vec<Span>,
    /// Its comments.
    pub(super) comments: Vec<Span>,
    /// The pairs whose values it is all of, each with the object around and what else stands there; the nearest first.
    pub(super) pairs: Vec<(Span, Span, Vec<Span>)>,
}

impl ItemPlace {
    /// Where a match stands.
    ///
    /// # Errors
    /// If it cannot be taken away: why.
    pub(super) fn of(
        (delete, find): (&Replacement, &Pattern),
        m: &Match,
        at: Place<'_>,
    ) -> Result<Self, String> {
        let nodes: Vec<Node<'_>> =
            descend(at.tree.root(), m.span).into_iter().map(|n| n.0).collect();
        let own = nodes.iter().position(|n| span(*n) == m.span);
        let around = own.and_then(|i| i.checked_sub(1)).map(|i| nodes[i]);
        let language = at.resolver.language;
        let is_list = |n: &Node<'_>| {
            let compare = &language.compare;
            let kind = n.kind();
            compare.keyed.iter().any(|k| k.list == kind)
                || compare.lists.contains(&kind)
                || ["list", "object"].iter().any(|f| is_form(language, kind, f))
                || language.typing.calls.arguments.lists.contains(&kind)
        };
        let Some(list) = around.filter(is_list) else {
            let written = delete
                .write(find, m, at.tree, at.text, at.line_end, at.resolver)
                .map_err(|e| e.0)?;
            return Ok(Self::Alone(written.splices));
        };
        let elements = |n: Node<'_>| -> Vec<Span> {
            children(n).into_iter().filter(|c| is_item(*c)).map(span).collect()
        };
        let comments = children(list).into_iter().filter(|n| n.is_extra()).map(span).collect();
        let mut pairs = Vec::new();
        let mut inner = list;
        while let Some(pair) = inner.parent()
            && let Some(object) = pair.parent()
            && language
                .compare
                .keyed
                .iter()
                .any(|k| k.list == object.kind() && k.pair == pair.kind())
            && !pair.child_by_field_name("key").is_some_and(|k| k == inner)
        {
            pairs.push((span(pair), span(object), elements(object)));
            inner = object;
        }
        let brackets = span(list).of(at.text);
        if !brackets.starts_with(['[', '(', '{']) || !brackets.ends_with([']', ')', '}']) {
            return Err("the list that it stands in has no brackets".to_owned());
        }
        Ok(Self::Listed(ItemList { list: span(list), elements: elements(list), comments, pairs }))
    }
}
