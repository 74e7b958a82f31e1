//! Uses of a symbol that is gone: a note at each, and on request the statement as a comment.

use emendo_lang::{Certainty, Fact};
use emendo_text::Span;

use crate::contract::{Draft, Found, NoteDraft};
use crate::meaning::{Place, Row, SymbolRunner};
use crate::shared::{comment_out, commented_before, reads};

impl SymbolRunner {
    /// A use of a symbol that nothing replaces.
    pub(super) fn gone(
        &self,
        p: &Place<'_>,
        (row, at): (usize, Span),
        mut facts: Vec<Fact>,
        out: &mut Found,
    ) {
        let r = &self.rows.all[row];
        if !self.comment_out {
            self.note(r, at, out);
            return;
        }
        let done = match comment_out(p.cx, p.code, at, r.said(), true) {
            Ok(done) => done,
            Err(why) => {
                let say = format!("{} (not commented out: {why})", note(r));
                out.notes.push(NoteDraft::new(at, say));
                return;
            }
        };
        let statement = done.statement;
        let say = NoteDraft {
            reads: Some(reads(statement.of(p.cx.text))),
            ..NoteDraft::new(statement, note(r))
        };
        // One statement, one comment, however many uses stand in it.
        let same = |d: &Draft| d.action.0 == p.action && d.hull.contains(statement);
        if !out.drafts.iter().any(same) {
            let text = "the whole statement becomes a comment".to_owned();
            facts.push(Fact { says: Certainty::Likely, text, at: Some(at) });
            let draft = Draft::new((p.action, row), r.digest, statement, facts);
            let mut draft = draft.writing(done.splices);
            draft.change.silent = true;
            out.drafts.push(draft);
        }
        if !out.notes.contains(&say) {
            out.notes.push(say);
        }
    }

    /// Statements that were made comments by an earlier run: their notes stay open.
    pub(super) fn commented(&self, p: &Place<'_>, out: &mut Found) {
        if !self.comment_out {
            return;
        }
        let rows: Vec<&Row> = self.rows.written().filter(|r| !r.said().is_empty()).collect();
        let says = |words: &str| rows.iter().any(|r| reads(r.said()) == words);
        for before in commented_before(p.code, p.cx.text, &says) {
            let names = &self.rows.language.names;
            let fits = |r: &&&Row| reads(r.said()) == before.say;
            let named = |r: &&&Row| before.reads.contains(names.last(&r.olds[0]));
            let all = || rows.iter().filter(fits);
            let Some(row) = all().find(named).or_else(|| all().next()) else { continue };
            let reads = Some(before.reads);
            out.notes.push(NoteDraft { reads, ..NoteDraft::new(before.at, note(row)) });
        }
    }
}

fn note(row: &Row) -> String {
    format!("`{}`: {}", row.olds[0], row.said())
}
