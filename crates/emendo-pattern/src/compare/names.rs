//! Whether the names of a pattern are meant where they stand.

use emendo_lang::Fact;
use emendo_lang::language::{Language, Space};
use emendo_lang::tree::Node;
use emendo_lang::tree::{part, span, walk_cursor};
use emendo_text::Span;

use crate::compare::{Child, Matcher};
use crate::found::NameUse;
use crate::model::{Inner, PNode, PatternToken};

impl<'p, 't> Matcher<'p, 't> {
    pub(crate) fn name(&mut self, ix: usize, token: usize, space: Space, node: Node<'t>) -> bool {
        let Some(path) = path_words(self.language(), node, self.text) else {
            return self.loaded(ix, token, node);
        };
        if space == Space::Member {
            return self.extension(ix, token, node);
        }
        if path.len() == 1 && self.is_no_reference(node) {
            return self.qualified(ix, token, space, node);
        }
        let def = &self.pattern.names[ix];
        let at = node.start_byte() as u32;
        let Some((fact, symbol)) = self
            .any_spelling(&path, space, at, &def.symbol, &def.also)
            .or_else(|| self.inherited(span(node), &def.symbol, &def.also))
        else {
            return false;
        };
        let names = &self.language().names;
        let full = path.len() > 1
            && (names.whole_paths() && path[0].is_empty() || names.segments(&symbol) == path);
        self.state.facts.push(fact);
        self.state.names.push(NameUse { symbol, span: span(node), full, last_only: false });
        self.state.tokens[token] = Some(span(node));
        true
    }

    /// A member of a module that is loaded right before the dot.
    fn loaded(&mut self, ix: usize, token: usize, node: Node<'t>) -> bool {
        let language = self.language();
        let Some((_, receiver, name)) = language.words.member(node.kind()) else { return false };
        let (Some(receiver), Some(name)) = (part(node, receiver), part(node, name)) else {
            return false;
        };
        let before = span(receiver).of(self.text).trim_start_matches('(').trim_start();
        let before = before.strip_prefix("await ").unwrap_or(before).trim_start();
        let loads = language.exports.loads.iter().filter(|l| l.ends_with('('));
        let Some(call) = { loads }.find_map(|l| before.strip_prefix(l)) else { return false };
        let module = call.trim_end_matches(')').trim().trim_matches(['"', '\'', '`']);
        if module.is_empty() || module.contains(['"', '\'', '(', '`', '$']) {
            return false;
        }
        let symbol = language.names.join(&[module, span(name).of(self.text)]);
        let def = &self.pattern.names[ix];
        if def.symbol != symbol && !def.also.contains(&symbol) {
            return false;
        }
        let text = format!("`{module}` is loaded right here");
        self.state.facts.push(Fact { says: emendo_lang::Certainty::Certain, text, at: None });
        let at = span(name);
        self.state.names.push(NameUse { symbol, span: at, full: false, last_only: true });
        self.state.tokens[token] = Some(at);
        true
    }

    /// A name behind its package, where the package belongs to what stands around: `a.Name<T>`.
    fn qualified(&mut self, ix: usize, token: usize, space: Space, node: Node<'t>) -> bool {
        let at = span(node);
        let words = self.resolver.facts.words(at.of(self.text));
        let Some(word) = words.iter().find(|w| w.span == at) else { return false };
        let begins = if word.path_start < at.start { Some(word.path_start) } else { None };
        let Some(start) = begins.or(word.receiver.map(|r| r.start)) else { return false };
        let names = &self.language().names;
        let whole = Span { start, end: at.end }.of(self.text);
        let inside = whole.strip_prefix(names.root).filter(|_| !names.root.is_empty());
        let whole = inside.map_or(whole, |r| r.trim_start_matches(':'));
        let path: Vec<&str> = whole.split(names.separator).map(str::trim).collect();
        let plain = |p: &&str| p.chars().all(|c| c.is_alphanumeric() || c == '_');
        if path.len() < 2 || !path.iter().all(plain) {
            return false;
        }
        let def = &self.pattern.names[ix];
        let Some((fact, symbol)) =
            self.any_spelling(&path, space, at.start, &def.symbol, &def.also)
        else {
            return false;
        };
        self.state.facts.push(fact);
        self.state.names.push(NameUse { symbol, span: at, full: true, last_only: true });
        self.state.tokens[token] = Some(at);
        true
    }

    /// A member that its package gives to types of others: the package is imported, and the object has none of its own.
    fn extension(&mut self, ix: usize, token: usize, node: Node<'t>) -> bool {
        let at = span(node);
        let def = &self.pattern.names[ix];
        let names = &self.language().names;
        let name = at.of(self.text);
        let all = std::iter::once(&def.symbol).chain(&def.also);
        let Some(symbol) = all.into_iter().find(|s| names.last(s) == name) else { return false };
        let package = names.parent(symbol);
        let Some(fact) = self.resolver.opens(&package, at.start) else { return false };
        let words = self.resolver.facts.words(name);
        let receiver = words.iter().find(|w| w.span == at).and_then(|w| w.receiver);
        if receiver.is_some_and(|r| self.resolver.has_member(r, name)) {
            return false;
        }
        self.state.facts.push(fact);
        let symbol = symbol.clone();
        self.state.names.push(NameUse { symbol, span: at, full: false, last_only: true });
        self.state.tokens[token] = Some(at);
        true
    }

    /// True for a word that stands for a type, or that may do so before a dot, where all names of packages are known.
    fn is_type_or_holder(&self, node: Node<'t>) -> bool {
        let at = span(node);
        let words = self.resolver.facts.words(at.of(self.text));
        let typed = words.iter().any(|w| w.span == at && w.space == Space::Type);
        let holds = || {
            let behind = self.text[at.end as usize..].trim_start();
            behind.starts_with(self.language().names.separator)
                && self.resolver.facts.imports.iter().any(|i| i.wildcard && !i.is_static)
        };
        typed || !self.language().imports.packages.is_empty() && holds()
    }

    /// True for a name after a dot, or the name of a declaration, a label, a key.
    fn is_no_reference(&self, node: Node<'t>) -> bool {
        let words = self.resolver.facts.words(span(node).of(self.text));
        let i = words.partition_point(|w| w.span.start < span(node).start);
        words.get(i).is_some_and(|w| {
            w.span == span(node) && matches!(w.space, Space::Member | Space::Declared)
        })
    }

    /// Does the path mean a symbol under any of its names? Gives the fact and the name that fits.
    fn any_spelling(
        &self,
        path: &[&str],
        space: Space,
        at: u32,
        symbol: &str,
        also: &[String],
    ) -> Option<(Fact, String)> {
        let all = std::iter::once(symbol).chain(also.iter().map(String::as_str));
        all.into_iter().find_map(|s| Some((self.resolver.means(path, space, at, s)?, s.to_owned())))
    }

    /// A member of what the type around is built on, called without an object or on the object itself.
    fn inherited(&self, at: Span, symbol: &str, also: &[String]) -> Option<(Fact, String)> {
        let names = &self.language().names;
        let hints = &self.language().declares.hints;
        let written = at.of(self.text);
        let mark = names.written_mark();
        let last = written.rsplit(mark).next().unwrap_or(written).trim();
        let object = written[..written.len() - last.len()].trim_end_matches(mark).trim();
        let own = hints.own.contains(&object) || hints.base.contains(&object);
        if !(object.is_empty() || own) {
            return None;
        }
        let name = Span { start: at.end - last.len() as u32, end: at.end };
        let word = self.resolver.facts.words(last).iter().find(|w| w.span == name)?;
        std::iter::once(symbol).chain(also.iter().map(String::as_str)).find_map(|s| {
            let owner = names.parent(s);
            if names.last(s) != last || owner.is_empty() {
                return None;
            }
            let itself = names.of_type_itself(s);
            if itself.is_some_and(|itself| self.resolver.is_on_other_side(word, itself)) {
                return None;
            }
            match self.resolver.member_of(word, self.text, &|o| o == owner, &[]) {
                emendo_lang::Owner::Is(facts) => Some((facts.into_iter().next()?, s.to_owned())),
                _ => None,
            }
        })
    }

    /// `Type.member` where the code says `member`, or the other way round.
    pub(crate) fn by_symbol(&mut self, p: &PNode, inner: &Inner, node: Node<'t>) -> bool {
        let Some(member) = &inner.symbol else { return false };
        let names = &self.language().names;
        let at = node.start_byte() as u32;
        let is_word = self.language().words.kinds.iter().any(|(k, _)| *k == node.kind());
        if self.language().words.member(p.kind).is_some() && is_word {
            if self.is_no_reference(node) || self.is_type_or_holder(node) {
                return false;
            }
            let word = span(node).of(self.text);
            let Some((fact, symbol)) =
                self.any_spelling(&[word], Space::Value, at, &member.symbol, &member.also)
            else {
                return false;
            };
            return self.found(fact, &symbol, member.name_token, span(node), false);
        }
        let Some((_, receiver, name)) = self.language().words.call(p.kind) else { return false };
        let Some(called) = part(node, name).filter(|_| node.kind() == p.kind) else {
            return false;
        };
        let has_receiver = part(node, receiver);
        let (path, space, place) = match has_receiver {
            None => (vec![span(called).of(self.text)], Space::Callable, span(called)),
            Some(r) => {
                let Some(mut path) = path_words(self.language(), r, self.text) else {
                    return false;
                };
                path.push(span(called).of(self.text));
                (path, Space::Value, span(r).hull(span(called)))
            }
        };
        let own = || self.inherited(place, &member.symbol, &member.also);
        let Some((fact, symbol)) =
            self.any_spelling(&path, space, at, &member.symbol, &member.also).or_else(own)
        else {
            return false;
        };
        let full = names.segments(&symbol) == path;
        self.found(fact, &symbol, member.name_token, place, full);
        let callee = |f: Option<&str>| f == Some(receiver) || f == Some(name);
        let rest: Vec<&PNode> = inner
            .children
            .iter()
            .filter(|c| {
                !callee(c.field)
                    && !matches!(&c.what, PatternToken::Leaf(t, _) if t == names.separator)
            })
            .collect();
        let items: Vec<Child<'t>> = self
            .significant(node)
            .into_iter()
            .filter(|(n, f)| !callee(*f) && n.kind() != names.separator)
            .collect();
        rest.len() == items.len()
            && rest.iter().zip(items).all(|(p, (n, _))| self.node(p, n, false))
    }

    fn found(&mut self, fact: Fact, symbol: &str, token: usize, at: Span, full: bool) -> bool {
        self.state.facts.push(fact);
        let symbol = symbol.to_owned();
        self.state.names.push(NameUse { symbol, span: at, full, last_only: false });
        self.state.tokens[token] = Some(at);
        true
    }

    /// The words of a name; that of a type without its arguments.
    fn type_name(&self, mut node: Node<'t>) -> Option<Vec<&'p str>> {
        loop {
            if let Some(path) = path_words(self.language(), node, self.text) {
                return Some(path);
            }
            let forms = self.language().fragments.forms;
            let is_type =
                |(form, kinds): &(&str, &[&str])| *form == "type" && kinds.contains(&node.kind());
            node = node.named_child(0).filter(|_| forms.iter().any(is_type))?;
        }
    }

    pub(crate) fn means_any(&mut self, symbols: &[String], node: Node<'t>) -> bool {
        let Some(path) = self.type_name(self.language().core(node)) else { return false };
        let separator = self.language().names.separator;
        let space = self
            .language()
            .words
            .kinds
            .iter()
            .find(|w| w.0 == node.kind())
            .map_or(Space::Value, |w| w.1);
        let at = node.start_byte() as u32;
        for wanted in symbols {
            let glob = wanted.strip_suffix("**").or_else(|| wanted.strip_suffix('*'));
            // `a.b.*` is every name directly below, `a.b.**` all below: what the code may mean completes it.
            let below = |symbol: &String| {
                let rest = glob.and_then(|prefix| symbol.strip_prefix(prefix));
                rest.is_some_and(|r| {
                    !r.is_empty() && (wanted.ends_with("**") || !r.contains(separator))
                })
            };
            let meant: Vec<String> = match glob {
                None => vec![wanted.clone()],
                Some(prefix) => {
                    let mut meant = self.resolver.candidates(&path, space, at);
                    meant.retain(below);
                    // A wildcard import, or a name in full, says it only when it is asked for.
                    let last = path.last().map(|last| format!("{prefix}{last}"));
                    let known = last.filter(|l| !meant.contains(l));
                    meant.extend(known);
                    meant
                }
            };
            for symbol in meant {
                if let Some(fact) = self.resolver.means(&path, space, at, &symbol) {
                    self.state.facts.push(fact);
                    return true;
                }
            }
        }
        false
    }
}

/// The segments of a dotted name; `None` for anything else.
pub(crate) fn path_words<'a>(
    language: &Language,
    node: Node<'_>,
    text: &'a str,
) -> Option<Vec<&'a str>> {
    let names = &language.names;
    let is_word = |n: Node<'_>| language.words.kinds.iter().any(|(k, _)| *k == n.kind());
    if is_word(node) {
        return Some(vec![span(node).of(text)]);
    }
    if !language.words.paths.contains(&node.kind()) {
        return None;
    }
    let mut words = Vec::new();
    let mut plain = true;
    if names.whole_paths() && span(node).of(text).starts_with(names.separator) {
        words.push("");
    }
    walk_cursor(
        node,
        |c| {
            let n = c.node();
            if n.is_extra() || !plain {
                return false;
            }
            if n.child_count() == 0 {
                if is_word(n) {
                    words.push(span(n).of(text));
                } else {
                    plain &= n.kind() == names.separator;
                }
                return false;
            }
            plain &= language.words.paths.contains(&n.kind());
            plain
        },
        |_| {},
    );
    plain.then_some(words)
}
