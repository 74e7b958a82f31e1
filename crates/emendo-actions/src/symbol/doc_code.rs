//! Code in documentation that is compiled with the rest: read like a small file of its own.

use emendo_lang::{Certainty, Fact, Project, Tree};
use emendo_pattern::ImportPlan;
use emendo_text::{Part, Span};

use crate::contract::{Code, Draft, FileCx, Found, Remains};
use crate::meaning::{Place, SymbolRunner};

/// One piece of code in documentation: its text, and where its lines stand in the file.
struct Snippet {
    text: String,
    /// Where each line begins in the text, and in the file.
    lines: Vec<(usize, usize)>,
}

impl Snippet {
    /// A place of the file; `None` where it covers more than one line.
    fn place(&self, at: Span) -> Option<Span> {
        let line = self.lines.partition_point(|l| l.0 <= at.start as usize).checked_sub(1)?;
        let ends = self.lines.get(line + 1).map_or(self.text.len() + 1, |l| l.0);
        let (from, to) = self.lines[line];
        let place = Span::new(to + at.start as usize - from, to + at.end as usize - from);
        ((at.end as usize) < ends).then_some(place)
    }
}

/// The pieces of code in the documentation of a file.
fn snippets(p: &Place<'_>) -> Vec<Snippet> {
    let Some(rule) = &p.code.language.words.doc_code else { return Vec::new() };
    let text = p.cx.text;
    let mut out = Vec::new();
    let mut open: Option<(Snippet, bool)> = None;
    for comment in &p.code.facts.comments {
        let line = comment.of(text).lines().next().unwrap_or("");
        let Some(mark) = rule.marks.iter().find(|m| line.starts_with(**m)) else {
            open = None;
            continue;
        };
        let body = &line[mark.len()..];
        let lead = body.len() - body.strip_prefix(' ').unwrap_or(body).len();
        let own = &body[lead..];
        let start = comment.start as usize + mark.len() + lead;
        if let Some(tags) = own.trim().strip_prefix(rule.fence) {
            match open.take() {
                Some((snippet, true)) => out.push(snippet),
                Some(_) => {}
                None => {
                    let mut tags = tags.split([',', ' ']).filter(|t| !t.is_empty());
                    let compiled = tags.all(|t| rule.tags.iter().any(|known| t.starts_with(known)));
                    open = Some((Snippet { text: String::new(), lines: Vec::new() }, compiled));
                }
            }
            continue;
        }
        if let Some((snippet, _)) = &mut open {
            let shown = own.strip_prefix(rule.hidden).unwrap_or(own);
            snippet.lines.push((snippet.text.len(), start + own.len() - shown.len()));
            snippet.text.push_str(shown);
            snippet.text.push('\n');
        }
    }
    out
}

impl SymbolRunner {
    /// Uses in the code of documentation: as likely as such code is compiled.
    pub(super) fn in_doc_code(&self, p: &Place<'_>, out: &mut Found) {
        for snippet in self.hinted_snippets(p) {
            let mut found = Found::default();
            let code = code_of(p, &snippet);
            let cx = FileCx { text: &snippet.text, code: Some(&code), ..p.cx.copied() };
            let inner = Place::new(&cx, &code, p.action);
            self.imports(&inner, &mut found);
            self.words_of(&inner, &mut found);
            let imports = derived(&found, &code, &cx);
            for (i, draft) in found.drafts.into_iter().enumerate() {
                let mut splices = draft.change.splices;
                if i == 0 {
                    splices.extend(imports.iter().cloned());
                }
                let moved = splices.into_iter().map(|mut s| {
                    let plain = !Part::plain(&s.parts, &snippet.text).contains('\n');
                    s.span = snippet.place(s.span).filter(|_| plain)?;
                    s.parts = vec![Part::Text(Part::plain(&s.parts, &snippet.text))];
                    Some(s)
                });
                let (Some(splices), Some(hull)) =
                    (moved.collect::<Option<Vec<_>>>(), snippet.place(draft.hull))
                else {
                    continue;
                };
                let text = "code in the documentation uses it".to_owned();
                let fact = Fact { says: Certainty::Likely, text, at: Some(hull) };
                let own = draft.evidence.into_iter().map(|f| Fact { at: None, ..f });
                let evidence = own.chain([fact]).collect();
                let new = Draft::new(draft.action, draft.digest, hull, evidence);
                out.drafts.push(new.writing(splices));
            }
        }
    }

    /// Uses that are left in the code of documentation.
    pub(super) fn still_in_doc_code(&self, p: &Place<'_>, out: &mut Vec<Remains>) {
        for snippet in self.hinted_snippets(p) {
            let code = code_of(p, &snippet);
            let cx = FileCx { text: &snippet.text, code: Some(&code), ..p.cx.copied() };
            let inner = Place::new(&cx, &code, p.action);
            let mut found = Vec::new();
            self.still_imported(&inner, &mut found);
            self.still_used(&inner, &mut found);
            out.extend(found.into_iter().filter_map(|r| {
                let why = "code in the documentation uses it".to_owned();
                let certainty = r.certainty.min(Certainty::Likely);
                Some(Remains { at: snippet.place(r.at)?, why, certainty, fact: None, ..r })
            }));
        }
    }

    /// The pieces that hold the last part of an old name.
    fn hinted_snippets(&self, p: &Place<'_>) -> Vec<Snippet> {
        if p.code.language.words.doc_code.is_none() {
            return Vec::new();
        }
        let names = &self.rows.language.names;
        let lasts: Vec<&str> =
            self.rows.all.iter().flat_map(|r| &r.olds).map(|o| names.last(o)).collect();
        let mut all = snippets(p);
        all.retain(|s| lasts.iter().any(|l| s.text.contains(l)));
        all
    }
}

/// A piece as a file of its own.
fn code_of(p: &Place<'_>, snippet: &Snippet) -> Code {
    let language = p.code.language;
    let tree = Tree::parse(language, &snippet.text);
    Code::whole(language, tree, &snippet.text, (p.cx.path, p.cx.project.files()))
}

/// The imports of a piece that follow from what is found in it.
fn derived(found: &Found, code: &Code, cx: &FileCx<'_>) -> Vec<emendo_text::Splice> {
    let mut plan = ImportPlan::default();
    for change in found.drafts.iter().map(|d| &d.change) {
        plan.add.extend(change.imports.iter().cloned());
        plan.partners.extend(change.partners.iter().cloned());
        plan.gone.extend(change.gone.iter().copied());
        plan.kept.extend(change.kept.iter().copied());
        plan.removed.extend(change.splices.iter().map(|s| s.span));
    }
    let edits = plan.edits(code.language, &code.facts, cx.text, "\n");
    edits.into_iter().map(|e| e.splice).collect()
}
