//! What is open, in words: the lists of the to-do list with their counts and commands, and what to do next.

use std::io::{self, Write};

use emendo_core::OpenCounts;

use crate::show::{BOLD, DIM, GOOD, LOOK, count};

/// A list of the to-do list: how many, what they are, the command that lists them.
pub(crate) struct OpenList {
    pub(crate) n: usize,
    /// What one of them is called, and several.
    pub(crate) what: (&'static str, &'static str),
    pub(crate) command: &'static str,
}

impl OpenList {
    /// `3 edits undecided`.
    pub(crate) fn said(&self) -> String {
        format!("{} {}", self.n, if self.n == 1 { self.what.0 } else { self.what.1 })
    }
}

/// What waits for a decision, or to be written; lists that are empty are left out.
pub(crate) fn pending(open: &OpenCounts) -> Vec<OpenList> {
    lists(&[
        (open.undecided, ("edit undecided", "edits undecided"), "emendo show --undecided"),
        (open.choices, ("choice to make", "choices to make"), "emendo show --choices"),
        (open.again, ("edit to decide again", "edits to decide again"), "emendo show --undecided"),
        (
            open.accepted,
            ("accepted edit to write", "accepted edits to write"),
            "emendo show --accepted",
        ),
    ])
}

/// What is left to do by hand.
pub(crate) fn left(open: &OpenCounts) -> Vec<OpenList> {
    lists(&[
        (open.notes, ("note", "notes"), "emendo show --notes"),
        (open.held_back, ("edit held back", "edits held back"), "emendo show --held-back"),
        (open.leftovers, ("leftover", "leftovers"), "emendo leftovers"),
    ])
}

/// What was left on purpose.
pub(crate) fn on_purpose(open: &OpenCounts) -> Vec<OpenList> {
    let command = "emendo leftovers --on-purpose";
    lists(&[
        (open.rejected, ("edit rejected", "edits rejected"), command),
        (open.kept, ("choice left as it is", "choices left as they are"), command),
        (open.done, ("place ticked off", "places ticked off"), command),
        (open.protected, ("protected place", "protected places"), command),
    ])
}

fn lists(all: &[(usize, (&'static str, &'static str), &'static str)]) -> Vec<OpenList> {
    let some = all.iter().filter(|l| l.0 > 0);
    some.map(|(n, what, command)| OpenList { n: *n, what: *what, command }).collect()
}

/// What to do next.
pub(crate) fn next(open: &OpenCounts) -> &'static str {
    match open {
        o if o.accepted > 0 && o.undecided + o.choices + o.again == 0 => {
            "`emendo apply` writes what is accepted"
        }
        o if o.undecided + o.again > 0 => "`emendo show --undecided`, then accept or reject",
        o if o.choices > 0 => "`emendo show --choices`, then `emendo choose`",
        o if o.held_back > 0 => "`emendo show --held-back`",
        o if o.notes > 0 => "`emendo show --notes`; `emendo done ID` ticks one off",
        o if o.leftovers > 0 => "`emendo leftovers`; `emendo done ID` ticks one off",
        _ => "`emendo finish` ends the migration",
    }
}

/// One line: what is open, and what to do next.
pub(crate) fn line(out: &mut impl Write, open: &OpenCounts) -> io::Result<()> {
    let all: Vec<String> = pending(open).iter().chain(&left(open)).map(OpenList::said).collect();
    if all.is_empty() {
        let kept = match open.on_purpose() {
            0 => String::new(),
            n => format!(" ({n} left on purpose)"),
        };
        return writeln!(out, "{GOOD}nothing is open{GOOD:#}{kept}; next: {}", next(open));
    }
    writeln!(out, "{BOLD}open{BOLD:#}: {}; next: {}", all.join(", "), next(open))
}

/// The lists, a line each with its command.
pub(crate) fn table(out: &mut impl Write, open: &OpenCounts) -> io::Result<()> {
    for (title, lists) in
        [("pending", pending(open)), ("left", left(open)), ("on purpose", on_purpose(open))]
    {
        let mut title = title;
        for list in lists {
            let said = list.said();
            writeln!(out, "{LOOK}{title:<10}{LOOK:#}  {said:<28}  {DIM}{}{DIM:#}", list.command)?;
            title = "";
        }
    }
    Ok(())
}

/// `2 rejected, 1 ticked off`, in a line; nothing where there are none.
pub(crate) fn purpose_line(out: &mut impl Write, open: &OpenCounts) -> io::Result<()> {
    let all: Vec<String> = on_purpose(open).iter().map(OpenList::said).collect();
    if all.is_empty() {
        return Ok(());
    }
    let places = count(open.on_purpose(), "place");
    writeln!(
        out,
        "{places} left on purpose: {}; `emendo leftovers --on-purpose` lists them",
        all.join(", ")
    )
}
