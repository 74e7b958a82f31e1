//! Where the actions of a plan stop at a line that someone asks about.

use emendo_actions::TraceLog;
use emendo_text::Span;

use crate::plan::{PlanStep, PlannedAction};
use crate::run::file::{Env, FileRun};
use crate::run::why::{WhyStage, WhyStop};

impl FileRun {
    /// The log for the line that someone asks about, in the text as it is by now.
    pub(crate) fn trace(&mut self, env: &Env<'_>) -> Option<TraceLog> {
        let asked = env.trace.filter(|t| t.path == self.path)?;
        let text = self.text.clone();
        let mut at = 0;
        let mut found: Option<Span> = None;
        for line in text.split_inclusive('\n') {
            let span = Span::new(at, at + line.trim_end_matches(['\n', '\r']).len());
            at += line.len();
            if self.lines(span).contains(&asked.line) {
                found = Some(found.map_or(span, |f| f.hull(span)));
            }
        }
        found.map(TraceLog::new)
    }

    /// Tells of the actions of a step that do not look into this file, and whose words stand on the line.
    pub(crate) fn untried(
        &self,
        step: &PlanStep,
        tried: &[usize],
        (log, env): (&TraceLog, &Env<'_>),
    ) {
        let Some(asked) = env.trace else { return };
        let line = log.at.of(&self.text);
        let words: Vec<&str> = line.split(|c: char| !(c.is_alphanumeric() || c == '_')).collect();
        let on_line = |w: &String| words.contains(&w.as_str());
        for (i, action) in step.actions.iter().enumerate().filter(|(i, _)| !tried.contains(i)) {
            let asks = &action.asks;
            let near = asks.needs.0.iter().map(|set| set.iter().filter(|w| on_line(w)).count());
            let Some(fitted) = near.max().filter(|n| *n > 0) else { continue };
            let (stage, says) = self.why_untried(action, env);
            // What is about another language is the last to be meant.
            let other = match asks.language {
                Some(l) => self.world.language_of(&self.at).is_none_or(|own| own.id != l.id),
                None => asks.about_pages && self.world.host_of(&self.at).is_none(),
            };
            let fitted = if other { 0 } else { fitted };
            let of_line = |r: &&String| {
                asks.needs.0.len() == 1
                    || words.iter().any(|w| {
                        w.len() > 1
                            && r.split(|c: char| !(c.is_alphanumeric() || c == '_'))
                                .any(|p| p == *w)
                    })
            };
            let what = asks.rows.iter().find(of_line).or(asks.rows.first()).cloned();
            asked.stop(WhyStop {
                step: step.info.key.clone(),
                action: asks.kind.to_owned(),
                what: what.unwrap_or_else(|| {
                    let words = asks.needs.0.first().map(|w| w.join(", "));
                    words.unwrap_or_else(|| format!("action {}", i + 1))
                }),
                stage,
                fitted,
                says,
            });
        }
    }

    fn why_untried(&self, action: &PlannedAction, env: &Env<'_>) -> (WhyStage, String) {
        if !action.runner.covers(&self.at) {
            let own = self.world.language_of(&self.at);
            let says = match (action.asks.language, own) {
                (Some(wanted), Some(own)) if wanted.id != own.id => {
                    format!("it is about {} code, and this file is {}", wanted.id, own.id)
                }
                (None, _) if action.asks.about_pages && self.world.host_of(&self.at).is_none() => {
                    "it is about markup, and this file is no page".to_owned()
                }
                (Some(wanted), None) => {
                    format!("it is about {} code, and this file is not code", wanted.id)
                }
                _ => "`files` or `not_files` leaves this file out".to_owned(),
            };
            return (WhyStage::Files, says);
        }
        if !env.answers.truths.cover(action, &self.at) {
            let why = env.answers.truths.fails(action);
            let says = why.unwrap_or_else(|| "its condition does not hold in this module".into());
            return (WhyStage::Condition, says);
        }
        let lacks =
            |w: &&String| memchr::memmem::find(self.text.as_bytes(), w.as_bytes()).is_none();
        let missing: Vec<&String> =
            action.asks.needs.0.iter().flat_map(|set| set.iter().filter(lacks)).take(3).collect();
        let missing: Vec<String> = missing.into_iter().map(|w| format!("`{w}`")).collect();
        (WhyStage::Words, format!("the file does not hold {}", missing.join(", ")))
    }

    /// Keeps what the actions of a step said of the line.
    pub(crate) fn keep_trace(&self, step: &PlanStep, log: TraceLog, kinds: &str, env: &Env<'_>) {
        let Some(asked) = env.trace else { return };
        for s in log.into_stops() {
            asked.stop(WhyStop {
                step: step.info.key.clone(),
                action: kinds.to_owned(),
                what: s.what,
                stage: WhyStage::At(s.stage),
                fitted: s.fitted + 1,
                says: s.says,
            });
        }
    }
}
