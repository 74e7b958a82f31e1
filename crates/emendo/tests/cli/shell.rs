//! Completions and manual pages know every command.

use testkit::Sandbox;

#[test]
fn shells_and_manuals_know_every_command() {
    let s = Sandbox::new();
    for shell in ["bash", "zsh", "fish", "powershell", "elvish"] {
        let script = s.run(&["completions", shell]).ok().out;
        for word in ["leftovers", "with-uncommitted", "from-table"] {
            assert!(script.contains(word), "{shell} without {word}");
        }
    }
    s.run(&["completions", "cobol"]).code(2);
    assert!(s.run(&["man"]).ok().out.starts_with(".ie"));
    s.run(&["man", "--out", "pages"]).ok();
    let page = |name: &str| s.read(&format!("pages/{name}.1"));
    assert!(page("emendo-recipe-test").contains("coverage"));
    assert!(page("emendo-accept").contains("emendo accept"));
    s.write("taken", "");
    s.run(&["man", "--out", "taken/pages"]).code(5).says("cannot make");
}
