//! Inputs of a recipe, and where their values stand.

use std::collections::BTreeMap;

use emendo_text::Help;
use emendo_text::{Diagnostic, Span};
use toml::Spanned;
use toml::de::DeTable;

use crate::load::{Loader, span_of, wrong_value};
use crate::model::{Input, InputKind};
use crate::value::Text;

impl Loader<'_> {
    /// Inputs come first: the other values may refer to them.
    pub(crate) fn read_inputs(
        &mut self,
        root: &Spanned<DeTable<'_>>,
        given: &BTreeMap<String, String>,
    ) -> Vec<Input> {
        let mut inputs = Vec::new();
        let tables = root.get_ref().get("inputs").and_then(|v| v.get_ref().as_table());
        for (name, value) in tables.into_iter().flatten() {
            let name = name.get_ref().to_string();
            let text = |key: &str| {
                value.get_ref().as_table()?.get(key)?.get_ref().as_str().map(str::to_owned)
            };
            let kind =
                text("type").and_then(|t| InputKind::WORDS.iter().find(|w| w.0 == t).map(|w| w.1));
            let list = value.get_ref().as_table().and_then(|t| t.get("one_of"));
            let list = list.and_then(|v| v.get_ref().as_array());
            let one_of = list.into_iter().flatten().filter_map(|v| v.get_ref().as_str());
            inputs.push(Input {
                name,
                summary: text("summary"),
                default: text("default"),
                kind: kind.unwrap_or(InputKind::Text),
                one_of: one_of.map(str::to_owned).collect(),
                span: span_of(value),
            });
        }
        for input in &inputs {
            match given.get(&input.name).or(input.default.as_ref()) {
                Some(value) => {
                    let own = given.contains_key(&input.name);
                    self.out.extend(wrong_value(input, value, own));
                    self.inputs.insert(input.name.clone(), value.clone());
                }
                None => self.unset.push(input.name.clone()),
            }
        }
        for name in given.keys().filter(|n| !inputs.iter().any(|i| i.name == **n)) {
            let known: Vec<&str> = inputs.iter().map(|i| i.name.as_str()).collect();
            let help = if known.is_empty() {
                "this recipe takes no inputs".into()
            } else {
                format!("its inputs: {}", known.join(", "))
            };
            self.out.push(Diagnostic {
                labels: Vec::new(),
                ..Diagnostic::error(format!("the recipe has no input `{name}`"), Span::at(0))
                    .help(help)
            });
        }
        inputs
    }

    /// Fills inputs in.
    pub(crate) fn fill(&mut self, raw: &str, span: Span) -> Text {
        const OPEN: &str = "@{input.";
        if !raw.contains(OPEN) {
            return Text::new(self.text, span, raw);
        }
        let mut out = String::new();
        let mut rest = raw;
        while let Some(at) = rest.find(OPEN) {
            let Some(end) = rest[at..].find('}') else { break };
            let name = &rest[at + OPEN.len()..at + end];
            out.push_str(&rest[..at]);
            match self.inputs.get(name) {
                Some(value) => out.push_str(value),
                None if self.unset.iter().any(|u| u == name) => {
                    let d = Diagnostic::error(format!("the input `{name}` has no value"), span);
                    self.out.push(d.way(Help::GiveInput(name.to_owned())));
                }
                None => {
                    let d = Diagnostic::error(format!("there is no input `{name}`"), span);
                    self.out.push(d.help(format!("declare it: `[inputs.{name}]`")));
                }
            }
            rest = &rest[at + end + 1..];
        }
        out.push_str(rest);
        Text::derived(out, span)
    }
}
