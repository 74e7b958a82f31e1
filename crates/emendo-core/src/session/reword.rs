//! The user's own text for a place, instead of what the recipe would write.

use std::collections::{HashMap, HashSet};
use std::io;

use emendo_text::Digest;

use crate::edits::{Decisions, Edit, Standing};
use crate::recipes::Checked;
use crate::review::{
    Decided, OpenWork, Proposal, Selection, SelectionError, SelectionWay, reword, select,
};
use crate::run::{Engine, FileResult, Mode, Sink};
use crate::session::Session;
use crate::session::error::SessionError;

/// Keeps the edits of one file.
#[derive(Default)]
struct Edits(Vec<Edit>);

impl Sink for Edits {
    fn file(&mut self, file: FileResult) -> io::Result<()> {
        self.0.extend(file.edits);
        Ok(())
    }
}

impl Session {
    /// Accepts an edit with the user's own text for its place. Edits inside the place are decided with it.
    ///
    /// # Errors
    /// If there is no such edit, or the file could not be written with that text: it would no longer parse, or another edit would
    /// not go with it.
    pub fn reword(&self, edit: &str, text: &str) -> Result<Decided, SessionError> {
        let _lock = self.lock_settled()?;
        let proposal = self.current()?;
        let selection = Selection { edits: vec![edit.to_owned()], ..Selection::default() };
        self.refuse_applied(&proposal, &selection)?;
        let Some(e) = select(&proposal, &selection)?.first().copied() else {
            return Err(SessionError::NoProposal);
        };
        let decisions = self.decisions()?;
        let (mut decided, log) = reword(&proposal, &decisions, e, text)?;
        let mut with = decisions;
        log.iter().cloned().for_each(|d| with.add(d));
        let checked = self.recipes_of(&proposal.header)?;
        self.refuse_broken(&proposal, &checked, &with, e)?;
        Decisions::append(&self.log()?, &log)?;
        let proposal = self.run_view(&checked, proposal.header, &mut |_, _| {})?;
        decided.open = OpenWork::of(&proposal, &self.decisions()?).counts();
        Ok(decided)
    }

    /// Tries a text in its file: an error if it does not go in, or keeps another edit from going in.
    fn refuse_broken(
        &self,
        proposal: &Proposal,
        checked: &Checked,
        decisions: &Decisions,
        edit: &Edit,
    ) -> Result<(), SessionError> {
        let project = self.project().within(&proposal.header.below).reading();
        let own = self.own()?;
        let only = HashSet::from([edit.path.clone()]);
        let engine = Engine {
            own: &own,
            with: &proposal.header.with,
            only: Some(&only),
            ..Engine::new(&project, &checked.plan, decisions, Mode::View)
        };
        let mut found = Edits::default();
        engine.run(&mut found)?;
        let fail = |why: String| {
            let id = edit.id.short(8);
            let message = format!("this text is not taken for `{id}`: {why}");
            Err(SelectionError { message, way: SelectionWay::OtherText(id) }.into())
        };
        let before: HashMap<Digest, &Standing> =
            proposal.decidable().map(|e| (e.id, &e.standing)).collect();
        let stood = |e: &Edit| matches!(before.get(&e.id), Some(Standing::In));
        for e in found.0.iter().filter(|e| !e.derived) {
            match &e.standing {
                Standing::Withheld(why) | Standing::Protected(why) if e.id == edit.id => {
                    return fail(why.clone());
                }
                Standing::Withheld(why) if stood(e) && e.behind.is_none() => {
                    return fail(format!("the edit `{}` would be held back: {why}", e.id.short(8)));
                }
                _ => {}
            }
        }
        match found.0.iter().any(|e| e.id == edit.id) {
            true => Ok(()),
            false => fail("its place is not there any more".into()),
        }
    }
}
