//! Levels of toolchains, in every notation of an ecosystem.

use emendo_docs::{Form, Manifest, Raised, exact_level, level_of, raise};
use emendo_lang::{Certainty, Fact};
use emendo_text::Splice;

use crate::contract::{Found, NoteDraft};
use crate::library::runner::LibraryRunner;

impl LibraryRunner {
    pub(super) fn toolchains(&self, manifest: &Manifest, action: usize, out: &mut Found) {
        let Some(target) = &self.target else { return };
        for t in &manifest.toolchains {
            let Some(row) = self.rules.iter().position(|r| r.old == t.what) else { continue };
            let (lead, written) = match t.form {
                Form::Behind { was, now } => (now, t.value.text.trim_start_matches(was).to_owned()),
                Form::Fixed => continue,
                Form::Words => {
                    ("VERSION_", t.value.text.trim_start_matches("VERSION_").replace('_', "."))
                }
                Form::Plain => ("", t.value.text.clone()),
            };
            let old = level_of(t.what, &written);
            if !self.is_below(old) {
                continue;
            }
            match raise(old, target, exact_level(t.what) || t.form != Form::Plain) {
                Raised::To(new) => {
                    let text = match t.form {
                        Form::Words => format!("{lead}{}", new.replace('.', "_")),
                        _ => format!("{lead}{new}"),
                    };
                    let fact = Fact {
                        says: Certainty::Certain,
                        text: format!("the level of `{}` is set here", t.what),
                        at: Some(t.value.span),
                    };
                    let splices = vec![Splice::text(t.value.span, text)];
                    let digest = self.rules[row].digest;
                    self.push((action, row), digest, t.value.span, splices, vec![fact], out);
                }
                Raised::Stays => {}
                Raised::Open(why) => {
                    let say = format!("{why}: raise `{}` to {target} by hand", t.what);
                    out.notes.push(NoteDraft::new(t.value.span, say));
                }
            }
        }
    }
}
