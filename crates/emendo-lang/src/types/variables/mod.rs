//! What the type of a variable is: by its declaration, its value, what it is taken from, and tests around a use.

mod documented;
mod narrowing;

use crate::tree::Node;
use emendo_text::Span;

use crate::facts::Declared;
use crate::ground::Certainty;
use crate::language::{Gives, Intro, Origin, Space, TypePart};
use crate::resolver::Resolver;
use crate::tree::in_line;
use crate::tree::span;
use crate::tree::{in_field, named, part};
use crate::ty::{Ty, TypeAnswer};

/// How many assignments of a variable are looked at.
pub(crate) const ASSIGNED: usize = 16;

impl<'a> Resolver<'a> {
    /// The type of what a name stands for.
    pub(super) fn name(&self, node: Node<'a>) -> Option<TypeAnswer> {
        let written = span(node).of(self.text);
        let at = node.start_byte() as u32;
        if written.len() > 300 {
            return None;
        }
        let names = &self.language.names;
        let path: Vec<&str> = written.split(names.separator).map(str::trim).collect();
        if let [name] = path.as_slice() {
            if let Some(told) = self.narrowed(node, name) {
                return Some(told);
            }
            if let Some(told) = self.called_by_name(name, node) {
                return told;
            }
            if let Some(told) = self.numbered_parameter(name, node) {
                return Some(told);
            }
            let mark = names.variable_mark;
            let marked = self.text[..node.start_byte()].ends_with(mark);
            if let Some(own) = self.variable_at(name, at).filter(|_| marked) {
                let told = self.variable(name, node, &own)?;
                return Some(self.without_excluded(told, node, name));
            }
            if !mark.is_empty() && marked {
                return self.documented_variable(name, at);
            }
            if !names.members_need_receiver
                && let Some(told) = self.implied_member(name, at)
            {
                return Some(told);
            }
        } else if self.variable_at(path[0], at).is_some() {
            return None;
        }
        self.meaning(&path, at)
    }

    /// A parameter that is called by its number, of the closure around that declares none.
    fn numbered_parameter(&self, name: &str, node: Node<'a>) -> Option<TypeAnswer> {
        let sign = Some(self.language.typing.calls.numbered).filter(|s| !s.is_empty())?;
        let place = name.strip_prefix(sign)?.parse().ok()?;
        let mut around = node.parent()?;
        while !self.is_function(around) {
            around = around.parent()?;
        }
        if self.parameters_of(around).is_some() {
            return None;
        }
        let (ty, says) = self.expected_param(around, place)?;
        let text = format!("`{name}` is what the closure on line {{line}} is called with");
        let why = Some(Span::at(around.start_byte()));
        TypeAnswer { ty, says, why: None }.because(text, why).known()
    }

    /// What a function gives whose name by itself calls it; the outer none for what is no such function.
    fn called_by_name(&self, name: &str, node: Node<'a>) -> Option<Option<TypeAnswer>> {
        let at = node.start_byte() as u32;
        if !self.language.typing.bare_calls
            || !name.starts_with(|c: char| c.is_lowercase() || c == '_')
        {
            return None;
        }
        let calls = &self.language.typing.calls;
        if name == calls.maker && self.is_on_type(span(node)) {
            let around = self.facts.types_at(at).next()?;
            return Some(TypeAnswer::sure(self.around_type(around)).known());
        }
        match self.variable_at(name, at) {
            Some(own) => {
                let rule = self.introduced(own.at)?.2;
                (rule.origin == Origin::Function).then(|| self.called_name(node, node))
            }
            None => Some(Some(self.called_name(node, node)?)),
        }
    }

    /// The variable of a name that is visible at a place, unless an import makes the name known.
    fn variable_at(&self, name: &str, at: u32) -> Option<Declared<'a>> {
        let names = &self.language.names;
        let declared = self.known_at(name, &[Space::Value, Space::Member], at);
        let declared =
            declared.filter(|d| d.space == Space::Value || !names.members_need_receiver)?;
        // What has a mark of its own is never what an import makes known.
        let imported = names.variable_mark.is_empty()
            && declared.top
            && self.imported_at(name, Space::Value, at).is_some();
        // A function, or a type, is not a variable.
        let variable = self.facts.type_named_at(declared.at).is_none();
        (!imported && variable).then_some(declared)
    }

    /// What a dotted name stands for that begins with no variable: a type, a module, or a value of one.
    pub(super) fn meaning(&self, path: &[&str], at: u32) -> Option<TypeAnswer> {
        let names = &self.language.names;
        let mut symbols = self.candidates(path, Space::Value, at);
        self.told_first(&mut symbols);
        let first = symbols.first()?;
        if names.nesting && names.parent(first).is_empty() {
            // A constant at the top.
            let last = names.last(first);
            let own = self.own_types(first).into_iter().next();
            if let Some(value) = own.and_then(|t| self.constant(last, t)) {
                let told = TypeAnswer { ty: value.gives, says: value.says, why: None };
                return told
                    .because(format!("`{last}` is declared here"), own.map(|t| t.at))
                    .known();
            }
            if !last.contains(char::is_lowercase) && own.is_none() && !self.is_known_type(first) {
                return None;
            }
        }
        // A value that a module or a type declares.
        for symbol in symbols.iter().take(4) {
            let parent = names.parent(symbol);
            if parent.is_empty() || parent == *symbol {
                continue;
            }
            if let Some(known) = self.direct(&parent, names.last(symbol), true) {
                let one = known.all.first()?;
                let gives =
                    if one.params.is_some() { one.as_function() } else { one.gives.clone() };
                let text = format!("`{}` is declared in `{parent}`", names.last(symbol));
                let told = TypeAnswer { ty: gives, says: one.says, why: None };
                return told.because(text + &self.placed(one), None).known();
            }
        }
        let imported = self.imported_at(path[0], Space::Value, at);
        let known = |s: &String| self.is_known_type(s);
        let value = imported.is_some_and(|i| i.shared > 0)
            && path.len() == 1
            && !names.parent(first).is_empty()
            && !looks_like_type(path[0])
            && !symbols.iter().any(known)
            && !self.is_module(&symbols);
        if imported.is_none()
            && path.len() == 1
            && !looks_like_type(path[0])
            && !symbols.iter().any(known)
            && !self.is_module(&symbols)
        {
            return None;
        }
        let written = path.join(names.separator);
        let why = match imported.filter(|i| !i.global) {
            Some(i) => (format!("`{}` is imported on line {{line}}", path[0]), Some(i.span)),
            None => (format!("`{written}` is `{first}`"), None),
        };
        let told = TypeAnswer::sure(Ty::Of { symbols, args: Vec::new(), named: !value });
        Some(if value { told } else { told.because(why.0, why.1) })
    }

    /// True if a type of this symbol is declared in the project, or told of.
    pub(crate) fn is_known_type(&self, symbol: &str) -> bool {
        self.project.type_of(symbol).is_some_and(|t| t.declared)
            || self.project.learned(self.language, symbol).is_some()
            || self.shape(symbol).is_some_and(|s| s.declared)
    }

    /// A member of the types around, named without the object.
    fn implied_member(&self, name: &str, at: u32) -> Option<TypeAnswer> {
        for t in self.facts.types_at(at) {
            let around = self.around_type(t);
            if let Some(known) = self.member(&around, name) {
                let one = known.all.iter().find(|m| m.params.is_none())?;
                let told = TypeAnswer { ty: one.gives.clone(), says: one.says, why: None };
                let text = format!("`{name}` is declared in `{}`", known.owner);
                return told.because(text + &self.placed(one), None).known();
            }
        }
        None
    }

    /// The type of a variable where it is used.
    fn variable(&self, name: &str, use_: Node<'a>, own: &Declared<'_>) -> Option<TypeAnswer> {
        let all = self.facts.declared_again(name, own.scope);
        if all.len() < 2 {
            return self.declared_at(name, own.at);
        }
        let at = use_.start_byte() as u32;
        let typed = all.iter().find_map(|a| self.annotated(*a).map(|_| *a));
        if let Some(typed) = typed.filter(|_| !self.language.typing.reassigned) {
            let before = all.iter().rev().find(|a| a.start <= at && self.annotated(**a).is_some());
            return self.declared_at(name, *before.unwrap_or(&typed));
        }
        let reaching = self.reaching(&all, use_);
        let mut told: Vec<Option<TypeAnswer>> = Vec::new();
        for a in reaching.iter().take(ASSIGNED) {
            told.push(self.declared_at(name, *a));
        }
        if reaching.len() > ASSIGNED {
            told.push(None);
        }
        crate::types::infer::one_of(told)
    }

    /// What declares a name that is visible at a place: the value of a variable does not see the variable.
    pub(super) fn known_at(&self, name: &str, spaces: &[Space], at: u32) -> Option<Declared<'a>> {
        let declared = self.facts.lookup(name, spaces, at)?;
        if declared.top || self.is_done(declared.at, at) {
            return Some(declared);
        }
        let before = self.introduced(declared.at)?.1.start_byte() as u32;
        self.facts.lookup(name, spaces, before.checked_sub(1)?)
    }

    /// True if what introduces a name ends before a use: the value of an assignment does not see it.
    pub(crate) fn is_done(&self, a: Span, at: u32) -> bool {
        let Some((_, node, rule)) = self.introduced(a) else { return true };
        let value = in_field(node, rule.value);
        !value.is_some_and(|v| span(v).start <= at && at < span(v).end)
    }

    /// The declared type of what introduces a name.
    fn annotated(&self, at: Span) -> Option<Ty> {
        let (_, node, rule) = self.introduced(at)?;
        self.annotation(node, rule).map(|t| self.written(t)).filter(|t| *t != Ty::Unknown)
    }

    fn annotation(&self, node: Node<'a>, rule: &Intro) -> Option<Node<'a>> {
        if rule.ty.is_empty() {
            return None;
        }
        let own = part(node, rule.ty);
        let own = own.or_else(|| named(node).into_iter().find(|c| c.kind() == rule.ty));
        own.or_else(|| in_field(node.parent()?, rule.ty))
    }

    /// The type of the variable, or member, that is introduced at a place.
    pub(crate) fn declared_at(&self, name: &str, at: Span) -> Option<TypeAnswer> {
        let Some((leaf, node, rule)) = self.introduced(at) else { return self.bound_in_case(at) };
        let steps = self.steps(leaf, node);
        let told = self.introduced_type(name, at, node, rule, &steps)?;
        let mut told = told;
        for (part, child, holder) in steps.iter().rev() {
            told = self.taken_from(&told, *part, *child, *holder)?;
        }
        told.known()
    }

    fn introduced_type(
        &self,
        name: &str,
        at: Span,
        node: Node<'a>,
        rule: &Intro,
        steps: &[(TypePart, Node<'a>, Node<'a>)],
    ) -> Option<TypeAnswer> {
        let written = self.annotated_type(name, at, node, rule);
        let told = || self.documented(name, node, rule);
        match written {
            Some(written) => return Some(self.told_more(written, told)),
            None => {
                if let Some(told) = told() {
                    return Some(told);
                }
            }
        }
        let value = (!rule.value.is_empty()).then(|| value_of(node, rule.value)).flatten();
        let told = match rule.origin {
            Origin::Property if value.is_some() => self.type_of(value?)?,
            Origin::Function | Origin::Property => return self.function_at(node, rule.origin),
            Origin::Type => {
                let symbols = self.candidates(&[name], Space::Type, at.start);
                return Some(TypeAnswer::sure(Ty::Of { symbols, args: Vec::new(), named: true }));
            }
            Origin::Constant => {
                let around = self.facts.types_at(at.start).next()?;
                return Some(TypeAnswer::sure(self.around_type(around)));
            }
            Origin::EachOf(token)
                if !crate::tree::children(node).iter().any(|c| c.kind() == token) =>
            {
                return None;
            }
            Origin::Parameter | Origin::Rest => {
                if let Some(told) = self.parameter(node, at) {
                    return Some(told);
                }
                // What it is without an argument tells most often.
                let value = self.type_of(value?)?.at_most(Certainty::Likely);
                (value.ty != Ty::Nothing).then_some(value)?
            }
            Origin::Value | Origin::Matched => self.type_of(value?)?,
            Origin::Each | Origin::EachOf(_) => {
                let told = self.passed(&self.type_of(value?)?, "[]")?;
                let text = format!("`{name}` is an element of what line {{line}} goes through");
                return Some(told.because(text, Some(at)));
            }
            Origin::Opened => match self.caught(name, at, node, self.type_of(value?)?) {
                Ok(caught) => return Some(caught),
                Err(opened) => opened?,
            },
        };
        let text = self.value_in_words(name, value.filter(|_| steps.is_empty()), &told, steps);
        Some(told.because(text, Some(at)))
    }

    /// The type that a name is declared with.
    fn annotated_type(
        &self,
        name: &str,
        at: Span,
        node: Node<'a>,
        rule: &Intro,
    ) -> Option<TypeAnswer> {
        // Told apart from where the names are, of each by itself.
        let apart = || {
            let own = self.leaf(at).filter(|_| rule.origin == Origin::Parameter)?;
            own.child_by_field_name("declared")
        };
        let ty = self.annotation(node, rule).or_else(apart)?;
        let read = self.written(ty);
        if read == Ty::Unknown {
            return None;
        }
        let text = span(ty).of(self.text).trim_start_matches([':', ' ', '-', '>']);
        let text = format!("`{name}` is declared `{}` on line {{line}}", in_line(text));
        let read = match rule.origin {
            Origin::Rest => Ty::object(self.language.typing.syntax.list).with(vec![read]),
            _ => read,
        };
        Some(TypeAnswer::sure(read).because(text, Some(at)))
    }

    /// What is caught where a type is named, or several: one of it. Else what comes of opening the value.
    fn caught(
        &self,
        name: &str,
        at: Span,
        node: Node<'a>,
        value: TypeAnswer,
    ) -> Result<TypeAnswer, Option<TypeAnswer>> {
        let ty = match value.ty {
            Ty::Tuple(all) => Ty::either(all),
            ty @ Ty::Of { named: true, .. } => ty,
            _ => {
                let built_in = &self.language.typing.built_in;
                let (word, later) = built_in.opened_later;
                let waits = !word.is_empty() && self.begins_around(node, word);
                let opened = self.passed(&value, if waits { later } else { built_in.opened });
                let opened = opened.map(|o| match waits {
                    true => self.passed(&o, "await").unwrap_or(o),
                    false => o,
                });
                // Most often it is the value itself, if nothing tells.
                let own = |s: &String| {
                    self.is_declared_here(s) || self.project.type_of(s).is_some_and(|t| t.declared)
                };
                let told = value.ty.symbols().iter().any(own);
                let itself = (!told).then(|| value.at_most(Certainty::Likely));
                return Err(opened.or(itself));
            }
        };
        let text = format!("`{name}` is one of what line {{line}} names");
        Ok(TypeAnswer::sure(ty.instance()).because(text, Some(at)))
    }

    /// True if a statement around a node begins with a word.
    fn begins_around(&self, node: Node<'a>, word: &str) -> bool {
        let mut up = node.parent();
        for _ in 0..4 {
            let Some(n) = up else { return false };
            if n.child(0).is_some_and(|c| c.kind() == word) {
                return true;
            }
            up = n.parent();
        }
        false
    }

    fn is_declared_here(&self, symbol: &str) -> bool {
        self.named_type(symbol).is_some()
    }

    /// In words, why a name has the type of a value; `value` only where the name stands for the whole of it.
    fn value_in_words(
        &self,
        name: &str,
        value: Option<Node<'a>>,
        told: &TypeAnswer,
        steps: &[(TypePart, Node<'a>, Node<'a>)],
    ) -> String {
        let gives = |v: Node<'a>| self.language.typing.gives(self.language.core(v).kind());
        let text = value.map_or("", |v| span(v).of(self.text));
        match value.and_then(gives) {
            Some(Gives::Made(_)) => {
                let made = text.split(['(', '{']).next().unwrap_or(text);
                let made = made.trim().trim_start_matches("new ").trim();
                format!("`{name}` is made as a `{}` on line {{line}}", in_line(made))
            }
            Some(Gives::Call) => {
                let called = text.split('(').next().unwrap_or(text);
                format!("`{name}` is what `{}` gives on line {{line}}", in_line(called))
            }
            Some(Gives::Name) => format!("`{name}` is `{}` on line {{line}}", in_line(text)),
            _ => {
                let shown = told.ty.shown(self.language);
                if steps.is_empty() {
                    format!("`{name}` is a `{shown}` by its value on line {{line}}")
                } else {
                    format!("`{name}` is taken from a `{shown}` on line {{line}}")
                }
            }
        }
    }

    /// The type of a parameter that says none: of the object itself, or what a closure is called with.
    fn parameter(&self, node: Node<'a>, at: Span) -> Option<TypeAnswer> {
        let mut child = node;
        for _ in 0..4 {
            if let Some(list) = self.parameters_of(child) {
                let mut place = 0;
                if span(list) != at {
                    let items = named(list);
                    place = items.iter().position(|i| span(*i).contains(at))?;
                }
                let (ty, says) = self.expected_param(child, place)?;
                let text = format!(
                    "`{}` is what the closure on line {{line}} is called with",
                    at.of(self.text)
                );
                return TypeAnswer { ty, says, why: None }.because(text, Some(at)).known();
            }
            child = child.parent()?;
        }
        None
    }

    /// How a name is taken from the value that introduces it: parts, the innermost first.
    fn steps(&self, leaf: Node<'a>, node: Node<'a>) -> Vec<(TypePart, Node<'a>, Node<'a>)> {
        let parts = self.language.typing.parts;
        let mut out = Vec::new();
        let mut child = leaf;
        if let Some(p) = parts.iter().find(|p| p.0 == leaf.kind()) {
            out.push((p.1, leaf, leaf));
        }
        while let Some(up) = child.parent().filter(|u| u.id() != node.id()) {
            if let Some(p) = parts.iter().find(|p| p.0 == up.kind()) {
                out.push((p.1, child, up));
            }
            child = up;
        }
        // The node itself may be a pattern too.
        if let Some(p) = parts.iter().find(|p| p.0 == node.kind()) {
            out.push((p.1, child, node));
        }
        out
    }

    /// The type of a part of a value.
    pub(in crate::types) fn taken_from(
        &self,
        of: &TypeAnswer,
        how: TypePart,
        child: Node<'a>,
        holder: Node<'a>,
    ) -> Option<TypeAnswer> {
        // Parts without a name, as `_`, count too.
        let place = || {
            let items = crate::tree::children(holder).into_iter();
            let before = items.take_while(|i| !span(*i).contains(span(child)));
            before.filter(|i| i.kind() == ",").count()
        };
        let kept = |ty: Ty| Some(TypeAnswer { ty, ..of.clone() });
        match how {
            TypePart::Same => Some(of.clone()),
            TypePart::Value => {
                let last = named(holder).into_iter().next_back()?;
                span(last).contains(span(child)).then(|| of.clone())
            }
            TypePart::Rest => {
                let list = self.language.typing.syntax.list;
                kept(Ty::object(list).with(vec![of.ty.clone()]))
            }
            TypePart::Typed(field) => {
                let ty = self.written(part(holder, field)?);
                (ty != Ty::Unknown).then(|| TypeAnswer::sure(ty))
            }
            TypePart::Nth => match &of.ty {
                Ty::Tuple(items) => kept(items.get(place())?.clone()),
                _ => {
                    let whole = self.passed(of, "[]")?;
                    Some(TypeAnswer { why: of.why.clone(), ..whole })
                }
            },
            TypePart::Each => {
                let whole = self.passed(of, "[]")?;
                Some(TypeAnswer { why: of.why.clone(), ..whole })
            }
            TypePart::Key(field) => {
                let key = span(part(holder, field)?).of(self.text);
                self.part_of(of, key)
            }
            TypePart::Made(label) => {
                let constant = holder.prev_sibling()?.child_by_field_name("name")?;
                let known = self.member(&of.ty, span(constant).of(self.text))?;
                let params = known.all.iter().find_map(|m| m.params.as_ref())?;
                let label = child.child_by_field_name(label).map(|l| span(l).of(self.text));
                let labeled = params.iter().find(|p| label.is_some() && p.name.as_deref() == label);
                kept(labeled.or_else(|| params.get(place()))?.ty.clone())
            }
            TypePart::Named => self.part_of(of, span(child).of(self.text)),
            TypePart::Wrapped(field) => {
                let wrapper = span(part(holder, field)?).of(self.text);
                let last = wrapper.rsplit(self.language.names.separator).next()?;
                let ty = self.written(part(holder, field)?);
                if let Some(inner) = self.numbered(&ty, place()) {
                    return Some(inner);
                }
                let inner = self.passed(of, last)?;
                // A case of the project's own is a type, and not what it holds.
                let itself = inner.ty.symbols().iter().any(|s| ty.symbols().contains(s));
                (!itself).then(|| TypeAnswer { why: of.why.clone(), ..inner })
            }
        }
    }

    /// The member of a type with a number.
    fn numbered(&self, ty: &Ty, number: usize) -> Option<TypeAnswer> {
        if let Some(known) = self.member(&ty.clone().instance(), &number.to_string()) {
            let one = known.all.first()?;
            return TypeAnswer::sure(one.gives.clone()).at_most(known.says).known();
        }
        let symbol = ty.symbols().first()?.clone();
        let own = self.named_type(&symbol)?;
        let member = own.members.iter().filter(|m| m.space == Space::Value).nth(number)?;
        self.declared_at(&member.name, member.at).or_else(|| {
            let node = self.leaf_in(member.at)?;
            Some(TypeAnswer::sure(self.written(node)))
        })
    }

    fn leaf_in(&self, at: Span) -> Option<Node<'a>> {
        let node =
            self.tree.root().descendant_for_byte_range(at.start as usize, at.end as usize)?;
        (span(node) == at).then_some(node)
    }

    /// The type of a member that a value is taken apart by.
    pub(super) fn part_of(&self, of: &TypeAnswer, name: &str) -> Option<TypeAnswer> {
        let known = self.member(&of.ty, name)?;
        let one = known.all.first()?;
        let ty = if one.params.is_some() { one.as_function() } else { one.gives.clone() };
        let says = of.says.min(known.says).min(one.says);
        TypeAnswer { ty, says, why: of.why.clone() }.known()
    }
}

/// The value of what introduces a name: in a field, or the last named child.
pub(in crate::types) fn value_of<'t>(node: Node<'t>, field: &str) -> Option<Node<'t>> {
    if field == "." {
        let all = named(node);
        return (all.len() > 1).then(|| all[all.len() - 1]);
    }
    if let Some(above) = field.strip_prefix('^') {
        let mut up = node.parent();
        for _ in 0..3 {
            let n = up?;
            if let Some(found) = n.child_by_field_name(above) {
                return Some(found);
            }
            up = n.parent();
        }
        return None;
    }
    let own = part(node, field);
    own.or_else(|| node.parent().and_then(|p| in_field(p, field)))
}

/// True for a word that is written like the names of types.
pub(crate) fn looks_like_type(word: &str) -> bool {
    word.trim_start_matches('_').starts_with(char::is_uppercase)
}
