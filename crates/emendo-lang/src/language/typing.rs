//! What a language's expressions give, as tables.

use crate::language::calls::Calls;

/// A type of functions by its arguments.
pub struct Delegate {
    /// Its name.
    pub name: &'static str,
    /// The last argument is what it gives.
    pub gives: bool,
}

/// What an expression gives. Fields are those of the node; an empty one is its first named child.
#[derive(Clone, Copy, Debug)]
pub enum Gives {
    /// Always this type.
    Is(&'static str),
    /// A list of the type of its first item.
    ListOf(&'static str),
    /// Keys with values: the type, and the kind of a pair, whose first two children tell.
    Pairs(&'static str, &'static str),
    /// Several values at once.
    Tuple,
    /// No value.
    Nothing,
    /// The type that is written in a field.
    Written(&'static str),
    /// A list of the type that is written in a field.
    Array(&'static str),
    /// An object of the type that is written in a field.
    Made(&'static str),
    /// What a part of it gives.
    Same(&'static str),
    /// What its last named child gives.
    Last,
    /// One of what these fields give; with numbers for fields, named children.
    Either(&'static [&'static str]),
    /// An element, by index or key, of what stands in a field.
    Element(&'static str),
    /// What waiting gives.
    Awaited(&'static str),
    /// What is left where an error is passed on.
    Unwrapped(&'static str),
    /// A call.
    Call,
    /// A member, of an object in the first field, by the name in the second.
    Member(&'static str, &'static str),
    /// A name.
    Name,
    /// The object itself.
    Own,
    /// The object as one of the type that its own is built on.
    Base,
    /// An operator between two operands: fields of left, operator and right.
    Operator(&'static str, &'static str, &'static str),
    /// A function.
    Function,
    /// What the last expression of a block gives.
    Tail,
    /// What the only expression of a block gives.
    Single,
    /// What one of the blocks and arms in it ends with, or a value behind one of these keys.
    Ways(&'static [&'static str]),
    /// What the last expression of one of the blocks in these fields gives.
    Branches(&'static [&'static str]),
    /// A macro: what it gives by its name in a field.
    Macro(&'static str, &'static [(&'static str, &'static str)]),
    /// An object of the type that is expected there.
    Expected,
    /// An object of the type that is written there; without one, of what a function takes that may stand in its place.
    Taken,
}

/// How a name is introduced.
#[derive(Clone, Copy, Debug)]
pub struct Intro {
    /// Kind of the node.
    pub kind: &'static str,
    /// Field of the name, or of the pattern that takes a value apart; empty for any child.
    pub name: &'static str,
    /// Field of the type, in the node or in the one around it; empty if it has none.
    pub ty: &'static str,
    /// Field of the value; empty if it has none.
    pub value: &'static str,
    /// What the value is to the name.
    pub origin: Origin,
}

impl Intro {
    /// A row that says nothing yet.
    pub const NONE: Self = Self { kind: "", name: "", ty: "", value: "", origin: Origin::Value };
}

/// What a value is to the name that it introduces.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Origin {
    /// The name's value.
    Value,
    /// The name stands for each of its elements.
    Each,
    /// The name stands for each of its elements, where this token stands between them.
    EachOf(&'static str),
    /// A parameter: what a call gives.
    Parameter,
    /// A parameter that takes all arguments that are left.
    Rest,
    /// A function: the name is what is called.
    Function,
    /// A type.
    Type,
    /// A value of the type around, as in an enumeration.
    Constant,
    /// What opening the value for a block gives.
    Opened,
    /// The value is tested, and taken apart where it fits.
    Matched,
    /// A function that is read without a call.
    Property,
}

/// What a part of a pattern that takes a value apart is.
#[derive(Clone, Copy, Debug)]
pub enum TypePart {
    /// The part with its number among the named children.
    Nth,
    /// The member that the field names.
    Key(&'static str),
    /// The member of its own name.
    Named,
    /// An element.
    Each,
    /// The contents of the wrapper that is named in the field, or the part of its number.
    Wrapped(&'static str),
    /// A list of what is left.
    Rest,
    /// The same value.
    Same,
    /// The last of a key and its value; of the key nothing is told.
    Value,
    /// An object of the type in the field.
    Typed(&'static str),
    /// What a constant is made of that is named before: its value of that number, or of the label in the field.
    Made(&'static str),
}

/// A test that a value is of a type.
#[derive(Clone, Copy, Debug)]
pub struct Test {
    /// Kind of the node.
    pub kind: &'static str,
    /// Field of the tested value.
    pub value: &'static str,
    /// The operator, or the name of the function; empty if the kind tells.
    pub by: &'static str,
    /// Field of the type.
    pub ty: &'static str,
    /// A part with which it tests the contrary; empty if there is none.
    pub except: &'static str,
}

/// Where a test holds.
#[derive(Clone, Copy, Debug)]
pub struct Branch {
    /// Kind of the node.
    pub kind: &'static str,
    /// Field of the condition.
    pub test: &'static str,
    /// Field of what is done where it holds.
    pub then: &'static str,
}

/// Cases of a value, in which patterns name its type and bind names.
#[derive(Clone, Copy, Debug)]
pub struct CaseRule {
    /// Kind of a case.
    pub case: &'static str,
    /// Field of the value, in a node around the case.
    pub value: &'static str,
    /// Kind of the node around each pattern.
    pub pattern: &'static str,
    /// Kind of a pattern that names a type, before all else.
    pub class: &'static str,
    /// Kind of a part of it that names a member, before all else.
    pub member: &'static str,
    /// Kind of a pattern with a name for what fits it, behind all else.
    pub alias: &'static str,
    /// Kind of several patterns, any of which fits.
    pub any: &'static str,
    /// Kinds of patterns of elements.
    pub lists: &'static [&'static str],
}

/// What leaves a function with a value.
#[derive(Clone, Copy, Debug)]
pub struct ReturnRule {
    /// Kind of the node.
    pub kind: &'static str,
    /// It gives one of many, so what the function gives is not told.
    pub many: bool,
}

impl Typing {
    /// What a kind of expression gives.
    pub(crate) fn gives(&self, kind: &str) -> Option<Gives> {
        self.exprs.iter().find(|e| e.0 == kind).map(|e| e.1)
    }

    /// The rules by which a kind of node introduces names.
    pub(crate) fn intros_of<'l>(
        &self,
        kind: &'l str,
    ) -> impl Iterator<Item = &'static Intro> + use<'l> {
        self.intros.iter().filter(move |i| i.kind == kind)
    }
}

/// How types are written.
pub struct Syntax {
    /// Brackets of type arguments.
    pub generic: (char, char),
    /// Words before a type that leave it what it is.
    pub dropped: &'static [&'static str],
    /// Signs before a type that leave it what it is.
    pub prefixes: &'static [char],
    /// The sign that joins several types, besides `&`.
    pub joined: &'static str,
    /// Types in quotes are types.
    pub quoted: bool,
    /// Types that say that there is no value.
    pub nothing: &'static [&'static str],
    /// Types that say nothing.
    pub inferred: &'static [&'static str],
    /// Types whose first argument is used like themselves.
    pub through: &'static [&'static str],
    /// Types that are one of their arguments.
    pub either: &'static [&'static str],
    /// Types that stand for their argument itself.
    pub types: &'static [&'static str],
    /// Types that are several values at once.
    pub tuples: &'static [&'static str],
    /// What several values at once are written in, as a type; empty where they have none.
    pub tuple: (&'static str, &'static str),
    /// Types that are functions, with parameters in brackets.
    pub callables: &'static [&'static str],
    /// The word between what a function gives and its parameters in brackets, in a type; empty if there is none.
    pub function: &'static str,
    /// Types that are functions by their arguments.
    pub delegates: &'static [Delegate],
    /// Types that may say what their keys are before what they hold.
    pub keyed: &'static [&'static str],
    /// The list that brackets make.
    pub list: &'static str,
    /// A type in square brackets is a list, and not several values at once.
    pub bracket_list: bool,
    /// What two types in square brackets are, with a colon between them; empty where they are nothing.
    pub bracket_map: &'static str,
    /// Types are written like calls: what that of a module's own values is called behind its name, and the word for the module
    /// around; none where types are names.
    pub called: Option<(&'static str, &'static str)>,
    /// What stands behind a type that is the type itself, and no object of it; empty if there is nothing.
    pub metatype: &'static str,
    /// A type may be written as one of what it is built on: `<A as B>`.
    pub qualified: bool,
}

impl Syntax {
    /// Nothing of it.
    pub const NONE: Self = Self {
        generic: (' ', ' '),
        dropped: &[],
        prefixes: &[],
        joined: "",
        quoted: false,
        nothing: &[],
        inferred: &[],
        through: &[],
        either: &[],
        types: &[],
        tuples: &[],
        tuple: ("", ""),
        callables: &[],
        function: "",
        delegates: &[],
        keyed: &[],
        list: "",
        bracket_list: false,
        bracket_map: "",
        called: None,
        metatype: "",
        qualified: false,
    };
}

/// Types that the language itself has, and how functions are written.
pub struct BuiltIn {
    /// Types that are not names: as written, and the symbol.
    pub primitives: &'static [(&'static str, &'static str)],
    /// Types that nothing is built on and nothing is another name for.
    pub closed: &'static [&'static str],
    /// The type that all others are built on; empty if there is none.
    pub top: &'static str,
    /// The type of texts.
    pub text: &'static str,
    /// The type of whole numbers.
    pub number: &'static str,
    /// The type of what is true or false.
    pub truth: &'static str,
    /// What a function gives that is waited for and says only what comes of that; empty if it says so itself.
    pub future: &'static str,
    /// The member by which what is opened for a block gives what the block works with.
    pub opened: &'static str,
    /// The same for what is waited for, with the word that says so.
    pub opened_later: (&'static str, &'static str),
    /// What is joined with a text is a text, whatever it is.
    pub text_joins: bool,
    /// Operators that types may declare: the sign, the member of the left side, and that of the right side.
    pub operators: &'static [(&'static str, &'static str, &'static str)],
    /// What behind the name of a type names that type itself; empty if there is nothing.
    pub type_word: &'static str,
    /// The member of a function, or of an object that is called like one; empty if there is none.
    pub invoke: &'static str,
    /// What stands for no parameters, where a list of one has no brackets.
    pub no_params: &'static str,
    /// Before and after the parameters of a closure.
    pub closure: (&'static str, &'static str),
    /// The type of a parameter stands before its name.
    pub type_first: bool,
    /// Members and functions that others name always say their type.
    pub members_typed: bool,
    /// A variable at the top of a file may be another name for a type.
    pub value_aliases: bool,
}

impl BuiltIn {
    /// Nothing of it.
    pub const NONE: Self = Self {
        primitives: &[],
        closed: &[],
        top: "",
        text: "",
        number: "",
        truth: "",
        future: "",
        opened: "",
        opened_later: ("", ""),
        text_joins: false,
        operators: &[],
        type_word: "",
        invoke: "",
        no_params: "",
        closure: ("", ""),
        type_first: false,
        members_typed: false,
        value_aliases: false,
    };
}

/// Which way is taken: tests, ends of ways, what a function gives back.
pub struct Branching {
    /// What tells that a value is of a type.
    pub tests: &'static [Test],
    /// What tells of which kind of the language's own a value is: its name behind a word, and that kind as a text.
    pub kind_tests: &'static [(Test, &'static str)],
    /// Where such a test holds.
    pub branches: &'static [Branch],
    /// Kinds of statements that leave what stands around them.
    pub exits: &'static [&'static str],
    /// Kinds of conditions that hold where what they are about does not, with the sign.
    pub negations: &'static [(&'static str, &'static str)],
    /// Kinds of statements after which their condition holds.
    pub asserts: &'static [&'static str],
    /// Cases of a value whose patterns name types; none where the language has none.
    pub cases: Option<CaseRule>,
    /// Operators that join tests, both of which hold.
    pub both: &'static [&'static str],
    /// Kinds of arms of an expression that chooses one by a value: the last part of an arm is what it gives.
    pub arms: &'static [&'static str],
    /// What a value is matched with: kinds, and the fields of the pattern and of the value.
    pub matches: &'static [(&'static str, &'static str, &'static str)],
    /// What leaves a function with a value.
    pub returns: &'static [ReturnRule],
    /// Kinds of blocks: what stands in one is done only where it is done.
    pub blocks: &'static [&'static str],
}

impl Branching {
    /// Nothing of it.
    pub const NONE: Self = Self {
        tests: &[],
        kind_tests: &[],
        branches: &[],
        exits: &[],
        negations: &[],
        asserts: &[],
        cases: None,
        both: &[],
        arms: &[],
        matches: &[],
        returns: &[],
        blocks: &[],
    };
}

/// How expressions are typed.
pub struct Typing {
    /// How types are written.
    pub syntax: Syntax,
    /// Types of the language's own library, in the notation of library types.
    pub standard: &'static str,
    /// Kinds of expressions, with what they give.
    pub exprs: &'static [(&'static str, Gives)],
    /// What introduces variables and members.
    pub intros: &'static [Intro],
    /// Kinds of patterns that take a value apart: what a part of them is.
    pub parts: &'static [(&'static str, TypePart)],
    /// Kinds of lists of type parameters.
    pub type_params: &'static [&'static str],
    /// What bounds a parameter of types apart from where it is declared: kind, the field of its name, that of its bounds.
    pub bounds: &'static [(&'static str, &'static str, &'static str)],
    /// Types whose arguments, among those that a type is built on, are its parameters.
    pub param_bases: &'static [&'static str],
    /// Kinds of expressions with two things of one type: comparisons, assignments.
    pub comparisons: &'static [&'static str],
    /// Operators that give true or false.
    pub truths: &'static [&'static str],
    /// Assigning a variable again changes its type.
    pub reassigned: bool,
    /// The name of a function by itself is a call of it.
    pub bare_calls: bool,
    /// Types that the language itself has.
    pub built_in: BuiltIn,
    /// Which way is taken.
    pub branching: Branching,
    /// Functions and their calls.
    pub calls: Calls,
}

impl Typing {
    /// Nothing of it.
    pub const NONE: Self = Self {
        syntax: Syntax::NONE,
        standard: "",
        exprs: &[],
        intros: &[],
        parts: &[],
        type_params: &[],
        bounds: &[],
        param_bases: &[],
        comparisons: &[],
        truths: &[],
        reassigned: false,
        bare_calls: false,
        built_in: BuiltIn::NONE,
        branching: Branching::NONE,
        calls: Calls::NONE,
    };
}
