//! What calls, members, operators and functions give, and what a rule that wrote an expression says of it.

use crate::tree::Node;
use emendo_text::Span;

use crate::ground::Certainty;
use crate::language::{Gives, Origin, Space};
use crate::project::WrittenCode;
use crate::resolver::Resolver;
use crate::tree::in_line;
use crate::tree::{children, span};
use crate::tree::{function_rule, in_field, named, part};
use crate::ty::{Known, MemberType, Ty, TypeAnswer};
use crate::types::calls::plain_path;
use crate::types::infer::one_of;
use crate::types::variables::looks_like_type;

/// How many places that leave a function are looked at.
const RETURNS: usize = 32;

impl<'a> Resolver<'a> {
    /// What an operator makes of two values.
    pub(super) fn joined_by(
        &self,
        sign: &str,
        left: Node<'a>,
        right: Node<'a>,
    ) -> Option<TypeAnswer> {
        let built_in = &self.language.typing.built_in;
        let (left, right) = (self.type_of(left), self.type_of(right));
        // One of the two, whatever they are.
        if ["??", "||", "&&", "?:"].contains(&sign) {
            return one_of(vec![left, right]);
        }
        let is = |t: &Option<TypeAnswer>, symbol: &str| {
            t.as_ref().is_some_and(|t| t.ty.symbols().first().is_some_and(|s| s == symbol))
        };
        if let Some((_, own, reflected)) = built_in.operators.iter().find(|o| o.0 == sign) {
            let declared = |of: &Option<TypeAnswer>, member: &str| {
                let of = of.as_ref().filter(|_| !member.is_empty())?;
                let known = self.member(&of.ty, member)?;
                let one = known.all.first()?;
                let says = of.says.min(known.says).min(one.says);
                let text =
                    format!("`{sign}` of `{}` gives it", self.language.names.last(&known.owner));
                TypeAnswer { ty: one.gives.clone(), says, why: None }.because(text, None).known()
            };
            let told = declared(&left, own).or_else(|| declared(&right, reflected));
            if told.is_some() {
                return told;
            }
        }
        let (first, second) = (is(&left, built_in.text), is(&right, built_in.text));
        // A text on the left takes what stands on the right for one, unless that is known to be something else.
        let joins = first && (second || right.is_none() || built_in.text_joins);
        if sign == "+" && (joins || second && built_in.text_joins) {
            return Some(TypeAnswer::sure(Ty::object(built_in.text)));
        }
        // Of the language's own types one gives itself; those of others may give anything, and a quotient too.
        let (left, right) = (left?, right?);
        let own = |t: &TypeAnswer| {
            let symbol = t.ty.symbols().first();
            symbol.is_some_and(|s| built_in.primitives.iter().any(|p| p.1 == s))
        };
        (left.ty == right.ty && own(&left) && sign != "/").then_some(left)
    }

    /// Takes it that what stands at a place has a type, whatever the code tells.
    pub fn suppose(&self, at: Span, told: &TypeAnswer) {
        let Some(root) = self.tree.roots_at(at).last() else { return };
        let range = (at.start as usize, at.end as usize);
        let mut node = root.node.descendant_for_byte_range(range.0, range.1);
        while let Some(one) = node.filter(|n| span(*n) == at) {
            self.typing.known.borrow_mut().insert(one.id(), Some(told.clone()));
            node = one.parent();
        }
    }

    /// What a rule that wrote an expression says of it.
    pub(super) fn lent(&self, node: Node<'a>) -> Option<TypeAnswer> {
        let gives = self.language.typing.gives(node.kind())?;
        let made = matches!(
            gives,
            Gives::Call | Gives::Member(..) | Gives::Made(_) | Gives::Written(_) | Gives::Macro(..)
        );
        let (language, facts, path) = (self.language, self.facts, self.path);
        let (tree, text, at) = (self.tree, self.text, span(node));
        made.then(|| self.project.lent(&WrittenCode { language, facts, tree, text, path, at }))?
    }

    /// What a call gives.
    pub(super) fn called(&self, node: Node<'a>) -> Option<TypeAnswer> {
        let rule = self.callee_rule(node)?;
        let function = part(node, rule.function)?;
        if let Some(object) = in_field(node, rule.object) {
            let of = self.type_of(object);
            let name = span(function).of(self.text);
            return self.called_member(of, Some(object), name, node);
        }
        let function = self.bare(function);
        match self.language.typing.gives(function.kind()) {
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
                self.called_object(&told, node).or_else(|| self.called_value(told))
            }
        }
    }

    /// What an object gives that is called like a function.
    fn called_object(&self, of: &TypeAnswer, call: Node<'a>) -> Option<TypeAnswer> {
        let invoke = self.language.typing.built_in.invoke;
        if invoke.is_empty() || of.ty.is_named() {
            return None;
        }
        let known = self.member(&of.ty, invoke)?;
        self.chosen_result(&known, of, invoke, call)
    }

    fn called_value(&self, told: TypeAnswer) -> Option<TypeAnswer> {
        match &told.ty {
            Ty::Function { gives, .. } => {
                TypeAnswer { ty: (**gives).clone(), ..told.clone() }.known()
            }
            Ty::Of { named: true, .. } => {
                TypeAnswer { ty: told.ty.clone().instance(), ..told.clone() }.known()
            }
            Ty::Of { .. } => {
                let (_, gives) = self.as_function(&told.ty)?;
                TypeAnswer { ty: gives, ..told }.known()
            }
            _ => None,
        }
    }

    /// What calling a member gives.
    fn called_member(
        &self,
        of: Option<TypeAnswer>,
        object: Option<Node<'a>>,
        name: &str,
        call: Node<'a>,
    ) -> Option<TypeAnswer> {
        let names = &self.language.names;
        if let Some(of) = &of {
            if let Some(told) = self.of_type_word(of, name) {
                return told;
            }
            if let Some(known) = self.member(&of.ty, name) {
                return self.chosen_result(&known, of, name, call);
            }
            if self.language.declares.hints.made_below
                && let Ty::Of { symbols, named: true, .. } = &of.ty
            {
                // A function below a type most often makes one.
                let last = symbols.first().map(|s| names.last(s))?;
                let may = looks_like_type(last) && !symbols.iter().any(|s| self.is_known_type(s));
                let own = !self.own_types(&symbols[0]).is_empty();
                if may || (own && self.own_member(&symbols[0], name, true).is_none()) {
                    let told =
                        TypeAnswer::sure(of.ty.clone().instance()).at_most(Certainty::Likely);
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
        if whole.len() > 300 || !path.iter().all(plain) || self.language.declares.hints.made_below {
            return None;
        }
        if self.global(&path, Space::Value, start as u32).is_some_and(|own| own.len() < path.len())
        {
            return self.called_path(&path, call, start as u32);
        }
        self.made_by_call(&path, start as u32)
    }

    /// The result of the overload that fits the arguments.
    fn chosen_result(
        &self,
        known: &Known,
        of: &TypeAnswer,
        name: &str,
        call: Node<'a>,
    ) -> Option<TypeAnswer> {
        let (one, sure) = self.choose(known, call)?;
        let sure = sure || known.all.iter().all(|m| m.gives == one.gives);
        let says = of.says.min(known.says).min(one.says);
        let says = if sure { says } else { says.min(Certainty::Likely) };
        let ty = match (&one.params, &one.gives) {
            (Some(_), _) => self.result_for(one, call),
            (None, Ty::Function { gives, .. }) => (**gives).clone(),
            (None, Ty::Of { named: true, .. }) => one.gives.clone().instance(),
            // What is read by a call of its name.
            (None, ty) if self.language.typing.bare_calls => ty.clone(),
            (None, ty) => self.as_function(ty)?.1,
        };
        let shown = self.language.names.last(&known.owner);
        let text = format!("`{name}` of `{shown}` gives it{}", self.placed(one));
        TypeAnswer { ty, says, why: None }.because(text, None).known()
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
        let kinds = self.language.declares.hints.skipped;
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

    /// What calling a name gives.
    pub(super) fn called_name(&self, function: Node<'a>, call: Node<'a>) -> Option<TypeAnswer> {
        let names = &self.language.names;
        let at = function.start_byte() as u32;
        let name = span(function).of(self.text);
        if self.language.declares.hints.base.contains(&name)
            || self.language.declares.hints.base.contains(&format!("{name}()").as_str())
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
                    let of = TypeAnswer::sure(self.around_type(t));
                    return self.called_member(Some(of), None, single, call);
                }
                let member = self.member_type(single, own.at)?;
                let ty = self.result_for(&member, call);
                let told = TypeAnswer { ty, says: member.says, why: None };
                let text = format!("`{single}` gives it (line {{line}})");
                return told.because(text, Some(span(node))).known();
            }
            let told = self.declared_at(single, own.at)?;
            return self.called_object(&told, call).or_else(|| self.called_value(told));
        }
        if !names.members_need_receiver {
            for t in self.facts.types_at(at) {
                let of = TypeAnswer::sure(self.around_type(t));
                if let Some(known) = self.member(&of.ty, single) {
                    return self.chosen_result(&known, &of, single, call);
                }
            }
        }
        self.called_path(&path, call, at)
    }

    /// Where functions are names of their own, a value of the same name is not called.
    pub(super) fn called_spaces(&self) -> &'static [Space] {
        let apart = self.language.scopes.bindings.iter().any(|b| b.space == Space::Callable);
        if apart { &[Space::Callable] } else { &[Space::Callable, Space::Value] }
    }

    /// What calling an imported name, or a full one, gives.
    fn called_path(&self, path: &[&str], call: Node<'a>, at: u32) -> Option<TypeAnswer> {
        let names = &self.language.names;
        for symbol in self.candidates(path, Space::Value, at).iter().take(4) {
            let parent = names.parent(symbol);
            if parent.is_empty() || parent == *symbol {
                continue;
            }
            let last = names.last(symbol);
            if let Some(known) = self.member(&Ty::object(&parent).itself(), last) {
                return self.chosen_result(&known, &TypeAnswer::sure(Ty::Unknown), last, call);
            }
        }
        let makes = || self.language.typing.calls.functions.iter().any(|f| f.makes);
        if self.language.declares.hints.made_below && (path.len() > 1 || !makes()) {
            let (_, head) = path.split_last()?;
            let (first, _) = head.split_last().map(|(l, r)| (*l, r))?;
            if !looks_like_type(first) {
                return None;
            }
            let symbols = self.candidates(head, Space::Type, at);
            let known = symbols.iter().any(|s| self.is_known_type(s));
            let ty = Ty::Of { symbols, args: Vec::new(), named: false };
            return (!known).then(|| TypeAnswer::sure(ty).at_most(Certainty::Likely));
        }
        self.made_by_call(path, at)
    }

    /// An object that is made by calling its type.
    fn made_by_call(&self, path: &[&str], at: u32) -> Option<TypeAnswer> {
        // Where files are not modules, a type is made with a word for that.
        self.language.modules.as_ref()?;
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
        let text = format!("`{}` is called right here", in_line(&written));
        TypeAnswer { ty, says, why: None }.because(text, None).known()
    }

    /// The type of a member that is read.
    pub(super) fn member_at(
        &self,
        node: Node<'a>,
        object: Option<Node<'a>>,
        name: Node<'a>,
    ) -> Option<TypeAnswer> {
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
        if written == self.language.typing.built_in.type_word && !written.is_empty() {
            return of;
        }
        let found = of.as_ref().and_then(|of| {
            let known = self.member(&of.ty, written)?;
            let one = known.all.iter().find(|m| m.params.is_none()).or(known.all.first())?;
            let ty = if one.params.is_some() { one.as_function() } else { one.gives.clone() };
            let says = of.says.min(known.says).min(one.says);
            let shown = names.last(&known.owner);
            let text =
                format!("`{written}` of `{shown}` is declared with this type{}", self.placed(one));
            TypeAnswer { ty, says, why: None }.because(text, None).known()
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
        let outer =
            path.split_last().filter(|(l, _)| self.language.declares.hints.own.contains(*l));
        if let Some((_, outer)) = outer {
            // The object of a type around: `Outer.this`.
            let symbols = self.candidates(outer, Space::Type, node.start_byte() as u32);
            return TypeAnswer::sure(Ty::Of { symbols, args: Vec::new(), named: false }).known();
        }
        let at = node.start_byte() as u32;
        let variable = self.facts.lookup(path[0], &[Space::Value], at).is_some()
            && self.imported_at(path[0], Space::Value, at).is_none();
        (!variable).then(|| self.meaning(&path, at)).flatten()
    }

    /// A function as a value.
    pub(super) fn function_type(&self, node: Node<'a>) -> Option<TypeAnswer> {
        let params = self.takes(node).into_iter().map(|p| p.ty).collect();
        let gives = self.result_of(node).map_or(Ty::Unknown, |r| r.ty);
        Some(TypeAnswer::sure(Ty::Function { params, gives: Box::new(gives) }))
    }

    /// A function by its declaration.
    pub(super) fn function_at(&self, node: Node<'a>, origin: Origin) -> Option<TypeAnswer> {
        if origin == Origin::Property {
            return self.result_of(node);
        }
        self.function_type(node)
    }

    /// What a function gives: as it is declared, or as all that leaves it tells.
    pub(crate) fn result_of(&self, node: Node<'a>) -> Option<TypeAnswer> {
        let language = self.language;
        let rule = function_rule(language, node)?;
        let word = language.typing.calls.waiting.as_ref().map_or("", |w| w.word);
        // The word may stand among others.
        let has = |n: &Node<'_>| n.kind() == word || n.child(0).is_some_and(|c| c.kind() == word);
        let waited = !language.typing.built_in.future.is_empty() && children(node).iter().any(has);
        let wrapped = |told: TypeAnswer| {
            // What is declared as something to wait for is not wrapped once more.
            let future = |s: &String| s == language.typing.built_in.future;
            if !waited || told.ty.symbols().iter().any(future) {
                return told;
            }
            let ty = Ty::object(language.typing.built_in.future).with(vec![told.ty.clone()]);
            TypeAnswer { ty, ..told }
        };
        if self.makes_own(node, rule) {
            let around = self.facts.types_at(node.start_byte() as u32).next()?;
            return Some(TypeAnswer::sure(self.around_type(around)));
        }
        let declared = in_field(node, rule.result);
        if let Some(wrapper) = self.decorated(node) {
            let one = match declared {
                Some(declared) => self.written(declared).args().first()?.clone(),
                None => self.one_of_many(in_field(node, rule.body)?)?.ty,
            };
            return TypeAnswer::sure(Ty::object(wrapper).with(vec![one])).known();
        }
        let documented = || self.documented_result(node).map(wrapped);
        if declared.is_none()
            && let Some(told) = documented()
        {
            return Some(told);
        }
        if let Some(declared) = declared {
            let ty = self.written(declared);
            if ty != Ty::Unknown {
                let more = self.told_more(TypeAnswer::sure(ty.clone()), documented);
                if more.ty != ty {
                    return Some(more);
                }
            }
            let told = (ty != Ty::Unknown).then(|| TypeAnswer::sure(ty))?;
            // What gives one of many is not waited for as a whole.
            let many = waited && in_field(node, rule.body).is_some_and(|b| self.yields(b));
            return Some(if many { told } else { wrapped(told) });
        }
        let body = in_field(node, rule.body)?;
        self.typing.bodies.set(true);
        if rule.bare && !language.typing.branching.blocks.contains(&body.kind()) {
            return self.type_of(body).map(wrapped);
        }
        let mut left: Vec<Option<TypeAnswer>> = Vec::new();
        let mut many = false;
        crate::tree::walk(body, |n| {
            if self.is_function(n) || many {
                return false;
            }
            if let Some(r) = language.typing.branching.returns.iter().find(|r| r.kind == n.kind()) {
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
        let ends = |g| matches!(g, Gives::Tail | Gives::Single | Gives::Ways(_));
        let tail = language.typing.gives(body.kind()).is_some_and(ends);
        if tail && left.is_empty() {
            return self.type_of(body).map(wrapped);
        }
        // A part that is nothing tells nothing of the others.
        let told = one_of(left)?;
        let says = if told.says == Certainty::Unsure { Certainty::Likely } else { told.says };
        Some(wrapped(TypeAnswer { says, ..told }))
    }

    /// The type of what is made of a function that gives one of many.
    fn decorated(&self, node: Node<'a>) -> Option<&'static str> {
        let decorators = self.language.typing.calls.decorators;
        let around = node.parent().filter(|_| !decorators.is_empty())?;
        named(around).into_iter().take_while(|n| n.id() != node.id()).find_map(|n| {
            let text = span(n).of(self.text).trim_start_matches('@');
            let last = text.split('(').next()?.rsplit(self.language.names.separator).next()?;
            decorators.iter().find(|d| d.0 == last.trim()).map(|d| d.1)
        })
    }

    fn yields(&self, body: Node<'a>) -> bool {
        let rules = self.language.typing.branching.returns;
        let mut found = false;
        crate::tree::walk(body, |n| {
            found |= rules.iter().any(|r| r.many && r.kind == n.kind());
            !found && !self.is_function(n)
        });
        found
    }

    /// What a body gives one by one.
    fn one_of_many(&self, body: Node<'a>) -> Option<TypeAnswer> {
        let rules = self.language.typing.branching.returns;
        let mut given = Vec::new();
        crate::tree::walk(body, |n| {
            let many = rules.iter().any(|r| r.many && r.kind == n.kind());
            if many && given.len() < RETURNS {
                given.push(named(n).into_iter().next().and_then(|v| self.type_of(v)));
            }
            !self.is_function(n)
        });
        one_of(given)
    }

    /// What a type of functions takes and gives: a function, or a type with one that is called.
    pub(super) fn as_function(&self, ty: &Ty) -> Option<(Vec<Ty>, Ty)> {
        match ty {
            Ty::Function { params, gives } => Some((params.clone(), (**gives).clone())),
            Ty::All(all) | Ty::Either(all) => all.iter().find_map(|t| self.as_function(t)),
            Ty::Param(_, Some(bound)) => self.as_function(bound),
            Ty::Of { symbols, args, named: false } => symbols.iter().find_map(|s| {
                if let Some(alias) = self.shape(s).and_then(|s| s.alias.clone()) {
                    let given = self.arguments_of(s, args);
                    return self.as_function(&alias.filled(&given, None));
                }
                let name = self.single_function(s)?;
                let known = self.member(ty, &name)?;
                let one = known.all.first()?;
                let params = one.params.as_ref()?.iter().map(|p| p.ty.clone()).collect();
                Some((params, one.gives.clone()))
            }),
            _ => None,
        }
    }

    /// The parameters of a type of functions as they are declared, before parameters of types stood for anything.
    pub(super) fn plain_function(&self, ty: &Ty) -> Option<Vec<Ty>> {
        let alias = |s: &String| self.shape(s)?.alias.clone();
        match ty.symbols().iter().find_map(alias) {
            Some(alias) => self.as_function(&alias).map(|f| f.0),
            None => self.as_function(ty).map(|f| f.0),
        }
    }

    /// The one function of a type that has no other.
    pub(super) fn single_function(&self, symbol: &str) -> Option<String> {
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
        self.project.single_function(self.language, symbol, &self.asking())
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
}
