//! What `emendo.toml` says.

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::Arc;

use emendo_text::RelPath;
use globset::{Glob, GlobMatcher, GlobSet, GlobSetBuilder};
use serde::Deserialize;

/// The project's settings, at its root.
pub const SETTINGS: &str = "emendo.toml";

/// The file as it is written.
#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
struct Settings {
    /// Globs of paths that are not looked at.
    #[serde(default)]
    ignore: Vec<String>,
    /// Folders of recipes, from the root.
    #[serde(default)]
    recipes: Vec<String>,
    /// Globs of paths that nothing is written at.
    #[serde(default)]
    protected: Vec<String>,
    /// What files are read as, by glob, where their names do not say it.
    #[serde(default)]
    languages: BTreeMap<String, String>,
    /// Keys of the review screen, by what they do.
    #[serde(default)]
    keys: BTreeMap<String, KeySetting>,
    /// How commits are made.
    #[serde(default)]
    commit: CommitSettings,
    /// What brings changed files into the project's form.
    format: Option<FormatSetting>,
    /// What shows that the project builds and passes.
    check: Option<String>,
    /// What makes a fresh copy of the project ready for that.
    prepare: Option<String>,
}

/// A key, or several.
#[derive(Clone, Debug, Deserialize)]
#[serde(untagged, expecting = "a key, or a list of keys")]
enum KeySetting {
    One(String),
    Several(Vec<String>),
}

#[derive(Deserialize, Default)]
#[serde(deny_unknown_fields)]
struct CommitSettings {
    /// The template of the message.
    message: Option<String>,
}

/// One command for all files, or commands by glob.
#[derive(Deserialize)]
#[serde(untagged, expecting = "a command, or commands by glob")]
enum FormatSetting {
    All(String),
    ByGlob(BTreeMap<String, String>),
}

/// A command that brings files into the project's form.
#[derive(Clone, Debug)]
pub struct FormatRule {
    /// The command, as it is written in the settings.
    pub command: String,
    /// The files that it is for; all if there is none.
    glob: Option<GlobMatcher>,
}

impl FormatRule {
    /// True if the command is for a file.
    pub fn covers(&self, path: &RelPath) -> bool {
        self.glob.as_ref().is_none_or(|g| g.is_match(path.as_path()))
    }
}

/// What the settings say, ready for use.
#[derive(Clone, Debug, Default)]
pub(super) struct Rules {
    pub(super) ignore: GlobSet,
    pub(super) protected: GlobSet,
    /// The globs of what is protected, as they are written.
    pub(super) protected_globs: Vec<String>,
    pub(super) recipes: Vec<PathBuf>,
    /// What files are read as, by glob.
    pub(super) languages: Vec<(GlobMatcher, Arc<str>)>,
    pub(super) keys: BTreeMap<String, Vec<String>>,
    /// The template of commit messages.
    pub(super) message: Option<String>,
    pub(super) format: Vec<FormatRule>,
    /// The command that shows that the project builds and passes.
    pub(super) check: Option<String>,
    /// The command that makes a fresh copy ready for that.
    pub(super) prepare: Option<String>,
}

/// The settings, or what is wrong with them.
pub(super) fn settings(root: &Path) -> Result<Rules, String> {
    let path = root.join(SETTINGS);
    if path.symlink_metadata().is_err() {
        return Ok(Rules::default());
    }
    let bytes = emendo_recipe::read_regular(&path).map_err(|e| e.to_string())?;
    let text = String::from_utf8(bytes).map_err(|_| "it is not UTF-8".to_owned())?;
    let settings: Settings = toml::from_str(&text).map_err(|e| e.to_string())?;
    let mut recipes = Vec::new();
    for folder in &settings.recipes {
        let whole = root.join(folder);
        if !whole.is_dir() {
            return Err(format!("`recipes` names `{folder}`, which is not a folder here"));
        }
        recipes.push(whole);
    }
    let keys = settings.keys.into_iter().map(|(name, keys)| match keys {
        KeySetting::One(key) => (name, vec![key]),
        KeySetting::Several(keys) => (name, keys),
    });
    Ok(Rules {
        ignore: globs("ignore", &settings.ignore)?,
        protected: globs("protected", &settings.protected)?,
        protected_globs: settings.protected,
        recipes,
        languages: languages(settings.languages)?,
        keys: keys.collect(),
        message: settings.commit.message,
        format: format_rules(settings.format)?,
        check: command("check", settings.check)?,
        prepare: command("prepare", settings.prepare)?,
    })
}

/// The command of a key, or what is wrong with it.
fn command(key: &str, command: Option<String>) -> Result<Option<String>, String> {
    match command.as_deref().map(str::trim) {
        Some("") => Err(format!("`{key}` is an empty command")),
        _ => Ok(command),
    }
}

/// The commands of `format`, or what is wrong with one.
fn format_rules(setting: Option<FormatSetting>) -> Result<Vec<FormatRule>, String> {
    let rule = |command: String, glob: Option<GlobMatcher>| match command.trim() {
        "" => Err("`format` holds an empty command".to_owned()),
        _ => Ok(FormatRule { command, glob }),
    };
    match setting {
        None => Ok(Vec::new()),
        Some(FormatSetting::All(command)) => Ok(vec![rule(command, None)?]),
        Some(FormatSetting::ByGlob(all)) => {
            let one = |(glob, command): (String, String)| {
                rule(command, Some(checked("format", &glob)?.compile_matcher()))
            };
            all.into_iter().map(one).collect()
        }
    }
}

/// What files are read as, or what is wrong with it. Which words there are, the session knows.
fn languages(all: BTreeMap<String, String>) -> Result<Vec<(GlobMatcher, Arc<str>)>, String> {
    let one = |(glob, word): (String, String)| {
        Ok((checked("languages", &glob)?.compile_matcher(), word.into()))
    };
    all.into_iter().map(one).collect()
}

/// The globs of a key, or what is wrong with one.
fn globs(key: &str, all: &[String]) -> Result<GlobSet, String> {
    let mut set = GlobSetBuilder::new();
    for glob in all {
        set.add(checked(key, glob)?);
    }
    set.build().map_err(|e| e.to_string())
}

/// One glob of a key, or what is wrong with it.
fn checked(key: &str, glob: &str) -> Result<Glob, String> {
    let wrong = |why: String| format!("`{key}` names `{glob}`, which is not a glob: {why}");
    emendo_recipe::check_glob(glob).map_err(wrong)?;
    Glob::new(glob).map_err(|e| wrong(e.kind().to_string()))
}
