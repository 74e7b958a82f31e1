//! What every action about the code of one language has.

use std::sync::Arc;

use emendo_lang::Language;
use emendo_recipe::{Action, Scope};
use emendo_text::RelPath;

use crate::contract::{Asks, Needs, Tables};

/// The language of an action, the files that it reads, and the words that those must hold.
pub(crate) struct Head {
    kind: &'static str,
    pub(crate) language: &'static Language,
    pub(crate) needs: Needs,
    /// Where the recipe limits it; nowhere for what only looks on.
    scope: Option<Scope>,
    /// What says which pages hold code.
    tables: Arc<Tables>,
}

impl Head {
    /// An action of this kind, in the files that the recipe says.
    pub(crate) fn new(
        kind: &'static str,
        language: &'static Language,
        action: &Action,
        (needs, tables): (Needs, &Arc<Tables>),
    ) -> Self {
        let (scope, tables) = (Some(action.scope.clone()), tables.clone());
        Self { kind, language, needs, scope, tables }
    }

    /// What looks on in all files of the language.
    pub(crate) fn everywhere(
        kind: &'static str,
        language: &'static Language,
        (needs, tables): (Needs, &Arc<Tables>),
    ) -> Self {
        Self { kind, language, needs, scope: None, tables: tables.clone() }
    }

    /// Its language, and what is known of files.
    pub(crate) fn at_work(&self) -> (&'static Language, &Arc<Tables>) {
        (self.language, &self.tables)
    }

    /// True for the files that it reads. `files` with `lang` reads those files as that language, whatever their names.
    pub(crate) fn covers(&self, path: &RelPath) -> bool {
        match &self.scope {
            Some(scope) => {
                let reads = || self.tables.reads(self.language, path);
                scope.covers(path) && (scope.files.is_some() || reads())
            }
            None => self.language.claims(path) || self.tables.page_with(self.language, path),
        }
    }

    /// What it asks by that alone.
    pub(crate) fn asks(&self) -> Asks {
        Asks {
            kind: self.kind,
            language: Some(self.language),
            needs: self.needs.clone(),
            ..Asks::NONE
        }
    }
}
