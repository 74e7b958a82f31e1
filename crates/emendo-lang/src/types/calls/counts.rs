//! Functions that are told apart by how many arguments they take.

use emendo_text::Span;

use crate::language::{Origin, Space};
use crate::resolver::Resolver;
use crate::tree::{Node, named, part, span};
use crate::ty::{Known, Ty};
use crate::types::calls::Overload;

impl<'a> Resolver<'a> {
    /// What stands before a call and is its first argument.
    pub(crate) fn piped(&self, call: Node<'a>) -> Option<Node<'a>> {
        let (kind, left, right) = self.language.typing.calls.pipe;
        if kind.is_empty() {
            return None;
        }
        let up = call.parent().filter(|p| p.kind() == kind)?;
        part(up, right).filter(|r| *r == call).and_then(|_| part(up, left))
    }

    /// True for a word that is nothing but the name of a member that is declared there.
    pub fn is_member_word(&self, name: Span) -> bool {
        let members = self.language.declares.members;
        self.leaf(name).is_some_and(|n| members.iter().any(|m| m.0 == n.kind() && m.1.is_empty()))
    }

    /// True where a member of an object is read, and not called.
    pub fn is_read(&self, name: Span) -> bool {
        let words = &self.language.words;
        let read = || {
            let member = self.leaf(name)?.parent()?;
            let (_, object, _) = words.member(member.kind())?;
            let typed = |n: Node<'_>| {
                words.paths.contains(&n.kind())
                    || words.kinds.iter().any(|k| k.0 == n.kind() && k.1 == Space::Type)
            };
            let of_type = part(member, object).is_none_or(typed);
            Some(!of_type && member.parent()?.kind() == words.reads)
        };
        !words.reads.is_empty() && read().unwrap_or(false)
    }

    /// The number of what a function takes, where it is named with that.
    pub fn count_at(&self, name: Span) -> Option<Span> {
        let mut node = self.leaf(name)?;
        for _ in 0..3 {
            node = node.parent()?;
            if let Some(count) = node.child_by_field_name("count") {
                return Some(span(count));
            }
        }
        None
    }

    /// True if the project declares functions of both numbers where one is declared or called: under the same name, and in
    /// the same module or type.
    pub fn has_counted(&self, name: Span, counts: [usize; 2]) -> bool {
        let text = name.of(self.text);
        let function = self.introduced(name).filter(|(.., rule)| rule.origin == Origin::Function);
        if function.is_some() {
            let around = self.facts.types_at(name.start).next();
            return around.is_some_and(|t| self.counts_in(&self.own_name(t), text, counts));
        }
        let known = self.call_at(name).and_then(|call| self.callee(call));
        known.is_some_and(|(known, _)| self.is_counted(&known, counts))
    }

    /// The same of the functions of a module or a type.
    pub fn counts_in(&self, owner: &str, name: &str, counts: [usize; 2]) -> bool {
        self.member(&Ty::object(owner), name).is_some_and(|known| self.is_counted(&known, counts))
    }

    fn is_counted(&self, known: &Known, counts: [usize; 2]) -> bool {
        let told = self.project.learned(self.language, &known.owner).is_some();
        let takes =
            |count| known.all.iter().any(|m| m.params.as_ref().is_some_and(|p| p.len() == count));
        !told && counts.into_iter().all(takes)
    }

    /// Is a function that takes so many arguments named at a place?
    pub(super) fn counted(&self, name: Span, wanted: usize) -> Overload {
        let fits = |fits| if fits { Overload::Is } else { Overload::Not };
        if let Some((_, node, rule)) = self.introduced(name)
            && rule.origin == Origin::Function
        {
            let takes = self.parameters_of(node).map_or_else(Vec::new, named);
            let optional = |p: &Node<'a>| p.child_by_field_name("fallback").is_some();
            let needed = takes.iter().filter(|p| !optional(p)).count();
            if needed < takes.len() && (needed..=takes.len()).contains(&wanted) {
                // It is several functions: one of them cannot change its name alone.
                return Overload::Unknown;
            }
            return fits((needed..=takes.len()).contains(&wanted));
        }
        let root = self.tree.roots_at(name).last();
        let at = root
            .and_then(|r| r.node.descendant_for_byte_range(name.start as usize, name.end as usize));
        let symbol = |n: &Node<'a>| self.language.words.symbols.iter().any(|s| s.kind == n.kind());
        if let Some(node) = at.filter(symbol) {
            // Named by a word, with the list of what it is given, or the number of that, behind it.
            let given = node.next_named_sibling();
            let listed = given.filter(|g| self.language.compare.lists.contains(&g.kind()));
            let number = || span(given?).of(self.text).parse::<usize>().ok();
            let count = listed.map(|l| named(l).len()).or_else(number);
            return count.map_or(Overload::Unknown, |count| fits(count == wanted));
        }
        let Some(mut node) = self.leaf(name) else { return Overload::Unknown };
        let of = |up: Node<'a>| part(up, self.language.words.member(up.kind())?.2);
        // The member that it is the name of, and what is only that.
        while let Some(up) = node.parent().filter(|up| {
            of(*up) == Some(node) || self.language.compare.transparent.contains(&up.kind())
        }) {
            node = up;
        }
        if let Some(up) = node.parent() {
            // Named with its number.
            if let Some(count) = up.child_by_field_name("count") {
                return fits(span(count).of(self.text).parse() == Ok(wanted));
            }
            let called = self.callee_rule(up).and_then(|rule| part(up, rule.function));
            if called == Some(node) {
                node = up;
            }
        }
        if self.callee_rule(node).is_none() {
            return fits(usize::from(self.piped(node).is_some()) == wanted);
        }
        let args = self.arguments(node);
        // A block is one more, among the keys if there are such.
        let lists = self.language.compare.keyed;
        let keyed = args.last().is_some_and(|a| lists.iter().any(|k| k.list == a.whole.kind()));
        let block = node.child_by_field_name("block").is_some() && !keyed;
        fits(args.len() + usize::from(block) == wanted)
    }
}
