//! Goes through a page, and says what becomes of each element that is meant.

use std::sync::Arc;

use emendo_docs::markup::{Attribute, Element, Page, TextRun, decode, read};
use emendo_lang::{Certainty, Fact};
use emendo_recipe::{Action, Scope};
use emendo_text::{Chunk, Digest, RelPath, Span, Splice, Template};

use crate::contract::{Asks, Draft, FileCx, Found, Needs, NoteDraft, Replaces, Runner, Tables};
use crate::markup::place::{Known, Meant, fit, parts};
use crate::markup::write::{Write, filled, plain};
use crate::shared::{Filled, ValuePattern, fill};

/// What `old` and `new` name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum What {
    Element,
    Attribute,
    Value,
    Text,
}

/// What becomes of each place, besides what its row says.
pub(super) struct Does {
    pub(super) new_value: Option<String>,
    pub(super) set: Vec<(String, String)>,
    pub(super) add: Option<String>,
    pub(super) first: bool,
    pub(super) remove: bool,
    pub(super) unwrap: bool,
    pub(super) wrap: Option<String>,
    /// Children and the attributes that they become.
    pub(super) to_attribute: Vec<(String, String)>,
    /// Attributes and the children that they become.
    pub(super) to_child: Vec<(String, String)>,
}

impl Does {
    /// True if nothing becomes of a place but what its row says.
    pub(super) fn is_idle(&self) -> bool {
        self.new_value.is_none()
            && self.set.is_empty()
            && self.add.is_none()
            && !self.remove
            && !self.unwrap
            && self.wrap.is_none()
            && self.to_attribute.is_empty()
            && self.to_child.is_empty()
    }
}

/// What is looked for, and what it becomes.
pub(super) struct Row {
    pub(super) digest: Digest,
    pub(super) old: Option<String>,
    /// `old` as a value or a text.
    pub(super) pattern: Option<ValuePattern>,
    pub(super) new: Option<String>,
    pub(super) advice: Option<String>,
}

pub(super) struct MarkupRunner {
    tables: Arc<Tables>,
    scope: Scope,
    what: What,
    meant: Meant,
    does: Does,
    rows: Vec<Row>,
    needs: Needs,
}

/// A place that is meant: its element, what is known of it, and the attribute or text that it is about.
struct Place<'p> {
    page: &'p Page<'p>,
    element: &'p Element,
    known: Known,
}

impl MarkupRunner {
    pub(super) fn new(
        tables: Arc<Tables>,
        action: &Action,
        what: What,
        meant: Meant,
        does: Does,
        rows: Vec<Row>,
    ) -> Self {
        let needs = needs(what, &meant, &rows);
        Self { tables, scope: action.scope.clone(), what, meant, does, rows, needs }
    }
}

/// The words that a file must hold, in any spelling.
fn needs(what: What, meant: &Meant, rows: &[Row]) -> Needs {
    let named = matches!(what, What::Element | What::Attribute);
    let mut sets: Vec<Vec<String>> = vec![Vec::new()];
    // Each list that must be fulfilled: one of its words.
    let mut any = |words: Vec<String>| {
        if !words.is_empty() {
            let all = sets.iter();
            let more =
                all.flat_map(|s| words.iter().map(|w| [s.clone(), vec![w.clone()]].concat()));
            sets = more.collect();
        }
    };
    let olds: Vec<String> = rows.iter().filter_map(|r| r.old.clone()).filter(|_| named).collect();
    any(if olds.len() == rows.len() { olds } else { Vec::new() });
    any(meant.elements.clone());
    any(meant.attributes.clone());
    // Pages write names in any case.
    for s in sets.clone() {
        for cased in [str::to_lowercase, str::to_uppercase] {
            let other: Vec<String> = s.iter().map(|w| cased(w)).collect();
            if other != s {
                sets.push(other);
            }
        }
    }
    Needs::of(sets)
}

impl Runner for MarkupRunner {
    fn asks(&self) -> Asks {
        let unnamed: Vec<String> = self.rows.iter().filter_map(|r| r.old.clone()).collect();
        Asks {
            kind: "markup",
            needs: self.needs.clone(),
            replaces: Replaces { unnamed, ..Replaces::NONE },
            grows: self.what == What::Value && self.rows.iter().any(Row::grows),
            rows: self.rows.iter().filter_map(|r| r.old.clone()).collect(),
            about_pages: true,
            ..Asks::NONE
        }
    }

    fn covers(&self, path: &RelPath) -> bool {
        self.tables.host_of(path).is_some() && self.scope.covers(path)
    }

    fn find(&self, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let Some(host) = cx.tables.host_of(cx.path) else { return };
        self.find_in(&read(host, cx.text), cx, action, out);
    }
}

impl MarkupRunner {
    /// True for files in which its markup may stand, whatever they are called.
    pub(super) fn in_scope(&self, path: &RelPath) -> bool {
        self.scope.covers(path)
    }

    /// What becomes of the places of a page.
    pub(super) fn find_in(&self, page: &Page<'_>, cx: &FileCx<'_>, action: usize, out: &mut Found) {
        let mut texts: Vec<Vec<TextRun>> = vec![Vec::new(); page.elements.len()];
        for t in &page.texts {
            if let Some(parent) = t.parent {
                texts[parent].push(*t);
            }
        }
        for (element, texts) in page.elements.iter().zip(&texts) {
            if self.what == What::Element && self.put_together(page, element) {
                let say = "the template puts the name of this tag together: look at it by hand";
                out.notes.push(NoteDraft::new(element.name, say.to_owned()));
                continue;
            }
            for (n, row) in self.rows.iter().enumerate() {
                let name = row.old.as_deref().filter(|_| self.what == What::Element);
                let Some(known) = self.meant.element(page, element, name) else { continue };
                let place = Place { page, element, known };
                self.place(cx, place, (action, n), texts, out);
            }
        }
    }
}

impl Row {
    /// The longest of what stands between the slots of `old`.
    fn words(&self) -> Option<String> {
        let template = Template::parse_text(self.old.as_ref()?).ok()?;
        let texts = template.chunks.into_iter().filter_map(|c| match c {
            Chunk::Text { text, .. } => Some(text.trim().to_owned()),
            Chunk::Slot { .. } => None,
        });
        texts.max_by_key(String::len).filter(|t| t.len() > 1)
    }

    /// What it writes looks as if it were still to be done.
    fn grows(&self) -> bool {
        let (Some(pattern), Some(new)) = (&self.pattern, &self.new) else { return false };
        let sample = fill(new, |_| Some(Filled::Text("x".into())));
        sample.is_ok_and(|s| pattern.fit(&s).is_some())
    }
}

impl MarkupRunner {
    /// True if code of the template goes on where the name of a tag would be one that is looked for.
    fn put_together(&self, page: &Page<'_>, e: &Element) -> bool {
        let name = page.name(e);
        let code = page.code.iter().find(|c| e.name.contains(c.at));
        let Some(code) = code else { return false };
        let first = &name[..(code.at.start - e.name.start) as usize];
        self.rows.iter().filter_map(|r| r.old.as_deref()).any(|o| page.host.same_name(o, first))
    }

    /// What becomes of a place.
    fn place(
        &self,
        cx: &FileCx<'_>,
        place: Place<'_>,
        action: (usize, usize),
        texts: &[TextRun],
        out: &mut Found,
    ) {
        let row = &self.rows[action.1];
        let Place { page, element, known } = place;
        match self.what {
            What::Element => self.element(cx, page, element, known, action, out),
            What::Attribute | What::Value => {
                for a in &element.attributes {
                    let name = a.name.of(page.text);
                    let wanted = row.old.as_deref().filter(|_| self.what == What::Attribute);
                    let fits = wanted.is_none_or(|w| page.host.same_name(w, name));
                    if fits && self.meant.attribute(page, a) {
                        let known =
                            Known { slots: known.slots.clone(), facts: known.facts.clone() };
                        self.attribute((page, element, a), known, action, out);
                    }
                }
            }
            What::Text => {
                for run in texts {
                    self.text(page, *run, &known, action, out);
                }
            }
        }
    }

    fn push(
        &self,
        action: (usize, usize),
        hull: Span,
        splices: Vec<Splice>,
        facts: Vec<Fact>,
        out: &mut Found,
    ) {
        if splices.is_empty() {
            return;
        }
        let mut draft =
            Draft::new(action, self.rows[action.1].digest, hull, facts).writing(splices);
        draft.tokens.retain(|s| !s.is_empty());
        if draft.tokens.is_empty() {
            draft.tokens.push(hull);
        }
        out.drafts.push(draft);
    }

    fn element(
        &self,
        cx: &FileCx<'_>,
        page: &Page<'_>,
        e: &Element,
        known: Known,
        action: (usize, usize),
        out: &mut Found,
    ) {
        let row = &self.rows[action.1];
        if let Some(advice) = row.advice.as_ref().filter(|_| row.new.is_none()) {
            out.notes.push(NoteDraft::new(e.start, advice.clone()));
            return;
        }
        let write = Write { page, line_end: cx.line_end, slots: &known.slots };
        let mut splices = Vec::new();
        let mut trouble;
        if self.does.remove {
            trouble = write.remove(e, &mut splices);
        } else {
            if let Some(new) = &row.new {
                write.rename(e, new, &mut splices);
            }
            let set = self.does.set.iter();
            let mut fresh: Vec<String> =
                set.filter_map(|(name, value)| write.set(e, name, value, &mut splices)).collect();
            trouble = write.to_attributes(e, &self.does.to_attribute, &mut fresh, &mut splices);
            write.new_attributes(e, &fresh, &mut splices);
            let children = write.to_children(e, &self.does.to_child, row.new.as_deref());
            match children {
                Ok(more) => splices.extend(more),
                Err(why) => trouble = trouble.or(Some(why)),
            }
            if let Some(add) = &self.does.add {
                let more = write.add(e, add, self.does.first, row.new.as_deref(), &mut splices);
                trouble = trouble.or(more);
            }
            if self.does.unwrap {
                trouble = trouble.or(write.unwrap(e, &mut splices));
            }
            if let Some(wrap) = &self.does.wrap {
                trouble = trouble.or(write.wrap(e, wrap, &mut splices));
            }
        }
        match trouble {
            Some(say) => out.notes.push(NoteDraft::new(e.start, say)),
            None => self.push(action, e.name, splices, known.facts, out),
        }
    }

    fn attribute(
        &self,
        (page, e, a): (&Page<'_>, &Element, &Attribute),
        mut known: Known,
        action: (usize, usize),
        out: &mut Found,
    ) {
        let row = &self.rows[action.1];
        if let (What::Value, Some(pattern)) = (self.what, &row.pattern) {
            let fits = a.value.and_then(|v| fit(pattern, v.inner.of(page.text), v.has_code));
            let Some(slots) = fits else {
                // Code may give what is looked for.
                let code = a.value.filter(|v| v.has_code).map(|v| v.inner.of(page.text));
                if code.is_some_and(|c| row.words().is_some_and(|w| c.contains(&w))) {
                    let name = a.name.of(page.text);
                    let say = format!("code gives the value of `{name}`: look at it by hand");
                    out.notes.push(NoteDraft::new(a.span, say));
                }
                return;
            };
            known.slots.extend(slots);
        }
        if let Some(advice) = row.advice.as_ref().filter(|_| row.new.is_none()) {
            out.notes.push(NoteDraft::new(a.span, advice.clone()));
            return;
        }
        let write = Write { page, line_end: "\n", slots: &known.slots };
        let mut splices = Vec::new();
        match (self.what, self.does.remove) {
            (_, true) => splices.push(write.without(a)),
            (What::Value, false) => {
                splices.extend(row.new.as_ref().and_then(|new| write.value(a, new)));
            }
            _ => {
                if let Some(new) = &row.new {
                    let name = a.name.of(page.text);
                    let taken = page.attribute(e, new).filter(|o| o.name != a.name);
                    if taken.is_some() {
                        let say = format!("`{name}` becomes `{new}`, which stands here already");
                        out.notes.push(NoteDraft::new(a.span, say));
                        return;
                    }
                    if name != new {
                        splices.push(Splice::text(a.name, new));
                    }
                }
                let value = self.does.new_value.as_ref();
                splices.extend(value.and_then(|v| write.value(a, v)));
            }
        }
        self.push(action, a.span, splices, known.facts, out);
    }

    fn text(
        &self,
        page: &Page<'_>,
        run: TextRun,
        known: &Known,
        action: (usize, usize),
        out: &mut Found,
    ) {
        let row = &self.rows[action.1];
        let whole = run.at.of(page.text);
        let lead = whole.len() - whole.trim_start().len();
        let text = whole.trim();
        if text.is_empty() {
            return;
        }
        let start = run.at.start as usize + lead;
        let at = Span::new(start, start + text.len());
        let mut slots = known.slots.clone();
        if let Some(pattern) = &row.pattern {
            let Some(more) = fit(pattern, text, run.raw) else { return };
            slots.extend(more);
        }
        let mut facts = known.facts.clone();
        let says = Certainty::Certain;
        facts.push(Fact { says, text: format!("the text is `{}`", decode(text)), at: Some(at) });
        match (&row.new, &row.advice) {
            (Some(new), _) => {
                let written = match run.raw {
                    true => plain(new, &slots),
                    false => filled(page.host, new, &slots, None),
                };
                if written != text {
                    self.push(action, at, vec![Splice::text(at, &written)], facts, out);
                }
            }
            (None, Some(advice)) => out.notes.push(NoteDraft::new(at, advice.clone())),
            (None, None) if self.does.remove => {
                self.push(action, at, vec![Splice::text(at, "")], facts, out);
            }
            (None, None) => {}
        }
    }
}

/// The last part of a name: without its prefix.
pub(super) fn local(name: &str) -> &str {
    parts(name).1
}
