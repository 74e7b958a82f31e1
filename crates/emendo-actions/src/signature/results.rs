//! What becomes of results: their declared type, values that are returned, calls that use them.

use std::collections::BTreeMap;

use emendo_lang::{
    CallSite, Certainty, Expected, Fact, FunctionSite, Language, LeaveSite, Space, Word,
};
use emendo_pattern::{Pattern, Replacement};
use emendo_recipe::Action;
use emendo_text::{Part, Span, Splice};

use crate::contract::{Change, CompileCx};
use crate::meaning::Place;
use crate::shared::{names, pattern_error};
use crate::signature::callable::Callable;
use crate::signature::lists::{is_type, same_code};
use crate::signature::output::{around_it, put_around, release, spelled};

/// What happens to the result.
pub(super) struct Results {
    from: Option<String>,
    ty: Option<String>,
    wrap: Option<String>,
    unwrap: Option<String>,
    returns: Vec<Returns>,
    /// What patterns become that a result is matched with.
    matched: Vec<Returns>,
    names: BTreeMap<String, String>,
}

/// What returned values become.
pub(super) struct Returns {
    old: Pattern,
    new: Replacement,
    last: bool,
}

impl Results {
    pub(super) fn compile(
        language: &'static Language,
        action: &Action,
        cx: &mut CompileCx<'_>,
    ) -> Option<Self> {
        let table = action.table.table("result");
        let text = |key: &str| table.and_then(|t| t.text(key)).map(|t| t.text.clone());
        let mut out = Self {
            from: text("from"),
            ty: text("type"),
            wrap: text("wrap"),
            unwrap: text("unwrap"),
            returns: Vec::new(),
            matched: Vec::new(),
            names: names(action, cx),
        };
        for key in ["wrap", "unwrap"] {
            if let Some(t) = table.and_then(|t| t.text(key))
                && around_it(&t.text).is_none()
            {
                let d = emendo_text::Diagnostic::error(format!("`{key}` has no `@{{it}}`"), t.span);
                cx.out.push(d.help("`@{it}` is what stood there before"));
                return None;
            }
        }
        for (t, _) in action.table.tables("returns") {
            let one = pair(language, t, action, &out.names, cx)?;
            out.returns.push(one);
        }
        for (t, _) in table.map_or_else(Vec::new, |t| t.tables("matched")) {
            let one = pair(language, t, action, &out.names, cx)?;
            out.matched.push(one);
        }
        Some(out)
    }

    pub(super) fn is_empty(&self) -> bool {
        self.ty.is_none()
            && self.wrap.is_none()
            && self.unwrap.is_none()
            && self.returns.is_empty()
            && self.matched.is_empty()
    }

    pub(super) fn unwraps(&self) -> bool {
        self.unwrap.is_some()
    }

    /// A call whose result is used.
    pub(super) fn at_call(
        &self,
        p: &Place<'_>,
        name: Span,
        call: &CallSite,
        change: &mut Change,
        tokens: &mut Vec<Span>,
    ) -> Result<(), String> {
        if self.at_patterns(p, call, change, tokens)? {
            return Ok(());
        }
        let Some(unwrap) = self.unwrap.as_ref().filter(|_| !call.unused) else { return Ok(()) };
        let unwrap = spelled(p, unwrap, &self.names, Space::Value, name.start, change)?;
        let Some((before, after)) = around_it(&unwrap) else { return Ok(()) };
        if stands_around(p.cx.text, call.span, before, after) {
            return Ok(());
        }
        put_around(call.span, before, after, change);
        let end = call.span.end as usize;
        tokens.push(Span::new(end - 1, end));
        Ok(())
    }

    /// What a result is matched with. False where it is matched with nothing that a row is about.
    fn at_patterns(
        &self,
        p: &Place<'_>,
        call: &CallSite,
        change: &mut Change,
        tokens: &mut Vec<Span>,
    ) -> Result<bool, String> {
        if self.matched.is_empty() {
            return Ok(false);
        }
        let fits = |pattern: &Pattern, at| {
            let found = pattern.matches_at(&p.code.tree, at, p.cx.text, &p.resolver);
            found.into_iter().find(|m| m.span == at)
        };
        let mut written = Vec::new();
        let (mut open, mut done) = (0, false);
        for at in p.resolver.patterns_of(call.span) {
            let hit = self.matched.iter().find_map(|r| Some((r, fits(&r.old, at)?)));
            let is_new = |r: &Returns| r.new.pattern().is_some_and(|n| fits(n, at).is_some());
            match hit {
                Some((r, m)) => {
                    let place = (&p.code.tree, p.cx.text, p.cx.line_end, &p.resolver);
                    let one = r.new.write(&r.old, &m, place.0, place.1, place.2, place.3);
                    written.push((m.span, one.map_err(|e| e.0)?));
                }
                // It is done there, or anything fits.
                None if self.matched.iter().any(is_new) => done = true,
                None if p.text(at).starts_with('_') => {}
                None => open += 1,
            }
        }
        if written.is_empty() {
            return Ok(done);
        }
        if open > 0 {
            return Err(
                "some of what its result is matched with fits no row: change it by hand".into()
            );
        }
        for (at, one) in written {
            tokens.push(at);
            change.splices.extend(one.splices);
            change.imports.extend(one.imports);
            change.released.extend(one.released);
        }
        Ok(true)
    }

    /// A function that is named without a call becomes a closure that calls it. `None` where nothing is to be written.
    pub(super) fn at_reference(
        &self,
        p: &Place<'_>,
        word: &Word,
        callable: &Callable,
        change: &mut Change,
        facts: &mut Vec<Fact>,
    ) -> Option<Span> {
        let unwrap = self.unwrap.as_ref()?;
        let whole = word.receiver.map_or(word.span, |r| r.hull(word.span));
        let names = &p.resolver.language.names;
        let receiver = word.receiver.map(|r| p.text(r));
        let through_type = receiver
            .is_some_and(|r| names.last(r).starts_with(char::is_uppercase) && callable.member);
        // Through a type, whether the object is the first argument is not told everywhere.
        if through_type && !p.resolver.language.declares.hints.made_below {
            return None;
        }
        let numbered = |i: usize| if i == 0 { "it".to_owned() } else { format!("it{}", i + 1) };
        let mut params: Vec<String> = match &callable.params {
            Some(all) => {
                let own = all.iter().filter(|q| !q.optional).enumerate();
                own.map(|(i, q)| q.name.clone().unwrap_or_else(|| numbered(i))).collect()
            }
            None => match p.resolver.expected_of(whole, 0) {
                Expected::Declared(_, count) => (0..count).map(numbered).collect(),
                _ => {
                    let text = "it is not clear how many arguments it is called with".to_owned();
                    facts.push(Fact { says: Certainty::Unsure, text, at: Some(whole) });
                    vec![numbered(0)]
                }
            },
        };
        if through_type {
            params.insert(0, "own".to_owned());
        }
        if params.iter().any(|q| !p.resolver.is_unused(q, whole)) {
            return None;
        }
        let unwrap = spelled(p, unwrap, &self.names, Space::Value, whole.start, change).ok()?;
        let (before, after) = around_it(&unwrap)?;
        let (open, close) = p.resolver.language.typing.built_in.closure;
        let list = params.join(", ");
        let sign = match (receiver, through_type) {
            (Some(_), true) => names.separator,
            (Some(_), false) => ".",
            (None, _) => "",
        };
        let mut parts = vec![Part::Text(format!("{open}{list}{close}{before}"))];
        if let Some(r) = word.receiver {
            parts.extend([Part::Copy(r), Part::Text(sign.into())]);
        }
        parts.push(Part::Copy(word.span));
        parts.push(Part::Text(format!("({list}){after}")));
        change.splices.push(Splice { parts, ..Splice::text(whole, String::new()) });
        Some(whole)
    }

    /// The declared type, and what is returned.
    pub(super) fn at_definition(
        &self,
        p: &Place<'_>,
        f: &FunctionSite,
        change: &mut Change,
        tokens: &mut Vec<Span>,
        notes: &mut Vec<(Span, String)>,
    ) -> Result<(), String> {
        if self.is_empty() {
            return Ok(());
        }
        let at = f.span.start;
        let declared = f.result.map(|r| p.text(r));
        if let (Some(from), Some(declared)) = (&self.from, declared)
            && !is_type(&self.names, declared, from)
            && !gives(p, f, from)
        {
            let done = self.ty.as_deref().and_then(around_it).is_some_and(|(before, after)| {
                declared.starts_with(before.trim()) && declared.ends_with(after.trim())
            });
            let new = self.ty.as_deref().is_some_and(|ty| is_type(&self.names, declared, ty));
            let note = format!("this gives `{declared}`, not `{from}`: decide what becomes of it");
            if !done && !new {
                notes.extend(f.result.map(|at| (at, note)));
            }
            return Ok(());
        }
        if let (Some(ty), Some(span)) = (&self.ty, f.result) {
            let ty = spelled(p, ty, &self.names, Space::Type, at, change)?;
            let old = p.text(span);
            match around_it(&ty) {
                Some((before, after)) => {
                    let done =
                        old.trim().starts_with(before.trim()) && old.trim().ends_with(after.trim());
                    if done {
                        return Ok(());
                    }
                    put_around(span, before, after, change);
                }
                None if same_code(old, &ty) => return Ok(()),
                None => {
                    release(p, &[span], change);
                    change.splices.push(Splice::text(span, ty));
                }
            }
            tokens.push(span);
        }
        self.leaves(p, f, change, tokens, notes)
    }

    /// The values that are returned.
    fn leaves(
        &self,
        p: &Place<'_>,
        f: &FunctionSite,
        change: &mut Change,
        tokens: &mut Vec<Span>,
        notes: &mut Vec<(Span, String)>,
    ) -> Result<(), String> {
        let mut rules = Vec::new();
        for r in &self.returns {
            rules.push((r, r.old.matches(&p.code.tree, p.cx.text, &p.resolver)));
        }
        // A value that no rule fits may be one of several: those of its branches are looked at one by one.
        let mut open: Vec<LeaveSite> = f.leaves.iter().rev().cloned().collect();
        while let Some(leave) = &open.pop() {
            let hit = rules.iter().filter(|(r, _)| !r.last || leave.last).find_map(|(r, found)| {
                let m = found.iter().find(|m| {
                    m.span == leave.value
                        || m.span == leave.statement
                        || m.is_statement(leave.statement)
                })?;
                Some((r, m))
            });
            if let Some((r, m)) = hit {
                let written =
                    r.new.write(&r.old, m, &p.code.tree, p.cx.text, p.cx.line_end, &p.resolver);
                let written = written.map_err(|e| e.0)?;
                tokens.push(m.span);
                change.splices.extend(written.splices);
                change.imports.extend(written.imports);
                change.released.extend(written.released);
                continue;
            }
            let parts = p.resolver.branches_of(leave.value);
            if !self.returns.is_empty() && !parts.is_empty() {
                let part = |value: Span| LeaveSite { statement: value, value, last: leave.last };
                open.extend(parts.into_iter().rev().map(part));
                continue;
            }
            match &self.wrap {
                Some(wrap) => {
                    let wrap =
                        spelled(p, wrap, &self.names, Space::Value, leave.value.start, change)?;
                    let Some((before, after)) = around_it(&wrap) else { continue };
                    let value = p.text(leave.value);
                    if value.starts_with(before.trim_end())
                        && value.ends_with(after.trim_start())
                        && !before.trim().is_empty()
                    {
                        continue;
                    }
                    put_around(leave.value, before, after, change);
                    let end = leave.value.end as usize;
                    tokens.push(Span::new(end - 1, end));
                }
                None if self.ty.is_some() || !self.returns.is_empty() => {
                    let say =
                        "what is returned here stays as it is: nothing in the recipe covers it";
                    notes.push((leave.value, say.to_owned()));
                }
                None => {}
            }
        }
        Ok(())
    }
}

/// A pattern, and what it becomes.
fn pair(
    language: &'static Language,
    t: &emendo_recipe::Table,
    action: &Action,
    names: &BTreeMap<String, String>,
    cx: &mut CompileCx<'_>,
) -> Option<Returns> {
    let (old_text, new_text) = (t.text("old")?, t.text("new")?);
    let slots = crate::shared::SlotTables::of(action);
    let old = crate::shared::sub_pattern(
        language,
        old_text,
        action,
        slots,
        emendo_text::Marks::None,
        cx,
    )?;
    match Replacement::compile(&old, &new_text.text, names, &[]) {
        Ok(mut new) => {
            new.spell(cx.spellings);
            Some(Returns { old, new, last: t.is_true("last") })
        }
        Err(e) => {
            cx.out.push(pattern_error(&e, new_text));
            None
        }
    }
}

/// True if a function gives what its type gives a parameter of what it is built on.
fn gives(p: &Place<'_>, f: &FunctionSite, param: &str) -> bool {
    let given = f.name.and_then(|n| p.resolver.given_there(n, param));
    let declared = f.result.and_then(|r| p.resolver.type_named(r));
    given.zip(declared).is_some_and(|(given, declared)| given == declared.ty.instance())
}

/// True if a text stands before and after a place already.
fn stands_around(text: &str, at: Span, before: &str, after: &str) -> bool {
    let lead = text[..at.start as usize].trim_end();
    let rest = text[at.end as usize..].trim_start();
    let blank = before.trim().is_empty() && after.trim().is_empty();
    !blank && lead.ends_with(before.trim()) && rest.starts_with(after.trim())
}
