//! The text of each picture stands beside it: a picture whose text is not what the program prints now is stale.
//!
//! A text begins with files that it needs (`--- NAME`), then says what is run before (`# emendo ...`) and what the picture shows
//! (`$ emendo ...`), with the lines of the screen below. `EMENDO_GOLDEN=write cargo test` takes what is printed now over; the picture is then
//! to be taken anew. What a terminal shows after some keys is said by `# keys COLUMNSxLINES KEY...`.

use std::path::PathBuf;

use testkit::{Sandbox, workspace};

use crate::commands::words;

/// Lines that a picture of a terminal shows.
const SCREEN: usize = 44;

fn pictures() -> Vec<PathBuf> {
    let folder = std::fs::read_dir(workspace().join("docs/screenshots")).expect("readable");
    let mut all: Vec<PathBuf> = folder.flatten().map(|e| e.path()).collect();
    all.retain(|p| p.extension().is_some_and(|e| e == "png"));
    all.sort();
    all
}

/// What comes before the screen, and the screen.
fn shown(s: &Sandbox, head: &str) -> String {
    let mut file: Option<&str> = None;
    let mut keys: Option<&str> = None;
    let mut out = String::new();
    let run = |line: &str| {
        let args = words(line);
        let args: Vec<&str> = args.iter().map(String::as_str).collect();
        match args[0] {
            // It makes the project that the others stand in.
            "demo" => s.run(&args),
            _ => s.run_from("harbour/project", &args),
        }
    };
    for line in head.lines() {
        if let Some(name) = line.strip_prefix("--- ") {
            file = Some(name);
            s.write(&format!("harbour/project/{name}"), "");
        } else if let Some(line) = line.strip_prefix("# emendo ") {
            file = None;
            run(line);
        } else if let Some(line) = line.strip_prefix("# keys ") {
            keys = Some(line);
        } else if let Some(keys) = keys.filter(|_| line.starts_with("$ emendo ")) {
            return crate::review::after_keys(s, "harbour/project", keys);
        } else if let Some(line) = line.strip_prefix("$ emendo ") {
            let run = run(line);
            // The folder lies at the top, as far as the picture tells.
            let folder = s.root().display().to_string();
            out = format!("{}{}", run.out, run.err).replace(&folder, "");
        } else if let Some(name) = file {
            let path = format!("harbour/project/{name}");
            s.write(&path, format!("{}{line}\n", s.read(&path)));
        }
    }
    let out = settled(&out);
    let lines: Vec<&str> = out.lines().map(str::trim_end).take(SCREEN).collect();
    format!("{}\n", lines.join("\n").trim_end())
}

/// The same with a time and a duration that do not change.
fn settled(text: &str) -> String {
    let words = text.split_inclusive([' ', '\n']);
    let digits = |w: &str, form: &str| {
        let w = w.trim_start_matches('(').trim_end().trim_end_matches(',');
        w.len() == form.len()
            && w.chars()
                .zip(form.chars())
                .all(|(c, f)| if f == '0' { c.is_ascii_digit() } else { c == f })
    };
    let one = |w: &str| match () {
        () if digits(w, "0000-00-00") => {
            w.replace(w.trim_start_matches('(').trim_end(), "2026-03-01")
        }
        () if digits(w, "00:00") => w.replace(&w[..5], "08:00"),
        () if digits(w, "0.0") => w.replace(&w[..3], "0.1"),
        () => w.to_owned(),
    };
    words.map(one).collect()
}

#[test]
fn the_text_of_each_picture_is_what_is_printed() {
    let all = pictures();
    assert!((10..20).contains(&all.len()), "{all:?}");
    let mut stale = Vec::new();
    for picture in all {
        let name = picture.file_name().unwrap_or_default().to_string_lossy().into_owned();
        // Those of the page are taken by the browser.
        if name.starts_with("page") {
            continue;
        }
        let path = picture.with_extension("txt");
        let kept = std::fs::read_to_string(&path).unwrap_or_else(|_| panic!("{}", path.display()));
        let end = kept.find("\n$ emendo ").map_or(0, |at| at + 1);
        let head = end + kept[end..].find('\n').map_or(0, |at| at + 1);
        let s = Sandbox::new();
        if !kept.contains("$ emendo demo") {
            s.run(&["demo", "harbour"]).ok();
        }
        let now = format!("{}{}", &kept[..head], shown(&s, &kept[..head]));
        if std::env::var("EMENDO_GOLDEN").is_ok_and(|v| v == "write") {
            std::fs::write(&path, &now).expect("writable");
        } else if now != kept {
            stale.push(format!("{}\n{now}", path.display()));
        }
    }
    assert!(stale.is_empty(), "these pictures are stale:\n{}", stale.join("\n"));
}
