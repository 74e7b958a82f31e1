//! From text to recipe, with a kind of action of a few keys: what is read, what is inherited, and every error at its place.

use std::collections::BTreeMap;

use emendo_recipe::{
    Action, ActionKind, Beside, Globs, InputKind, Key, Loaded, Recipe, Shape, Source, load, pairs,
    read_table, schema,
};
use emendo_text::{Help, RelPath, Severity};

struct Trim;

const KEYS: &[Key] = &[
    Key::required("old", Shape::Text, "what goes"),
    Key::new("new", Shape::Text, "what comes"),
    Key::new("pairs", Shape::Pairs, "many old and new"),
    Key::new("table", Shape::Text, "many old and new, from a file"),
    Key::new("base", Shape::Base, "stands before each"),
    Key::new("count", Shape::Integer, "how many"),
    Key::new("twice", Shape::Bool, "it is done twice"),
    Key::new("how", Shape::Words(&["short", "shorter"]), "how short it becomes"),
    Key::new("to", Shape::Version, "a version"),
    Key::later("soon"),
];

impl ActionKind for Trim {
    fn name(&self) -> &'static str {
        "trim"
    }
    fn about(&self) -> &'static str {
        "something becomes shorter"
    }
    fn keys(&self) -> &'static [Key] {
        KEYS
    }
    fn about_code(&self) -> bool {
        true
    }
}

static TRIM: Trim = Trim;
const HEAD: &str = "emendo = 1\nid = \"tide\"\ntitle = \"Tide\"\n";
static BESIDE: &[(&str, &[u8])] =
    &[("names.csv", b"old,new,advice\na,b,\nc,,gone for good\n"), ("twice.csv", b"a,b\na,c\n")];

fn source(text: &str) -> Source {
    let name = "tide.toml".to_owned();
    Source { path: name.clone(), name, text: text.to_owned(), beside: Beside::Held(BESIDE) }
}

fn with(text: &str, inputs: &[(&str, &str)]) -> Loaded {
    let given: BTreeMap<String, String> =
        inputs.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
    load(source(text), &[&TRIM], &given)
}

/// A recipe of one step with an action of these keys.
fn action(keys: &str) -> Loaded {
    with(&format!("{HEAD}[[step]]\nid = \"a\"\ntitle = \"A\"\n[[step.trim]]\n{keys}\n"), &[])
}

fn recipe(loaded: Loaded) -> Recipe {
    let said: Vec<&str> = loaded.diagnostics.iter().map(|d| d.message.as_str()).collect();
    assert!(!loaded.failed(), "{said:?}");
    loaded.recipe
}

fn only(recipe: &Recipe) -> &Action {
    &recipe.steps[0].actions[0]
}

/// The errors, each as its message and the text that it marks.
fn errors(loaded: &Loaded) -> Vec<(String, String)> {
    let all = loaded.diagnostics.iter().filter(|d| d.severity == Severity::Error);
    let marked = |d: &emendo_text::Diagnostic| {
        d.labels.first().map_or("", |l| l.span.of(&loaded.recipe.source.text)).to_owned()
    };
    all.map(|d| (d.message.clone(), marked(d))).collect()
}

#[track_caller]
fn wrong(loaded: &Loaded, message: &str, marks: &str) {
    let all = errors(loaded);
    assert!(all.iter().any(|e| e.0.contains(message) && e.1 == marks), "{all:?}");
}

#[test]
fn a_recipe_is_read_with_its_steps_in_order() {
    let step =
        |id: &str| format!("[[step]]\nid = \"{id}\"\ntitle = \"T\"\n[[step.trim]]\nold = \"x\"\n");
    let r = recipe(with(&format!("{HEAD}{}{}", step("b"), step("a")), &[]));
    assert_eq!((r.id.as_str(), r.title.as_str()), ("tide", "Tide"));
    assert_eq!(r.steps.iter().map(|s| s.id.as_str()).collect::<Vec<_>>(), ["b", "a"]);
    assert!(r.step("a").is_some() && r.step("c").is_none());
}

#[test]
fn every_error_of_a_file_is_found_at_once() {
    let loaded = action("old = 1\ncount = \"x\"\nwide = true");
    assert!(errors(&loaded).len() >= 3, "{:?}", errors(&loaded));
}

#[test]
fn errors_are_in_the_order_of_the_file() {
    let loaded = action("wide = true\nold = 1\ncount = \"x\"");
    let starts: Vec<u32> = loaded.diagnostics.iter().map(emendo_text::Diagnostic::start).collect();
    assert!(starts.is_sorted(), "{starts:?}");
}

#[test]
fn text_after_a_syntax_error_is_still_read() {
    let loaded = action("old = \"x\"\nnew = = \"y\"\nwide = 1");
    assert!(loaded.failed());
    assert_eq!(loaded.recipe.id, "tide");
}

#[test]
fn an_unknown_key_is_marked_and_the_nearest_one_offered() {
    let loaded = action("old = \"x\"\ncuont = 1");
    wrong(&loaded, "has no key `cuont`", "cuont");
    let d = loaded.diagnostics.iter().find(|d| d.message.contains("cuont")).expect("is there");
    assert!(matches!(&d.help, Some(Help::Text(t)) if t.contains("`count`")), "{:?}", d.help);
}

#[test]
fn a_required_key_that_is_missing_is_an_error() {
    let all = errors(&action("new = \"y\""));
    assert!(all.iter().any(|e| e.0.contains("has no `old`")), "{all:?}");
}

#[test]
fn a_value_of_another_type_is_marked() {
    wrong(&action("old = \"x\"\ncount = \"many\""), "count", "\"many\"");
    wrong(&action("old = \"x\"\ntwice = 1"), "twice", "1");
}

#[test]
fn a_word_must_be_one_of_those_that_are_listed() {
    wrong(&action("old = \"x\"\nhow = \"long\""), "`how` cannot be `long`", "\"long\"");
    recipe(action("old = \"x\"\nhow = \"shorter\""));
}

#[test]
fn a_version_must_be_one() {
    wrong(&action("old = \"x\"\nto = \"three\""), "`three` is no version", "\"three\"");
    recipe(action("old = \"x\"\nto = \"3.0.1\""));
}

#[test]
fn a_key_that_is_not_built_yet_says_so() {
    wrong(&action("old = \"x\"\nsoon = 1"), "`soon` is not built yet", "soon");
}

#[test]
fn a_kind_that_is_not_known_is_an_error() {
    let text =
        format!("{HEAD}[[step]]\nid = \"a\"\ntitle = \"A\"\n[[step.stretch]]\nold = \"x\"\n");
    let all = errors(&with(&text, &[]));
    assert!(all.iter().any(|e| e.0.contains("stretch")), "{all:?}");
}

#[test]
fn two_steps_with_one_id_are_an_error() {
    let step = "[[step]]\nid = \"a\"\ntitle = \"A\"\n[[step.trim]]\nold = \"x\"\n";
    wrong(&with(&format!("{HEAD}{step}{step}"), &[]), "two steps have the id `a`", "\"a\"");
}

#[test]
fn a_step_without_an_action_is_an_error() {
    let text = format!("{HEAD}[[step]]\nid = \"a\"\ntitle = \"A\"\n");
    assert!(errors(&with(&text, &[])).iter().any(|e| e.0.contains("has no action")));
}

#[test]
fn an_id_is_a_plain_word() {
    let text = "emendo = 1\nid = \"a b\"\ntitle = \"T\"\n";
    wrong(&with(text, &[]), "`a b` is not an id", "\"a b\"");
}

#[test]
fn a_newer_format_is_refused() {
    let text = "emendo = 2\nid = \"a\"\ntitle = \"T\"\n";
    wrong(&with(text, &[]), "version of the recipe format", "2");
}

#[test]
fn the_nearest_word_about_language_and_files_counts() {
    let text = format!(
        "{HEAD}lang = \"reed\"\nfiles = \"a/**\"\n[[step]]\nid = \"s\"\ntitle = \"S\"\nlang = \"sedge\"\n[[step.trim]]\nold = \"x\"\n[[step.trim]]\nold = \"y\"\nlang = \"rush\"\nfiles = \"b/**\"\n"
    );
    let r = recipe(with(&text, &[]));
    let lang = |i: usize| r.steps[0].actions[i].scope.lang.as_ref().map(|t| t.text.as_str());
    assert_eq!((lang(0), lang(1)), (Some("sedge"), Some("rush")));
    let path = |p: &str| RelPath::new(p).expect("a path");
    let covers = |i: usize, p: &str| r.steps[0].actions[i].scope.covers(&path(p));
    assert!(covers(0, "a/x.txt") && !covers(0, "b/x.txt"));
    assert!(covers(1, "b/x.txt") && !covers(1, "a/x.txt"));
}

#[test]
fn names_of_the_recipe_and_the_step_are_joined() {
    let text = format!(
        "{HEAD}names = {{ Mole = \"a.Mole\", Quay = \"a.Quay\" }}\n[[step]]\nid = \"s\"\ntitle = \"S\"\nnames = {{ Quay = \"b.Quay\" }}\n[[step.trim]]\nold = \"x\"\n"
    );
    let r = recipe(with(&text, &[]));
    let symbols = only(&r).scope.symbols();
    assert_eq!((symbols["Mole"].as_str(), symbols["Quay"].as_str()), ("a.Mole", "b.Quay"));
}

const INPUT: &str = "[inputs.to]\ntype = \"version\"\n[[step]]\nid = \"a\"\ntitle = \"To @{input.to}\"\n[[step.trim]]\nold = \"x\"\nto = \"@{input.to}\"\n";

#[test]
fn an_input_stands_wherever_the_recipe_says() {
    let r = recipe(with(&format!("{HEAD}{INPUT}"), &[("to", "3.0")]));
    assert_eq!(r.steps[0].title, "To 3.0");
    assert_eq!(only(&r).table.text("to").map(|t| t.text.as_str()), Some("3.0"));
}

#[test]
fn an_input_without_a_value_asks_for_one() {
    let loaded = with(&format!("{HEAD}{INPUT}"), &[]);
    let ways = loaded.diagnostics.iter().filter_map(|d| d.help.as_ref());
    let asks = |h: &&Help| matches!(h, Help::GiveInput(name) if name == "to");
    assert!(ways.filter(asks).count() >= 1);
}

#[test]
fn an_input_of_another_type_is_an_error() {
    let loaded = with(&format!("{HEAD}{INPUT}"), &[("to", "three")]);
    assert!(loaded.failed());
}

#[test]
fn an_input_that_nobody_declared_is_an_error() {
    let loaded = with(
        &format!("{HEAD}[[step]]\nid = \"a\"\ntitle = \"A\"\n[[step.trim]]\nold = \"x\"\n"),
        &[("port", "1")],
    );
    assert!(errors(&loaded).iter().any(|e| e.0.contains("no input `port`")));
}

#[test]
fn what_an_input_may_be_is_checked() {
    assert!(InputKind::Version.fits("3.0.2") && !InputKind::Version.fits("three"));
    assert!(InputKind::Symbol.fits("a.b.Mole") && !InputKind::Symbol.fits("a b"));
    assert!(InputKind::Number.fits("-7") && !InputKind::Number.fits("7.5"));
    assert!(InputKind::Boolean.fits("true") && !InputKind::Boolean.fits("yes"));
    assert!(InputKind::Text.fits("anything at all"));
}

/// Old, new and advice.
type Row = (String, Option<String>, Option<String>);

/// The pairs of an action, and the messages about them.
fn found(keys: &str) -> (Vec<Row>, Vec<String>) {
    let r = recipe(action(keys));
    let mut out = Vec::new();
    let all = pairs(only(&r), &r.source, &|_| ".", &mut out);
    let one = |p: emendo_recipe::Pair| (p.old.text.clone(), p.new.map(|n| n.text), p.advice);
    (all.into_iter().map(one).collect(), out.into_iter().map(|d| d.message).collect())
}

#[test]
fn pairs_come_from_keys_lists_and_tables_in_that_order() {
    let (all, said) =
        found("old = \"x\"\nnew = \"y\"\npairs = [[\"p\", \"q\"]]\ntable = \"names.csv\"");
    let olds: Vec<&str> = all.iter().map(|p| p.0.as_str()).collect();
    assert_eq!((olds, said), (vec!["x", "p", "a", "c"], Vec::new()));
    assert_eq!(all[3].2.as_deref(), Some("gone for good"));
}

#[test]
fn a_base_stands_before_both_sides_or_one() {
    let (all, _) = found("old = \"x\"\nnew = \"y\"\nbase = \"a.b\"");
    assert_eq!((all[0].0.as_str(), all[0].1.as_deref()), ("a.b.x", Some("a.b.y")));
    let (all, _) = found("old = \"x\"\nnew = \"y\"\nbase = { old = \"a\", new = \"c\" }");
    assert_eq!((all[0].0.as_str(), all[0].1.as_deref()), ("a.x", Some("c.y")));
}

#[test]
fn one_name_that_becomes_two_is_an_error() {
    let (_, said) = found("old = \"z\"\nnew = \"z2\"\ntable = \"twice.csv\"");
    assert!(said.iter().any(|m| m.contains("`a` becomes both")), "{said:?}");
}

#[test]
fn a_table_that_is_not_there_is_an_error() {
    let (all, said) = found("old = \"x\"\ntable = \"none.csv\"");
    assert_eq!(all.len(), 1);
    assert!(said[0].contains("cannot read the table `none.csv`"), "{said:?}");
}

#[test]
fn a_table_outside_the_recipes_folder_is_not_read() {
    let (_, said) = found("old = \"x\"\ntable = \"../names.csv\"");
    assert!(said[0].contains("is not a file of the recipe's folder"), "{said:?}");
}

#[test]
fn a_table_is_read_with_a_header_or_without() {
    let olds = |text: &str| {
        let (rows, _) = read_table("t.csv", text.as_bytes());
        rows.into_iter().map(|p| p.old.text).collect::<Vec<_>>()
    };
    assert_eq!(olds("old,new\na,b\n"), ["a"]);
    assert_eq!(olds("a,b\nc,d\n"), ["a", "c"]);
    assert_eq!(olds("new,old\nb,a\n"), ["a"], "a header says which is which");
    assert_eq!(olds("\u{feff}a,b\r\n"), ["a"]);
}

#[test]
fn globs_match_whole_paths() {
    let globs = Globs::compile(&["src/**/*.txt".into()]).expect("compiles");
    let fits = |p: &str| globs.matches(&RelPath::new(p).expect("a path"));
    assert!(fits("src/a.txt") && fits("src/a/b.txt"));
    assert!(!fits("a.txt") && !fits("lib/src/a.txt"));
}

#[test]
fn the_identity_of_a_recipe_is_its_text_and_its_inputs() {
    let of = |text: &str| with(text, &[]).recipe.digest;
    assert_eq!(of(HEAD), of(HEAD));
    assert_ne!(of(HEAD), of(&format!("{HEAD}# more\n")));
}

#[test]
fn the_schema_describes_every_key_of_every_kind() {
    let text = schema(&[&TRIM]).to_string();
    for key in KEYS.iter().filter(|k| !matches!(k.shape, Shape::Later)) {
        assert!(text.contains(&format!("\"{}\"", key.name)), "{}", key.name);
        assert!(text.contains(key.about), "{}", key.about);
    }
}
