//! What comes of items as text: in a file of its own, or at a place in one that is there.

use std::collections::BTreeMap;
use std::collections::HashMap;

use emendo_lang::language::Space;
use emendo_lang::{Certainty, Fact, FileFacts, ImportName, Language, Project as _, Resolver, Tree};
use emendo_pattern::ImportPlan;
use emendo_text::{FilledCode, RelPath, Span, Splice};

use crate::contract::PathsCx;
use crate::file::generate::fill::{Printed, fill};
use crate::file::generate::item::Item;
use crate::file::generate::lines::{comments_above, line_start};
use crate::file::generate::model::{GenerateRule, Goal, InsertAt};
use crate::file::generate::naming::{ItemNames, Naming};

/// A line of so many signs, blanks left out, that stands in a file stands there for a reason.
const LONG_LINE: usize = 12;

/// What comes of items.
#[derive(Default)]
pub(super) struct Written {
    /// The whole file, where that is created.
    pub(super) content: String,
    /// What of the items was printed.
    pub(super) printed: Printed,
    /// The declarations that went along with items.
    pub(super) carried: Vec<(RelPath, Span)>,
    /// What makes it less sure.
    pub(super) rests_on: Vec<Fact>,
    /// The file is there already: nothing of what is written is missing, or the first line that is.
    pub(super) missing: Option<Option<String>>,
    pub(super) withheld: Option<String>,
    /// The place that it goes to, the change there, and the imports that it needs.
    pub(super) insert: Option<(Span, Splice, Vec<ImportName>)>,
}

/// How a symbol is written that a word stands for, in a space and at a place, with the imports that it needs.
type Spelling<'a> =
    dyn Fn(&str, &str, Space, u32) -> Result<(String, Vec<ImportName>), String> + 'a;

/// A text with its facts.
struct Parsed {
    tree: Tree,
    facts: FileFacts,
    text: String,
}

impl Parsed {
    fn new(language: &'static Language, path: &RelPath, text: String, cx: &PathsCx<'_>) -> Self {
        let tree = Tree::parse_file(language, path, &text);
        let facts = FileFacts::of_file(language, &tree, &text, path, cx.project.files());
        Self { tree, facts, text }
    }
}

impl GenerateRule {
    /// What comes of the items; those that cannot be carried over say why.
    ///
    /// # Errors
    /// If nothing can be written: why.
    pub(super) fn written(
        &self,
        items: &mut [Item],
        lists: &[(&str, Vec<usize>)],
        cx: &PathsCx<'_>,
    ) -> Result<Written, String> {
        let path = self.goal.path();
        let there = (cx.text)(path);
        let language = cx.tables.language_of(path);
        for item in items.iter_mut() {
            if let Some(Err(why)) = &item.place {
                item.left = Some(why.clone());
            }
        }
        let mut names: Vec<ItemNames> = Vec::new();
        let mut filled = self.filled(lists, items, &names)?;
        let mut needed = (BTreeMap::new(), Vec::new());
        let mut rests_on = Vec::new();
        if let Some(language) = language {
            let own = Parsed::new(language, path, filled.0.text.clone(), cx);
            let around = match (&self.goal, &there) {
                (Goal::Insert(_), Some(there)) => {
                    Some(Parsed::new(language, path, there.clone(), cx))
                }
                _ => None,
            };
            let facts = (around.as_ref().map_or(&own.facts, |a| &a.facts), &own.facts);
            // Which items are left out decides which declarations go along with which: until none is new.
            loop {
                let mut naming = Naming::new(language, facts, path, &self.template, &self.names);
                let before = items.iter().filter(|i| i.left.is_some()).count();
                names = self.named(items, (language, &filled.1), &mut naming);
                let after = items.iter().filter(|i| i.left.is_some()).count();
                if before == after {
                    let wildcards = naming.wildcards.into_iter().collect();
                    needed = (naming.imports, wildcards);
                    break;
                }
            }
            rests_on = resting(&names);
            filled = self.filled(lists, items, &names)?;
            for (i, n) in names.iter().enumerate() {
                if !n.locals.is_empty() && !filled.1.locals(i) {
                    let why = format!(
                        "the template does not write `.locals`, and the item at {} needs what is declared beside it",
                        items[i].at()
                    );
                    return Err(why);
                }
            }
        }
        let along = |(i, n): (usize, &ItemNames)| {
            let path = items[i].source.path.clone();
            n.locals.iter().map(move |l| (path.clone(), l.0)).collect::<Vec<_>>()
        };
        let carried = names.iter().enumerate().flat_map(along).collect();
        let (filled, printed) = filled;
        if filled.text.trim().is_empty() {
            return Err("the template writes nothing".to_owned());
        }
        let missing = |there: &str| {
            let own = items.iter().filter(|i| self.drop && i.source.path == *path);
            let own: Vec<Span> = own.map(|i| i.span).collect();
            let known = language.map(|l| Parsed::new(l, path, there.to_owned(), cx));
            let known = known.map_or_else(BTreeMap::new, |p| self.known_words(&p.facts));
            missing_line(there, &own, &filled, &known)
        };
        let out = Written { printed, carried, rests_on, ..Written::default() };
        match &self.goal {
            Goal::File(path) => {
                let missing = there.as_deref().map(missing);
                let content = match language {
                    Some(language) => {
                        let like = items.iter().find_map(|i| i.source.import.clone());
                        self.file((language, path), (&filled, like), needed, cx)?
                    }
                    None => filled.text,
                };
                let crlf = |i: &Item| i.source.text.contains("\r\n");
                let content = match items.iter().all(crlf) {
                    true => content.replace('\n', "\r\n"),
                    false => content,
                };
                Ok(Written { content, missing, ..out })
            }
            Goal::Insert(at) => {
                let Some(there) = there else {
                    return Err(format!("there is no `{}`", at.file));
                };
                if missing(&there).is_none() {
                    return Ok(Written { missing: Some(None), ..out });
                }
                let some = held_line(&there, &filled);
                let language = language.unwrap_or(at.place.language());
                let insert = self.inserted(at, language, (&there, &filled), needed, cx)?;
                let withheld = some.map(|line| {
                    format!("`{}` holds a part of what comes of these already: `{line}`", at.file)
                });
                Ok(Written { insert: Some(insert), withheld, ..out })
            }
        }
    }

    /// What a file calls the words of the recipe.
    fn known_words(&self, facts: &FileFacts) -> BTreeMap<&str, String> {
        let local = |symbol: &str| {
            let import = facts.imports.iter().find(|i| i.path() == symbol && !i.passes_on);
            import.and_then(|i| i.local()).map(str::to_owned)
        };
        self.names.iter().filter_map(|(word, s)| Some((word.as_str(), local(s)?))).collect()
    }

    /// The text, and what of the items it prints.
    fn filled(
        &self,
        lists: &[(&str, Vec<usize>)],
        items: &[Item],
        names: &[ItemNames],
    ) -> Result<(FilledCode, Printed), String> {
        let printed = Printed::default();
        let stays = |i: &&usize| items[**i].left.is_none();
        let lists: Vec<(&str, Vec<usize>)> = lists
            .iter()
            .map(|(list, all)| (*list, all.iter().filter(stays).copied().collect()))
            .collect();
        let filled = fill(&self.template, &lists, (items, names), &printed);
        let filled = filled.map_err(|e| format!("the template fails: {e}"))?;
        Ok((filled, printed))
    }

    /// How the names of each item are written; what cannot be written is left.
    fn named(
        &self,
        items: &mut [Item],
        (language, printed): (&'static Language, &Printed),
        naming: &mut Naming<'_>,
    ) -> Vec<ItemNames> {
        let mut out = Vec::new();
        for (i, item) in items.iter_mut().enumerate() {
            if item.left.is_some() || !Self::speaks(item.source.language, language) {
                out.push(ItemNames::default());
                continue;
            }
            match naming.item(item, &printed.of(i), self.carry) {
                Ok(names) => out.push(names),
                Err(why) => {
                    item.left = Some(why);
                    out.push(ItemNames::default());
                }
            }
        }
        out
    }

    /// A file of its own, with the imports that it needs.
    fn file(
        &self,
        (language, path): (&'static Language, &RelPath),
        (filled, like): (&FilledCode, Option<String>),
        (imports, wildcards): (BTreeMap<String, ImportName>, Vec<ImportName>),
        cx: &PathsCx<'_>,
    ) -> Result<String, String> {
        let parsed = Parsed::new(language, path, filled.text.clone(), cx);
        // Its own words mean what the recipe says: nothing is there that could hide it but what the template declares.
        let nothing = Parsed::new(language, path, String::new(), cx);
        let resolver =
            Resolver::new(language, &nothing.facts, cx.project, &nothing.tree, &nothing.text);
        let resolver = resolver.in_file(path);
        let declared = |word: &str, symbol: &str| {
            let import = parsed.facts.imports.iter().find(|i| i.local() == Some(word));
            match import {
                Some(import) => Some(import.path() == symbol),
                None => parsed.facts.top_names().any(|n| n == word).then_some(false),
            }
        };
        let (respelled, mut add) =
            self.spelled(&parsed, &|symbol, word, space, _| match declared(word, symbol) {
                Some(true) => Ok((word.to_owned(), Vec::new())),
                Some(false) => {
                    Err(format!("`{word}` of `names` is something else in the template"))
                }
                None => {
                    let spelled = resolver.spell_as(symbol, Some(word), space, 0)?;
                    Ok((spelled.text, spelled.imports))
                }
            })?;
        add.extend(used(imports, &parsed.facts));
        add.extend(wildcards);
        add.extend(self.add.iter().map(|s| language.import_of(s, Space::Value)));
        let plan = ImportPlan { add, like, ..ImportPlan::default() };
        let edits = plan.edits(language, &parsed.facts, &parsed.text, "\n");
        let splices = respelled.into_iter().chain(edits.into_iter().map(|e| e.splice));
        let content = spliced(&parsed.text, splices.collect());
        let whole = Parsed::new(language, path, content, cx);
        if let Some(at) = whole.tree.errors().first() {
            let line = whole.text[..at.start as usize].matches('\n').count() + 1;
            let source = whole.text.lines().nth(line - 1).unwrap_or("").trim();
            return Err(format!(
                "line {line} of what the template writes cannot be read: `{source}`"
            ));
        }
        Ok(whole.text)
    }

    /// A change at a place of a file, with the imports that it needs.
    fn inserted(
        &self,
        at: &InsertAt,
        language: &'static Language,
        (there, filled): (&str, &FilledCode),
        (imports, wildcards): (BTreeMap<String, ImportName>, Vec<ImportName>),
        cx: &PathsCx<'_>,
    ) -> Result<(Span, Splice, Vec<ImportName>), String> {
        let target = Parsed::new(language, &at.file, there.to_owned(), cx);
        let resolver = Resolver::new(language, &target.facts, cx.project, &target.tree, there);
        let resolver = resolver.in_file(&at.file);
        let mut places: Vec<Span> =
            at.place.matches(&target.tree, there, &resolver).iter().map(|m| m.span).collect();
        places.sort();
        places.dedup();
        let place = match places.as_slice() {
            [one] => *one,
            [] => return Err(format!("`{}` fits nowhere in `{}`", at.place.source(), at.file)),
            all => {
                let n = all.len();
                return Err(format!("`{}` fits {n} places in `{}`", at.place.source(), at.file));
            }
        };
        let fragment = Parsed::new(language, &at.file, filled.text.clone(), cx);
        let (respelled, mut add) = self.spelled(&fragment, &|symbol, word, space, _| {
            let spelled = resolver.spell_as(symbol, Some(word), space, place.start)?;
            Ok((spelled.text, spelled.imports))
        })?;
        add.extend(used(imports, &fragment.facts));
        add.extend(wildcards);
        add.extend(self.add.iter().map(|s| language.import_of(s, Space::Value)));
        let known = |a: &ImportName| target.facts.imports.iter().any(|i| i.name().same(a));
        add.retain(|a| !known(a));
        let text = spliced(&fragment.text, respelled);
        let lines = Parsed::new(language, &at.file, text, cx);
        let line_end = if there.contains("\r\n") { "\r\n" } else { "\n" };
        // Comments belong to what they stand above.
        let lead = comments_above(there, &target.facts.comments, place);
        let place = lead.filter(|_| !at.after).map_or(place, |l| l.hull(place));
        Ok((place, insertion(there, place, at.after, &lines, line_end), add))
    }

    /// How words of the recipe are written, and the imports that they need.
    fn spelled(
        &self,
        parsed: &Parsed,
        spell: &Spelling<'_>,
    ) -> Result<(Vec<Splice>, Vec<ImportName>), String> {
        let (mut splices, mut imports) = (Vec::new(), Vec::new());
        let mut known: HashMap<(&str, Space), String> = HashMap::new();
        for (word, symbol) in &self.names {
            for w in parsed.facts.words(word) {
                let head = w.path_start == w.span.start;
                if matches!(w.space, Space::Member | Space::Declared) || !head {
                    continue;
                }
                let text = match known.get(&(word.as_str(), w.space)) {
                    Some(text) => text.clone(),
                    None => {
                        let (text, more) = spell(symbol, word, w.space, w.span.start)?;
                        imports.extend(more);
                        known.insert((word, w.space), text.clone());
                        text
                    }
                };
                if text != *word {
                    splices.push(Splice::text(w.span, text));
                }
            }
        }
        Ok((splices, imports))
    }
}

/// Imports whose names what is written uses.
fn used(imports: BTreeMap<String, ImportName>, facts: &FileFacts) -> Vec<ImportName> {
    let all = imports.into_iter();
    all.filter(|(local, _)| !facts.words(local).is_empty()).map(|(_, import)| import).collect()
}

/// What makes items less sure: declarations whose values may be changed in place.
fn resting(names: &[ItemNames]) -> Vec<Fact> {
    let mut all: Vec<&String> = names.iter().filter_map(|n| n.rests_on.as_ref()).collect();
    all.sort();
    all.dedup();
    let one = |names: &String| Fact {
        says: Certainty::Likely,
        text: format!(
            "`{names}` is declared once more with what uses it: what changes it in place is not known"
        ),
        at: None,
    };
    all.into_iter().map(one).collect()
}

/// A text with changes.
fn spliced(text: &str, mut splices: Vec<Splice>) -> String {
    splices.sort_by_key(|s| (s.span.start, s.span.end));
    Splice::written(text, Span::new(0, text.len()), &splices)
}

/// The lines of what is written, before or after the lines of a place.
fn insertion(there: &str, place: Span, after: bool, lines: &Parsed, line_end: &str) -> Splice {
    let start = line_start(there, place.start as usize);
    let lead = &there[start..place.start as usize];
    let indent = &lead[..lead.len() - lead.trim_start().len()];
    let end =
        there[place.end as usize..].find('\n').map_or(there.len(), |i| place.end as usize + i);
    let alone = match after {
        true => {
            there[place.end as usize..end].trim().trim_matches([';', ',']).trim().is_empty()
                || there[place.end as usize..end]
                    .trim_start_matches([';', ','])
                    .trim_start()
                    .starts_with(['/', '#'])
        }
        false => lead.trim().is_empty(),
    };
    let fixed = lines.facts.lines_in_strings(&lines.text, Span::new(0, lines.text.len()));
    let mut out = String::new();
    let mut from = 0;
    let text = lines.text.strip_suffix('\n').unwrap_or(&lines.text);
    for line in text.split_inclusive('\n') {
        let own = line.trim_end_matches('\n');
        if !own.is_empty() && fixed.binary_search(&(from as u32)).is_err() {
            out.push_str(indent);
        }
        out.push_str(own);
        out.push_str(line_end);
        from += line.len();
    }
    match (after, alone) {
        (false, true) => Splice::text(Span::at(start), out),
        (false, false) => {
            Splice::text(Span::at(place.start as usize), format!("{}{indent}", out.trim_start()))
        }
        (true, true) => match there[end..].chars().next() {
            Some(_) => Splice::text(Span::at(end + 1), out),
            None => {
                let text = format!("{line_end}{}", out.trim_end_matches(['\r', '\n']));
                Splice::text(Span::at(end), text)
            }
        },
        (true, false) => {
            let text = format!("{line_end}{}", out.trim_end_matches(['\r', '\n']));
            Splice::text(Span::at(place.end as usize), text)
        }
    }
}

/// A text as it is compared: without blanks, quotes, and the signs that formatters add and take away.
fn plain(text: &str) -> String {
    let kept = text.chars().filter(|c| !c.is_whitespace() && !matches!(c, ',' | ';'));
    kept.map(|c| if matches!(c, '\'' | '`') { '"' } else { c }).collect()
}

/// The lines that come of items.
fn item_lines(filled: &FilledCode) -> Vec<&str> {
    let mut out = Vec::new();
    let mut start = 0;
    for line in filled.text.split_inclusive('\n') {
        let at = Span::new(start, start + line.len());
        start += line.len();
        let from = filled.values.partition_point(|v| v.end <= at.start);
        let printed = filled.values[from..].first().is_some_and(|v| v.start < at.end);
        if printed && line.contains(char::is_alphanumeric) {
            out.push(line.trim());
        }
    }
    out
}

/// The first line that comes of items and does not stand in a text, some places of that left out.
fn missing_line(
    there: &str,
    without: &[Span],
    filled: &FilledCode,
    known: &BTreeMap<&str, String>,
) -> Option<String> {
    let mut kept = String::new();
    let mut at = 0;
    for span in without {
        kept.push_str(&there[at..(span.start as usize).max(at)]);
        kept.push('\u{0}');
        at = (span.end as usize).max(at);
    }
    kept.push_str(&there[at..]);
    let kept = plain(&kept);
    let called = |line: &str| {
        let words = emendo_lang::token_texts(line).map(|t| t.1);
        words.map(|w| known.get(w).map_or(w, String::as_str)).collect::<Vec<_>>().join(" ")
    };
    let held = |l: &&str| kept.contains(&plain(l)) || kept.contains(&plain(&called(l)));
    item_lines(filled).into_iter().find(|l| !held(l)).map(str::to_owned)
}

/// A line that comes of items and stands in a text as a line of its own.
fn held_line(there: &str, filled: &FilledCode) -> Option<String> {
    let lines: std::collections::HashSet<String> = there.lines().map(plain).collect();
    // A short line may stand anywhere.
    let held = |l: &&str| plain(l).len() >= LONG_LINE && lines.contains(&plain(l));
    item_lines(filled).into_iter().find(held).map(str::to_owned)
}
