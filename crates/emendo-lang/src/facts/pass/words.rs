//! The words of a file: where names stand, and in which space.

use crate::tree::{Node, TreeCursor};
use emendo_text::Span;

use crate::facts::Word;
use crate::facts::pass::hints::{core_of, within};
use crate::facts::pass::kinds::{KindFacts, bits};
use crate::facts::pass::{Above, KEY_REACH, Pass};
use crate::language::{Space, SymbolOf};
use crate::tree::{at_place, part, span, token_before, token_texts};

impl Pass<'_> {
    /// Types in text, and what stands within literals.
    pub(crate) fn quoted(&mut self, node: Node<'_>, kind: &str) {
        let literal = self.language.compare.strings.contains(&kind);
        if literal {
            self.facts.strings.push(within(node));
            let alone = self.parents.last().is_some_and(|p| {
                p.kind == self.language.writing.expression_statement && p.span == span(node)
            });
            if alone && self.language.words.doc_literals {
                self.facts.docs.push(within(node));
            }
            self.member_text(node);
            self.variable_text(node);
        }
        let Some((kind, comment)) = self.language.words.quoted_types else { return };
        let text = span(node).of(self.text);
        if node.is_extra() && text.starts_with(comment) {
            self.facts.quoted.extend(token_texts(text).map(|(_, t)| t.to_owned()));
        } else if literal && self.parents.iter().rev().take(8).any(|p| p.kind == kind) {
            self.type_in_text(within(node));
        }
    }

    /// A text that code may stand in; one within another is a part of that.
    pub(super) fn template(&mut self, node: Node<'_>) {
        let at = span(node);
        if !self.language.compare.strings.contains(&node.kind()) {
            self.facts.strings.push(within(node));
        }
        let inner = self.facts.templates.last().is_some_and(|t| t.contains(at));
        if !inner && node.start_position().row != node.end_position().row {
            self.facts.templates.push(at);
        }
    }

    /// A text that is the name of a variable.
    fn variable_text(&mut self, node: Node<'_>) {
        let functions = self.language.words.variable_texts;
        if functions.is_empty() || self.outline {
            return;
        }
        let called = |p: &Above| {
            let rest = self.text[p.span.start as usize..].trim_start_matches('\\');
            let after = functions.iter().find_map(|f| rest.strip_prefix(f));
            after.is_some_and(|a| a.trim_start().starts_with('('))
        };
        if self.parents.iter().rev().take(3).any(called) {
            let span = within(node);
            let path_start = span.start;
            let word = Word { span, space: Space::Value, path_start, receiver: None, key: false };
            self.push(span.of(self.text), word);
        }
    }

    /// A word that names a member by its name alone, as the argument of a call.
    pub(crate) fn symbol(&mut self, node: Node<'_>, kind: &str) {
        let lists = self.language.typing.calls.arguments.lists;
        let Some(list) = node.parent() else { return };
        let at = Span::new(node.start_byte() + 1, node.end_byte().max(node.start_byte() + 1));
        let word =
            |space, receiver, key| Word { span: at, space, path_start: at.start, receiver, key };
        if list.kind() == self.language.words.triples && !self.outline {
            let items = crate::tree::named(list);
            let is_type = |n: &Node<'_>| {
                let words = &self.language.words;
                let word = words.kinds.iter().any(|k| k.0 == n.kind() && k.1 == Space::Type);
                word || words.paths.contains(&n.kind())
            };
            if let [first, second, _] = items.as_slice()
                && second.id() == node.id()
                && is_type(first)
            {
                self.push(at.of(self.text), word(Space::Member, Some(span(*first)), true));
            }
            return;
        }
        if !lists.contains(&list.kind()) {
            // Handed on as what is done with each of several.
            let passed = self
                .language
                .typing
                .gives(list.kind())
                .is_some_and(|_| list.parent().is_some_and(|p| lists.contains(&p.kind())));
            if passed && self.language.compare.spreads.contains(&list.kind()) && !self.outline {
                let word = word(Space::Member, Some(span(list)), false);
                self.push(at.of(self.text), word);
            }
            return;
        }
        let Some(call) = list.parent() else { return };
        let split = self.language.words.call(call.kind());
        let Some((receiver, name)) = split.and_then(|s| Some((part(call, s.1), part(call, s.2)?)))
        else {
            return;
        };
        let name = span(name).of(self.text);
        let mut rules = self.language.words.symbols.iter();
        let (pipe, left, right) = self.language.typing.calls.pipe;
        let piped = call.parent().filter(|p| p.kind() == pipe && part(*p, right) == Some(call));
        let whole = receiver.map_or_else(
            || name.to_owned(),
            |r| format!("{}{}{name}", span(r).of(self.text), self.language.names.separator),
        );
        if { self.language.words.symbols.iter() }
            .any(|r| r.of == SymbolOf::First && r.kind == kind && r.calls.contains(&whole.as_str()))
        {
            let items = crate::tree::named(list);
            let at_place = items.iter().position(|i| i.id() == node.id());
            let of = match (piped.and_then(|p| part(p, left)), at_place) {
                (Some(left), Some(0)) => Some(left),
                (None, Some(1)) => items.first().copied(),
                _ => None,
            };
            if let Some(of) = of.filter(|_| !self.outline) {
                self.push(at.of(self.text), word(Space::Member, Some(span(of)), true));
            }
            return;
        }
        let own = receiver.is_none() && self.types.last().is_some();
        let Some(rule) = rules.find(|r| r.kind == kind && r.calls.contains(&name)) else {
            // Any other call in the body of a type may take it for a member of that.
            let body = self.parents.iter().rev().find(|p| p.opened).is_some_and(|p| p.is_type);
            if own && body && !self.outline {
                let of = self.types.last().map(|t| self.facts.types[*t].at);
                self.facts.loose.insert(at);
                self.push(at.of(self.text), word(Space::Member, of, true));
            }
            return;
        };
        let first = list.named_child(0).is_some_and(|f| f.id() == node.id());
        let word = match rule.of {
            SymbolOf::Declared | SymbolOf::Variable if own => {
                self.member(at.of(self.text).to_owned(), at, Space::Value, None);
                word(Space::Declared, None, false)
            }
            SymbolOf::Own if own => {
                let of = self.types.last().map(|t| self.facts.types[*t].at);
                word(Space::Member, of, true)
            }
            SymbolOf::Constant if first && receiver.is_none() => word(Space::Type, None, false),
            SymbolOf::Receiver if first => match receiver {
                Some(r) => word(Space::Member, Some(span(r)), false),
                None => word(Space::Value, None, false),
            },
            _ => return,
        };
        if !self.outline {
            self.push(at.of(self.text), word);
        }
    }

    /// A text in a type that names a member of another type.
    fn member_text(&mut self, node: Node<'_>) {
        let rules = self.language.words.member_texts;
        let near = |kind: &str| self.parents.iter().rev().take(5).any(|p| p.kind == kind);
        let Some((kind, names)) = rules.iter().find(|r| near(r.0)).filter(|_| !self.outline) else {
            return;
        };
        let mut list = node.parent();
        while let Some(n) = list.filter(|n| n.kind() != *kind) {
            list = n.parent();
        }
        let Some((list, first)) = list.and_then(|l| Some((l, l.named_child(0)?))) else { return };
        let head = list
            .parent()
            .map_or("", |p| &self.text[p.start_byte()..list.start_byte().max(p.start_byte())]);
        if first.end_byte() <= node.start_byte()
            && (names.is_empty() || names.contains(&head.trim()))
        {
            let at = within(node);
            let (space, receiver) = (Space::Member, Some(span(first)));
            let word = Word { span: at, space, path_start: at.start, receiver, key: true };
            self.push(at.of(self.text), word);
        }
    }

    /// The words of a type that stands in a literal.
    fn type_in_text(&mut self, at: Span) {
        let text = at.of(self.text);
        let mut path: Option<Span> = None;
        let mut dot = false;
        for (i, token) in token_texts(text) {
            let start = at.start as usize + i;
            if token.starts_with(|c: char| c.is_alphabetic() || c == '_') {
                let span = Span::new(start, start + token.len());
                let before = path.filter(|_| dot);
                let space = if before.is_some() { Space::Member } else { Space::Type };
                let path_start = before.map_or(span.start, |p| p.start);
                let word = Word { span, space, path_start, receiver: before, key: false };
                self.push(token, word);
                path = Some(before.map_or(span, |b| b.hull(span)));
                dot = false;
            } else {
                dot = token == ".";
                path = path.filter(|_| dot);
            }
        }
    }

    /// Notes a word. Gives the token before the node.
    pub(crate) fn word(&mut self, cursor: &TreeCursor<'_>, kind: KindFacts) -> &'static str {
        let node = cursor.node();
        let token = self.parents.last_mut().map_or("", |p| std::mem::take(&mut p.token));
        if self.outline {
            if let Some(above) = self.parents.last_mut() {
                above.behind = false;
            }
            return token;
        }
        if kind.is(bits::TEXT) {
            self.listed(node);
        }
        if !kind.is(bits::WORD) {
            return token;
        }
        if self.language.words.is_plain_key(node) {
            return token;
        }
        let at = span(node);
        let Some((_, space)) = self.language.words.kinds.iter().find(|(k, _)| *k == kind.name)
        else {
            return token;
        };
        let (parent, start) = self.parents.last().map_or(("", 0), |p| (p.kind, p.span.start));
        let field = || cursor.field_name().unwrap_or("");
        let positions = self.language.words.positions.iter();
        let position = { positions }.find(|(k, f, _)| *k == parent && at_place(node, f, field()));
        let mut space = position.map_or(*space, |p| p.2);
        let marked = !self.language.names.variable_mark.is_empty();
        if marked && self.language.words.heads.contains(&parent) {
            // What stands behind the mark of a variable is declared by what holds that.
            let above = self.parents.len().checked_sub(2).map_or("", |up| self.parents[up].kind);
            let declared = |p: &&(&str, &str, Space)| p.0 == above && p.2 == Space::Declared;
            space = { self.language.words.positions.iter() }.find(declared).map_or(space, |p| p.2);
        }
        if { self.language.words.like_type.iter() }.any(|(k, f)| *k == parent && *f == field()) {
            space = if self.is_own_type(at) { Space::Type } else { Space::Declared };
        }
        let behind = self.parents.last_mut().is_some_and(|p| std::mem::take(&mut p.behind));
        if (behind || self.language.words.member_after.contains(&token)) && space != Space::Declared
        {
            space = Space::Member;
        }
        // Whatever stands between: what is called on something is a member of that.
        let called = self.language.words.call(parent).is_some_and(|s| s.2 == field());
        if called && self.parents.last().is_some_and(|p| p.last.is_some()) {
            space = Space::Member;
        }
        if self.language.words.types_after.contains(&token) {
            space = Space::Type;
        }
        if at.start < self.import_until {
            space = Space::Declared;
        }
        let in_path = space == Space::Member && self.language.words.paths.contains(&parent);
        let mut path_start = if in_path { start } else { at.start };
        if space == Space::Member && self.language.words.runs.contains(&parent) {
            path_start = self.run_start(node);
        }
        if self.language.names.whole_paths() && self.language.words.paths.contains(&parent) {
            let default = { self.language.words.kinds.iter() }.find(|(k, _)| *k == kind.name);
            // A segment is what it is by itself, whatever sign stands before it.
            let own = default.map(|d| d.1).filter(|_| self.language.names.absolute);
            (path_start, space) = self.in_rooted_path(node, own.unwrap_or(space));
        }
        let mut receiver = None;
        let mut key = false;
        let own = { self.language.words.own_members.iter() }
            .any(|(k, f)| *k == parent && at_place(node, f, field()));
        if own {
            space = Space::Member;
            receiver = self.types.last().map(|t| self.facts.types[*t].at);
            key = true;
        } else if self.language.words.expected_members.contains(&parent) {
            space = Space::Member;
            path_start = at.start;
        } else if space == Space::Member {
            let near = self.parents.iter().rev().take(if behind { 2 } else { 3 });
            receiver = near.filter_map(|p| p.last).next();
        } else if at.start >= self.import_until
            && let Some(owner) = self.key_of(node, kind.name, parent, &field)
        {
            (receiver, key) = (Some(owner), true);
        }
        self.push(at.of(self.text), Word { span: at, space, path_start, receiver, key });
        token
    }

    /// True for a name that is that of the type around.
    pub(super) fn is_own_type(&self, name: Span) -> bool {
        let own = self.types.last().and_then(|t| self.facts.types[*t].path.last());
        own.is_some_and(|own| own == name.of(self.text))
    }

    /// Where a name begins whose words stand side by side, with signs between.
    fn run_start(&self, node: Node<'_>) -> u32 {
        let words = &self.language.words;
        let mut first = node;
        while let Some(word) = first.prev_sibling().and_then(|sign| {
            let joined = words.member_after.contains(&sign.kind());
            let word = sign.prev_sibling().filter(|_| joined)?;
            words.kinds.iter().any(|k| k.0 == word.kind()).then_some(word)
        }) {
            first = word;
        }
        first.start_byte() as u32
    }

    /// Where the path of a name begins, and in which space the name lives: the last in that of the whole path, others stand
    /// for packages, or for types that packages are called like.
    fn in_rooted_path(&self, node: Node<'_>, space: Space) -> (u32, Space) {
        let words = &self.language.words;
        let mut path = node;
        while let Some(up) = path.parent().filter(|p| words.paths.contains(&p.kind())) {
            path = up;
        }
        let start = path.start_byte() as u32;
        if space == Space::Declared || node.end_byte() < path.end_byte() {
            return (start, if space == Space::Declared { space } else { Space::Type });
        }
        let Some(holder) = path.parent() else { return (start, space) };
        let all = crate::tree::children_with_fields(holder);
        let field = all.iter().find(|c| c.0 == path).and_then(|c| c.1).unwrap_or("");
        let fits = |p: &&(&str, &str, Space)| p.0 == holder.kind() && at_place(path, p.1, field);
        let position = words.positions.iter().find(fits);
        (start, position.map_or(space, |p| p.2))
    }

    pub(super) fn push(&mut self, text: &str, word: Word) {
        match self.facts.words.get_mut(text) {
            Some(words) => words.push(word),
            None => {
                self.facts.words.insert(text.to_owned(), vec![word]);
            }
        }
    }

    /// The type that a key is a member of, if the word is one.
    fn key_of<'f>(
        &self,
        node: Node<'_>,
        kind: &str,
        parent: &str,
        field: &dyn Fn() -> &'f str,
    ) -> Option<Span> {
        let rules = self.language.declares.keys;
        let signed = |sign: &str| {
            let before = || token_before(node.parent()?);
            sign.is_empty() || before().is_some_and(|b: Node<'_>| b.kind() == sign)
        };
        let fits = |k: &&crate::language::KeyRule| {
            (k.pair == parent && signed(k.sign) && (k.key.is_empty() || k.key == field()))
                || k.pair == kind
        };
        rules.iter().filter(fits).find_map(|rule| {
            let mut above = self.parents.iter().rev().take(KEY_REACH);
            // A pair around the pair: it is taken from what that one gives.
            let mut pairs = 0;
            let place = above.find(|p| {
                pairs += usize::from(rules.iter().any(|r| r.pair == p.kind));
                p.kind == rule.around
            })?;
            if pairs > usize::from(rule.pair == parent) {
                return None;
            }
            place.owner.or_else(|| {
                // What it is taken from stands after it.
                let mut up = node.parent();
                while let Some(n) = up.filter(|n| n.kind() != rule.around) {
                    up = n.parent();
                }
                let owner = part(up?, rule.owner)?;
                Some(span(core_of(self.language, owner).unwrap_or(owner)))
            })
        })
    }

    /// A string of the list of names that the file passes on.
    fn listed(&mut self, node: Node<'_>) {
        if self.language.exports.export_list.is_empty()
            || !self.language.compare.strings.contains(&node.kind())
        {
            return;
        }
        let in_list = self.parents.iter().rev().take(3).any(|p| {
            let head = self.text[p.span.start as usize..].trim_start();
            self.parents.len() <= 5
                && head
                    .strip_prefix(self.language.exports.export_list)
                    .is_some_and(|r| r.trim_start().starts_with(['=', '+', ':', '.']))
        });
        if in_list {
            let at = within(node);
            let space = Space::Value;
            let word = Word { span: at, space, path_start: at.start, receiver: None, key: false };
            self.push(at.of(self.text), word);
        }
    }
}
