//! What can be decided at once: the places that have something in common with the one that is looked at.

use std::collections::HashSet;

use emendo_core::{Certainty, Proposal, Terms};

use crate::state::filter::below;
use crate::state::items::{At, Item};
use crate::state::rows::Heading;

/// Places that are decided on together.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) struct Scope {
    /// What they have in common.
    pub(crate) says: String,
    /// The places, by number.
    pub(crate) places: Vec<usize>,
    pub(crate) terms: Terms,
}

/// The scopes around a place, the smallest first; without those that hold nothing else.
pub(crate) fn around(p: &Proposal, items: &[Item], (at, listed): (usize, &[usize])) -> Vec<Scope> {
    let here = &items[at];
    let unsure = here.certainty == Some(Certainty::Unsure);
    // What is looked at is asked for, and its caution was read.
    let seen = Terms { each: false, unsure, caution: true };
    // Edits with edits: who takes these has not seen to the notes among them.
    let all = |holds: &dyn Fn(&Item) -> bool| -> Vec<usize> {
        let same = |i: &Item| std::mem::discriminant(&i.at) == std::mem::discriminant(&here.at);
        (0..items.len()).filter(|i| same(&items[*i]) && holds(&items[*i])).collect()
    };
    let mut out = vec![Scope {
        says: "this place".into(),
        places: vec![at],
        terms: Terms { each: true, unsure: true, caution: true },
    }];
    let mut add = |says: String, places: Vec<usize>, terms: Terms| {
        if places.len() > 1 && !out.iter().any(|s| s.places == places) {
            out.push(Scope { says, places, terms });
        }
    };
    if let Some(shape) = shape(p, here) {
        let alike = all(&|i| i.step == here.step && self::shape(p, i) == Some(shape));
        add("all alike: the same change".into(), alike, seen);
    } else {
        let alike = all(&|i| says(p, i).is_some() && says(p, i) == says(p, here));
        add("all of which the same is said".into(), alike, seen);
    }
    let line = all(&|i| i.file == here.file && i.line == here.line && here.file.is_some());
    add("this line".into(), line, seen);
    if let Some(file) = here.file.and_then(|f| p.files.get(f)) {
        let path = emendo_text::visible_name(file.path.as_str());
        add(format!("this file: {path}"), all(&|i| i.file == here.file), Terms::default());
    }
    let step = p.header.steps.get(here.step).map_or("", |s| s.key.step.as_str());
    let caution = Terms { caution: true, ..Terms::default() };
    let step = emendo_text::visible_name(step);
    add(format!("this step: {step}"), all(&|i| i.step == here.step), caution);
    if here.is_edit() {
        let certain = |i: &&usize| items[**i].certainty == Some(Certainty::Certain);
        let certain: Vec<usize> =
            listed.iter().filter(certain).filter(|i| items[**i].is_edit()).copied().collect();
        add("all that are certain in this list".into(), certain, Terms::default());
    }
    out
}

/// What stands under a heading, and the certain edits of that.
pub(crate) fn under(
    p: &Proposal,
    items: &[Item],
    heading: &Heading,
    listed: &[usize],
) -> Vec<Scope> {
    let holds = |i: &Item| match heading {
        Heading::Step(s) => i.step == *s,
        Heading::File(f) => i.file == Some(*f),
        Heading::Folder(folder) => {
            i.file.and_then(|f| p.files.get(f)).is_some_and(|f| below(&f.path, folder))
        }
    };
    let places: Vec<usize> = listed.iter().filter(|i| holds(&items[**i])).copied().collect();
    let terms = Terms { caution: matches!(heading, Heading::Step(_)), ..Terms::default() };
    let certain = |i: &&usize| items[**i].certainty == Some(Certainty::Certain);
    let certain: Vec<usize> = places.iter().filter(certain).copied().collect();
    let mut out = vec![Scope { says: "all under this heading".into(), places, terms }];
    if !certain.is_empty() && certain.len() < out[0].places.len() {
        out.push(Scope { says: "the certain ones of them".into(), places: certain, terms });
    }
    out
}

/// In how many files places lie.
pub(crate) fn files(items: &[Item], places: &[usize]) -> usize {
    places.iter().filter_map(|i| items[*i].file).collect::<HashSet<_>>().len()
}

fn shape(p: &Proposal, i: &Item) -> Option<emendo_text::Digest> {
    let At::Edit(f, e) = i.at else { return None };
    p.files.get(f)?.edits.get(e).map(|e| e.shape)
}

/// What a note says, or which old symbol a leftover is about.
fn says<'p>(p: &'p Proposal, i: &Item) -> Option<&'p str> {
    match i.at {
        At::Note(f, n) => p.files.get(f)?.notes.get(n).map(|n| n.say.as_str()),
        At::Leftover(f, l) => p.files.get(f)?.leftovers.get(l).map(|l| l.symbol.as_str()),
        At::Edit(..) | At::StepNote(_) => None,
    }
}
