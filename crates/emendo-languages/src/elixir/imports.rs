//! Directives in Elixir: what `alias`, `import` and `require` make known.

use emendo_lang::language::{Imports, Space};
use emendo_lang::tree::{Node, children, named, span, words_in};
use emendo_lang::{Import, ImportName};
use emendo_text::Span;

use crate::elixir::names::NAMES;

pub(crate) const IMPORTS: Imports = Imports {
    kinds: &["alias_directive", "import_directive"],
    read_import,
    write_import,
    write_list: |_, _, _| None,
    imports_member: |symbol, space| {
        space != Space::Type && !NAMES.last(symbol).starts_with(char::is_uppercase)
    },
    ..Imports::NONE
};

/// The value of a key among the options of a directive.
fn option<'t>(list: Node<'t>, text: &str, key: &str) -> Option<Node<'t>> {
    let keywords = named(list).into_iter().find(|n| n.kind() == "keywords")?;
    named(keywords).into_iter().find_map(|pair| {
        let own = pair.child_by_field_name("key")?;
        (span(own).of(text) == format!("{key}:")).then(|| pair.child_by_field_name("value"))?
    })
}

/// The segments of a name; none for one that is worked out.
fn segments(name: Node<'_>, text: &str) -> Option<Vec<(String, Span)>> {
    let mut out = Vec::new();
    match name.kind() {
        "alias" => out.push((span(name).of(text).to_owned(), span(name))),
        "path" if name.child_by_field_name("left").is_none() => words_in(name, text, &mut out),
        "path" | "dot" => {
            out = segments(name.child_by_field_name("left")?, text)?;
            out.extend(segments(name.child_by_field_name("right")?, text)?);
        }
        "identifier" if span(name).of(text) == "__MODULE__" => {
            out.push((span(name).of(text).to_owned(), span(name)));
        }
        _ => return None,
    }
    Some(out)
}

/// The functions of a list such as `[launch: 2, row: 1]`, each with its item.
fn functions(list: Node<'_>, text: &str) -> Vec<((String, Span), Span)> {
    let keywords = children(list).into_iter().filter(|c| c.kind() == "keywords");
    let keys = keywords.flat_map(named).filter_map(|pair| {
        let key = pair.child_by_field_name("key")?.child(0)?;
        Some(((span(key).of(text).to_owned(), span(key)), span(pair)))
    });
    keys.collect()
}

/// `alias A.B`, `alias A.B, as: C`, `alias A.{B, C.D}`, `require A, as: B`, `import A`, `import A, only: [f: 1]`.
pub(crate) fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    let Some(list) = node.child_by_field_name("arguments") else { return Vec::new() };
    let Some(name) = named(list).into_iter().next() else { return Vec::new() };
    let word = node.child_by_field_name("target").map_or("", |t| span(t).of(text));
    if name.kind() == "dot"
        && let Some(several) = name.child_by_field_name("right").filter(|r| r.kind() == "tuple")
    {
        let Some(head) = name.child_by_field_name("left").and_then(|l| segments(l, text)) else {
            return Vec::new();
        };
        let each = named(several).into_iter().filter_map(|one| {
            let own = segments(one, text)?;
            let import = NAMES.import(node, head.iter().cloned().chain(own).collect());
            let mut import =
                import.listed(span(one), Some(span(several)), head.len(), word != "import");
            if word == "import" {
                import = import.all();
                import.is_static = true;
            }
            Some(import).filter(|_| word != "require")
        });
        return each.collect();
    }
    let Some(whole) = segments(name, text) else { return Vec::new() };
    if word == "import" {
        return functions_of(node, list, whole, text);
    }
    let import = NAMES.import(node, whole);
    match option(list, text, "as") {
        Some(known) => vec![import.known_as(span(known).of(text))],
        // What is only required is written in full.
        None if word == "require" => Vec::new(),
        None => vec![import],
    }
}

/// What `import` makes known: functions, all or some.
fn functions_of(
    node: Node<'_>,
    list: Node<'_>,
    module: Vec<(String, Span)>,
    text: &str,
) -> Vec<Import> {
    let only = option(list, text, "only").filter(|o| o.kind() == "list");
    if let Some(only) = only {
        let each = functions(only, text).into_iter();
        return each
            .map(|(f, item)| named_function(node, (&module, f), (item, Some(only)), text))
            .collect();
    }
    let mut import = NAMES.import(node, module.clone()).all();
    import.is_static = true;
    let mut out = vec![import];
    let except = option(list, text, "except").filter(|o| o.kind() == "list");
    for (function, item) in except.map_or_else(Vec::new, |e| functions(e, text)) {
        out[0].hides.push(function.0.clone());
        let mut own = named_function(node, (&module, function), (item, except), text);
        (own.passes_on, own.restricts) = (true, true);
        out.push(own);
    }
    out
}

/// A function that stands in a list with how many arguments it takes.
fn named_function(
    node: Node<'_>,
    (module, function): (&[(String, Span)], (String, Span)),
    (item, list): (Span, Option<Node<'_>>),
    text: &str,
) -> Import {
    let all = module.iter().cloned().chain([function]).collect();
    let import = NAMES.import(node, all);
    let mut import = import.listed(item, list.map(span), module.len(), false);
    import.is_static = true;
    import.count = item.of(text).rsplit(':').next().and_then(|n| n.trim().parse().ok());
    import
}

fn write_import(name: &ImportName, _: Option<&str>) -> String {
    if name.is_static {
        return match name.wildcard {
            true => format!("import {}", name.path),
            false => format!(
                "import {}, only: [{}: 0]",
                NAMES.parent(&name.path),
                NAMES.last(&name.path)
            ),
        };
    }
    match name.alias.as_deref() {
        Some(own) if own != NAMES.last(&name.path) => format!("alias {}, as: {own}", name.path),
        _ => format!("alias {}", name.path),
    }
}
