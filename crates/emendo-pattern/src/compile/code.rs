//! A pattern read as code of its own: whether another one would match what it writes.

use std::collections::BTreeSet;

use emendo_lang::language::Space;
use emendo_lang::tree::Tree;
use emendo_lang::{FileFacts, NoProject, Project, Resolver, TypeAnswer};
use emendo_text::{Span, Splice, Template};

use crate::compile::wrap::Compiler;
use crate::find::Conditions;
use crate::found::{Bound, Match};
use crate::model::{Key, Pattern};
use crate::write::Replacement;

/// A pattern as code of its own, in one reading.
struct AsCode {
    /// Its context.
    context: usize,
    /// A word in each slot, its names imported.
    text: String,
    /// The place of the pattern.
    at: Span,
    /// The places of the slots' words, with the slots.
    slots: Vec<(Span, usize)>,
}

/// The pattern as code, for each reading.
fn as_code(pattern: &Pattern) -> Vec<AsCode> {
    let language = pattern.language;
    let head: String = pattern
        .names
        .iter()
        .map(|n| {
            let mut name = language.import_of(&n.symbol, Space::Value);
            name.alias = Some(n.word.clone()).filter(|w| *w != language.names.last(&n.symbol));
            format!("{}\n", (language.imports.write_import)(&name, None))
        })
        .collect();
    let Ok(template) = Template::parse(&pattern.source) else { return Vec::new() };
    let mut out = Vec::new();
    for reading in &pattern.readings {
        let context = &language.fragments.contexts[reading.context];
        let compiler = Compiler {
            language,
            source: &pattern.source,
            template: &template,
            slots: &pattern.slots,
            names: &pattern.names,
            best: None,
            thorough: false,
        };
        let wrapped = compiler.wrap(context, &reading.choice);
        let slots = wrapped
            .chunks
            .iter()
            .filter_map(|c| c.slot.as_ref().map(|(slot, _)| (c.word.shifted(head.len()), *slot)));
        out.push(AsCode {
            context: reading.context,
            slots: slots.collect(),
            text: format!("{head}{}", wrapped.text),
            at: wrapped.fragment.shifted(head.len()),
        });
    }
    out
}

/// A place of a text with changes made in it.
fn spliced(text: &str, at: Span, mut splices: Vec<Splice>) -> String {
    splices.sort_by_key(|s| s.span.start);
    Splice::written(text, at, &splices)
}

impl Pattern {
    /// True if both read the same, slots of the same names in the same places.
    pub fn same_as(&self, other: &Self) -> bool {
        let keys = |p: &Self| -> Vec<Vec<Key>> {
            p.readings.iter().map(|r| r.tokens.iter().map(|t| t.key.clone()).collect()).collect()
        };
        let (own, others) = (keys(self), keys(other));
        own.iter().any(|r| others.contains(r))
    }

    /// The type of the expression that the pattern is, as far as its own names and the types of its slots tell;
    /// `None` if it is no expression.
    pub fn type_as_code(
        &self,
        project: &dyn Project,
        slot: &dyn Fn(&str) -> Option<TypeAnswer>,
    ) -> Option<TypeAnswer> {
        let contexts = self.language.fragments.contexts;
        let code = as_code(self).into_iter().find(|c| contexts[c.context].name == "expression")?;
        let tree = Tree::parse(self.language, &code.text);
        let facts = FileFacts::read(self.language, &tree, &code.text);
        let resolver = Resolver::new(self.language, &facts, project, &tree, &code.text);
        for (at, of) in &code.slots {
            if let Some(told) = self.slots.get(*of).and_then(|s| slot(&s.name)) {
                resolver.suppose(*at, &told);
            }
        }
        resolver.type_at(code.at)
    }

    /// Asks the slots that another pattern has too for the types they have there.
    pub fn constrain_types_like(&mut self, other: &Self) {
        for slot in &mut self.slots {
            if let Some(there) = other.slots.iter().find(|s| s.name == slot.name && s.name != "_") {
                slot.constraint.types.clone_from(&there.constraint.types);
            }
        }
    }

    /// The words that the pattern itself writes, without the names of symbols.
    pub fn plain_words(&self) -> Vec<&str> {
        let word = |t: &&str| t.starts_with(|c: char| c.is_alphabetic() || c == '_');
        let texts =
            self.readings.iter().take(1).flat_map(|r| &r.tokens).filter_map(|t| match &t.key {
                Key::Text(text) => Some(text.as_str()),
                _ => None,
            });
        let reserved = self.language.names.reserved;
        texts.filter(word).filter(|t| !reserved.contains(t)).collect()
    }

    /// True if this pattern, as code, has all words that `other` asks for: where it has not, it need not be read.
    pub fn has_words_of(&self, other: &Self) -> bool {
        let needs = other.needs();
        let has = |text: &str| needs.iter().any(|set| set.iter().all(|w| text.contains(w)));
        as_code(self).iter().any(|code| has(&code.text))
    }

    /// True if another pattern has the same tokens in another order, and fits the code of this one: what the one fits reads
    /// like the other.
    pub fn is_reordered(&self, other: &Self) -> bool {
        let tokens = |p: &Self| {
            let all = p.readings.first().map_or(&[][..], |r| &r.tokens);
            let mut all: Vec<String> = all.iter().map(|t| format!("{:?}", t.key)).collect();
            all.sort();
            all
        };
        tokens(self) == tokens(other) && self.fits_as_code(other)
    }

    /// True if the ways in which the pattern reads would write different text, asked of the pattern's own code in each context.
    pub fn reads_apart(&self, new: &Replacement) -> bool {
        let mut written = BTreeSet::new();
        for AsCode { text, at, .. } in as_code(self) {
            let tree = Tree::parse(self.language, &text);
            let facts = FileFacts::read(self.language, &tree, &text);
            let resolver = Resolver::new(self.language, &facts, &NoProject, &tree, &text);
            for m in self.matches_at(&tree, at, &text, &resolver) {
                // What cannot be written in a way is not written in that way.
                let Ok(out) = new.write(self, &m, &tree, &text, "\n", &resolver) else { continue };
                written.insert(spliced(&text, at, out.splices).to_lowercase());
            }
        }
        written.len() > 1
    }

    /// True if `other` matches this pattern itself, read as code with a word in each slot and its names imported.
    pub fn fits_as_code(&self, other: &Self) -> bool {
        as_code(self).iter().any(|AsCode { text, at, .. }| {
            let tree = Tree::parse(self.language, text);
            let facts = FileFacts::read(self.language, &tree, text);
            let resolver = Resolver::new(self.language, &facts, &NoProject, &tree, text);
            // Anywhere inside: an edit inside the result grows it too.
            other.matches(&tree, text, &resolver).iter().any(|m| at.contains(m.span))
        })
    }

    /// True if another pattern matches what this one writes, though `conditions` keep it from what they can, and though
    /// slots of these names ask for more than a text: they hold the same there.
    pub fn grows_as_code(&self, other: &Self, conditions: &Conditions, told: &[String]) -> bool {
        as_code(self).iter().any(|AsCode { text, at, slots, .. }| {
            let tree = Tree::parse(self.language, text);
            let facts = FileFacts::read(self.language, &tree, text);
            let resolver = Resolver::new(self.language, &facts, &NoProject, &tree, text);
            let same = |name: &String, m: &Match| {
                let of = |s: &(Span, usize)| self.slots.get(s.1).is_some_and(|d| d.name == *name);
                let own = |b: &Bound| slots.iter().any(|s| s.0 == b.span && of(s));
                m.slot(name).is_none_or(own)
            };
            other.matches(&tree, text, &resolver).iter().any(|m| {
                at.contains(m.span)
                    && told.iter().all(|name| same(name, m))
                    && !conditions.bar(m, &tree, text, &resolver)
            })
        })
    }
}
