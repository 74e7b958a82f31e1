//! The parameters of functions: where they stand, and what they take.

use emendo_text::Span;

use crate::resolver::Resolver;
use crate::tree::{Node, in_field, is_item, named, part, span};
use crate::ty::{Takes, Ty};

impl<'a> Resolver<'a> {
    /// The list of parameters of a function, or its only one.
    pub(super) fn parameters_of(&self, node: Node<'a>) -> Option<Node<'a>> {
        let rules = self.language.typing.calls.functions.iter().filter(|f| f.kind == node.kind());
        let list = |r: &crate::language::FunctionRule| {
            let own = in_field(node, r.params);
            own.or_else(|| named(node).into_iter().find(|n| n.kind() == r.params))
        };
        rules.filter_map(list).next()
    }

    /// True for a parameter that is the object itself.
    pub fn is_object(&self, parameter: &str) -> bool {
        let name = parameter.split(':').next().unwrap_or(parameter).trim();
        let name = name.rsplit([' ', '&']).next().unwrap_or(name);
        self.language.declares.hints.own.contains(&name)
    }

    /// What a function takes.
    pub(crate) fn takes(&self, node: Node<'a>) -> Vec<Takes> {
        let Some(list) = self.parameters_of(node) else { return Vec::new() };
        let mut out = Vec::new();
        if named(list).is_empty() && list.is_named() && list.child_count() == 0 {
            let name = span(list).of(self.text).to_owned();
            let (optional, rest, sets) = (false, false, false);
            return vec![Takes { name: Some(name), ty: Ty::Unknown, optional, rest, sets }];
        }
        for param in self.params_in(list) {
            let text = param.span.of(self.text);
            if self.is_object(text) || matches!(text, "/" | "*") {
                continue;
            }
            out.push(self.take_of(&param));
        }
        out
    }

    /// The parameters in a list. The type and the name of one may stand loose in it.
    pub(super) fn params_in(&self, list: Node<'a>) -> Vec<ParamNode<'a>> {
        let mut out: Vec<ParamNode<'a>> = Vec::new();
        let mut sign = None;
        let groups = self.language.typing.calls.groups;
        let grouped = groups.contains(&list.kind());
        let mut cursor = list.walk();
        let mut more = cursor.goto_first_child();
        while more {
            let (child, field) = (cursor.node(), cursor.field_name());
            more = cursor.goto_next_sibling();
            // A function behind the arguments is none of them.
            if !self.language.typing.calls.block.is_empty()
                && self.language.writing.last_items.contains(&child.kind())
            {
                continue;
            }
            match (field, out.last_mut()) {
                (Some("name"), Some(last)) if last.name.is_none() && last.loose => {
                    last.name = Some(child);
                    last.span.end = span(child).end;
                }
                (Some("type"), _) if is_item(child) => {
                    let start = sign.take().unwrap_or(span(child).start);
                    let span = Span { start, end: span(child).end };
                    let (name, ty) = (None, Some(child));
                    let optional = false;
                    out.push(ParamNode { node: child, span, name, ty, loose: true, optional });
                }
                _ if groups.contains(&child.kind()) => out.extend(self.params_in(child)),
                (Some(_), Some(last)) if grouped && is_item(child) => {
                    // What it is without an argument.
                    last.span.end = span(child).end;
                    last.optional = true;
                }
                _ if is_item(child) => {
                    let (name, ty) = self.param_parts(child);
                    let start = sign.take().filter(|_| grouped);
                    let span = Span { start: start.unwrap_or(span(child).start), ..span(child) };
                    let optional = grouped && start.is_none();
                    out.push(ParamNode { node: child, span, name, ty, loose: false, optional });
                }
                // A word before it belongs to it.
                _ if child.kind().starts_with(|c: char| c.is_alphabetic()) && !child.is_extra() => {
                    sign = Some(span(child).start);
                }
                _ => sign = None,
            }
        }
        out
    }

    /// Where the name and the type of a parameter stand.
    pub(super) fn param_parts(&self, param: Node<'a>) -> (Option<Node<'a>>, Option<Node<'a>>) {
        let rules: Vec<_> = self.language.typing.intros_of(param.kind()).collect();
        let of = |pick: fn(&crate::language::Intro) -> &'static str| {
            rules.iter().find_map(|r| part(param, pick(r)).filter(|_| !pick(r).is_empty()))
        };
        let name = of(|r| r.name).or((param.child_count() == 0).then_some(param));
        (name.map(|n| self.language.unmarked(n, self.text)), of(|r| r.ty))
    }

    /// A parameter.
    pub(super) fn take_of(&self, param: &ParamNode<'a>) -> Takes {
        let text = param.span.of(self.text);
        let kind = if param.loose { "" } else { param.node.kind() };
        let name = match self.language.names.labels {
            true => self.label_of(param.node).name(self.text).map(str::to_owned),
            false => param.name.map(|n| span(n).of(self.text).to_owned()),
        };
        let ty = param.ty.map_or(Ty::Unknown, |t| self.written(t));
        let rest = kind.contains("rest")
            || kind.contains("spread")
            || kind.contains("splat")
            || kind.contains("variadic")
            || text.starts_with(['*', '.'])
            || text.ends_with("...")
            || text.starts_with("params ");
        let optional = param.optional
            || kind.contains("optional")
            || kind.contains("default")
            || kind.contains("keyword") && !text.ends_with(':')
            || text.contains('=');
        let setting = self.language.typing.calls.setting;
        let sets = setting.iter().any(|kind| named(param.node).iter().any(|n| n.kind() == *kind));
        Takes { name, ty, optional, rest, sets }
    }
}

/// A parameter in its list.
pub(super) struct ParamNode<'a> {
    node: Node<'a>,
    /// All of it.
    pub(super) span: Span,
    /// Its name.
    pub(super) name: Option<Node<'a>>,
    /// Its type.
    pub(super) ty: Option<Node<'a>>,
    /// Its parts stand in the list, in no node of their own.
    loose: bool,
    /// It may be left out, for the list within a list that it stands in.
    optional: bool,
}
