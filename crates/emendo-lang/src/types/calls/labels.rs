//! Functions that are told apart by the labels of what they take.

use emendo_text::Span;

use crate::language::Origin;
use crate::resolver::Resolver;
use crate::tree::{Node, named, part, span};
use crate::ty::{MemberType, Takes};
use crate::types::calls::{Argument, Overload};

/// The label of what has none.
const NONE: &str = "_";

/// A label where something is named or called.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Label {
    /// It stands there: the label alone.
    Written(Span),
    /// There is none before this.
    Before(u32),
    /// A parameter that is called like its label: the name.
    AsNamed(Span),
    /// What is given stands where it needs none.
    Free,
}

impl Label {
    /// The label as a name; none for what has none.
    pub(crate) fn name(self, text: &str) -> Option<&str> {
        match self {
            Self::Written(at) | Self::AsNamed(at) => Some(at.of(text)).filter(|l| *l != NONE),
            Self::Before(_) | Self::Free => None,
        }
    }
}

/// The label of what a function takes.
fn label_taken(takes: &Takes) -> &str {
    takes.name.as_deref().unwrap_or(NONE)
}

impl<'a> Resolver<'a> {
    /// The parameter that an argument is for, by its place and the labels of all before it.
    pub(crate) fn labeled_param<'p>(
        &self,
        params: &'p [Takes],
        args: &[Argument<'a>],
        place: usize,
    ) -> Option<&'p Takes> {
        let mut at = 0;
        for (i, a) in args.iter().enumerate().take(place + 1) {
            let label = a.name.map(|n| span(n).of(self.text));
            let repeats = at > 0 && params.get(at - 1).is_some_and(|p| p.rest) && label.is_none();
            let found = params.get(at..)?.iter().position(|p| p.name.as_deref() == label);
            at = match found {
                Some(found) if !repeats || found == 0 => at + found + 1,
                _ if repeats => at,
                _ => return None,
            };
            if i == place {
                return params.get(at.checked_sub(1)?);
            }
        }
        None
    }

    /// Is a function with these labels named at a place?
    pub(super) fn labeled(&self, name: Span, wanted: &[&str]) -> Overload {
        let fits = |fits| if fits { Overload::Is } else { Overload::Not };
        if let Some(labels) = self.declared_labels(name).or_else(|| self.labels_behind(name)) {
            let same = |(l, w): (&Label, &&str)| *l == Label::Free || self.label_text(*l) == *w;
            return fits(labels.len() == wanted.len() && labels.iter().zip(wanted).all(same));
        }
        let Some(call) = self.call_at(name) else { return Overload::Unknown };
        let args = self.argument_labels(call);
        if args.is_empty() && wanted.is_empty() {
            return Overload::Is;
        }
        let optional = self.callee(call).and_then(|(known, _)| {
            let all = known.all.iter().filter_map(|m| m.params.as_ref());
            let mut fitting = all.filter(|p| {
                p.len() == wanted.len() && p.iter().zip(wanted).all(|(p, w)| label_taken(p) == *w)
            });
            Some(fitting.next()?.iter().map(|p| p.optional || p.rest).collect::<Vec<_>>())
        });
        let Some(places) = self.places_of(&args, wanted) else { return Overload::Not };
        let skipped: Vec<usize> = (0..wanted.len()).filter(|at| !places.contains(at)).collect();
        match optional {
            // What is given several times has one label.
            _ if skipped.is_empty() => Overload::Is,
            Some(optional) => fits(skipped.iter().all(|at| optional[*at])),
            None => Overload::Unknown,
        }
    }

    /// Do the labels of a call fit a function?
    pub(super) fn takes_labels(&self, m: &MemberType, call: Node<'a>) -> bool {
        let Some(params) = &m.params else { return true };
        let wanted: Vec<&str> = params.iter().map(label_taken).collect();
        let places = self.places_of(&self.argument_labels(call), &wanted);
        places.is_some_and(|places| {
            let left = (0..params.len()).filter(|at| !places.contains(at));
            left.into_iter().all(|at| params[at].optional || params[at].rest)
        })
    }

    /// The numbers of the labels of a function that those of a call are, in their order.
    fn places_of(&self, args: &[Label], wanted: &[&str]) -> Option<Vec<usize>> {
        let mut at = 0;
        let mut out = Vec::new();
        for label in args {
            let own = self.label_text(*label);
            let fits = |w: &&str| *label == Label::Free || own == *w;
            at += wanted.get(at..)?.iter().position(fits)? + 1;
            out.push(at - 1);
        }
        Some(out)
    }

    fn is_expected_member(&self, node: Node<'a>) -> bool {
        let words = &self.language.words;
        words.expected_members.contains(&node.kind()) || words.member(node.kind()).is_some()
    }

    fn label_text(&self, label: Label) -> &'a str {
        match label {
            Label::Written(at) | Label::AsNamed(at) => at.of(self.text),
            Label::Before(_) | Label::Free => NONE,
        }
    }

    /// The labels of a function whose name is declared at a place.
    fn declared_labels(&self, name: Span) -> Option<Vec<Label>> {
        let node = match self.introduced(name) {
            Some((_, node, rule)) if matches!(rule.origin, Origin::Function | Origin::Constant) => {
                node
            }
            _ => self.leaf(name)?.parent().filter(|n| self.is_function(*n))?,
        };
        let list = self.parameters_of(node).or_else(|| node.child_by_field_name("parameters"));
        let items = list.map_or_else(Vec::new, named);
        Some(items.into_iter().map(|p| self.label_of(p)).collect())
    }

    /// The label of a parameter.
    pub(in crate::types) fn label_of(&self, param: Node<'a>) -> Label {
        let outer = part(param, "external_name");
        match (outer, part(param, "name")) {
            (Some(outer), _) => Label::Written(span(outer)),
            (None, Some(name)) => Label::AsNamed(span(name)),
            (None, None) => Label::Before(span(param).start),
        }
    }

    /// The labels behind a name that is not called.
    fn labels_behind(&self, name: Span) -> Option<Vec<Label>> {
        let mut node = self.leaf(name)?;
        for _ in 0..3 {
            node = node.parent()?;
            let is_list = |n: &Node<'a>| {
                self.language.compare.lists.contains(&n.kind())
                    && !self.language.typing.calls.arguments.lists.contains(&n.kind())
            };
            let next = node.next_sibling().filter(is_list);
            if let Some(list) = next.filter(|_| self.is_expected_member(node)) {
                // What is given may be matched without its labels.
                let label = |n: Node<'a>| {
                    n.child_by_field_name("label").map_or(Label::Free, |l| Label::Written(span(l)))
                };
                return Some(named(list).into_iter().map(label).collect());
            }
            if let Some(list) = node.child_by_field_name("given") {
                let mut out = Vec::new();
                crate::tree::walk(list, |n| {
                    let leaf = n.child_count() == 0 && n.is_named();
                    out.extend(leaf.then(|| Label::Written(span(n))));
                    true
                });
                return Some(out);
            }
        }
        None
    }

    /// The labels of what a call is given.
    fn argument_labels(&self, call: Node<'a>) -> Vec<Label> {
        let label = |a: &crate::types::calls::Argument<'a>| match a.name {
            Some(name) => Label::Written(span(name)),
            None => Label::Before(span(a.whole).start),
        };
        let mut out: Vec<Label> = self.arguments(call).iter().map(label).collect();
        if let Some(block) = call.child_by_field_name(self.language.typing.calls.block) {
            out.push(Label::Free);
            let mut next = block.next_named_sibling();
            while let Some(label) = next {
                if !self.is_function(label) {
                    out.push(Label::Written(span(label)));
                }
                next = label.next_named_sibling();
            }
        }
        out
    }

    /// How many functions stand behind the arguments of a call.
    pub(in crate::types) fn functions_behind(&self, call: Node<'a>) -> usize {
        let first = call.child_by_field_name(self.language.typing.calls.block);
        let all = std::iter::successors(first, |b| b.next_named_sibling());
        all.filter(|n| self.is_function(*n)).count()
    }

    /// The labels of a list of parameters, `_` for none.
    pub fn labels_in_list(&self, list: Span) -> Vec<&'a str> {
        let node = self.leaf(list);
        let items = node.map_or_else(Vec::new, named);
        items.into_iter().map(|p| self.label_text(self.label_of(p))).collect()
    }

    /// The labels behind a name that is not called: their list, and they.
    pub fn label_list(&self, name: Span) -> Option<(Span, Vec<&'a str>)> {
        let mut node = self.leaf(name)?;
        for _ in 0..3 {
            node = node.parent()?;
            if let Some(list) = node.child_by_field_name("given") {
                let labels = self.labels_behind(name)?;
                return Some((span(list), labels.iter().map(|l| self.label_text(*l)).collect()));
            }
        }
        None
    }

    /// What is written where a function of these labels is declared, named or called, for it to have others.
    pub fn relabeled(&self, name: Span, old: &[String], new: &[String]) -> Vec<(Span, String)> {
        let old: Vec<&str> = old.iter().map(String::as_str).collect();
        let new: Vec<&str> = new.iter().map(String::as_str).collect();
        let declared = self.declared_labels(name);
        let is_declared = declared.is_some();
        let is_named = self.labels_behind(name).is_some();
        let all = declared.unwrap_or_else(|| self.labels_at(name));
        let Some(places) = self.places_of(&all, &old) else { return Vec::new() };
        let changed = all.iter().zip(places).filter(|(_, at)| old[*at] != new[*at]);
        changed
            .filter_map(|(label, at)| {
                let new = new[at];
                Some(match *label {
                    Label::Free => return None,
                    Label::Before(_) if new == NONE => return None,
                    Label::Before(at) => (Span::at(at as usize), format!("{new}: ")),
                    Label::AsNamed(at) if self.is_inner(at) => {
                        (Span::at(at.start as usize), format!("{new} "))
                    }
                    Label::Written(at) if is_declared && self.inner_of(at) == Some(new) => {
                        let behind = &self.text[at.end as usize..];
                        let blanks = behind.len() - behind.trim_start().len();
                        (Span { end: at.end + blanks as u32, ..at }, String::new())
                    }
                    Label::Written(at) if new == NONE && !is_declared && !is_named => {
                        let behind = self.text[at.end as usize..].trim_start();
                        let value = behind.strip_prefix(':').map_or(behind, str::trim_start);
                        let end = (self.text.len() - value.len()) as u32;
                        (Span { end, ..at }, String::new())
                    }
                    Label::Written(at) | Label::AsNamed(at) => (at, new.to_owned()),
                })
            })
            .collect()
    }

    /// True for the name of a parameter, which what a function does may read.
    fn is_inner(&self, at: Span) -> bool {
        let origin = self.introduced(at).map(|i| i.2.kind);
        origin.is_some_and(|kind| {
            let rules = self.language.scopes.bindings.iter();
            rules.into_iter().any(|b| b.kind == kind)
        })
    }

    /// The name of the parameter that a label stands before.
    fn inner_of(&self, label: Span) -> Option<&'a str> {
        let mut node = self.leaf(label)?;
        for _ in 0..3 {
            node = node.parent()?;
            if let Some(name) = node.child_by_field_name("name") {
                return Some(span(name).of(self.text));
            }
        }
        None
    }

    /// The labels of a function where it is declared, named with them, or called, at the place of its name.
    pub fn labels_at(&self, name: Span) -> Vec<Label> {
        self.declared_labels(name)
            .or_else(|| self.labels_behind(name))
            .or_else(|| self.call_at(name).map(|call| self.argument_labels(call)))
            .unwrap_or_default()
    }
}
