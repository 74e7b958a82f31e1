//! The help of every command: what the page of commands says, and examples that run.

use std::collections::BTreeMap;

use testkit::{Sandbox, workspace};

/// The commands in the order of the program's help, those of `recipe` below it.
fn commands(s: &Sandbox, below: &[&str]) -> Vec<String> {
    let help = s.run(&[below, &["--help"]].concat()).ok().out;
    let list = help.split("\nCommands:\n").nth(1).unwrap_or("");
    let list = list.split("\n\n").next().unwrap_or("");
    let names = list.lines().filter(|l| l.starts_with("  ") && !l.starts_with("   "));
    let names = names.filter_map(|l| l.split_whitespace().next()).filter(|n| *n != "help");
    let mut out = Vec::new();
    for name in names {
        let whole: Vec<&str> = below.iter().copied().chain([name]).collect();
        out.push(whole.join(" "));
        if below.is_empty() && name == "recipe" {
            out.extend(commands(s, &["recipe"]));
        }
    }
    out
}

fn help(s: &Sandbox, command: &str) -> String {
    let args: Vec<&str> = command.split(' ').chain(["--help"]).collect();
    s.run(&args).ok().out
}

/// The examples of a help text, as typed.
fn examples(help: &str) -> Vec<&str> {
    let all = help.split("\nExamples").nth(1).unwrap_or("");
    all.lines().filter_map(|l| l.strip_prefix("  emendo ")).collect()
}

/// The arguments of a line as a shell would pass them; what is written elsewhere is printed.
pub(crate) fn words(line: &str) -> Vec<String> {
    let line = line.split(" > ").next().unwrap_or(line);
    let mut out = Vec::new();
    for (i, part) in line.split('\'').enumerate() {
        match i % 2 {
            0 => out.extend(part.split_whitespace().map(str::to_owned)),
            _ => out.push(part.to_owned()),
        }
    }
    out
}

/// The page of all commands, as their help says it.
fn page(s: &Sandbox, all: &[String]) -> String {
    let mut out = String::from(
        "# Commands\n\nAll commands with their options, as `emendo COMMAND --help` prints them. The examples run in the project that `emendo demo` leaves.\n",
    );
    let shared = |help: &str| {
        let part = help.split("\nOptions of every command:\n").nth(1).unwrap_or("");
        part.split("\n\nExamples").next().unwrap_or("").trim_end().to_owned()
    };
    let first = help(s, "survey");
    for command in all {
        let text = help(s, command);
        let (own, rest) =
            text.split_once("\nOptions of every command:\n").unwrap_or((text.as_str(), ""));
        let examples = rest
            .split_once("\n\nExamples")
            .map_or(String::new(), |(_, e)| format!("\nExamples{}\n", e.trim_end()));
        // What every command has in common is said once.
        let own = own.replace("  -h, --help\n          Print help (see a summary with '-h')\n", "");
        let own = own.trim_end().trim_end_matches("Options:").trim_end();
        let lines = |t: &str| t.lines().map(str::trim_end).collect::<Vec<_>>().join("\n");
        out.push_str(&format!(
            "\n## `{command}`\n\n```text\n{}\n{}```\n",
            lines(own),
            lines(&examples) + if examples.is_empty() { "" } else { "\n" }
        ));
    }
    let shared = shared(&first);
    let shared: Vec<&str> = shared.lines().map(str::trim_end).collect();
    out.push_str(&format!(
        "\n## Options of every command\n\n```text\n{}\n```\n",
        shared.join("\n")
    ));
    out
}

#[test]
fn the_page_of_commands_is_what_help_says() {
    let s = Sandbox::new();
    let now = page(&s, &commands(&s, &[]));
    let path = workspace().join("docs/commands.md");
    if std::env::var("EMENDO_GOLDEN").is_ok_and(|v| v == "write") {
        std::fs::write(&path, &now).expect("writable");
    }
    let kept = std::fs::read_to_string(&path).unwrap_or_default();
    assert!(kept == now, "docs/commands.md is stale: EMENDO_GOLDEN=write writes it anew");
}

#[test]
fn examples_of_help_run_on_the_demo() {
    let s = Sandbox::new();
    s.run(&["demo", "sample"]).ok();
    let all = commands(&s, &[]);
    let mut seen: BTreeMap<&String, usize> = BTreeMap::new();
    let mut wrong = Vec::new();
    for command in &all {
        let help = help(&s, command);
        let examples = examples(&help);
        seen.insert(command, examples.len());
        for example in examples {
            if command == "finish" {
                s.run_from("sample/project", &["propose", "../tidewire-3.toml"]).ok();
            }
            let args: Vec<String> = words(example);
            assert!(example.contains(command.as_str()), "{command}: {example}");
            let args: Vec<&str> = args.iter().map(String::as_str).collect();
            let run = s.run_from("sample/project", &args);
            // There is no terminal for a screen here.
            let no_screen = command == "review" && run.err.contains("needs a terminal");
            if run.code != 0 && !no_screen {
                wrong.push(format!("{example}: {}\n{}{}", run.code, run.out, run.err));
            }
        }
    }
    assert!(seen.values().all(|n| *n == 2), "{seen:?}");
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
