//! Which elements of a page are meant, and how sure that is.

use emendo_docs::markup::{Attribute, Element, Page, decode, encode};
use emendo_lang::{Certainty, Fact};

use crate::shared::ValuePattern;

/// What is asked of an attribute.
pub(super) enum Condition {
    Present,
    Absent,
    Is(ValuePattern),
}

/// Which elements an action is about.
pub(super) struct Meant {
    pub(super) elements: Vec<String>,
    /// The name space, under all its names.
    pub(super) spaces: Vec<String>,
    pub(super) attributes: Vec<String>,
    pub(super) when: Vec<(String, Condition)>,
    pub(super) inside: Vec<String>,
    pub(super) root: bool,
    /// Attributes are added that are not there.
    pub(super) sets: bool,
    /// The recipe says in which files: names mean there what it says.
    pub(super) scoped: bool,
}

/// What is known of an element that is meant.
pub(super) struct Known {
    /// What slots hold, as it is written in the file.
    pub(super) slots: Vec<(String, String)>,
    pub(super) facts: Vec<Fact>,
}

impl Meant {
    /// The slots that its conditions bind.
    pub(super) fn slots(&self) -> impl Iterator<Item = String> + '_ {
        self.when.iter().flat_map(|(_, c)| match c {
            Condition::Is(p) => p.slots(),
            _ => Vec::new(),
        })
    }

    /// Its words, for telling actions apart.
    pub(super) fn said(&self) -> String {
        let when: Vec<&str> = self.when.iter().map(|w| w.0.as_str()).collect();
        [
            &self.elements.join(" "),
            &self.spaces.join(" "),
            &self.attributes.join(" "),
            &when.join(" "),
            &self.inside.join(" "),
        ]
        .map(String::as_str)
        .join("|")
    }

    /// What is known of an element, if it is meant; `name` is the one that the row looks for.
    pub(super) fn element(
        &self,
        page: &Page<'_>,
        e: &Element,
        name: Option<&str>,
    ) -> Option<Known> {
        let mut facts = Vec::new();
        let fits = |wanted: &str| self.named(page, e, wanted);
        if !name.is_none_or(fits)
            || !(self.elements.is_empty() || self.elements.iter().any(|n| fits(n)))
        {
            return None;
        }
        if self.root && e.parent.is_some() {
            return None;
        }
        if !self.inside.is_empty() {
            let holds = |around: &&Element| self.inside.iter().any(|n| same_local(page, around, n));
            page.around(e).find(holds)?;
        }
        let (prefix, _) = parts(page.name(e));
        if self.spaces.is_empty() {
            facts.push(self.by_name(page, e, prefix));
        } else {
            let space = page.space_of(e, prefix)?;
            if !self.spaces.iter().any(|s| s == space) {
                return None;
            }
            let text = match prefix {
                _ if page.import_of(e).is_some() => format!("it is imported from `{space}`"),
                "" => format!("it is in the name space `{space}`"),
                p => format!("`{p}` stands for `{space}`"),
            };
            facts.push(Fact { says: Certainty::Certain, text, at: Some(e.name) });
        }
        if (!self.when.is_empty() || self.sets) && page.varies(e) {
            let text = "code in the tag says which attributes are there".to_owned();
            facts.push(Fact { says: Certainty::Likely, text, at: Some(e.start) });
        }
        let mut slots = Vec::new();
        for (name, condition) in &self.when {
            let attribute = page.attribute(e, name);
            match (condition, attribute) {
                (Condition::Present, Some(_)) | (Condition::Absent, None) => {}
                (Condition::Is(pattern), Some(a)) => {
                    let value = a.value?;
                    slots.extend(fit(pattern, value.inner.of(page.text), value.has_code)?);
                    let text = format!("`{name}` has the value that is asked for");
                    facts.push(Fact { says: Certainty::Certain, text, at: Some(a.span) });
                }
                _ => return None,
            }
        }
        Some(Known { slots, facts })
    }

    /// How sure a name alone is: only the recipe can say that it means the same wherever it looks, and another name space than that
    /// of the page speaks against it.
    fn by_name(&self, page: &Page<'_>, e: &Element, prefix: &str) -> Fact {
        let own = page.space_of(e, prefix);
        let root = page.elements.first().and_then(|r| page.space_of(r, parts(page.name(r)).0));
        let (says, text) = match own {
            Some(space) if prefix.is_empty() && own != root => (
                Certainty::Likely,
                format!("it is in the name space `{space}`, which the recipe does not ask for"),
            ),
            _ if self.scoped => {
                (Certainty::Certain, "the recipe says what the name means in this file".to_owned())
            }
            _ => (Certainty::Likely, "the name says it; no name space is asked for".to_owned()),
        };
        Fact { says, text, at: Some(e.name) }
    }

    /// True if an element has a name: as it is written, or below its prefix where a name space is asked for.
    fn named(&self, page: &Page<'_>, e: &Element, wanted: &str) -> bool {
        if let Some((_, name)) = page.import_of(e).filter(|_| !self.spaces.is_empty()) {
            return name == wanted;
        }
        let name = page.name(e);
        match self.spaces.is_empty() || wanted.contains(':') {
            true => page.host.same_name(name, wanted),
            false => page.host.same_name(parts(name).1, wanted),
        }
    }

    /// True if an attribute is one that is asked for; any, if none is.
    pub(super) fn attribute(&self, page: &Page<'_>, a: &Attribute) -> bool {
        let name = a.name.of(page.text);
        self.attributes.is_empty() || self.attributes.iter().any(|n| page.host.same_name(n, name))
    }
}

/// The prefix of a name, and what comes after it.
pub(super) fn parts(name: &str) -> (&str, &str) {
    name.split_once(':').unwrap_or(("", name))
}

/// True if an element has a name, with its prefix or without.
fn same_local(page: &Page<'_>, e: &Element, wanted: &str) -> bool {
    let name = page.name(e);
    page.host.same_name(name, wanted)
        || !wanted.contains(':') && page.host.same_name(parts(name).1, wanted)
}

/// The slots of a value that fits, as they are written: what stands for a character in it may be spelled in several ways.
pub(super) fn fit(
    pattern: &ValuePattern,
    raw: &str,
    has_code: bool,
) -> Option<Vec<(String, String)>> {
    if let Some(slots) = pattern.fit(raw) {
        return Some(slots);
    }
    // Code of a template is no value to be read.
    if has_code || !raw.contains('&') {
        return None;
    }
    let slots = pattern.fit(&decode(raw))?;
    Some(slots.into_iter().map(|(name, text)| (name, encode(&text, Some('"')))).collect())
}
