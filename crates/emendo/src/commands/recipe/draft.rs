//! The texts of first drafts of recipes: an empty one with comments, and steps from a table of old and new names.

use std::fmt::Write;

use emendo_core::World;
use emendo_recipe::Pair;

/// What the author says of a recipe before it is there.
pub(super) struct About<'w> {
    /// What recipes are made of.
    pub(super) world: &'w World,
    /// Its id.
    pub(super) id: String,
    /// Its title.
    pub(super) title: String,
    /// Its language; empty if it is not known.
    pub(super) lang: String,
    /// The library's name; empty if it is not known.
    pub(super) library: String,
    /// A coordinate of the library, with its ecosystem; empty if it is not known.
    pub(super) coordinate: String,
    /// The version that it leads to; empty if it is not known.
    pub(super) to: String,
}

/// What a row of a table seems to be.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Guess {
    /// A coordinate of a library.
    Library,
    /// A key of a settings file.
    Setting,
    /// A package or module.
    Package,
    /// A type.
    Type,
    /// A method of a type.
    Member,
    /// A property of a type.
    Property,
    /// A function or a value of a module.
    Function,
    /// A piece of code.
    Code,
    /// Something that a person must look at.
    Note,
}

/// A row with what it seems to be, and how that shows.
pub(super) struct Guessed<'p> {
    /// The row.
    pub(super) pair: &'p Pair,
    /// What it seems to be.
    pub(super) guess: Guess,
    /// By what it was told.
    pub(super) why: &'static str,
}

/// Tells what a row is by the shape of its old name.
pub(super) fn guess(world: &World, pair: &Pair) -> (Guess, &'static str) {
    let old = pair.old.text.trim();
    let last = old.rsplit(['.', ':', '#', '/']).next().unwrap_or(old);
    let head = old.split(':').next().unwrap_or("");
    let dotted = old.contains('.') || old.contains("::") || old.contains(':');
    let word = |c: char| c.is_alphanumeric() || "_.:#$/@-".contains(c);
    let capital = |s: &str| s.starts_with(char::is_uppercase);
    if old.contains(char::is_whitespace)
        || old.contains(['"', '\'', '=', '{', '@', ';', '<']) && !old.starts_with('@')
    {
        return (Guess::Code, "it is more than a name");
    }
    if world.ecosystem(head).is_some() && old.len() > head.len() + 1 {
        return (Guess::Library, "an ecosystem stands before it");
    }
    let called = old.trim_end_matches("()");
    if called.len() < old.len() {
        let name = called.rsplit(['.', '#', ':']).next().unwrap_or(called);
        let owner = called[..called.len() - name.len()].trim_end_matches(['.', '#', ':']);
        let owner = owner.rsplit(['.', ':', '/']).next().unwrap_or(owner);
        return match (owner.is_empty(), capital(owner)) {
            (true, _) => (Guess::Note, "nothing says what it belongs to"),
            (false, true) => (Guess::Member, "it is called on a type"),
            (false, false) => (Guess::Function, "it is called on a module"),
        };
    }
    if !old.chars().all(word) {
        return (Guess::Code, "it is more than a name");
    }
    if !dotted {
        return (Guess::Note, "a single word: nothing says what it belongs to");
    }
    if old.matches(':').count() == 1
        && !old.contains("::")
        && head.contains('.')
        && !old.contains('/')
    {
        return (Guess::Library, "group and name with a colon between them");
    }
    let owner = &old[..old.len() - last.len()];
    let owner = owner.trim_end_matches(['.', ':', '#', '/']);
    let owner_last = owner.rsplit(['.', ':', '#', '/']).next().unwrap_or(owner);
    if old.contains('-') && !old.contains(['/', ':', '@']) {
        return (Guess::Setting, "small words with dots and dashes");
    }
    match (capital(owner_last), capital(last)) {
        (true, _) => (Guess::Member, "what stands before its last part begins with a capital"),
        (false, true) => (Guess::Type, "its last part begins with a capital"),
        (false, false) if old.contains(':') && !old.contains("::") => {
            (Guess::Function, "a small name of a module")
        }
        (false, false) => (Guess::Package, "small words with dots"),
    }
}

/// Corrects what rows were taken for by the others of their table: where some members are called, the rest are read; what stands
/// beside types is a name of their module.
pub(super) fn correct(rows: &mut [Guessed<'_>]) {
    let called = rows.iter().any(|r| r.pair.old.text.trim().ends_with(')'));
    let owner = |r: &Guessed<'_>| {
        let old = r.pair.old.text.trim();
        let last = old.rsplit(['.', ':', '/']).next().unwrap_or(old);
        old[..old.len() - last.len()].to_owned()
    };
    let modules: Vec<String> = rows.iter().filter_map(module).collect();
    let beside: Vec<String> = rows.iter().filter(|r| r.guess == Guess::Type).map(owner).collect();
    for r in rows {
        let read = !r.pair.old.text.trim().ends_with(')');
        match r.guess {
            Guess::Member if called && read => {
                (r.guess, r.why) =
                    (Guess::Property, "others of the table are called, and this is not");
            }
            Guess::Note if modules.iter().any(|m| m == r.pair.old.text.trim()) => {
                (r.guess, r.why) = (Guess::Package, "other rows stand in it");
            }
            Guess::Package if beside.contains(&owner(r)) => {
                (r.guess, r.why) = (Guess::Function, "it stands beside types of the table");
            }
            _ => {}
        }
    }
}

/// The module before the colon of a symbol.
fn module(r: &Guessed<'_>) -> Option<String> {
    let old = r.pair.old.text.trim();
    let named = matches!(r.guess, Guess::Type | Guess::Function | Guess::Member);
    old.rsplit_once(':').filter(|(m, _)| named && !m.ends_with(':')).map(|(m, _)| m.to_owned())
}

/// An empty recipe, with comments that say what goes where.
pub(super) fn scaffold(about: &About<'_>) -> String {
    let mut out = head(about);
    let first = about.world.languages.first().map_or("", |l| l.id);
    let lang = if about.lang.is_empty() { first } else { about.lang.as_str() };
    out.push_str(&format!(
        r#"
# A step is one theme: it is reviewed, accepted and committed as one. Steps run in order, each on what those before it wrote.
[[step]]
id = "names"                       # lasting: decisions refer to it
title = "Names of the new version"
why = "What the upgrade guide says about it."
# caution = "..."                  # if it compiles and behaves differently

# Names that became others, by their full names. `what` is package, module, type, function, method, property, constant, ...
[[step.symbol]]
what = "type"
old = "tidewire.client.Station"
new = "tidewire.api.Station"

# Code that becomes other code: @{{x}} is one piece, @{{x*}} any number in a list. `names` say what words mean.
[[step.code]]
old = 'Station.open(@{{host}}, @{{port}})'
new = 'Station.at(@{{host}}, @{{port}}).open()'
names = {{ Station = "tidewire.api.Station" }}

# Other actions: library (versions in manifests), setting (keys of settings files), signature (parameters and results),
# note (a place that a person must look at). `emendo recipe schema` has every key.

# `emendo recipe test` runs the examples; a step's `names` count as imported.
[[example]]
title = "a station is opened"
step = "names"
lang = "{lang}"
before = 'Station.open(host, 7070)'
after = 'Station.at(host, 7070).open()'

# A look-alike that must stay as it is.
[[example]]
title = "another station"
step = "names"
lang = "{lang}"
unchanged = 'station.open(host, 7070)'
"#
    ));
    out
}

fn head(about: &About<'_>) -> String {
    let mut out = String::from("emendo = 1\n");
    let _ = writeln!(out, "id = {}", quoted(&about.id));
    let _ = writeln!(out, "title = {}", quoted(&about.title));
    out.push_str("summary = \"\"                       # what it does, in a sentence\n");
    out.push_str("# docs = \"\"                        # where the upgrade is described\n");
    match about.lang.as_str() {
        "" => out
            .push_str("# lang = \"java\"                     # language of all that names none\n"),
        lang => {
            let _ = writeln!(out, "lang = {}", quoted(lang));
        }
    }
    if about.library.is_empty() && about.coordinate.is_empty() {
        out.push_str("# library = { name = \"Tidewire\", coordinates = [\"maven:org.tidewire:tidewire-core\"], from = \">=2, <3\", to = \"3.0\" }\n");
    } else {
        let name = if about.library.is_empty() { &about.id } else { &about.library };
        let coordinates = if about.coordinate.is_empty() {
            String::new()
        } else {
            format!(", coordinates = [{}]", quoted(&about.coordinate))
        };
        let to = if about.to.is_empty() {
            String::new()
        } else {
            format!(", to = {}", quoted(&about.to))
        };
        let _ = writeln!(out, "library = {{ name = {}{coordinates}{to} }}", quoted(name));
    }
    out
}

/// A recipe with steps for the rows of a table, each kind of row in a step of its own; what was guessed is marked.
pub(super) fn from_rows(about: &About<'_>, rows: &[Guessed<'_>], table: &str) -> String {
    let mut out = head(about);
    let _ = writeln!(
        out,
        "\n# Drafted from {table}. What each row is was guessed from its shape: lines with GUESS are to be checked, then\n# `emendo recipe check` and `recipe test` say what is missing."
    );
    if !about.coordinate.is_empty() && !about.to.is_empty() {
        let _ = writeln!(
            out,
            "\n[[step]]\nid = \"version\"\ntitle = \"Depend on {}\"\n[[step.library]]\nold = {}\nversion = {}",
            about.to,
            quoted(&about.coordinate),
            quoted(&about.to)
        );
    }
    let order = [
        (Guess::Library, "libraries", "Libraries have other names"),
        (Guess::Code, "code", "Code that is written differently"),
        (Guess::Member, "members", "Members have other names"),
        (Guess::Property, "properties", "Properties have other names"),
        (Guess::Function, "functions", "Functions have other names"),
        (Guess::Type, "types", "Types have other names"),
        (Guess::Package, "packages", "Packages have other names"),
        (Guess::Setting, "settings", "Settings have other keys"),
        (Guess::Note, "by-hand", "Places to look at by hand"),
    ];
    for (kind, id, title) in order {
        let all: Vec<&Guessed<'_>> = rows.iter().filter(|r| r.guess == kind).collect();
        if all.is_empty() {
            continue;
        }
        let _ = writeln!(out, "\n[[step]]\nid = \"{id}\"\ntitle = \"{title}\"\n# why = \"\"");
        match kind {
            Guess::Library => all.iter().for_each(|r| library(about.world, &mut out, r)),
            Guess::Code => all.iter().for_each(|r| code(&mut out, r)),
            Guess::Note => all.iter().for_each(|r| note(&mut out, r)),
            Guess::Setting => many(&mut out, "setting", "", &all),
            Guess::Member => many(&mut out, "symbol", "method", &all),
            Guess::Property => many(&mut out, "symbol", "property", &all),
            Guess::Function => many(&mut out, "symbol", "function", &all),
            Guess::Type => many(&mut out, "symbol", "type", &all),
            Guess::Package => many(&mut out, "symbol", about.world.holder(&about.lang), &all),
        }
    }
    out.push_str("\n# Show each step with an example, and a look-alike with `unchanged`.\n# [[example]]\n# step = \"\"\n# before = ''\n# after = ''\n");
    out
}

/// The name of a member as recipes write it.
fn symbol(text: &str) -> String {
    let sign = if text.contains("::") { "::" } else { "." };
    let name = text.trim_end_matches("()").replace('#', sign);
    if sign == "." { name } else { name.replace('.', sign) }
}

fn many(out: &mut String, kind: &str, what: &str, rows: &[&Guessed<'_>]) {
    let _ = writeln!(out, "\n[[step.{kind}]]");
    if !what.is_empty() {
        let _ = writeln!(out, "what = \"{what}\"          # GUESS: {}", rows[0].why);
    }
    out.push_str("pairs = [\n");
    for r in rows {
        let new = r.pair.new.as_ref().map_or("", |n| n.text.as_str());
        let advice = r.pair.advice.as_ref().map_or(String::new(), |a| format!(", {}", quoted(a)));
        let advice = if new.is_empty() && advice.is_empty() {
            ", \"there is no replacement\"".to_owned()
        } else {
            advice
        };
        let (old, new) = (quoted(&symbol(&r.pair.old.text)), quoted(&symbol(new)));
        let other = if r.why == rows[0].why || what.is_empty() {
            String::new()
        } else {
            format!("   # GUESS: {}", r.why)
        };
        let _ = writeln!(out, "  [{old}, {new}{advice}],{other}");
    }
    out.push_str("]\n");
}

fn library(world: &World, out: &mut String, r: &Guessed<'_>) {
    let old = r.pair.old.text.as_str();
    let named = |t: &str| t.split_once(':').and_then(|(head, _)| world.ecosystem(head));
    let takes = || world.ecosystems.iter().find(|e| (e.check_coordinate)(old).is_none());
    let ecosystem = named(old).or_else(|| takes().copied()).map_or("", |e| e.id);
    let whole = if named(old).is_some() { old.to_owned() } else { format!("{ecosystem}:{old}") };
    let _ = writeln!(out, "\n[[step.library]]          # GUESS: {}", r.why);
    let _ = writeln!(out, "old = {}", quoted(&whole));
    match &r.pair.new {
        Some(new) => {
            let rest = new.text.strip_prefix(ecosystem).and_then(|t| t.strip_prefix(':'));
            let _ = writeln!(out, "new = {}", quoted(rest.unwrap_or(&new.text)));
        }
        None => out.push_str("remove = true\n"),
    }
}

fn code(out: &mut String, r: &Guessed<'_>) {
    let _ = writeln!(out, "\n[[step.code]]             # GUESS: {}", r.why);
    let _ = writeln!(
        out,
        "old = {}          # GUESS: name what may vary: @{{x}}",
        literal(&r.pair.old.text)
    );
    match (&r.pair.new, &r.pair.advice) {
        (Some(new), _) => {
            let _ = writeln!(out, "new = {}", literal(&new.text));
        }
        (None, _) => out.push_str("new = ''\n"),
    }
    out.push_str(
        "# names = { Word = \"full.name.of.Word\" }   # without names a place is at most unsure\n",
    );
}

fn note(out: &mut String, r: &Guessed<'_>) {
    let new =
        r.pair.new.as_ref().map_or(String::new(), |n| format!(" is `{}` from now on", n.text));
    let advice = r.pair.advice.clone().unwrap_or_default();
    let join = if advice.is_empty() { "" } else { ": " };
    let say = format!("{}{new}{join}{advice}", r.pair.old.text);
    let _ = writeln!(out, "\n[[step.note]]             # GUESS: {}", r.why);
    let _ = writeln!(out, "say = {}", quoted(&say));
}

fn quoted(text: &str) -> String {
    toml::Value::String(text.to_owned()).to_string()
}

fn literal(text: &str) -> String {
    if text.contains(['\'', '\n']) { quoted(text) } else { format!("'{text}'") }
}
