//! Imports and exports in TypeScript and JavaScript: reading and writing their statements.

use emendo_lang::language::{Exports, Imports};
use emendo_lang::tree::Node;
use emendo_lang::tree::{children, span};
use emendo_lang::{Export, Import, ImportName};

use crate::shared::says;
use crate::typescript::modules;
use crate::typescript::names::NAMES;

pub(crate) const IMPORTS: Imports = Imports {
    kinds: &["import_statement"],
    import_like: &["lexical_declaration", "variable_declaration", "export_statement"],
    preamble: &[("hash_bang_line", ""), ("expression_statement", "string")],
    read_import,
    write_import,
    group: |module| u8::from(module.starts_with('.')),
    write_list,
    imports_member: |_, _| false,
    ..Imports::NONE
};

pub(crate) const EXPORTS: Exports = Exports {
    loads: &["require(", "require.resolve(", "import(", "import", "from", "module"],
    passing: &[
        "export {",
        "export *",
        "export default",
        "export{",
        "exports",
        "export const",
        "export type",
    ],
    published: |path, files| modules::published(path, files),
    shown: |head, name, member| match member {
        true => !says(head, "private") && !name.starts_with('#'),
        false => says(head, "export"),
    },
    export_kinds: &["export_statement", "assignment_expression"],
    read_exports,
    ..Exports::NONE
};

/// `export { a as b }`, `export default a`, `export class A`, `module.exports = { a }`, `exports.a = b`.
pub(crate) fn read_exports(node: Node<'_>, text: &str) -> Vec<Export> {
    let word = |n: Node<'_>| span(n).of(text).to_owned();
    let mut out = Vec::new();
    if node.kind() == "assignment_expression" {
        let Some((left, right)) =
            node.child_by_field_name("left").zip(node.child_by_field_name("right"))
        else {
            return out;
        };
        let target = word(left);
        if target == "module.exports" && right.kind() == "object" {
            for item in children(right) {
                match item.kind() {
                    "shorthand_property_identifier" => {
                        out.push(Export::fixed(word(item), word(item)));
                    }
                    "pair" => {
                        let (key, value) =
                            (item.child_by_field_name("key"), item.child_by_field_name("value"));
                        if let Some((k, v)) = key.zip(value).filter(|p| p.1.kind() == "identifier")
                        {
                            out.push(Export::fixed(word(k), word(v)));
                        }
                    }
                    _ => {}
                }
            }
        } else if let Some(name) =
            target.strip_prefix("module.exports.").or_else(|| target.strip_prefix("exports."))
            && right.kind() == "identifier"
        {
            out.push(Export::fixed(name.to_owned(), word(right)));
        }
        return out;
    }
    if node.child_by_field_name("source").is_some() {
        return out;
    }
    let default = children(node).iter().any(|c| c.kind() == "default");
    if let Some(value) = node.child_by_field_name("value").filter(|v| v.kind() == "identifier") {
        out.push(Export::new("default".into(), word(value)));
    }
    if let Some(declared) = node.child_by_field_name("declaration") {
        let own = declared.child_by_field_name("name");
        let many = children(declared).into_iter().filter_map(|c| c.child_by_field_name("name"));
        for name in own.into_iter().chain(many) {
            let outside = if default { "default".into() } else { word(name) };
            out.push(Export::new(outside, word(name)));
        }
    }
    for clause in children(node).into_iter().filter(|c| c.kind() == "export_clause") {
        for item in children(clause).into_iter().filter(|c| c.kind() == "export_specifier") {
            let Some(name) = item.child_by_field_name("name") else { continue };
            let alias = item.child_by_field_name("alias").unwrap_or(name);
            out.push(Export::new(word(alias), word(name)));
        }
    }
    out
}

/// `export { a as b } from 'm'`, `export * from 'm'`: the names go to whoever imports this file.
pub(crate) fn read_passed_on(node: Node<'_>, text: &str) -> Vec<Import> {
    let mut out = Vec::new();
    let Some(module) = node.child_by_field_name("source").and_then(|s| module(s, text)) else {
        return out;
    };
    for part in children(node) {
        match part.kind() {
            "*" => out.push(NAMES.import(node, vec![module.clone()]).all()),
            "namespace_export" => {
                if let Some(name) = part.named_child(0) {
                    let import = NAMES.import(node, vec![module.clone()]);
                    out.push(import.known_as(span(name).of(text)));
                }
            }
            "export_clause" => {
                for item in children(part).into_iter().filter(|c| c.kind() == "export_specifier") {
                    let Some(name) = item.child_by_field_name("name") else { continue };
                    let import = NAMES
                        .import(node, vec![module.clone(), segment(name, text)])
                        .listed(span(item), Some(span(part)), 1, true);
                    out.push(match item.child_by_field_name("alias") {
                        Some(alias) => import.known_as(span(alias).of(text)),
                        None => import,
                    });
                }
            }
            _ => {}
        }
    }
    out.iter_mut().for_each(|i| i.passes_on = true);
    out
}

pub(crate) fn read_import(node: Node<'_>, text: &str) -> Vec<Import> {
    match node.kind() {
        "import_statement" => read_module(node, text),
        "export_statement" => read_passed_on(node, text),
        _ => read_required(node, text),
    }
}

/// The text of a string and its place, without the quotes.
pub(crate) fn string(node: Node<'_>, text: &str) -> Option<(String, tree_sitter::Range)> {
    let inner =
        node.named_child(0).filter(|c| node.kind() == "string" && c.kind() == "string_fragment")?;
    Some((span(inner).of(text).to_owned(), inner.range()))
}

pub(crate) type Segment = (String, emendo_text::Span);

pub(crate) fn segment(node: Node<'_>, text: &str) -> Segment {
    (span(node).of(text).to_owned(), span(node))
}

pub(crate) fn module(node: Node<'_>, text: &str) -> Option<Segment> {
    let (name, range) = string(node, text)?;
    Some((name, emendo_text::Span::new(range.start_byte, range.end_byte)))
}

/// `import a, { b as c } from 'm'`, `import * as d from 'm'`.
pub(crate) fn read_module(node: Node<'_>, text: &str) -> Vec<Import> {
    let mut out = Vec::new();
    let Some(module) = node.child_by_field_name("source").and_then(|s| module(s, text)) else {
        return out;
    };
    let types_only = children(node).iter().any(|c| c.kind() == "type");
    let Some(clause) = children(node).into_iter().find(|c| c.kind() == "import_clause") else {
        return out;
    };
    for part in children(clause) {
        match part.kind() {
            "identifier" => {
                let name = segment(part, text);
                let mut import = NAMES
                    .import(node, vec![module.clone(), ("default".into(), name.1)])
                    .known_as(&name.0)
                    .listed(name.1, None, 1, false);
                import.implied = true;
                out.push(import);
            }
            "namespace_import" => {
                let Some(name) = part.named_child(0) else { continue };
                out.push(NAMES.import(node, vec![module.clone()]).known_as(span(name).of(text)));
            }
            "named_imports" => {
                for item in children(part).into_iter().filter(|c| c.kind() == "import_specifier") {
                    let Some(name) = item.child_by_field_name("name") else { continue };
                    let segments = vec![module.clone(), segment(name, text)];
                    let open = !types_only;
                    let import =
                        NAMES.import(node, segments).listed(span(item), Some(span(part)), 1, open);
                    let mut import = import;
                    import.is_type =
                        types_only || children(item).iter().any(|c| c.kind() == "type");
                    let alias = item.child_by_field_name("alias");
                    out.push(match alias {
                        Some(alias) => import.known_as(span(alias).of(text)),
                        None => import,
                    });
                }
            }
            _ => {}
        }
    }
    out
}

/// `const a = require('m')`, `const { b, c: d } = await import('m')`.
pub(crate) fn read_required(node: Node<'_>, text: &str) -> Vec<Import> {
    let mut out = Vec::new();
    for declarator in children(node).into_iter().filter(|c| c.kind() == "variable_declarator") {
        let value = declarator.child_by_field_name("value");
        let Some(call) = value
            .and_then(|v| if v.kind() == "await_expression" { v.named_child(0) } else { Some(v) })
        else {
            return Vec::new();
        };
        let function = call.child_by_field_name("function").map(|f| span(f).of(text));
        let argument = call.child_by_field_name("arguments").and_then(|a| a.named_child(0));
        let (Some("require" | "import"), Some(module)) =
            (function, argument.and_then(|a| module(a, text)))
        else {
            return Vec::new();
        };
        let Some(name) = declarator.child_by_field_name("name") else { continue };
        match name.kind() {
            "identifier" => {
                out.push(NAMES.import(node, vec![module]).known_as(span(name).of(text)));
            }
            "object_pattern" => {
                for item in children(name) {
                    let (key, local) = match item.kind() {
                        "shorthand_property_identifier_pattern" => (Some(item), None),
                        "pair_pattern" => {
                            let value = item.child_by_field_name("value");
                            let plain = value.filter(|v| v.kind() == "identifier");
                            (item.child_by_field_name("key").filter(|_| plain.is_some()), plain)
                        }
                        _ => (None, None),
                    };
                    let Some(key) = key else { continue };
                    let import = NAMES
                        .import(node, vec![module.clone(), segment(key, text)])
                        .listed(span(item), Some(span(name)), 1, true);
                    out.push(match local {
                        Some(local) => import.known_as(span(local).of(text)),
                        None => import,
                    });
                }
            }
            _ => {}
        }
    }
    out
}

/// Several names of one module, in the manner of another import.
pub(crate) fn write_list(module: &str, items: &[String], like: Option<&str>) -> Option<String> {
    let one = ImportName::plain(&format!("{module}:zq"));
    let required = like.is_some_and(|l| l.contains("require(") || l.contains("import("));
    let plain = items.iter().all(|i| !i.starts_with("default"));
    let list: Vec<String> =
        items.iter().map(|i| if required { i.replace(" as ", ": ") } else { i.clone() }).collect();
    plain.then(|| write_import(&one, like).replacen("zq", &list.join(", "), 1))
}

/// An import in the manner of another one: quotes, semicolon, `require` or not.
pub(crate) fn write_import(name: &ImportName, like: Option<&str>) -> String {
    let segments = NAMES.segments(&name.path);
    let like_text = like.unwrap_or("import x from \"m\";").trim_end();
    let quote = if like_text.contains('\'') { '\'' } else { '"' };
    let end = if like_text.ends_with(';') { ";" } else { "" };
    // What is loaded inside a function stays there, in the manner that it has.
    let awaited = like_text.contains("import(");
    let required = awaited || like_text.contains("require(");
    let module = segments[0];
    let from = if awaited {
        format!("await import({quote}{module}{quote})")
    } else if required {
        format!("require({quote}{module}{quote})")
    } else {
        format!("{quote}{module}{quote}")
    };
    let last = segments.get(1).copied();
    let local = name.alias.as_deref();
    if name.passes_on {
        let what = match (last, local) {
            (None, None) => "*".to_owned(),
            (None, Some(local)) => format!("* as {local}"),
            (Some(item), Some(local)) if local != item => format!("{{ {item} as {local} }}"),
            (Some(item), _) => format!("{{ {item} }}"),
        };
        return format!("export {what} from {quote}{module}{quote}{end}");
    }
    let what = match (last, local) {
        (None, local) => {
            let word = local.unwrap_or_else(|| module.rsplit('/').next().unwrap_or(module));
            if required { word.to_owned() } else { format!("* as {word}") }
        }
        (Some("default"), local) => {
            let word = local.unwrap_or_else(|| module.rsplit('/').next().unwrap_or(module));
            if required { format!("{{ default: {word} }}") } else { word.to_owned() }
        }
        (Some(item), None) if name.is_type && !required => format!("type {{ {item} }}"),
        (Some(item), Some(local)) if name.is_type && !required => {
            format!("type {{ {item} as {local} }}")
        }
        (Some(item), None) => format!("{{ {item} }}"),
        (Some(item), Some(local)) if required => format!("{{ {item}: {local} }}"),
        (Some(item), Some(local)) => format!("{{ {item} as {local} }}"),
    };
    if required {
        let word = like_text.split_whitespace().next().unwrap_or("const");
        format!("{word} {what} = {from}{end}")
    } else {
        format!("import {what} from {from}{end}")
    }
}
