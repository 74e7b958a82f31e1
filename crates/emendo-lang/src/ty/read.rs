//! Types as they are written, read without a tree: in declarations, in quotes, in recipes, in tables.

use crate::language::{Language, Names, Syntax, Typing};
use crate::ty::{DEPTH, Ty};

/// Longest type that is looked at.
const LONGEST: usize = 4000;

/// Reads a written type. `name` tells what a dotted name stands for.
pub(crate) fn read_type(
    typing: &Typing,
    names: &Names,
    text: &str,
    name: &dyn Fn(&str) -> Ty,
) -> Ty {
    if text.len() > LONGEST {
        return Ty::Unknown;
    }
    let (separator, rooted) = (names.separator, names.whole_paths());
    Reader { typing, separator, rooted, rest: text, name, modules: false }.all()
}

/// Reads a type as recipes write it: with full symbols, modules among them.
pub(crate) fn read_notation(language: &Language, text: &str, name: &dyn Fn(&str) -> Ty) -> Ty {
    let names = &language.names;
    let modules = !names.module_separator.is_empty();
    let typing = &language.typing;
    let plain = |n: &str| name(&names.plain(n));
    let (separator, rooted) = (names.separator, names.whole_paths());
    Reader { typing, separator, rooted, rest: text, name: &plain, modules }.all()
}

struct Reader<'a> {
    typing: &'a Typing,
    separator: &'a str,
    /// A path may begin with the separator.
    rooted: bool,
    rest: &'a str,
    name: &'a dyn Fn(&str) -> Ty,
    /// Names may hold modules.
    modules: bool,
}

impl<'a> Reader<'a> {
    fn syntax(&self) -> &'a Syntax {
        &self.typing.syntax
    }

    fn all(mut self) -> Ty {
        let ty = self.whole(DEPTH);
        self.blanks();
        if self.rest.is_empty() { ty } else { Ty::Unknown }
    }

    fn blanks(&mut self) {
        loop {
            self.rest = self.rest.trim_start();
            let comment = if self.rest.starts_with("/*") { self.rest.find("*/") } else { None };
            let Some(end) = comment else { return };
            self.rest = &self.rest[end + 2..];
        }
    }

    fn take(&mut self, token: &str) -> bool {
        self.blanks();
        match self.rest.strip_prefix(token) {
            Some(rest) => {
                self.rest = rest;
                true
            }
            None => false,
        }
    }

    fn peek(&mut self) -> char {
        self.blanks();
        self.rest.chars().next().unwrap_or('\0')
    }

    fn word(&mut self) -> &'a str {
        self.blanks();
        let plain = |c: char| c.is_alphanumeric() || matches!(c, '_' | '$');
        let rest = self.rest;
        // A module's name may hold signs; a colon in it has no blank after it.
        let ends = |(i, c): &(usize, char)| {
            let next = rest[i + c.len_utf8()..].chars().next();
            let module = self.modules
                && match c {
                    '@' | '/' => true,
                    '-' | ':' => next.is_some_and(|n| plain(n) || n == '@'),
                    '.' => rest[..*i].bytes().all(|b| b == b'.') && matches!(next, Some('.' | '/')),
                    _ => false,
                };
            !(plain(*c) || module)
        };
        let end = rest.char_indices().find(ends).map_or(rest.len(), |e| e.0);
        let (word, rest) = rest.split_at(end);
        self.rest = rest;
        word
    }

    /// A type with all that is put together of several.
    fn whole(&mut self, depth: usize) -> Ty {
        if depth == 0 {
            return Ty::Unknown;
        }
        // A list of alternatives may begin with its sign.
        self.take("|");
        let mut either = vec![self.joined(depth)];
        while self.take("|") {
            either.push(self.joined(depth));
        }
        if either.len() == 1 { either.remove(0) } else { Ty::either(either) }
    }

    fn joined(&mut self, depth: usize) -> Ty {
        let mut all = vec![self.one(depth)];
        while self.peek() == '&' || (self.peek() == '+' && !self.syntax().joined.is_empty()) {
            self.rest = &self.rest[1..];
            // A lifetime says nothing.
            if self.peek() == '\'' {
                self.rest = &self.rest[1..];
                self.word();
                continue;
            }
            all.push(self.one(depth));
        }
        if all.len() == 1 { all.remove(0) } else { Ty::All(all) }
    }

    fn one(&mut self, depth: usize) -> Ty {
        let mut ty = self.head(depth);
        loop {
            self.blanks();
            if self.rest.starts_with("[]") || self.rest.starts_with("[ ]") {
                self.rest = self.rest[1..].trim_start();
                self.rest = &self.rest[1..];
                ty = self.list_of(ty);
            } else if self.takes_function() {
                ty = self.function(ty, depth);
            } else if self.rest.starts_with("...") {
                self.rest = &self.rest[3..];
                ty = self.list_of(ty);
            } else if self.rest.starts_with(['?', '!', '*']) {
                self.rest = &self.rest[1..];
            } else if self.rest.starts_with('[')
                && self.rest[1..].starts_with(|c: char| c.is_ascii_digit() || c == ',')
                && self.syntax().generic.0 != '['
            {
                // Its size.
                if !self.skip_balanced() {
                    return Ty::Unknown;
                }
                ty = self.list_of(ty);
            } else if self.rest.starts_with('[') && self.syntax().generic.0 != '[' {
                // A member of a type by key: nothing tells.
                if !self.skip_balanced() {
                    return Ty::Unknown;
                }
                ty = Ty::Unknown;
            } else {
                return ty;
            }
        }
    }

    /// Passes the word that makes a function of what it gives.
    fn takes_function(&mut self) -> bool {
        let word = self.syntax().function;
        let behind = self.rest.strip_prefix(word).filter(|_| !word.is_empty());
        let whole = behind.filter(|b| b.trim_start().starts_with(['(', '<']));
        whole.inspect(|rest| self.rest = rest).is_some()
    }

    /// A function by what it gives; its parameters may have names behind their types.
    fn function(&mut self, gives: Ty, depth: usize) -> Ty {
        if self.peek() == '<' && !self.skip_balanced() {
            return Ty::Unknown;
        }
        let Some(params) = self.list(('(', ')'), depth) else { return Ty::Unknown };
        Ty::Function { params, gives: Box::new(gives) }
    }

    fn list_of(&self, element: Ty) -> Ty {
        Ty::object(self.syntax().list).with(vec![element])
    }

    /// A type up to what is hung on it after.
    fn head(&mut self, depth: usize) -> Ty {
        if depth == 0 || !self.signs() {
            return Ty::Unknown;
        }
        match self.peek() {
            '(' => self.bracketed(depth),
            '[' => self.in_square_brackets(depth),
            '{' if self.syntax().called.is_some() => {
                self.list(('{', '}'), depth).map_or(Ty::Unknown, Ty::Tuple)
            }
            '{' => self.object(depth),
            ':' if self.syntax().called.is_some() => {
                self.rest = &self.rest[1..];
                self.word();
                Ty::object(self.typing.built_in.truth)
            }
            '<' if self.syntax().qualified => self.qualified(depth),
            quote @ ('"' | '\'' | '`') => self.quoted(quote),
            '?' => self.wildcard(depth),
            '-' | '0'..='9' => {
                self.rest = &self.rest[1..];
                self.word();
                Ty::object(self.typing.built_in.number)
            }
            _ => self.path(depth),
        }
    }

    /// Passes signs and marks that leave a type what it is; false if one of them cannot be read.
    fn signs(&mut self) -> bool {
        loop {
            let c = self.peek();
            if self.syntax().prefixes.contains(&c) {
                self.rest = &self.rest[c.len_utf8()..];
            } else if c == '\'' && self.syntax().prefixes.contains(&'&') {
                self.rest = &self.rest[1..];
                self.word();
            } else if c == '@' && !self.modules {
                self.rest = &self.rest[1..];
                self.word();
                if self.peek() == '(' && !self.skip_balanced() {
                    return false;
                }
            } else {
                return true;
            }
        }
    }

    /// An object with its members in place; of one that holds anything else nothing is known.
    fn object(&mut self, depth: usize) -> Ty {
        let whole = self.rest;
        let mut members = Vec::new();
        self.rest = &self.rest[1..];
        loop {
            while self.take(";") || self.take(",") {}
            if self.take("}") {
                return Ty::Object(members);
            }
            let mut name = self.word();
            if name == "readonly" && !matches!(self.peek(), ':' | '?') {
                name = self.word();
            }
            self.take("?");
            let known = !name.is_empty() && self.take(":");
            let ty = if known { self.whole(depth - 1) } else { Ty::Unknown };
            self.blanks();
            if !known || !self.rest.starts_with([';', ',', '}']) {
                break;
            }
            members.push((name.to_owned(), ty));
        }
        self.rest = whole;
        self.skip_balanced();
        Ty::Unknown
    }

    /// A list of an element, or several values at once.
    fn in_square_brackets(&mut self, depth: usize) -> Ty {
        let map = self.syntax().bracket_map;
        if !map.is_empty() {
            let before = self.rest;
            self.rest = &self.rest[1..];
            let key = self.whole(depth - 1);
            if self.take(":") {
                let value = self.whole(depth - 1);
                let whole = self.take("]");
                return if whole { Ty::object(map).with(vec![key, value]) } else { Ty::Unknown };
            }
            self.rest = before;
        }
        let items = self.list(('[', ']'), depth);
        match (items, self.syntax().bracket_list) {
            (Some(mut items), true) if !items.is_empty() => self.list_of(items.remove(0)),
            (Some(items), false) => Ty::Tuple(items),
            _ => Ty::Unknown,
        }
    }

    /// A type seen as one of what it is built on.
    fn qualified(&mut self, depth: usize) -> Ty {
        self.rest = &self.rest[1..];
        let own = self.whole(depth - 1);
        let all = if self.take("as ") { Ty::All(vec![own, self.whole(depth - 1)]) } else { own };
        if self.take(">") { all } else { Ty::Unknown }
    }

    /// A type in quotes, or a text that is a type.
    fn quoted(&mut self, quote: char) -> Ty {
        let Some(end) = self.rest[1..].find(quote) else { return Ty::Unknown };
        let inner = &self.rest[1..=end];
        self.rest = &self.rest[end + 2..];
        if self.syntax().quoted {
            return Reader { rest: inner, ..*self }.all();
        }
        Ty::object(self.typing.built_in.text)
    }

    /// Something of which only what it is built on is known.
    fn wildcard(&mut self, depth: usize) -> Ty {
        self.rest = &self.rest[1..];
        let before = self.rest;
        if matches!(self.word(), "extends" | "super") {
            return self.whole(depth - 1);
        }
        self.rest = before;
        Ty::Unknown
    }

    /// A type by its name, with arguments.
    fn path(&mut self, depth: usize) -> Ty {
        let full = self.rooted && self.take(self.separator);
        let mut first = self.word();
        self.blanks();
        let before = !self.rest.starts_with(['>', ',', ')', ']']) && !self.rest.is_empty();
        if before && self.syntax().dropped.contains(&first) {
            return self.one(depth - 1);
        }
        if first == "for" && self.peek() == '<' {
            self.skip_balanced();
            first = self.word();
        }
        if first.is_empty() {
            return Ty::Unknown;
        }
        let generic = self.syntax().generic;
        let mut path = if full { format!("{}{first}", self.separator) } else { first.to_owned() };
        let mut args: Option<Vec<Ty>> = None;
        loop {
            self.blanks();
            if self.peek() == generic.0 && args.is_none() {
                if generic.0 == '[' && self.is_callable(&path) {
                    return self.callable(depth);
                }
                args = self.list(generic, depth);
                if args.is_none() {
                    return Ty::Unknown;
                }
            } else if self.separated() {
                if self.peek() == generic.0 {
                    continue;
                }
                let next = self.word();
                if next.is_empty() {
                    return Ty::Unknown;
                }
                path.push_str(self.separator);
                path.push_str(next);
                args = None;
            } else {
                break;
            }
        }
        if let Some(called) = self.syntax().called {
            return self.called(&path, args, called, depth);
        }
        if self.peek() == '(' && self.is_callable(&path) {
            let Some(params) = self.list(('(', ')'), depth) else { return Ty::Unknown };
            let gives = if self.take("->") { self.one(depth - 1) } else { Ty::Nothing };
            return Ty::Function { params, gives: Box::new(gives) };
        }
        let itself = self.syntax().metatype;
        if let Some(of) = path.strip_suffix(itself).filter(|_| !itself.is_empty()) {
            return self.named(of, args.unwrap_or_default()).itself();
        }
        self.named(&path, args.unwrap_or_default())
    }

    /// A type that is written like a call; that of a module's own values is called like this, behind the module.
    fn called(
        &mut self,
        path: &str,
        args: Option<Vec<Ty>>,
        (own, around): (&str, &str),
        depth: usize,
    ) -> Ty {
        let args = match self.peek() {
            '(' => self.list(('(', ')'), depth),
            _ => args.or(Some(Vec::new())),
        };
        let braces = self.peek() == '{' && self.skip_balanced();
        let Some(args) = args else { return Ty::Unknown };
        let module = path.strip_suffix(own).and_then(|m| m.strip_suffix(self.separator));
        match module {
            Some(module) => self.named(module, args),
            None if path == own => self.named(around, args),
            // Other types of a module are its own affair.
            None if !braces && last(path, self.separator).starts_with(char::is_lowercase) => {
                let known = self.typing.built_in.primitives.iter().any(|p| p.0 == path);
                if known { self.named(path, args) } else { Ty::Unknown }
            }
            None => self.named(path, args),
        }
    }

    fn is_callable(&self, path: &str) -> bool {
        self.syntax().callables.contains(&last(path, self.separator))
    }

    /// The token between the parts of a name.
    fn separated(&mut self) -> bool {
        if "...".starts_with(self.separator) && self.rest.starts_with("...") {
            return false;
        }
        self.take(self.separator)
    }

    fn named(&self, path: &str, mut args: Vec<Ty>) -> Ty {
        let syntax = &self.typing.syntax;
        let short = last(path, self.separator);
        if syntax.nothing.contains(&path) {
            return Ty::Nothing;
        }
        if syntax.keyed.contains(&path) && args.len() == 2 {
            args.remove(0);
        }
        if let Some((_, symbol)) = self.typing.built_in.primitives.iter().find(|p| p.0 == path) {
            return Ty::object(symbol).with(args);
        }
        if syntax.through.contains(&short) && !args.is_empty() {
            return args.remove(0);
        }
        if syntax.either.contains(&short) && !args.is_empty() {
            return Ty::either(args);
        }
        if syntax.types.contains(&short) {
            return args.into_iter().next().map_or(Ty::Unknown, Ty::itself);
        }
        if syntax.tuples.contains(&short) && !args.is_empty() {
            return Ty::Tuple(args);
        }
        if let Some(d) = syntax.delegates.iter().find(|d| d.name == short) {
            let gives = if d.gives { args.pop().unwrap_or(Ty::Unknown) } else { Ty::Nothing };
            return Ty::Function { params: args, gives: Box::new(gives) };
        }
        if syntax.inferred.contains(&path) {
            return Ty::Unknown;
        }
        (self.name)(path).with(args)
    }

    /// `Callable[[A, B], R]`.
    fn callable(&mut self, depth: usize) -> Ty {
        self.rest = &self.rest[1..];
        let params = if self.peek() == '[' {
            self.list(('[', ']'), depth).unwrap_or_default()
        } else {
            self.whole(depth - 1);
            Vec::new()
        };
        let gives = if self.take(",") { self.whole(depth - 1) } else { Ty::Unknown };
        if !self.take("]") {
            return Ty::Unknown;
        }
        Ty::Function { params, gives: Box::new(gives) }
    }

    /// A type in brackets, several values at once, or a function.
    fn bracketed(&mut self, depth: usize) -> Ty {
        let Some(items) = self.list(('(', ')'), depth) else { return Ty::Unknown };
        loop {
            // What a function may do besides.
            let before = self.rest;
            let word = self.word();
            if word.is_empty() || !self.syntax().dropped.contains(&word) {
                self.rest = before;
                break;
            }
        }
        if self.take("=>") || self.take("->") {
            let gives = self.whole(depth - 1);
            return Ty::Function { params: items, gives: Box::new(gives) };
        }
        match items.len() {
            0 => Ty::Nothing,
            1 => items.into_iter().next().unwrap_or(Ty::Unknown),
            _ => Ty::Tuple(items),
        }
    }

    /// Types between brackets; names of parameters before them are passed over.
    fn list(&mut self, (open, close): (char, char), depth: usize) -> Option<Vec<Ty>> {
        self.blanks();
        self.rest = self.rest.strip_prefix(open)?;
        let mut out = Vec::new();
        loop {
            self.blanks();
            if let Some(rest) = self.rest.strip_prefix(close) {
                self.rest = rest;
                return Some(out);
            }
            // What a function is called on is not a parameter.
            let own = self.rest.strip_prefix("this").filter(|r| r.trim_start().starts_with(':'));
            let before = self.rest;
            // `name: T`, `name?: T`, `...names: T[]`, and `Item = T` of an associated type.
            self.take("...");
            self.word();
            self.take("?");
            let labelled = (self.rest.trim_start().starts_with(':')
                && !self.rest.trim_start().starts_with("::"))
                || (self.peek() == '=' && !self.rest.starts_with("=>"));
            if labelled {
                self.blanks();
                self.rest = &self.rest[1..];
            } else {
                self.rest = before;
            }
            // A lifetime is not a type.
            if self.peek() == '\'' && self.syntax().prefixes.contains(&'&') {
                self.rest = &self.rest[1..];
                self.word();
            } else {
                let was = self.rest.len();
                let ty = self.whole(depth.checked_sub(1)?);
                out.extend(own.is_none().then_some(ty));
                // The length of an array.
                if self.peek() == ';' {
                    let end = self.rest.find(close)?;
                    self.rest = &self.rest[end..];
                }
                // The name of a parameter after its type, and what it is without an argument.
                if self.peek().is_alphabetic() {
                    self.word();
                }
                if self.rest.len() == was {
                    return None;
                }
            }
            self.blanks();
            if !self.rest.starts_with(close) && !self.take(",") {
                return None;
            }
        }
    }

    /// Passes over what stands in brackets.
    fn skip_balanced(&mut self) -> bool {
        let mut depth = 0usize;
        for (i, c) in self.rest.char_indices() {
            match c {
                '(' | '[' | '{' | '<' => depth += 1,
                '>' if self.rest[..i].ends_with(['=', '-']) => {}
                ')' | ']' | '}' | '>' => {
                    depth = depth.saturating_sub(1);
                    if depth == 0 {
                        self.rest = &self.rest[i + 1..];
                        return true;
                    }
                }
                _ => {}
            }
        }
        false
    }
}

/// The last part of a dotted name.
fn last<'p>(path: &'p str, separator: &str) -> &'p str {
    path.rsplit(separator).next().unwrap_or(path)
}
