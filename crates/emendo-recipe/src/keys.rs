//! The keys of the recipe language: one table a place, from which checks and reference come.

use Shape::{
    Bool, Globs, Groups, Integer, Members, Named, Names, Regex, Requirement, Symbols, Table,
    Tables, Text, Texts, Version, Words,
};
use emendo_pattern::FORMS;

/// What a key holds.
#[derive(Clone, Copy)]
pub enum Shape {
    /// Any text.
    Text,
    /// A piece of source with slots; checked by the action.
    Pattern,
    /// A regular expression, checked here.
    Regex,
    /// One glob or a list.
    Globs,
    /// A version.
    Version,
    /// Version comparisons between commas.
    Requirement,
    /// One symbol or a list.
    Symbols,
    /// One text or a list.
    Texts,
    /// One text, a list, or a list of lists.
    Groups,
    /// One of these words, or a list of them.
    Words(&'static [&'static str]),
    /// True or false.
    Bool,
    /// A whole number.
    Integer,
    /// A list of whole numbers.
    Numbers,
    /// A list of whole numbers, or `true` for all that is meant.
    NumbersOrAll,
    /// Words that stand for symbols.
    Names,
    /// A table with these keys.
    Table(&'static [Key]),
    /// One table or several with these keys.
    Tables(&'static [Key]),
    /// A table of tables with these keys, under names of the author's choosing.
    Named(&'static [Key]),
    /// Texts under names of the author's choosing.
    Map,
    /// Texts, or true or false, under names of the author's choosing.
    Flags,
    /// Members of a type with what they give.
    Members,
    /// Pairs of old and new.
    Pairs,
    /// Text, or a table `{ old, new }`.
    Base,
    /// Known to the language, not built yet.
    Later,
}

/// A key of the recipe language.
#[derive(Clone, Copy)]
pub struct Key {
    /// Its name.
    pub name: &'static str,
    /// What it holds.
    pub shape: Shape,
    /// What it means, in a line.
    pub about: &'static str,
    /// A recipe without it is faulty.
    pub required: bool,
}

impl Key {
    /// An optional key.
    pub const fn new(name: &'static str, shape: Shape, about: &'static str) -> Self {
        Self { name, shape, about, required: false }
    }

    /// A key that must be there.
    pub const fn required(name: &'static str, shape: Shape, about: &'static str) -> Self {
        Self { name, shape, about, required: true }
    }

    /// A key that is known but not built.
    pub const fn later(name: &'static str) -> Self {
        Self::new(name, Shape::Later, "not built yet")
    }
}

/// A kind of action: its word and its keys. What it does is not known here.
pub trait ActionKind: Sync {
    /// The word in the recipe: `[[step.WORD]]`.
    fn name(&self) -> &'static str;
    /// What it does, in a line.
    fn about(&self) -> &'static str;
    /// Its own keys, besides [`COMMON`].
    fn keys(&self) -> &'static [Key];
    /// True if the keys that name code hold for it: `lang`, `names`, `slots`, and what is inherited of them.
    fn about_code(&self) -> bool;
    /// True if it gives symbols other names: they are known under both from then on.
    fn renames_symbols(&self) -> bool {
        false
    }
    /// True if it writes what slots of a pattern hold: what is not written is lost.
    fn writes_slots(&self) -> bool {
        false
    }
    /// True if it is about libraries in manifests, and their versions.
    fn about_libraries(&self) -> bool {
        false
    }
}

/// Keys of the recipe itself.
pub const RECIPE: &[Key] = &[
    Key::required("emendo", Integer, "the version of this format: write `emendo = 1`"),
    Key::required("id", Text, "the recipe's own word, lasting: decisions refer to it"),
    Key::required("title", Text, "a short title"),
    Key::new("summary", Text, "what it does, in a sentence or two"),
    Key::new("docs", Text, "where the upgrade is described"),
    Key::new("lang", Text, "language of all steps that name none"),
    Key::new("names", Names, "words that stand for symbols in all patterns"),
    Key::new("files", Globs, "only these files"),
    Key::new("not_files", Globs, "not these files"),
    Key::new("library", Table(LIBRARY), "the library and the versions that the recipe is for"),
    Key::new("inputs", Named(INPUT), "values that the user may give"),
    Key::new("library_type", Tables(LIBRARY_TYPE), "what the library's types and modules give"),
    Key::new("step", Tables(STEP), "the steps in order"),
    Key::new("example", Tables(EXAMPLE), "code before and after, run by `recipe test`"),
    Key::new("requires", Table(REQUIRES), "what must be there before anything changes"),
    Key::new("only_if", Table(CONDITION), "only where all of this holds"),
    Key::new("unless", Table(CONDITION), "not where all of this holds"),
];

/// Keys of `only_if` and `unless`.
pub(crate) const CONDITION: &[Key] = &[
    Key::new("library", Texts, "a library with versions: `tidewire >= 2`"),
    Key::new("file", Globs, "a file of this name is there"),
    Key::new("refers_to", Symbols, "some file refers to the symbol"),
    Key::new("setting", Texts, "the key is set in some file"),
    Key::new("lang", Texts, "there are files of the language"),
    Key::new("now", Bool, "asked just before the step, not when the run begins"),
];

/// Keys of `[requires]`.
pub(crate) const REQUIRES: &[Key] = &[
    Key::new("machine", Shape::Map, "toolchains that must be installed: `{ java = \">=17\" }`"),
    Key::new("project", Shape::Map, "levels that the project must say: `{ java = \">=8\" }`"),
    Key::new("libraries", Tables(REQUIRED), "other libraries that must be new enough"),
];

/// Keys of `[[requires.libraries]]`.
pub(crate) const REQUIRED: &[Key] = &[
    Key::required("name", Text, "the library, with its ecosystem before a colon or without"),
    Key::required("version", Requirement, "versions that will do"),
    Key::new("why", Text, "the reason"),
];

/// Keys of `[library]`.
pub const LIBRARY: &[Key] = &[
    Key::required("name", Text, "the library's name"),
    Key::new("coordinates", Texts, "its coordinates, with the ecosystem before a colon"),
    Key::new("from", Requirement, "versions that the recipe starts from"),
    Key::new("to", Version, "the version it leads to"),
];

/// Keys of `[[library_type]]`.
pub const LIBRARY_TYPE: &[Key] = &[
    Key::required("name", Text, "the full symbol, with type parameters: `tidewire.Store<T, K>`"),
    Key::new("extends", Texts, "types that it is built on"),
    Key::new("members", Members, "members and what they give: with brackets called, without read"),
    Key::new("exports", Symbols, "symbols that it passes on, where it is a module"),
    Key::new("lang", Text, "the language, if it is not the recipe's"),
    Key::new("names", Names, "words that stand for symbols"),
];

/// Keys of a member of a library type that takes a closure.
pub(crate) const MEMBER: &[Key] = &[
    Key::new("gives", Text, "the type of what it gives"),
    Key::new("lambda", Texts, "the types of the parameters of the closure that it takes"),
];

/// Keys of `[inputs.NAME]`.
pub const INPUT: &[Key] = &[
    Key::new("summary", Text, "what the value is for"),
    Key::new("default", Text, "the value if none is given"),
    Key::new("type", Words(INPUT_TYPES), "what the value must be; text if not given"),
    Key::new("one_of", Texts, "the only values that it may have"),
];

/// What inputs may be.
const INPUT_TYPES: &[&str] = &["text", "version", "symbol", "number", "boolean"];

/// Keys of `[step.include]`.
pub const INCLUDE: &[Key] = &[
    Key::required("recipe", Text, "the id of a recipe, or its path from this one's folder"),
    Key::new("inputs", Shape::Map, "values for its inputs"),
];

/// Keys of `[[step]]`, besides the kinds of actions.
pub const STEP: &[Key] = &[
    Key::required("id", Text, "the step's own word, lasting: decisions refer to it"),
    Key::new("title", Text, "a short title"),
    Key::new("why", Text, "the reason, for the reviewer"),
    Key::new("caution", Text, "what behaves differently although it compiles"),
    Key::new("docs", Text, "where the change is described"),
    Key::new("lang", Text, "language of the actions that name none"),
    Key::new("names", Names, "words that stand for symbols in the patterns of the step"),
    Key::new("files", Globs, "only these files"),
    Key::new("not_files", Globs, "not these files"),
    Key::new("only_if", Table(CONDITION), "only where all of this holds"),
    Key::new("unless", Table(CONDITION), "not where all of this holds"),
    AT_LEAST[0],
    AT_LEAST[1],
    AT_LEAST[2],
    Key::new("include", Table(INCLUDE), "another recipe, whose steps run here"),
];

/// The keys by which edits that are not sure enough are not proposed.
const AT_LEAST: [Key; 3] = [
    Key::new(
        "at_least",
        Words(&["certain", "likely"]),
        "edits that are less sure are not proposed; a note says where they are",
    ),
    Key::new(
        "instead",
        Words(&["note", "leave"]),
        "`leave`: such a place is a leftover, not a note",
    ),
    Key::new("say", Text, "what the note says; the title of the step if it is not given"),
];

/// Keys that every action has.
pub const COMMON: &[Key] = &[
    Key::new("lang", Text, "the language of the patterns"),
    Key::new("names", Names, "words that stand for symbols"),
    Key::new("slots", Named(SLOT), "what slots may hold"),
    Key::new("files", Globs, "only these files"),
    Key::new("not_files", Globs, "not these files"),
    Key::new("only_if", Table(CONDITION), "only where all of this holds"),
    Key::new("unless", Table(CONDITION), "not where all of this holds"),
    AT_LEAST[0],
    AT_LEAST[1],
    AT_LEAST[2],
];

/// Keys of what must stand around or within a place, for kinds that look for code.
pub const PLACE: [Key; 4] = [
    Key::new(
        "surrounded_by",
        Groups,
        "patterns, any of which stands around the place; `@{here}` marks it; of an inner list, all",
    ),
    Key::new("not_surrounded_by", Groups, "patterns, none of which stands around the place"),
    Key::new("holding", Groups, "patterns, any of which stands in the place"),
    Key::new("not_holding", Groups, "patterns, none of which stands in the place"),
];

/// How often calls give an argument for a parameter.
const PASSED: &[&str] = &["always", "sometimes", "never"];

/// Keys of `slots.NAME`.
pub const SLOT: &[Key] = &[
    Key::new(
        "text",
        Regex,
        "a regular expression that the text must fit; named groups become slots",
    ),
    Key::new("not_text", Regex, "a regular expression that the text must not fit"),
    Key::new("form", Words(FORMS), "forms, any of them"),
    Key::new("not_form", Words(FORMS), "forms, none of them"),
    Key::new("means", Symbols, "symbols or globs that it must resolve to, any of them"),
    Key::new("type", Texts, "static types, any of them; what is built on one counts as it"),
    Key::new("not_type", Texts, "static types, none of them"),
    Key::new("is", Texts, "patterns, any of which must fit the whole of it"),
    Key::new("is_not", Texts, "patterns, none of which may fit the whole of it"),
    Key::new("holding", Groups, "patterns, any of which must stand in it"),
    Key::new("not_holding", Groups, "patterns, none of which may stand in it"),
    Key::new(
        "defined_with",
        Groups,
        "patterns, any of which must stand in the declaration of its name",
    ),
    Key::new(
        "passed",
        Words(PASSED),
        "whether calls give an argument for the parameter that it holds",
    ),
    Key::new("passed_as", Groups, "patterns, any of which each such argument must fit"),
    Key::new("passed_not_as", Groups, "patterns, none of which any such argument may fit"),
    Key::new(
        "free",
        Texts,
        "for a slot that stands only in `new`: names, the first that is not taken",
    ),
    Key::new("single", Bool, "a second match that binds the same variable turns both into notes"),
];

/// Keys of `[[example]]`.
pub const EXAMPLE: &[Key] = &[
    Key::new("title", Text, "what it shows"),
    Key::new("step", Text, "run this step only"),
    Key::new("lang", Text, "the language, if it is not the recipe's"),
    Key::new("path", Text, "the file's name, where it decides how the file is read (`pom.xml`)"),
    Key::new(
        "new_path",
        Text,
        "where the file lies afterwards, if it moves; an empty text where it is deleted",
    ),
    Key::new("before", Text, "the code before; empty for a file that is not there yet"),
    Key::new("after", Text, "the code after"),
    Key::new("unchanged", Text, "code that must stay as it is: a look-alike"),
    Key::new("notes", Texts, "parts of the notes that are expected"),
    Key::new("tree", Text, "a folder with `before/` and `after/`, instead of texts"),
];
