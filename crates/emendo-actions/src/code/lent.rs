//! Types of what an action writes: of an expression that nothing tells the type of, the recipe knows.

use std::cell::Cell;
use std::sync::{Arc, OnceLock};

use emendo_lang::{
    Certainty, Fact, Lender, Project, Resolver, Ty, TypeAnswer, WrittenCode, weakest,
};
use emendo_pattern::Pattern;

thread_local! {
    /// While the type of what was replaced is asked for, nothing is lent.
    static ASKING: Cell<bool> = const { Cell::new(false) };
}

/// What one row of an action writes, with its type.
#[derive(Debug)]
pub(super) struct Written {
    /// What is written.
    new: Pattern,
    /// What it replaces: its type is that of what is written, where the recipe says no other.
    old: Pattern,
    /// The type that the recipe says.
    told: Option<Ty>,
    /// The type of what it replaces, once it was asked for.
    replaced: OnceLock<Option<Ty>>,
}

impl Written {
    /// What lends the type of what is written, if a recipe can know it: both are one expression, and `new` names a
    /// symbol.
    pub(super) fn lender(old: Pattern, new: Pattern, told: Option<Ty>) -> Option<Arc<dyn Lender>> {
        let expression = |p: &Pattern| p.readings().contains(&"expression");
        let lends = expression(&old) && expression(&new) && new.names_symbols();
        lends.then(|| {
            Arc::new(Self { new, old, told, replaced: OnceLock::new() }) as Arc<dyn Lender>
        })
    }

    fn ty(&self, project: &dyn Project) -> Option<Ty> {
        if self.told.is_some() {
            return self.told.clone();
        }
        let ask = || {
            ASKING.set(true);
            let found = self.old.type_as_code(project);
            ASKING.set(false);
            found
        };
        self.replaced.get_or_init(ask).clone()
    }
}

impl Lender for Written {
    fn lend(&self, project: &dyn Project, code: &WrittenCode<'_>) -> Option<TypeAnswer> {
        let WrittenCode { language, facts, tree, text, path, at } = *code;
        let there = |w: &&str| !facts.words(w).is_empty();
        if ASKING.get()
            || language.id != self.new.language().id
            || !self.new.plain_words().iter().all(there)
        {
            return None;
        }
        let resolver = Resolver::new(language, facts, project, tree, text);
        let resolver = match path {
            Some(path) => resolver.in_file(path),
            None => resolver,
        };
        let found = self.new.matches_at(tree, at, text, &resolver);
        let sure = |m: &&emendo_pattern::Match| {
            !m.names.is_empty() && weakest(&m.facts) >= Certainty::Likely
        };
        found.iter().find(sure)?;
        let ty = self.ty(project)?;
        let text = match self.told {
            Some(_) => {
                format!("the recipe writes it, and says that it gives a `{}`", ty.shown(language))
            }
            None => format!("the recipe writes it for a `{}`", ty.shown(language)),
        };
        let why = Fact { says: Certainty::Likely, text, at: None };
        Some(TypeAnswer { ty, says: Certainty::Likely, why: Some(why) })
    }
}
