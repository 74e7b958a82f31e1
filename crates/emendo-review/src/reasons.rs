//! Why a place is in the proposal: its step and reason, the facts, what it needs, and where each of that stands.

use emendo_core::{Edit, Standing};
use emendo_text::{Digest, one_line, visible_name};

use crate::state::Model;
use crate::state::items::At;
use crate::state::rows::{Heading, Row};

/// What a line of the reasons is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Tone {
    Title,
    Plain,
    Quiet,
    Warns,
}

/// Where a line of the reasons leads.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Jump {
    /// A line of the same file.
    Line(u32),
    /// Another place.
    Place(Digest),
}

/// A line of the reasons, as long as it is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Reason {
    pub(crate) text: String,
    pub(crate) tone: Tone,
    pub(crate) jump: Option<Jump>,
}

fn reason(tone: Tone, text: impl Into<String>) -> Reason {
    Reason { text: text.into(), tone, jump: None }
}

/// Others of a kind that are listed; beyond that they are counted.
const FEW: usize = 6;

/// The reasons of the place under the cursor.
pub(crate) fn reasons(m: &Model) -> Vec<Reason> {
    let p = &m.proposal;
    let mut out = Vec::new();
    let heading = match m.list.rows.get(m.list.cursor) {
        Some(Row::Head { heading: Heading::Step(step), .. }) => Some(*step),
        _ => None,
    };
    let item = m.current();
    let step = p.header.steps.get(item.map(|i| i.step).or(heading).unwrap_or(usize::MAX));
    if let Some(s) = step {
        out.push(reason(Tone::Title, one_line(&s.title)));
        if let Some(why) = &s.why {
            out.push(reason(Tone::Plain, one_line(why)));
        }
    }
    let Some(item) = item else {
        let caution = step.and_then(|s| s.caution.as_ref());
        out.extend(caution.map(|c| reason(Tone::Warns, format!("caution: {}", one_line(c)))));
        let docs = step.and_then(|s| s.docs.as_ref());
        out.extend(docs.map(|d| reason(Tone::Quiet, format!("guide: {}", one_line(d)))));
        return out;
    };
    let caution = m.edit(item).and_then(|e| e.caution.as_ref());
    if let Some(caution) = caution.or(step.and_then(|s| s.caution.as_ref())) {
        out.push(reason(Tone::Warns, format!("caution: {}", one_line(caution))));
    }
    match item.at {
        At::Edit(f, i) => {
            if let Some(e) = p.files.get(f).and_then(|f| f.edits.get(i)) {
                of_edit(m, e, &mut out);
            }
        }
        At::Note(f, n) => {
            let note = p.files.get(f).and_then(|f| f.notes.get(n));
            out.extend(note.map(|n| reason(Tone::Plain, one_line(&n.say))));
            out.push(reason(Tone::Quiet, "a note: change it by hand, then tick it off"));
        }
        At::StepNote(n) => {
            let note = p.trailer.notes.get(n);
            out.extend(note.map(|n| reason(Tone::Plain, one_line(&n.say))));
            out.push(reason(Tone::Quiet, "a note of the step: see to it, then tick it off"));
        }
        At::Leftover(f, l) => {
            if let Some(l) = p.files.get(f).and_then(|f| f.leftovers.get(l)) {
                let symbols: Vec<&str> =
                    std::iter::once(&l.symbol).chain(&l.also).map(String::as_str).collect();
                let says = format!("still uses {} ({})", symbols.join(", "), l.certainty.word());
                out.push(reason(Tone::Plain, one_line(&says)));
                out.push(reason(Tone::Plain, one_line(&l.why)));
                out.extend(l.advice.as_ref().map(|a| reason(Tone::Plain, one_line(a))));
                out.push(reason(
                    Tone::Quiet,
                    "no edit covers it: change it by hand, or tick it off",
                ));
            }
        }
    }
    if let Some(docs) = step.and_then(|s| s.docs.as_ref()) {
        out.push(reason(Tone::Quiet, format!("guide: {}", one_line(docs))));
    }
    out
}

fn of_edit(m: &Model, e: &Edit, out: &mut Vec<Reason>) {
    match &e.standing {
        Standing::Withheld(why) => {
            out.push(reason(Tone::Warns, format!("held back: {}", one_line(why))));
            out.extend(e.behind.map(|id| place(m, id, "held back behind")));
        }
        Standing::Protected(why) => {
            out.push(reason(Tone::Warns, format!("left on purpose: {}", one_line(why))));
        }
        Standing::In | Standing::Out => {}
    }
    for (i, o) in e.options.iter().enumerate() {
        let why = o.why.as_ref().map_or(String::new(), |w| format!(": {}", one_line(w)));
        out.push(reason(Tone::Plain, format!("{} {}{why}", i + 1, one_line(&o.label))));
    }
    out.push(reason(Tone::Plain, format!("place: {}", e.certainty.word())));
    for f in &e.evidence {
        let text = format!("- {} ({})", one_line(&f.text), f.says.word());
        out.push(Reason { text, tone: Tone::Plain, jump: f.line.map(Jump::Line) });
    }
    let others = |out: &mut Vec<Reason>, ids: Vec<Digest>, what: &str| {
        let n = ids.len();
        out.extend(ids.into_iter().take(FEW).map(|id| place(m, id, what)));
        if n > FEW {
            out.push(reason(Tone::Quiet, format!("{what} {} more", n - FEW)));
        }
    };
    let edits = || m.proposal.decidable();
    let tied = |tie: Option<Digest>, of: fn(&Edit) -> Option<Digest>| {
        let all = edits().filter(move |o| tie.is_some() && of(o) == tie && o.id != e.id);
        all.map(|o| o.id).collect::<Vec<_>>()
    };
    let mut needs: Vec<Digest> = e.parents.clone();
    needs.extend(tied(e.needs, |o| o.provides));
    others(out, needs, "needs");
    let mut needed: Vec<Digest> =
        edits().filter(|o| o.parents.contains(&e.id)).map(|o| o.id).collect();
    needed.extend(tied(e.provides, |o| o.needs));
    others(out, needed, "needed by");
}

/// A line that leads to another place.
fn place(m: &Model, id: Digest, what: &str) -> Reason {
    let found = m.items.iter().find(|i| i.id == id);
    let Some(item) = found else {
        return reason(Tone::Quiet, format!("{what} {}", id.short(8)));
    };
    let path = m.path(item).map_or_else(String::new, |p| visible_name(p.as_str()).into_owned());
    let text = format!("{what} {path}:{} ({})", item.line, item.state.word());
    Reason { text, tone: Tone::Plain, jump: Some(Jump::Place(id)) }
}
