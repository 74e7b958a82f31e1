//! What a step does to a file as a whole, and to the references in it.

use emendo_actions::{Draft, FileCx, FileMove, FileOp, Found, Moves, Tie};
use emendo_lang::Project as _;
use emendo_text::{Span, Splice};

use crate::plan::PlanStep;
use crate::run::file::{Env, FileRun};

impl FileRun {
    /// What becomes of the file, and what mends its references to files that move.
    pub(crate) fn moves(
        &mut self,
        moves: &Moves,
        step: &PlanStep,
        env: &Env<'_>,
        found: &mut Found,
    ) {
        found.drafts.extend(moves.of(&self.at).map(|m| self.whole(m)));
        if !self.there.0 || self.bytes.is_some() || !moves.users.contains(&self.at) {
            return;
        }
        for mender in &moves.menders {
            let asks = mender.asks();
            if !mender.covers(&self.at) {
                continue;
            }
            for code in self.code(asks.language, env.answers.index.files()) {
                let moves = Some(moves);
                let cx = FileCx { packages: &step.packages, moves, ..self.cx(code, env) };
                let before = (found.drafts.len(), found.notes.len());
                mender.find(&cx, 0, found);
                self.fit_into_page(code, found, before);
            }
        }
    }

    /// The edit of a file as a whole.
    fn whole(&self, m: &FileMove) -> Draft {
        let draft = Draft::new(m.action, m.digest, Span::at(0), m.facts.clone());
        let all = Span::new(0, self.text.len());
        let splices = match m.op {
            FileOp::Move(_) => Vec::new(),
            FileOp::Create if self.text.is_empty() && !m.content.is_empty() => {
                vec![Splice::text(Span::at(0), m.content.clone())]
            }
            FileOp::Create => Vec::new(),
            FileOp::Delete if all.is_empty() => Vec::new(),
            FileOp::Delete => vec![Splice::text(all, "")],
        };
        let draft = draft.writing(splices);
        let tie = Tie { provides: Some(m.tie()), needs: m.needs, uses: Vec::new() };
        Draft { op: Some(m.op.clone()), withheld: m.withheld.clone(), tie, ..draft }
    }
}
