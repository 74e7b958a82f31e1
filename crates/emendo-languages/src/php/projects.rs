//! Where the packages of a PHP project lie, by its `composer.json`.

use emendo_lang::Files;
use emendo_text::RelPath;
use serde_json::Value;

use crate::shared::nearest;

/// The packages that the nearest manifest gives folders, for code and for tests.
pub(crate) fn roots(path: &RelPath, files: &dyn Files) -> Vec<(String, String)> {
    let Some((manifest, text)) = nearest(path, &["composer.json"], files) else {
        return Vec::new();
    };
    let Ok(json) = serde_json::from_str::<Value>(&text) else { return Vec::new() };
    let sections = ["autoload", "autoload-dev"].into_iter();
    let all = sections.filter_map(|s| json.get(s)?.get("psr-4")?.as_object());
    let mut out = Vec::new();
    for (package, folders) in all.flatten() {
        let folders = match folders {
            Value::String(one) => vec![one.as_str()],
            Value::Array(several) => several.iter().filter_map(Value::as_str).collect(),
            _ => Vec::new(),
        };
        for folder in folders {
            let parts = [manifest.folder(), folder.trim_end_matches('/').trim_start_matches("./")];
            let parts: Vec<&str> =
                parts.into_iter().filter(|p| !p.is_empty() && *p != ".").collect();
            out.push((package.trim_end_matches('\\').to_owned(), parts.join("/")));
        }
    }
    out
}
