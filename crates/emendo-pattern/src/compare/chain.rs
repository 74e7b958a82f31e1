//! Chains as lists of links, so that a slot may take several of them; and calls without their receiver.

use emendo_lang::tree::Node;
use emendo_lang::tree::{part, span};
use emendo_text::{Repeat, Span};

use crate::compare::{Child, Matcher, TokenFit, form_of};
use crate::found::Bound;
use crate::model::{Constraint, Inner, PNode, Pattern, PatternToken};

/// Longer chains are not compared link by link: each of their links is the end of a chain too.
const MAX_LINKS: usize = 128;

/// A level of a chain in a pattern.
enum Level<'p> {
    /// Links that are written.
    Written(&'p PNode, Vec<&'p PNode>),
    /// Any number of links: slot, token, and the pattern's node.
    Many(usize, usize, &'p Inner),
}

/// The slot for any number of links, and its token, if that is what a link of a pattern adds to its base.
fn many_links(pattern: &Pattern, inner: &Inner) -> Option<(usize, usize)> {
    inner.children.iter().skip(1).find_map(|c| match &c.what {
        PatternToken::Slot(ix, token)
            if matches!(pattern.slots[*ix].repeat, Repeat::Any | Repeat::Some)
                && c.kind != "arguments" =>
        {
            Some((*ix, *token))
        }
        _ => None,
    })
}

/// True if a slot takes any number of links somewhere in a node of a pattern.
fn links_in(pattern: &Pattern, node: &PNode, slot: &str) -> bool {
    let PatternToken::Inner(inner) = &node.what else { return false };
    let own = inner.chained.then(|| many_links(pattern, inner)).flatten();
    own.is_some_and(|(ix, _)| pattern.slots[ix].name == slot)
        || inner.children.iter().any(|c| links_in(pattern, c, slot))
}

impl Pattern {
    /// True if a slot of this name takes links of a chain.
    pub fn holds_links(&self, slot: &str) -> bool {
        self.readings.iter().flat_map(|r| &r.roots).any(|n| links_in(self, n, slot))
    }
}

/// True if a pattern ends in a slot for any number of links: it fits whole chains only, not their beginnings.
pub(crate) fn ends_in_links(pattern: &Pattern, root: &PNode) -> bool {
    match &root.what {
        PatternToken::Inner(inner) => inner.chained && many_links(pattern, inner).is_some(),
        _ => false,
    }
}

impl<'t> Matcher<'_, 't> {
    /// Compares a chain link by link, from the end.
    pub(super) fn chain(&mut self, p: &PNode, node: Node<'t>) -> bool {
        let mut levels = Vec::new();
        let mut at = p;
        while let PatternToken::Inner(inner) = &at.what
            && inner.chained
            && let Some(base) = inner.children.first()
        {
            match many_links(self.pattern, inner) {
                Some((ix, token)) => levels.push(Level::Many(ix, token, inner)),
                None => levels.push(Level::Written(at, inner.children.iter().skip(1).collect())),
            }
            at = base;
        }
        // Nodes from the outermost link to what the chain begins with.
        let mut nodes = vec![node];
        while let Some(base) = nodes.last().and_then(|n| self.language().base_of(*n)) {
            nodes.push(base);
            if nodes.len() > MAX_LINKS {
                return false;
            }
        }
        self.levels(&levels, at, &nodes, 0)
    }

    fn levels(
        &mut self,
        levels: &[Level<'_>],
        base: &PNode,
        nodes: &[Node<'t>],
        from: usize,
    ) -> bool {
        if self.budget == 0 {
            return false;
        }
        self.budget -= 1;
        let Some((level, rest)) = levels.split_first() else {
            return self.node(base, nodes[from], false);
        };
        match level {
            Level::Written(p, children) => {
                if from + 1 >= nodes.len() || !self.language().alike(p.kind, nodes[from].kind()) {
                    return false;
                }
                let mut items = self.links(nodes[from], nodes[from + 1]);
                let saved = self.state.clone();
                self.pass_arguments(children, &mut items);
                let fits = self.sequence(children, &items, 0, TokenFit::Whole, &mut Vec::new())
                    && self.levels(rest, base, nodes, from + 1);
                if fits && let PatternToken::Inner(inner) = &p.what {
                    self.separators(inner, nodes[from], &[], &[]);
                }
                if !fits {
                    self.state = saved;
                }
                fits
            }
            Level::Many(ix, token, inner) => {
                let least = usize::from(self.pattern.slots[*ix].repeat == Repeat::Some);
                let mut cuts = vec![from];
                let mut to = from;
                loop {
                    if cuts.len() > least {
                        let saved = self.state.clone();
                        if self.bind_links(*ix, *token, nodes, &cuts)
                            && self.levels(rest, base, nodes, to)
                        {
                            if to > from {
                                self.separators(inner, nodes[to - 1], &[], &[]);
                                self.dot(inner, nodes[to - 1], nodes[to]);
                            }
                            return true;
                        }
                        self.state = saved;
                    }
                    // The next step: a member with the calls and indices after it.
                    let Some(next) = self.step(nodes, to) else { return false };
                    to = next;
                    cuts.push(to);
                }
            }
        }
    }

    /// The dot before links that a slot takes.
    fn dot(&mut self, inner: &Inner, link: Node<'t>, base: Node<'t>) {
        let dots = inner.children.iter().find_map(|c| match &c.what {
            PatternToken::Leaf(t, token)
                if self.language().words.member_after.contains(&t.as_str()) =>
            {
                Some(*token)
            }
            _ => None,
        });
        let Some(token) = dots else { return };
        let links = self.links(link, base);
        let found =
            links.iter().find(|(n, _)| self.language().words.member_after.contains(&n.kind()));
        self.state.tokens[token] = found.map(|(n, _)| span(*n));
    }

    /// What a link adds to what it hangs on.
    fn links(&self, node: Node<'t>, base: Node<'t>) -> Vec<Child<'t>> {
        self.significant(node).into_iter().filter(|(n, _)| n.id() != base.id()).collect()
    }

    /// The node below one step of the chain, from `from` on.
    fn step(&self, nodes: &[Node<'t>], from: usize) -> Option<usize> {
        let member = |n: Node<'t>| {
            let mut cursor = n.walk();
            n.children(&mut cursor).skip(1).take(2).any(|c| {
                self.language().words.member_after.contains(&c.kind())
                    || self.language().fragments.splices.contains(&c.kind())
            })
        };
        let at = (from..nodes.len().saturating_sub(1)).find(|i| member(nodes[*i]))?;
        Some(at + 1)
    }

    /// The place of links: from the name after the first dot to the end of the last.
    fn links_span(&self, nodes: &[Node<'t>], from: usize, to: usize) -> Span {
        let (outer, base) = (span(nodes[from]), span(nodes[to]));
        if from == to {
            return Span { start: base.end, end: base.end };
        }
        let between = Span { start: base.end, end: outer.end }.of(self.text);
        let skipped =
            between.len() - between.trim_start_matches(['.', '?', ' ', '\t', '\n', '\r']).len();
        Span { start: base.end + skipped as u32, end: outer.end }
    }

    /// Binds the links between cuts of a chain, the last of them first. Each is asked by itself, with its arguments.
    fn bind_links(&mut self, ix: usize, token: usize, nodes: &[Node<'t>], cuts: &[usize]) -> bool {
        let (Some(from), Some(to)) = (cuts.first(), cuts.last()) else { return false };
        let at = self.links_span(nodes, *from, *to);
        if cuts.len() == 1 {
            self.bind_nothing(ix, at);
            self.state.tokens[token] = Some(at);
            return true;
        }
        if let Some(known) = self.same_as_before(ix, token, at) {
            return known;
        }
        let def = &self.pattern.slots[ix];
        let links = cuts.windows(2).map(|w| (nodes[w[0]], nodes[w[1]], (w[0], w[1])));
        for (link, base, (outer, inner)) in links {
            let text = self.links_span(nodes, outer, inner);
            if !self.satisfies_as_link(&def.constraint, link, base, text) {
                return false;
            }
        }
        let bound = Bound::new(&def.name, at, "", cuts.len() - 1);
        self.state.slots.push((ix, bound));
        self.state.tokens[token] = Some(at);
        true
    }

    /// True if a link fulfils what is asked of it; what it is a link of is not asked.
    fn satisfies_as_link(
        &mut self,
        c: &Constraint,
        link: Node<'t>,
        base: Node<'t>,
        text: Span,
    ) -> bool {
        let form = form_of(self.language(), self.language().core(link));
        if !self.satisfies_text(c, text)
            || (!c.form.is_empty() && !c.form.iter().any(|f| f == form))
            || c.not_form.iter().any(|f| f == form)
        {
            return false;
        }
        let (whole, from) = (span(link), base.end_byte() as u32);
        let fits = |p: &Pattern| {
            let found = p.matches_at(self.tree, whole, self.text, self.resolver);
            found.iter().any(|m| m.link && m.span.start >= from)
        };
        if (!c.is.is_empty() && !c.is.iter().any(fits)) || c.is_not.iter().any(fits) {
            return false;
        }
        self.untyped
            || (c.means.is_empty() || self.means_any(&c.means, link)) && self.is_typed(c, link)
    }

    /// `@{x?}.call()` where the code says `call()`: the object itself is meant.
    pub(super) fn without_receiver(&mut self, p: &PNode, inner: &Inner, node: Node<'t>) -> bool {
        let Some(first) = inner.children.first() else { return false };
        let PatternToken::Slot(ix, _) = &first.what else { return false };
        if self.pattern.slots[*ix].repeat != Repeat::Optional
            || !self.language().compare.chain.iter().any(|(k, _)| *k == p.kind)
        {
            return false;
        }
        let rest: Vec<&PNode> = inner
            .children
            .iter()
            .skip(1)
            .filter(|c| !matches!(&c.what, PatternToken::Leaf(t, _) if self.language().words.member_after.contains(&t.as_str())))
            .collect();
        self.bind_nothing(*ix, Span::at(node.start_byte()));
        if let Some((_, receiver, _)) = self.language().words.call(p.kind)
            && node.kind() == p.kind
        {
            let items = self.significant(node);
            return part(node, receiver).is_none()
                && self.sequence(&rest, &items, 0, TokenFit::Whole, &mut Vec::new());
        }
        let is_word = self.language().words.kinds.iter().any(|(k, _)| *k == node.kind());
        match rest.as_slice() {
            [name] if is_word => self.node(name, node, false),
            _ => false,
        }
    }
}
