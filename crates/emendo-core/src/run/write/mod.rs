//! What is in is written into the text, and what broke it is withheld.

mod wholes;

use emendo_actions::{Change, Code};
use emendo_lang::Certainty;
use emendo_pattern::{ImportEdit, ImportPlan};
use emendo_text::{Hasher, Part, PieceMap, Placed, Span, Splice, render};

use crate::edits::{Edit, Evidence, Standing};
use crate::plan::PlanStep;
use crate::run::file::{FileRun, NewTree, StepText, applied, excerpt};
use crate::run::folded::FoldedDraft;
use crate::run::sink::Mode;
use crate::run::write::wholes::wholes_after;

/// A draft that is in, with its number and its change.
type ActiveDraft<'a> = (u32, &'a FoldedDraft, &'a Change);

impl FileRun {
    /// Writes what is in: the new text, its pieces and tree, and the imports that follow.
    pub(crate) fn write(
        &self,
        step: &PlanStep,
        folded: &[FoldedDraft],
        first: u32,
        mode: Mode,
    ) -> StepText {
        let active: Vec<(u32, &FoldedDraft, &Change)> = folded
            .iter()
            .enumerate()
            .filter(|(_, f)| f.withheld.is_none() && f.wanted(mode))
            .filter_map(|(i, f)| Some((first + i as u32, f, f.change()?)))
            .collect();
        let (derived, absorbed) = self.imports(step, &active);
        let mut placed: Vec<Placed<'_>> = Vec::new();
        for (by, f, change) in active.iter().filter(|a| !absorbed.contains(&a.0)) {
            placed.extend(change.splices.iter().map(|s| Placed {
                inner: s.inner,
                by: *by,
                span: s.span,
                hull: f.draft.hull,
                parts: &s.parts,
            }));
        }
        for (i, (_, splices)) in derived.iter().enumerate() {
            let by = first + folded.len() as u32 + i as u32;
            placed.extend(splices.iter().map(|s| Placed {
                inner: s.inner,
                by,
                span: s.span,
                hull: s.span,
                parts: &s.parts,
            }));
        }
        if placed.is_empty() {
            let (text, pieces) = (self.text.clone(), self.map.pieces().to_vec());
            let (trees, wholes, changed) = Default::default();
            return StepText { text, pieces, trees, wholes, changed, derived };
        }
        let out = render(&self.text, &self.map, &mut placed);
        let wholes = active.iter().map(|(by, _, c)| (*by, c.wholes.as_slice()));
        let wholes = wholes_after(wholes, &placed, out.kept);
        let trees = match self.page_layers() {
            Some(_) => self.parsed_again(&out.text),
            None => {
                let one = |c: &Code| {
                    let language = c.language;
                    let tree = c.tree.parse_edited(language, &self.text, &out.text, &out.replaced);
                    NewTree { language, tree, layer: None }
                };
                self.code.iter().map(one).collect()
            }
        };
        let mut moved = 0_i64;
        let changed = out.replaced.iter().map(|(old, len)| {
            let start = (i64::from(old.start) + moved) as usize;
            moved += *len as i64 - old.len() as i64;
            Span::new(start, start + len)
        });
        let changed = changed.collect();
        StepText { text: out.text, pieces: out.pieces, trees, wholes, changed, derived }
    }

    /// Import statements that follow from the active edits of the step, and the edits of statements that
    /// go with their last use, so that nothing is left to change in them.
    fn imports(
        &self,
        step: &PlanStep,
        active: &[ActiveDraft<'_>],
    ) -> (Vec<(Edit, Vec<Splice>)>, Vec<u32>) {
        let (mut edits, mut absorbed) = (Vec::new(), Vec::new());
        for (layer, code) in self.first_of_layers() {
            let own = active.iter().filter(|a| a.1.draft.layer == layer);
            let own: Vec<ActiveDraft<'_>> = own.copied().collect();
            let (more, gone) = self.import_edits(code, &own);
            edits.extend(more);
            absorbed.extend(gone);
        }
        let others = || active.iter().filter(|a| !absorbed.contains(&a.0));
        let touched =
            |span: Span| others().any(|(_, _, c)| c.splices.iter().any(|s| s.span.meets(span)));
        edits.retain(|e: &ImportEdit| !touched(e.splice.span));
        (self.derived(step, edits), absorbed)
    }

    /// Holds back what gives way to others where an import that follows from these changes the same code.
    pub(crate) fn give_way(&self, step: &PlanStep, folded: &mut [FoldedDraft], mode: Mode) {
        let yields = |f: &FoldedDraft| step.actions[f.draft.action.0].asks.yields;
        if !folded.iter().any(yields) {
            return;
        }
        let stands = |f: &&FoldedDraft| !yields(f) && f.withheld.is_none() && f.wanted(mode);
        let others: Vec<ActiveDraft<'_>> =
            folded.iter().filter(stands).filter_map(|f| Some((0, f, f.change()?))).collect();
        let (derived, _) = self.imports(step, &others);
        let changed: Vec<Span> = derived.iter().flat_map(|d| &d.1).map(|s| s.span).collect();
        for f in folded.iter_mut().filter(|f| yields(f) && f.withheld.is_none()) {
            if changed.iter().any(|c| c.meets(f.draft.hull)) {
                f.withheld = Some("an import that follows from other edits is changed here".into());
            }
        }
    }

    /// The changes of import statements of one program, and the edits that they leave nothing to do.
    fn import_edits(&self, code: &Code, active: &[ActiveDraft<'_>]) -> (Vec<ImportEdit>, Vec<u32>) {
        let mut plan = ImportPlan::default();
        for (_, _, change) in active {
            plan.add.extend(change.imports.iter().cloned());
            plan.drop.extend(change.drop_imports.iter().cloned());
            plan.kept.extend(&change.kept);
            plan.gone.extend(change.gone.iter().copied());
            plan.partners.extend(change.partners.iter().cloned());
            plan.removed.extend(&change.released);
            plan.removed.extend(change.uncopied());
            plan.beside.extend(change.beside.iter().cloned());
            if change.silent {
                continue;
            }
            // Of a page only what is written into its code.
            let code = |s: &&Splice| code.layer.as_ref().is_none_or(|l| l.is_code(s.span));
            let parts = change.splices.iter().filter(code).flat_map(|s| Part::leaves(&s.parts));
            plan.written.extend(parts.filter_map(|p| match p {
                Part::Text(t) => Some(t.clone()),
                _ => None,
            }));
        }
        let splices = || active.iter().flat_map(|(_, _, c)| &c.splices);
        for import in code.facts.imports.iter().filter(|i| i.wildcard) {
            let spans = import.segments.iter().map(|s| s.1);
            let Some(path) = spans.reduce(Span::hull) else { continue };
            let inside = splices().filter(|s| path.contains(s.span)).cloned().collect::<Vec<_>>();
            if !inside.is_empty() {
                let change = Change { splices: inside, ..Change::default() };
                plan.wildcards.push((import.is_static, applied(&self.text, path, &change)));
            }
        }
        let edits = plan.edits(code.language, &code.facts, &self.text, self.base.line_end());
        let edits = self.imports_in_page(code, edits);
        let statements: Vec<Span> = edits.iter().filter_map(|e| e.statement).collect();
        // What they only stand beside is still to be done.
        let over = |s: &Splice| edits.iter().any(|e| e.splice.span.meets(s.span));
        let absorbed = active.iter().filter(|a| {
            statements.contains(&a.1.draft.hull)
                && (a.2.splices.is_empty() || a.2.splices.iter().any(over))
        });
        let absorbed: Vec<u32> = absorbed.map(|a| a.0).collect();
        (edits, absorbed)
    }

    /// The edits that changes of import statements are.
    fn derived(&self, step: &PlanStep, edits: Vec<ImportEdit>) -> Vec<(Edit, Vec<Splice>)> {
        let key = &step.info.key;
        let mut named: Vec<emendo_text::Digest> = Vec::new();
        let derived = edits.into_iter().map(|e| {
            let mut h = Hasher::new();
            h.part("import").part(&key.recipe).part(&key.step).part(self.path.as_str());
            for a in &e.about {
                h.part(a);
            }
            let mut id = h.finish();
            while named.contains(&id) {
                id = Hasher::new().digest(id).number(named.len() as u64).finish();
            }
            named.push(id);
            let what = e.about.join(", ");
            let edit = Edit {
                id,
                step: key.clone(),
                action: "import".into(),
                path: self.path.clone(),
                line: 0,
                more_lines: Vec::new(),
                certainty: Certainty::Certain,
                evidence: vec![Evidence {
                    says: Certainty::Certain,
                    text: format!("follows from the other edits: {what}"),
                    line: None,
                }],
                caution: None,
                origin: None,
                before: excerpt(e.splice.span.of(&self.text)),
                after: excerpt(&Part::plain(&e.splice.parts, &self.text)),
                with_inner: None,
                reworded: false,
                seal: id,
                shape: id,
                parents: Vec::new(),
                options: Vec::new(),
                weak: id,
                behind: None,
                standing: Standing::In,
                derived: true,
                provides: None,
                needs: None,
                file: None,
            };
            (edit, vec![e.splice])
        });
        derived.collect()
    }

    /// The edits of this step that made the text stop parsing, or brought what the language refuses: as indices among its
    /// drafts, with the reason.
    pub(crate) fn broken(&self, new: &StepText, first: u32, count: usize) -> Vec<(u32, String)> {
        const UNREAD: &str = "the file would no longer parse with it";
        let mut out = Vec::new();
        let (text, trees) = (new.text.as_str(), &new.trees);
        let faults = self.new_faults(text);
        let sound = self.code.iter().zip(trees).filter(|t| !t.1.tree.has_error());
        let refused: Vec<emendo_lang::Fault> = sound
            .flat_map(|(old, now)| {
                let text = now.layer.as_ref().map_or(text, |l| &l.view);
                emendo_lang::faults(now.language, &now.tree, text, &new.changed, &old.facts)
            })
            .collect();
        if faults.is_empty() && refused.is_empty() && trees.iter().all(|t| !t.tree.has_error()) {
            return self.in_parts(new, first);
        }
        let map = PieceMap::new(new.pieces.clone());
        let mine = |by: &u32| *by >= first && *by < first + count as u32;
        // An error shows up at the wrong bytes or right after them.
        let near = |e: &Span| {
            let mut reach = 1usize;
            let mut hit: Vec<u32> = Vec::new();
            while hit.is_empty() && reach <= text.len().max(1) * 2 {
                let around = Span::new(
                    (e.start as usize).saturating_sub(reach),
                    (e.end as usize + reach).min(text.len()),
                );
                hit = map.writers(around).into_iter().filter(mine).collect();
                reach *= 8;
            }
            hit
        };
        for e in &faults {
            // The one that stands last in the recipe made it a fault.
            out.extend(near(e).into_iter().max().map(|by| (by - first, UNREAD.to_owned())));
        }
        for fault in refused {
            let by = near(&fault.at).into_iter().max();
            out.extend(by.map(|by| (by - first, fault.why)));
        }
        for (old, new) in self.code.iter().zip(trees).filter(|t| t.1.tree.has_error()) {
            let errors = new.tree.errors();
            if old.tree.has_error() && errors.len() <= old.tree.errors().len() {
                continue;
            }
            let before = out.len();
            for e in &errors {
                out.extend(near(e).into_iter().map(|by| (by - first, UNREAD.to_owned())));
            }
            if out.len() == before {
                out.extend((0..count as u32).map(|i| (i, UNREAD.to_owned())));
            }
        }
        out
    }

    /// What a reader of a settings file or manifest refuses in its new text, and did not before.
    fn new_faults(&self, text: &str) -> Vec<Span> {
        let code = self.world.language_of(&self.at).is_some();
        let Some(format) = self.world.format_of(&self.at).filter(|_| !code) else {
            return Vec::new();
        };
        // Elements may stand many times.
        if text == self.text || matches!(format.style, emendo_docs::Style::Elements) {
            return Vec::new();
        }
        let new = (format.read)(text).faults();
        let known = if new.is_empty() { 0 } else { (format.read)(&self.text).faults().len() };
        if new.len() > known { new } else { Vec::new() }
    }
}
