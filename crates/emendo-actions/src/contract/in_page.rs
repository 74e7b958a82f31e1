//! What was found in a layer of a page is fitted into the page, whose text must stay what it is around the code.

use emendo_docs::markup::{CodePiece, Held, Layer, LongSign, TakesImports, encode};
use emendo_pattern::{ImportEdit, delete_splice};
use emendo_text::{Part, Span, Splice};

use crate::contract::draft::{Change, Draft};

/// A layer, and the text of the page that it belongs to.
pub struct InPage<'a> {
    /// The layer.
    pub layer: &'a Layer,
    /// The text.
    pub page: &'a str,
}

impl InPage<'_> {
    /// Puts what stands in the page for names that stand in for it.
    pub fn restore(&self, text: &mut String) {
        if let Some(restored) = self.layer.restored(text, self.page) {
            *text = restored;
        }
    }

    /// Fits a draft into the page; one that cannot be written there is withheld.
    pub fn draft(&self, draft: &mut Draft) {
        let mut withheld = None;
        draft.hull = self.layer.whole_signs(draft.hull);
        for t in &mut draft.tokens {
            *t = self.layer.whole_signs(*t);
        }
        for fact in &mut draft.evidence {
            self.restore(&mut fact.text);
        }
        let hull = draft.hull;
        let others = draft.alternatives.iter_mut().map(|a| &mut a.change);
        for change in others.chain([&mut draft.change]) {
            if let Err(why) = self.change(change, hull) {
                withheld = Some(why);
            }
        }
        draft.withheld = withheld.or(draft.withheld.take());
    }

    /// Fits a change into the page.
    ///
    /// # Errors
    /// Why it cannot be written there.
    fn change(&self, change: &mut Change, hull: Span) -> Result<(), String> {
        if let TakesImports::Nowhere(what) = self.layer.takes
            && !change.imports.is_empty()
        {
            let names: Vec<String> =
                change.imports.iter().map(|i| format!("`{}`", i.path)).collect();
            return Err(format!("it needs an import of {}: {what} has none", names.join(", ")));
        }
        let mut names = Vec::new();
        for splice in &mut change.splices {
            names.extend(self.named(splice));
            self.splice(splice, hull)?;
        }
        // What is named like its value keeps its name.
        change.splices.extend(names);
        change.splices.sort_by_key(|s| (s.span.start, s.span.end));
        let gone = if self.layer.gaps.is_empty() { Vec::new() } else { change.uncopied() };
        let lost = |gap: &Span| gone.iter().any(|u| u.meets(*gap));
        if self.layer.gaps.iter().any(lost) {
            return Err("it would take code of the template away".to_owned());
        }
        Ok(())
    }

    /// The name of an attribute whose value is no longer called like it.
    fn named(&self, splice: &Splice) -> Option<Splice> {
        let piece = self.layer.piece_at(splice.span).filter(|p| p.held == Held::Short)?;
        let name = piece.at.of(self.page);
        let before = Span::at(piece.at.start as usize - 1);
        Some(Splice::text(before, format!("{name}=")))
    }

    fn splice(&self, splice: &mut Splice, hull: Span) -> Result<(), String> {
        self.parted(splice);
        splice.span = self.layer.whole_signs(splice.span);
        for d in &self.layer.imports {
            // What else the directive says stays.
            if splice.parts.is_empty()
                && splice.span.contains(d.directive)
                && d.whole != d.directive
            {
                splice.span = d.whole;
            }
        }
        let within = self.layer.imports.iter().any(|d| d.directive.contains(splice.span));
        let held = match self.layer.piece_at(splice.span) {
            Some(piece) => Some(piece.held),
            None if within => None,
            None => self.pulled_in(splice, hull)?,
        };
        self.emptied(splice)?;
        let Some(held) = held else { return Ok(()) };
        if held == Held::Named {
            // It keeps its name, and gets a value.
            let name = Part::Text(format!("{}={{", splice.span.of(self.page)));
            splice.parts.insert(0, name);
            splice.parts.push(Part::Text("}".to_owned()));
            return Ok(());
        }
        self.parts(&mut splice.parts, held)
    }

    /// What stands beside blanks of the layer that the page does not have brings a blank of its own.
    fn parted(&self, splice: &mut Splice) {
        let (from, to) = (splice.span.start, splice.span.end);
        let after = |s: &&LongSign| s.sign + 1 < from && from <= s.at.end;
        let before = |s: &&LongSign| s.at.start <= to && to < s.sign;
        if self.layer.signs.iter().any(|s| after(&s))
            && let Some(Part::Text(t)) = splice.parts.first_mut()
            && !t.starts_with([' ', ',', ')', ';'])
        {
            t.insert(0, ' ');
        }
        if self.layer.signs.iter().any(|s| before(&s))
            && let Some(Part::Text(t)) = splice.parts.last_mut()
            && !t.ends_with([' ', '('])
        {
            t.push(' ');
        }
    }

    /// Brackets that hold nothing any more go, with their line.
    fn emptied(&self, splice: &mut Splice) -> Result<(), String> {
        let piece = self.layer.piece_at(splice.span).filter(|_| splice.parts.is_empty());
        let Some(piece) = piece.filter(|_| !splice.span.is_empty()) else { return Ok(()) };
        let rest = |from: u32, to: u32| self.page[from as usize..to as usize].trim().is_empty();
        let (at, span) = (piece.at, splice.span);
        if !rest(at.start, span.start) || !rest(span.end, at.end) {
            return Ok(());
        }
        match (piece.whole, piece.held) {
            (Some(whole), _) => splice.span = delete_splice(self.page, whole, |_| None).span,
            (None, Held::Script | Held::Value(_) | Held::Text) => {}
            (None, _) => return Err("the page writes its value there".to_owned()),
        }
        Ok(())
    }

    /// A change that goes beyond its piece of code stays within it, but for blanks. Gives what the piece stands in.
    fn pulled_in(&self, splice: &mut Splice, hull: Span) -> Result<Option<Held>, String> {
        const AWAY: &str = "it would take markup away that stands between its parts";
        let here = |p: &&CodePiece| p.at.contains(hull);
        let directive = self.layer.imports.iter().map(|d| d.directive).find(|d| d.meets(hull));
        let piece = self.layer.pieces.iter().find(here);
        let Some(zone) = directive.or(piece.map(|p| p.at)) else { return Err(AWAY.to_owned()) };
        let held = piece.map(|p| p.held);
        let blank = |from: u32, to: u32| {
            from >= to || self.page[from as usize..to as usize].trim().is_empty()
        };
        let span = splice.span;
        if span.is_empty() {
            // A new line below the last one of the piece: it goes on in this.
            let inside = zone.of(self.page).trim_end().len();
            splice.span = Span::at(zone.start as usize + inside);
            let mut texts = splice.parts.iter_mut().filter_map(|p| match p {
                Part::Text(t) => Some(t),
                _ => None,
            });
            if let Some(first) = texts.next() {
                *first = format!(" {}", first.trim());
            }
            return Ok(held);
        }
        // The rest of a line on which nothing else stands goes with it.
        if !(blank(span.start, zone.start) && blank(zone.end, span.end)) {
            splice.span = Span { start: span.start.max(zone.start), end: span.end.min(zone.end) };
        }
        Ok(held)
    }

    /// New text as it is written in the page.
    fn parts(&self, parts: &mut [Part], held: Held) -> Result<(), String> {
        for part in parts {
            match part {
                Part::Text(text) => {
                    self.restore(text);
                    *text = written(text, held)?;
                }
                Part::Copy(span) => *span = self.layer.whole_signs(*span),
                Part::Shifted(s) => self.parts(&mut s.parts, held)?,
            }
        }
        Ok(())
    }

    /// A change of an import statement as the page holds it.
    pub fn import(&self, mut edit: ImportEdit) -> ImportEdit {
        let TakesImports::Directive(before, after) = self.layer.takes else { return edit };
        let of = |at: Span| self.layer.imports.iter().find(move |d| d.directive == at);
        let own = edit.statement.and_then(of);
        let Some(own) = own else {
            let texts = edit.splice.parts.iter_mut().filter_map(|p| match p {
                Part::Text(t) => Some(t),
                _ => None,
            });
            for text in texts {
                let lines = text.split('\n').map(|l| match imported(l) {
                    Some(path) => l.replace(l.trim(), &format!("{before}{path}{after}")),
                    None => l.to_owned(),
                });
                *text = lines.collect::<Vec<_>>().join("\n");
            }
            return edit;
        };
        let replaced =
            edit.splice.span == own.directive || edit.splice.span.contains(own.directive);
        if let [Part::Text(text)] = edit.splice.parts.as_slice()
            && replaced
        {
            let paths: Vec<&str> = text.lines().filter_map(imported).collect();
            edit.splice = Splice::text(own.list, paths.join(", "));
        } else if edit.splice.parts.is_empty() && replaced && own.whole != own.directive {
            edit.splice.span = own.whole;
        }
        edit
    }
}

/// What a statement imports.
fn imported(line: &str) -> Option<&str> {
    Some(line.trim().strip_prefix("import ")?.trim_end_matches(';').trim())
}

/// New text in a piece of code.
///
/// # Errors
/// Why it cannot stand there.
fn written(text: &str, held: Held) -> Result<String, String> {
    match held {
        Held::Script if text.to_ascii_lowercase().contains("</script") => {
            Err("it would end the script".to_owned())
        }
        Held::Brackets("}}") => Ok(text.replace("}}", "} }")),
        Held::Brackets(close) if close.len() > 1 && text.contains(close) => {
            Err(format!("`{close}` would end the code"))
        }
        Held::Script | Held::Brackets(_) | Held::Short | Held::Named => Ok(text.to_owned()),
        Held::Text => Ok(encode(text, None)),
        Held::Name | Held::Hyphened => {
            let part = |c: char| c.is_alphanumeric() || matches!(c, '_' | '$' | '.');
            match text.chars().all(part) {
                true if held == Held::Hyphened => Ok(hyphened(text)),
                true => Ok(text.to_owned()),
                false => Err("only a name can stand there".to_owned()),
            }
        }
        Held::Value(None) => {
            let ends = |c: char| c.is_whitespace() || matches!(c, '"' | '\'' | '>' | '=' | '`');
            match text.contains(ends) {
                true => Err("no quotes stand around the value".to_owned()),
                false => Ok(text.to_owned()),
            }
        }
        Held::Value(Some(quote)) => Ok(quoted(text, quote)),
    }
}

/// `TideGauge` as `tide-gauge`.
fn hyphened(name: &str) -> String {
    let mut out = String::with_capacity(name.len() + 4);
    for (i, c) in name.char_indices() {
        if c.is_uppercase() && i > 0 {
            out.push('-');
        }
        out.extend(c.to_lowercase());
    }
    out
}

/// New text in a value with a quote around it: strings take the other quote where they can.
fn quoted(text: &str, quote: char) -> String {
    let (other, entity) = if quote == '"' { ('\'', "&quot;") } else { ('"', "&#39;") };
    let mut out = String::with_capacity(text.len());
    let even = text.matches(quote).count().is_multiple_of(2);
    for (i, piece) in text.split(quote).enumerate() {
        let inside = i % 2 == 1;
        if inside {
            let plain = even && !piece.contains([other, '\\']);
            let mark = if plain { other.to_string() } else { entity.to_owned() };
            out.push_str(&format!("{mark}{}{mark}", signs(piece)));
            continue;
        }
        out.push_str(&signs(piece));
    }
    if even {
        return out;
    }
    signs(text).replace(quote, entity)
}

/// What would read as something that stands for a character is written as one.
fn signs(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for (i, c) in text.char_indices() {
        let next = text[i + c.len_utf8()..].chars().next();
        match c {
            '&' if next.is_some_and(|n| n.is_ascii_alphanumeric() || n == '#') => {
                out.push_str("&amp;");
            }
            c => out.push(c),
        }
    }
    out
}
