//! The table: what each compiler and test program writes.

use super::LineIs::{
    End, Entry, File, Frame, Head, Json, Message, Nothing, Place, Problem, Says, Summary,
};
use super::Tool;

/// The compilers and test programs whose output is read. Of rows that know the same line, the first counts.
pub const TOOLS: &[Tool] = &[
    Tool {
        name: "rustc as JSON",
        lines: &[
            (Json, r#"^\{"reason":"compiler-message","#),
            (Json, r#"^\{"\$message_type":"diagnostic","#),
            (Json, r#"^\{"message":.*"spans":"#),
        ],
    },
    Tool {
        name: "cargo",
        lines: &[
            (
                Nothing,
                r"^error: (could not compile|aborting due to|test failed, to rerun|\d+ targets? failed|build failed)",
            ),
            (Nothing, r"^(warning|note|help)(\[[\w:]+\])?: "),
            (Head, r"^error(\[(?<code>\w+)\])?: (?<message>.+)$"),
            (Place, r"^\s*(-->|:::) (?<path>.+?):(?<line>\d+):(?<column>\d+)$"),
            (
                Head,
                r"^thread '.*' (\(\d+\) )?panicked at (?<path>[^ ']+?):(?<line>\d+):(?<column>\d+):$",
            ),
            (
                Problem,
                r"^thread '.*' panicked at '(?<message>.*)', (?<path>.+?):(?<line>\d+):(?<column>\d+)$",
            ),
            (Place, r"^\s+at (?<path>\./.+?):(?<line>\d+):(?<column>\d+)$"),
            (Summary, r"^test (?<message>.+) \.\.\. FAILED$"),
        ],
    },
    Tool {
        name: "tsc",
        lines: &[
            (
                Problem,
                r"^(?<path>[^\s(].*?\.[cm]?[jt]sx?)\((?<line>\d+),(?<column>\d+)\): error (?<code>TS\d+): (?<message>.*)$",
            ),
            (
                Problem,
                r"^(?<path>\S.*?\.[cm]?[jt]sx?):(?<line>\d+):(?<column>\d+) - error (?<code>TS\d+): (?<message>.*)$",
            ),
            (Problem, r"^error (?<code>TS\d+): (?<message>.*)$"),
        ],
    },
    Tool {
        name: "eslint",
        lines: &[
            (
                Problem,
                r"^(?<path>\S.*?\.\w+): line (?<line>\d+), col (?<column>\d+), Error - (?<message>.*?)( \((?<code>[\w@/-]+)\))?$",
            ),
            (
                Problem,
                r"^(?<path>\S.*?\.\w+):(?<line>\d+):(?<column>\d+): (?<message>.*) \[Error/(?<code>[\w@/-]+)\]$",
            ),
            (File, r"^(?<path>/\S.*\.([cm]?[jt]sx?|vue|svelte|html))$"),
            (
                Entry,
                r"^\s+(?<line>\d+):(?<column>\d+)\s+error\s+(?<message>.+?)(\s{2,}(?<code>[\w@/-]+))?$",
            ),
            (Nothing, r"^\s+\d+:\d+\s+warning\s"),
        ],
    },
    Tool {
        name: "dotnet",
        lines: &[
            (
                Problem,
                r"^\s*(?<path>\S.*?\.(cs|csproj|fs|vb|razor|cshtml|props|targets))\((?<line>\d+)(,(?<column>\d+))?(,\d+,\d+)?\): error (?<code>\w+): (?<message>.*?)( \[.*\])?$",
            ),
            (
                Problem,
                r"^\s*(?<path>\S.*?\.(csproj|sln|props|targets)) : error (?<code>\w+): (?<message>.*?)( \[.*\])?$",
            ),
            (Problem, r"^(CSC|MSBUILD) ?: error (?<code>\w+): (?<message>.*?)( \[.*\])?$"),
            (Head, r"^\s+Failed (?<message>[\w.]+(\(.*\))?) \[[^\]]+\]$"),
            (Place, r"^\s+at .+ in (?<path>.+?):line (?<line>\d+)$"),
        ],
    },
    Tool {
        name: "maven",
        lines: &[
            (
                Problem,
                r"^\[ERROR\] (?<path>/?\S.*?\.(java|kt|groovy|scala)):\[(?<line>\d+),(?<column>\d+)\] (error: )?(?<message>.*)$",
            ),
            (
                Problem,
                r"^\[ERROR\] .*Non-(parseable|resolvable) .*: (?<message>.*?) @ line (?<line>\d+), column (?<column>\d+)$",
            ),
            (
                Problem,
                r"^\[ERROR\] (?<message>'[\w.:]+' .*?) @ line (?<line>\d+), column (?<column>\d+)$",
            ),
            (
                Problem,
                r"^\[ERROR\] Failed to execute goal .*: (?<message>Could not (resolve|find) .*?)( -> \[Help \d+\])?$",
            ),
            (
                Summary,
                r"^\[ERROR\] (?<message>[\w.$]+(\(.*?\))?)( -- Time elapsed: .*| {2}Time elapsed: .*)<<< (FAILURE|ERROR)!$",
            ),
            (Summary, r"^\[ERROR\] {3}(?<message>\w+(\.\w+)?:\d+ .*)$"),
        ],
    },
    Tool {
        name: "gradle",
        lines: &[
            (
                Problem,
                r"^e: (file://)?(?<path>/?\S.*?\.kts?):(?<line>\d+):(?<column>\d+):? (?<message>.*)$",
            ),
            (
                Problem,
                r"^e: (?<path>/?\S.*?\.kts?): \((?<line>\d+), (?<column>\d+)\): (?<message>.*)$",
            ),
            (
                Problem,
                r"^(Build file|Script|Settings file) '(?<path>.+?)' line: (?<line>\d+)(?<message>)$",
            ),
            (Head, r"^(?<message>\w[\w.$]* > .*) FAILED$"),
            (Place, r"^\s+\S.* at (?<path>\w+\.(java|kt)):(?<line>\d+)$"),
        ],
    },
    Tool {
        name: "kotlinc",
        lines: &[(
            Problem,
            r"^(?<path>\S.*?\.kts?):(?<line>\d+):(?<column>\d+): error: (?<message>.*)$",
        )],
    },
    Tool {
        name: "javac",
        lines: &[
            (
                Problem,
                r"^(?<path>\S.*?\.java):(?<line>\d+): error: (\[(?<code>[\w-]+)\] )?(?<message>.*)$",
            ),
            (Head, r#"^Exception in thread ".*?" (?<message>[\w.$]+(Exception|Error)\b.*)$"#),
            (
                Head,
                r"^(?<message>(java|javax|kotlin|org|com|io|net)\.[\w.$]+(Exception|Error)\b.*)$",
            ),
            (Head, r"^(?<message>org\.opentest4j\.\w+\b.*)$"),
            (Place, r"^\s+at (.+//?)?(?<class>[\w.$]+)\((?<path>\w+\.(java|kt)):(?<line>\d+)\)$"),
        ],
    },
    Tool {
        name: "mypy",
        lines: &[(
            Problem,
            r"^(?<path>\S.*?\.pyi?):(?<line>\d+):((?<column>\d+):)?(\d+:\d+:)? error: (?<message>.*?)( {2}\[(?<code>[\w-]+)\])?$",
        )],
    },
    Tool {
        name: "pytest",
        lines: &[
            (Nothing, r"^[_=]{3,} .* [_=]{3,}$"),
            (Says, r"^E\s+(?<message>\S.*)$"),
            (Frame, r"^(?<path>[^\s:]+\.py):(?<line>\d+): (in .*)?$"),
            (
                End,
                r"^(?<path>[^\s:]+\.py):(?<line>\d+): (?<message>\w*(Error|Exception|Failed|Exit|Warning)\b.*)$",
            ),
            (Summary, r"^(FAILED|ERROR) (?<path>[^\s:]+\.py)(::\S+)?( - (?<message>.*))?$"),
        ],
    },
    Tool {
        name: "python",
        lines: &[
            (Nothing, r"^Traceback \(most recent call last\):$"),
            (Frame, r#"^\s+File "(?<path>[^"<][^"]*)", line (?<line>\d+)(, in .*)?$"#),
            (
                End,
                r"^(?<message>(\w+\.)*[A-Z]\w*(Error|Exception|Interrupt|Exit|Warning|Failed)(: .*)?)$",
            ),
        ],
    },
    Tool {
        name: "go",
        lines: &[
            (Nothing, r"^# "),
            (Problem, r"^(vet: )?(?<path>\S+?\.go):(?<line>\d+):(?<column>\d+): (?<message>.*)$"),
            (Problem, r"^\s+(?<path>\w[\w./-]*\.go):(?<line>\d+): (?<message>.*)$"),
            (
                Problem,
                r"^go: (errors parsing )?(?<path>\S*go\.(mod|work)):((?<line>\d+): )?(?<message>.*)$",
            ),
            (Head, r"^panic: (?<message>.*)$"),
            (Place, r"^\t(?<path>\S+\.go):(?<line>\d+)( \+0x[0-9a-f]+)?$"),
            (Summary, r"^\s*--- FAIL: (?<message>\S+) .*$"),
        ],
    },
    Tool {
        name: "ruby",
        lines: &[
            (
                Head,
                r"^(?<path>[^\s:]+\.(rb|rake|erb|gemspec)):(?<line>\d+):in [`'].*?': (?<message>.*)$",
            ),
            (
                Head,
                r"^(?<path>[^\s:]+\.(rb|rake|erb|gemspec)):(?<line>\d+): (?<message>(syntax error|.*\(\w*Error\)).*)$",
            ),
            (Place, r"^\s+(\d+: )?from (?<path>[^\s:]+):(?<line>\d+)(:in .*)?$"),
            (Head, r"^\s+\d+\) (Failure|Error):$"),
            (Message, r"^(?<message>[A-Z]\w*(::\w+)*(Error|Exception): .+)$"),
            (Place, r"^\w\S*#\S+ \[(?<path>[^\s:]+\.rb):(?<line>\d+)\]:$"),
            (Place, r"^\s+(?<path>[^\s:]+\.rb):(?<line>\d+):in [`'].*$"),
            (Summary, r"^rspec (?<path>\S+?):(?<line>\d+) # (?<message>.*)$"),
        ],
    },
    Tool {
        name: "php",
        lines: &[
            (
                Head,
                r"^(PHP )?(?<code>Parse|Fatal|Recoverable fatal) error: +(?<message>.*?) in (?<path>\S+?\.(php|phtml|inc))(:| on line )(?<line>\d+)$",
            ),
            (Place, r"^#\d+ (?<path>/\S+?)\((?<line>\d+)\): "),
            (Head, r"^\d+\) (?<message>[\w\\]+::\w+.*)$"),
            (Place, r"^(?<path>/\S+\.php):(?<line>\d+)$"),
            (Nothing, r"^\s+thrown in "),
        ],
    },
    Tool {
        name: "swift",
        lines: &[
            (
                Problem,
                r"^(?<path>\S.*?\.swift):(?<line>\d+):(?<column>\d+): error: (?<message>.*)$",
            ),
            (Problem, r"^(?<path>\S.*?\.swift):(?<line>\d+): error: (?<message>.*)$"),
        ],
    },
    Tool {
        name: "dart",
        lines: &[
            (
                Problem,
                r"^\s*error [•-] (?<path>\S+?\.dart):(?<line>\d+):(?<column>\d+) [•-] (?<message>.*) [•-] (?<code>\w+)$",
            ),
            (
                Problem,
                r"^\s*error [•-] (?<message>.*) [•-] (?<path>\S+?\.dart):(?<line>\d+):(?<column>\d+) [•-] (?<code>\w+)$",
            ),
            (
                Problem,
                r"^ERROR\|\w+\|(?<code>\w+)\|(?<path>[^|]+\.dart)\|(?<line>\d+)\|(?<column>\d+)\|\d+\|(?<message>.*)$",
            ),
            (Problem, r"^(?<path>\S+?\.dart):(?<line>\d+):(?<column>\d+): Error: (?<message>.*)$"),
            (Head, r"^\d\d:\d\d [+~\d -]*: (?<message>.*) \[E\]$"),
            (Place, r"^\s+(?<path>\S+?\.dart) (?<line>\d+):(?<column>\d+) "),
        ],
    },
    Tool {
        name: "mix",
        lines: &[
            (
                Nothing,
                r"^\*\* \(CompileError\) .*: cannot compile module .* \(errors have been logged\)$",
            ),
            (Head, r"^ {4}error: (?<message>[^|].*)$"),
            (
                Place,
                r"^.*└─ (?<path>[^\s:]+\.(exs?|eex|heex|leex)):(?<line>\d+)(:(?<column>\d+))?(: .*)?$",
            ),
            (
                Head,
                r"^\*\* \((?<code>\w+(\.\w+)*)\) (?<path>[^\s:]+\.(exs?|eex|heex|leex)):(?<line>\d+)(:(?<column>\d+))?: (?<message>.*)$",
            ),
            (Head, r"^\*\* \((?<code>\w+(\.\w+)*)\) (?<message>.*)$"),
            (Head, r"^\s+\d+\) (test|property|doctest) (?<message>.*) \([\w.]+\)$"),
            (Place, r"^\s+(\(\w+ [\d.]+\) )?(?<path>[^\s:(]+\.exs?):(?<line>\d+)(: .*)?$"),
        ],
    },
    Tool {
        name: "node",
        lines: &[
            (Frame, r"^(file://)?(?<path>/\S+\.[cm]?[jt]sx?):(?<line>\d+)$"),
            (Head, r"^(Uncaught )?(?<message>(\w+ )?[A-Z]\w*Error( \[(?<code>\w+)\])?(:.*)?)$"),
            (Place, r"^\s+at (.*\()?(file://)?(?<path>/[^\s()]+?):(?<line>\d+):(?<column>\d+)\)?$"),
            (Head, r"^\s*not ok \d+ - (?<message>.*)$"),
            (Place, r"^\s+\S.* \((file://)?(?<path>/[^\s()]+?):(?<line>\d+):(?<column>\d+)\)$"),
            (Place, r"^\s+location: '(file://)?(?<path>[^']+):(?<line>\d+):(?<column>\d+)'$"),
        ],
    },
];
