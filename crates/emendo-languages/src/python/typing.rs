//! Types in Python.

use emendo_lang::language::{
    ArgumentRule, Branch, Branching, BuiltIn, CalleeRule, Calls, CaseRule, FunctionRule,
    FunctionTypeRule, Gives, Intro, Origin, Packing, ReturnRule, Syntax, Taken, Test, TypePart,
    Typing, Waiting,
};

use crate::shared::{each, parameter, value};

pub(crate) const TYPING: Typing = Typing {
    syntax: SYNTAX,
    built_in: BUILT_IN,
    standard: include_str!("python.types"),
    exprs: &[
        ("string", Gives::Is("str")),
        ("concatenated_string", Gives::Is("str")),
        ("integer", Gives::Is("int")),
        ("float", Gives::Is("float")),
        ("true", Gives::Is("bool")),
        ("false", Gives::Is("bool")),
        ("none", Gives::Nothing),
        ("comparison_operator", Gives::Is("bool")),
        ("not_operator", Gives::Is("bool")),
        ("list", Gives::ListOf("list")),
        ("set", Gives::ListOf("set")),
        ("list_comprehension", Gives::ListOf("list")),
        ("set_comprehension", Gives::ListOf("set")),
        ("generator_expression", Gives::ListOf("collections.abc.Iterator")),
        ("dictionary", Gives::Pairs("dict", "pair")),
        ("dictionary_comprehension", Gives::Pairs("dict", "pair")),
        ("tuple", Gives::Tuple),
        ("expression_list", Gives::Tuple),
        ("parenthesized_expression", Gives::Same("")),
        ("subscript", Gives::Element("value")),
        ("await", Gives::Awaited("")),
        ("conditional_expression", Gives::Either(&["0", "2"])),
        ("boolean_operator", Gives::Either(&["left", "right"])),
        ("binary_operator", Gives::Operator("left", "operator", "right")),
        ("unary_operator", Gives::Same("argument")),
        ("named_expression", Gives::Same("value")),
        ("assignment", Gives::Same("right")),
        ("call", Gives::Call),
        ("attribute", Gives::Member("object", "attribute")),
        ("lambda", Gives::Function),
        ("identifier", Gives::Name),
        ("type", Gives::Same("")),
    ],
    intros: &[
        value("assignment", "left", "type", "right"),
        value("named_expression", "name", "", "value"),
        value("augmented_assignment", "left", "", "left"),
        each("for_statement", "left", "", "right"),
        each("for_in_clause", "left", "", "right"),
        Intro { kind: "as_pattern", name: "alias", ty: "", value: "0", origin: Origin::Opened },
        Intro {
            kind: "except_clause",
            name: "alias",
            value: "value",
            origin: Origin::Opened,
            ..Intro::NONE
        },
        parameter("typed_default_parameter", "name", "type"),
        parameter("default_parameter", "name", ""),
        Intro {
            kind: "typed_parameter",
            name: "0",
            ty: "type",
            origin: Origin::Parameter,
            ..Intro::NONE
        },
        parameter("parameters", "", ""),
        parameter("lambda_parameters", "", ""),
        Intro {
            kind: "function_definition",
            name: "name",
            origin: Origin::Function,
            ..Intro::NONE
        },
        Intro { kind: "class_definition", name: "name", ty: "", value: "", origin: Origin::Type },
    ],
    parts: &[
        ("pattern_list", TypePart::Nth),
        ("tuple_pattern", TypePart::Nth),
        ("list_pattern", TypePart::Nth),
        ("list_splat_pattern", TypePart::Rest),
    ],
    type_params: &["type_parameter"],
    param_bases: &["Generic", "Protocol"],
    reassigned: true,
    bare_calls: false,
    branching: BRANCHING,
    calls: CALLS,
    ..Typing::NONE
};

const SYNTAX: Syntax = Syntax {
    generic: ('[', ']'),
    quoted: true,
    nothing: &["None"],
    tuple: ("tuple[", "]"),
    inferred: &["Any", "typing.Any"],
    through: &["Optional", "Final", "ClassVar", "Annotated", "Required", "NotRequired"],
    either: &["Union"],
    types: &["Type", "type"],
    tuples: &["Tuple", "tuple"],
    callables: &["Callable"],
    list: "list",
    bracket_list: true,
    ..Syntax::NONE
};

const BUILT_IN: BuiltIn = BuiltIn {
    invoke: "__call__",
    operators: &[
        ("+", "__add__", "__radd__"),
        ("-", "__sub__", "__rsub__"),
        ("*", "__mul__", "__rmul__"),
        ("/", "__truediv__", "__rtruediv__"),
        ("//", "__floordiv__", "__rfloordiv__"),
        ("%", "__mod__", "__rmod__"),
        ("@", "__matmul__", "__rmatmul__"),
        ("|", "__or__", "__ror__"),
        ("&", "__and__", "__rand__"),
        ("^", "__xor__", "__rxor__"),
        ("<<", "__lshift__", "__rlshift__"),
        (">>", "__rshift__", "__rrshift__"),
    ],
    opened: "__enter__",
    opened_later: ("async", "__aenter__"),
    primitives: &[
        ("str", "str"),
        ("int", "int"),
        ("float", "float"),
        ("bool", "bool"),
        ("bytes", "bytes"),
        ("list", "list"),
        ("dict", "dict"),
        ("set", "set"),
        ("frozenset", "frozenset"),
        ("List", "list"),
        ("Dict", "dict"),
        ("Set", "set"),
        ("FrozenSet", "frozenset"),
        ("typing.List", "list"),
        ("typing.Dict", "dict"),
        ("typing.Set", "set"),
        ("object", "object"),
    ],
    top: "object",
    value_aliases: true,
    closure: ("lambda ", ": "),
    text: "str",
    number: "int",
    truth: "bool",
    future: "collections.abc.Awaitable",
    ..BuiltIn::NONE
};

const BRANCHING: Branching = Branching {
    arms: &[],
    matches: &[],
    kind_tests: &[],
    tests: &[Test {
        kind: "call",
        value: "function",
        by: "isinstance",
        ty: "arguments,",
        except: "",
    }],
    branches: &[
        Branch { kind: "if_statement", test: "condition", then: "consequence" },
        Branch { kind: "elif_clause", test: "condition", then: "consequence" },
        Branch { kind: "while_statement", test: "condition", then: "body" },
        Branch { kind: "conditional_expression", test: "1", then: "0" },
        Branch { kind: "boolean_operator", test: "left", then: "right" },
    ],
    exits: &["return_statement", "raise_statement", "continue_statement", "break_statement"],
    negations: &[("not_operator", "not")],
    asserts: &["assert_statement"],
    cases: Some(CaseRule {
        case: "case_clause",
        value: "subject",
        pattern: "case_pattern",
        class: "class_pattern",
        member: "keyword_pattern",
        alias: "as_pattern",
        any: "union_pattern",
        lists: &["list_pattern", "tuple_pattern"],
    }),
    both: &["and"],
    returns: &[
        ReturnRule { kind: "return_statement", many: false },
        ReturnRule { kind: "yield", many: true },
    ],
    blocks: &["block", "module"],
};

const CALLS: Calls = Calls {
    overloads: false,
    groups: &[],
    pipe: ("", "", ""),
    setting: &[],
    like_type: false,
    passing: "",
    decorators: &[
        ("contextmanager", "contextlib.AbstractContextManager"),
        ("asynccontextmanager", "contextlib.AbstractAsyncContextManager"),
    ],
    functions: &[
        FunctionRule {
            kind: "function_definition",
            params: "parameters",
            result: "return_type",
            body: "body",
            ..FunctionRule::NONE
        },
        FunctionRule {
            kind: "lambda",
            params: "parameters",
            body: "body",
            bare: true,
            ..FunctionRule::NONE
        },
    ],
    function_types: &[
        FunctionTypeRule {
            kind: "generic_type",
            list: &["type_parameter", "type", "list"],
            named: true,
        },
        FunctionTypeRule { kind: "subscript", list: &["subscript"], named: true },
    ],
    arguments: ArgumentRule {
        lists: &["argument_list"],
        keyed: ("keyword_argument", "name", "value"),
        ..ArgumentRule::NONE
    },
    callees: &[CalleeRule {
        kind: "call",
        function: "function",
        arguments: "arguments",
        ..CalleeRule::NONE
    }],
    param_makers: &["TypeVar"],
    constructor: "__init__",
    maker: "",
    block: "",
    numbered: "",
    overriding: &[],
    memberwise: None,
    super_calls: false,
    class_word: "",
    own_blocks: &[],
    waiting: Some(Waiting {
        kind: "await",
        before: "await ",
        token: "await",
        word: "async",
        functions: &[("function_definition", &["def"])],
        bodiless: true,
        given: &["Awaitable", "Coroutine", "Future"],
        takers: &[
            "run",
            "gather",
            "create_task",
            "ensure_future",
            "wait",
            "wait_for",
            "run_until_complete",
            "shield",
        ],
        never: &["__init__", "__new__", "__del__", "__str__", "__repr__", "__len__", "__hash__"],
        barred: &["yield"],
        ..Waiting::NONE
    }),
    packing: &[
        Packing {
            word: "object",
            open: "{}(",
            close: ")",
            sign: "=",
            lists: &["argument_list"],
            taken: Taken::Whole(".", ""),
            ..Packing::NONE
        },
        Packing { word: "named", sign: "=", taken: Taken::Named("*"), ..Packing::NONE },
    ],
};
