//! Examples that the help of each command ends with. They run as they stand in the project that `demo` leaves.

use clap::Command;

/// A command's name, below `recipe` after a blank, with its examples: what is typed, and what it is for.
type Examples = (&'static str, [(&'static str, &'static str); 2]);

const EXAMPLES: &[Examples] = &[
    (
        "survey",
        [
            ("emendo survey", "the whole project"),
            ("emendo survey --recipes ../tidewire-3.toml", "and whether a recipe fits it"),
        ],
    ),
    (
        "propose",
        [
            ("emendo propose ../tidewire-3.toml", "the summary, and the diff if it is short"),
            (
                "emendo propose --step open --diff ../tidewire-3.toml",
                "one step alone, with its diff",
            ),
        ],
    ),
    (
        "show",
        [
            ("emendo show --undecided", "what waits for a decision"),
            ("emendo show --step open --file 'berths/**'", "one step in one part of the project"),
        ],
    ),
    (
        "review",
        [
            ("emendo review", "on a screen"),
            ("emendo review --plain", "line by line, in whole words"),
        ],
    ),
    (
        "accept",
        [
            ("emendo accept --certainty likely", "certain and likely edits, but no caution"),
            ("emendo accept --step clock", "a step that calls for caution"),
        ],
    ),
    (
        "reject",
        [
            ("emendo reject --step listen", "all edits of a step that are not accepted"),
            ("emendo reject --file forecast --certainty likely", "the likely ones in a folder"),
        ],
    ),
    (
        "choose",
        [
            ("emendo choose --step pool own", "one alternative for all choices of a step"),
            ("emendo choose --file '**/NightJob.java' harbour", "another one in one file"),
        ],
    ),
    (
        "reword",
        [
            (
                "emendo reword --edit 1788917b 'Station.at(\"mole\").opened()'",
                "a text of your own for the place",
            ),
            ("emendo reword --edit 1788917b --from -", "a longer one from standard input"),
        ],
    ),
    (
        "reopen",
        [
            ("emendo reopen --step pool", "the choices of a step"),
            ("emendo reopen --all", "all that is decided and not written yet"),
        ],
    ),
    (
        "done",
        [
            ("emendo done 7ec07bef", "one note, by its id"),
            (
                "emendo done --file 'berths/src/main/java/harbour/rail/**'",
                "all that is left in a folder",
            ),
        ],
    ),
    (
        "apply",
        [
            ("emendo apply", "what is accepted"),
            ("emendo apply --accept likely", "accept certain and likely edits first"),
        ],
    ),
    (
        "verify",
        [
            ("emendo verify -- grep -rq Station.at berths", "the project's check, as it is typed"),
            ("emendo verify --last", "what it said the last time"),
        ],
    ),
    (
        "undo",
        [
            ("emendo undo", "the last apply"),
            ("emendo undo --to 1", "the first one, and all after it"),
        ],
    ),
    (
        "status",
        [
            ("emendo status", "what is applied, open and next"),
            ("emendo status --applies", "each apply, with its number"),
        ],
    ),
    (
        "leftovers",
        [
            ("emendo leftovers", "what is left and pending"),
            ("emendo leftovers --on-purpose", "what was left on purpose"),
        ],
    ),
    (
        "why",
        [
            (
                "emendo why berths/src/main/java/harbour/rail/TrainTimes.java:13",
                "why this look-alike stays",
            ),
            ("emendo why --all deploy/board.yaml:11", "with all actions whose words stand there"),
        ],
    ),
    (
        "find",
        [
            ("emendo find 'new Station(@{host}, @{port})' --lang java", "by its shape alone"),
            (
                "emendo find 'station.level(@{args*})' --lang python --count",
                "how many places, in how many files",
            ),
        ],
    ),
    (
        "report",
        [
            ("emendo report --as markdown", "for the pull request"),
            ("emendo report --as html --out report.html", "a page for who has not the program"),
        ],
    ),
    (
        "finish",
        [
            ("emendo finish --report ../upgrade.md --with-open", "although edits are undecided"),
            (
                "emendo finish --report ../second.md --with-open --json",
                "the same, with the result as JSON",
            ),
        ],
    ),
    (
        "recipe",
        [
            ("emendo recipe list", "the recipes that are known here"),
            ("emendo recipe check ../tidewire-3.toml", "what is wrong with one"),
        ],
    ),
    (
        "recipe list",
        [
            ("emendo recipe list", "all that are known here"),
            ("emendo recipe list --library tidewire", "those for a library"),
        ],
    ),
    (
        "recipe show",
        [
            ("emendo recipe show ../tidewire-3.toml", "what a recipe does, step by step"),
            ("emendo recipe show ../tidewire-3.toml --json", "the same as JSON"),
        ],
    ),
    (
        "recipe new",
        [
            ("emendo recipe new ../first.toml --lang java", "a first recipe, to be filled in"),
            (
                "emendo recipe new ../drafted.toml --lang java --from-table ../renames.csv",
                "steps from a table of old and new names",
            ),
        ],
    ),
    (
        "recipe check",
        [
            ("emendo recipe check ../tidewire-3.toml", "all errors and warnings"),
            ("emendo recipe check --about look-alike", "the page about a word in brackets"),
        ],
    ),
    (
        "recipe test",
        [
            ("emendo recipe test ../tidewire-3.toml", "run its examples"),
            ("emendo recipe test ../tidewire-3.toml --coverage", "and list what none exercises"),
        ],
    ),
    (
        "recipe schema",
        [
            ("emendo recipe schema", "print it"),
            ("emendo recipe schema > ../recipe.schema.json", "keep it for an editor"),
        ],
    ),
    (
        "completions",
        [
            ("emendo completions bash > ../emendo.bash", "for bash"),
            ("emendo completions zsh > ../_emendo", "for zsh"),
        ],
    ),
    (
        "man",
        [
            ("emendo man > ../emendo.1", "the page of the program"),
            ("emendo man --out ../man", "a page for each command"),
        ],
    ),
    (
        "demo",
        [
            ("emendo demo", "in a scratch folder"),
            ("emendo demo ../harbour", "in a folder of your choice"),
        ],
    ),
];

/// A command with the examples of its help, and those of the commands below it.
pub(crate) fn with_examples(command: Command) -> Command {
    let command = command.after_help(help(&[
        ("emendo demo", "the whole path on sample data, with commands to try"),
        ("emendo survey", "what is in the project around this folder"),
    ]));
    EXAMPLES.iter().fold(command, |command, (name, examples)| {
        let text = help(examples);
        match name.split_once(' ') {
            Some((outer, inner)) => {
                command.mut_subcommand(outer, |c| c.mut_subcommand(inner, |c| c.after_help(text)))
            }
            None => command.mut_subcommand(name, |c| c.after_help(text)),
        }
    })
}

fn help(examples: &[(&str, &str)]) -> String {
    let one = |(typed, what): &(&str, &str)| format!("  {typed}\n      {what}\n");
    let all: String = examples.iter().map(one).collect();
    format!("Examples, in the project that `emendo demo` leaves:\n{}", all.trim_end())
}
