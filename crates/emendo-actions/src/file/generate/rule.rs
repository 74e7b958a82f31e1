//! Collects items over all files, writes what comes of them, and takes the originals away.

use std::collections::HashSet;

use emendo_lang::{Certainty, Fact};
use emendo_text::{Hasher, RelPath, Span, Splice};
use rayon::prelude::*;

use crate::contract::{Draft, FileMove, FileOp, NoteDraft, PathChanges, PathRule, PathsCx, Tie};
use crate::file::generate::fill::Printed;
use crate::file::generate::item::{FoundItems, Item};
use crate::file::generate::model::{GenerateRule, Goal};
use crate::file::generate::place::ItemPlace;
use crate::file::generate::taken::taken;
use crate::file::generate::target::Written;

/// How many places are named as evidence.
const SHOWN: usize = 12;

impl PathRule for GenerateRule {
    fn moves(&self, cx: &PathsCx<'_>) -> PathChanges {
        let mut out = PathChanges::default();
        let mut items = self.items(cx, &mut out);
        if items.is_empty() {
            return out;
        }
        let lists = self.lists(&items);
        let written = self.written(&mut items, &lists, cx);
        for item in &items {
            if let Some(why) = &item.left {
                let note = NoteDraft::new(item.span, format!("this is not carried over: {why}"));
                out.notes.push((item.source.path.clone(), note));
            }
        }
        if items.iter().all(|i| i.left.is_some()) {
            return out;
        }
        let written = match written {
            Ok(written) => written,
            Err(why) => {
                let first = items.iter().find(|i| i.left.is_none());
                if let (Goal::Insert(_), Some(first)) = (&self.goal, first) {
                    let say = format!("what comes of this is not written: {why}");
                    out.notes.push((first.source.path.clone(), NoteDraft::new(first.span, say)));
                    return out;
                }
                // A file that cannot be made is shown as what is held back.
                Written { withheld: Some(why), ..Written::default() }
            }
        };
        self.place(&items, written, cx, &mut out);
        out
    }
}

impl GenerateRule {
    /// The items of all files, by path and place; a place that several patterns fit belongs to the first.
    fn items(&self, cx: &PathsCx<'_>, out: &mut PathChanges) -> Vec<Item> {
        let own = |p: &RelPath| matches!(&self.goal, Goal::File(path) if path == p);
        let mut items: Vec<Item> = Vec::new();
        for (n, collect) in self.collects.iter().enumerate() {
            let reads = |p: &&RelPath| collect.head.covers(p) && (cx.covers)(p) && !own(p);
            let holding = (cx.holding)(collect.needs());
            let found: Vec<(&RelPath, FoundItems)> = cx
                .files
                .par_iter()
                .filter(reads)
                .filter_map(|path| {
                    let text = holding(path)?;
                    Some((path, collect.items(n, (path, &text), cx, self.goal.path())))
                })
                .collect();
            for (path, (more, notes)) in found {
                items.extend(more);
                out.notes.extend(notes.into_iter().map(|n| (path.clone(), n)));
            }
        }
        let place = |i: &Item| (i.source.path.clone(), i.span.start, i.span.end);
        items.sort_by_key(|i| (place(i), i.collect));
        items.dedup_by_key(|i| place(i));
        items
    }

    /// The items of each list, in their order.
    fn lists(&self, items: &[Item]) -> Vec<(&str, Vec<usize>)> {
        let mut out: Vec<(&str, Vec<usize>)> = Vec::new();
        for collect in &self.collects {
            if out.iter().all(|l| l.0 != collect.list) {
                out.push((&collect.list, Vec::new()));
            }
        }
        for (i, item) in items.iter().enumerate() {
            let list = &self.collects[item.collect].list;
            if let Some(own) = out.iter_mut().find(|l| l.0 == list) {
                own.1.push(i);
            }
        }
        if let Some(order) = &self.order {
            for (_, all) in &mut out {
                all.sort_by(|a, b| order.compare(&items[*a], &items[*b]));
            }
        }
        out
    }

    /// What comes of the items, and what of their originals, as edits.
    fn place(&self, items: &[Item], written: Written, cx: &PathsCx<'_>, out: &mut PathChanges) {
        let Written { content, printed, carried, rests_on, missing, withheld, insert } = written;
        let path = self.goal.path();
        let mut facts = evidence(items);
        facts.extend(rests_on);
        let (gone, stays) = self.taken(items, &printed, &carried);
        facts.extend(stays.as_ref().filter(|_| self.drop).map(|at| Fact {
            says: Certainty::Unsure,
            text: format!("the originals at {at} stay where they are, so that both hold"),
            at: None,
        }));
        let action = (cx.action, 0);
        let together = |word: &str| {
            let mut h = Hasher::new();
            h.part(word).digest(self.digest).part(path.as_str());
            h.finish()
        };
        let along = (!gone.is_empty()).then(|| together("originals"));
        let done = missing.as_ref().is_some_and(Option::is_none);
        let withheld = withheld.or_else(|| {
            let line = missing.flatten()?;
            let whole = format!("`{path}` is there, and does not hold all that comes of these");
            Some(format!("{whole}: `{line}` is missing"))
        });
        let mut tie = None;
        match &self.goal {
            _ if done => facts.push(Fact {
                says: Certainty::Likely,
                text: format!("`{path}` holds all of them already"),
                at: None,
            }),
            Goal::File(path) => {
                let mut m = FileMove::new(action, self.digest, path.clone(), FileOp::Create);
                m.content = content;
                m.facts.clone_from(&facts);
                (m.withheld, m.along) = (withheld, along);
                tie = Some(m.tie());
                out.moves.push(m);
            }
            Goal::Insert(_) => {
                let Some((at, splice, imports)) = insert else { return };
                tie = Some(together("inserted"));
                let mut draft = Draft::new(action, self.digest, at, facts.clone());
                draft = draft.writing(vec![splice]);
                draft.change.imports = imports;
                draft.withheld = withheld;
                draft.tie = Tie { provides: tie, needs: along, uses: Vec::new() };
                out.drafts.push((path.clone(), draft));
            }
        }
        for (path, place) in gone {
            let text = format!("what stands here is carried over to `{}`", self.goal.path());
            let own = Fact { says: Certainty::Certain, text, at: None };
            let less = facts.iter().filter(|f| f.says < Certainty::Certain).cloned();
            let evidence = std::iter::once(own).chain(less).collect();
            let splices = vec![Splice::text(place, "")];
            let mut draft = Draft::new(action, self.digest, place, evidence).writing(splices);
            draft.tie = Tie { provides: along, needs: tie, uses: Vec::new() };
            out.drafts.push((path, draft));
        }
    }

    /// What takes the originals away, by file; and the first place of one that stays because not all around it is carried over.
    fn taken(
        &self,
        items: &[Item],
        printed: &Printed,
        carried: &[(RelPath, Span)],
    ) -> (Vec<(RelPath, Span)>, Option<String>) {
        let mut out = Vec::new();
        if !self.drop {
            return (out, None);
        }
        let carried: HashSet<&(RelPath, Span)> = carried.iter().collect();
        let (mut from, mut first) = (0, None);
        // Items come by path.
        for file in items.chunk_by(|a, b| a.source.path == b.source.path) {
            let numbered = (from..).zip(file).filter(|(_, i)| i.left.is_none());
            from += file.len();
            let (goes, stays): (Vec<_>, Vec<_>) = numbered.partition(|(_, i)| whole(i, file));
            first = first.or_else(|| stays.first().map(|(_, i)| i.at()));
            let source = &file[0].source;
            let written = |item: &Item, at: Span| {
                let known = goes.iter().find(|(_, i)| std::ptr::eq(*i, item));
                known.is_some_and(|(n, _)| printed.of(*n).iter().any(|p| p.contains(at)))
            };
            let moved = |at: &Span| carried.contains(&(source.path.clone(), *at));
            let own: Vec<&Item> = goes.iter().map(|g| g.1).collect();
            let gone = taken(&own, source.language.compare.separators, &written, &moved);
            out.extend(gone.into_iter().map(|g| (source.path.clone(), g)));
        }
        (out, first)
    }
}

/// True if all of the list is carried over that an item of a file stands in.
fn whole(item: &Item, file: &[Item]) -> bool {
    match &item.place {
        Some(Ok(ItemPlace::Listed(list))) => {
            let carried = |e: &Span| file.iter().any(|i| i.left.is_none() && i.span == *e);
            list.elements.iter().all(carried)
        }
        _ => !file
            .iter()
            .any(|i| i.left.is_some() && !matches!(i.place, Some(Ok(ItemPlace::Listed(_))))),
    }
}

/// Why what is written is what is meant: where its items stand, and what each of them rests on.
fn evidence(items: &[Item]) -> Vec<Fact> {
    let carried: Vec<&Item> = items.iter().filter(|i| i.left.is_none()).collect();
    let mut places: Vec<String> = Vec::new();
    for (n, item) in carried.iter().take(SHOWN).enumerate() {
        let same = n > 0 && carried[n - 1].source.path == item.source.path;
        places.push(if same { item.line.to_string() } else { item.at() });
    }
    if carried.len() > SHOWN {
        places.push(format!("and {} more", carried.len() - SHOWN));
    }
    let count = match carried.len() {
        1 => "1 place".to_owned(),
        n => format!("{n} places"),
    };
    let text = format!("collected from {count}: {}", places.join(", "));
    let mut out = vec![Fact { says: Certainty::Certain, text, at: None }];
    let mut sure = 0;
    for fact in carried.iter().flat_map(|i| &i.facts) {
        sure += usize::from(fact.says == Certainty::Certain);
        let wanted = fact.says < Certainty::Certain || sure <= SHOWN;
        if wanted && !out.contains(fact) && out.len() < 4 * SHOWN {
            out.push(fact.clone());
        }
    }
    // What lowers the certainty is never left out.
    let least = carried.iter().flat_map(|i| &i.facts).min_by_key(|f| f.says);
    let least = least.filter(|f| !out.contains(f)).cloned();
    out.extend(least);
    out
}
