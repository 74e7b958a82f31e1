//! The user's own editor on a text.

use std::io::Write;
use std::process::Command;

use emendo_text::RelPath;

use crate::commands::decide::without_last_line_end;

/// Opens the editor on a text; what came of it, or why nothing did.
pub(super) fn edit(text: &str, path: &RelPath) -> Result<Option<String>, String> {
    let editor = ["VISUAL", "EDITOR"]
        .iter()
        .find_map(|name| std::env::var(name).ok().filter(|value| !value.trim().is_empty()));
    let editor =
        editor.ok_or("no editor is known: set EDITOR, or use `emendo reword --from FILE`")?;
    // The ending tells the editor which language it is.
    let ending = path.extension().map_or(String::new(), |e| format!(".{e}"));
    let failed = |e: &dyn std::fmt::Display| format!("the editor could not be used: {e}");
    let mut file = tempfile::Builder::new()
        .prefix("emendo-")
        .suffix(&ending)
        .tempfile()
        .map_err(|e| failed(&e))?;
    let body = if text.ends_with('\n') { text.to_owned() } else { format!("{text}\n") };
    file.write_all(body.as_bytes()).and_then(|()| file.flush()).map_err(|e| failed(&e))?;
    // The variable may hold options.
    let mut words = editor.split_whitespace();
    let program = words.next().unwrap_or_default();
    let status = Command::new(program)
        .args(words)
        .arg(file.path())
        .status()
        .map_err(|e| failed(&format!("`{program}`: {e}")))?;
    if !status.success() {
        return Err(format!("the editor ended with {status}: nothing was taken"));
    }
    let after = std::fs::read_to_string(file.path()).map_err(|e| failed(&e))?;
    if after == body {
        return Ok(None);
    }
    Ok(Some(if text.ends_with('\n') { after } else { without_last_line_end(after) }))
}
