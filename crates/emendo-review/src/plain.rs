//! The same questions line by line, in whole words: for screen readers, for scripts, where there is no screen.

use crate::input::{Effect, Input};
use crate::place::{CodeRow, Sides};
use crate::reasons::reasons;
use crate::state::decide::Verb;
use crate::state::filter::{Filter, Kind};
use crate::state::items::{At, State};
use crate::state::scope::{Scope, around, files};
use crate::state::{Model, Page};

/// Lines of a place that are said; the rest is counted.
const MOST: usize = 60;

/// A review by questions and answers.
pub struct Dialog {
    model: Model,
    /// Places that were asked about and left for later.
    later: Vec<emendo_text::Digest>,
    /// The step whose reason was said last.
    told: Option<usize>,
    ended: bool,
}

/// The words that are understood, for who asks.
const HELP: &str = "\
take         the edit is written by apply; of a choice: take and the word of an alternative; a note or a leftover is ticked off
leave        the place stays as it is, in later runs too
later        on to the next place; it stays open
reword TEXT  what stands in the place instead, in your own words
undo         undo the last decision
stop         end here; every decision is kept
take alike, take line, take file, take step, and the same with leave: all of that at once
open alike, open file, open step: take back what was decided";

impl Dialog {
    /// A review of what waits, in the order of steps.
    pub fn new(mut model: Model) -> Self {
        model.page = Page::List;
        model.code.sides = Some(Sides::Below);
        model.list_with(Filter { kind: Kind::Waiting, ..Filter::default() });
        let mut out = Self { model, later: Vec::new(), told: None, ended: false };
        out.next();
        out
    }

    /// True when there is nothing more to ask.
    pub fn ended(&self) -> bool {
        self.ended
    }

    /// The model behind it.
    pub fn model(&self) -> &Model {
        &self.model
    }

    /// Hands on what came of an effect; says what there is to say about it.
    pub fn update(&mut self, input: Input) -> (Vec<String>, Vec<Effect>) {
        let effects = self.model.update(input);
        (self.said(), effects)
    }

    /// What is needed before the question can be asked.
    pub fn look(&mut self) -> Vec<Effect> {
        let mut effects = Vec::new();
        self.model.look(&mut effects);
        effects
    }

    /// The question about the place that is looked at.
    pub fn ask(&mut self) -> Vec<String> {
        let (step, asked) = (self.model.current().map(|i| i.step), self.question());
        self.told = step;
        asked
    }

    fn question(&self) -> Vec<String> {
        let m = &self.model;
        let Some(at) = m.current_index() else { return Vec::new() };
        let item = &m.items[at];
        let waiting = m.items.iter().filter(|i| i.state.waits()).count();
        let mut out = vec![String::new()];
        let place = m.path(item).map_or_else(
            || "a note of a step".to_owned(),
            |p| format!("{}, line {}", emendo_text::visible_name(p.as_str()), item.line),
        );
        let kind = match item.state {
            State::Choose => "choice",
            State::Again => "edit, to decide again",
            State::ToDo => "note",
            State::Remains => "leftover",
            _ => "edit",
        };
        let sure = item.certainty.map_or(String::new(), |c| format!(", {}", c.word()));
        out.push(format!("{kind}: {place}{sure} ({waiting} waiting)"));
        let step = m.proposal.header.steps.get(item.step);
        let told = self.told == Some(item.step) && step.is_some_and(|s| s.why.is_some());
        // The reason of a step is said once for all its places that follow one another.
        let said = reasons(m).into_iter().enumerate().filter(|(i, _)| !(told && *i == 1));
        out.extend(said.map(|(_, r)| format!("  {}", r.text)));
        let lines = self.lines();
        out.extend(lines.iter().take(MOST).cloned());
        if lines.len() > MOST {
            out.push(format!("  and {} more lines", lines.len() - MOST));
        }
        if let Some(alike) = self.scope("alike") {
            let n = alike.places.len();
            let f = files(&m.items, &alike.places);
            out.push(format!("  alike: {n} places in {f} files"));
        }
        out.push(match item.at {
            At::Edit(..) if item.state == State::Choose => {
                let labels: Vec<String> = m
                    .edit(item)
                    .iter()
                    .flat_map(|e| &e.options)
                    .map(|o| format!("take {}", emendo_text::one_line(&o.label)))
                    .collect();
                format!("{}, leave, later, reword, stop or help?", labels.join(", "))
            }
            At::Edit(..) => "take, leave, later, reword, stop or help?".into(),
            _ => "take (it is done), later, stop or help?".into(),
        });
        out
    }

    /// The lines of the place in words: old, new, and those around.
    fn lines(&self) -> Vec<String> {
        let m = &self.model;
        let Some(text) = m.current().and_then(|i| m.text(i)) else { return Vec::new() };
        let (from, to) = m.code.place;
        let rows = m.code.rows.iter().enumerate();
        // The place, and a line before and after it.
        let near = rows.filter(|(i, _)| *i + 1 >= from && *i <= to);
        let shown = near.filter_map(|(_, row)| match row {
            CodeRow::Line { old, new, changed, .. } => {
                let (word, side, n) = match (old, new, changed) {
                    (Some(n), _, false) => ("line", false, *n),
                    (Some(n), None, true) => ("old line", false, *n),
                    (_, Some(n), _) => ("new line", true, *n),
                    _ => return None,
                };
                let line = emendo_text::visible(text.side(side).line(n)).into_owned();
                Some(format!("  {word} {n}: {line}"))
            }
            CodeRow::Would { texts, label } => {
                let all: Vec<&str> = texts.iter().map(|t| t.text.as_str()).collect();
                let text = emendo_text::visible(&all.join(" ")).into_owned();
                Some(if *label { format!("  {text}") } else { format!("    would read: {text}") })
            }
            CodeRow::Fold(_) => None,
        });
        shown.collect()
    }

    /// Takes an answer; gives what to say to it, and what to do.
    pub fn answer(&mut self, line: &str) -> (Vec<String>, Vec<Effect>) {
        let line = line.trim();
        let (word, rest) = line.split_once(char::is_whitespace).unwrap_or((line, ""));
        let rest = rest.trim();
        let mut effects = Vec::new();
        let before = self.model.current().map(|i| i.id);
        match word {
            "stop" => self.ended = true,
            "help" => return (HELP.lines().map(str::to_owned).collect(), effects),
            "later" => {
                self.later.extend(before);
                self.next();
                return (Vec::new(), effects);
            }
            "undo" => {
                self.model.undo(&mut effects);
                self.later.clear();
            }
            "reword" => self.reword(rest, &mut effects),
            "take" | "leave" | "open" => {
                let verb = match word {
                    "take" => Verb::Take,
                    "leave" => Verb::Leave,
                    _ => Verb::Reopen,
                };
                if let Err(why) = self.decide(verb, rest, &mut effects) {
                    return (vec![why], effects);
                }
            }
            "" => return (Vec::new(), effects),
            _ => {
                let says = format!(
                    "`{}` is no answer: take, leave, later, reword, stop or help",
                    emendo_text::one_line(line)
                );
                return (vec![says], effects);
            }
        }
        let said = self.said();
        let here = self.model.current();
        let left = here.is_none_or(|i| self.later.contains(&i.id) || !i.state.waits());
        if left && !self.ended {
            self.next();
        }
        (said, effects)
    }

    fn decide(&mut self, verb: Verb, rest: &str, effects: &mut Vec<Effect>) -> Result<(), String> {
        let m = &self.model;
        let Some(at) = m.current_index() else { return Ok(()) };
        let (label, scope) = match rest.rsplit_once(char::is_whitespace) {
            Some((label, scope)) if self.scope(scope).is_some() => (label.trim(), scope),
            _ if self.scope(rest).is_some() || rest.is_empty() => ("", rest),
            _ => (rest, ""),
        };
        let scope = match scope {
            "" => Scope {
                says: String::new(),
                places: vec![at],
                terms: emendo_core::Terms { each: true, unsure: true, caution: true },
            },
            word => self.scope(word).ok_or("there are no others of that")?,
        };
        let edit = m.edit(&m.items[at]);
        let labels: Vec<String> =
            edit.iter().flat_map(|e| &e.options).map(|o| o.label.clone()).collect();
        let verb = match (&verb, label) {
            (Verb::Take, "") if !labels.is_empty() => {
                return Err(format!("it is a choice: take and one of {}", labels.join(", ")));
            }
            (Verb::Take, label) if labels.iter().any(|l| l == label) => {
                Verb::Pick(label.to_owned())
            }
            (_, "") => verb,
            (_, other) => {
                let other = emendo_text::one_line(other);
                return Err(match labels.is_empty() {
                    true => format!("`{other}` names nothing here: alike, line, file or step"),
                    false => format!("`{other}` is no alternative: {}", labels.join(", ")),
                });
            }
        };
        self.model.decide(&verb, (&scope.places, scope.terms), effects);
        Ok(())
    }

    fn reword(&mut self, text: &str, effects: &mut Vec<Effect>) {
        let edit = self.model.current().and_then(|i| self.model.edit(i)).map(|e| e.id);
        match (edit, text) {
            (None, _) => self.model.warn("only an edit can be put in your own words"),
            (Some(_), "") => self.model.warn("write the text behind the word: reword TEXT"),
            (Some(id), text) => self.model.reword(id, text.to_owned(), effects),
        }
    }

    /// What is decided together with the place, by a word.
    fn scope(&self, word: &str) -> Option<Scope> {
        let at = self.model.current_index()?;
        let all = around(&self.model.proposal, &self.model.items, (at, &[]));
        let says = match word {
            "alike" => "all ",
            "line" => "this line",
            "file" => "this file",
            "step" => "this step",
            _ => return None,
        };
        all.into_iter().find(|s| s.says.starts_with(says))
    }

    /// What the model says, once.
    fn said(&mut self) -> Vec<String> {
        let mut out: Vec<String> = self.model.message.take().map(|m| m.text).into_iter().collect();
        if let Some(crate::state::Popup::Reword { refused: Some(why), .. }) =
            self.model.popup.take()
        {
            out.push(why);
        }
        out
    }

    /// Goes to the next place that waits and was not left for later; ends where there is none.
    fn next(&mut self) {
        let m = &mut self.model;
        let n = m.list.rows.len();
        let open = |r: &crate::state::rows::Row| match r {
            crate::state::rows::Row::Place { item, .. } => {
                let i = &m.items[*item];
                i.state.waits() && !self.later.contains(&i.id)
            }
            crate::state::rows::Row::Head { .. } => false,
        };
        let from = m.list.cursor;
        let found = (0..n).map(|d| (from + d) % n).find(|i| open(&m.list.rows[*i]));
        match found {
            Some(row) => m.move_to(row),
            None => self.ended = true,
        }
    }
}
