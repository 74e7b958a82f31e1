//! What calls give, and what is expected where arguments stand.

use std::borrow::Cow;
use std::collections::HashMap;

use emendo_text::Span;
use tree_sitter::Node;

use super::infer::{named, one_of, part, short};
use super::variables::looks_like_type;
use super::{CalleeRule, DEPTH, Gives, Known, MemberType, Origin, Told, Ty, gives};
use crate::language::Space;
use crate::names::{Certainty, Resolver};
use crate::tree::{children, span};

/// How many places that leave a function are looked at.
const RETURNS: usize = 32;

/// Whether a name means one overload.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Overload {
    /// It does.
    Is,
    /// Its arguments fit; those of another may fit better.
    Fits,
    /// So many arguments fit; of what types they are is not known.
    ByCount(usize),
    /// It does not.
    Not,
    /// Nothing tells.
    Unknown,
}

/// An argument of a call.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Argument<'t> {
    /// Its name, where it is a named one.
    pub(crate) name: Option<Node<'t>>,
    /// Its value.
    pub(crate) value: Node<'t>,
    /// All of it.
    pub(crate) whole: Node<'t>,
}

impl Argument<'_> {
    /// True if it stands for several.
    pub(crate) fn is_spread(&self, language: &crate::Language) -> bool {
        let plain = self.name.is_some() || !language.is_spread(self.whole);
        !plain || language.is_spread(self.value)
    }
}

/// A dotted name without type arguments.
fn plain_path(written: &str) -> Cow<'_, str> {
    if !written.contains('<') {
        return Cow::Borrowed(written);
    }
    let mut depth = 0u32;
    let mut out = String::new();
    for c in written.chars() {
        match c {
            '<' => depth += 1,
            '>' => depth = depth.saturating_sub(1),
            _ if depth == 0 => out.push(c),
            _ => {}
        }
    }
    Cow::Owned(out.replace("::::", "::"))
}

impl<'a> Resolver<'a> {
    /// The rule of a call.
    pub(crate) fn callee_rule(&self, node: Node<'a>) -> Option<&'static CalleeRule> {
        self.language.typing.callees.iter().find(|c| c.kind == node.kind())
    }

    /// The arguments of a call.
    pub(crate) fn arguments(&self, call: Node<'a>) -> Vec<Argument<'a>> {
        let rule = self.language.typing.arguments;
        let list = self.callee_rule(call).and_then(|c| {
            let found = part(call, c.arguments).filter(|_| !c.arguments.is_empty());
            found.or_else(|| named(call).into_iter().find(|n| rule.lists.contains(&n.kind())))
        });
        let Some(list) = list else { return Vec::new() };
        let (kind, name, value) = rule.keyed;
        let one = |whole: Node<'a>| {
            let mut out = Argument { name: None, value: whole, whole };
            if whole.kind() == kind && !kind.is_empty() {
                let key = whole.child_by_field_name(name);
                out.name = key;
                let own = whole.child_by_field_name(value).filter(|_| !value.is_empty());
                if let Some(v) = own.or_else(|| named(whole).into_iter().next_back()) {
                    out.value = v;
                }
            } else if whole.kind() == rule.wrapper
                && let Some(v) = named(whole).into_iter().next_back()
            {
                out.name = whole.child_by_field_name("name");
                out.value = v;
            }
            out
        };
        named(list).into_iter().map(one).collect()
    }

    /// What a call gives.
    pub(super) fn called(&self, node: Node<'a>) -> Option<Told> {
        let rule = self.callee_rule(node)?;
        let function = part(node, rule.function)?;
        if let Some(object) =
            node.child_by_field_name(rule.object).filter(|_| !rule.object.is_empty())
        {
            let of = self.type_of(object);
            let name = span(function).of(self.text);
            return self.called_member(of, Some(object), name, node);
        }
        let function = self.bare(function);
        match gives(self.language, function.kind()) {
            Some(Gives::Member(of, name)) => {
                let name = span(part(function, name)?).of(self.text);
                let name = name.split('<').next().unwrap_or(name);
                let object = part(function, of);
                let told = match object {
                    Some(o) => self.type_of(o),
                    None => self.outer_object(function),
                };
                self.called_member(told, object, name, node)
            }
            Some(Gives::Name) | None => self.called_name(function, node),
            Some(_) => {
                let told = self.type_of(function)?;
                self.called_value(told)
            }
        }
    }

    /// A function without its type arguments.
    fn bare(&self, function: Node<'a>) -> Node<'a> {
        let wraps = self.language.names.types.wraps;
        let mut node = function;
        while wraps.contains(&node.kind()) && gives(self.language, node.kind()).is_none() {
            match named(node).into_iter().next() {
                Some(inner) => node = inner,
                None => break,
            }
        }
        node
    }

    /// What stands before a link that does not hold it: the receiver of a conditional access around it.
    pub(super) fn outer_object(&self, node: Node<'a>) -> Option<Told> {
        let mut child = node;
        for _ in 0..8 {
            let up = child.parent()?;
            if let Some((_, field)) = self.language.chain.iter().find(|c| c.0 == up.kind()) {
                let base = part(up, field)?;
                if !span(base).contains(span(node)) {
                    return self.type_of(base);
                }
            }
            child = up;
        }
        None
    }

    fn called_value(&self, told: Told) -> Option<Told> {
        match &told.ty {
            Ty::Function { gives, .. } => Told { ty: (**gives).clone(), ..told.clone() }.known(),
            Ty::Of { named: true, .. } => {
                Told { ty: told.ty.clone().instance(), ..told.clone() }.known()
            }
            Ty::Of { .. } => {
                let (_, gives) = self.as_function(&told.ty)?;
                Told { ty: gives, ..told }.known()
            }
            _ => None,
        }
    }

    /// What calling a member gives.
    fn called_member(
        &self,
        of: Option<Told>,
        object: Option<Node<'a>>,
        name: &str,
        call: Node<'a>,
    ) -> Option<Told> {
        let names = &self.language.names;
        if let Some(of) = &of {
            if let Some(known) = self.member(&of.ty, name) {
                return self.chosen_result(&known, of, name, call);
            }
            if names.types.made_below
                && let Ty::Of { symbols, named: true, .. } = &of.ty
            {
                // A function below a type most often makes one.
                let last = symbols.first().map(|s| names.last(s))?;
                let may = looks_like_type(last) && !symbols.iter().any(|s| self.is_known_type(s));
                let own = !self.own_types(&symbols[0]).is_empty();
                if may || (own && self.own_member(&symbols[0], name, true).is_none()) {
                    let told = Told::sure(of.ty.clone().instance()).at_most(Certainty::Likely);
                    let text = format!("`{last}::{name}` is called right here");
                    return Some(told.because(text, None));
                }
                return None;
            }
            if !matches!(of.ty, Ty::Of { named: true, .. }) {
                return None;
            }
        }
        // A dotted name: a type of a module is called, which makes an object of it.
        let start = object?.start_byte();
        let function = part(call, self.callee_rule(call)?.function)?;
        let whole = &self.text[start..function.end_byte()];
        let path: Vec<&str> = whole.split(names.separator).map(str::trim).collect();
        let plain = |p: &&str| p.chars().all(|c| c.is_alphanumeric() || c == '_' || c == '$');
        if whole.len() > 300 || !path.iter().all(plain) || names.types.made_below {
            return None;
        }
        self.made_by_call(&path, start as u32)
    }

    /// The result of the overload that fits the arguments.
    fn chosen_result(&self, known: &Known, of: &Told, name: &str, call: Node<'a>) -> Option<Told> {
        let (one, sure) = self.choose(known, call)?;
        let sure = sure || known.all.iter().all(|m| m.gives == one.gives);
        let says = of.says.min(known.says).min(one.says);
        let says = if sure { says } else { says.min(Certainty::Likely) };
        let ty = match (&one.params, &one.gives) {
            (Some(_), _) => self.result_for(one, call),
            (None, Ty::Function { gives, .. }) => (**gives).clone(),
            (None, Ty::Of { named: true, .. }) => one.gives.clone().instance(),
            (None, ty) => self.as_function(ty)?.1,
        };
        let shown = self.language.names.last(&known.owner);
        let text = format!("`{name}` of `{shown}` gives it{}", self.placed(one));
        Told { ty, says, why: None }.because(text, None).known()
    }

    /// The overload that a call means, and whether that is sure.
    pub(crate) fn choose<'k>(
        &self,
        known: &'k Known,
        call: Node<'a>,
    ) -> Option<(&'k MemberType, bool)> {
        let args = self.arguments(call);
        let called: Vec<&MemberType> = known.all.iter().filter(|m| m.params.is_some()).collect();
        let all = if called.is_empty() { known.all.iter().collect() } else { called };
        let [first, _, ..] = all.as_slice() else { return Some((all.first()?, true)) };
        let spread = args.iter().any(|a| a.is_spread(self.language));
        let counted: Vec<&MemberType> =
            all.iter().copied().filter(|m| spread || m.takes(args.len())).collect();
        let counted = if counted.is_empty() { all.clone() } else { counted };
        let fitting: Vec<&MemberType> =
            counted.iter().copied().filter(|m| self.takes_these(m, &args) != Some(false)).collect();
        let fitting = if fitting.is_empty() { counted } else { fitting };
        let mut fitting = fitting;
        // The one whose parameters are of the narrowest types.
        let nearer = |a: &MemberType, b: &MemberType| {
            let (Some(a), Some(b)) = (&a.params, &b.params) else { return false };
            a.len() == b.len()
                && a.iter().zip(b).all(|(a, b)| self.fits(&a.ty, &b.ty) == Some(true))
        };
        let all_told = fitting.iter().all(|m| self.takes_these(m, &args) == Some(true));
        let nearest = fitting
            .iter()
            .position(|m| all_told && fitting.iter().all(|n| std::ptr::eq(*m, *n) || nearer(m, n)));
        if let Some(nearest) = nearest {
            fitting = vec![fitting[nearest]];
        }
        let same = fitting.len() == 1;
        Some((fitting.first().unwrap_or(first), same))
    }

    /// Do these arguments fit a function? `None` if nothing tells.
    fn takes_these(&self, m: &MemberType, args: &[Argument<'a>]) -> Option<bool> {
        let Some(params) = &m.params else { return Some(true) };
        let mut whole = Some(true);
        for (a, p) in args.iter().zip(params) {
            if a.name.is_some() || self.is_function(a.value) {
                continue;
            }
            match self.type_of(a.value).and_then(|t| self.fits(&t.ty, &p.ty)) {
                Some(true) => {}
                Some(false) => return Some(false),
                None => whole = None,
            }
        }
        whole
    }

    /// The call whose function is named at a place.
    pub(crate) fn call_at(&self, name: Span) -> Option<Node<'a>> {
        let mut child = self.leaf(name)?;
        for _ in 0..6 {
            let up = child.parent()?;
            if let Some(rule) = self.callee_rule(up) {
                let function = part(up, rule.function)?;
                return (span(function).end == name.end || span(function).contains(name))
                    .then_some(up)
                    .filter(|_| !self.arguments(up).iter().any(|a| span(a.whole).contains(name)));
            }
            child = up;
        }
        None
    }

    /// Is the overload with these parameters named at a place, in a call or a declaration?
    pub fn overload(&self, name: Span, wanted: &[Ty]) -> Overload {
        if let Some((_, node, rule)) = self.introduced(name)
            && rule.origin == Origin::Function
        {
            let takes = self.takes(node);
            let same = |(p, w): (&super::Takes, &Ty)| {
                w.symbols().is_empty()
                    || p.ty.symbols().iter().any(|s| w.symbols().contains(s))
                    || p.ty == *w
            };
            let all = takes.len() == wanted.len() && takes.iter().zip(wanted).all(same);
            return if all { Overload::Is } else { Overload::Not };
        }
        let Some(call) = self.call_at(name) else { return Overload::Unknown };
        let args = self.arguments(call);
        if args.iter().any(|a| a.is_spread(self.language)) {
            return Overload::Unknown;
        }
        if args.len() != wanted.len() {
            return Overload::Not;
        }
        // Where all overloads are told, the nearest is meant.
        if let Some((known, _)) = self.callee(call)
            && known.all.len() > 1
            && let Some((one, sure)) = self.choose(&known, call)
            && let Some(params) = &one.params
        {
            let same = |(p, w): (&super::Takes, &Ty)| {
                self.fits(&p.ty, w) == Some(true) && self.fits(w, &p.ty) == Some(true)
            };
            let is = params.len() == wanted.len() && params.iter().zip(wanted).all(same);
            if sure {
                return if is { Overload::Is } else { Overload::Not };
            }
        }
        let mut exact = true;
        for (a, w) in args.iter().zip(wanted) {
            let told = if self.is_function(a.value) { None } else { self.type_of(a.value) };
            match told.and_then(|t| Some((self.fits(&t.ty, w)?, t))) {
                Some((false, _)) => return Overload::Not,
                Some((true, t)) => {
                    exact &= matches!(w, Ty::Param(..)) || self.fits(w, &t.ty) == Some(true);
                }
                None => return Overload::ByCount(args.len()),
            }
        }
        if exact { Overload::Is } else { Overload::Fits }
    }

    fn is_function(&self, node: Node<'a>) -> bool {
        self.language.typing.functions.iter().any(|f| f.kind == node.kind())
    }

    /// The result of a function with what its parameters of types stand for by the arguments.
    fn result_for(&self, m: &MemberType, call: Node<'a>) -> Ty {
        if !m.gives.open() {
            return m.gives.clone();
        }
        let mut given = self.given_by(m, call, true);
        let open = m.open_params(&given);
        let named = self.type_arguments(call);
        if open.len() == named.len() {
            given.extend(open.into_iter().zip(named));
        }
        m.gives.filled(&given, None)
    }

    /// The type arguments that a call names.
    fn type_arguments(&self, call: Node<'a>) -> Vec<Ty> {
        let (open, close) = self.language.typing.syntax.generic;
        let kinds = self.language.names.types.skipped;
        let function = self.callee_rule(call).and_then(|r| part(call, r.function));
        let own = [Some(call), function, function.and_then(|f| named(f).into_iter().next_back())];
        let mut lists = own.into_iter().flatten().flat_map(children);
        let list = lists.find(|c| {
            let text = span(*c).of(self.text);
            kinds.contains(&c.kind()) && text.starts_with(open) && text.ends_with(close)
        });
        let Some(list) = list else { return Vec::new() };
        named(list).into_iter().map(|n| self.written(n)).collect()
    }

    fn given_by(&self, m: &MemberType, call: Node<'a>, closures: bool) -> HashMap<String, Ty> {
        let mut given = HashMap::new();
        let Some(params) = &m.params else { return given };
        let args = self.arguments(call);
        let place = |i: usize| params.get(i).or_else(|| params.last().filter(|p| p.rest));
        for (i, a) in args.iter().enumerate() {
            let Some(p) = place(i).filter(|p| p.ty.open()) else { continue };
            if self.is_function(a.value) {
                continue;
            }
            let Some(told) = self.type_of(a.value) else { continue };
            let seen = self.seen_as(&told.ty, p.ty.symbols(), DEPTH).unwrap_or(told.ty);
            let wanted = if p.rest { p.ty.args().first().unwrap_or(&p.ty) } else { &p.ty };
            wanted.unify(&seen, &mut given, DEPTH);
        }
        for (i, a) in args.iter().enumerate().filter(|_| closures) {
            let Some(p) = place(i).filter(|p| p.ty.open() && self.is_function(a.value)) else {
                continue;
            };
            let Some(told) = self.type_of(a.value) else { continue };
            match self.as_function(&p.ty) {
                Some((params, gives)) => {
                    let wanted = Ty::Function { params, gives: Box::new(gives) };
                    wanted.unify(&told.ty, &mut given, DEPTH);
                }
                None => p.ty.unify(&told.ty, &mut given, DEPTH),
            }
        }
        given
    }

    /// What calling a name gives.
    fn called_name(&self, function: Node<'a>, call: Node<'a>) -> Option<Told> {
        let names = &self.language.names;
        let at = function.start_byte() as u32;
        let name = span(function).of(self.text);
        if names.types.base.contains(&name)
            || names.types.base.contains(&format!("{name}()").as_str())
        {
            return self.type_of(function);
        }
        let name = plain_path(name);
        let path: Vec<&str> = name.split(names.separator).map(str::trim).collect();
        let [single] = path.as_slice() else {
            return self.called_path(&path, call, at);
        };
        // A function of the file, or a variable that holds one.
        let own = self.known_at(single, self.called_spaces(), at);
        if let Some(own) =
            own.filter(|o| !o.top || self.imported_at(single, Space::Value, at).is_none())
        {
            if let Some((_, node, rule)) = self.introduced(own.at)
                && rule.origin == Origin::Function
            {
                if let Some(t) = self
                    .facts
                    .types_at(own.at.start)
                    .find(|t| t.members.iter().any(|m| m.at == own.at))
                {
                    let of = Told::sure(self.around_type(t));
                    return self.called_member(Some(of), None, single, call);
                }
                let member = self.member_type(single, own.at)?;
                let ty = self.result_for(&member, call);
                let told = Told { ty, says: member.says, why: None };
                let text = format!("`{single}` gives it (line {{line}})");
                return told.because(text, Some(span(node))).known();
            }
            return self.called_value(self.declared_at(single, own.at)?);
        }
        if !names.members_need_receiver {
            for t in self.facts.types_at(at) {
                let of = Told::sure(self.around_type(t));
                if let Some(known) = self.member(&of.ty, single) {
                    return self.chosen_result(&known, &of, single, call);
                }
            }
        }
        self.called_path(&path, call, at)
    }

    /// Where functions are names of their own, a value of the same name is not called.
    fn called_spaces(&self) -> &'static [Space] {
        let apart = self.language.names.bindings.iter().any(|b| b.space == Space::Callable);
        if apart { &[Space::Callable] } else { &[Space::Callable, Space::Value] }
    }

    /// What calling an imported name, or a full one, gives.
    fn called_path(&self, path: &[&str], call: Node<'a>, at: u32) -> Option<Told> {
        let names = &self.language.names;
        for symbol in self.candidates(path, Space::Value, at).iter().take(4) {
            let parent = names.parent(symbol);
            if parent.is_empty() || parent == *symbol {
                continue;
            }
            let last = names.last(symbol);
            if let Some(known) = self.member(&Ty::object(&parent).itself(), last) {
                return self.chosen_result(&known, &Told::sure(Ty::Unknown), last, call);
            }
        }
        if names.types.made_below {
            let (_, head) = path.split_last()?;
            let (first, _) = head.split_last().map(|(l, r)| (*l, r))?;
            if !looks_like_type(first) {
                return None;
            }
            let symbols = self.candidates(head, Space::Type, at);
            let known = symbols.iter().any(|s| self.is_known_type(s));
            let ty = Ty::Of { symbols, args: Vec::new(), named: false };
            return (!known).then(|| Told::sure(ty).at_most(Certainty::Likely));
        }
        self.made_by_call(path, at)
    }

    /// An object that is made by calling its type.
    fn made_by_call(&self, path: &[&str], at: u32) -> Option<Told> {
        // Where files are no modules, a type is made with a word for that.
        self.language.names.modules.as_ref()?;
        let symbols = self.candidates(path, Space::Value, at);
        let known = symbols.iter().any(|s| self.is_known_type(s));
        if !known && !path.last().is_some_and(|l| looks_like_type(l)) {
            return None;
        }
        let own = symbols.iter().any(|s| !self.own_types(s).is_empty());
        let learned = symbols.iter().any(|s| self.project.learned(self.language, s).is_some());
        let says = if own || learned { Certainty::Certain } else { Certainty::Likely };
        let written = path.join(self.language.names.separator);
        let ty = Ty::Of { symbols, args: Vec::new(), named: false };
        let text = format!("`{}` is called right here", short(&written));
        Told { ty, says, why: None }.because(text, None).known()
    }

    /// The type of a member that is read.
    pub(super) fn member_at(
        &self,
        node: Node<'a>,
        object: Option<Node<'a>>,
        name: Node<'a>,
    ) -> Option<Told> {
        let names = &self.language.names;
        let written = span(name).of(self.text);
        let text = span(node).of(self.text);
        let plain = text.len() < 300
            && text.chars().all(|c| {
                c.is_alphanumeric() || matches!(c, '_' | '$' | '.' | ':') || c.is_whitespace()
            });
        let of = match object {
            Some(o) => self.type_of(o),
            None => self.outer_object(node),
        };
        let found = of.as_ref().and_then(|of| {
            let known = self.member(&of.ty, written)?;
            let one = known.all.iter().find(|m| m.params.is_none()).or(known.all.first())?;
            let ty = if one.params.is_some() { one.as_function() } else { one.gives.clone() };
            let says = of.says.min(known.says).min(one.says);
            let shown = names.last(&known.owner);
            let text =
                format!("`{written}` of `{shown}` is declared with this type{}", self.placed(one));
            Told { ty, says, why: None }.because(text, None).known()
        });
        if found.is_some() {
            return found;
        }
        // The name of a type, or of a module, through those around it.
        let through = match &of {
            None => true,
            Some(of) => matches!(of.ty, Ty::Of { named: true, .. }),
        };
        if !plain || !through {
            return None;
        }
        let path: Vec<&str> = text.split(names.separator).map(str::trim).collect();
        let outer = path.split_last().filter(|(l, _)| names.types.own.contains(*l));
        if let Some((_, outer)) = outer {
            // The object of a type around: `Outer.this`.
            let symbols = self.candidates(outer, Space::Type, node.start_byte() as u32);
            return Told::sure(Ty::Of { symbols, args: Vec::new(), named: false }).known();
        }
        let at = node.start_byte() as u32;
        let variable = self.facts.lookup(path[0], &[Space::Value], at).is_some()
            && self.imported_at(path[0], Space::Value, at).is_none();
        (!variable).then(|| self.meaning(&path, at)).flatten()
    }

    /// A function as a value.
    pub(super) fn function_type(&self, node: Node<'a>) -> Option<Told> {
        let params = self.takes(node).into_iter().map(|p| p.ty).collect();
        let gives = self.result_of(node).map_or(Ty::Unknown, |r| r.ty);
        Some(Told::sure(Ty::Function { params, gives: Box::new(gives) }))
    }

    /// A function by its declaration.
    pub(super) fn function_at(&self, node: Node<'a>, origin: Origin) -> Option<Told> {
        if origin == Origin::Property {
            return self.result_of(node);
        }
        self.function_type(node)
    }

    /// What a function gives: as it is declared, or as all that leaves it tells.
    pub(crate) fn result_of(&self, node: Node<'a>) -> Option<Told> {
        let language = self.language;
        let rule = language.typing.functions.iter().find(|f| f.kind == node.kind())?;
        let syntax = &language.typing.syntax;
        let waited =
            children(node).iter().any(|c| c.kind() == "async") && !syntax.future.is_empty();
        let wrapped = |told: Told| {
            if !waited {
                return told;
            }
            let ty = Ty::object(syntax.future).with(vec![told.ty.clone()]);
            Told { ty, ..told }
        };
        if rule.makes {
            let around = self.facts.types_at(node.start_byte() as u32).next()?;
            return Some(Told::sure(self.around_type(around)));
        }
        if let Some(declared) =
            node.child_by_field_name(rule.result).filter(|_| !rule.result.is_empty())
        {
            let ty = self.written(declared);
            return (ty != Ty::Unknown).then(|| wrapped(Told::sure(ty)));
        }
        let body = node.child_by_field_name(rule.body)?;
        self.typing.bodies.set(true);
        if rule.bare && !language.typing.blocks.contains(&body.kind()) {
            return self.type_of(body).map(wrapped);
        }
        let mut left: Vec<Option<Told>> = Vec::new();
        let mut many = false;
        crate::tree::walk(body, |n| {
            if self.is_function(n) || many {
                return false;
            }
            if let Some(r) = language.typing.returns.iter().find(|r| r.kind == n.kind()) {
                many |= r.many || left.len() >= RETURNS;
                if let Some(value) = named(n).into_iter().next() {
                    left.push(self.type_of(value));
                }
            }
            true
        });
        if many {
            return None;
        }
        let tail =
            language.typing.exprs.iter().any(|e| e.0 == body.kind() && matches!(e.1, Gives::Tail));
        if tail && left.is_empty() {
            return self.type_of(body).map(wrapped);
        }
        // A part that is nothing tells nothing of the others.
        let told = one_of(left)?;
        let says = if told.says == Certainty::Unsure { Certainty::Likely } else { told.says };
        Some(wrapped(Told { says, ..told }))
    }

    /// What a type of functions takes and gives: a function, or a type with one that is called.
    pub(super) fn as_function(&self, ty: &Ty) -> Option<(Vec<Ty>, Ty)> {
        match ty {
            Ty::Function { params, gives } => Some((params.clone(), (**gives).clone())),
            Ty::All(all) | Ty::Either(all) => all.iter().find_map(|t| self.as_function(t)),
            Ty::Param(_, Some(bound)) => self.as_function(bound),
            Ty::Of { symbols, named: false, .. } => symbols.iter().find_map(|s| {
                let name = self.single_function(s)?;
                let known = self.member(ty, &name)?;
                let one = known.all.first()?;
                let params = one.params.as_ref()?.iter().map(|p| p.ty.clone()).collect();
                Some((params, one.gives.clone()))
            }),
            _ => None,
        }
    }

    /// The one function of a type that has no other.
    fn single_function(&self, symbol: &str) -> Option<String> {
        if let Some(learned) = self.project.learned(self.language, symbol) {
            let mut called = learned.members.iter().filter(|(n, all)| {
                all.iter().any(|m| m.params.is_some()) && n.starts_with(char::is_alphabetic)
            });
            let (name, _) = called.next()?;
            return called.next().is_none().then(|| name.clone());
        }
        if !self.own_types(symbol).is_empty() {
            return self.own_single_function(symbol);
        }
        self.project.single_function(self.language, symbol)
    }

    /// The same of a type that this file declares.
    pub(crate) fn own_single_function(&self, symbol: &str) -> Option<String> {
        let is_function =
            |at: Span| self.introduced(at).is_some_and(|i| i.2.origin == Origin::Function);
        let own = self.own_types(symbol);
        let all = own.iter().flat_map(|t| &t.members);
        let mut called = all.filter(|m| m.space == Space::Callable || is_function(m.at));
        let name = called.next()?.name.clone();
        called.next().is_none().then_some(name)
    }

    /// What a closure's parameter is, by the call that the closure is an argument of.
    pub(super) fn expected_param(
        &self,
        function: Node<'a>,
        place: usize,
    ) -> Option<(Ty, Certainty)> {
        let (ty, lambda, says) = self.expected_at(function)?;
        if let Some(ty) = lambda.get(place) {
            return Some((ty.clone(), says));
        }
        let (params, _) = self.as_function(&ty)?;
        Some((params.get(place)?.clone(), says))
    }

    /// The type that is expected where an expression stands, with what a closure there is called with.
    fn expected_at(&self, node: Node<'a>) -> Option<(Ty, Vec<Ty>, Certainty)> {
        let rule = self.language.typing.arguments;
        let mut child = node;
        let mut up = node.parent()?;
        while up.kind() == rule.wrapper || up.kind() == self.language.parenthesized {
            child = up;
            up = up.parent()?;
        }
        let key = (up.kind() == rule.keyed.0 && !rule.keyed.0.is_empty()).then_some(up);
        if let Some(key) = key {
            child = key;
            up = key.parent()?;
        }
        if rule.lists.contains(&up.kind()) {
            let call = up.parent()?;
            let (known, of) = self.callee(call)?;
            let (one, sure) = self.choose(&known, call)?;
            let says = of.min(known.says).min(one.says);
            let says = if sure { says } else { says.min(Certainty::Likely) };
            let place = named(up).iter().position(|n| n.id() == child.id())?;
            let params = one.params.as_ref()?;
            let name = key.and_then(|k| k.child_by_field_name(rule.keyed.1));
            let param = match name {
                Some(n) => {
                    let name = span(n).of(self.text);
                    params.iter().find(|p| p.name.as_deref() == Some(name))
                }
                None => params.get(place).or_else(|| params.last().filter(|p| p.rest)),
            };
            let ty = param.map_or(Ty::Unknown, |p| p.ty.clone());
            if !ty.open() {
                return Some((ty, one.lambda.clone(), says));
            }
            let given = self.given_by(one, call, false);
            let lambda = one.lambda.iter().map(|t| t.filled(&given, None)).collect();
            return Some((ty.filled(&given, None), lambda, says));
        }
        // The value of what is declared with a type.
        for rule in super::intro(self.language, up.kind()).filter(|r| !r.ty.is_empty()) {
            let holder = up.child_by_field_name(rule.ty);
            let holder = holder.or_else(|| up.parent()?.child_by_field_name(rule.ty));
            if let Some(ty) = holder.filter(|t| !span(*t).contains(span(node))) {
                return Some((self.written(ty), Vec::new(), Certainty::Certain));
            }
        }
        if self.language.typing.returns.iter().any(|r| r.kind == up.kind()) {
            let mut around = up.parent();
            while let Some(n) = around {
                let rule = self.language.typing.functions.iter().find(|f| f.kind == n.kind());
                if let Some(rule) = rule {
                    let ty = n.child_by_field_name(rule.result)?;
                    return Some((self.written(ty), Vec::new(), Certainty::Certain));
                }
                around = n.parent();
            }
        }
        None
    }

    /// An object whose type is left out, because it is expected.
    pub(super) fn expected(&self, node: Node<'a>) -> Option<Told> {
        let (ty, _, says) = self.expected_at(node)?;
        Told { ty: ty.instance(), says, why: None }.known()
    }

    /// The function that a call calls, with all its overloads.
    pub(crate) fn callee(&self, call: Node<'a>) -> Option<(Known, Certainty)> {
        let rule = self.callee_rule(call)?;
        let names = &self.language.names;
        let function = self.bare(part(call, rule.function)?);
        let own = || -> Option<(Known, Certainty)> {
            let name = plain_path(span(function).of(self.text));
            let at = function.start_byte() as u32;
            let path: Vec<&str> = name.split(names.separator).map(str::trim).collect();
            if let [single] = path.as_slice() {
                let own = self.known_at(single, self.called_spaces(), at);
                if let Some(own) = own {
                    let in_type = self
                        .facts
                        .types_at(own.at.start)
                        .find(|t| t.members.iter().any(|m| m.at == own.at));
                    if let Some(t) = in_type {
                        return Some((
                            self.member(&self.around_type(t), single)?,
                            Certainty::Certain,
                        ));
                    }
                    let member = match self.member_type(single, own.at)? {
                        m if m.params.is_some() => m,
                        m => {
                            let (params, gives) = self.as_function(&m.gives)?;
                            let takes =
                                |ty| super::Takes { name: None, ty, optional: false, rest: false };
                            let params = Some(params.into_iter().map(takes).collect());
                            MemberType { params, gives, ..m }
                        }
                    };
                    let says = member.says;
                    let known = Known { all: vec![member], says, owner: String::new() };
                    return Some((known, Certainty::Certain));
                }
                if !names.members_need_receiver {
                    let around = self.facts.types_at(at);
                    let found =
                        around.into_iter().find_map(|t| self.member(&self.around_type(t), single));
                    if let Some(known) = found {
                        return Some((known, Certainty::Certain));
                    }
                }
            }
            let symbols = self.candidates(&path, Space::Value, at);
            // A type that is called, or made: what makes an object of it.
            let maker = self.language.typing.constructor;
            if !maker.is_empty()
                && symbols.iter().any(|s| self.is_known_type(s))
                && let Some(known) = self.member(&self.read(&name, at), maker)
            {
                return Some((known, Certainty::Certain));
            }
            let known = symbols.iter().find_map(|symbol| {
                let parent = names.parent(symbol);
                if parent.is_empty() || parent == *symbol {
                    return None;
                }
                self.member(&Ty::object(&parent).itself(), names.last(symbol))
            })?;
            Some((known, Certainty::Certain))
        };
        let object =
            if rule.object.is_empty() { None } else { call.child_by_field_name(rule.object) };
        let (object, name) = match (object, gives(self.language, function.kind())) {
            (Some(o), _) => (Some(o), function),
            (None, Some(Gives::Member(of, name))) => (part(function, of), part(function, name)?),
            _ => return own(),
        };
        let of = match object {
            Some(o) => self.type_of(o),
            None => self.outer_object(function),
        }?;
        let name = span(name).of(self.text);
        let name = name.split('<').next().unwrap_or(name);
        Some((self.member(&of.ty, name)?, of.says))
    }
}
