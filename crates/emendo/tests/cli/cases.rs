//! The cases of all languages and actions (`testkit` says how one is written), run through the built program.
//!
//! Each also shows that a second run finds nothing, that `undo` restores every byte, and that its proposal and its result
//! are those of its golden digests. What is called certain is in the expected result without the rest too: how many edits
//! of each certainty were right is printed at the end (`cargo test -- --nocapture`).

use std::collections::BTreeMap;

use testkit::{Case, Folder, Found, Sandbox, folders, unexpected};

use crate::golden::{self, Digests};

/// Runs the program as the case asks, and looks whether it says what it must.
fn spoken(case: &Case, s: &Sandbox, late: bool) -> Result<(), String> {
    for spoken in case.spoken.iter().filter(|t| t.late == late) {
        let recipe = s.recipe_path().display().to_string();
        let args: Vec<String> =
            words(&spoken.args).map(|a| if a == "RECIPE" { recipe.clone() } else { a }).collect();
        let ran = s.run(&args.iter().map(String::as_str).collect::<Vec<_>>());
        let text = format!("{}{}", ran.out, ran.err);
        let wrong = |l: &&String| !l.trim().is_empty() && text.contains(l.as_str()) != spoken.says;
        if let Some(line) = spoken.lines.iter().find(wrong) {
            let does = if spoken.says { "does not say" } else { "says" };
            return Err(format!("`{}` {does} `{line}`:\n{text}", spoken.args));
        }
    }
    Ok(())
}

/// The words of a line; what stands in single quotes is one.
fn words(line: &str) -> impl Iterator<Item = String> {
    line.split('\'')
        .enumerate()
        .flat_map(|(i, part)| match i % 2 {
            1 => vec![part.to_owned()],
            _ => part.split_whitespace().map(str::to_owned).collect(),
        })
        .collect::<Vec<_>>()
        .into_iter()
}

/// How many edits of each certainty were proposed, all of which are in the expected result.
type Counts = BTreeMap<String, usize>;

/// The digests of a case with its edits, or what is wrong with it.
fn run(case: &Case, lang: &str) -> Result<(Digests, Counts), String> {
    let s = case.sandbox(lang);
    let before = s.tree();
    let recipe = s.recipe_path().display().to_string();
    let proposed = s.run(&["propose", "--json", &recipe]);
    if proposed.code != 0 {
        return Err(format!("propose failed:\n{}{}", proposed.out, proposed.err));
    }
    let json = proposed.json();
    let found = Found::of_json(&json);
    case.compare(&found)?;
    spoken(case, &s, false)?;
    // What carries a caution is covered only where its step is named.
    for step in json["steps"].as_array().into_iter().flatten() {
        let id = step["step"].as_str().unwrap_or("");
        s.run(&["accept", "--step", id, "--certainty", "unsure"]);
    }
    let applied = s.run(&["apply", "--accept", "all"]);
    if applied.code != 0 {
        return Err(format!("apply failed:\n{}{}", applied.out, applied.err));
    }
    crate::schema::valid("command_propose", &proposed.json())?;
    case.compare_files(&s.tree())?;
    let digests = golden::digests(&s, &proposed);
    spoken(case, &s, true)?;
    let again = s.run(&["propose", &recipe]);
    let nothing = vec!["nothing to change".to_owned()];
    let wanted = case.again.as_ref().unwrap_or(&nothing);
    if let Some(line) = wanted.iter().find(|l| !again.out.contains(l.as_str())) {
        return Err(format!("a second run does not say `{line}`:\n{}", again.out));
    }
    if !case.after.is_empty() {
        let undone = s.run(&["undo"]);
        if undone.code != 0 || s.tree() != before {
            return Err(format!("undo does not restore all:\n{}{}", undone.out, undone.err));
        }
    }
    let mut counts = Counts::new();
    for (_, certainty) in found.edits {
        *counts.entry(certainty).or_default() += 1;
    }
    // Where all are equally sure, the whole result has shown it.
    if counts.contains_key("certain") && counts.len() > 1 {
        certain(case, lang)?;
    }
    Ok((digests, counts))
}

/// Writes only what is certain: nothing of it may be missing from what is expected.
fn certain(case: &Case, lang: &str) -> Result<(), String> {
    let s = case.sandbox(lang);
    s.run(&["propose", &s.recipe_path().display().to_string()]);
    let applied = s.run(&["apply", "--accept", "certain"]);
    if applied.code != 0 {
        return Err(format!("apply of what is certain failed:\n{}{}", applied.out, applied.err));
    }
    let text = |bytes: Option<&Vec<u8>>| {
        bytes.map_or_else(String::new, |b| String::from_utf8_lossy(b).into_owned())
    };
    for (path, written) in s.tree() {
        let before = text(case.before.get(&path));
        let after = text(case.after.get(&path).or(case.before.get(&path)));
        let wrong = unexpected(&before, &String::from_utf8_lossy(&written), &after);
        if !wrong.is_empty() {
            let wrong = wrong.join(" ");
            return Err(format!("{path}: certain, and not in what is expected: {wrong}"));
        }
    }
    Ok(())
}

#[track_caller]
fn all(krate: &str) {
    let mut wrong = Vec::new();
    let mut right = Counts::new();
    for folder in folders(krate) {
        match folder.run(run) {
            Ok(found) => {
                for (certainty, n) in found.iter().flat_map(|(_, (_, counts))| counts) {
                    *right.entry(certainty.clone()).or_default() += n;
                }
                let found = found.into_iter().map(|(name, (d, _))| (name, d)).collect();
                golden::compare(&folder.name, &found, Folder::only().is_empty());
            }
            Err(what) => wrong.push(what),
        }
    }
    for (certainty, n) in right {
        #[expect(clippy::print_stdout, reason = "a table for who runs it with --nocapture")]
        {
            println!("{krate}: {n} edits were {certainty} and right");
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn of_languages() {
    all("emendo-languages");
}

#[test]
fn of_actions() {
    all("emendo-actions");
}
