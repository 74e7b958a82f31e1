//! What an expression's type is: one rule for each kind, from the language's table.

use std::collections::HashMap;

use crate::tree::Node;
use emendo_text::Span;

use crate::facts::TypeDecl;
use crate::ground::Certainty;
use crate::language::{Gives, Space};
use crate::resolver::Resolver;
use crate::tree::in_line;
use crate::tree::{children, named, part, span};
use crate::ty::{DEPTH, Ty, TypeAnswer, read_type};

/// How many elements tell what a list holds.
const FIRST: usize = 4;

/// How far inferences are put onto one another.
const FAR: usize = 64;

impl<'a> Resolver<'a> {
    /// True if the body of a function told something.
    pub(crate) fn asked_bodies(&self) -> bool {
        self.typing.bodies.get()
    }

    /// The static type of what stands at a place; `None` if nothing tells.
    pub fn type_at(&self, at: Span) -> Option<TypeAnswer> {
        let root = self.tree.roots_at(at).last()?.node;
        let mut node = root.descendant_for_byte_range(at.start as usize, at.end as usize)?;
        while let Some(up) = node.parent().filter(|p| span(*p) == at && p.parent().is_some()) {
            node = up;
        }
        loop {
            let told = self.type_of(node);
            // What wraps an expression and adds nothing may tell nothing.
            match node.named_child(0).filter(|c| told.is_none() && span(*c) == at) {
                Some(inner) => node = inner,
                None => return told,
            }
        }
    }

    /// The static type of an expression.
    pub(crate) fn type_of(&self, node: Node<'a>) -> Option<TypeAnswer> {
        let typing = &self.typing;
        let id = node.id();
        if let Some(known) = typing.known.borrow().get(&id) {
            if known.is_none() {
                typing.cycled.set(true);
            }
            return known.clone();
        }
        let depth = typing.depth.get();
        if depth >= FAR {
            typing.cycled.set(true);
            return None;
        }
        if depth == 0 {
            typing.cycled.set(false);
        }
        typing.known.borrow_mut().insert(id, None);
        typing.depth.set(depth + 1);
        let before = typing.cycled.replace(false);
        let (found, keep) = self.trail.work_out(0, || {
            self.infer(node).and_then(TypeAnswer::known).or_else(|| self.lent(node))
        });
        typing.depth.set(depth);
        let cycled = typing.cycled.get() || !keep;
        typing.cycled.set(before || cycled && depth > 0);
        if cycled && found.is_none() {
            typing.known.borrow_mut().remove(&id);
        } else {
            typing.known.borrow_mut().insert(id, found.clone());
        }
        found
    }

    fn infer(&self, node: Node<'a>) -> Option<TypeAnswer> {
        let text = span(node).of(self.text);
        let typing = &self.language.typing;
        let object = |symbol: &str| Some(TypeAnswer::sure(Ty::object(symbol)));
        let part = |field: &str| part(node, field);
        match self.by_word(text).or_else(|| typing.gives(node.kind()))? {
            Gives::Is(symbol) => object(symbol),
            Gives::Nothing => Some(TypeAnswer::sure(Ty::Nothing)),
            Gives::ListOf(symbol) => self.list_of_first(node, symbol),
            Gives::Pairs(symbol, pair) => self.map_of_first(node, symbol, pair),
            Gives::Tuple => {
                let (items, says) = self.all_of(named(node).into_iter());
                Some(TypeAnswer { says, ..TypeAnswer::sure(Ty::Tuple(items)) })
            }
            Gives::Written(field) => Some(TypeAnswer::sure(self.written(part(field)?).instance())),
            Gives::Array(field) => self.array_of(part(field)?),
            Gives::Made(field) => self.made(node, part(field)?),
            Gives::Same(field) => self.type_of(part(field)?),
            Gives::Last => self.type_of(named(node).into_iter().next_back()?),
            Gives::Either(fields) => {
                one_of(fields.iter().filter_map(|f| part(f)).map(|n| self.type_of(n)).collect())
            }
            Gives::Element(field) => self.element_of(node, part(field)?),
            Gives::Awaited(field) => self.opened_up(part(field)?, "await"),
            Gives::Unwrapped(field) => self.opened_up(part(field)?, "?"),
            Gives::Call => self.called(node),
            Gives::Member(of, name) => {
                let name = self.language.unmarked(part(name)?, self.text);
                self.member_at(node, part(of), name)
            }
            Gives::Name => self.name(node),
            Gives::Taken => self.begun_path(node),
            Gives::Own => self.itself(node, text),
            Gives::Base => self.base(node),
            Gives::Operator(left, operator, right) => {
                let sign = part(operator).map_or("", |o| span(o).of(self.text));
                if typing.truths.contains(&sign) {
                    return object(typing.built_in.truth);
                }
                self.joined_by(sign, part(left)?, part(right)?)
            }
            Gives::Function => self.function_type(node),
            Gives::Tail => self.tail(node),
            Gives::Single => self.tail(node).filter(|_| named(node).len() == 1),
            Gives::Ways(keys) => {
                let all = self.ends_of(node, keys).into_iter().take(32);
                one_of(all.map(|n| self.type_of(n)).collect())
            }
            Gives::Branches(fields) => {
                one_of(fields.iter().filter_map(|f| part(f)).map(|n| self.tail_of(n)).collect())
            }
            Gives::Macro(field, all) => self.of_macro(node, span(part(field)?).of(self.text), all),
            Gives::Expected => self.expected(node),
        }
    }

    /// What a word of the language for the object itself, or for what it is built on, gives, whatever its kind.
    fn by_word(&self, text: &str) -> Option<Gives> {
        let hints = &self.language.declares.hints;
        if text.len() >= 16 {
            return None;
        }
        if hints.own.contains(&text) {
            return Some(Gives::Own);
        }
        hints.base.contains(&text).then_some(Gives::Base)
    }

    /// A list by its first elements.
    /// What a path of members begins with that stands for a function.
    fn begun_path(&self, node: Node<'a>) -> Option<TypeAnswer> {
        if let Some(of) = named(node).first() {
            return TypeAnswer::sure(self.written(*of)).known();
        }
        let mut whole = node;
        while let Some(up) = whole.parent().filter(|u| self.language.base_of(*u) == Some(whole)) {
            whole = up;
        }
        let (ty, lambda, says) = self.expected_at(whole)?;
        let first = lambda.first().cloned().or_else(|| self.as_function(&ty)?.0.first().cloned());
        TypeAnswer { ty: first?, says, why: None }.known()
    }

    fn list_of_first(&self, node: Node<'a>, symbol: &str) -> Option<TypeAnswer> {
        let mut first = named(node);
        first.truncate(FIRST);
        if first.first().is_some_and(|f| self.language.is_spread(*f)) {
            first.clear();
        }
        first.retain(|f| !self.language.is_spread(*f));
        let (items, says) = self.all_of(first.into_iter());
        let element = match items.iter().find(|t| **t != Ty::Unknown) {
            Some(_) if items[0] == Ty::Unknown => Ty::Unknown,
            Some(_) => Ty::either(items.into_iter().filter(|t| *t != Ty::Unknown)),
            None => Ty::Unknown,
        };
        Some(TypeAnswer { says, ..TypeAnswer::sure(Ty::object(symbol).with(vec![element])) })
    }

    /// A map by its first pair.
    fn map_of_first(&self, node: Node<'a>, symbol: &str, pair: &str) -> Option<TypeAnswer> {
        let pair = named(node).into_iter().find(|n| n.kind() == pair);
        let parts = pair.map(named).unwrap_or_default().into_iter().take(2);
        let (args, says) = self.all_of(parts);
        Some(TypeAnswer { says, ..TypeAnswer::sure(Ty::object(symbol).with(args)) })
    }

    fn array_of(&self, element: Node<'a>) -> Option<TypeAnswer> {
        let ty = self.written(element).instance();
        let list = self.language.typing.syntax.list;
        let listed = ty.symbols().iter().any(|s| s == list);
        Some(TypeAnswer::sure(if listed { ty } else { Ty::object(list).with(vec![ty]) }))
    }

    fn made(&self, node: Node<'a>, of: Node<'a>) -> Option<TypeAnswer> {
        let ty = match self.written(of) {
            Ty::Unknown => self.type_of(of)?.ty,
            ty => ty,
        };
        // What it is given may stand behind its name.
        let ty = match node.child_by_field_name("type_arguments") {
            Some(given) => ty.with(named(given).into_iter().map(|n| self.written(n)).collect()),
            None => ty,
        };
        let text = format!("a `{}` is made right here", in_line(span(of).of(self.text)));
        Some(TypeAnswer::sure(ty.instance()).because(text, None))
    }

    fn element_of(&self, node: Node<'a>, of: Node<'a>) -> Option<TypeAnswer> {
        let of = self.type_of(of)?;
        if let Ty::Tuple(items) = &of.ty {
            let index = named(node).into_iter().next_back()?;
            let index: usize = span(index).of(self.text).parse().ok()?;
            return Some(TypeAnswer { ty: items.get(index)?.clone(), ..of });
        }
        self.passed(&of, "[_]").or_else(|| self.passed(&of, "[]"))
    }

    /// What comes of a value that is waited for or unwrapped; most often the value itself, if nothing tells.
    fn opened_up(&self, of: Node<'a>, how: &str) -> Option<TypeAnswer> {
        let of = self.type_of(of)?;
        Some(self.passed(&of, how).unwrap_or_else(|| of.at_most(Certainty::Likely)))
    }

    /// What a macro gives: a type by its name, or a list of what stands first in it.
    fn of_macro(&self, node: Node<'a>, name: &str, all: &[(&str, &str)]) -> Option<TypeAnswer> {
        let (_, text) = all.iter().find(|m| m.0 == name)?;
        let Some(list) = text.strip_suffix("[]") else {
            return Some(TypeAnswer::sure(Ty::object(text)));
        };
        let element = self.first_in_macro(node).unwrap_or(Ty::Unknown);
        Some(TypeAnswer::sure(Ty::object(list).with(vec![element])))
    }

    fn first_in_macro(&self, node: Node<'a>) -> Option<Ty> {
        let tokens = named(node).into_iter().next_back()?;
        let inner = &self.text[tokens.start_byte() + 1..tokens.end_byte()];
        let at = tokens.start_byte() + 1 + (inner.len() - inner.trim_start().len());
        let root = self.tree.roots_at(Span::new(at, at + 1)).last()?.node;
        let mut first = root.descendant_for_byte_range(at, at + 1)?;
        while let Some(up) = first.parent()
            && up.start_byte() == at
            && self.language.typing.gives(up.kind()).is_some()
        {
            first = up;
        }
        Some(self.type_of(first)?.ty)
    }

    /// The types of several expressions, and how sure they are together.
    fn all_of(&self, nodes: impl Iterator<Item = Node<'a>>) -> (Vec<Ty>, Certainty) {
        let mut says = Certainty::Certain;
        let one = |n| match self.type_of(n) {
            Some(told) => {
                says = says.min(told.says);
                told.ty
            }
            None => Ty::Unknown,
        };
        let all = nodes.map(one).collect();
        (all, says)
    }

    /// What a block gives: its last expression.
    fn tail(&self, block: Node<'a>) -> Option<TypeAnswer> {
        let last = named(block).into_iter().next_back()?;
        if last.kind() == self.language.writing.expression_statement {
            // With its sign it gives nothing.
            let text = span(last).of(self.text);
            let plain = last.named_child(0).filter(|_| !text.ends_with(';'));
            return self.type_of(plain?);
        }
        self.type_of(last)
    }

    pub(super) fn tail_of(&self, node: Node<'a>) -> Option<TypeAnswer> {
        if self.language.typing.branching.blocks.contains(&node.kind()) {
            return self.tail(node);
        }
        if self.language.typing.gives(node.kind()).is_some() {
            return self.type_of(node);
        }
        // A branch wraps its block.
        self.tail_of(named(node).into_iter().next_back()?)
    }

    /// What an expression gives when it is used in a way that has a name of its own: waited for, gone through.
    pub(crate) fn passed(&self, of: &TypeAnswer, how: &str) -> Option<TypeAnswer> {
        if let (Ty::Tuple(items), "[]") = (&of.ty, how) {
            return Some(TypeAnswer { ty: Ty::either(items.clone()), ..of.clone() });
        }
        let known = self.member(&of.ty, how)?;
        let first = known.all.first()?;
        let says = of.says.min(known.says).min(first.says);
        TypeAnswer { ty: first.gives.clone(), says, why: of.why.clone() }.known()
    }

    /// The object itself.
    fn itself(&self, node: Node<'a>, written: &str) -> Option<TypeAnswer> {
        let around = self.facts.types_at(node.start_byte() as u32).next()?;
        let ty = self.around_type(around);
        let named = written.starts_with(char::is_uppercase);
        let told = TypeAnswer::sure(if named { ty.itself() } else { ty });
        Some(told.because(self.around_text(around, written), Some(around.at)))
    }

    /// The type of an object of a type that the file declares, inside it.
    pub(crate) fn around_type(&self, t: &TypeDecl) -> Ty {
        if t.path.iter().any(String::is_empty) {
            return Ty::All(self.supers_of(t));
        }
        let own = self.declared_as(t);
        let shape = own.first().and_then(|own| self.shape(own));
        let args = shape.map_or(Vec::new(), |s| s.params.clone());
        let inside = t.span.end.saturating_sub(1);
        let known = |p: String| self.type_param(&p, inside).unwrap_or(Ty::Param(p, None));
        let args = args.into_iter().map(known).collect();
        Ty::Of { symbols: own, args, named: false }
    }

    fn around_text(&self, t: &TypeDecl, written: &str) -> String {
        let name = t.path.join(self.language.names.separator);
        if t.supers.is_empty() || name.is_empty() {
            return format!("`{written}` is of the type on line {{line}}");
        }
        let supers: Vec<String> = t.supers.iter().map(|s| format!("`{}`", s.0)).collect();
        format!("`{name}` is built on {} (line {{line}})", supers.join(" and "))
    }

    /// The object as one of what its type is built on.
    fn base(&self, node: Node<'a>) -> Option<TypeAnswer> {
        let at = node.start_byte() as u32;
        let around = self.facts.types_at(at).next()?;
        let all = self.supers_of(around);
        let told = TypeAnswer::sure(Ty::All(all));
        Some(told.because(self.around_text(around, "super"), Some(around.at)))
    }

    /// The type that is written in a node.
    pub(crate) fn written(&self, node: Node<'a>) -> Ty {
        let at = node.start_byte() as u32;
        let mut text = span(node).of(self.text).trim();
        // An annotation of a type begins with its sign.
        for sign in [":", "->", "is "] {
            text = text.strip_prefix(sign).unwrap_or(text).trim();
        }
        let inner = text.strip_prefix('<').and_then(|t| t.strip_suffix('>'));
        let bare = !self.language.typing.syntax.qualified;
        self.read(inner.filter(|_| bare).unwrap_or(text), at)
    }

    /// Reads the value of a name as a type; nothing where the name is being read already, or too far down.
    pub(super) fn aliased(&self, at: u32, read: impl FnOnce() -> Ty) -> Option<Ty> {
        let typing = &self.typing;
        let depth = typing.depth.get();
        if depth >= FAR || typing.aliases.borrow().contains(&at) {
            return None;
        }
        typing.aliases.borrow_mut().push(at);
        typing.depth.set(depth + 1);
        let found = read();
        typing.depth.set(depth);
        typing.aliases.borrow_mut().pop();
        Some(found)
    }

    /// The type that a text at a place says.
    pub(crate) fn read(&self, text: &str, at: u32) -> Ty {
        let names = &self.language.names;
        let typing = &self.language.typing;
        read_type(typing, names, text, &|name| {
            if self.language.declares.hints.own.contains(&name) {
                let around = self.facts.types_at(at).next();
                return around.map_or(Ty::Unknown, |t| self.around_type(t));
            }
            let path: Vec<&str> = name.split(names.separator).collect();
            if let [single] = path.as_slice()
                && let Some(param) = self.type_param(single, at)
            {
                return param;
            }
            let mut symbols = self.candidates(&path, Space::Type, at);
            if symbols.is_empty() {
                return Ty::Unknown;
            }
            if self.language.typing.built_in.value_aliases && symbols == path {
                // A variable at the top of the file.
                let alias = self.value_alias(&names.join(&[&self.facts.module, name]));
                if let Some(alias) = alias {
                    return self.unaliased(alias, DEPTH);
                }
            }
            self.told_first(&mut symbols);
            let ty = Ty::Of { symbols, args: Vec::new(), named: false };
            self.unaliased(ty, DEPTH)
        })
    }

    /// Of several types that a name may stand for, the one that is told of comes first.
    pub(super) fn told_first(&self, symbols: &mut [String]) {
        let told = |s: &String| self.project.learned(self.language, s).is_some();
        if symbols.len() > 1
            && let Some(at) = symbols.iter().position(told)
        {
            symbols[..=at].rotate_right(1);
        }
    }

    /// What an alias stands for, with its arguments.
    fn unaliased(&self, ty: Ty, depth: usize) -> Ty {
        let Some(symbol) = ty.symbols().first().filter(|_| depth > 0) else { return ty };
        match self.shape(symbol).and_then(|s| s.alias.clone()) {
            Some(Ty::Unknown) | None => ty,
            Some(alias) => self.unaliased(alias, depth - 1),
        }
    }

    /// A parameter of types that is known at a place.
    pub(crate) fn type_param(&self, name: &str, at: u32) -> Option<Ty> {
        let declared = self.facts.lookup(name, &[Space::Type], at);
        if let Some(d) = declared {
            if self.facts.type_named_at(d.at).is_some() {
                return None;
            }
            let leaf = self.leaf(d.at)?;
            // What it is built on stands after it.
            let holder = leaf.parent()?;
            let behind = &self.text[leaf.end_byte()..holder.end_byte().max(leaf.end_byte())];
            let bound = behind.trim_start().trim_start_matches("extends").trim_start_matches(':');
            let bound = bound.trim();
            let plain = !bound.is_empty() && !bound.starts_with(['=', ',', '>']);
            let mut bounds: Vec<&str> = plain.then_some(bound).into_iter().collect();
            bounds.extend(self.bounds_apart(name, leaf));
            // What a bound names may be bound by the parameter itself.
            let inner = self.typing.bounding.replace(true);
            let mut all: Vec<Ty> = match inner {
                true => Vec::new(),
                false => bounds.into_iter().map(|b| self.read(b, d.at.start)).collect(),
            };
            self.typing.bounding.set(inner);
            let bound = match all.len() {
                0 => None,
                1 => all.pop().map(Box::new),
                _ => Some(Box::new(Ty::All(all))),
            };
            return Some(Ty::Param(name.to_owned(), bound));
        }
        let makers = self.language.typing.calls.param_makers;
        if makers.is_empty() {
            return None;
        }
        let made = self.facts.lookup(name, &[Space::Value], at).filter(|d| d.top)?;
        let (_, node, rule) = self.introduced(made.at)?;
        let value = span(node.child_by_field_name(rule.value)?).of(self.text);
        let (maker, given) = value.split_once('(')?;
        let maker = maker.rsplit('.').next()?.trim();
        makers.contains(&maker).then(|| {
            let given = at_top(given.trim_end().trim_end_matches(')'), ',');
            let bound = given.into_iter().find_map(|g| {
                let (key, value) = g.split_once('=')?;
                (key.trim() == "bound").then_some(value.trim().trim_matches(['"', '\'']))
            });
            let inner = self.typing.bounding.replace(true);
            let bound = bound.filter(|_| !inner).map(|b| Box::new(self.read(b, made.at.start)));
            self.typing.bounding.set(inner);
            Ty::Param(name.to_owned(), bound)
        })
    }

    /// What a clause of its own says that a parameter of types is built on.
    fn bounds_apart(&self, name: &str, declared: Node<'a>) -> Vec<&'a str> {
        let typing = &self.language.typing;
        let mut item = declared;
        for _ in 0..4 {
            let Some(up) = item.parent().filter(|_| !typing.bounds.is_empty()) else {
                return Vec::new();
            };
            let listed = typing.type_params.contains(&item.kind());
            item = up;
            if listed {
                break;
            }
        }
        let mut out = Vec::new();
        let inner = children(item).into_iter().flat_map(|c| {
            let mut own = vec![c];
            // A clause holds the bounds of several; no body does.
            if c.child_by_field_name("body").is_none() && c.child_count() < 64 {
                own.extend(children(c));
            }
            own
        });
        for node in inner {
            let Some((_, of, bounds)) = typing.bounds.iter().find(|b| b.0 == node.kind()) else {
                continue;
            };
            if part(node, of).is_some_and(|n| span(n).of(self.text) == name)
                && let Some(first) = part(node, bounds)
            {
                let all = Span::new(first.start_byte(), node.end_byte()).of(self.text);
                let parts = at_top(all.trim_start_matches(':'), ',').into_iter().map(str::trim);
                // A word of the language says what kind of type it is, and names none.
                let named =
                    |b: &&str| !self.language.names.reserved.contains(b) && !b.ends_with("()");
                out.extend(parts.filter(named));
            }
        }
        out
    }

    /// The smallest node that covers a place exactly.
    pub(crate) fn leaf(&self, at: Span) -> Option<Node<'a>> {
        let root = self.tree.roots_at(at).last()?.node;
        let leaf = root.descendant_for_byte_range(at.start as usize, at.end as usize)?;
        (span(leaf) == at).then_some(leaf)
    }

    /// The rule that introduces the name at a place, and the node that it is about.
    pub(crate) fn introduced(
        &self,
        at: Span,
    ) -> Option<(Node<'a>, Node<'a>, &'static crate::language::Intro)> {
        let leaf = self.leaf(at)?;
        let mut child = leaf;
        for _ in 0..12 {
            let node = child.parent()?;
            for rule in self.language.typing.intros_of(node.kind()) {
                let held = if rule.name.is_empty() {
                    child.is_named()
                } else if rule.name.contains('/')
                    || rule.name.starts_with(|c: char| c.is_ascii_digit())
                {
                    part(node, rule.name).is_some_and(|n| span(n).contains(at))
                } else {
                    let mut cursor = node.walk();
                    node.children_by_field_name(rule.name, &mut cursor)
                        .any(|n| span(n).contains(at))
                };
                if held {
                    let rest = node.parent().and_then(|up| {
                        let mut rules = self.language.typing.intros_of(up.kind());
                        Some((up, rules.find(|r| r.origin == crate::language::Origin::Rest)?))
                    });
                    let (node, rule) = rest.unwrap_or((node, rule));
                    return Some((leaf, node, rule));
                }
            }
            child = node;
        }
        None
    }

    /// Fills what stands for the parameters of a type.
    pub(crate) fn arguments_of(&self, symbol: &str, args: &[Ty]) -> HashMap<String, Ty> {
        let Some(shape) = self.shape(symbol) else { return HashMap::new() };
        shape.params.iter().cloned().zip(args.iter().cloned()).collect()
    }
}

/// The parts of a text between marks that stand in no brackets.
fn at_top(text: &str, mark: char) -> Vec<&str> {
    let (mut out, mut depth, mut from) = (Vec::new(), 0_i32, 0);
    for (i, c) in text.char_indices() {
        match c {
            '(' | '[' | '{' | '<' => depth += 1,
            ')' | ']' | '}' | '>' => depth -= 1,
            c if c == mark && depth == 0 => {
                out.push(&text[from..i]);
                from = i + mark.len_utf8();
            }
            _ => {}
        }
    }
    out.push(&text[from..]);
    out
}

/// One of several types: sure only where all are known.
pub(super) fn one_of(all: Vec<Option<TypeAnswer>>) -> Option<TypeAnswer> {
    let told: Vec<TypeAnswer> = all.iter().flatten().cloned().collect();
    let says = told.iter().map(|t| t.says).min()?;
    let whole = told.len() == all.len();
    let why = told.iter().find_map(|t| t.why.clone());
    // In an order of their own: which of them was met first may depend on who asked.
    let ty = match Ty::either(told.into_iter().map(|t| t.ty)) {
        Ty::Either(mut all) => {
            all.sort_by(|a, b| a.symbols().cmp(b.symbols()));
            Ty::Either(all)
        }
        one => one,
    };
    let told = TypeAnswer { ty, says, why };
    Some(if whole { told } else { told.at_most(Certainty::Unsure) })
}
