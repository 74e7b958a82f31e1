//! What every command may ask of the command line, and how recipes are loaded.

use std::collections::BTreeMap;
use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use emendo_core::{Checked, Project, Session, Shelf, Trust, World, check};
use emendo_report::json;

use crate::errors::{Shown, USAGE, Usage};

/// What every command may ask of the command line.
pub(crate) struct Globals {
    /// What recipes are made of, and what they may be about.
    pub(crate) world: Arc<World>,
    pub(crate) dir: PathBuf,
    pub(crate) json: bool,
    /// How long to wait for another run.
    pub(crate) wait: Duration,
    /// The user vouches for a state folder that was not made here.
    pub(crate) trust_state: bool,
}

impl Globals {
    /// The session of the project around the folder: all of it, wherever in it the user stands.
    pub(crate) fn session(&self) -> anyhow::Result<Session> {
        let project = Project::open(&self.dir).map_err(emendo_core::SessionError::from)?;
        self.around(&project)?;
        self.session_of(project.within(""))
    }

    /// The session of a folder of the project only.
    pub(crate) fn session_here(&self) -> anyhow::Result<Session> {
        self.session_of(Project::open(&self.dir).map_err(emendo_core::SessionError::from)?)
    }

    /// Says which project is meant, where that is not the folder.
    pub(crate) fn around(&self, project: &Project) -> std::io::Result<()> {
        use std::io::Write;
        if project.below().is_empty() {
            return Ok(());
        }
        let root = emendo_text::one_line(&project.root().display().to_string());
        writeln!(anstream::stderr(), "project: {root}")
    }

    /// The session for what must work even if the project's settings are faulty: that is only said.
    pub(crate) fn session_anyway(&self) -> anyhow::Result<Session> {
        use std::io::Write;
        let project = Project::open_anyway(&self.dir).map_err(emendo_core::SessionError::from)?;
        if let Some(fault) = project.fault() {
            let fault = emendo_text::one_line(fault);
            writeln!(anstream::stderr(), "emendo.toml is faulty, and not used: {fault}")?;
        }
        self.around(&project)?;
        self.session_of(project.within(""))
    }

    fn session_of(&self, project: Project) -> anyhow::Result<Session> {
        let session = Session::of(project);
        let root = session.project().root().to_owned();
        let session = session
            .with_tracked(move || crate::programs::git::tracked(&root))
            .built_as(build())
            .with_world(self.world.clone())
            .with_shelf(self.shelf())
            .with_trust(self.trust())
            .waiting(self.wait, command());
        if let Some(why) = session.unknown_words() {
            return Err(Usage::error(
                format!("emendo.toml is faulty: {why}"),
                "correct `languages` there",
            ));
        }
        if crate::programs::git::tracks(session.project().root(), emendo_core::STATE) {
            let help = format!(
                "it holds this machine's state only: `git rm -r --cached {}`",
                emendo_core::STATE
            );
            return Err(Usage::error(
                format!("git tracks the state folder `{}`", emendo_core::STATE),
                help,
            ));
        }
        Ok(session)
    }

    pub(crate) fn trust(&self) -> Trust {
        Trust { folder: crate::places::own_folder(), given: self.trust_state }
    }

    /// Where recipes are looked for.
    pub(crate) fn shelf(&self) -> Shelf {
        crate::places::shelf(&self.dir)
    }

    /// Files, folders and globs as the user wrote them, from where the user stands, as seen from the project's root.
    pub(crate) fn files(&self, project: &Project, given: &[String]) -> anyhow::Result<Vec<String>> {
        let here = self.dir.canonicalize().unwrap_or_else(|_| self.dir.clone());
        let one = |word: &String| {
            // A file may have such signs in its name.
            let glob = word.contains(['*', '?', '[', '{']) && !here.join(word).exists();
            // A glob of names holds wherever the file lies.
            let word =
                if glob && !word.contains('/') { format!("**/{word}") } else { word.clone() };
            let rest = plain_path(&here.join(&word)).and_then(|p| {
                p.strip_prefix(project.root()).ok().map(|r| r.to_string_lossy().into_owned())
            });
            let Some(rest) = rest else {
                let root = project.root().display();
                return Err(Usage::error(
                    format!("`{word}` lies outside the project"),
                    format!("the project is `{root}`"),
                ));
            };
            // From a subfolder, a path as the program prints it is understood too.
            let printed =
                !glob && !here.join(&word).exists() && project.root().join(&word).exists();
            Ok(if printed { word } else { rest.replace('\\', "/") })
        };
        given.iter().map(one).collect()
    }

    /// A path that the user wrote, as seen from `-C`.
    pub(crate) fn path(&self, path: &std::path::Path) -> PathBuf {
        self.dir.join(path)
    }
}

/// A path without `.` and `..`; none if that leads above the root.
fn plain_path(path: &std::path::Path) -> Option<PathBuf> {
    use std::path::Component;
    let mut out = PathBuf::new();
    for part in path.components() {
        match part {
            Component::CurDir => {}
            Component::ParentDir => {
                if !out.pop() {
                    return None;
                }
            }
            other => out.push(other),
        }
    }
    Some(out)
}

/// What this run does, for others that wait for it.
fn command() -> String {
    let mut args = std::env::args().skip(1);
    while let Some(arg) = args.next() {
        if matches!(arg.as_str(), "-C" | "--color" | "--wait") {
            args.next();
        } else if !arg.starts_with('-') {
            return format!("emendo {}", emendo_text::one_line(&arg));
        }
    }
    "emendo".into()
}

/// Identity of this program: another build may see a project otherwise.
pub(crate) fn build() -> String {
    let meta = std::env::current_exe().and_then(std::fs::metadata);
    let when = meta.and_then(|m| Ok((m.len(), m.modified()?)));
    when.map_or_else(|_| String::new(), |(len, time)| format!("{len} {time:?}"))
}

/// Inputs as `NAME=VALUE`.
pub(crate) fn inputs(given: &[String]) -> anyhow::Result<BTreeMap<String, String>> {
    let pair = |g: &String| match g.split_once('=') {
        Some((name, value)) if !name.is_empty() => Ok((name.to_owned(), value.to_owned())),
        _ => Err(Usage::error(format!("`{g}` is not an input"), "write `--input NAME=VALUE`")),
    };
    given.iter().map(pair).collect()
}

/// Loads recipes by path or id, with all messages about them.
pub(crate) fn load(
    globals: &Globals,
    recipes: &[String],
    inputs: &BTreeMap<String, String>,
) -> anyhow::Result<Checked> {
    let shelf = globals.shelf();
    let mut sources = Vec::new();
    for word in recipes {
        let mut source = shelf
            .find(word, Some(&globals.dir))
            .map_err(|(what, help)| Usage::error(what, crate::messages::help(&help)))?;
        if globals.path(std::path::Path::new(word)).is_file() {
            source.name.clone_from(word);
        }
        sources.push(source);
    }
    Ok(check(&globals.world, sources, inputs, &shelf))
}

/// The same for who only looks at a recipe: an input without a value gets one that could be meant.
pub(crate) fn load_to_look(
    globals: &Globals,
    recipe: &str,
    inputs: &BTreeMap<String, String>,
) -> anyhow::Result<Checked> {
    let word = [recipe.to_owned()];
    let checked = load(globals, &word, inputs)?;
    let found = checked.messages.iter().flat_map(|m| &m.found);
    let unset = found.filter_map(|d| match &d.help {
        Some(emendo_text::Help::GiveInput(name)) => Some(name.clone()),
        _ => None,
    });
    let unset: std::collections::BTreeSet<String> = unset.collect();
    if unset.is_empty() {
        return Ok(checked);
    }
    let mut inputs = inputs.clone();
    let own = checked.recipes.iter().flat_map(|r| &r.inputs);
    for input in own.filter(|i| unset.contains(&i.name)) {
        inputs.insert(input.name.clone(), input.sample());
    }
    load(globals, &word, &inputs)
}

/// Shows the messages about recipes on standard error; an error if any is one.
pub(crate) fn refuse_faulty(checked: &Checked) -> anyhow::Result<()> {
    use std::io::Write;
    let mut err = anstream::stderr().lock();
    for m in &checked.messages {
        for d in m.found.iter().filter(|d| d.severity == emendo_text::Severity::Error) {
            writeln!(err, "{}\n", crate::messages::render(d, &m.name, &m.text))?;
        }
    }
    if checked.failed() {
        writeln!(err, "nothing was proposed: correct the recipe first")?;
        let messages = checked.messages.iter().flat_map(|m| {
            m.found.iter().map(|d| {
                let help = d.help.as_ref().map(crate::messages::help);
                json::diagnostic(d, (&m.name, &m.text), help)
            })
        });
        let (code, messages) = (USAGE, messages.collect());
        return Err(Shown { code, message: "the recipe is faulty", messages }.into());
    }
    Ok(())
}
