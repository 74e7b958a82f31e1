//! Keys and values of tables, checked along what may stand there.

use emendo_text::{Diagnostic, Span};

use crate::keys::{EXAMPLE, Key, MEMBER, STEP, Shape};
use crate::load::{Loader, places, slips};
use crate::value::{Entry, Node, Table, Text, Value};

/// Keys whose text a reader sees, or that other things refer to.
const NAMING: &[&str] = &["title", "name", "why", "caution", "say", "label"];

impl Loader<'_> {
    pub(crate) fn check_table(
        &mut self,
        table: &Table,
        keys: &[Key],
        place: &str,
        span: Span,
        also: &[&str],
    ) {
        self.check_keys(table, &keys.iter().collect::<Vec<_>>(), place, span, also);
    }

    pub(crate) fn check_keys(
        &mut self,
        table: &Table,
        keys: &[&Key],
        place: &str,
        span: Span,
        also: &[&str],
    ) {
        let from = self.out.len();
        self.check_each(table, keys, place, span, also);
        Diagnostic::all_about(&mut self.out[from..], "key");
    }

    fn check_each(&mut self, table: &Table, keys: &[&Key], place: &str, span: Span, also: &[&str]) {
        for e in &table.entries {
            match keys.iter().find(|k| k.name == e.key) {
                Some(key) => {
                    self.check_filled(key, e);
                    self.check_value(key, e);
                }
                None if also.contains(&e.key.as_str()) => {}
                None => self.unknown_key(e, keys, place, also),
            }
        }
        for key in keys.iter().filter(|k| k.required && table.get(k.name).is_none()) {
            let d = Diagnostic::error(format!("{place} has no `{}`", key.name), span);
            self.out.push(d.help(match key.shape {
                Shape::Words(words) => {
                    format!("`{}` is {}, one of: {}", key.name, key.about, words.join(", "))
                }
                _ => format!("`{}` is {}", key.name, key.about),
            }));
        }
    }

    fn unknown_key(&mut self, e: &Entry, keys: &[&Key], place: &str, also: &[&str]) {
        let d = Diagnostic::error(format!("{place} has no key `{}`", e.key), e.key_span);
        let homes: Vec<(String, bool)> = places(self.kinds)
            .into_iter()
            .filter(|(_, ks, _)| ks.iter().any(|k| k.name == e.key))
            .map(|(p, _, around)| (p, around))
            .collect();
        let built = keys.iter().filter(|k| !matches!(k.shape, Shape::Later)).map(|k| k.name);
        let names: Vec<&str> = built.chain(also.iter().copied()).collect();
        let listed = || format!("the keys here: {}", names.join(", "));
        let around = homes.iter().filter(|h| h.1 && h.0 != place).map(|h| h.0.as_str());
        let around: Vec<&str> = around.collect();
        let help = if let Some(meant) = slips::key_for(place, &e.key, keys) {
            format!("did you mean `{meant}`?")
        } else if !around.is_empty() && place != "the recipe" {
            let home = around.join(" or ");
            format!(
                "`{}` belongs to {home}; a key written after a sub-table's header lands in that sub-table: move it above",
                e.key
            )
        } else if let Some(meant) = slips::near(&e.key, names.iter().copied()) {
            format!("did you mean `{meant}`?")
        } else if homes.is_empty() {
            listed()
        } else {
            let homes: Vec<&str> = homes.iter().map(|h| h.0.as_str()).collect();
            format!("`{}` is a key of {}; {}", e.key, homes.join(" and "), listed())
        };
        self.out.push(d.help(help));
    }

    /// Tables and lists that hold nothing, where that says nothing.
    fn check_filled(&mut self, key: &Key, e: &Entry) {
        let (message, help) = match (key.shape, &e.node.value) {
            (Shape::Globs, Value::List(l)) if l.is_empty() => (
                format!("`{}` is an empty list: no file fits", key.name),
                "name files, or leave it out",
            ),
            (Shape::Symbols | Shape::Groups | Shape::Words(_), Value::List(l)) if l.is_empty() => (
                format!("`{}` is an empty list: it says nothing", key.name),
                "fill it in, or leave it out",
            ),
            // What a table must hold is missed by another message.
            (Shape::Table(keys), Value::Table(t))
                if t.entries.is_empty() && !keys.iter().any(|k| k.required) =>
            {
                (format!("`{}` is empty: it says nothing", key.name), "fill it in, or leave it out")
            }
            (
                Shape::Named(_) | Shape::Names | Shape::Map | Shape::Flags | Shape::Members,
                Value::Table(t),
            ) if t.entries.is_empty() => {
                (format!("`{}` is empty: it says nothing", key.name), "fill it in, or leave it out")
            }
            (Shape::Text, Value::Text(_))
                if NAMING.contains(&key.name) && e.node.span.of(self.text).len() <= 2 =>
            {
                (format!("`{}` is empty", key.name), "say it in a few words")
            }
            _ => return,
        };
        self.out.push(Diagnostic::warning(message, e.node.span).help(help));
    }

    fn check_value(&mut self, key: &Key, e: &Entry) {
        let node = &e.node;
        match (key.shape, &node.value) {
            (Shape::Later, _) => {
                let d = Diagnostic::error(format!("`{}` is not built yet", key.name), e.key_span);
                self.out.push(d.help("leave it out; the changelog will announce it"));
            }
            (Shape::Text | Shape::Pattern, Value::Text(_))
            | (Shape::Bool, Value::Bool(_))
            | (Shape::Integer, Value::Integer(_))
            | (Shape::NumbersOrAll, Value::Bool(true))
            | (Shape::Pairs, Value::List(_))
            | (Shape::Base, Value::Text(_) | Value::Table(_)) => {}
            (Shape::Numbers | Shape::NumbersOrAll, Value::List(items))
                if items.iter().all(|i| matches!(i.value, Value::Integer(n) if n > 0)) => {}
            (Shape::Regex, Value::Text(t)) => self.check_regex(t),
            (Shape::Version, Value::Text(t)) => self.check_version(t),
            (Shape::Requirement, Value::Text(t)) => self.check_requirement(t),
            (
                Shape::Globs | Shape::Texts | Shape::Symbols | Shape::Words(_),
                Value::Text(_) | Value::List(_),
            ) => self.check_list(key, node),
            (Shape::Groups, Value::Text(_) | Value::List(_)) => self.check_groups(key, node),
            (Shape::Names, Value::Table(t)) => self.check_names(t),
            (Shape::Members, Value::Table(t)) => self.check_members(t),
            (Shape::Table(keys), Value::Table(t)) => {
                self.check_table(t, keys, &format!("`{}`", key.name), node.span, &[]);
            }
            (Shape::Named(keys), Value::Table(t)) => self.check_named(key, keys, t),
            (Shape::Map, Value::Table(t)) => {
                for e in t.entries.iter().filter(|e| !matches!(e.node.value, Value::Text(_))) {
                    let message = format!("`{}.{}` must be text", key.name, e.key);
                    let d = Diagnostic::error(message, e.node.span);
                    self.out.push(match &e.node.value {
                        Value::Bool(v) => d.help(format!("write it in quotes: `\"{v}\"`")),
                        Value::Integer(v) => d.help(format!("write it in quotes: `\"{v}\"`")),
                        _ => d,
                    });
                }
            }
            (Shape::Flags, Value::Table(t)) => {
                let told = |e: &&Entry| !matches!(e.node.value, Value::Text(_) | Value::Bool(_));
                for e in t.entries.iter().filter(told) {
                    let message = format!("`{}.{}` must be text, true or false", key.name, e.key);
                    self.out.push(Diagnostic::error(message, e.node.span));
                }
            }
            (Shape::Tables(keys), Value::Table(_) | Value::List(_)) => {
                self.check_tables(key, keys, e);
            }
            (shape, other) => {
                let (expected, found) = (expected(shape), other.what());
                let message = format!("`{}` must be {expected}, not {found}", key.name);
                let d = Diagnostic::error(message, node.span);
                let example = match shape {
                    Shape::Names => ": `{ Station = \"tidewire.client.Station\" }`",
                    Shape::Pairs => ": `[[\"old\", \"new\"]]`",
                    _ => "",
                };
                self.out.push(d.help(format!("`{}` is {}{example}", key.name, key.about)));
            }
        }
    }

    /// Texts, or lists of texts.
    fn check_groups(&mut self, key: &Key, node: &Node) {
        let Value::List(items) = &node.value else { return };
        let text = |n: &Node| matches!(n.value, Value::Text(_));
        for item in items {
            let fits = match &item.value {
                Value::Text(_) => true,
                Value::List(inner) => !inner.is_empty() && inner.iter().all(text),
                _ => false,
            };
            if !fits {
                let (expected, what) = (expected(key.shape), item.value.what());
                let message = format!("`{}` must be {expected}, not hold {what}", key.name);
                let d = Diagnostic::error(message, item.span);
                self.out.push(d.help(format!("`{}` is {}", key.name, key.about)));
            }
        }
    }

    fn check_version(&mut self, t: &Text) {
        let begins = |c: char| c.is_ascii_digit() || matches!(c, 'v' | '^' | '~' | '=' | '>' | '[');
        if !t.text.starts_with(begins) {
            let d = Diagnostic::error(format!("`{}` is no version", t.text), t.span);
            self.out.push(d.help("for example `3.0.2`"));
        }
    }

    /// Tables with the same keys, under names of the author's choosing.
    fn check_named(&mut self, key: &Key, keys: &'static [Key], t: &Table) {
        for e in &t.entries {
            let place = format!("`{}.{}`", key.name, e.key);
            match &e.node.value {
                Value::Table(t) => self.check_table(t, keys, &place, e.node.span, &[]),
                other => {
                    let message = format!("{place} must be a table, not {}", other.what());
                    let d = Diagnostic::error(message, e.node.span);
                    let first = keys.first().map_or("form", |k| k.name);
                    let named = keys.iter().map(|k| k.name).collect::<Vec<_>>().join(", ");
                    self.out.push(
                        d.help(
                            format!(
                                "for example {place} = {{ {first} = \"...\" }}; its keys: {named}"
                            )
                            .replace('`', ""),
                        ),
                    );
                }
            }
        }
    }

    /// One table or several. Steps and examples are checked where they are read.
    fn check_tables(&mut self, key: &Key, keys: &'static [Key], e: &Entry) {
        if let Value::List(items) = &e.node.value {
            for item in items.iter().filter(|i| !matches!(i.value, Value::Table(_))) {
                let what = item.value.what();
                let message = format!("`{}` must hold tables, not {what}", key.name);
                self.out.push(Diagnostic::error(message, item.span));
            }
        }
        if std::ptr::eq(keys, STEP) || std::ptr::eq(keys, EXAMPLE) {
            return;
        }
        let holder = Table { entries: vec![e.clone()] };
        for (t, span) in holder.tables(&e.key) {
            self.check_table(t, keys, &format!("`{}`", key.name), span, &[]);
        }
    }

    fn check_members(&mut self, members: &Table) {
        const RESERVED: &[&str] = &["name", "extends", "exports", "members", "lang"];
        for e in &members.entries {
            let place = format!("`members.{}`", e.key);
            match &e.node.value {
                Value::Text(_) => {}
                Value::Table(t) => self.check_table(t, MEMBER, &place, e.node.span, &[]),
                Value::List(_) if RESERVED.contains(&e.key.as_str()) => {}
                other => {
                    let d = Diagnostic::error(
                        format!("{place} must be a type, not {}", other.what()),
                        e.node.span,
                    );
                    self.out.push(d.help("write the type as text; `\"\"` gives nothing"));
                }
            }
            if RESERVED.contains(&e.key.as_str()) {
                let d = Diagnostic::warning(
                    format!("`{}` is taken as a member here", e.key),
                    e.key_span,
                );
                self.out.push(d.help(
                    "a key of the library type itself stands above its `members`; quote a member of this name",
                ));
            }
        }
    }

    fn check_list(&mut self, key: &Key, node: &Node) {
        let single = [node.clone()];
        let items: &[Node] = if let Value::List(items) = &node.value { items } else { &single };
        for item in items {
            let Value::Text(t) = &item.value else {
                self.out.push(Diagnostic::error(
                    format!("`{}` must hold texts, not {}", key.name, item.value.what()),
                    item.span,
                ));
                continue;
            };
            match key.shape {
                Shape::Symbols => self.check_symbol(t, true),
                Shape::Globs => {
                    if let Some((why, help)) = never_fits(&t.text) {
                        let message = format!("`{}` can match nothing: {why}", t.text);
                        let d = Diagnostic::error(message, t.span).about("never");
                        self.out.push(d.help(help));
                    }
                }
                Shape::Words(words) if !words.contains(&t.text.as_str()) => {
                    let d =
                        Diagnostic::error(format!("`{}` cannot be `{}`", key.name, t.text), t.span);
                    self.out.push(d.help(match slips::value_for(&t.text, words) {
                        Some(meant) => {
                            format!("did you mean `{meant}`? One of: {}", words.join(", "))
                        }
                        None => format!("one of: {}", words.join(", ")),
                    }));
                }
                _ => {}
            }
        }
    }

    fn check_names(&mut self, names: &Table) {
        const RESERVED: &[&str] =
            &["files", "not_files", "lang", "slots", "old", "new", "why", "title", "caution"];
        for e in &names.entries {
            match &e.node.value {
                Value::Text(t) => {
                    self.check_symbol(t, false);
                    if RESERVED.contains(&e.key.as_str()) && !t.text.contains('.') {
                        let d = Diagnostic::warning(
                            format!("`{}` in `names` is read as a word of the pattern", e.key),
                            e.key_span,
                        );
                        self.out.push(d.help("if it is a key of the step or action, move it above the header of `names`"));
                    }
                }
                Value::Table(_) => {
                    let d =
                        Diagnostic::error(format!("`{}` is split by its dots", e.key), e.key_span);
                    self.out.push(d.help("quote a word with dots: `\"Level.INFO\" = \"...\"`"));
                }
                other => self.out.push(Diagnostic::error(
                    format!("a name stands for a symbol, not {}", other.what()),
                    e.node.span,
                )),
            }
        }
    }

    fn check_symbol(&mut self, t: &Text, glob: bool) {
        let part = |p: &str| {
            let star = glob && (p == "*" || p == "**");
            star || (!p.is_empty()
                && !p.starts_with(|c: char| c.is_ascii_digit())
                && p.chars().all(|c| c.is_alphanumeric() || matches!(c, '_' | '$' | '#')))
        };
        // The types of parameters choose an overload; they are checked where they are read.
        let name = t.text.split_once('(').filter(|_| t.text.ends_with(')'));
        let text = name.map_or(t.text.as_str(), |n| n.0);
        if text.contains('\\') {
            // Packages and types that are joined by backslashes, then perhaps a member.
            let (path, member) = text.split_once("::").unwrap_or((text, "x"));
            let path = path.strip_prefix('\\').unwrap_or(path);
            if path.split('\\').chain([member]).all(part) {
                return;
            }
        }
        // Types that are joined by colons, then perhaps a member of their objects or of the last itself.
        let marked = text.find('#').or_else(|| text.find('.').filter(|_| text.contains("::")));
        if let Some(at) = marked.filter(|_| !text.contains(['/', '@'])) {
            let (path, member) = (&text[..at], text[at + 1..].trim_end_matches(['?', '!', '=']));
            if path.strip_prefix("::").unwrap_or(path).split("::").chain([member]).all(part) {
                return;
            }
        }
        // What a module begins with may have a colon behind it.
        let scheme = |s: &str| !s.is_empty() && s.bytes().all(|b| b.is_ascii_lowercase());
        let text = match text.split_once(':') {
            Some((s, rest)) if scheme(s) && !rest.starts_with(':') && rest.contains([':', '/']) => {
                rest
            }
            _ => text,
        };
        // A module that is a string stands before the last colon, or alone.
        let module = |m: &str| !m.is_empty() && !m.contains([' ', '\t', '\'', '"', ':']);
        let below = match text.rsplit_once(':') {
            Some((m, below)) if module(m) => below,
            _ if text.contains(['/', '@', '-']) && module(text) => "",
            _ => text,
        };
        let separator = if below.contains("::") { "::" } else { "." };
        // How many arguments a function takes may stand behind it, and a sign may end its name.
        let counted = below.rsplit_once('/').filter(|c| c.1.parse::<u8>().is_ok());
        let below = counted.map_or(below, |c| c.0);
        let plain = if separator == "." { below.trim_end_matches(['?', '!']) } else { below };
        if !below.is_empty() && !plain.split(separator).all(part) {
            let d = Diagnostic::error(format!("`{}` is not a symbol", t.text), t.span);
            self.out.push(d.help(
                "write the full name as the language does: `tidewire.client.Station`, `tidewire::Station`, `tidewire/client:Station`, `Tidewire\\Station`",
            ));
        }
    }

    fn check_regex(&mut self, t: &Text) {
        let Err(e) = regex::Regex::new(&t.text) else { return };
        let look = ["(?=", "(?!", "(?<=", "(?<!"]
            .iter()
            .find_map(|l| t.text.find(l).map(|at| (at, l.len())));
        let d = match look {
            Some((at, len)) => Diagnostic::error(
                "look-around is not part of these regular expressions",
                t.place(Span::new(at, at + len)),
            )
            .help("state what must not fit in `not_text`, beside `text`"),
            None => {
                let said = e.to_string();
                let reason = said
                    .lines()
                    .last()
                    .unwrap_or("")
                    .trim()
                    .trim_start_matches("error: ")
                    .to_owned();
                Diagnostic::error(format!("this is not a regular expression: {reason}"), t.span).help(
                    "a literal special character is written with a backslash, in a '...' string",
                )
            }
        };
        self.out.push(d);
    }

    fn check_requirement(&mut self, t: &Text) {
        let fits = t.text.split(',').all(|p| {
            let p = p.trim().trim_start_matches(['<', '>', '=', '!']).trim();
            p.starts_with(|c: char| c.is_ascii_digit())
        });
        if !fits {
            self.out.push(
                Diagnostic::error(format!("`{}` is no version requirement", t.text), t.span)
                    .help("comparisons between commas: `>=2.4, <3`"),
            );
        }
    }
}

/// Why a glob matches no path of a project, and what is meant.
fn never_fits(glob: &str) -> Option<(&'static str, String)> {
    if glob.trim().is_empty() {
        return Some(("it is empty", "name files, or leave it out".into()));
    }
    // Before a letter, a backslash would quote nothing that needs it.
    let chars = glob.chars().zip(glob.chars().skip(1));
    if { chars }.any(|(c, next)| c == '\\' && next.is_alphanumeric()) {
        let meant = glob.replace('\\', "/").replace("//", "/");
        return Some((
            "paths are written with `/`",
            format!("write `{meant}`, from the project's root"),
        ));
    }
    if glob.split('/').any(|p| p == "..") {
        return Some((
            "nothing outside the project is read",
            "write a path from the project's root".into(),
        ));
    }
    let bare = glob.trim_start_matches("./").trim_start_matches('/');
    let why = "paths begin at the project's root, without `/` or `./`";
    (bare.len() < glob.len()).then(|| (why, format!("write `{bare}`")))
}

/// What a value of a shape is, for a message about one that is not.
fn expected(shape: Shape) -> &'static str {
    match shape {
        Shape::Text | Shape::Pattern | Shape::Regex | Shape::Version | Shape::Requirement => "text",
        Shape::Bool => "true or false",
        Shape::Integer => "a whole number",
        Shape::Globs | Shape::Texts | Shape::Symbols | Shape::Words(_) => "text or a list of texts",
        Shape::Groups => "text, a list of texts, or a list of such lists",
        Shape::Numbers => "a list of whole numbers from 1",
        Shape::NumbersOrAll => "a list of whole numbers from 1, or `true`",
        Shape::Map
        | Shape::Flags
        | Shape::Names
        | Shape::Members
        | Shape::Table(_)
        | Shape::Named(_) => "a table",
        Shape::Tables(_) => "tables",
        Shape::Pairs => "a list of pairs",
        Shape::Base => "text, or a table with `old` and `new`",
        Shape::Later => "left out",
    }
}
