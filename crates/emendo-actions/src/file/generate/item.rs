//! What is collected: items with their slots, their comments, and what their names mean.

use std::sync::Arc;

use emendo_lang::tree::Node;
use emendo_lang::tree::{children, descend, is_item, span};
use emendo_lang::{Certainty, Fact, Language, Project as _, Tree};
use emendo_pattern::{Match, Pattern, Place, Replacement};
use emendo_text::{FillValue, Lines, RelPath, Span};

use crate::contract::{Code, FileCx, Found, Needs, NoteDraft, PathsCx};
use crate::file::generate::lines::{comment_behind, comments_above};
use crate::file::generate::place::ItemPlace;
use crate::file::generate::uses::{CodeNames, LocalDeclaration, NameInPiece};
use crate::file::generate::value::value;
use crate::shared::{Finder, Head};

/// A pattern whose places become items of a list.
pub(super) struct Collect {
    /// The name of the list.
    pub(super) list: String,
    pub(super) head: Head,
    pub(super) find: Pattern,
    pub(super) finder: Finder,
    /// The recipe says in which files it looks.
    pub(super) in_files: bool,
    /// What takes a place away, where that is wanted.
    pub(super) delete: Option<Replacement>,
    /// The slots, and whether each is a list.
    pub(super) slots: Vec<(String, bool)>,
}

/// The text that items stand in.
#[derive(Debug)]
pub(super) struct ItemSource {
    pub(super) path: RelPath,
    pub(super) text: String,
    /// Where lines begin that are the inside of a literal.
    pub(super) fixed: Vec<u32>,
    pub(super) language: &'static Language,
    /// An import of the file, for the manner of others.
    pub(super) import: Option<String>,
}

/// What a slot of an item holds.
#[derive(Debug)]
pub(super) struct ItemSlot {
    pub(super) name: String,
    pub(super) held: Held,
}

/// What a slot holds.
#[derive(Debug)]
pub(super) enum Held {
    Nothing,
    /// A text from elsewhere.
    Text(String),
    /// Code, with what it stands for.
    Code(Span, FillValue),
    /// Several pieces of code.
    List(Span, Vec<(Span, FillValue)>),
}

/// The items of a file, and what is to be said of places in it.
pub(super) type FoundItems = (Vec<Item>, Vec<NoteDraft>);

/// An item.
#[derive(Debug)]
pub(super) struct Item {
    /// The pattern that it fits, by its place in the action.
    pub(super) collect: usize,
    pub(super) source: Arc<ItemSource>,
    pub(super) span: Span,
    pub(super) line: u32,
    pub(super) value: FillValue,
    pub(super) slots: Vec<ItemSlot>,
    /// The comments on the lines above, and the one behind it.
    pub(super) lead: Option<Span>,
    pub(super) trail: Option<Span>,
    /// Comments inside of it that stand in no slot.
    pub(super) inner: Vec<Span>,
    pub(super) facts: Vec<Fact>,
    pub(super) names: Vec<NameInPiece>,
    pub(super) locals: Vec<LocalDeclaration>,
    /// Where it stands, for taking it away.
    pub(super) place: Option<Result<ItemPlace, String>>,
    /// Why it is not carried over.
    pub(super) left: Option<String>,
}

impl Item {
    /// Where it stands, in words.
    pub(super) fn at(&self) -> String {
        format!("{}:{}", self.source.path, self.line)
    }
}

impl Collect {
    /// What a file must hold.
    pub(super) fn needs(&self) -> &Needs {
        &self.head.needs
    }

    /// The items of a file, in order.
    pub(super) fn items(
        &self,
        n: usize,
        (path, text): (&RelPath, &str),
        cx: &PathsCx<'_>,
        target: &RelPath,
    ) -> FoundItems {
        let (language, _) = self.head.at_work();
        let (mut items, mut notes) = (Vec::new(), Vec::new());
        let line_end = if text.contains("\r\n") { "\r\n" } else { "\n" };
        for code in Code::all(cx.tables, language, (path, cx.project.files()), text) {
            let view = code.text(text);
            let file = FileCx {
                code: Some(&code),
                packages: cx.packages,
                answers: cx.answers,
                ..FileCx::new(cx.tables, path, (view, line_end), cx.project)
            };
            let resolver = file.resolver(&code);
            let mut found = Found::default();
            let matches = self.finder.places(&self.find, &file, &code, &resolver, &mut found);
            let asked = matches.iter().flat_map(|m| self.finder.with_answers(m, &file));
            let mut all: Vec<Match> = asked.map(|(m, _)| m).collect();
            all.sort_by_key(|m| (m.span.start, m.span.end));
            all.dedup_by_key(|m| m.span);
            notes.append(&mut found.notes);
            if all.is_empty() {
                continue;
            }
            let whole = Span::new(0, view.len());
            let source = Arc::new(ItemSource {
                path: path.clone(),
                text: view.to_owned(),
                fixed: code.facts.lines_in_strings(view, whole),
                language,
                import: code.facts.imports.first().map(|i| i.span.of(view).to_owned()),
            });
            let names = CodeNames::new((&code, view), &resolver, cx.project, target);
            let lines = Lines::new(view);
            let at = Place { tree: &code.tree, text: view, line_end, resolver: &resolver };
            for m in all {
                let mut item = self.item(n, &m, (&code, &source), &names);
                item.line = lines.line(m.span.start);
                item.place = self.delete.as_ref().map(|delete| {
                    if code.layer.is_some() {
                        return Err("code of a page is not taken away from there".to_owned());
                    }
                    ItemPlace::of((delete, &self.find), &m, at)
                });
                items.push(item);
            }
        }
        (items, notes)
    }

    fn item(
        &self,
        n: usize,
        m: &Match,
        (code, source): (&Code, &Arc<ItemSource>),
        names: &CodeNames<'_>,
    ) -> Item {
        let (text, tree) = (source.text.as_str(), &code.tree);
        let slots: Vec<ItemSlot> = self
            .slots
            .iter()
            .map(|(name, list)| ItemSlot {
                name: name.clone(),
                held: held(m, name, *list, (tree, source)),
            })
            .collect();
        let spans: Vec<Span> =
            m.slots.iter().filter(|s| s.text.is_none()).map(|s| s.span).collect();
        let comments = &code.facts.comments;
        let inner = comments.iter().filter(|c| m.span.contains(**c));
        let inner = inner.filter(|c| !spans.iter().any(|s| s.contains(**c))).copied().collect();
        let mut locals = Vec::new();
        let uses = names.of(m.span, &spans, &mut locals);
        let mut facts: Vec<Fact> =
            m.facts.iter().map(|f| f.from_file(Some(&source.path), text)).collect();
        if facts.is_empty() {
            let (says, text) = match self.in_files {
                true => (Certainty::Likely, "the recipe says in which files these stand"),
                false => (Certainty::Unsure, "the pattern names nothing that could be resolved"),
            };
            facts.push(Fact { says, text: text.to_owned(), at: None });
        }
        Item {
            collect: n,
            source: source.clone(),
            span: m.span,
            line: 0,
            value: value_at(tree, m.span, source),
            slots,
            lead: comments_above(text, comments, m.span),
            trail: comment_behind(code.language, text, comments, m.span),
            inner,
            facts,
            names: uses,
            locals,
            place: None,
            left: None,
        }
    }
}

/// The node that is all of a place.
fn node_at(tree: &Tree, at: Span) -> Option<Node<'_>> {
    descend(tree.root(), at).into_iter().map(|n| n.0).rfind(|n| span(*n) == at)
}

fn value_at(tree: &Tree, at: Span, source: &ItemSource) -> FillValue {
    let node = node_at(tree, at);
    node.map_or(FillValue::Nothing, |n| value(source.language, n, &source.text))
}

/// What a slot of a match holds.
fn held(m: &Match, name: &str, list: bool, (tree, source): (&Tree, &ItemSource)) -> Held {
    let Some(bound) = m.slot(name) else { return Held::Nothing };
    if let Some(text) = &bound.text {
        return Held::Text(text.clone());
    }
    let at = bound.span;
    if !list {
        return match at.is_empty() {
            true => Held::Nothing,
            false => Held::Code(at, value_at(tree, at, source)),
        };
    }
    let one = |at: Span| (at, value_at(tree, at, source));
    let pieces = bound.pieces();
    if at.is_empty() && pieces.is_empty() {
        return Held::List(at, Vec::new());
    }
    if !pieces.is_empty() {
        let whole = pieces.iter().copied().fold(pieces[0], Span::hull);
        return Held::List(whole, pieces.into_iter().map(one).collect());
    }
    if bound.count == 1 {
        return Held::List(at, vec![one(at)]);
    }
    let around = descend(tree.root(), at).pop().map(|n| n.0);
    let inside = |n: &Node<'_>| is_item(*n) && at.contains(span(*n));
    let items = around.map(children).unwrap_or_default().into_iter().filter(inside).map(span);
    Held::List(at, items.map(one).collect())
}
