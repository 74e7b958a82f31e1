//! Every block of code on every page is what its first line says that it is: recipes and parts of them are checked, commands run on the demo.

use testkit::{Sandbox, workspace};

use crate::commands::words;

/// A block of a page: its tag, its text, the line that it begins on.
struct Block {
    tag: String,
    text: String,
    line: usize,
}

fn blocks(page: &str) -> Vec<Block> {
    let (mut out, mut open): (Vec<Block>, Option<Block>) = (Vec::new(), None);
    for (i, line) in page.lines().enumerate() {
        match (&mut open, line.strip_prefix("```")) {
            (None, Some(tag)) => {
                open = Some(Block { tag: tag.trim().to_owned(), text: String::new(), line: i + 1 });
            }
            (Some(_), Some("")) => out.extend(open.take()),
            (Some(block), _) => block.text.push_str(&format!("{line}\n")),
            (None, None) => {}
        }
    }
    out
}

/// All pages, by their names from the top.
fn pages() -> Vec<(String, String)> {
    let mut out = Vec::new();
    let mut folders = vec![workspace()];
    while let Some(folder) = folders.pop() {
        for path in std::fs::read_dir(folder).expect("readable").flatten().map(|e| e.path()) {
            let name = path.file_name().unwrap_or_default().to_string_lossy().into_owned();
            let skipped = name.starts_with('.') || matches!(name.as_str(), "target" | "tests");
            if path.is_dir() && !skipped {
                folders.push(path);
            } else if name.ends_with(".md") {
                let shown = path.strip_prefix(workspace()).expect("inside").display().to_string();
                out.push((shown, std::fs::read_to_string(&path).expect("readable")));
            }
        }
    }
    out.sort();
    out
}

/// A part of a recipe with what must stand around it.
fn whole(part: &str) -> String {
    let has = |head: &str| part.lines().any(|l| l.starts_with(head));
    let mut out = String::new();
    if !has("emendo = ") {
        out.push_str("emendo = 1\nid = \"part\"\ntitle = \"Part\"\n");
    }
    if !has("lang = ") {
        out.push_str("lang = \"java\"\n");
    }
    // Keys of the recipe itself come first, then the step that its actions belong to.
    let action = part.lines().position(|l| l.starts_with("[[step.") && !has("[[step]]"));
    for (i, line) in part.lines().enumerate() {
        if action == Some(i) {
            out.push_str("[[step]]\nid = \"part\"\ntitle = \"Part\"\n");
        }
        out.push_str(&format!("{line}\n"));
    }
    if !has("[[step]]") && action.is_none() {
        out.push_str(
            "[[step]]\nid = \"part\"\ntitle = \"Part\"\n[[step.note]]\nsay = \"look here\"\n",
        );
    }
    out
}

/// A project with a recipe in it, and another one beside that.
fn checked(recipe: &str) -> testkit::Run {
    let s = Sandbox::new();
    s.write("recipe.toml", recipe);
    let other = whole("").replace(
        "id = \"part\"\ntitle = \"Part\"\nlang",
        "id = \"tidewire-2.7\"\ntitle = \"2.7\"\n[inputs.target]\ndefault = \"2.7\"\n#",
    );
    let other = other.replace("look here", "look here: @{input.target}");
    s.write("tidewire-2.7.toml", other);
    s.write("emendo.toml", "recipes = [\".\"]\n");
    s.write("renames.csv", "a.B,a.C\n");
    s.run(&["recipe", "check", "recipe.toml"])
}

/// What is wrong with a block of a page; `page` is its name without the ending.
fn fault(block: &Block, page: &str) -> Option<String> {
    let about = format!("[{}]", page.rsplit('/').next().unwrap_or(page));
    let recipe = || checked(&whole(&block.text));
    match block.tag.as_str() {
        // These run elsewhere, or show what is printed.
        "toml recipe" | "toml keys" | "text" => None,
        tag if tag.starts_with("rust file=") => None,
        "sh" => None,
        "csv" => csv_fault(&block.text),
        "toml" => Some(recipe()).filter(|r| r.code != 0).map(|r| r.out),
        "toml faulty" => Some(recipe()).filter(|r| !r.out.contains(&about)).map(|r| r.out),
        "toml better" => {
            Some(recipe()).filter(|r| r.code != 0 || r.out.contains(&about)).map(|r| r.out)
        }
        "toml settings" => {
            let s = Sandbox::new();
            ["recipes", "old"].iter().for_each(|f| s.write(&format!("{f}/a.txt"), ""));
            s.write("emendo.toml", &block.text);
            Some(s.run(&["survey"])).filter(|r| r.code != 0).map(|r| r.err)
        }
        other => Some(format!("nobody runs a block of `{other}`")),
    }
}

fn csv_fault(text: &str) -> Option<String> {
    let s = Sandbox::new();
    s.write("guide.csv", text);
    let run =
        s.run(&["recipe", "new", "new.toml", "--lang", "python", "--from-table", "guide.csv"]);
    Some(run).filter(|r| r.code != 0).map(|r| r.err)
}

#[test]
fn blocks_are_what_they_say() {
    let mut wrong = Vec::new();
    for (name, text) in pages() {
        let page = name.trim_end_matches(".md");
        for block in blocks(&text) {
            if let Some(fault) = fault(&block, page) {
                wrong.push(format!("{name}:{}: {}\n{fault}", block.line, block.tag));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

/// The commands of a block, each with the exit code that its comment tells: `# exits with 1`.
fn typed(block: &Block) -> Vec<(String, i32)> {
    let joined = block.text.replace("\\\n", " ");
    let lines = joined.lines().filter_map(|l| l.strip_prefix("emendo "));
    lines
        .map(|l| {
            let (line, comment) = l.split_once(" #").unwrap_or((l, ""));
            let code = comment.split("exits with ").nth(1).and_then(|c| c[..1].parse().ok());
            (line.trim().to_owned(), code.unwrap_or(0))
        })
        .collect()
}

/// Runs what a block says in the demo's project, or writes down what it shows; a command that gives another exit code is a fault.
fn perform(s: &Sandbox, block: &Block, wrong: &mut Vec<String>) {
    match block.tag.as_str() {
        "csv" => s.write("sample/project/guide.csv", &block.text),
        "toml recipe" => s.write("sample/project/tidewire-forecast.toml", &block.text),
        "sh" => {
            for (line, code) in typed(block) {
                let args = words(&line);
                let args: Vec<&str> = args.iter().map(String::as_str).collect();
                let run = s.run_from("sample/project", &args);
                // There is no terminal for a screen here.
                let no_screen = run.err.contains("needs a terminal");
                if run.code != code && !no_screen {
                    let (out, err) = (&run.out, &run.err);
                    wrong.push(format!("{}: emendo {line}: {}\n{out}{err}", block.line, run.code));
                }
            }
        }
        _ => {}
    }
}

#[test]
fn commands_of_pages_run_on_the_demo() {
    let mut wrong = Vec::new();
    for (name, text) in pages() {
        let all = blocks(&text);
        if !all.iter().any(|b| b.tag == "sh" && !typed(b).is_empty()) {
            continue;
        }
        let s = Sandbox::new();
        s.run(&["demo", "sample"]).ok();
        let before = wrong.len();
        all.iter().for_each(|b| perform(&s, b, &mut wrong));
        wrong[before..].iter_mut().for_each(|w| w.insert_str(0, &format!("{name}:")));
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
