//! Items as a template sees them.

use std::collections::BTreeSet;
use std::sync::{Arc, Mutex};

use emendo_text::{FillError, FillPiece, FillValue, FilledCode, Span, fill_code, piece_text};

use crate::file::generate::item::{Held, Item};
use crate::file::generate::naming::ItemNames;

/// The most bytes that a template may write.
const MOST: usize = 16 << 20;

/// The parts of an item, and of a slot, that a template may ask for.
pub(super) const PARTS: [&str; 8] =
    ["text", "value", "lead", "trail", "inner", "locals", "file", "line"];

/// What of the items a template printed.
#[derive(Clone, Default)]
pub(super) struct Printed(Arc<Mutex<BTreeSet<(usize, Part)>>>);

/// A part of an item.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Part {
    /// The text at a place.
    Text(Span),
    /// What is declared beside it.
    Locals,
}

impl Printed {
    fn note(&self, item: usize, part: Part) {
        if let Ok(mut all) = self.0.lock() {
            all.insert((item, part));
        }
    }

    /// The places of an item that were printed.
    pub(super) fn of(&self, item: usize) -> Vec<Span> {
        let Ok(all) = self.0.lock() else { return Vec::new() };
        // Texts come before declarations.
        let first = (item, Part::Text(Span::at(0)));
        let own = all.range(first..(item, Part::Locals));
        own.filter_map(|p| if let Part::Text(at) = p.1 { Some(at) } else { None }).collect()
    }

    /// True if what is declared beside an item was printed.
    pub(super) fn locals(&self, item: usize) -> bool {
        self.0.lock().is_ok_and(|all| all.contains(&(item, Part::Locals)))
    }
}

/// Fills the lists of items into a template.
///
/// # Errors
/// If the template asks for what is not there, or goes beyond its bounds.
pub(super) fn fill(
    template: &str,
    lists: &[(&str, Vec<usize>)],
    (items, names): (&[Item], &[ItemNames]),
    printed: &Printed,
) -> Result<FilledCode, FillError> {
    let plain = ItemNames::default();
    let one = |i: &usize| item(*i, &items[*i], names.get(*i).unwrap_or(&plain), printed);
    let values: Vec<(String, FillValue)> = lists
        .iter()
        .map(|(list, all)| ((*list).to_owned(), FillValue::List(all.iter().map(one).collect())))
        .collect();
    fill_code(template, &values, MOST)
}

fn piece(
    text: String,
    fields: Vec<(String, FillValue)>,
    (n, part): (usize, Part),
    printed: &Printed,
) -> FillPiece {
    let printed = printed.clone();
    let printed = Box::new(move || printed.note(n, part));
    FillPiece { text, fields, items: None, printed }
}

fn item(n: usize, item: &Item, names: &ItemNames, printed: &Printed) -> FillValue {
    let source = &item.source;
    let text = |at: Span| piece_text(&source.text, at, &source.fixed, &names.new);
    let comment = |at: Option<Span>| match at {
        Some(at) => {
            let piece = piece(text(at), Vec::new(), (n, Part::Text(at)), printed);
            FillValue::Piece(Arc::new(piece))
        }
        None => FillValue::Nothing,
    };
    let locals =
        names.locals.iter().map(|(at, new)| piece_text(&source.text, *at, &source.fixed, new));
    let locals: Vec<String> = locals.collect();
    let locals = match locals.is_empty() {
        true => FillValue::Nothing,
        false => {
            let piece = piece(locals.join("\n"), Vec::new(), (n, Part::Locals), printed);
            FillValue::Piece(Arc::new(piece))
        }
    };
    let inner: Vec<String> = item.inner.iter().map(|c| text(*c)).collect();
    let inner = match inner.is_empty() {
        true => FillValue::Nothing,
        false => FillValue::Text(inner.join("\n")),
    };
    let place = || {
        let file = FillValue::Text(source.path.as_str().to_owned());
        [("file".to_owned(), file), ("line".to_owned(), FillValue::Whole(i64::from(item.line)))]
    };
    let code = |at: Span, value: &FillValue| {
        let mut fields = vec![("value".to_owned(), value.clone())];
        fields.extend(PARTS[2..6].iter().map(|p| ((*p).to_owned(), FillValue::Nothing)));
        fields.extend(place());
        piece(text(at), fields, (n, Part::Text(at)), printed)
    };
    let held = |held: &Held| match held {
        Held::Nothing => {
            let fields = PARTS[1..].iter().map(|p| ((*p).to_owned(), FillValue::Nothing)).collect();
            let at = Part::Text(Span::at(item.span.start as usize));
            FillValue::Piece(Arc::new(piece(String::new(), fields, (n, at), printed)))
        }
        Held::Text(text) => {
            let mut fields = vec![("value".to_owned(), FillValue::Text(text.clone()))];
            fields.extend(place());
            let at = Part::Text(Span::at(item.span.start as usize));
            FillValue::Piece(Arc::new(piece(text.clone(), fields, (n, at), printed)))
        }
        Held::Code(at, value) => FillValue::Piece(Arc::new(code(*at, value))),
        Held::List(at, all) => {
            let items =
                all.iter().map(|(at, v)| FillValue::Piece(Arc::new(code(*at, v)))).collect();
            let whole = FillPiece { items: Some(items), ..code(*at, &FillValue::Nothing) };
            FillValue::Piece(Arc::new(whole))
        }
    };
    let mut fields: Vec<(String, FillValue)> =
        item.slots.iter().map(|s| (s.name.clone(), held(&s.held))).collect();
    let own = [
        ("value", item.value.clone()),
        ("lead", comment(item.lead)),
        ("trail", comment(item.trail)),
        ("inner", inner),
        ("locals", locals),
    ];
    fields.extend(own.into_iter().map(|(k, v)| (k.to_owned(), v)));
    fields.extend(place());
    FillValue::Piece(Arc::new(piece(text(item.span), fields, (n, Part::Text(item.span)), printed)))
}
