//! What becomes of calls of functions that wait, or wait no more.

use emendo_lang::{Certainty, Fact, FunctionSite, Home, Space};
use emendo_text::{Span, Splice};

use crate::contract::{Change, NoteDraft, Tie};
use crate::meaning::Place;
use crate::signature::output::{Output, put_around, release};
use crate::signature::targets::Site;
use crate::signature::waiting::{Becomes, Source, Wait, WaitRunner};

impl WaitRunner {
    /// Writes the word, and the type of what is given.
    pub(crate) fn becomes(
        &self,
        p: &Place<'_>,
        f: &Becomes,
        sure: Certainty,
        output: &mut Output<'_>,
    ) {
        let mut change = Change::default();
        let at = f.head.at;
        if f.head.written && f.head.word.is_none() {
            let text = format!("{} ", self.rule.word);
            change.splices.push(Splice::text(Span::at(at as usize), text));
        }
        if let Some(result) = f.site.result
            && let Err(say) = self.given(p, result, &mut change)
        {
            output.out.notes.push(NoteDraft::new(result, say));
            return;
        }
        if change.splices.is_empty() {
            return;
        }
        let mut facts = f.facts.clone();
        if !f.asked {
            let text = "it waits for what it calls, and so is waited for itself".to_owned();
            facts.push(Fact { says: sure, text, at: None });
        }
        let tie = Tie { provides: Some(f.tie), needs: f.needs, uses: Vec::new() };
        let name = f.site.name.unwrap_or(f.site.list);
        let hull = name.hull(Span { start: f.site.list.start, end: f.site.list.start + 1 });
        output.draft(self.of(tie), hull, vec![name], change, facts);
    }

    /// The type of what is waited for.
    fn given(&self, p: &Place<'_>, result: Span, change: &mut Change) -> Result<(), String> {
        let (wrapper, symbol) = self.rule.result;
        let text = p.text(result);
        let open = self.head.language.typing.syntax.generic;
        let head = self.head.language.names.last(text.split(open.0).next().unwrap_or(text).trim());
        if wrapper.is_empty() || self.rule.given.contains(&head) {
            return Ok(());
        }
        let mut spelled = wrapper.to_owned();
        if !symbol.is_empty() {
            let known = p.resolver.spell(symbol, Space::Type, result.start)?;
            change.imports.extend(known.imports);
            spelled = known.text;
        }
        if text == self.rule.nothing.0 {
            let whole = self.rule.nothing.1.replacen(wrapper, &spelled, 1);
            change.splices.push(Splice::text(result, whole));
        } else {
            put_around(result, &format!("{spelled}{}", open.0), &open.1.to_string(), change);
        }
        Ok(())
    }

    pub(crate) fn waits(&self, p: &Place<'_>, w: &Wait, sure: Certainty, output: &mut Output<'_>) {
        let mut change = Change::default();
        let (open, close) = if w.site.bracketed { ("(", ")") } else { ("", "") };
        let before = format!("{open}{}", self.rule.before);
        let behind = format!("{}{close}", self.rule.behind);
        put_around(w.site.call, &before, &behind, &mut change);
        let mut facts = w.facts.clone();
        if sure < Certainty::Certain {
            let text = "whether it is waited for rests on what is less sure".to_owned();
            facts.push(Fact { says: sure, text, at: None });
        }
        if let Source::Here(_) | Source::There(..) = w.source {
            let text = format!("`{}` waits for what it calls", p.text(w.name));
            facts.push(Fact { says: Certainty::Certain, text, at: None });
        }
        let tie = Tie { needs: w.needs, ..Tie::default() };
        let end = w.site.call.end as usize;
        let tokens = vec![w.name, Span::new(end - 1, end)];
        output.draft(self.of(tie), w.site.call, tokens, change, facts);
    }

    /// It is not waited for any more.
    pub(crate) fn no_more(&self, p: &Place<'_>, output: &mut Output<'_>) {
        let hits = self.targets.hits(p, output.out);
        let mut gone = Vec::new();
        let mut callers: Vec<FunctionSite> = Vec::new();
        for h in &hits {
            let Site::Call(call, _) = &h.site else { continue };
            let Some(site) = p.resolver.wait_site(call.span) else { continue };
            let Some(waits) = site.waits else {
                let say = format!(
                    "`{}` gives the value itself now: there is nothing to wait for",
                    p.text(h.word.span)
                );
                if !p.resolver.waited_later(call.span) {
                    continue;
                }
                output.out.notes.push(NoteDraft::new(h.word.span, say));
                continue;
            };
            gone.push(waits);
            let mut change = Change::default();
            for at in [
                Span { start: waits.start, end: site.call.start },
                Span { start: site.call.end, end: waits.end },
            ] {
                if !at.is_empty() {
                    change.splices.push(Splice::text(at, ""));
                }
            }
            if let Home::Function(f) = p.resolver.home(call.span)
                && !callers.iter().any(|c| c.span == f.span)
            {
                callers.push(*f);
            }
            output.draft(self.of(h.tie.clone()), waits, vec![waits], change, h.facts.clone());
        }
        for h in &hits {
            let Site::Definition(f) = &h.site else { continue };
            callers.retain(|c| c.span != f.span);
            let Ok(head) = p.resolver.wait_head(f) else { continue };
            if p.resolver.waits_beside(f, &gone) {
                let say = "it still waits for something itself".to_owned();
                output.out.notes.push(NoteDraft::new(h.word.span, say));
                continue;
            }
            let mut change = Change::default();
            change.splices.extend(head.word.map(|w| Splice::text(w, "")));
            if let Some(result) = f.result {
                self.plain(p, result, &mut change);
            }
            output.draft(
                self.of(h.tie.clone()),
                h.word.span.hull(f.list),
                vec![h.word.span],
                change,
                h.facts.clone(),
            );
        }
        for f in callers {
            let has = p.resolver.wait_head(&f).is_ok_and(|h| h.word.is_some());
            if has && !p.resolver.waits_beside(&f, &gone) {
                let at = f.name.unwrap_or(f.list);
                let what = f.name.map_or("this closure", |n| p.text(n));
                let say = format!(
                    "nothing is waited for in `{what}` any more: decide whether it is still `{}`",
                    self.rule.word
                );
                output.out.notes.push(NoteDraft::new(at, say));
            }
        }
    }

    /// The type of the value itself.
    fn plain(&self, p: &Place<'_>, result: Span, change: &mut Change) {
        let text = p.text(result);
        let open = self.head.language.typing.syntax.generic;
        let (head, inner) = match text.split_once(open.0) {
            Some((head, rest)) => (head, rest.trim_end().strip_suffix(open.1)),
            None => (text, None),
        };
        if !self.rule.given.contains(&self.head.language.names.last(head.trim())) {
            return;
        }
        match inner {
            Some(inner) => {
                let start = result.start + (head.len() + open.0.len_utf8()) as u32;
                let end = start + inner.len() as u32;
                change.splices.push(Splice::text(Span { start: result.start, end: start }, ""));
                change.splices.push(Splice::text(Span { start: end, end: result.end }, ""));
                release(p, &[Span { start: result.start, end: start }], change);
            }
            None => {
                release(p, &[result], change);
                change.splices.push(Splice::text(result, self.rule.nothing.0));
            }
        }
    }
}
