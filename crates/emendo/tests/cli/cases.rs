//! Cases as data, run through the built program: shapes in `tests/cases/LANGUAGE/`, meanings of names in
//! `tests/meanings/LANGUAGE/`, types in `tests/types/LANGUAGE/`, signatures in `tests/signatures/LANGUAGE/`.
//!
//! A case is cut into sections by lines that begin with `--- `: `recipe` (steps or actions; the head is added),
//! `before PATH`, `after PATH` (without it the file must stay as it is) and `notes` (a line each: parts of the
//! notes that are expected), `leftovers` (a line each: `PATH:LINE`, what is still there when all is done).
//! Words behind a path change the bytes of the file: `crlf`, `bom`, `latin1`; behind that of an `after` they say how
//! many edits of a certainty are proposed there: `certain=2 unsure=1`.
//! A case without a recipe takes that of its folder, `shared.toml`.
//! `marked PATH OLD NEW` is a file before and after at once: on a line that ends with a comment of one word, a certainty,
//! OLD becomes NEW, with an edit for each that is so sure; all other lines stay.
//! Every case also shows that a second run finds nothing, that `undo` restores every byte, and that its proposal and its
//! result are those of its golden digests.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

use crate::golden::{self, Digests};
use crate::sandbox::Sandbox;

#[derive(Default)]
struct Case {
    recipe: String,
    before: BTreeMap<String, Vec<u8>>,
    after: BTreeMap<String, Vec<u8>>,
    notes: Vec<String>,
    /// Path, certainty, and how many edits.
    edits: Vec<(String, String, usize)>,
    leftovers: Option<Vec<String>>,
}

const CERTAINTIES: [&str; 3] = ["certain", "likely", "unsure"];

fn bytes(text: &str, how: &[&str]) -> Vec<u8> {
    let text = if how.contains(&"crlf") { text.replace('\n', "\r\n") } else { text.to_owned() };
    if how.contains(&"latin1") {
        return text.chars().map(|c| u8::try_from(c as u32).expect("Latin-1")).collect();
    }
    let mut out = if how.contains(&"bom") { b"\xef\xbb\xbf".to_vec() } else { Vec::new() };
    out.extend(text.as_bytes());
    out
}

fn read(path: &Path) -> Case {
    let text = std::fs::read_to_string(path).expect("readable");
    let mut case = Case::default();
    for section in format!("\n{text}").split("\n--- ").skip(1) {
        let (head, body) = section.split_once('\n').unwrap_or((section, ""));
        let words: Vec<&str> = head.split_whitespace().collect();
        let body =
            if body.is_empty() || body.ends_with('\n') { body.into() } else { format!("{body}\n") };
        match words.as_slice() {
            ["recipe"] => case.recipe = body,
            ["before", file, how @ ..] => {
                drop(case.before.insert((*file).into(), bytes(&body, how)));
            }
            ["after", file, how @ ..] => {
                for (certainty, count) in how.iter().filter_map(|h| h.split_once('=')) {
                    let count = count.parse().expect("a number");
                    case.edits.push(((*file).into(), certainty.into(), count));
                }
                drop(case.after.insert((*file).into(), bytes(&body, how)));
            }
            ["marked", file, old, new] => {
                drop(case.before.insert((*file).into(), bytes(&body, &[])));
                let mut after = String::new();
                let mut counts = BTreeMap::from(CERTAINTIES.map(|c| (c, 0)));
                for line in body.lines() {
                    let mark = CERTAINTIES.into_iter().find(|c| {
                        line.strip_suffix(c)
                            .is_some_and(|l| l.ends_with("// ") || l.ends_with("# "))
                    });
                    let code = match mark {
                        Some(mark) => {
                            *counts.entry(mark).or_default() += line.matches(*old).count();
                            line.replace(*old, new)
                        }
                        None => line.to_owned(),
                    };
                    after.push_str(&code);
                    after.push('\n');
                }
                case.edits.extend(counts.iter().map(|(c, n)| ((*file).into(), (*c).into(), *n)));
                drop(case.after.insert((*file).into(), after.into_bytes()));
            }
            ["leftovers"] => case.leftovers = Some(body.lines().map(str::to_owned).collect()),
            ["notes"] => case.notes = body.lines().map(str::to_owned).collect(),
            _ => panic!("{}: no section `{head}`", path.display()),
        }
    }
    assert!(!case.before.is_empty(), "{}: nothing to run on", path.display());
    case
}

/// The digests of a case, or what is wrong with it.
fn run(lang: &str, case: &Case) -> Result<Digests, String> {
    let s = Sandbox::new();
    let step =
        if case.recipe.contains("[[step]]") { "" } else { "[[step]]\nid = \"s\"\ntitle = \"s\"\n" };
    let head = format!("emendo = 1\nid = \"case\"\ntitle = \"Case\"\nlang = \"{lang}\"\n");
    std::fs::write(s.recipe_path(), format!("{head}{step}{}", case.recipe)).expect("writable");
    case.before.iter().for_each(|(path, bytes)| s.write(path, bytes));
    let before = s.tree();
    let recipe = s.recipe_path().display().to_string();
    let proposed = s.run(&["propose", "--json", &recipe]);
    if proposed.code != 0 {
        return Err(format!("propose failed:\n{}{}", proposed.out, proposed.err));
    }
    let said: Vec<String> = notes(&proposed.json());
    let missing = case.notes.iter().find(|n| !said.iter().any(|s| s.contains(n.as_str())));
    let extra = said.iter().find(|s| !case.notes.iter().any(|n| s.contains(n.as_str())));
    if let Some(n) = missing {
        return Err(format!("no note says `{n}`; the notes: {said:#?}"));
    }
    if let Some(n) = extra {
        return Err(format!("a note too many: {n}"));
    }
    let json = proposed.json();
    for (path, certainty, count) in &case.edits {
        let found = edits(&json, path).iter().filter(|c| *c == certainty).count();
        if found != *count {
            let all = edits(&json, path);
            return Err(format!("{path}: {found} edits are {certainty}, not {count}: {all:?}"));
        }
    }
    if let Some(wanted) = &case.leftovers {
        let found = leftovers(&json);
        if found != *wanted {
            return Err(format!("left are {found:#?}, not {wanted:#?}"));
        }
    }
    // What carries a caution is covered only where its step is named.
    let json = proposed.json();
    for step in json["steps"].as_array().into_iter().flatten() {
        let id = step["step"].as_str().unwrap_or("");
        s.run(&["accept", "--step", id, "--certainty", "unsure"]);
    }
    let applied = s.run(&["apply", "--accept", "all"]);
    if applied.code != 0 {
        return Err(format!("apply failed:\n{}{}", applied.out, applied.err));
    }
    let mut expected = before.clone();
    expected.extend(case.after.clone());
    let found = s.tree();
    for (path, wanted) in &expected {
        let (is, wanted) = (String::from_utf8_lossy(&found[path]), String::from_utf8_lossy(wanted));
        if is != wanted {
            return Err(format!("{path} became\n{is}\nand not\n{wanted}"));
        }
    }
    let digests = golden::digests(&s, &proposed);
    let again = s.run(&["propose", &recipe]);
    if !again.out.contains("nothing to change") {
        return Err(format!("a second run finds more:\n{}", again.out));
    }
    if !case.after.is_empty() {
        let undone = s.run(&["undo"]);
        if undone.code != 0 || s.tree() != before {
            return Err(format!("undo does not restore all:\n{}{}", undone.out, undone.err));
        }
    }
    Ok(digests)
}

fn notes(proposal: &serde_json::Value) -> Vec<String> {
    let list = |v: &serde_json::Value| v.as_array().cloned().unwrap_or_default();
    let files = list(&proposal["files"]).into_iter().flat_map(|f| list(&f["notes"]));
    let all = files.chain(list(&proposal["notes"]));
    all.filter_map(|n| n["say"].as_str().map(str::to_owned)).collect()
}

/// How sure the edits of a file are.
fn edits(proposal: &serde_json::Value, path: &str) -> Vec<String> {
    let files = proposal["files"].as_array().cloned().unwrap_or_default();
    let file = files.into_iter().find(|f| f["path"] == path).unwrap_or_default();
    let edits = file["edits"].as_array().cloned().unwrap_or_default();
    let own = edits.iter().filter(|e| e["derived"] != true && e["standing"] == "in");
    own.filter_map(|e| e["certainty"].as_str().map(str::to_owned)).collect()
}

/// The places of leftovers.
fn leftovers(proposal: &serde_json::Value) -> Vec<String> {
    let mut out = Vec::new();
    for file in proposal["files"].as_array().into_iter().flatten() {
        for left in file["leftovers"].as_array().into_iter().flatten() {
            out.push(format!("{}:{}", file["path"].as_str().unwrap_or(""), left["line"]));
        }
    }
    out.dedup();
    out
}

fn language(lang: &str) {
    folder(lang, "cases");
    folder(lang, "meanings");
    folder(lang, "types");
    folder(lang, "signatures");
}

fn folder(lang: &str, kind: &str) {
    let dir = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests").join(kind).join(lang);
    let entries = std::fs::read_dir(dir).expect("there").map(|e| e.expect("readable").path());
    let only = std::env::var("EMENDO_CASE").unwrap_or_default();
    let case = |p: &PathBuf| p.extension().is_some_and(|e| e == "case");
    let mut files: Vec<PathBuf> =
        entries.filter(|p| case(p) && p.to_string_lossy().contains(&only)).collect();
    files.sort();
    let one = |path: &PathBuf| {
        let mut case = read(path);
        if case.recipe.is_empty() {
            case.recipe =
                std::fs::read_to_string(path.with_file_name("shared.toml")).expect("shared");
        }
        let name = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
        let ran = run(lang, &case).map_err(|what| format!("== {kind}/{lang}/{name}: {what}"));
        ran.map(|digests| (name, digests))
    };
    let ran: Vec<Result<(String, Digests), String>> = std::thread::scope(|scope| {
        let parts = files.chunks(files.len().div_ceil(4).max(1));
        let parts: Vec<_> = parts
            .map(|part| scope.spawn(move || part.iter().map(one).collect::<Vec<_>>()))
            .collect();
        parts.into_iter().flat_map(|p| p.join().expect("no panic")).collect()
    });
    let wrong: Vec<String> = ran.iter().filter_map(|r| r.clone().err()).collect();
    let count = wrong.len();
    assert!(wrong.is_empty(), "{count} of {} cases\n{}", files.len(), wrong.join("\n"));
    let digests = ran.into_iter().flatten().collect();
    golden::compare(&format!("{kind}-{lang}"), &digests, only.is_empty());
}

/// Settings formats and manifests: no language is given there.
#[test]
fn documents() {
    for kind in ["settings", "manifests"] {
        let dir = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests").join(kind);
        for group in std::fs::read_dir(dir).expect("there").map(|e| e.expect("readable")) {
            folder(&group.file_name().to_string_lossy(), kind);
        }
    }
}

#[test]
fn java() {
    language("java");
}

#[test]
fn typescript() {
    language("typescript");
}

#[test]
fn python() {
    language("python");
}

#[test]
fn rust() {
    language("rust");
}

#[test]
fn csharp() {
    language("csharp");
}
