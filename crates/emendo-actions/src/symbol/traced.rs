//! Why a word that is spelled like an old symbol is not one.

use emendo_lang::Space;

use crate::contract::{TraceLog, TraceStage, TraceStop};
use crate::meaning::{Place, SymbolRunner};
use crate::shared::other_meaning;

impl SymbolRunner {
    /// Tells what the words at a place mean that are spelled like an old symbol, and are none.
    pub(super) fn traced(&self, p: &Place<'_>, trace: &TraceLog) {
        let words = self.rows.words(&p.code.facts);
        for same in words.chunk_by(|a, b| a.0.span == b.0.span) {
            let (word, row, old) = &same[0];
            if !trace.at.meets(word.span) || !self.meanings(p, same).is_empty() {
                continue;
            }
            let symbol = &self.rows.all[*row].olds[*old];
            let name = p.text(word.span);
            let member =
                word.receiver.is_some() || self.what.member() && word.space == Space::Member;
            let says = match (member, p.reaches()) {
                (true, false) => format!(
                    "`{name}` is a member of something else, or of something unknown in a file that never refers to the library: not `{symbol}`"
                ),
                (true, true) => {
                    format!("`{name}` is another member here, not `{symbol}`")
                }
                (false, _) => other_meaning(name, symbol, word.span, &p.resolver),
            };
            let (stage, fitted) = (TraceStage::Names, 1);
            trace.stop(TraceStop { what: symbol.clone(), stage, fitted, says });
        }
    }
}
