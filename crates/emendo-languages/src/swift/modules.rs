//! What the modules of Swift are called, and where they lie.

use std::collections::HashMap;
use std::sync::Arc;

use emendo_lang::language::{Modules, PathTo};
use emendo_lang::{Files, Import, remembered};
use emendo_text::{RelPath, Span};

use crate::swift::names::NAMES;

const MANIFEST: &str = "Package.swift";

/// The folders in which targets lie unless a manifest says otherwise.
const ROOTS: &[&str] = &["Sources", "Source", "src", "srcs", "Tests", "Plugins"];

/// The module of files that no folder tells.
const MAIN: &str = "Main";

/// Files are parts of the module of their target: of the folder that it lies in.
pub(super) const MODULES: Modules = Modules {
    of: module_of,
    absolute: |_, _, _, _| None,
    file: |_, _| None,
    files: files_of,
    declaring: &["class", "struct", "enum", "actor", "protocol", "typealias", "func", "let", "var"],
    written: |_: &PathTo<'_>, _| None,
    from_folder: |_, _| None,
    settings: &[],
    statement: "",
    own: "",
    loads_files: &[],
    called: |_, _| Vec::new(),
};

/// A target of a package: its module, and the folder of its files.
#[derive(Clone)]
struct Target {
    module: String,
    folder: String,
}

/// The targets of the packages of the project, the deepest folders first.
fn targets(files: &dyn Files) -> Arc<Vec<Target>> {
    remembered(files, "swift targets", || {
        let mut out = Vec::new();
        for manifest in files.named(MANIFEST) {
            let Some(text) = files.text(&manifest) else { continue };
            out.extend(targets_in(&text, manifest.folder()));
        }
        out.sort_by_key(|t: &Target| std::cmp::Reverse(t.folder.len()));
        out
    })
}

/// The targets that a manifest declares.
fn targets_in(text: &str, package: &str) -> Vec<Target> {
    let lead = if package.is_empty() { String::new() } else { format!("{package}/") };
    let mut out = Vec::new();
    for (at, _) in text.match_indices("arget(") {
        let call = &text[at..];
        let word = text[..at].rsplit(['.', ' ', '\n', '[', '(']).next().unwrap_or("");
        let is_test = word.starts_with("testT");
        let call = &call[..end_of(call)];
        let Some(name) = argument(call, "name:") else { continue };
        let module = as_module(&name);
        let usual: &[&str] = if is_test { &["Tests", "Sources"] } else { ROOTS };
        match argument(call, "path:") {
            Some(path) => {
                let path = path.trim_start_matches("./").trim_end_matches('/');
                let folder = if path == "." { "" } else { path };
                out.push(Target { module, folder: format!("{lead}{folder}") });
            }
            None => out.extend(usual.iter().map(|root| Target {
                module: module.clone(),
                folder: format!("{lead}{root}/{name}"),
            })),
        }
    }
    out
}

/// The name of a target as its module has it.
fn as_module(name: &str) -> String {
    name.replace(['-', ' ', '.'], "_")
}

/// Where the brackets of a call end that begins in a text.
fn end_of(call: &str) -> usize {
    let mut depth = 0_usize;
    let mut quoted = false;
    for (at, c) in call.char_indices() {
        match c {
            '"' => quoted = !quoted,
            '(' if !quoted => depth += 1,
            ')' if !quoted => {
                depth = depth.saturating_sub(1);
                if depth == 0 {
                    return at;
                }
            }
            _ => {}
        }
    }
    call.len()
}

/// The text that an argument of a call is, where it stands in the call's own brackets.
fn argument(call: &str, label: &str) -> Option<String> {
    let mut depth = 0_usize;
    let mut quoted = false;
    for (at, c) in call.char_indices() {
        match c {
            '"' => quoted = !quoted,
            '(' | '[' if !quoted => depth += 1,
            ')' | ']' if !quoted => depth = depth.saturating_sub(1),
            _ => {}
        }
        if !quoted && depth == 1 && call[at..].starts_with(label) {
            let rest = call[at + label.len()..].trim_start().strip_prefix('"')?;
            return Some(rest[..rest.find('"')?].to_owned());
        }
    }
    None
}

fn module_of(path: &RelPath, files: &dyn Files) -> String {
    let within = |t: &&Target| {
        t.folder.is_empty()
            || path.as_str().strip_prefix(&t.folder).is_some_and(|r| r.starts_with('/'))
    };
    if let Some(target) = targets(files).iter().find(within) {
        return target.module.clone();
    }
    let parts: Vec<&str> = path.folder().split('/').filter(|p| !p.is_empty()).collect();
    let root = parts.iter().position(|p| ROOTS.contains(p));
    let named = root.and_then(|at| parts.get(at + 1)).or(parts.first());
    named.map_or_else(|| MAIN.to_owned(), |n| as_module(n))
}

/// The files of a module.
fn files_of(module: &str, files: &dyn Files) -> Vec<RelPath> {
    let all = remembered(files, "swift modules", || {
        let mut out: HashMap<String, Vec<RelPath>> = HashMap::new();
        for path in files.with_ending(".swift") {
            out.entry(module_of(&path, files)).or_default().push(path);
        }
        out
    });
    all.get(module).cloned().unwrap_or_default()
}

/// A file sees all of its own module.
pub(super) fn of_project(path: &RelPath, files: &dyn Files) -> Vec<Import> {
    let module = module_of(path, files);
    let own = || Import::new(Span::at(0), vec![(module.clone(), Span::at(0))], module.clone());
    let mut out = vec![own().all(), own().known_as(NAMES.last(&module))];
    out.iter_mut().for_each(|i| i.global = true);
    out
}

/// The package that others may depend on.
pub(super) fn published(path: &RelPath, files: &dyn Files) -> Option<String> {
    let (_, text) = crate::shared::nearest(path, &[MANIFEST], files)?;
    if !text.contains(".library(") {
        return None;
    }
    argument(text.get(text.find("Package(")?..)?, "name:")
}
