//! What is declared in scopes, and what tells its type.

use crate::tree::{Node, TreeCursor};

use emendo_text::Span;

use crate::facts::pass::Pass;
use crate::facts::pass::hints::{core_of, type_head, value_hint};
use crate::facts::{BoundName, Hint, Tells, Word};
use crate::language::{Binding, Reach, Space};
use crate::tree::{children, part, span, walk_cursor};

impl Pass<'_> {
    /// Notes for what stands around what a child with a telling field says of it.
    pub(crate) fn told_above(&mut self, cursor: &TreeCursor<'_>, kind: &str) {
        let Some(id) = cursor.field_id() else { return };
        let types = &self.language.declares;
        if self.telling.is_empty() {
            let all = types.keys.iter().map(|k| k.owner).chain(types.fields.iter().copied());
            let all = all.filter_map(|f| cursor.node().field_number(f)).map(usize::from);
            let all: Vec<usize> = all.collect();
            self.telling.resize(all.iter().max().map_or(1, |m| m + 1), false);
            for id in all {
                self.telling[id] = true;
            }
        }
        if !self.telling.get(usize::from(id)).is_some_and(|t| *t) {
            return;
        }
        let Some(field) = cursor.field_name() else { return };
        let Some(above) = self.parents.last_mut() else { return };
        if types.keys.iter().any(|k| k.around == above.kind && k.owner == field) {
            let node = cursor.node();
            above.owner = Some(span(core_of(self.language, node).unwrap_or(node)));
        }
        if types.fields.contains(&field) && above.kind != kind {
            above.hint = type_head(self.language, cursor.node(), self.text)
                .filter(|p| !types.hints.inferred.contains(&p.as_str()))
                .map(|path| Hint { path, how: Tells::Declared });
        }
    }

    pub(crate) fn bind(&mut self, node: Node<'_>, around: u32) {
        if (node.start_byte() as u32) < self.import_until {
            return;
        }
        self.delegated(node);
        let kind = node.kind();
        let marked = |b: &&Binding| {
            let mark = self.language.scopes.marks.iter().find(|m| m.0 == b.kind);
            mark.is_none_or(|m| children(node).iter().any(|c| c.kind() == m.1))
        };
        let rules = self.language.scopes.bindings.iter().filter(|b| b.kind == kind);
        for rule in rules.filter(marked) {
            self.declare(rule, node, around);
        }
    }

    /// A function that passes on to one of another module: by another name that is written, or by its own, in which case the
    /// module's place stands for it.
    fn delegated(&mut self, node: Node<'_>) {
        let Some(to) = node.child_by_field_name("delegate").filter(|_| !self.outline) else {
            return;
        };
        let other = node.child_by_field_name("other");
        let Some(name) = other.or_else(|| node.child_by_field_name("name")) else { return };
        let text = span(name).of(self.text).trim_start_matches(':').to_owned();
        let at = match other {
            Some(other) => Span { start: span(other).end - text.len() as u32, ..span(other) },
            None => span(to),
        };
        let (space, receiver) = (Space::Member, Some(span(to)));
        self.push(&text, Word { span: at, space, path_start: at.start, receiver, key: true });
    }

    /// What a rule says that `node` declares.
    fn declare(&mut self, rule: &Binding, node: Node<'_>, around: u32) {
        let names = &self.language.names;
        let mut cursor = node.walk();
        let found: Vec<Node<'_>> = if rule.field.contains('/') {
            part(node, rule.field).into_iter().collect()
        } else if let Ok(nth) = rule.field.parse::<usize>() {
            // Without a field of its own.
            let mut bare = Vec::new();
            let mut more = cursor.goto_first_child();
            while more {
                let child = cursor.node();
                let counts = child.is_named() && !child.is_extra() && cursor.field_id().is_none();
                bare.extend(counts.then_some(child));
                more = cursor.goto_next_sibling();
            }
            bare.into_iter().nth(nth).into_iter().collect()
        } else if rule.field.is_empty() {
            node.named_children(&mut cursor)
                .filter(|c| rule.child.is_empty() || c.kind() == rule.child)
                .collect()
        } else {
            node.children_by_field_name(rule.field, &mut cursor).collect()
        };
        let is_word = |n: &Node<'_>| self.language.words.kinds.iter().any(|(k, _)| *k == n.kind());
        let mut words = Vec::new();
        for n in found {
            if rule.deep {
                self.taken_apart(n, rule.space, &mut words);
                if self.language.scopes.constants_in.contains(&rule.kind) {
                    let constant = |n: &Node<'_>| {
                        let text = span(*n).of(self.text);
                        text.contains(char::is_uppercase) && !text.contains(char::is_lowercase)
                    };
                    words.retain(|w| !constant(w));
                }
            } else if is_word(&n) {
                words.push(n);
            }
        }
        let scope = match rule.reach {
            Reach::Inside | Reach::Body => self.open.last().copied().unwrap_or(around),
            Reach::Scope | Reach::Onwards | Reach::Behind => match self.hoists(node) {
                true => self.function_around().unwrap_or(around),
                false => around,
            },
        };
        let owner = self.parents.iter().rposition(|p| p.opened);
        // A function behind the call that makes a type is the type's body.
        let made = |o: usize| {
            let up = o.checked_sub(2).map(|up| &self.parents[up]);
            let own = &self.language.declares;
            !own.makes_types.is_empty()
                && (self.parents[o].is_type || up.is_some_and(|p| p.is_type && !p.opened))
        };
        let member = owner.is_some_and(|o| {
            self.language.scopes.member_scopes.contains(&self.parents[o].kind) || made(o)
        });
        // A body without a name of its own has no members that anyone could ask for.
        let of_type = owner.is_some_and(|o| {
            self.parents[o].is_type
                || o.checked_sub(1).is_some_and(|up| self.parents[up].is_type)
                || self.holds_statics(o)
                || made(o)
        });
        let from = match rule.reach {
            Reach::Onwards if !member => node.start_byte(),
            Reach::Behind if !member => node.end_byte(),
            Reach::Body => node.child_by_field_name("body").map_or(0, |b| b.start_byte()),
            _ => 0,
        };
        let from = from as u32;
        let space = if member && names.members_need_receiver && rule.space != Space::Type {
            Space::Member
        } else {
            rule.space
        };
        // A value that is taken apart has no type that tells that of its parts.
        let hint = match words.as_slice() {
            [_] if rule.space != Space::Type => self.hint(node),
            _ => None,
        };
        if self.language.typing.calls.like_type && rule.space == Space::Value {
            // What makes an object of the type around declares nothing else.
            words.retain(|w| !self.is_own_type(span(*w)));
        }
        for name in words {
            let deep = || self.hint_of_pattern(name, node);
            let hint = hint.clone().or_else(|| rule.deep.then(deep).flatten());
            let of_types = self.language.scopes.of_types.contains(&name.kind());
            let lasts = of_types || self.language.is_function(rule.kind);
            let (scope, from) = match of_types {
                true => (self.scope_of_type().unwrap_or(0), 0),
                false => (scope, from),
            };
            let (at, name) = (span(name), span(name).of(self.text).to_owned());
            if member
                && of_type
                && !of_types
                && rule.space != Space::Type
                && !matches!(rule.reach, Reach::Inside | Reach::Body)
            {
                self.member(name.clone(), at, rule.space, hint.clone());
            }
            self.facts.scopes[scope as usize].bindings.push(BoundName {
                name,
                space,
                at,
                from,
                lasts,
                hint,
            });
        }
    }

    /// True for what holds members of the type around it itself.
    fn holds_statics(&self, above: usize) -> bool {
        let statics = self.language.declares.statics;
        statics.contains(&self.parents[above].kind)
            && self.parents[..above].iter().rev().find(|p| p.opened).is_some_and(|p| p.is_type)
    }

    /// The scope of the type around.
    fn scope_of_type(&self) -> Option<u32> {
        let opened: Vec<bool> =
            self.parents.iter().filter(|p| p.opened).map(|p| p.is_type).collect();
        let first = self.open.len().checked_sub(opened.len())?;
        let place = opened.iter().rposition(|is_type| *is_type)?;
        self.open.get(first + place).copied()
    }

    /// True for what declares in the whole function around, from wherever it stands.
    fn hoists(&self, node: Node<'_>) -> bool {
        let hoisting = self.language.scopes.hoisting.0;
        !hoisting.is_empty() && node.parent().is_some_and(|p| p.kind() == hoisting)
    }

    /// The scope of the nearest function around, or of the file.
    fn function_around(&self) -> Option<u32> {
        let functions = self.language.scopes.hoisting.1;
        let opened: Vec<&str> = self.parents.iter().filter(|p| p.opened).map(|p| p.kind).collect();
        // The scopes that are open are those of the nodes above, the outermost first.
        let first = self.open.len().checked_sub(opened.len())?;
        let place = opened.iter().rposition(|k| functions.contains(k));
        self.open.get(first + place.unwrap_or(0)).copied()
    }

    /// A name among several in a node whose own parts tell its type: parameters that are bound together.
    fn hint_of_pattern(&self, name: Node<'_>, rule_node: Node<'_>) -> Option<Hint> {
        let mut up = name.parent();
        while let Some(n) = up.filter(|n| n.id() != rule_node.id()) {
            if let Some(hint) = self.declared_type(n) {
                return Some(hint);
            }
            up = n.parent();
        }
        None
    }

    pub(crate) fn declared_type(&self, node: Node<'_>) -> Option<Hint> {
        let types = &self.language.declares;
        let found = types.fields.iter().find_map(|f| self.field(node, f))?;
        let path = type_head(self.language, found, self.text)?;
        let told = !types.hints.inferred.contains(&path.as_str());
        told.then_some(Hint { path, how: Tells::Declared })
    }

    /// What tells the type of what a node declares.
    pub(crate) fn hint(&self, node: Node<'_>) -> Option<Hint> {
        let types = &self.language.declares;
        let above = || self.parents.last().and_then(|p| p.hint.clone());
        let value = || {
            let (_, field) = types.values.iter().find(|v| v.0 == node.kind())?;
            let found = if field.is_empty() {
                let parts = children(node);
                let named: Vec<_> =
                    parts.iter().filter(|c| c.is_named() && !c.is_extra()).collect();
                (named.len() > 1).then(|| *named[named.len() - 1])?
            } else {
                self.field(node, field)?
            };
            value_hint(self.language, found, self.text)
        };
        self.declared_type(node).or_else(above).or_else(value)
    }

    /// The names in a pattern that takes a value apart.
    fn taken_apart<'t>(&self, pattern: Node<'t>, space: Space, out: &mut Vec<Node<'t>>) {
        walk_cursor(
            pattern,
            |cursor| {
                let node = cursor.node();
                // Not asked for the pattern itself: its own field is what led here.
                let parent = (node.id() != pattern.id()).then(|| cursor.field_name()).flatten();
                let skipped = self.language.scopes.pattern_skips.iter().any(|(kind, field)| {
                    if field.is_empty() { *kind == node.kind() } else { Some(*field) == parent }
                });
                // A list of types is what a rule for types leads to.
                let skipped = skipped && !(space == Space::Type && node.id() == pattern.id());
                // A path of several names means something that is declared elsewhere.
                let path = self.language.words.paths.contains(&node.kind());
                if skipped || path && node.named_child_count() > 1 {
                    return false;
                }
                let words = &self.language.words;
                if words.kinds.iter().any(|(k, _)| *k == node.kind()) && !words.is_plain_key(node) {
                    out.push(node);
                }
                true
            },
            |_| {},
        );
    }
}
