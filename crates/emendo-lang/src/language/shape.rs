//! The shapes in which code is compared: contexts, slots, lists, declarations.

/// A list of keyed things.
pub struct Keyed {
    /// Kind of the list.
    pub list: &'static str,
    /// Kind of a pair.
    pub pair: &'static str,
    /// Field of the key; empty: the first named child.
    pub key: &'static str,
    /// A pair of a key and a value of the same name, written as one word; empty if there is none.
    pub shorthand: &'static str,
    /// A pair whose value is a function written behind its key, and the words that make it something else.
    pub method: (&'static str, &'static [&'static str]),
    /// What has no value is no pair: an item of the list that stands alone.
    pub valued: bool,
    /// A key may be written as a word by itself too: its kind, the sign before it, and the sign between it and the value.
    pub signed: (&'static str, &'static str, &'static str),
}

impl Keyed {
    /// True for a pair whose sign says that its key is what stands there, a text, and no word.
    pub fn has_text_key(&self, pair: crate::ground::Node<'_>) -> bool {
        let sign = self.signed.2;
        !sign.is_empty() && crate::tree::children(pair).iter().any(|c| c.kind() == sign)
    }

    /// A key without the sign that it may have.
    pub fn plain_key<'k>(&self, kind: &str, key: &'k str) -> &'k str {
        let (signed, sign, _) = self.signed;
        if kind == signed { key.strip_prefix(sign).unwrap_or(key) } else { key }
    }

    /// A row that says nothing yet.
    pub const NONE: Self = Self {
        list: "",
        pair: "",
        key: "",
        shorthand: "",
        method: ("", &[]),
        valued: false,
        signed: ("", "", ""),
    };
}

/// A surrounding for a fragment.
pub struct Context {
    /// What the fragment is there; the word for `as`.
    pub name: &'static str,
    /// Text before the fragment.
    pub prefix: &'static str,
    /// Text after the fragment.
    pub suffix: &'static str,
    /// The kinds that the fragment may be there; empty for any.
    pub accepts: &'static [&'static str],
    /// The suffix supplies a body, which the pattern leaves free.
    pub bodiless: bool,
}

impl Context {
    /// A row that says nothing yet.
    pub const NONE: Self = Self { name: "", prefix: "", suffix: "", accepts: &[], bodiless: false };
}

/// A context whose fragments are whole.
pub const fn context(
    name: &'static str,
    prefix: &'static str,
    suffix: &'static str,
    accepts: &'static [&'static str],
) -> Context {
    Context { name, prefix, suffix, accepts, bodiless: false }
}

/// A spelling of a slot: text around the placeholder word.
pub struct Placeholder {
    /// Before the word.
    pub before: &'static str,
    /// After the word.
    pub after: &'static str,
    /// The word begins with a capital letter.
    pub capital: bool,
    /// List slots are read so too where another spelling reads as well: cases behind the statements of a case, pairs in
    /// brackets that may hold items.
    pub also: bool,
}

/// Which parts of a declaration may be left out of a pattern.
pub struct DeclarationShape {
    /// Its kind.
    pub kind: &'static str,
    /// Kinds of children that may be left out.
    pub free_kinds: &'static [&'static str],
    /// Fields that may be left out.
    pub free_fields: &'static [&'static str],
    /// The field of its body, if it has one.
    pub body: &'static str,
    /// The field of its own name.
    pub name: &'static str,
    /// Kind of a child that holds modifiers, matched as a set; empty where they are children themselves.
    pub modifiers: &'static str,
}

impl DeclarationShape {
    /// A row that says nothing yet.
    pub const NONE: Self =
        Self { kind: "", free_kinds: &[], free_fields: &[], body: "", name: "", modifiers: "" };
}

/// From a pattern, and the new code if there is some, to the other forms of both.
pub type OtherForms = fn(&str, Option<&str>) -> Vec<(String, Option<String>)>;

/// How pieces of source are read by themselves.
pub struct Fragments {
    /// Surroundings in which a fragment may be parsed, in order of preference.
    pub contexts: &'static [Context],
    /// Spellings of a slot, tried in this order where the plain word does not parse.
    pub placeholders: &'static [Placeholder],
    /// Kinds of bodies without brackets: a slot for one is a slot for what stands in it.
    pub bare_bodies: &'static [&'static str],
    /// Kinds of a name with what it is given: a slot for one without a value is a slot for the name.
    pub declarators: &'static [&'static str],
    /// Kinds whose children count as those of the node around.
    pub splices: &'static [&'static str],
    /// Kinds whose children are loose tokens: a slot takes what stands up to the next separator.
    pub token_runs: &'static [&'static str],
    /// Kinds that the grammar takes within others and the language does not: what holds them, and them.
    pub never_within: &'static [(&'static str, &'static str)],
    /// Other forms of a pattern that say the same, each with what is written for it in place of the new code.
    pub other_forms: OtherForms,
    /// The words for `form`, with the kinds that each stands for.
    pub forms: &'static [(&'static str, &'static [&'static str])],
}

impl Fragments {
    /// Nothing of it.
    pub const NONE: Self = Self {
        contexts: &[],
        placeholders: &[],
        bare_bodies: &[],
        declarators: &[],
        splices: &[],
        token_runs: &[],
        never_within: &[],
        other_forms: |_, _| Vec::new(),
        forms: &[],
    };
}

/// What tells two codes apart, and what does not.
pub struct Compare {
    /// Tokens between the items of a list; they never tell two codes apart.
    pub separators: &'static [&'static str],
    /// Tokens that may be missing without a difference.
    pub optional: &'static [&'static str],
    /// Kinds that count as one when compared.
    pub alike: &'static [&'static [&'static str]],
    /// Declarations: which parts a pattern may leave out.
    pub declarations: &'static [DeclarationShape],
    /// Lists of keyed things that match in any order.
    pub keyed: &'static [Keyed],
    /// Kinds of lists of type arguments: where a pattern has none, code may have any.
    pub type_arguments: &'static [&'static str],
    /// A type with type arguments is another type than the one of that name without them.
    pub arity_tells: bool,
    /// Kinds of other lists, whose items go with a separator.
    pub lists: &'static [&'static str],
    /// Kinds whose brackets may be written in several ways, with all tokens of these: they never tell two codes apart.
    pub bracketed: &'static [(&'static str, &'static [&'static str])],
    /// Kinds of lists that may be left out where nothing is in them; those that stand for one another together.
    pub hollow: &'static [&'static [&'static str]],
    /// Kinds of literals that are compared by their contents, whatever their quotes.
    pub strings: &'static [&'static str],
    /// Kinds inside such literals that hold code.
    pub interpolations: &'static [&'static str],
    /// Kinds of texts in which it shows by how it begins what is code.
    pub open_texts: &'static [&'static str],
    /// Kinds inside such literals in which a name may stand without brackets, with the brackets that other code needs.
    pub bare_code: &'static [(&'static str, &'static str, &'static str)],
    /// Kinds of text in which white space does not count.
    pub loose_text: &'static [&'static str],
    /// Links of a chain: kind, and field of what they are hung on (empty: the first child).
    pub chain: &'static [(&'static str, &'static str)],
    /// Kinds that wrap one node and add nothing.
    pub transparent: &'static [&'static str],
    /// The kind of an expression in parentheses.
    pub parenthesized: &'static str,
    /// Kinds that spread one argument over several, or is not a plain one: a single slot never takes them.
    pub spreads: &'static [&'static str],
    /// The same for a kind only where it has this field.
    pub spread_fields: &'static [(&'static str, &'static str)],
}

impl Compare {
    /// Nothing of it.
    pub const NONE: Self = Self {
        separators: &[],
        optional: &[],
        alike: &[],
        declarations: &[],
        keyed: &[],
        type_arguments: &[],
        arity_tells: false,
        lists: &[],
        bracketed: &[],
        hollow: &[],
        strings: &[],
        interpolations: &[],
        open_texts: &[],
        bare_code: &[],
        loose_text: &[],
        chain: &[],
        transparent: &[],
        parenthesized: "",
        spreads: &[],
        spread_fields: &[],
    };
}

/// One value that is written as several without brackets around.
pub struct BareValue {
    /// Its kind.
    pub kind: &'static str,
    /// The brackets that it needs elsewhere.
    pub brackets: (&'static str, &'static str),
    /// The places (kind, field) where it needs none; an empty field is any.
    pub stands: &'static [(&'static str, &'static str)],
}

/// How new code is written.
pub struct Writing {
    /// Expressions that fall apart when they are put next to an operator or a dot.
    pub loose: &'static [&'static str],
    /// Single values that are written as several, without brackets around.
    pub bare: &'static [BareValue],
    /// Code of a kind that is read as something else in one place (kind, field), and needs parentheses there.
    pub caught: &'static [(&'static str, &'static str, &'static str)],
    /// Blocks behind a call without brackets that end it: it takes in nothing behind them.
    pub closing: &'static [&'static str],
    /// Loose code that needs no parentheses in what is of another kind, though that binds.
    pub flat: &'static [(&'static str, &'static str)],
    /// Places (kind, field) that bind tighter than a loose expression; an empty field is any.
    pub binding: &'static [(&'static str, &'static str)],
    /// Statements that are nothing but an expression.
    pub expression_statement: &'static str,
    /// Things that are deleted with the line they stand on.
    pub line_items: &'static [&'static str],
    /// Names of functions and variables are written with underscores.
    pub snake: bool,
    /// Kinds of lists in which one item by itself needs a comma behind it.
    pub lone_comma: &'static [&'static str],
    /// What is written before the brackets of a call or of an item that is only taken where there is a value.
    pub optional_call: &'static str,
    /// Kinds of lists in which an item may be missing.
    pub holes: &'static [&'static str],
    /// Kinds of items that end their list: nothing may follow them, no separator either.
    pub last_items: &'static [&'static str],
    /// How a function of a type is declared as a property: before its name, and on a line above it; both empty where it
    /// has a form of its own.
    pub property: (&'static str, &'static str),
    /// A list of imports that is left with one name loses its brackets.
    pub bare_single: bool,
    /// What begins a comment that ends with its line; empty if there is none.
    pub comment: &'static str,
    /// What stands in a body that holds nothing else; empty where a body may hold nothing.
    pub idle: &'static str,
}

impl Writing {
    /// Nothing of it.
    pub const NONE: Self = Self {
        loose: &[],
        bare: &[],
        caught: &[],
        closing: &[],
        flat: &[],
        binding: &[],
        expression_statement: "",
        line_items: &[],
        snake: false,
        lone_comma: &[],
        optional_call: "",
        holes: &[],
        last_items: &[],
        property: ("", ""),
        bare_single: false,
        comment: "",
        idle: "",
    };
}

/// What is done, and when.
pub struct Flow {
    /// Kinds that wait for a value and pass it on.
    pub waits: &'static [&'static str],
    /// Places (kind, field, operators; no operators: any) whose value is used only if that of the whole is; an empty field
    /// is any.
    pub passes: &'static [(&'static str, &'static str, &'static [&'static str])],
    /// Places whose value is never used, written in the same way.
    pub drops: &'static [(&'static str, &'static str, &'static [&'static str])],
    /// Functions, lambdas and types: what stands in them is not done where they stand.
    pub nested: &'static [&'static str],
    /// Kinds whose evaluation may do something besides giving a value.
    pub effects: &'static [&'static str],
    /// Kinds of bodies in which the end of a line ends a statement, outside of brackets; empty where line ends mean nothing.
    pub line_bodies: &'static [&'static str],
    /// The kind of what has its text below its line, in the order in which these stand, the kind of such a text, and that
    /// of its end; empty if there is none.
    pub below: (&'static str, &'static str, &'static str),
    /// Signs that no line begins with, whatever the grammar says.
    pub never_first: &'static [&'static str],
    /// Words that end a body.
    pub closes: &'static [&'static str],
}

impl Flow {
    /// Nothing of it.
    pub const NONE: Self = Self {
        waits: &[],
        passes: &[],
        drops: &[],
        nested: &[],
        effects: &[],
        line_bodies: &[],
        closes: &[],
        never_first: &[],
        below: ("", "", ""),
    };
}
