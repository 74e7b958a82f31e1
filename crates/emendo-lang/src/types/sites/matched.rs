//! The ways that a value takes: what blocks and clauses end with, and the patterns that a value is matched with.

use emendo_text::Span;

use crate::resolver::Resolver;
use crate::tree::{Node, named, part, span};

impl<'a> Resolver<'a> {
    /// What the blocks and arms in a node end with, and the values behind keys.
    pub(crate) fn ends_of(&self, node: Node<'a>, keys: &[&str]) -> Vec<Node<'a>> {
        let branching = &self.language.typing.branching;
        let is_block = |n: &Node<'a>| branching.blocks.contains(&n.kind());
        let is_arm = |n: &Node<'a>| branching.arms.contains(&n.kind());
        let mut out = Vec::new();
        let mut open = if is_block(&node) { vec![node] } else { Vec::new() };
        if open.is_empty() {
            for part in named(node) {
                if is_block(&part) {
                    open.push(part);
                    continue;
                }
                let keyed = named(part).into_iter().flat_map(named);
                let value = |pair: Node<'a>| {
                    let key = pair.child_by_field_name("key")?;
                    let word = span(key).of(self.text).trim_end_matches(':');
                    keys.contains(&word).then(|| pair.child_by_field_name("value"))?
                };
                out.extend(keyed.filter_map(value));
            }
        }
        while let Some(block) = open.pop() {
            let items = named(block);
            let plain = items.iter().rev().find(|i| !is_block(i) && !is_arm(i));
            out.extend(plain.copied());
            for arm in items.iter().filter(|i| is_arm(i)) {
                let last = named(*arm).into_iter().next_back();
                let (blocks, values): (Vec<_>, Vec<_>) =
                    last.into_iter().partition(|l| is_block(l));
                open.extend(blocks);
                out.extend(values);
            }
            open.extend(items.into_iter().filter(|i| is_block(i)));
        }
        out.sort_by_key(|n| n.start_byte());
        out
    }

    /// The patterns that a value is matched with, in place or through a variable that holds nothing else.
    pub fn patterns_of(&self, value: Span) -> Vec<Span> {
        let matches = self.language.typing.branching.matches;
        if matches.is_empty() {
            return Vec::new();
        }
        let direct = self.matched_with(value);
        let [single] = direct.as_slice() else { return direct };
        let Some((_, uses)) = self.facts.uses_of_local(single.of(self.text), *single) else {
            return direct;
        };
        let through: Vec<Span> = uses
            .iter()
            .filter(|u| u.span != *single)
            .flat_map(|u| self.matched_with(u.span))
            .collect();
        if through.is_empty() || uses.len() > 2 { direct } else { through }
    }

    /// The patterns right beside a value, or in the clauses that it goes into.
    fn matched_with(&self, value: Span) -> Vec<Span> {
        let matches = self.language.typing.branching.matches;
        let Some(mut node) = self.tree.node_at(value, &[]) else { return Vec::new() };
        let pattern = |holder: Node<'a>| {
            let (_, pattern, own) = matches.iter().find(|m| m.0 == holder.kind())?;
            part(holder, own).filter(|v| span(*v) == value).and_then(|_| part(holder, pattern))
        };
        let Some(up) = node.parent() else { return Vec::new() };
        if let Some(found) = pattern(up) {
            return vec![span(found)];
        }
        let arms = self.language.typing.branching.arms;
        // Alone in a list without brackets.
        if self.language.typing.calls.arguments.lists.contains(&up.kind()) {
            node = up;
        }
        let blocks = node.parent().map_or_else(Vec::new, named).into_iter().flat_map(named);
        let own = blocks.filter(|n| arms.contains(&n.kind()));
        own.filter_map(pattern).map(span).collect()
    }
}
