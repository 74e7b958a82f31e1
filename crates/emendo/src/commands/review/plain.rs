//! The review line by line: questions on standard output, answers from standard input.

use std::io::{BufRead, Write, stdin};

use emendo_core::{Disk as _, RealDisk, Session};
use emendo_review::{Dialog, Effect, Input, Model};

use crate::commands::review::editor;
use crate::commands::review::work::{Job, decisions};

/// Asks until there is nothing more to ask, or the answers end.
pub(super) fn run(session: &Session, model: Model) -> anyhow::Result<()> {
    let disk = RealDisk::open(session.project().root())?;
    let mut out = anstream::stdout().lock();
    if let Some(check) = model.check() {
        writeln!(out, "{check}")?;
    }
    let mut dialog = Dialog::new(model);
    let mut answers = stdin().lock().lines();
    while !dialog.ended() {
        let effects = dialog.look();
        perform(session, &disk, &mut dialog, effects, &mut out)?;
        for line in dialog.ask() {
            writeln!(out, "{line}")?;
        }
        out.flush()?;
        let Some(answer) = answers.next() else { break };
        let (said, effects) = dialog.answer(&answer?);
        for line in said {
            writeln!(out, "{line}")?;
        }
        perform(session, &disk, &mut dialog, effects, &mut out)?;
    }
    writeln!(out)?;
    Ok(())
}

fn perform(
    session: &Session,
    disk: &RealDisk,
    dialog: &mut Dialog,
    effects: Vec<Effect>,
    out: &mut impl Write,
) -> anyhow::Result<()> {
    let mut todo = effects;
    while !todo.is_empty() {
        for effect in std::mem::take(&mut todo) {
            let input = match Job::of(effect) {
                Ok(job) => job.run(session),
                Err(Effect::Read(path)) => {
                    let bytes = disk.read(&path).ok().flatten();
                    Input::File(path, bytes)
                }
                Err(Effect::Store(log)) => match session.store(&log) {
                    Ok(()) => continue,
                    Err(e) => {
                        let why = format!("not kept: {}", emendo_text::one_line(&e.to_string()));
                        Input::Failed(why, decisions(session))
                    }
                },
                Err(Effect::Edit(id, text, path)) => match editor::edit(&text, &path) {
                    Ok(Some(text)) => Input::Edited(id, text),
                    Ok(None) => continue,
                    Err(why) => Input::Refused(id, text, why),
                },
                Err(_) => continue,
            };
            let (said, more) = dialog.update(input);
            for line in said {
                writeln!(out, "{line}")?;
            }
            todo.extend(more);
        }
    }
    Ok(())
}
