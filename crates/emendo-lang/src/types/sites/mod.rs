//! Calls and functions as places: their arguments, parameters, results, and what leaves them.

mod matched;

use crate::tree::Node;
use emendo_text::Span;

use crate::language::{FunctionRule, Gives, Origin, Space};
use crate::resolver::Resolver;
use crate::tree::{function_rule, in_field, named, part};
use crate::tree::{span, walk};
use crate::ty::Ty;

/// A call.
#[derive(Clone, Debug)]
pub struct CallSite {
    /// All of it.
    pub span: Span,
    /// Its arguments, brackets included.
    pub list: Span,
    /// The arguments in order.
    pub arguments: Vec<ArgumentSite>,
    /// What it gives is not used.
    pub unused: bool,
    /// How many arguments it takes from the parameters around, in front of its own; none where it takes no others.
    pub from_around: Option<usize>,
    /// Its first argument stands before it.
    pub piped: bool,
    /// How many functions stand behind its arguments, as more of these.
    pub blocks: usize,
}

/// An argument of a call.
#[derive(Clone, Debug)]
pub struct ArgumentSite {
    /// All of it.
    pub span: Span,
    /// Its name, where it is a named one.
    pub name: Option<Span>,
    /// Its value.
    pub value: Span,
    /// It stands for several.
    pub spread: bool,
    /// Evaluating it may do something besides giving a value.
    pub effects: bool,
}

/// A function where it is declared.
#[derive(Clone, Debug)]
pub struct FunctionSite {
    /// All of it.
    pub span: Span,
    /// Its name, if it has one.
    pub name: Option<Span>,
    /// It makes an object of the type around, by itself or as that type's own list.
    pub makes: bool,
    /// It is a value, and no declaration.
    pub closure: bool,
    /// It only says of what types a function is: its parameters are types.
    pub typed: bool,
    /// It has a body, in which its parameters are used.
    pub has_body: bool,
    /// Its parameters, brackets included.
    pub list: Span,
    /// Lists within the list, brackets included.
    pub groups: Vec<Span>,
    /// All that stands in the list: the object itself and signs between parameters too.
    pub items: Vec<Span>,
    /// The parameters in order, without the object itself.
    pub params: Vec<ParamSite>,
    /// The type that it is declared to give.
    pub result: Option<Span>,
    /// Its body.
    pub body: Option<Span>,
    /// What leaves it with a value, in order.
    pub leaves: Vec<LeaveSite>,
}

/// A parameter where it is declared.
#[derive(Clone, Debug)]
pub struct ParamSite {
    /// All of it.
    pub span: Span,
    /// Its name.
    pub name: Option<Span>,
    /// Its type: where it is written, and what it is.
    pub ty: Option<(Span, Ty)>,
    /// It may be left out.
    pub optional: bool,
    /// It takes all that are left.
    pub rest: bool,
}

/// A place that leaves a function with a value.
#[derive(Clone, Debug)]
pub struct LeaveSite {
    /// The statement; the value itself where nothing else stands there.
    pub statement: Span,
    /// The value.
    pub value: Span,
    /// It is the last statement of the body.
    pub last: bool,
}

impl<'a> Resolver<'a> {
    /// The call whose function is named at a place.
    pub fn call_site(&self, name: Span) -> Option<CallSite> {
        self.call_of(self.call_at(name)?)
    }

    /// A call as a place.
    pub(super) fn call_of(&self, call: Node<'a>) -> Option<CallSite> {
        let language = self.language;
        let rule = self.callee_rule(call)?;
        let lists = language.typing.calls.arguments.lists;
        let list = part(call, rule.arguments).filter(|_| !rule.arguments.is_empty());
        let list = list.or_else(|| named(call).into_iter().find(|n| lists.contains(&n.kind())));
        // A call may have no list where nothing is in it.
        let bare = || {
            part(call, rule.function)
                .map(|f| Span::at(f.end_byte()))
                .filter(|_| language.typing.bare_calls || language.names.labels)
        };
        let list: Span = match list {
            Some(list) => span(list),
            None => bare()?,
        };
        let one = |a: crate::types::calls::Argument<'a>| ArgumentSite {
            span: span(a.whole),
            name: a.name.map(|n| self.plain_name(n)),
            value: span(a.value),
            spread: a.is_spread(language),
            effects: self.has_effects(a.value),
        };
        let piped = usize::from(self.piped(call).is_some());
        let arguments = self.arguments(call).into_iter().skip(piped).map(one).collect();
        // Waiting for it is not a use of what it gives.
        let mut outer = call;
        while let Some(up) = outer.parent().filter(|u| language.flow.waits.contains(&u.kind())) {
            outer = up;
        }
        let unused =
            outer.parent().is_some_and(|p| p.kind() == language.writing.expression_statement)
                && span(outer.parent()?).of(self.text).trim_end_matches(';').trim_end().len()
                    == span(outer).of(self.text).len();
        let tail = language.typing.exprs.iter().any(|e| matches!(e.1, Gives::Tail));
        let ended = outer.parent().is_some_and(|p| span(p).of(self.text).ends_with(';'));
        let from_around = self.passed_around(call).or((piped > 0).then_some(piped));
        Some(CallSite {
            from_around,
            piped: piped > 0,
            blocks: self.functions_behind(call),
            span: span(if piped > 0 { call.parent().unwrap_or(call) } else { call }),
            list,
            arguments,
            unused: unused && (!tail || ended),
        })
    }

    /// The name of an argument without the sign that it may have.
    fn plain_name(&self, name: Node<'a>) -> Span {
        let keyed = self.language.compare.keyed.iter();
        let plain = |k: &crate::language::Keyed| {
            let written = span(name).of(self.text);
            written.len() - k.plain_key(name.kind(), written).len()
        };
        let signs = keyed.map(plain).max().unwrap_or(0);
        Span::new(name.start_byte() + signs, name.end_byte())
    }

    /// The calls in a function of what it overrides.
    pub fn calls_of_overridden(&self, function: Span) -> Vec<CallSite> {
        let mut out = Vec::new();
        if !self.language.typing.calls.super_calls {
            return out;
        }
        let (start, end) = (function.start as usize, function.end as usize);
        let Some(whole) = self.tree.root().descendant_for_byte_range(start, end) else {
            return out;
        };
        let walls = self.language.scopes.walls;
        walk(whole, |n| {
            if self.calls_overridden(n).is_some() {
                out.extend(self.call_of(n));
            }
            n.id() == whole.id() || !walls.contains(&n.kind())
        });
        out
    }

    /// How many parameters around go on to a call by themselves, those by name left out; none if none do so at all.
    fn passed_around(&self, call: Node<'a>) -> Option<usize> {
        let kind = self.language.typing.calls.passing;
        if kind.is_empty() || self.passed_to(call).is_none() {
            return None;
        }
        let mut around = call.parent()?;
        while function_rule(self.language, around).is_none() {
            around = around.parent()?;
        }
        let list = self.parameters_of(around)?;
        let passes = |n: &Node<'a>| named(*n).iter().any(|i| i.kind() == kind);
        let all = named(list);
        let grouped = all.iter().flat_map(|g| named(*g)).any(|n| passes(&n));
        let plain = all.iter().filter(|n| passes(n)).count();
        (plain > 0 || grouped).then_some(plain)
    }

    fn has_effects(&self, node: Node<'a>) -> bool {
        let mut found = false;
        walk(node, |n| {
            found |= self.language.flow.effects.contains(&n.kind());
            // What stands in a closure is not done here.
            !found && !self.language.flow.nested.contains(&n.kind())
        });
        found
    }

    /// The function that is declared under a name at a place.
    pub fn function_site(&self, name: Span) -> Option<FunctionSite> {
        let (_, node, rule) = self.introduced(name)?;
        (rule.origin == Origin::Function).then(|| self.function_of(node)).flatten()
    }

    /// The parameter that is named at a place, or stands there whole: its function, and which it is, from 0.
    pub fn parameter_at(&self, at: Span) -> Option<(FunctionSite, usize)> {
        let spaces = [Space::Value, Space::Callable];
        let declared = self.facts.lookup(at.of(self.text), &spaces, at.start).map(|d| d.at);
        let of = |declared: Span| {
            let root = self.tree.roots_at(declared).last()?.node;
            let (start, end) = (declared.start as usize, declared.end as usize);
            let mut node = root.descendant_for_byte_range(start, end)?;
            loop {
                if let Some(f) = self.function_of(node)
                    && f.list.contains(declared)
                {
                    // A sign for the rest may stand before the name.
                    let is_name = |n: Span| {
                        let bare = n.of(self.text).trim_start_matches(['*', '.', '&']);
                        n == declared || n.end == declared.end && bare == declared.of(self.text)
                    };
                    let is = |p: &ParamSite| p.span == declared || p.name.is_some_and(is_name);
                    let place = f.params.iter().position(is);
                    return place.map(|place| (f, place));
                }
                node = node.parent()?;
            }
        };
        of(at).or_else(|| declared.and_then(of))
    }

    pub(super) fn function_of(&self, node: Node<'a>) -> Option<FunctionSite> {
        let rule = function_rule(self.language, node)?;
        let list = self.parameters_of(node);
        // A function may have no list where nothing is in it.
        let named_at = in_field(node, rule.name);
        let bare = || named_at.filter(|_| self.language.typing.bare_calls);
        let place = match list {
            Some(list) => span(list),
            None => Span::at(bare()?.end_byte()),
        };
        let mut params = Vec::new();
        let listed = list.map_or_else(Vec::new, |list| self.params_in(list));
        for p in &listed {
            let text = p.span.of(self.text);
            if self.is_object(text) || matches!(text, "/" | "*") {
                continue;
            }
            let takes = self.take_of(p);
            let name = p.name.map(span);
            let ty = p.ty.map(|t| (span(self.type_inside(t)), self.written(t)));
            let (optional, rest) = (takes.optional, takes.rest);
            params.push(ParamSite { span: p.span, name, ty, optional, rest });
        }
        if params.is_empty()
            && let Some(list) = list.filter(|l| l.child_count() == 0)
        {
            // The only one, without brackets.
            let (span, name) = (span(list), Some(span(list)));
            params.push(ParamSite { span, name, ty: None, optional: false, rest: false });
        }
        let items = listed.iter().map(|p| p.span).collect();
        let kinds = self.language.typing.calls.groups;
        let groups = list.map_or_else(Vec::new, named);
        let groups = groups.into_iter().filter(|n| kinds.contains(&n.kind())).map(span).collect();
        let name = named_at.map(span).or_else(|| self.held_by(node));
        // What is said of the result elsewhere is no part of it.
        let result = in_field(node, rule.result).filter(|r| span(node).contains(span(*r)));
        let body = in_field(node, rule.body);
        let leaves = body.map_or_else(Vec::new, |b| self.leaves_of(b, rule.bare));
        Some(FunctionSite {
            span: span(node),
            name,
            makes: self.makes_own(node, rule),
            closure: matches!(self.language.typing.gives(node.kind()), Some(Gives::Function)),
            list: place,
            typed: rule.types,
            has_body: body.is_some(),
            groups,
            items,
            params,
            result: result.map(|r| span(self.type_inside(r))),
            body: body.map(span),
            leaves,
        })
    }

    /// True for a function behind a call that leaves the function around it where it leaves itself.
    fn leaves_around(&self, node: Node<'a>) -> bool {
        let calls = &self.language.typing.calls;
        let leaves = !calls.block.is_empty() && !calls.own_blocks.is_empty();
        let Some(call) = node.parent().filter(|_| leaves) else { return false };
        let name = self.callee_rule(call).and_then(|r| in_field(call, r.function));
        let own = name.is_some_and(|n| calls.own_blocks.contains(&span(n).of(self.text)));
        !own && in_field(call, calls.block).is_some_and(|b| b.id() == node.id())
    }

    /// The values of an expression that takes one of several ways, each of which ends in one; none where it is no such.
    fn ways_of(&self, value: Node<'a>) -> Vec<Node<'a>> {
        let typing = &self.language.typing;
        let Some(Gives::Either(fields)) = typing.gives(value.kind()) else { return Vec::new() };
        let mut out = Vec::new();
        for field in fields {
            let Some(branch) = in_field(value, field) else { return Vec::new() };
            match typing.gives(branch.kind()) {
                Some(Gives::Tail) => {
                    let Some(last) = named(branch).into_iter().next_back() else {
                        return Vec::new();
                    };
                    let more = self.ways_of(last);
                    let leaves = typing.branching.returns.iter().any(|r| r.kind == last.kind());
                    match more.is_empty() {
                        true if !leaves => out.push(last),
                        true => {}
                        false => out.extend(more),
                    }
                }
                Some(Gives::Either(_)) => {
                    let more = self.ways_of(branch);
                    if more.is_empty() {
                        return Vec::new();
                    }
                    out.extend(more);
                }
                _ => return Vec::new(),
            }
        }
        out
    }

    /// True for a function that makes an object of the type around.
    pub(super) fn makes_own(&self, node: Node<'a>, rule: &FunctionRule) -> bool {
        let like = || {
            let name = in_field(node, rule.name).map(|n| span(n).of(self.text));
            let own = self.facts.types_at(node.start_byte() as u32).next();
            let own = own.and_then(|t| t.path.last()).map(|p| self.language.names.last(p));
            name.is_some() && name == own
        };
        rule.makes || self.language.typing.calls.like_type && like()
    }

    /// The name of the variable that a function is the value of.
    fn held_by(&self, node: Node<'a>) -> Option<Span> {
        let up = node.parent()?;
        let rules = self.language.typing.intros_of(up.kind());
        let mut rules = rules.filter(|r| r.origin == Origin::Value && !r.value.is_empty());
        let rule = rules.find(|r| part(up, r.value).is_some_and(|v| v.id() == node.id()))?;
        part(up, rule.name).filter(|n| n.child_count() == 0).map(span)
    }

    /// True if a parameter of what makes an object makes a member of that object known too.
    pub fn is_member(&self, of: &FunctionSite, parameter: &ParamSite) -> bool {
        let typing = &self.language.typing;
        let named = of.name.is_some_and(|n| n.of(self.text) == typing.calls.constructor);
        let at = parameter.name.unwrap_or(parameter.span);
        let own = || self.facts.owner_of(at).is_some();
        (named || of.makes) && own()
    }

    /// The type itself, without the sign that it is after.
    pub(crate) fn type_inside(&self, node: Node<'a>) -> Node<'a> {
        let signed = span(node).of(self.text).starts_with([':', '-']);
        match named(node).into_iter().next() {
            Some(inner) if signed => inner,
            _ => node,
        }
    }

    /// What leaves a body with a value: nothing of the functions in it.
    fn leaves_of(&self, body: Node<'a>, bare: bool) -> Vec<LeaveSite> {
        let typing = &self.language.typing;
        let block = typing.branching.blocks.contains(&body.kind());
        if bare && !block {
            // An arrow before the value, or none.
            let value = if self.language.typing.gives(body.kind()).is_some() {
                Some(body)
            } else {
                named(body).into_iter().next_back()
            };
            let one = |v| LeaveSite { statement: span(v), value: span(v), last: true };
            return value.map(one).into_iter().collect();
        }
        // What stands in a body may stand in a node of its own.
        let body = match named(body).as_slice() {
            [one] if self.language.fragments.splices.contains(&one.kind()) => *one,
            _ => body,
        };
        if let Some(Gives::Ways(keys)) = typing.gives(body.kind()) {
            let one = |v| LeaveSite { statement: span(v), value: span(v), last: true };
            return self.ends_of(body, keys).into_iter().map(one).collect();
        }
        let last = named(body).into_iter().next_back();
        let mut out = Vec::new();
        walk(body, |n| {
            let function = self.language.flow.nested.contains(&n.kind())
                || typing.calls.functions.iter().any(|f| f.kind == n.kind());
            if function && !self.leaves_around(n) {
                return false;
            }
            if typing.branching.returns.iter().any(|r| r.kind == n.kind() && !r.many)
                && let Some(value) = named(n).into_iter().next()
            {
                let statement = n
                    .parent()
                    .filter(|p| p.kind() == self.language.writing.expression_statement)
                    .unwrap_or(n);
                let is_last = last.is_some_and(|l| l.id() == statement.id());
                out.push(LeaveSite {
                    statement: span(statement),
                    value: span(value),
                    last: is_last,
                });
            }
            true
        });
        let tail = match typing.gives(body.kind()) {
            Some(Gives::Tail) => true,
            Some(Gives::Single) => named(body).len() == 1,
            _ => false,
        };
        if let Some(l) = last.filter(|_| tail) {
            let text = span(l).of(self.text);
            let inner = match l.kind() == self.language.writing.expression_statement {
                true => l.named_child(0).filter(|_| !text.ends_with(';')),
                false => self.language.typing.gives(l.kind()).map(|_| l),
            };
            let left = out.iter().any(|o: &LeaveSite| o.statement == span(l));
            let branches = inner.map_or_else(Vec::new, |v| self.ways_of(v));
            if !left && !branches.is_empty() {
                let one =
                    |v: Node<'a>| LeaveSite { statement: span(v), value: span(v), last: true };
                out.extend(branches.into_iter().map(one));
            } else if let Some(v) = inner
                .filter(|v| !left && !typing.branching.returns.iter().any(|r| r.kind == v.kind()))
            {
                out.push(LeaveSite { statement: span(l), value: span(v), last: true });
            }
        }
        out.sort_by_key(|l| l.value.start);
        out
    }

    /// The values, one of which a value is: those of its branches and arms, or what stands in brackets.
    pub fn branches_of(&self, value: Span) -> Vec<Span> {
        let Some(node) = self.tree.node_at(value, &[]) else { return Vec::new() };
        let language = self.language;
        let field = |f: &&str| match f.parse::<usize>() {
            Ok(n) => named(node).into_iter().nth(n),
            Err(_) => node.child_by_field_name(f),
        };
        let last = |n: Node<'a>| match n.kind() == language.writing.expression_statement {
            true => n.named_child(0),
            false => Some(n),
        };
        let inner: Vec<Node<'a>> = match language.typing.gives(node.kind()) {
            Some(Gives::Same("")) => named(node).into_iter().next().into_iter().collect(),
            Some(Gives::Either(fields)) => fields.iter().filter_map(field).collect(),
            Some(Gives::Branches(fields)) => {
                let blocks = fields.iter().filter_map(field).map(|b| {
                    // `else` stands around a block, or another condition.
                    let inner = named(b).into_iter().next_back();
                    inner.filter(|i| named(b).len() == 1 && i.kind() == node.kind()).unwrap_or(b)
                });
                blocks.collect()
            }
            Some(Gives::Ways(keys)) => self.ends_of(node, keys),
            Some(Gives::Tail) => {
                named(node).into_iter().next_back().and_then(last).into_iter().collect()
            }
            _ => {
                let arms = language.typing.branching.arms;
                let own = named(node).into_iter();
                let below = own.clone().flat_map(named);
                let all = own.chain(below).filter(|n| arms.contains(&n.kind()));
                all.filter_map(|arm| named(arm).into_iter().next_back().and_then(last)).collect()
            }
        };
        inner.into_iter().map(span).filter(|s| *s != value).collect()
    }

    /// Is the value at a place of a type? `None` if nothing tells.
    pub fn value_fits(&self, at: Span, wanted: &Ty) -> Option<bool> {
        if matches!(wanted, Ty::Unknown | Ty::Param(_, None)) {
            return Some(true);
        }
        self.type_at(at).and_then(|t| self.fits(&t.ty, wanted))
    }

    /// True if a name is neither used nor declared within a place; keys and members are not uses of it.
    pub fn is_unused(&self, name: &str, within: Span) -> bool {
        let spaces = [Space::Value, Space::Type, Space::Callable];
        let mut words = self.facts.words(name).iter().filter(|w| within.contains(w.span));
        !words.any(|w| match w.space {
            Space::Member => false,
            Space::Declared => {
                self.facts.lookup(name, &spaces, w.span.start).is_some_and(|d| d.at == w.span)
            }
            _ => !w.key,
        })
    }

    /// The places of a function's name in its own declaration are not uses; those after `return`, in blocks and the
    /// like are. Gives where the parameter at a place is used.
    pub fn uses_of_param(&self, name: Span) -> Vec<Span> {
        let word = name.of(self.text);
        let Some((scope, plain)) = self.facts.uses_of_local(word, name) else { return Vec::new() };
        let plain = plain.into_iter().map(|w| w.span).filter(|at| self.is_used_there(word, *at));
        let mut out: Vec<Span> = plain.collect();
        let short = |at: &Span| {
            let keyed = self.language.compare.keyed;
            let kinds = || keyed.iter().map(|k| k.shorthand).filter(|k| !k.is_empty());
            let node = self.leaf(*at);
            node.is_some_and(|n| {
                let up = n.parent().filter(|p| span(*p) == *at);
                kinds().any(|k| k == n.kind() || up.is_some_and(|p| p.kind() == k))
            })
        };
        let spaces = [Space::Value];
        let same = |at: u32| self.facts.lookup(word, &spaces, at).is_some_and(|d| d.at == name);
        let keys =
            self.facts.words(word).iter().filter(|w| w.span != name && scope.contains(w.span));
        let keys = keys.map(|w| w.span).filter(|at| short(at) && same(at.start));
        out.extend(keys.filter(|at| !out.contains(at)).collect::<Vec<_>>());
        out.extend(self.named_in_texts(word, scope).into_iter().filter(|at| same(at.start)));
        out.sort_unstable();
        out
    }

    /// Among loose tokens: false for what a closure there takes under the same name, and for a name before a sign that
    /// gives it a value, in what is no code.
    fn is_used_there(&self, word: &str, at: Span) -> bool {
        let runs = self.language.fragments.token_runs;
        let path = crate::tree::descend(self.tree.root(), at);
        if !path.iter().any(|(n, _)| runs.contains(&n.kind())) {
            return true;
        }
        let mut code = false;
        for root in self.tree.roots_at(at).skip(1) {
            let path = crate::tree::descend(root.node, at);
            code |= !path.iter().any(|(n, _)| n.is_error()) && !root.node.has_error();
            for (node, _) in &path {
                let rule = function_rule(self.language, *node);
                let params = rule.and_then(|f| in_field(*node, f.params));
                if params.is_some_and(|p| {
                    let own = |t: &str| t == word;
                    span(p).of(self.text).split(|c: char| !c.is_alphanumeric() && c != '_').any(own)
                }) {
                    return false;
                }
            }
        }
        let behind = self.text[at.end as usize..].trim_start();
        code || !behind.starts_with('=') || behind.starts_with("==")
    }

    /// Where a name stands in braces in the texts of calls that read such names.
    fn named_in_texts(&self, word: &str, scope: Span) -> Vec<Span> {
        let kind = self.language.words.inline_names;
        let mut out = Vec::new();
        if kind.is_empty() {
            return out;
        }
        for text in self.facts.strings.iter().filter(|s| scope.contains(**s)) {
            let own = text.of(self.text);
            let lead = format!("{{{word}");
            for (i, _) in own.match_indices(&lead) {
                // Two braces are one that is written.
                let braces = own[..i].bytes().rev().take_while(|b| *b == b'{').count();
                let ends = own[i + lead.len()..].starts_with(['}', ':']);
                let path = crate::tree::descend(self.tree.root(), *text);
                if braces % 2 == 0 && ends && path.iter().any(|(n, _)| n.kind() == kind) {
                    let start = text.start as usize + i + 1;
                    out.push(Span::new(start, start + word.len()));
                }
            }
        }
        out
    }
}
