//! The code of one program in a page, as a text.

use emendo_text::Span;

/// What names that stand for values begin with.
pub(super) const MARK: &str = "zq";

/// The code of one program in a page.
#[derive(Debug)]
pub struct Layer {
    /// The ending of a file with such code.
    pub ending: &'static str,
    /// As long as the page: code at its places.
    pub view: String,
    /// The pieces of code in order.
    pub pieces: Vec<CodePiece>,
    /// Names that stand for values of the template, in order.
    pub stands: Vec<StandIn>,
    /// Code of the template within pieces that is blank here.
    pub gaps: Vec<Span>,
    /// Where the layer's text is not that of the page: what stands for characters there.
    pub signs: Vec<LongSign>,
    /// Names that the markup makes known.
    pub known: Vec<KnownName>,
    /// Names that are used as a part of others, and where.
    pub uses: Vec<(String, Span)>,
    /// What directives import.
    pub imports: Vec<DirectiveImport>,
    /// Where a new import may go.
    pub takes: TakesImports,
    /// What the code declares outermost is known before it too.
    pub hoisted: bool,
}

/// A piece of code in a page.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct CodePiece {
    /// Its place.
    pub at: Span,
    /// What it stands in.
    pub held: Held,
    /// What goes with it when nothing of it is left: brackets that hold statements.
    pub whole: Option<Span>,
}

/// What a piece of code stands in, which it must not end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Held {
    /// A script element.
    Script,
    /// A value with this quote around it, in which signs are written as entities; nothing around a bare word.
    Value(Option<char>),
    /// Text between tags, in which signs are written as entities.
    Text,
    /// Brackets that end so.
    Brackets(&'static str),
    /// The name of a tag, or a part of an attribute's name.
    Name,
    /// The name of a tag that is written in small letters, with hyphens between its words.
    Hyphened,
    /// Brackets in which an attribute's name is its value too.
    Short,
    /// The part of an attribute's name that is its value too.
    Named,
}

/// A name that stands for a value of the template.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StandIn {
    /// The name; it is as long as the place.
    pub name: String,
    /// Its place, brackets included.
    pub at: Span,
}

/// What stands for a character in a page.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct LongSign {
    /// All of it.
    pub at: Span,
    /// Where the layer has the character; blanks stand beside it.
    pub sign: u32,
}

/// A name that the markup makes known.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct KnownName {
    /// The name.
    pub name: String,
    /// Where it stands.
    pub at: Span,
    /// Where it is known.
    pub within: Span,
}

/// What a directive imports.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DirectiveImport {
    /// The path, with a star behind it where it takes all below.
    pub path: Span,
    /// The list that it stands in.
    pub list: Span,
    /// What goes with the last of the list: the directive, or the attribute if it says more.
    pub whole: Span,
    /// The directive.
    pub directive: Span,
}

/// Where a new import may go.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TakesImports {
    /// Into a directive of its own: what stands before and after the name.
    Directive(&'static str, &'static str),
    /// Into the script whose content begins here.
    Script(u32),
    /// Nowhere, and what this code is.
    Nowhere(&'static str),
}

impl Layer {
    /// The piece that holds a place.
    pub fn piece_at(&self, at: Span) -> Option<&CodePiece> {
        let i = self.pieces.partition_point(|p| p.at.end < at.end);
        // At the end of one piece the next may begin.
        self.pieces[i..].iter().take(2).find(|p| p.at.contains(at))
    }

    /// True if a place is code, and no name of markup that is code too.
    pub fn is_code(&self, at: Span) -> bool {
        self.piece_at(at).is_some_and(|p| p.held != Held::Named)
    }

    /// A place of the layer that begins and ends with whole signs of the page.
    pub fn whole_signs(&self, at: Span) -> Span {
        let long = |place: u32| {
            self.signs.iter().find(|s| s.at.start < place && place < s.at.end).copied()
        };
        // A long sign is in where its character is.
        let start = |s: LongSign| if s.sign >= at.start { s.at.start } else { s.at.end };
        let end = |s: LongSign| if s.sign < at.end { s.at.end } else { s.at.start };
        Span {
            start: long(at.start).map_or(at.start, start),
            end: long(at.end).map_or(at.end, end),
        }
    }

    /// A text of the layer as it stands in the page: names that stand for values of the template become these.
    pub fn restored(&self, text: &str, page: &str) -> Option<String> {
        if self.stands.is_empty() || !text.contains(MARK) {
            return None;
        }
        let mut out = text.to_owned();
        for s in &self.stands {
            if out.contains(&s.name) {
                out = out.replace(&s.name, s.at.of(page));
            }
        }
        Some(out)
    }
}
