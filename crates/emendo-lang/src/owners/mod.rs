//! Whose member is it? Told by the object itself, by static names, and by the types that variables and members are
//! declared or made with.

mod local;
mod passed;
mod visible;

use emendo_text::Span;

pub use local::OwnName;
pub use passed::{KnownCall, KnownCalls};
pub use visible::Visible;

use crate::facts::{TypeDecl, Word};
use crate::ground::{Certainty, Fact};
use crate::language::Space;
use crate::resolver::Resolver;
use crate::ty::{Ty, TypeAnswer};

/// Whose member a word names.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Owner {
    /// It is a member of the type that was asked for, or of one that is built on it.
    Is(Vec<Fact>),
    /// It is a member of something else.
    Not,
    /// It is one of several types, and a member of only some of them.
    Partly(Fact),
    /// Nothing tells; the fact says what is not known.
    Unknown(Fact),
}

impl Resolver<'_> {
    /// Does a word that stands for a member name one of `owner`? `packages` are those of the library: a type of it
    /// that is not known may be built on `owner`.
    pub fn member_of(
        &self,
        word: &Word,
        text: &str,
        owner: &dyn Fn(&str) -> bool,
        packages: &[String],
    ) -> Owner {
        let name = word.span.of(text);
        let Some(receiver) = word.receiver else {
            if let Some(expected) = self.of_expected(word, owner, packages) {
                return expected;
            }
            return if word.space == Space::Declared {
                self.declared_member(word, owner)
            } else {
                self.implied(word, name, owner)
            };
        };
        if let Some(t) = self.facts.type_named_at(receiver).filter(|_| word.key) {
            let name = t.path.join(self.language.names.separator);
            return self.related(&self.around(t), t, owner, packages, &name);
        }
        if word.key
            && let Some(answer) = self.as_argument(word, receiver, owner)
        {
            return answer;
        }
        if self.facts.literals.contains(&receiver) {
            // What a recipe tells of the language's own types may be meant, nothing else.
            let told = self.type_at(receiver);
            let shown = crate::tree::shown(self.tree, receiver, text);
            let owner = told.map(|told| self.decide(&told, owner, packages, &shown));
            return owner.filter(|o| matches!(o, Owner::Is(_))).unwrap_or(Owner::Not);
        }
        let types = &self.language.declares;
        let written = receiver.of(text).trim_end_matches(['?', '!']);
        let compact = without_arguments(written);
        let shown = crate::tree::shown(self.tree, receiver, text);
        let at = word.span.start;
        if types.hints.base.contains(&compact.as_str()) {
            let Some(around) = self.facts.types_at(at).next() else { return Owner::Not };
            return self.related(&self.around(around), around, owner, packages, &compact);
        }
        if types.hints.own.contains(&compact.as_str()) {
            let Some(around) = self.facts.types_at(at).next() else {
                return Owner::Unknown(unknown(&compact));
            };
            return self.related(&self.around(around), around, owner, packages, &compact);
        }
        // Where paths are written otherwise than members, a variable cannot stand before one.
        let names = &self.language.names;
        let between = Span { start: receiver.end, end: word.span.start.max(receiver.end) }.of(text);
        if names.paths_apart && between.trim() == names.separator {
            if written.starts_with('<') {
                let told = TypeAnswer::sure(self.read(written, at));
                return self.decide(&told, owner, packages, &shown);
            }
            let path = segments(&compact, names.separator);
            if let [single] = path.as_slice()
                && let Some(param @ Ty::Param(_, Some(_))) = self.type_param(single, at)
            {
                return self.decide(&TypeAnswer::sure(param), owner, packages, &shown);
            }
            let symbols = self.candidates(&path, Space::Type, at);
            return match self.descends(&symbols, owner) {
                Some(_) => {
                    let text = format!("`{}` is `{}`", compact, symbols[0]);
                    Owner::Is(vec![Fact { says: Certainty::Certain, text, at: None }])
                }
                None => Owner::Not,
            };
        }
        let told = self.type_at(receiver).or_else(|| {
            let written = self.leaf(receiver).map(|n| self.written(n))?;
            Some(TypeAnswer::sure(written)).filter(|_| word.key)?.known()
        });
        match told {
            Some(told) => self.decide(&told, owner, packages, &shown),
            None => Owner::Unknown(unknown(&shown)),
        }
    }

    /// True for the name of an argument, which names a member only where the parameter sets that.
    pub fn is_argument(&self, word: &Word) -> bool {
        let pair = self.leaf(word.span).and_then(|l| l.parent());
        let rules = self.language.declares.keys;
        pair.is_some_and(|p| rules.iter().any(|k| k.argument && k.pair == p.kind()))
    }

    /// Whose member an argument names, by the name of a parameter that sets it; none for what is no such argument.
    fn as_argument(
        &self,
        word: &Word,
        receiver: Span,
        owner: &dyn Fn(&str) -> bool,
    ) -> Option<Owner> {
        let pair = self.leaf(word.span)?.parent()?;
        let rules = self.language.declares.keys;
        rules.iter().find(|k| k.argument && k.pair == pair.kind())?;
        let mut call = pair;
        while self.callee_rule(call).is_none() {
            call = call.parent()?;
            // A pattern that takes a value apart.
            if rules.iter().any(|k| !k.argument && k.around == call.kind()) {
                return None;
            }
        }
        let name = word.span.of(self.text);
        let fact = |says: Certainty| Fact {
            says,
            text: format!("an argument sets the member `{name}` of what is made"),
            at: None,
        };
        if let Some((known, _)) = self.callee(call)
            && let Some((one, _)) = self.choose(&known, call)
        {
            let all = one.params.iter().flatten();
            let sets = all.filter(|p| p.name.as_deref() == Some(name)).any(|p| p.sets);
            let made = one.gives.symbols();
            let of = if made.is_empty() { std::slice::from_ref(&known.owner) } else { made };
            let is = sets && self.descends(of, owner).is_some();
            return Some(if is { Owner::Is(vec![fact(Certainty::Certain)]) } else { Owner::Not });
        }
        // Labels are names of their own.
        if self.language.names.labels {
            return Some(Owner::Not);
        }
        // What a library declares: most often its parameter is called like the member.
        let base = self.language.declares.hints.base.contains(&receiver.of(self.text));
        let around = || Some(self.around(self.facts.types_at(word.span.start).next()?));
        let symbols = match base {
            true => around()?,
            false => match self.type_at(receiver).map(|t| t.ty) {
                Some(Ty::Of { symbols, named: true, .. }) => symbols,
                _ => return Some(Owner::Not),
            },
        };
        Some(match self.descends(&symbols, owner) {
            Some(_) => Owner::Is(vec![fact(Certainty::Likely)]),
            None => Owner::Not,
        })
    }

    /// Whose member a word is that stands for one of the type expected there; none where it is no such word.
    fn of_expected(
        &self,
        word: &Word,
        owner: &dyn Fn(&str) -> bool,
        packages: &[String],
    ) -> Option<Owner> {
        let kinds = self.language.words.expected_members;
        kinds.first()?;
        let node = self.leaf(word.span)?.parent().filter(|n| kinds.contains(&n.kind()))?;
        let shown = crate::tree::shown(self.tree, crate::tree::span(node), self.text);
        // A call of it is what is expected.
        let whole = node.parent().filter(|p| self.callee_rule(*p).is_some()).unwrap_or(node);
        Some(match self.expected_at(whole) {
            Some((ty, _, says)) => {
                let told = TypeAnswer { ty, says, why: None };
                self.decide(&told, owner, packages, &shown)
            }
            None => Owner::Unknown(unknown(&shown)),
        })
    }

    /// The name of a member where it is declared.
    fn declared_member(&self, word: &Word, owner: &dyn Fn(&str) -> bool) -> Owner {
        let Some(t) = self.facts.owner_of(word.span) else { return Owner::Not };
        let around = self.around(t);
        if self.overloads_only(t, word.span) {
            return Owner::Not;
        }
        match self.descends(&around, owner) {
            Some(chain) => Owner::Is(vec![self.inherits(t, &chain, "declares it")]),
            None => Owner::Not,
        }
    }

    /// True for a member that overrides nothing: what its type is built on has others of the name, which take other
    /// things.
    fn overloads_only(&self, t: &TypeDecl, at: Span) -> bool {
        if !self.language.typing.calls.overloads {
            return false;
        }
        let name = at.of(self.text);
        let told: Vec<_> = self.supers_of(t).iter().filter_map(|s| self.member(s, name)).collect();
        let all = || told.iter().flat_map(|k| &k.all);
        let Some((_, node, _)) = self.introduced(at) else { return false };
        let own = self.takes(node);
        let differs = |m: &crate::ty::MemberType| {
            let Some(params) = &m.params else { return false };
            if self.language.names.labels {
                // What is required may say its types in words of its own.
                let labels = |all: &[crate::ty::Takes]| {
                    all.iter().map(|p| p.name.clone()).collect::<Vec<_>>()
                };
                return labels(params) != labels(&own);
            }
            let apart = |(a, b): (&crate::ty::Takes, &crate::ty::Takes)| {
                self.fits(&a.ty, &b.ty) == Some(false) && self.fits(&b.ty, &a.ty) == Some(false)
            };
            params.len() != own.len() || own.iter().zip(params).any(apart)
        };
        all().next().is_some() && all().all(differs)
    }

    /// A member of a type around, named without the object.
    fn implied(&self, word: &Word, name: &str, owner: &dyn Fn(&str) -> bool) -> Owner {
        let at = word.span.start;
        let by_name = || {
            let declared = self.facts.lookup(name, &[Space::Value], at);
            declared.is_some_and(|d| self.facts.owner_of(d.at).is_some())
        };
        // A parameter that declares a member is one and the other.
        if self.language.names.members_need_receiver && !by_name() {
            return Owner::Not;
        }
        let spaces: &[Space] =
            if word.space == Space::Callable { &[Space::Callable] } else { &[Space::Value] };
        let declared = self.facts.lookup(name, spaces, at);
        let local = declared.filter(|d| self.facts.owner_of(d.at).is_none());
        if local.is_some() {
            return Owner::Not;
        }
        for t in self.facts.types_at(at) {
            if let Some(chain) = self.descends(&self.around(t), owner) {
                return Owner::Is(vec![self.inherits(t, &chain, "has it")]);
            }
            if t.members_called(name).next().is_some() {
                return Owner::Not;
            }
        }
        Owner::Not
    }

    /// The symbols of a type of the file, and of what it is built on.
    pub(crate) fn around(&self, t: &TypeDecl) -> Vec<String> {
        let names = &self.language.names;
        let mut out = self.declared_as(t);
        for (written, at) in &t.supers {
            let path: Vec<&str> = written.split(names.separator).collect();
            out.extend(self.candidates(&path, Space::Type, at.start));
        }
        out
    }

    /// The symbols that a declaration may be of: of several only where it extends what stands elsewhere.
    pub(crate) fn declared_as(&self, t: &TypeDecl) -> Vec<String> {
        if !t.extends {
            return vec![self.own_name(t)];
        }
        let separator = self.language.names.separator;
        let path: Vec<&str> = t.path.iter().flat_map(|p| p.split(separator)).collect();
        self.candidates(&path, Space::Type, t.span.start)
    }

    fn inherits(&self, t: &TypeDecl, chain: &[String], how: &str) -> Fact {
        let name = t.path.join(self.language.names.separator);
        let name = if name.is_empty() { "the type without a name".to_owned() } else { name };
        let more: Vec<String> = chain
            .iter()
            .filter_map(|c| self.told_elsewhere(c))
            .filter(|c| !c.starts_with(&format!("`{name}`")))
            .collect();
        let through =
            if more.is_empty() { String::new() } else { format!(", {}", more.join(", ")) };
        let text = if t.supers.is_empty() {
            format!("`{name}`, line {{line}}, {how}{through}")
        } else {
            let supers: Vec<String> = t.supers.iter().map(|s| format!("`{}`", s.0)).collect();
            format!("`{name}` is built on {} (line {{line}}){through}", supers.join(" and "))
        };
        // A name that may stand for several types tells less.
        let several = t.supers.iter().any(|(written, at)| {
            let path: Vec<&str> = written.split(self.language.names.separator).collect();
            self.candidates(&path, Space::Type, at.start).len() > 1
        });
        let says = if several && !self.language.names.sure_wildcards {
            Certainty::Likely
        } else {
            Certainty::Certain
        };
        Fact { says, text, at: Some(t.at) }
    }

    /// A type of another file, in words.
    fn told_elsewhere(&self, symbol: &str) -> Option<String> {
        let names = &self.language.names;
        let info = self.project.type_of(symbol)?;
        let path = info.path.as_ref()?;
        let supers: Vec<String> =
            info.supers.iter().filter_map(|s| s.first()).map(|s| format!("`{s}`")).collect();
        let last = names.last(symbol);
        (!supers.is_empty()).then(|| {
            format!("`{last}` is built on {} ({path}:{})", supers.join(" and "), info.line)
        })
    }

    fn related(
        &self,
        around: &[String],
        t: &TypeDecl,
        owner: &dyn Fn(&str) -> bool,
        packages: &[String],
        written: &str,
    ) -> Owner {
        if let Some(chain) = self.descends(around, owner) {
            return Owner::Is(vec![self.inherits(t, &chain, &format!("is what `{written}` is"))]);
        }
        // Built on another type of the library, which may be built on the wanted one.
        match self.of_library(around, packages) {
            Some(other) => Owner::Unknown(Fact {
                says: Certainty::Unsure,
                text: format!("whether `{other}` has it is not known"),
                at: Some(t.at),
            }),
            None => Owner::Not,
        }
    }

    fn of_library<'s>(&self, symbols: &'s [String], packages: &[String]) -> Option<&'s String> {
        let names = &self.language.names;
        let own = |s: &str| {
            let package = names.parent(s);
            self.project.type_of(s).is_some()
                || self.project.holds(self.language, &package, names.last(s))
                || self.is_module(&[package])
                || self.project.learned(self.language, s).is_some()
        };
        symbols.iter().find(|s| {
            !own(s)
                && packages.iter().any(|p| {
                    // `org` and its like are no library's own.
                    let root = names.package(p);
                    let root = if root.len() <= 3 { p } else { &root };
                    crate::ground::below(s, root).is_some()
                })
        })
    }

    fn decide(
        &self,
        told: &TypeAnswer,
        owner: &dyn Fn(&str) -> bool,
        packages: &[String],
        written: &str,
    ) -> Owner {
        match &told.ty {
            Ty::Of { symbols, named, .. } => {
                self.decide_named(told, symbols, *named, owner, packages, written)
            }
            Ty::Param(_, Some(bound)) => {
                let told = TypeAnswer { ty: (**bound).clone(), ..told.clone() };
                self.decide(&told, owner, packages, written)
            }
            Ty::All(all) | Ty::Either(all) => {
                let whole = matches!(told.ty, Ty::Either(_));
                let each: Vec<Owner> = all
                    .iter()
                    .map(|t| TypeAnswer { ty: t.clone(), ..told.clone() })
                    .map(|t| self.decide(&t, owner, packages, written))
                    .collect();
                let is = each.iter().find(|o| matches!(o, Owner::Is(_)));
                let not = each.iter().any(|o| !matches!(o, Owner::Is(_)));
                match is {
                    Some(_) if whole && not => {
                        let text = format!(
                            "`{written}` is {}, one of which has it",
                            told.ty.shown(self.language)
                        );
                        Owner::Partly(Fact { says: Certainty::Unsure, text, at: None })
                    }
                    Some(is) => is.clone(),
                    None => {
                        let unknown = each.into_iter().find(|o| matches!(o, Owner::Unknown(_)));
                        unknown.unwrap_or(Owner::Not)
                    }
                }
            }
            Ty::Unknown | Ty::Itself | Ty::Param(_, None) => Owner::Unknown(unknown(written)),
            Ty::Function { .. } | Ty::Tuple(_) | Ty::Object(_) | Ty::Nothing => Owner::Not,
        }
    }

    fn decide_named(
        &self,
        told: &TypeAnswer,
        symbols: &[String],
        named: bool,
        owner: &dyn Fn(&str) -> bool,
        packages: &[String],
        written: &str,
    ) -> Owner {
        let names = &self.language.names;
        if let Some(chain) = self.descends(symbols, owner) {
            let shown = names.last(&symbols[0]);
            let mut fact = told.why.clone().unwrap_or(Fact {
                says: told.says,
                text: format!("`{written}` is a `{shown}`"),
                at: None,
            });
            fact.says = fact.says.min(told.says);
            // It may be one of several that the name may stand for.
            fact.says = fact.says.min(self.sure_of(&told.ty));
            let more: Vec<String> = chain.iter().filter_map(|c| self.told_elsewhere(c)).collect();
            if !more.is_empty() {
                fact.text = format!("{}; {}", fact.text, more.join(", "));
            }
            return Owner::Is(vec![fact]);
        }
        // A type that is told of is meant, where its name may stand for others too.
        let told_of = |s: &&String| self.project.learned(self.language, s).is_some();
        let meant = symbols.first().filter(told_of).map_or(symbols, std::slice::from_ref);
        match self.of_library(meant, packages) {
            // The name of another type stands there itself.
            Some(other) if named && other.ends_with(written) => Owner::Not,
            Some(other) => Owner::Unknown(Fact {
                says: Certainty::Unsure,
                text: format!("`{written}` is a `{other}`; whether that has it is not known"),
                at: None,
            }),
            None if symbols.is_empty() => Owner::Unknown(unknown(written)),
            None => match self.brought(symbols, owner, packages) {
                Some(module) => Owner::Unknown(Fact {
                    says: Certainty::Unsure,
                    text: format!(
                        "`{written}` is a `{}`, which `{module}` may pass on",
                        names.last(&symbols[0])
                    ),
                    at: None,
                }),
                None => Owner::Not,
            },
        }
    }

    /// The module of another library that brings all of its names in, and may pass on the type that is meant.
    fn brought(
        &self,
        symbols: &[String],
        owner: &dyn Fn(&str) -> bool,
        packages: &[String],
    ) -> Option<String> {
        self.language.modules.as_ref()?;
        let names = &self.language.names;
        let last = names.last(symbols.first()?);
        packages.iter().find(|p| owner(&names.join(&[p.as_str(), last])))?;
        let unknown = |m: &String| {
            !self.project.has_module(self.language, m)
                && self.project.learned(self.language, m).is_none()
        };
        let all = self.facts.imports.iter().filter(|i| i.wildcard).map(|i| i.path().to_owned());
        let mut all = all.filter(unknown);
        all.find(|m| symbols.iter().any(|s| names.parent(s) == *m))
    }

    pub(crate) fn is_module(&self, symbols: &[String]) -> bool {
        symbols.iter().any(|s| self.project.has_module(self.language, s))
    }
}

/// A dotted name without blanks and type arguments; other code up to a length that tells it.
fn without_arguments(written: &str) -> String {
    let compact: String = written.chars().filter(|c| !c.is_whitespace()).take(300).collect();
    if !compact.contains('<') || compact.contains(['(', '"', '[']) {
        return compact;
    }
    crate::types::plain_path(&compact).into_owned()
}

fn segments<'s>(path: &'s str, separator: &str) -> Vec<&'s str> {
    path.split([':', '.']).filter(|s| !s.is_empty() && *s != separator).collect()
}

fn unknown(written: &str) -> Fact {
    let text = format!("the type of `{written}` is not known");
    Fact { says: Certainty::Unsure, text, at: None }
}
