//! Examples of a recipe.

use emendo_text::Diagnostic;

use crate::keys::EXAMPLE;
use crate::load::Loader;
use crate::model::{Example, Step};
use crate::value::Table;

impl Loader<'_> {
    pub(crate) fn examples(&mut self, root: &Table, steps: &[Step]) -> Vec<Example> {
        let mut out = Vec::new();
        for (table, span) in root.tables("example") {
            let before = self.errors();
            self.check_table(table, EXAMPLE, "`[[example]]`", span, &[]);
            let misread = self.errors() > before;
            if let Some(step) = table.text("step")
                && !steps.iter().any(|s| s.id == step.text)
            {
                let ids: Vec<&str> = steps.iter().map(|s| s.id.as_str()).collect();
                self.out.push(
                    Diagnostic::error(format!("no step has the id `{}`", step.text), step.span)
                        .help(format!("the steps: {}", ids.join(", "))),
                );
            }
            if let Some(tree) = table.text("tree") {
                let texts = ["before", "after", "unchanged", "path", "new_path"].iter();
                if let Some(e) = texts.filter_map(|k| table.entry(k)).next() {
                    let d = Diagnostic::error("an example is a tree or a text", e.key_span);
                    self.out.push(d.help("`tree` names a folder with `before` and `after` in it"));
                }
                out.push(Example {
                    title: table.text("title").map(|t| t.text.clone()),
                    step: table.text("step").cloned(),
                    lang: None,
                    path: None,
                    new_path: None,
                    tree: Some(tree.clone()),
                    before: tree.clone(),
                    after: tree.clone(),
                    unchanged: false,
                    notes: table.texts("notes").into_iter().map(|t| t.text.clone()).collect(),
                    span,
                });
                continue;
            }
            let (before, after, unchanged) =
                match (table.text("before"), table.text("after"), table.text("unchanged")) {
                    (Some(b), Some(a), None) => (b, a, false),
                    (None, None, Some(u)) => (u, u, true),
                    // Only notes are expected.
                    (Some(b), None, None) if table.get("notes").is_some() => (b, b, false),
                    // What is missing may be what could not be read.
                    _ if misread => continue,
                    _ => {
                        let d = Diagnostic::error(
                            "an example needs `before` and `after`, or `unchanged`",
                            span,
                        );
                        self.out
                            .push(d.help("`unchanged` holds a look-alike that must stay as it is"));
                        continue;
                    }
                };
            out.push(Example {
                title: table.text("title").map(|t| t.text.clone()),
                step: table.text("step").cloned(),
                lang: table.text("lang").cloned(),
                path: table.text("path").cloned(),
                new_path: table.text("new_path").cloned(),
                tree: None,
                before: before.clone(),
                after: after.clone(),
                unchanged,
                notes: table.texts("notes").into_iter().map(|t| t.text.clone()).collect(),
                span,
            });
        }
        out
    }
}
