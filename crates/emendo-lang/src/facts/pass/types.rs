//! The types that a file declares, with their members.

use crate::tree::Node;
use emendo_text::Span;

use crate::facts::pass::Pass;
use crate::facts::pass::hints::{clean, core_of, type_head, value_hint};
use crate::facts::{Hint, Member, Tells, TypeDecl};
use crate::language::{Space, TypeRule};
use crate::tree::{children, part, span};

impl Pass<'_> {
    /// A type that the node declares.
    pub(crate) fn declares(&mut self, node: Node<'_>, kind: &str) -> bool {
        let Some(rule) = self.language.declares.declared.iter().find(|r| r.kind == kind) else {
            return self.opens_type(node);
        };
        if rule.anonymous {
            let Some(body) = children(node).into_iter().find(|c| c.kind() == rule.name) else {
                return false;
            };
            return self.open_type(rule, node, Span::at(body.start_byte()), vec![String::new()]);
        }
        let Some(name) = self.field(node, rule.name) else { return false };
        // A name may be wrapped, with parameters of the type beside it.
        let wrapped = self.language.declares.hints.wraps.contains(&name.kind());
        let head = if rule.extends || wrapped { core_of(self.language, name) } else { Some(name) };
        let Some(name) = head else { return false };
        let outer = self.types.last().map(|t| self.facts.types[*t].path.clone());
        let mut path = outer.filter(|_| !rule.extends).unwrap_or_default();
        let (written, at) = (clean(span(name).of(self.text)), self.own_part(name));
        let separator = self.language.names.separator;
        match written.strip_prefix(separator).filter(|_| self.language.names.nesting) {
            Some(outermost) => path = vec![outermost.to_owned()],
            None => path.push(written),
        }
        self.open_type(rule, node, at, path)
    }

    /// The place of a type's own name in a longer one that leads to it.
    fn own_part(&self, name: Node<'_>) -> Span {
        let leads = self.language.names.nesting && self.language.words.paths.contains(&name.kind());
        span(name.child_by_field_name("name").filter(|_| leads).unwrap_or(name))
    }

    /// Types that a call in the body of the innermost type makes it be built on.
    pub(super) fn brings(&mut self, node: Node<'_>) {
        let own = &self.language.declares;
        let scope = self.parents.iter().rev().find(|p| p.opened);
        let in_body = scope.is_some_and(|p| p.is_type || own.statics.contains(&p.kind));
        let Some(of) = self.types.last().copied().filter(|_| in_body) else { return };
        let named = |n: &Node<'_>| own.brings.contains(&span(*n).of(self.text));
        let bare = self.language.words.call(node.kind()).is_none_or(|s| part(node, s.1).is_none());
        if !bare || self.field(node, own.hints.call.1).filter(named).is_none() {
            return;
        }
        for one in self.argument_list(node).map_or_else(Vec::new, children) {
            if let Some(path) = type_head(self.language, one, self.text) {
                self.facts.types[of].supers.push((path, span(one)));
            }
        }
    }

    /// The list of what a call is given.
    fn argument_list<'t>(&self, call: Node<'t>) -> Option<Node<'t>> {
        let lists = self.language.typing.calls.arguments.lists;
        children(call).into_iter().find(|c| lists.contains(&c.kind()))
    }

    /// Code in a type that is declared elsewhere, as a function behind a call.
    fn opens_type(&mut self, node: Node<'_>) -> bool {
        let own = &self.language.declares;
        let Some(call) = node.parent().filter(|c| c.kind() == own.hints.call.0) else {
            return false;
        };
        let split = self.language.words.call(call.kind());
        let named = split.and_then(|s| part(call, s.2));
        let opens = |n: Node<'_>| own.opens_types.contains(&span(n).of(self.text));
        if own.opens_types.is_empty() || !named.is_some_and(opens) {
            return false;
        }
        let first = || self.argument_list(call)?.named_child(0);
        let of = split.and_then(|s| part(call, s.1)).or_else(first);
        let Some(of) = of.and_then(|o| core_of(self.language, o)) else { return false };
        let path = vec![clean(span(of).of(self.text))];
        let at = self.own_part(of);
        let rule = TypeRule { extends: true, ..TypeRule::NONE };
        self.open_type(&rule, node, at, path)
    }

    fn open_type(&mut self, rule: &TypeRule, node: Node<'_>, at: Span, path: Vec<String>) -> bool {
        let supers = self.supers(rule, node);
        let alias = (!rule.alias.is_empty())
            .then(|| self.field(node, rule.alias))
            .flatten()
            .and_then(|t| type_head(self.language, t, self.text));
        self.types.push(self.facts.types.len());
        self.facts.types.push(TypeDecl {
            path,
            at,
            span: span(node),
            inside: self.inside.clone(),
            supers,
            alias,
            extends: rule.extends,
            members: Vec::new(),
            by_name: std::sync::OnceLock::new(),
        });
        if node.child_count() == 0 {
            self.types.pop();
            return false;
        }
        true
    }

    fn supers(&self, rule: &TypeRule, node: Node<'_>) -> Vec<(String, Span)> {
        let mut out = Vec::new();
        let mut holders: Vec<Node<'_>> = Vec::new();
        for child in children(node) {
            holders.extend(rule.supers.contains(&child.kind()).then_some(child));
            // What a type takes over may be said among its members.
            let inner = rule.supers.iter().filter_map(|s| s.split_once('/'));
            for (_, kind) in inner.filter(|(holder, _)| *holder == child.kind()) {
                holders.extend(children(child).into_iter().filter(|c| c.kind() == kind));
            }
        }
        for field in rule.supers {
            let by_field = self.field(node, field);
            holders.extend(by_field.filter(|n| !holders.contains(n)));
        }
        // A type that a call makes.
        let made = node.child_by_field_name("right").filter(|_| !rule.alias.is_empty());
        let made = made.filter(|m| {
            let text = span(*m).of(self.text);
            self.language.declares.makes_types.iter().any(|t| text.starts_with(t))
        });
        if let Some(made) = made {
            holders.extend(self.argument_list(made).and_then(|l| l.named_child(0)));
        }
        // Types stand directly in what holds them, or in lists within it.
        for _ in 0..3 {
            let mut next = Vec::new();
            for h in std::mem::take(&mut holders) {
                match type_head(self.language, h, self.text) {
                    Some(path) => out.push((path, span(h))),
                    None => next
                        .extend(children(h).into_iter().filter(|c| c.is_named() && !c.is_extra())),
                }
            }
            holders = next;
        }
        out.sort_by_key(|s| s.1.start);
        out
    }

    /// Members that are not names in a scope.
    pub(crate) fn members(&mut self, node: Node<'_>, kind: &str) {
        let types = &self.language.declares;
        let direct = self.parents.iter().rev().take(2).any(|p| p.is_type);
        // A word of its own stands nowhere else.
        let word = self.language.words.kinds.iter().any(|w| w.0 == kind);
        let own = types.members.iter().filter(|m| m.0 == kind && (direct || word));
        for (_, field, space) in own {
            let name = if field.is_empty() { Some(node) } else { self.field(node, field) };
            if let Some(name) = name {
                let hint = self.hint(node);
                self.member(span(name).of(self.text).to_owned(), span(name), *space, hint);
            }
        }
        let (list, field) = types.numbered;
        if kind == list && !list.is_empty() && direct {
            let mut cursor = node.walk();
            for (i, ty) in node.children_by_field_name(field, &mut cursor).enumerate() {
                let hint = type_head(self.language, ty, self.text)
                    .map(|path| Hint { path, how: Tells::Declared });
                self.member(i.to_string(), span(ty), Space::Value, hint);
            }
        }
        let (assigned, target, value) = types.assigned;
        if kind == assigned && !kind.is_empty() {
            let Some(target) = self.field(node, target) else { return };
            let split = self.language.words.member(target.kind());
            let split = split.and_then(|s| Some((part(target, s.1)?, part(target, s.2)?)));
            let Some((object, name)) = split else { return };
            let name = self.language.unmarked(name, self.text);
            let (object, name) = (span(object).of(self.text), span(name).of(self.text));
            if types.hints.own.contains(&object) {
                let hint = self.declared_type(node).or_else(|| {
                    let value = self.field(node, value)?;
                    value_hint(self.language, value, self.text)
                });
                let at = Span::new(target.end_byte() - name.len(), target.end_byte());
                self.member(name.to_owned(), at, Space::Value, hint);
            }
        }
        for (_, child) in types.parameters.iter().filter(|p| p.0 == kind) {
            let marked = child.is_empty() || children(node).iter().any(|c| c.kind() == *child);
            // Without a mark, only those of the type itself are.
            let marked = marked && (direct || !child.is_empty());
            let named = self.field(node, "name").or(self.field(node, "pattern"));
            if let Some(name) =
                named.filter(|_| marked).map(|n| self.language.unmarked(n, self.text))
            {
                let hint = self.hint(node);
                self.member(span(name).of(self.text).to_owned(), span(name), Space::Value, hint);
                let own = self.types.last().map(|t| &mut self.facts.types[*t].members);
                if let Some(member) = own.and_then(|m| m.last_mut()) {
                    member.read_by_calls = types.read_by_calls && member.at == span(name);
                }
            }
        }
    }

    pub(crate) fn member(&mut self, name: String, at: Span, space: Space, hint: Option<Hint>) {
        let Some(owner) = self.types.last() else { return };
        let members = &mut self.facts.types[*owner].members;
        // Overloads are members of one name; what tells the type of one tells that of all.
        let known = members.iter().rev().take(64).find(|m| m.name == name && m.space == space);
        if known.is_some_and(|m| m.at == at) {
            return;
        }
        let hint = hint.or_else(|| known.and_then(|m| m.hint.clone()));
        members.push(Member { name, at, space, hint, read_by_calls: false });
    }
}
