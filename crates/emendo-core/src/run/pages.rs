//! Code in pages: what was found in a layer is fitted into the page, whose text must stay what it is around the code.

use std::sync::Arc;

use emendo_actions::{Code, Found, InPage};
use emendo_docs::markup::Layer;
use emendo_lang::{Files, Language, Tree};
use emendo_pattern::ImportEdit;

use crate::run::file::{FileRun, NewTree};

impl FileRun {
    /// The layers of code of the text as it is; none where the file is no page.
    pub(crate) fn page_layers(&self) -> Option<&[Arc<Layer>]> {
        let read = || self.world.layers_of(&self.at, &self.text);
        self.layers.get_or_init(read).as_deref()
    }

    /// The layers that can be read as a language, parsed.
    pub(crate) fn layers_in(
        &mut self,
        language: &'static Language,
        files: &dyn Files,
    ) -> Vec<usize> {
        let layers: Vec<Arc<Layer>> = self.page_layers().unwrap_or_default().to_vec();
        let mut out = Vec::new();
        for layer in layers.iter().filter(|l| language.reads_ending(l.ending)) {
            let same = |c: &Code| {
                std::ptr::eq(c.language, language)
                    && c.layer.as_ref().is_some_and(|l| Arc::ptr_eq(l, layer))
            };
            let known = self.code.iter().position(same).unwrap_or_else(|| {
                let code = Code::of_layer(language, layer, (&self.at, files), &self.text);
                self.code.push(code);
                self.code.len() - 1
            });
            out.push(known);
        }
        out
    }

    /// The number of the layer that some code is.
    fn layer_number(&self, code: &Code) -> usize {
        let layers = self.page_layers().unwrap_or_default();
        let is = |l: &Arc<Layer>| code.layer.as_ref().is_some_and(|own| Arc::ptr_eq(own, l));
        layers.iter().position(is).unwrap_or(0)
    }

    /// Each program of the file, as it was parsed first.
    pub(crate) fn first_of_layers(&self) -> Vec<(usize, &Code)> {
        let mut out: Vec<(usize, &Code)> = Vec::new();
        for code in &self.code {
            let number = self.layer_number(code);
            if !out.iter().any(|o| o.0 == number) {
                out.push((number, code));
            }
        }
        out
    }

    /// The layers of a new text, parsed as those of the text as it is.
    pub(crate) fn parsed_again(&self, text: &str) -> Vec<NewTree> {
        let layers = self.world.layers_of(&self.at, text).unwrap_or_default();
        let one = |code: &Code| {
            let old = code.layer.as_ref()?;
            let same = |l: &&Arc<Layer>| l.ending == old.ending;
            let layer = layers.get(self.layer_number(code)).filter(same)?;
            let tree = Tree::parse_ending(code.language, layer.ending, &layer.view);
            Some(NewTree { language: code.language, tree, layer: Some(layer.clone()) })
        };
        // A layer that is gone has nothing wrong with it.
        let gone = |code: &Code| NewTree {
            language: code.language,
            tree: Tree::parse(code.language, ""),
            layer: None,
        };
        self.code.iter().map(|c| one(c).unwrap_or_else(|| gone(c))).collect()
    }

    /// Fits what was found in a layer, from these numbers on, into the page.
    pub(crate) fn fit_into_page(
        &self,
        code: Option<usize>,
        found: &mut Found,
        (drafts, notes): (usize, usize),
    ) {
        let Some(code) = code.map(|c| &self.code[c]) else { return };
        let Some(layer) = &code.layer else { return };
        let number = self.layer_number(code);
        let fit = InPage { layer, page: &self.text };
        for draft in &mut found.drafts[drafts..] {
            draft.layer = number;
            fit.draft(draft);
        }
        for note in &mut found.notes[notes..] {
            fit.restore(&mut note.say);
        }
    }

    /// Changes of import statements as the page holds them.
    pub(crate) fn imports_in_page(&self, code: &Code, edits: Vec<ImportEdit>) -> Vec<ImportEdit> {
        let Some(layer) = &code.layer else { return edits };
        let fit = InPage { layer, page: &self.text };
        edits.into_iter().map(|e| fit.import(e)).collect()
    }
}
