//! Whose member is it? Told by the object itself, by static names, and by the types that variables and members are
//! declared or made with.

use emendo_text::Span;

use super::{Certainty, Fact, Resolver};
use crate::facts::{Hint, Tells, TypeDecl, Word};
use crate::language::Space;

/// How far variables are followed to what they are the same as.
const DEPTH: usize = 6;

/// Whose member a word names.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Owner {
    /// It is a member of the type that was asked for, or of one that is built on it.
    Is(Vec<Fact>),
    /// It is a member of something else.
    Not,
    /// Nothing tells; the fact says what is not known.
    Unknown(Fact),
}

/// What is known of the thing before a dot.
struct Thing {
    /// The symbols that its type may be; for a name of a type or module, its own.
    symbols: Vec<String>,
    facts: Vec<Fact>,
    /// It is the name of a type or module itself, and no object.
    named: bool,
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
            return if word.space == Space::Declared {
                self.declared_member(word, owner)
            } else {
                self.implied(word, name, owner)
            };
        };
        if self.facts.literals.contains(&receiver) {
            return Owner::Not;
        }
        let types = &self.language.names.types;
        let written = receiver.of(text).trim_end_matches(['?', '!']);
        let compact = without_arguments(written);
        let at = word.span.start;
        if types.base.contains(&compact.as_str()) {
            let Some(around) = self.facts.types_at(at).next() else { return Owner::Not };
            return self.related(&self.around(around), around, owner, packages, &compact);
        }
        if types.own.contains(&compact.as_str()) {
            let Some(around) = self.facts.types_at(at).next() else {
                return Owner::Unknown(unknown(&compact));
            };
            return self.related(&self.around(around), around, owner, packages, &compact);
        }
        let plain = !compact.is_empty()
            && compact
                .chars()
                .all(|c| c.is_alphanumeric() || matches!(c, '_' | '.' | ':' | '$' | '@'));
        if !plain {
            return match self.made_at(receiver, text) {
                Some(thing) => self.decide(thing, owner, packages, &compact),
                None => Owner::Unknown(unknown(&compact)),
            };
        }
        let names = &self.language.names;
        let path = segments(&compact, names.separator);
        // Where paths are written otherwise than members, a variable cannot stand before one.
        let between = Span { start: receiver.end, end: word.span.start.max(receiver.end) }.of(text);
        if names.separator != "." && between.trim() == names.separator {
            let symbols = self.candidates(&path, Space::Type, at);
            return match self.project.descends(&symbols, owner) {
                Some(_) => {
                    let text = format!("`{}` is `{}`", compact, symbols[0]);
                    Owner::Is(vec![Fact { says: Certainty::Certain, text, at: None }])
                }
                None => Owner::Not,
            };
        }
        match self.thing(&path, at, DEPTH) {
            Some(thing) => self.decide(thing, owner, packages, &compact),
            None => Owner::Unknown(unknown(&compact)),
        }
    }

    /// The name of a member where it is declared.
    fn declared_member(&self, word: &Word, owner: &dyn Fn(&str) -> bool) -> Owner {
        let holds = |t: &&TypeDecl| t.members.iter().any(|m| m.at == word.span);
        let Some(t) = self.facts.types.iter().rev().find(holds) else { return Owner::Not };
        let around = self.around(t);
        match self.project.descends(&around, owner) {
            Some(chain) => Owner::Is(vec![self.inherits(t, &chain, "declares it")]),
            None => Owner::Not,
        }
    }

    /// A member of a type around, named without the object.
    fn implied(&self, word: &Word, name: &str, owner: &dyn Fn(&str) -> bool) -> Owner {
        if self.language.names.members_need_receiver {
            return Owner::Not;
        }
        let at = word.span.start;
        let spaces: &[Space] =
            if word.space == Space::Callable { &[Space::Callable] } else { &[Space::Value] };
        let declared = self.facts.lookup(name, spaces, at);
        let local = declared
            .filter(|d| !self.facts.types.iter().any(|t| t.members.iter().any(|m| m.at == d.at)));
        if local.is_some() {
            return Owner::Not;
        }
        for t in self.facts.types_at(at) {
            if let Some(chain) = self.project.descends(&self.around(t), owner) {
                return Owner::Is(vec![self.inherits(t, &chain, "has it")]);
            }
            if t.members.iter().any(|m| m.name == name) {
                return Owner::Not;
            }
        }
        Owner::Not
    }

    /// The symbols of a type of the file, and of what it is built on.
    fn around(&self, t: &TypeDecl) -> Vec<String> {
        let names = &self.language.names;
        let mut out = if t.extends {
            let path: Vec<&str> = t.path.iter().flat_map(|p| p.split(names.separator)).collect();
            self.candidates(&path, Space::Type, t.span.start)
        } else {
            vec![self.own_name(t)]
        };
        for (written, at) in &t.supers {
            let path: Vec<&str> = written.split(names.separator).collect();
            out.extend(self.candidates(&path, Space::Type, at.start));
        }
        out
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
        if let Some(chain) = self.project.descends(around, owner) {
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
        };
        symbols.iter().find(|s| {
            !own(s)
                && packages.iter().any(|p| {
                    let root = names.package(p);
                    let root = if root.is_empty() { p } else { &root };
                    super::below(s, root).is_some()
                })
        })
    }

    fn decide(
        &self,
        thing: Thing,
        owner: &dyn Fn(&str) -> bool,
        packages: &[String],
        written: &str,
    ) -> Owner {
        if let Some(chain) = self.project.descends(&thing.symbols, owner) {
            let mut facts = thing.facts;
            if thing.symbols.len() > 1 && !self.language.names.sure_wildcards {
                // It is one of several that the name may stand for.
                facts.iter_mut().for_each(|f| f.says = f.says.min(Certainty::Likely));
            }
            let told: Vec<String> = chain.iter().filter_map(|c| self.told_elsewhere(c)).collect();
            match (facts.last_mut(), told.is_empty()) {
                (Some(last), false) => last.text = format!("{}; {}", last.text, told.join(", ")),
                (None, false) => {
                    facts.push(Fact { says: Certainty::Certain, text: told.join(", "), at: None });
                }
                _ => {}
            }
            return Owner::Is(facts);
        }
        match self.of_library(&thing.symbols, packages) {
            // The name of another type stands there itself.
            Some(other) if thing.named && other.ends_with(written) => Owner::Not,
            Some(other) => Owner::Unknown(Fact {
                says: Certainty::Unsure,
                text: format!("`{written}` is a `{other}`; whether that has it is not known"),
                at: None,
            }),
            None if thing.symbols.is_empty() => Owner::Unknown(unknown(written)),
            None => Owner::Not,
        }
    }

    /// An object that is made right before the dot: `new Station(1).open()`.
    fn made_at(&self, receiver: Span, text: &str) -> Option<Thing> {
        let mut receiver = receiver;
        let made = loop {
            if let Some(made) = self.facts.made.get(&receiver) {
                break made;
            }
            let written = receiver.of(text);
            let inner = written.strip_prefix('(')?.strip_suffix(')')?;
            let lead = (inner.len() - inner.trim_start().len()) as u32;
            let start = receiver.start + 1 + lead;
            receiver = Span { start, end: start + inner.trim().len() as u32 };
        };
        let mut thing = self.told(made, receiver.start, DEPTH, "")?;
        let text = match made.how {
            Tells::Called => format!("`{}` is called right here", made.path),
            _ => format!("a `{}` is made right here", made.path),
        };
        thing.facts.iter_mut().for_each(|f| f.text.clone_from(&text));
        Some(thing)
    }

    /// What a dotted name before a dot stands for.
    fn thing(&self, path: &[&str], at: u32, depth: usize) -> Option<Thing> {
        let names = &self.language.names;
        let first = *path.first().filter(|_| depth > 0)?;
        let mut used = 1;
        let outer =
            path.split_last().filter(|(l, head)| names.types.own.contains(*l) && !head.is_empty());
        let mut thing = if let Some((_, outer)) = outer {
            // The object of a type around: `Outer.this`.
            used = path.len();
            Thing {
                symbols: self.candidates(outer, Space::Type, at),
                facts: Vec::new(),
                named: false,
            }
        } else if names.types.own.contains(&first) {
            let around = self.facts.types_at(at).next()?;
            Thing { symbols: self.around(around), facts: Vec::new(), named: false }
        } else {
            let declared = self.facts.lookup(first, &[Space::Value, Space::Member], at);
            let variable = declared
                .filter(|d| d.space == Space::Value || !names.members_need_receiver)
                .filter(|d| self.imported_at(first, Space::Value, at).is_none() || !d.top);
            match variable {
                Some(v) => {
                    if self.facts.told_apart(first, v.scope)
                        && v.hint.is_some_and(|h| h.how != Tells::Declared)
                    {
                        return None;
                    }
                    self.variable(first, v.hint?, v.at, depth)?
                }
                None => {
                    // A name of a type, a module, or a member of a type around.
                    let inherited = || {
                        let types =
                            self.facts.types_at(at).filter(|_| !names.members_need_receiver);
                        types.flat_map(|t| self.around(t)).find_map(|s| {
                            let info = self.project.type_of(&s)?;
                            let told = info.members.get(first)?.clone();
                            let text = format!(
                                "`{first}` is declared in `{s}` with this type ({}:{})",
                                info.path.as_ref()?,
                                info.line
                            );
                            let fact = Fact { says: Certainty::Certain, text, at: None };
                            Some(Thing { symbols: told, facts: vec![fact], named: false })
                        })
                    };
                    match inherited() {
                        Some(thing) => thing,
                        None => {
                            used = path.len();
                            let symbols = self.candidates(path, Space::Value, at);
                            if symbols.is_empty() {
                                return None;
                            }
                            let imported = self.imported_at(first, Space::Value, at);
                            let fact = imported.filter(|i| !i.global).map(|i| Fact {
                                says: Certainty::Certain,
                                text: format!("`{first}` is imported on line {{line}}"),
                                at: Some(i.span),
                            });
                            // A value that is imported is no type: nothing tells what it is.
                            let value = imported.is_some()
                                && path.len() == 1
                                && !looks_like_type(first)
                                && !symbols.iter().any(|s| self.project.type_of(s).is_some())
                                && !self.is_module(&symbols);
                            if value {
                                return Some(Thing { symbols, facts: vec![], named: false });
                            }
                            let fact = fact.unwrap_or_else(|| Fact {
                                says: Certainty::Certain,
                                text: format!(
                                    "`{}` is `{}`",
                                    path.join(names.separator),
                                    symbols[0]
                                ),
                                at: None,
                            });
                            Thing { symbols, facts: vec![fact], named: true }
                        }
                    }
                }
            }
        };
        for name in &path[used..] {
            thing = self.part(thing, name)?;
        }
        Some(thing)
    }

    fn is_module(&self, symbols: &[String]) -> bool {
        symbols.iter().any(|s| self.project.module_file(self.language, s).is_some())
    }

    /// The type of a member of a thing.
    fn part(&self, thing: Thing, name: &str) -> Option<Thing> {
        // Names are put together only where their ends agree: a file may declare thousands.
        let alike = |t: &&TypeDecl| {
            let last = t.path.last().map_or("", |p| self.language.names.last(p));
            thing.symbols.iter().any(|s| s.ends_with(last))
        };
        let own = self.facts.types.iter().filter(alike);
        let here = own.filter(|t| thing.symbols.contains(&self.own_name(t)));
        for t in here {
            let member = t.members.iter().find(|m| m.name == name && m.hint.is_some());
            let Some((member, hint)) = member.and_then(|m| Some((m, m.hint.as_ref()?))) else {
                continue;
            };
            // A parameter of the same name is what most often is kept.
            let mut thing = self.told(hint, member.at.start, DEPTH - 1, "")?;
            let says = thing.facts.iter().map(|f| f.says).min().unwrap_or(Certainty::Certain);
            let text = format!("`{name}` of `{}` is declared on line {{line}}", t.path.join("."));
            thing.facts = vec![Fact { says, text, at: Some(member.at) }];
            return Some(thing);
        }
        thing.symbols.iter().find_map(|s| {
            let info = self.project.type_of(s)?;
            let told = info.members.get(name).filter(|m| !m.is_empty())?.clone();
            let mut facts = thing.facts.clone();
            facts.push(Fact {
                says: Certainty::Certain,
                text: format!(
                    "`{name}` of `{s}` is declared with this type ({}:{})",
                    info.path.as_ref()?,
                    info.line
                ),
                at: None,
            });
            Some(Thing { symbols: told, facts, named: false })
        })
    }

    /// What a hint tells of a variable.
    fn variable(&self, name: &str, hint: &Hint, at: Span, depth: usize) -> Option<Thing> {
        let mut thing = self.told(hint, at.start, depth, name)?;
        let article = match hint.how {
            Tells::Declared => format!("`{name}` is declared `{}` on line {{line}}", hint.path),
            Tells::Made => format!("`{name}` is made as a `{}` on line {{line}}", hint.path),
            Tells::Called => format!("`{name}` is what `{}` gives on line {{line}}", hint.path),
            Tells::Same => format!("`{name}` is `{}` on line {{line}}", hint.path),
        };
        let says = thing.facts.iter().map(|f| f.says).min().unwrap_or(Certainty::Certain);
        thing.facts = vec![Fact { says, text: article, at: Some(at) }];
        Some(thing)
    }

    fn told(&self, hint: &Hint, at: u32, depth: usize, name: &str) -> Option<Thing> {
        let names = &self.language.names;
        if depth == 0 {
            return None;
        }
        let path = segments(&hint.path, names.separator);
        let known = |symbols: Vec<String>, says: Certainty| {
            let fact = Fact { says, text: String::new(), at: None };
            (!symbols.is_empty()).then(|| Thing { symbols, facts: vec![fact], named: false })
        };
        match hint.how {
            Tells::Declared | Tells::Made => {
                if names.types.own.contains(&hint.path.as_str()) {
                    let around = self.facts.types_at(at).next()?;
                    return known(self.around(around), Certainty::Certain);
                }
                known(self.candidates(&path, Space::Type, at), Certainty::Certain)
            }
            Tells::Same if path == [name] => None,
            Tells::Same => self.thing(&path, at, depth - 1),
            Tells::Called => self.result(&path, at, depth),
        }
    }

    /// What a function of a type around gives, where another file declares it.
    fn inherited_result(&self, name: &str, at: u32) -> Option<Thing> {
        let here = |t: &TypeDecl| t.members.iter().any(|m| m.name == name);
        let around = self.facts.types_at(at).take_while(|t| !here(t));
        around.flat_map(|t| self.around(t)).find_map(|s| {
            let info = self.project.type_of(&s)?;
            let told = info.members.get(name).filter(|m| !m.is_empty())?.clone();
            let text =
                format!("`{name}` of `{s}` gives it ({}:{})", info.path.as_ref()?, info.line);
            let fact = Fact { says: Certainty::Certain, text, at: None };
            Some(Thing { symbols: told, facts: vec![fact], named: false })
        })
    }

    /// The type of what a call gives.
    fn result(&self, path: &[&str], at: u32, depth: usize) -> Option<Thing> {
        let names = &self.language.names;
        let likely = |symbols: Vec<String>| {
            let fact = Fact { says: Certainty::Likely, text: String::new(), at: None };
            (!symbols.is_empty()).then(|| Thing { symbols, facts: vec![fact], named: false })
        };
        // A function of an object gives what it is declared to give.
        if let [object @ .., name] = path
            && !object.is_empty()
            && let Some(thing) = self.thing(object, at, depth - 1)
            && let Some(told) = self.part(thing, name)
        {
            return Some(told);
        }
        if let [name] = path
            && !names.members_need_receiver
            && let Some(told) = self.inherited_result(name, at)
        {
            return Some(told);
        }
        let own = match path {
            [name] => self.facts.lookup(name, &[Space::Callable, Space::Value], at),
            _ => None,
        };
        if let Some(own) = own {
            let hint = own.hint.filter(|h| h.how == Tells::Declared)?;
            return self.told(hint, own.at.start, depth - 1, "");
        }
        if names.types.made_below {
            // A function below a type most often makes one.
            let (_, head) = path.split_last()?;
            if head.last().is_some_and(|h| looks_like_type(h)) {
                if names.types.own.contains(head.last()?) {
                    return likely(self.around(self.facts.types_at(at).next()?));
                }
                return likely(self.candidates(head, Space::Type, at));
            }
            return None;
        }
        let symbols = self.candidates(path, Space::Value, at);
        let is_type = path.last().is_some_and(|l| looks_like_type(l))
            || symbols.iter().any(|s| self.project.type_of(s).is_some());
        is_type.then(|| likely(symbols)).flatten()
    }
}

/// A dotted name without blanks and type arguments; other code up to a length that tells it.
fn without_arguments(written: &str) -> String {
    let compact: String = written.chars().filter(|c| !c.is_whitespace()).take(300).collect();
    if !compact.contains('<') || compact.contains(['(', '"', '[']) {
        return compact;
    }
    let mut depth = 0u32;
    let mut out = String::new();
    for c in compact.chars() {
        match c {
            '<' => depth += 1,
            '>' => depth = depth.saturating_sub(1),
            _ if depth == 0 => out.push(c),
            _ => {}
        }
    }
    out.replace("::::", "::")
}

fn looks_like_type(word: &str) -> bool {
    word.trim_start_matches('_').starts_with(char::is_uppercase)
}

fn segments<'s>(path: &'s str, separator: &str) -> Vec<&'s str> {
    path.split([':', '.']).filter(|s| !s.is_empty() && *s != separator).collect()
}

fn unknown(written: &str) -> Fact {
    let mut shown: String = written.chars().take(40).collect();
    if shown.len() < written.len() {
        shown.push('…');
    }
    Fact { says: Certainty::Unsure, text: format!("the type of `{shown}` is not known"), at: None }
}
