//! Parsed code: the text of a file, or one of the programs that a page holds.

use std::sync::Arc;

use emendo_docs::markup::{self, DirectiveImport, Layer, TakesImports};
use emendo_lang::{FileFacts, Files, Import, Language, PageFacts, Tree};
use emendo_text::{RelPath, Span};

use crate::contract::tables::Tables;

/// Parsed code.
pub struct Code {
    /// Its language.
    pub language: &'static Language,
    /// The tree.
    pub tree: Tree,
    /// The facts.
    pub facts: FileFacts,
    /// The layer of a page that it is; none where it is a file.
    pub layer: Option<Arc<Layer>>,
}

impl Code {
    /// Parses a text that is code as a whole.
    pub fn whole(
        language: &'static Language,
        tree: Tree,
        text: &str,
        at: (&RelPath, &dyn Files),
    ) -> Self {
        let facts = FileFacts::of_file(language, &tree, text, at.0, at.1);
        Self { language, tree, facts, layer: None }
    }

    /// Parses a layer of a page.
    pub fn of_layer(
        language: &'static Language,
        layer: &Arc<Layer>,
        (path, files): (&RelPath, &dyn Files),
        page: &str,
    ) -> Self {
        let tree = Tree::parse_ending(language, layer.ending, &layer.view);
        let facts = FileFacts::of_file(language, &tree, &layer.view, path, files);
        let known = layer.known.iter().map(|k| (k.name.clone(), k.at, k.within)).collect();
        let (imports, first) = match layer.takes {
            TakesImports::Directive(..) => {
                let all = layer.imports.iter().map(|i| import(language, i, page)).collect();
                (all, None)
            }
            TakesImports::Script(at) => (Vec::new(), Some(at)),
            TakesImports::Nowhere(_) => (Vec::new(), None),
        };
        // In a text or a comment it is no name.
        let name = |at: &Span| {
            let whole = Span { start: at.start - 1, end: at.end };
            facts.words(whole.of(&layer.view)).iter().any(|w| w.span == whole)
        };
        let page = PageFacts {
            known,
            uses: layer.uses.iter().filter(|u| name(&u.1)).cloned().collect(),
            imports,
            hoisted: layer.hoisted,
            first_import: first,
        };
        let facts = facts.in_page(page);
        Self { language, tree, facts, layer: Some(layer.clone()) }
    }

    /// All code of a language in the text of a file: what a page holds of it, or the text as a whole.
    pub fn all(
        tables: &Tables,
        language: &'static Language,
        (path, files): (&RelPath, &dyn Files),
        text: &str,
    ) -> Vec<Self> {
        match tables.layers_of(path, text) {
            Some(layers) => layers
                .iter()
                .filter(|l| language.reads_ending(l.ending))
                .map(|l| Self::of_layer(language, l, (path, files), text))
                .collect(),
            None => {
                let tree = Tree::parse_file(language, path, text);
                vec![Self::whole(language, tree, text, (path, files))]
            }
        }
    }

    /// The text that it was read from, of a file with this text: places are the same in both.
    pub fn text<'a>(&'a self, file: &'a str) -> &'a str {
        self.layer.as_ref().map_or(file, |l| &l.view)
    }

    /// A place as it stands in the file.
    pub fn in_file(&self, at: Span) -> Span {
        self.layer.as_ref().map_or(at, |l| l.whole_signs(at))
    }
}

/// What a directive imports.
fn import(language: &Language, import: &DirectiveImport, page: &str) -> Import {
    let separator = language.names.separator;
    let mut segments = Vec::new();
    let mut at = import.path.start as usize;
    for part in import.path.of(page).split(separator) {
        segments.push((part.to_owned(), Span::new(at, at + part.len())));
        at += part.len() + separator.len();
    }
    let all = segments.pop_if(|s| s.0 == "*").is_some();
    let path = segments.iter().map(|s| s.0.as_str()).collect::<Vec<_>>().join(separator);
    let out = Import::new(import.directive, segments, path);
    let out = out.listed(import.path, Some(import.list), 0, false);
    if all { out.all() } else { out }
}

/// True if pages of a kind may hold code of a language.
fn holds(host: &markup::Host, language: &Language) -> bool {
    host.holds().any(|e| language.reads_ending(e))
}

impl Tables {
    /// True if code of a language may stand in a file of this name.
    pub fn reads(&self, language: &Language, path: &RelPath) -> bool {
        language.reads(path) || self.page_with(language, path)
    }

    /// True if a file of this name is a page that may hold code of a language.
    pub fn page_with(&self, language: &Language, path: &RelPath) -> bool {
        self.language_of(path).is_none() && self.host_of(path).is_some_and(|h| holds(h, language))
    }

    /// The titles of the kinds of pages that may hold code of a language.
    pub fn pages_with<'a>(
        &'a self,
        language: &'a Language,
    ) -> impl Iterator<Item = &'static str> + 'a {
        self.hosts.iter().filter(move |h| holds(h, language)).map(|h| h.title)
    }

    /// The layers of code in a page; none for a file that is no page, or holds no code that anybody reads.
    pub fn layers_of(&self, path: &RelPath, text: &str) -> Option<Vec<Arc<Layer>>> {
        let host = self.host_of(path).filter(|_| self.language_of(path).is_none())?;
        host.holds().next()?;
        let page = markup::read(host, text);
        Some(markup::layers(&page).into_iter().map(Arc::new).collect())
    }
}
