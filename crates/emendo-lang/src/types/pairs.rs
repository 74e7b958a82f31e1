//! Keyed values in one thing: what an argument holds that stands for several.

use crate::tree::Node;
use emendo_text::Span;

use crate::language::Packing;
use crate::resolver::Resolver;
use crate::tree::named;
use crate::tree::span;

/// A value in a literal object, struct or call, with its key.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PairSite {
    /// All of it.
    pub span: Span,
    /// Its key; none where it stands by its order.
    pub key: Option<Span>,
    /// Its value.
    pub value: Span,
    /// It stands for several.
    pub spread: bool,
}

impl<'a> Resolver<'a> {
    /// What a literal holds that gathers values in this way; `None` if the value at a place is no such literal.
    pub fn pairs_in(&self, value: Span, how: &Packing) -> Option<Vec<PairSite>> {
        let root = self.tree.roots_at(value).last()?.node;
        let node = root.descendant_for_byte_range(value.start as usize, value.end as usize)?;
        if span(node) != value {
            return None;
        }
        let typed =
            !how.open.trim_start().starts_with(['{', '[', '(']) || how.open.starts_with("{}");
        let list = match how.lists.contains(&node.kind()) {
            true => (!typed).then_some(node)?,
            false => {
                let made = how.open.starts_with("{}") || !how.maker.is_empty();
                let starts = value.of(self.text).starts_with(how.maker);
                let found = named(node).into_iter().find(|c| how.lists.contains(&c.kind()))?;
                (made && starts && span(found).end == value.end).then_some(found)?
            }
        };
        Some(named(list).into_iter().map(|n| self.pair(n, how)).collect())
    }

    fn pair(&self, node: Node<'a>, how: &Packing) -> PairSite {
        let whole = span(node);
        let text = whole.of(self.text);
        let spread = self.language.compare.spreads.contains(&node.kind()) || text.starts_with("..");
        let sign = how.sign.trim();
        let parts = named(node);
        let keyed = |key: Node<'a>, value: Node<'a>| {
            let between = Span { start: span(key).end, end: span(value).start };
            between.of(self.text).trim() == sign && !sign.is_empty()
        };
        match parts.as_slice() {
            [key, value] if keyed(*key, *value) => {
                let (key, value) = (Some(span(*key)), span(*value));
                PairSite { span: whole, key, value, spread: false }
            }
            _ if how.short && text.chars().all(|c| c.is_alphanumeric() || "_$".contains(c)) => {
                PairSite { span: whole, key: Some(whole), value: whole, spread }
            }
            _ => PairSite { span: whole, key: None, value: whole, spread },
        }
    }
}
