//! Applying in two rounds gives the same tree as applying at once: later steps see what earlier ones wrote, be it in the
//! same run or in the project. Over the demo, the recipes of the pages, and every case with several steps.

use std::collections::BTreeMap;

use testkit::{Case, Folder, Sandbox, folders};

use crate::docs::{before_of, page, recipes};

type Tree = BTreeMap<String, Vec<u8>>;

/// Where a recipe runs: the project's folder and the recipe, as the program is given them.
struct Place {
    s: Sandbox,
    project: String,
    recipe: String,
}

impl Place {
    fn of(s: Sandbox) -> Self {
        let (project, recipe) =
            (s.root().display().to_string(), s.recipe_path().display().to_string());
        Self { s, project, recipe }
    }

    /// Writes all edits of the steps up to one, or of all; gives the steps.
    fn round(&self, until: Option<&str>) -> Result<Vec<String>, String> {
        let mut args = vec!["-C", &self.project, "propose", "--json", &self.recipe];
        args.extend(until.iter().flat_map(|step| ["--until", step]));
        let proposed = self.s.run(&args);
        if proposed.code != 0 {
            return Err(format!("{}{}", proposed.out, proposed.err));
        }
        let json = proposed.json();
        let steps = json["steps"].as_array().cloned().unwrap_or_default();
        let steps: Vec<String> =
            steps.iter().filter_map(|s| s["step"].as_str().map(str::to_owned)).collect();
        for step in &steps {
            let step = ["accept", "--step", step.as_str(), "--certainty", "unsure"];
            self.s.run(&[&["-C", self.project.as_str()], &step[..]].concat());
        }
        let applied = self.s.run(&["-C", &self.project, "apply", "--accept", "all"]);
        if applied.code != 0 {
            return Err(format!("{}{}", applied.out, applied.err));
        }
        Ok(steps)
    }
}

/// Compares the tree after one round with those after two, cut behind each step. Gives how many it compared.
fn compare(name: &str, make: &dyn Fn() -> Place, wrong: &mut Vec<String>) -> usize {
    let whole = make();
    let steps = match whole.round(None) {
        Ok(steps) => steps,
        Err(why) => {
            wrong.push(format!("== {name}: {why}"));
            return 0;
        }
    };
    let at_once = whole.s.tree();
    for step in steps.iter().rev().skip(1) {
        let cut = make();
        let ran = cut.round(Some(step)).and_then(|_| cut.round(None));
        if let Err(why) = ran {
            wrong.push(format!("== {name}, cut behind `{step}`: {why}"));
            continue;
        }
        let found = cut.s.tree();
        wrong.extend(
            differs(&at_once, &found).map(|d| format!("== {name}, cut behind `{step}`: {d}")),
        );
    }
    steps.len().saturating_sub(1)
}

fn differs(at_once: &Tree, found: &Tree) -> Option<String> {
    let text = |tree: &Tree, path: &str| {
        tree.get(path).map_or_else(String::new, |b| String::from_utf8_lossy(b).into_owned())
    };
    let path = at_once.keys().chain(found.keys()).find(|p| at_once.get(*p) != found.get(*p))?;
    Some(format!("{path} became\n{}\nand at once\n{}", text(found, path), text(at_once, path)))
}

#[test]
fn of_the_demo_and_the_pages() {
    let (mut wrong, mut compared) = (Vec::new(), 0);
    let demo = || {
        let s = Sandbox::new();
        s.run(&["demo", "sample"]).ok();
        let project = s.path("sample/project").display().to_string();
        let recipe = s.path("sample/tidewire-3.toml").display().to_string();
        s.run(&["-C", &project, "undo"]).ok();
        Place { s, project, recipe }
    };
    compared += compare("demo", &demo, &mut wrong);
    for name in ["recipe-language.md", "tutorial.md", "by-need.md"] {
        for recipe in recipes(&page(name)) {
            for (path, before) in before_of(&recipe) {
                let make = || {
                    let s = Sandbox::new();
                    std::fs::write(s.recipe_path(), &recipe).expect("writable");
                    s.write(&path, &before);
                    Place::of(s)
                };
                compared += compare(&format!("{name}: {path}"), &make, &mut wrong);
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(compared > 15, "{compared} cuts");
}

#[test]
fn of_cases_with_several_steps() {
    let (mut wrong, mut all) = (Vec::new(), 0);
    for folder in folders("emendo-languages").into_iter().chain(folders("emendo-actions")) {
        let one = |case: &Case, lang: &str| {
            let (mut wrong, mut compared) = (Vec::new(), 0);
            if case.recipe.matches("[[step]]").count() > 1 {
                compared += compare("case", &|| Place::of(case.sandbox(lang)), &mut wrong);
            }
            if wrong.is_empty() { Ok(compared) } else { Err(wrong.join("\n")) }
        };
        match folder.run(one) {
            Ok(ran) => all += ran.iter().map(|r| r.1).sum::<usize>(),
            Err(what) => wrong.push(what),
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(all > 15 || !Folder::only().is_empty(), "{all} cuts");
}
