//! Faulty recipes with what `recipe check` says of them, as data in `tests/faulty/`: each message is read as a stranger reads it.

use std::path::PathBuf;

use testkit::Sandbox;

#[test]
fn each_fault_is_said_with_its_place_and_a_way_out() {
    let dir = PathBuf::from(env!("CARGO_MANIFEST_DIR")).join("tests/faulty");
    let mut files: Vec<PathBuf> =
        std::fs::read_dir(dir).expect("there").map(|e| e.expect("readable").path()).collect();
    files.sort();
    assert!(files.len() >= 30, "{} faults", files.len());
    let mut wrong = Vec::new();
    for path in files {
        let text = std::fs::read_to_string(&path).expect("readable");
        let parts = text.strip_prefix("--- recipe\n").and_then(|t| t.split_once("\n--- says\n"));
        let (recipe, says) = parts.unwrap_or_else(|| panic!("{}", path.display()));
        let s = Sandbox::new();
        s.write("recipe.toml", format!("{recipe}\n"));
        let run = s.run(&["recipe", "check", "recipe.toml"]);
        let said: Vec<&str> = run.out.lines().map(str::trim_end).collect();
        let said = format!("{}{}", said.join("\n").trim_end(), run.err);
        if said != says.trim_end() {
            wrong.push(format!("== {}\n{said}\n-- and not\n{says}", path.display()));
        }
        for line in said.lines().filter(|l| l.starts_with("error") || l.starts_with("warning")) {
            let code = line.split(['[', ']']).nth(1).unwrap_or("");
            let page = PathBuf::from(env!("CARGO_MANIFEST_DIR"))
                .join(format!("../../docs/errors/{code}.md"));
            assert!(page.is_file(), "{line}: no page");
        }
        // An error keeps the recipe from running, a warning does not.
        assert_eq!(run.code == 2, says.contains("error["), "{}", path.display());
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
