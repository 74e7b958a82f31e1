//! What comes with the program is what stands in the repository.
//!
//! `EMENDO_GOLDEN=write cargo test` writes the sets anew.

use std::path::Path;

/// A folder as one text; what is not meant to be shipped stays out.
fn packed(folder: &Path) -> String {
    let mut paths: Vec<_> = walk(folder);
    paths.sort();
    let mut out = String::new();
    for path in paths {
        let text = std::fs::read_to_string(&path).expect("text");
        let name = path.strip_prefix(folder).expect("inside").to_string_lossy().replace('\\', "/");
        out.push_str(&format!("==> {name} {}\n{text}\n", text.len()));
    }
    out
}

fn walk(folder: &Path) -> Vec<std::path::PathBuf> {
    let entries = std::fs::read_dir(folder).expect("readable").flatten().map(|e| e.path());
    entries.flat_map(|p| if p.is_dir() { walk(&p) } else { vec![p] }).collect()
}

#[test]
fn the_program_carries_what_the_repository_holds() {
    let top = testkit::workspace();
    for (folder, set) in [("demo", "demo.txt"), ("docs/errors", "errors.txt")] {
        let path = top.join("crates/emendo/data").join(set);
        let now = packed(&top.join(folder));
        if std::env::var("EMENDO_GOLDEN").is_ok_and(|v| v == "write") {
            std::fs::write(&path, &now).expect("writable");
        }
        let kept = std::fs::read_to_string(&path).unwrap_or_default();
        assert!(kept == now, "data/{set} is not {folder}/: EMENDO_GOLDEN=write takes it over");
    }
}
