//! The message of a commit, from the steps that it holds.

use emendo_text::{FillError, RelPath, fill, one_line, visible};
use serde::Serialize;

use crate::edits::StepKey;
use crate::review::Header;

/// The longest message, in bytes.
const MOST: usize = 16 << 10;
/// The longest title, in characters.
const MOST_TITLE: usize = 200;

/// The message where the project's settings say nothing else.
const MESSAGE: &str = "{{ title }}

{% for s in steps if s.reason %}{{ s.reason|wrap(72) }}

{% endfor %}{% if steps|length > 1 %}These steps share a commit: edits of one need edits of another.

{% endif %}Recipe: {{ recipe.id }}{% if recipe.to %} ({{ recipe.library }} {{ recipe.to }}){% endif %}
{% for s in steps %}Step: {{ s.id }}
{% endfor %}";

/// A step, as a template sees it.
#[derive(Serialize)]
struct Step<'a> {
    id: &'a str,
    title: &'a str,
    reason: &'a str,
    caution: &'a str,
}

/// A recipe, as a template sees it.
#[derive(Default, Serialize)]
struct Recipe<'a> {
    id: &'a str,
    title: &'a str,
    library: &'a str,
    from: &'a str,
    to: &'a str,
}

#[derive(Serialize)]
struct Values<'a> {
    title: String,
    reason: &'a str,
    step: &'a str,
    steps: &'a [Step<'a>],
    recipe: Recipe<'a>,
    edits: usize,
    files: &'a [RelPath],
}

/// The title of a commit of these steps.
pub(crate) fn title(header: &Header, steps: &[StepKey]) -> String {
    let known = |key: &StepKey| header.steps.iter().find(|s| s.key == *key);
    let titles: Vec<String> =
        steps.iter().filter_map(known).map(|s| one_line(s.title.trim())).collect();
    titles.join("; ")
}

/// The message of a commit of these steps, which writes this many edits in these files.
///
/// # Errors
/// If the template of the project's settings gives none.
pub(crate) fn message(
    template: Option<&str>,
    header: &Header,
    keys: &[StepKey],
    (edits, files): (usize, &[RelPath]),
) -> Result<String, FillError> {
    let infos = keys.iter().filter_map(|k| header.steps.iter().find(|s| s.key == *k));
    let steps: Vec<Step<'_>> = infos
        .map(|s| Step {
            id: &s.key.step,
            title: s.title.trim(),
            reason: s.why.as_deref().unwrap_or("").trim(),
            caution: s.caution.as_deref().unwrap_or("").trim(),
        })
        .collect();
    let recipe = keys.first().and_then(|k| header.recipes.iter().find(|r| r.id == k.recipe));
    let recipe = recipe.map_or_else(Recipe::default, |r| Recipe {
        id: &r.id,
        title: &r.title,
        library: r.library.as_deref().unwrap_or(""),
        from: r.from.as_deref().unwrap_or(""),
        to: r.to.as_deref().unwrap_or(""),
    });
    let values = Values {
        title: title(header, keys),
        reason: steps.first().map_or("", |s| s.reason),
        step: steps.first().map_or("", |s| s.id),
        steps: &steps,
        recipe,
        edits,
        files,
    };
    let text = fill(template.unwrap_or(MESSAGE), &values, MOST)?;
    let (first, rest) = text.trim().split_once('\n').unwrap_or((text.trim(), ""));
    let mut first = one_line(first.trim());
    if first.is_empty() {
        let message = "it gives no title: the first line is empty".to_owned();
        return Err(FillError { line: 1, message, by_values: false });
    }
    if let Some((cut, _)) = first.char_indices().nth(MOST_TITLE) {
        first.truncate(cut);
        first.push('…');
    }
    let body = rest.trim_end();
    Ok(if body.is_empty() { first } else { format!("{first}\n{}", visible(body)) })
}
