//! Where recipes are found, what they include, and which of their steps run.

use testkit::Sandbox;

const HEAD: &str = "emendo = 1\nlang = 'python'\n";

fn step(id: &str, old: &str, new: &str) -> String {
    format!(
        "[[step]]\nid = '{id}'\ntitle = '{old} becomes {new}'\n[[step.symbol]]\nwhat = 'function'\nold = 'tide.{old}'\nnew = 'tide.{new}'\n"
    )
}

/// A project with a chain of recipes: 2 to 2.7, and that with more to 3.
fn project() -> Sandbox {
    let s = Sandbox::new();
    s.write("emendo.toml", "recipes = ['recipes']\n");
    s.write("a.py", "from tide import open\nopen(1)\n");
    let first = format!(
        "{HEAD}id = 'tide-2.7'\ntitle = 'To 2.7'\n[inputs.word]\ntype = 'symbol'\ndefault = 'load'\n{}",
        step("load", "open", "@{input.word}")
    );
    s.write("recipes/deep/tide-27.toml", first);
    let whole = format!(
        "{HEAD}id = 'tide-3'\ntitle = 'To 3'\nlibrary = {{ name = 'Tide', coordinates = ['python:tide'], from = '<3', to = '3' }}\n\
         [[step]]\nid = 'first'\nwhy = 'it starts from 2.7'\ncaution = 'read the notes'\n[step.include]\nrecipe = 'tide-2.7'\n{}",
        step("read", "load", "read")
    );
    s.write("recipes/tide-3.toml", whole);
    s
}

#[test]
fn recipes_are_found_by_their_ids() {
    let s = project();
    let list = s.run(&["recipe", "list"]).ok();
    for part in ["tide-2.7", "tide-3", "Tide <3 to 3", "project: "] {
        assert!(list.out.contains(part), "{part}\n{}", list.out);
    }
    let one = s.run(&["recipe", "list", "--library", "python:tide", "--json"]).ok().json();
    assert_eq!(one["recipes"][0]["id"], "tide-3", "{one:#}");
    assert_eq!(one["recipes"][0]["kept"], "project");
    s.run(&["recipe", "list", "--ecosystem", "cargo", "tide-3"]).ok();
    s.run(&["propose", "tide-33"])
        .code(2)
        .says("there is no recipe `tide-33`")
        .says("did you mean");
    // The user's own folder comes after the project's.
    let own = s.root().parent().expect("one").join(".config/emendo/recipes");
    std::fs::create_dir_all(&own).expect("made");
    std::fs::write(
        own.join("own.toml"),
        format!("{HEAD}id = 'own'\ntitle = 'Own'\n{}", step("a", "x", "y")),
    )
    .expect("written");
    assert!(s.run(&["recipe", "list"]).ok().out.contains("user: "));
    s.write("emendo.toml", "recipes = ['nowhere']\n");
    s.run(&["recipe", "list"]).ok();
    s.run(&["survey"]).code(2).says("`recipes` names `nowhere`, which is not a folder here");
}

#[test]
fn an_included_recipe_runs_within_its_step() {
    let s = project();
    let show = s.run(&["recipe", "show", "tide-3"]).ok();
    for part in [
        "includes the recipe tide-2.7",
        "it starts from 2.7",
        "first/load",
        "caution: read the notes",
        "2 steps",
    ] {
        assert!(show.out.contains(part), "{part}\n{}", show.out);
    }
    let run = s.run(&["propose", "tide-3"]).ok();
    for part in
        ["first/load", "(tide-3 > tide-2.7)", "+from tide import read", "caution: read the notes"]
    {
        assert!(run.out.contains(part), "{part}\n{}", run.out);
    }
    // What includes it says its inputs.
    let text = std::fs::read_to_string(s.path("recipes/tide-3.toml")).expect("there");
    s.write(
        "recipes/tide-3.toml",
        text.replace(
            "recipe = 'tide-2.7'",
            "recipe = 'deep/tide-27.toml'\ninputs = { word = 'load' }",
        ),
    );
    assert!(s.run(&["propose", "tide-3"]).ok().out.contains("+from tide import read"));
    s.write(
        "recipes/tide-3.toml",
        text.replace("recipe = 'tide-2.7'", "recipe = 'tide-2.7'\ninputs = { word = '7' }"),
    );
    s.run(&["propose", "tide-3"])
        .code(2)
        .says("the input `word` cannot be `7`")
        .says("the recipe `tide-2.7` is faulty");
    s.write("recipes/tide-3.toml", text.replace("'tide-2.7'", "'tide-2.8'"));
    s.run(&["propose", "tide-3"])
        .code(2)
        .says("there is no recipe `tide-2.8`")
        .says("did you mean `tide-2.7`");
}

#[test]
fn steps_can_be_chosen_and_decided_by_their_ids() {
    let s = project();
    let until = s.run(&["propose", "tide-3", "--until", "first"]).ok();
    assert!(
        until.out.contains("+from tide import load") && !until.out.contains("read  "),
        "{}",
        until.out
    );
    // What was limited stays so, wherever it is decided on.
    s.run(&["accept", "--step", "first"]).ok();
    s.run(&["apply"]).ok();
    assert_eq!(s.read("a.py"), "from tide import load\nload(1)\n");
    s.run(&["propose", "tide-3", "--step", "tide-3/first/load"]).ok();
    let rest = s.run(&["propose", "tide-3", "--step", "read"]).ok();
    assert!(rest.out.contains("+from tide import read"), "{}", rest.out);
    s.run(&["propose", "tide-3", "--step", "rest"])
        .code(2)
        .says("no step is called `rest`; there are: first/load, read");
}

#[test]
fn what_cannot_be_included_is_said() {
    let s = project();
    let outer = |steps: &str| {
        s.write("recipes/x.toml", format!("{HEAD}id = 'x'\ntitle = 'X'\n{steps}"));
        s.run(&["recipe", "check", "x"])
    };
    let include = |id: &str, word: &str| {
        format!("[[step]]\nid = '{id}'\n[step.include]\nrecipe = '{word}'\n")
    };
    outer(&include("a", "x")).code(2).says("the recipe includes itself: x.toml -> x.toml");
    s.write("recipes/y.toml", format!("{HEAD}id = 'y'\ntitle = 'Y'\n{}", include("b", "x")));
    outer(&include("a", "y")).code(2).says("x.toml -> y.toml -> x.toml");
    outer(&(include("a", "tide-2.7") + &include("b", "tide-2.7")))
        .code(2)
        .says("included twice with the same inputs");
    outer(&format!("{}[[step.note]]\nsay = 'n'\n", include("a", "tide-2.7")))
        .code(2)
        .says("`include` stands alone in its step");
    outer("[[step]]\nid = 'a'\n[step.include]\nrecipe = 'tide-2.7'\ninputs = { other = 'x' }\n")
        .code(2)
        .says("the recipe has no input `other`");
}

#[test]
fn inputs_are_what_they_must_be() {
    let s = Sandbox::new();
    s.write("a.py", "open(1)\n");
    let recipe = |inputs: &str| {
        s.recipe(&format!(
            "{inputs}\n[[step]]\nid = 's'\ntitle = 't'\n[[step.note]]\nsay = '@{{input.v}}'\n"
        ));
    };
    let given = |value: &str| {
        s.run(&[
            "propose",
            &s.recipe_path().display().to_string(),
            "--input",
            &format!("v={value}"),
        ])
    };
    recipe("[inputs.v]\ntype = 'version'");
    given("3.0.2").ok();
    given("three").code(2).says("the input `v` cannot be `three`").says("a version, such as");
    recipe("[inputs.v]\ntype = 'number'\ndefault = 'x'");
    s.propose().code(2).says("the default of the input `v` cannot be `x`");
    recipe("[inputs.v]\none_of = ['a', 'b']");
    given("a").ok();
    given("c").code(2).says("one of: a, b");
    recipe("[inputs.v]\ntype = 'colour'");
    s.propose().code(2).says("`type` cannot be `colour`").says("boolean");
}
