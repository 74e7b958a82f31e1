//! Types of what an action writes: of an expression that nothing tells the type of, the recipe knows.

use std::cell::Cell;
use std::sync::Arc;

use emendo_lang::{
    Certainty, Fact, Lender, Project, Resolver, Ty, TypeAnswer, WrittenCode, weakest,
};
use emendo_pattern::{Match, Pattern};

/// How many inferences that ask what is lent may wait for one another: each reads its file's names anew.
const DEEP: usize = 8;

thread_local! {
    /// How many of them wait.
    static ASKING: Cell<usize> = const { Cell::new(0) };
}

/// Asks with one more waiting; `None` if there are enough.
fn asking<T>(ask: impl FnOnce() -> Option<T>, waiting: usize) -> Option<T> {
    let before = ASKING.get();
    if before >= DEEP {
        return None;
    }
    ASKING.set(before + waiting);
    let found = ask();
    ASKING.set(before);
    found
}

/// What one row of an action writes, with its type.
#[derive(Debug)]
pub(super) struct Written {
    /// What is written.
    new: Pattern,
    /// What it replaces: its type is that of what is written, where the recipe says no other.
    old: Arc<Pattern>,
    /// The type that the recipe says.
    told: Option<Ty>,
}

impl Written {
    /// True for a pattern that reads as one expression.
    pub(super) fn is_expression(pattern: &Pattern) -> bool {
        pattern.readings().contains(&"expression")
    }

    /// What lends the type of what is written for one expression, if a recipe can know it: that is an expression too, and
    /// names a symbol.
    pub(super) fn lender(
        old: Arc<Pattern>,
        new: Pattern,
        told: Option<Ty>,
    ) -> Option<Arc<dyn Lender>> {
        let lends = Self::is_expression(&new) && new.names_symbols();
        lends.then(|| Arc::new(Self { new, old, told }) as Arc<dyn Lender>)
    }

    /// The type of what is written where it was found.
    fn ty(&self, project: &dyn Project, resolver: &Resolver<'_>, m: &Match) -> Option<TypeAnswer> {
        if let Some(told) = &self.told {
            return Some(TypeAnswer { ty: told.clone(), says: Certainty::Likely, why: None });
        }
        let of = |slot: &str| m.slot(slot).and_then(|b| resolver.type_at(b.span));
        // What was replaced has its type from the library and the project alone.
        asking(|| self.old.type_as_code(project, &of), DEEP)
    }
}

impl Lender for Written {
    fn lend(&self, project: &dyn Project, code: &WrittenCode<'_>) -> Option<TypeAnswer> {
        let WrittenCode { language, facts, tree, text, path, at } = *code;
        let there = |w: &&str| !facts.words(w).is_empty();
        if language.id != self.new.language().id || !self.new.plain_words().iter().all(there) {
            return None;
        }
        let resolver = Resolver::new(language, facts, project, tree, text);
        let resolver = match path {
            Some(path) => resolver.in_file(path),
            None => resolver,
        };
        let told = asking(
            || {
                let found = self.new.matches_at(tree, at, text, &resolver);
                let sure =
                    |m: &&Match| !m.names.is_empty() && weakest(&m.facts) >= Certainty::Likely;
                self.ty(project, &resolver, found.iter().find(sure)?)
            },
            1,
        )?;
        let ty = told.ty.shown(language);
        let text = match self.told {
            Some(_) => format!("the recipe writes it, and says that it gives a `{ty}`"),
            None => format!("the recipe writes it for a `{ty}`"),
        };
        let says = told.says.min(Certainty::Likely);
        let why = Fact { says, text, at: None };
        Some(TypeAnswer { ty: told.ty, says, why: Some(why) })
    }
}
