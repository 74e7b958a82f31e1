//! Uses in other files of what a match declares.

use emendo_lang::{Certainty, Fact, Visible};
use emendo_pattern::{Elsewhere, Follow, Match, Place, Unresolved, Written};
use emendo_text::Span;

use crate::code::runner::CodeRunner;
use crate::contract::{
    Change, Code, Declaration, Draft, FileCx, Followed, Found, Tie, Uses, action_digest,
};

impl CodeRunner {
    /// The declarations in a file that change, and can be named by others.
    pub(super) fn declared(&self, cx: &FileCx<'_>) -> Vec<Declaration> {
        let Some(code) = cx.code else { return Vec::new() };
        let resolver = cx.resolver(code);
        let at =
            Place { tree: &code.tree, text: cx.text, line_end: cx.line_end, resolver: &resolver };
        let mut out = Vec::new();
        for rule in &self.rules {
            let matches = rule.old.places(&code.tree, cx.text, &resolver).matches;
            for m in self.finder.conditions.fulfilled(matches, &code.tree, cx.text, &resolver) {
                for follow in &self.along.follow {
                    // Where a use in the file itself is left, nothing changes at all.
                    let whole = || follow.write(&m, at, &mut Written::default()).is_ok();
                    let visible = follow.visible(&m, at).filter(|_| whole());
                    out.extend(visible.map(|v| declaration(v, &m, cx.text)));
                }
            }
        }
        out.dedup();
        out
    }

    /// The uses of a declaration of another file.
    pub(super) fn used(&self, declared: &Declaration, cx: &FileCx<'_>) -> Uses {
        let Some(code) = cx.code else { return Uses::default() };
        let (mut any, mut left) = (false, None);
        for follow in &self.along.follow {
            match self.elsewhere(follow, declared, cx, code) {
                Ok(found) => {
                    any |= !found.rewritten.is_empty() || found.left.is_some();
                    left = left.or(found.left);
                }
                Err(_) => (any, left) = (true, Some(Span::at(0))),
            }
        }
        Uses { any, left }
    }

    /// The uses in this file of what another declares.
    fn elsewhere(
        &self,
        follow: &Follow,
        declared: &Declaration,
        cx: &FileCx<'_>,
        code: &Code,
    ) -> Result<Elsewhere, Unresolved> {
        let resolver = cx.resolver(code);
        let at =
            Place { tree: &code.tree, text: cx.text, line_end: cx.line_end, resolver: &resolver };
        follow.elsewhere(&declared.visible, &declared.slots, at)
    }

    /// Rewrites the uses of what other files declare and change.
    pub(super) fn follow_here(&self, cx: &FileCx<'_>, code: &Code, action: usize, out: &mut Found) {
        let digest = self.rules.first().map_or_else(|| action_digest("code", ""), |r| r.digest);
        let elsewhere = |f: &&Followed| f.leads(action, cx.path);
        for f in cx.followed.iter().filter(elsewhere) {
            for follow in &self.along.follow {
                let Ok(found) = self.elsewhere(follow, &f.declaration, cx, code) else { continue };
                for (m, written) in found.rewritten {
                    let text = format!(
                        "`{}` is declared in {}, and changes there",
                        f.declaration.visible.symbol, f.path
                    );
                    let mut evidence = vec![Fact { says: Certainty::Certain, text, at: None }];
                    evidence.extend(m.facts.iter().filter(|f| f.says > Certainty::Unsure).cloned());
                    evidence.extend(written.facts);
                    let tie = Some(f.tie(digest));
                    let change = Change {
                        splices: written.splices,
                        imports: written.imports,
                        released: written.released,
                        ..Change::default()
                    };
                    let tie = Tie { provides: tie, needs: tie, uses: Vec::new() };
                    let at = (action, self.rules.len());
                    out.drafts.push(Draft {
                        change,
                        tie,
                        ..Draft::new(at, digest, m.span, evidence)
                    });
                }
            }
        }
    }

    /// What holds a match together with the uses in other files of what it declares; why it cannot change, if one of
    /// them is left.
    pub(super) fn tied(&self, m: &Match, cx: &FileCx<'_>, code: &Code) -> Result<Tie, String> {
        let resolver = cx.resolver(code);
        let at =
            Place { tree: &code.tree, text: cx.text, line_end: cx.line_end, resolver: &resolver };
        for follow in &self.along.follow {
            let Some(visible) = follow.visible(m, at) else { continue };
            let same = |f: &&Followed| f.path == *cx.path && f.declaration.visible == visible;
            let Some(f) = cx.followed.iter().find(same) else { continue };
            if let Some((path, line)) = &f.left {
                return Err(format!(
                    "`{}` is used in {path}, line {line}, in a way that nothing here rewrites: all of its uses change, or none",
                    visible.name(self.head.language)
                ));
            }
            if !f.users.is_empty() {
                let digest = self.rules.first().map(|r| r.digest);
                let tie = digest.map(|d| f.tie(d));
                return Ok(Tie { provides: tie, needs: tie, uses: Vec::new() });
            }
        }
        Ok(Tie::default())
    }
}

/// What a match declares, with what its slots hold.
fn declaration(visible: Visible, m: &Match, text: &str) -> Declaration {
    let named = m.slots.iter().filter(|b| b.name != "_");
    Declaration { visible, slots: named.map(|b| b.held(text)).collect() }
}
