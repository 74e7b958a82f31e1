//! Functions and their calls.

/// Functions and their calls.
pub struct Calls {
    /// Functions.
    pub functions: &'static [FunctionRule],
    /// Kinds of lists within a list of parameters, in brackets of their own.
    pub groups: &'static [&'static str],
    /// Kinds within a parameter with which it sets the member of its name.
    pub setting: &'static [&'static str],
    /// A function that is called like the type around makes an object of it.
    pub like_type: bool,
    /// A kind within a parameter with which it goes on to what makes the object first; empty if there is none.
    pub passing: &'static str,
    /// Types of functions whose parameters are types without names.
    pub function_types: &'static [FunctionTypeRule],
    /// Calls behind which such a function is one of its own, and does not leave the function around.
    pub own_blocks: &'static [&'static str],
    /// The member of an object that gives its type; empty if there is none.
    pub class_word: &'static str,
    /// The word for what a type is built on is called itself, which calls what the function around overrides.
    pub super_calls: bool,
    /// Field of a function that stands behind the arguments of a call, as one more; empty if there is none.
    pub block: &'static str,
    /// What the names of the parameters of a closure begin with that declares none: their number stands behind it; empty if
    /// there is none.
    pub numbered: &'static str,
    /// What stands before a call and is its first argument: kind of both together, and their fields; empty if there is none.
    pub pipe: (&'static str, &'static str, &'static str),
    /// Arguments.
    pub arguments: ArgumentRule,
    /// Calls.
    pub callees: &'static [CalleeRule],
    /// Calls by name that make a parameter of types.
    pub param_makers: &'static [&'static str],
    /// Members of one type may have one name, where what they take tells them apart.
    pub overloads: bool,
    /// The name of what makes an object of a type, among its members; empty if that has none.
    pub constructor: &'static str,
    /// Words before what makes an object of a type where it overrides what does so for a type that this is built on.
    pub overriding: &'static [&'static str],
    /// Types that are made by what their variables are, where they declare nothing else for that.
    pub memberwise: Option<Memberwise>,
    /// The member of a type itself that makes an object of it, and passes on what it is given; empty if there is none.
    pub maker: &'static str,
    /// What makes of a function that gives one of many something else: its name, and the type of what is made.
    pub decorators: &'static [(&'static str, &'static str)],
    /// How functions are written that are waited for; none where the language has none.
    pub waiting: Option<Waiting>,
    /// How arguments are gathered into one.
    pub packing: &'static [Packing],
}

impl Calls {
    /// Nothing of it.
    pub const NONE: Self = Self {
        functions: &[],
        groups: &[],
        setting: &[],
        like_type: false,
        passing: "",
        function_types: &[],
        own_blocks: &[],
        class_word: "",
        super_calls: false,
        block: "",
        numbered: "",
        pipe: ("", "", ""),
        arguments: ArgumentRule::NONE,
        callees: &[],
        param_makers: &[],
        decorators: &[],
        overloads: false,
        constructor: "",
        overriding: &[],
        memberwise: None,
        maker: "",
        waiting: None,
        packing: &[],
    };
}

/// A type whose objects are made of the values of its variables, in the order in which these stand.
#[derive(Clone, Copy, Debug)]
pub struct Memberwise {
    /// Kind of the type.
    pub kind: &'static str,
    /// Kind of a variable.
    pub variable: &'static str,
    /// Fields of a variable that is worked out, and of its value.
    pub fields: (&'static str, &'static str),
    /// Words before a variable of the type itself.
    pub statics: &'static [&'static str],
    /// The word before a variable that keeps the value that it has.
    pub fixed: &'static str,
}

/// How functions are written that are waited for.
#[derive(Clone, Copy, Debug)]
pub struct Waiting {
    /// Kind of an expression that waits.
    pub kind: &'static str,
    /// Before a call that is waited for.
    pub before: &'static str,
    /// After a call that is waited for.
    pub behind: &'static str,
    /// The token of loops and blocks that wait themselves.
    pub token: &'static str,
    /// The word of such a function.
    pub word: &'static str,
    /// Kinds of functions that may have the word, with the fields, kinds or tokens that it stands before: the first
    /// that is there, else the function itself.
    pub functions: &'static [(&'static str, &'static [&'static str])],
    /// Functions without a body have the word too.
    pub bodiless: bool,
    /// The type that a declared result is put in, with its symbol; empty if it stays as it is.
    pub result: (&'static str, &'static str),
    /// A result that says that there is no value, and what it becomes.
    pub nothing: (&'static str, &'static str),
    /// Types that are waited for already.
    pub given: &'static [&'static str],
    /// Blocks in which one may wait, whatever is around.
    pub blocks: &'static [&'static str],
    /// One may wait at the top of a file.
    pub top: bool,
    /// Members of what is waited for, and functions that take it.
    pub takers: &'static [&'static str],
    /// Waiting for nothing at all fails.
    pub nothing_fails: bool,
    /// Names of functions that are called by the system, and can't be waited for.
    pub never: &'static [&'static str],
    /// Words before a function, and kinds in its body, with which it can't be one that is waited for.
    pub barred: &'static [&'static str],
}

/// How arguments are gathered into one.
#[derive(Clone, Copy, Debug)]
pub struct Packing {
    /// The word in recipes.
    pub word: &'static str,
    /// The word before the type where such a thing is made; empty if there is none.
    pub maker: &'static str,
    /// Before the first pair; `{}` is the type.
    pub open: &'static str,
    /// After the last pair.
    pub close: &'static str,
    /// What stands around a key.
    pub quote: &'static str,
    /// Between a key and its value; empty where values stand alone, in order.
    pub sign: &'static str,
    /// A value that is a variable called like its key stands alone.
    pub short: bool,
    /// Kinds that hold the pairs where such a thing is written; empty for the list of arguments itself.
    pub lists: &'static [&'static str],
    /// How a function takes them.
    pub taken: Taken,
}

impl Packing {
    /// A row that says nothing yet.
    pub const NONE: Self = Self {
        word: "",
        maker: "",
        open: "",
        close: "",
        quote: "",
        sign: "",
        short: false,
        lists: &[],
        taken: Taken::Named(""),
    };
}

/// How a function takes arguments that are gathered into one.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Taken {
    /// One by one still, after this sign in the list; empty if there is none.
    Named(&'static str),
    /// Taken apart where they are declared: before the first, and after the last; `{}` is the type.
    Apart(&'static str, &'static str),
    /// As one object; each is read with this between, and this after its key.
    Whole(&'static str, &'static str),
}

/// A kind of function. Where a kind has several, the first counts whose parts are there.
#[derive(Clone, Copy, Debug)]
pub struct FunctionRule {
    /// Kind of the node.
    pub kind: &'static str,
    /// Field of its name.
    pub name: &'static str,
    /// Field of the list of parameters.
    pub params: &'static str,
    /// Field of the declared result.
    pub result: &'static str,
    /// Field of the body.
    pub body: &'static str,
    /// It makes an object of the type around.
    pub makes: bool,
    /// A body that is not a block is what it gives.
    pub bare: bool,
    /// Its parameters are types, and it is declared elsewhere.
    pub types: bool,
}

impl FunctionRule {
    /// A row that says nothing yet.
    pub const NONE: Self = Self {
        kind: "",
        name: "name",
        params: "",
        result: "",
        body: "",
        makes: false,
        bare: false,
        types: false,
    };
}

/// A kind of type that is a function's, with types for parameters.
#[derive(Clone, Copy, Debug)]
pub struct FunctionTypeRule {
    /// Kind of the node.
    pub kind: &'static str,
    /// The way to the list of parameters: fields, or kinds of children.
    pub list: &'static [&'static str],
    /// Only those with the name of a `delegate`, the last of whose arguments may be what it gives, or of a `callable`.
    pub named: bool,
}

/// How arguments are written.
#[derive(Clone, Copy, Debug)]
pub struct ArgumentRule {
    /// Kinds of lists of arguments.
    pub lists: &'static [&'static str],
    /// Kind that wraps one argument; empty if none does.
    pub wrapper: &'static str,
    /// Kind of a named argument, and fields of its name and value.
    pub keyed: (&'static str, &'static str, &'static str),
}

/// A kind of call.
#[derive(Clone, Copy, Debug)]
pub struct CalleeRule {
    /// Kind of the node.
    pub kind: &'static str,
    /// Field of the function; for calls with a receiver, of the name.
    pub function: &'static str,
    /// Field of the receiver, where it is one of the call's.
    pub object: &'static str,
    /// Field of the arguments.
    pub arguments: &'static str,
}

impl CalleeRule {
    /// A row that says nothing yet.
    pub const NONE: Self = Self { kind: "", function: "", object: "", arguments: "" };
}

impl ArgumentRule {
    /// Nothing of it.
    pub const NONE: Self = Self { lists: &[], wrapper: "", keyed: ("", "", "") };
}

impl Waiting {
    /// A word that waits, and nothing else.
    pub const NONE: Self = Self {
        kind: "",
        before: "",
        behind: "",
        token: "",
        word: "",
        functions: &[],
        bodiless: false,
        result: ("", ""),
        nothing: ("", ""),
        given: &[],
        blocks: &[],
        top: false,
        takers: &[],
        nothing_fails: false,
        never: &[],
        barred: &[],
    };
}
