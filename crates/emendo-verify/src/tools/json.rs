//! Problems that a tool writes as a line of JSON.

use emendo_text::RelPath;
use serde::Deserialize;

use crate::problem::Problem;

/// A line of cargo, or of the compiler below it.
#[derive(Deserialize)]
struct CompilerLine {
    /// What cargo wraps.
    message: Option<serde_json::Value>,
    #[serde(flatten)]
    rest: serde_json::Map<String, serde_json::Value>,
}

#[derive(Deserialize)]
struct Diagnostic {
    message: String,
    level: String,
    code: Option<Code>,
    #[serde(default)]
    spans: Vec<DiagnosticSpan>,
}

#[derive(Deserialize)]
struct Code {
    code: String,
}

#[derive(Deserialize)]
struct DiagnosticSpan {
    file_name: String,
    line_start: u32,
    column_start: u32,
    #[serde(default)]
    is_primary: bool,
}

/// The problem that a line says; none if it says none.
pub(super) fn problem(
    line: &str,
    tool: &str,
    file: &dyn Fn(&str) -> Option<RelPath>,
) -> Option<Problem> {
    let CompilerLine { message, mut rest } = serde_json::from_str(line).ok()?;
    let whole = match message? {
        wrapped @ serde_json::Value::Object(_) => wrapped,
        text => {
            rest.insert("message".into(), text);
            serde_json::Value::Object(rest)
        }
    };
    let found: Diagnostic = serde_json::from_value(whole).ok()?;
    // "aborting due to ..." counts others, and has no place.
    let counts_others = found.spans.is_empty() && found.message.starts_with("aborting due to");
    if !found.level.starts_with("error") || counts_others {
        return None;
    }
    let (primary, others): (Vec<_>, Vec<_>) = found.spans.iter().partition(|s| s.is_primary);
    let at = |s: &&DiagnosticSpan| Some((file(&s.file_name)?, s.line_start, s.column_start));
    let main = primary.iter().find_map(at);
    Some(Problem {
        tool: tool.to_owned(),
        path: main.as_ref().map(|m| m.0.clone()),
        line: main.as_ref().map(|m| m.1),
        column: main.as_ref().map(|m| m.2),
        code: found.code.map(|c| c.code),
        message: found.message.lines().next().unwrap_or_default().to_owned(),
        also: others.iter().filter_map(at).map(|(p, l, _)| (p, l)).collect(),
    })
}
