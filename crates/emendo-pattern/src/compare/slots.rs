//! What slots take, and whether they may.

use emendo_lang::tree::Node;
use emendo_lang::tree::span;
use emendo_lang::{Certainty, Fact};
use emendo_text::{Repeat, Span};

use crate::compare::{Matcher, form_of};
use crate::found::{Bound, Match, equal};
use crate::model::{Constraint, Pattern};

impl<'p, 't> Matcher<'p, 't> {
    pub(crate) fn bind(&mut self, ix: usize, token: usize, nodes: &[Node<'t>], at: Span) -> bool {
        let def = &self.pattern.slots[ix];
        if let Some(known) = self.same_as_before(ix, token, at) {
            return known;
        }
        if !self.may_hold(ix, at) {
            return false;
        }
        if !nodes.iter().all(|n| self.satisfies(&def.constraint, *n)) {
            return false;
        }
        let kind = match nodes {
            [only] => self.language().kind(self.language().core(*only)),
            _ => "",
        };
        let whole = matches!(def.repeat, Repeat::One | Repeat::Optional) && nodes.len() == 1;
        let bound = Bound { whole, ..Bound::new(&def.name, at, kind, nodes.len()) };
        self.state.slots.push((ix, bound));
        self.state.tokens[token] = Some(at);
        true
    }

    /// Binds loose tokens: each run between commas is an element, and the code that it can be read as is asked.
    pub(super) fn bind_tokens(
        &mut self,
        ix: usize,
        token: usize,
        tokens: &[Node<'t>],
        at: Span,
    ) -> bool {
        let def = &self.pattern.slots[ix];
        if let Some(known) = self.same_as_before(ix, token, at) {
            return known;
        }
        if !self.may_hold(ix, at) {
            return false;
        }
        let (mut count, mut kind) = (0, "");
        for run in tokens.split(|n| [",", ";"].contains(&n.kind())) {
            let (Some(first), Some(last)) = (run.first(), run.last()) else { continue };
            count += 1;
            let place = span(*first).hull(span(*last));
            let code = self.code_of(place).or((run.len() == 1).then_some(*first));
            let fits = match code {
                Some(node) => self.satisfies(&def.constraint, node),
                None => !def.constraint.asks_code() && self.satisfies_text(&def.constraint, place),
            };
            if !fits {
                return false;
            }
            kind = code.map_or("", |n| self.language().kind(self.language().core(n)));
        }
        let kind = if count == 1 { kind } else { "" };
        self.state.slots.push((ix, Bound::new(&def.name, at, kind, count)));
        self.state.tokens[token] = Some(at);
        true
    }

    /// Binds a piece of a token.
    pub(crate) fn bind_text(&mut self, ix: usize, token: usize, at: Span) -> bool {
        let def = &self.pattern.slots[ix];
        if let Some(known) = self.same_as_before(ix, token, at) {
            return known;
        }
        if !self.may_hold(ix, at) {
            return false;
        }
        let c = &def.constraint;
        if c.asks_code() || !self.satisfies_text(c, at) {
            return false;
        }
        self.state.slots.push((ix, Bound::new(&def.name, at, "", 1)));
        self.state.tokens[token] = Some(at);
        true
    }

    /// A slot that was bound before must hold equal code.
    pub(super) fn same_as_before(&mut self, ix: usize, token: usize, at: Span) -> Option<bool> {
        let (_, earlier) = self.state.slots.iter().find(|s| s.0 == ix)?;
        if !equal(self.tree, self.text, earlier.span, at) {
            return Some(false);
        }
        self.state.tokens[token] = Some(at);
        Some(true)
    }

    pub(super) fn satisfies_text(&mut self, c: &Constraint, at: Span) -> bool {
        let text = at.of(self.text);
        if let Some(re) = &c.text {
            let Some(groups) = re.captures(text) else { return false };
            for name in re.capture_names().flatten() {
                if let Some(m) = groups.name(name) {
                    let start = at.start as usize;
                    let place = Span::new(start + m.start(), start + m.end());
                    let mut bound = Bound::new(name, place, "", 1);
                    bound.text = Some(m.as_str().to_owned());
                    self.state.groups.push(bound);
                }
            }
        }
        !c.not_text.as_ref().is_some_and(|re| re.is_match(text))
    }

    fn satisfies(&mut self, c: &Constraint, node: Node<'t>) -> bool {
        if !self.satisfies_text(c, span(node)) {
            return false;
        }
        let form = form_of(self.language(), self.language().core(node));
        if (!c.form.is_empty() && !c.form.iter().any(|f| f == form))
            || c.not_form.iter().any(|f| f == form)
        {
            return false;
        }
        let fits = |p: &Pattern| p.fits_at(self.tree, span(node), self.text, self.resolver);
        if (!c.is.is_empty() && !c.is.iter().any(fits)) || c.is_not.iter().any(fits) {
            return false;
        }
        self.untyped
            || (c.means.is_empty() || self.means_any(&c.means, node)) && self.is_typed(c, node)
    }

    /// True if the static type of a node is not against a constraint; what is not known is noted.
    pub(super) fn is_typed(&mut self, c: &Constraint, node: Node<'t>) -> bool {
        if c.types.is_empty() && c.not_types.is_empty() {
            return true;
        }
        let shown = emendo_lang::tree::shown(self.tree, span(node), self.text);
        let told = self.resolver.type_named(span(node));
        let Some(told) = told.or_else(|| self.resolver.type_at(span(node))) else {
            let text = format!("the type of `{shown}` is not known");
            self.state.facts.push(Fact { says: Certainty::Unsure, text, at: None });
            return true;
        };
        let language = self.language();
        for ty in &c.not_types {
            match self.resolver.is_a(&told, ty) {
                Some(true) => return false,
                Some(false) => {}
                None => {
                    let text =
                        format!("whether `{shown}` is a `{}` is not known", ty.shown(language));
                    self.state.facts.push(Fact { says: Certainty::Unsure, text, at: None });
                }
            }
        }
        if c.types.is_empty() {
            return true;
        }
        let all: Vec<Option<bool>> =
            c.types.iter().map(|ty| self.resolver.is_a(&told, ty)).collect();
        if all.contains(&Some(true)) {
            let text = format!("`{shown}` is a `{}`", told.ty.shown(language));
            let why = told.why.unwrap_or(Fact { says: told.says, text, at: None });
            let says = told.says.min(self.resolver.sure_of(&told.ty));
            self.state.facts.push(Fact { says, ..why });
            self.state.typed = true;
            return true;
        }
        if !all.contains(&None) {
            return false;
        }
        let text = format!("`{shown}` is a `{}`", told.ty.shown(language));
        let partly = c.types.iter().any(|ty| self.resolver.is_partly(&told.ty, ty));
        if partly {
            self.state.partly = Some(text);
        } else {
            let text = format!("{text}; whether that is the type that is meant is not known");
            self.state.facts.push(Fact { says: Certainty::Unsure, text, at: None });
        }
        true
    }

    /// Turns what was found into a match, with the certainty that names without a resolved receiver leave.
    pub(crate) fn finish(
        mut self,
        reading: usize,
        at: Span,
        node: Node<'t>,
        (parent, field): (Option<Node<'t>>, Option<&str>),
    ) -> Option<Match> {
        let resolved_slots: Vec<usize> = self
            .pattern
            .slots
            .iter()
            .enumerate()
            .filter(|(_, s)| !s.constraint.means.is_empty() || !s.constraint.types.is_empty())
            .map(|(i, _)| i)
            .collect();
        let mut open = Vec::new();
        for (word, receiver) in &self.reading.unresolved {
            if receiver.is_some_and(|ix| resolved_slots.contains(&ix)) {
                continue;
            }
            let text = match receiver {
                Some(ix) => format!(
                    "the type of the receiver of `{word}` (slot `{}`) is not known",
                    self.pattern.slots[*ix].name
                ),
                None => format!("it is not clear what `{word}` means here"),
            };
            open.push(Fact { says: Certainty::Unsure, text, at: None });
        }
        self.state.facts.extend(open.iter().cloned());
        let language = self.language();
        if language.imports.kinds.contains(&node.kind()) {
            let text = "the import names its symbol in full".to_owned();
            self.state.facts.push(Fact { says: Certainty::Certain, text, at: None });
        }
        let statement =
            parent.filter(|p| p.kind() == language.writing.expression_statement).map(span);
        let mut slots: Vec<Bound> = self.state.slots.into_iter().map(|s| s.1).collect();
        slots.extend(self.state.groups);
        let mut at = at;
        if self.state.base_end.is_some() {
            // A link is what stands after the thing that it hangs on.
            let first = self.state.tokens.iter().flatten().map(|s| s.start).min();
            at.start = first.unwrap_or(at.start).max(at.start);
        }
        Some(Match {
            sifted: Vec::new(),
            reading,
            span: at,
            token_of: self.state.tokens,
            type_arguments: self.state.type_arguments,
            brackets: self.state.brackets,
            slots,
            facts: self.state.facts,
            open,
            beside: Vec::new(),
            partly: self.state.partly,
            typed: self.state.typed,
            names: self.state.names,
            kind: language.kind(node),
            place: (parent.map_or("", |p| language.kind(p)), language.field(field)),
            statement: statement.filter(|_| self.state.base_end.is_none()),
            link: self.state.base_end.is_some(),
            parent: parent.map(span),
        })
    }
}
