//! The project: its root, its settings, its state folder.

mod files;
mod reader;
mod settings;
mod survey;
mod walk;

use std::collections::BTreeMap;
use std::path::{Path, PathBuf};
use std::sync::{Arc, OnceLock};

use emendo_text::{PathError, RelPath};

pub(crate) use files::ProjectFiles;
pub use reader::FileSource;
use reader::HeldBytes;
pub(crate) use reader::OnDisk;
pub use settings::{FormatRule, SETTINGS};
use settings::{Rules, settings};
pub(crate) use survey::survey_files;
pub use survey::{
    LanguageCount, Level, Library, Lock, ManifestUse, Module, RecipeFit, Survey, Unreadable,
    VersionPlace, locks_of, survey,
};
pub use walk::{PassedOver, SkipCounts, SkipReason};
pub(crate) use walk::{files_passed_over, is_generated, walk};

/// The folder of the tool's state, at the project's root.
pub const STATE: &str = ".emendo";

/// A project on disk.
#[derive(Clone, Debug)]
pub struct Project {
    root: PathBuf,
    /// Only what lies below this folder is looked at; empty for all.
    below: String,
    /// What its settings say.
    rules: Rules,
    /// What is wrong with the settings.
    fault: Option<String>,
    /// Where the bytes of files come from.
    source: Arc<dyn FileSource>,
    /// What version control keeps, even where an ignore file names it; asked once.
    tracked: Option<Arc<Tracked>>,
    /// What a run has read and holds.
    held: Option<Arc<HeldBytes>>,
}

/// What version control keeps.
struct Tracked {
    ask: Box<dyn Fn() -> Vec<RelPath> + Send + Sync>,
    known: OnceLock<Vec<RelPath>>,
}

impl Tracked {
    /// The files in order.
    fn all(&self) -> &[RelPath] {
        self.known.get_or_init(|| {
            let mut all = (self.ask)();
            all.sort_unstable();
            all
        })
    }
}

impl std::fmt::Debug for Tracked {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Tracked")
    }
}

/// Why a folder cannot be used as a project.
#[derive(Debug, thiserror::Error)]
pub enum ProjectError {
    /// The folder cannot be read.
    #[error("cannot open `{0}`: {1}")]
    Open(PathBuf, std::io::Error),
    /// `emendo.toml` is faulty.
    #[error("`{0}` is faulty: {1}")]
    Settings(PathBuf, String),
    /// The state folder is not to be trusted.
    #[error("`{0}` {1}: it is not used")]
    State(PathBuf, &'static str),
    /// A path of the project cannot be used.
    #[error(transparent)]
    Path(#[from] PathError),
    /// The state folder cannot be made.
    #[error("cannot make `{0}`: {1}")]
    Make(PathBuf, std::io::Error),
}

impl Project {
    /// Opens the project that `dir` belongs to: the nearest `emendo.toml` upwards, else the top of the git tree, else `dir`.
    ///
    /// # Errors
    /// If the folder cannot be read or the settings are faulty.
    pub fn open(dir: &Path) -> Result<Self, ProjectError> {
        let project = Self::open_anyway(dir)?;
        match project.fault {
            Some(fault) => Err(ProjectError::Settings(project.root.join(SETTINGS), fault)),
            None => Ok(project),
        }
    }

    /// The same, even if the settings are faulty: then none of them holds. For what must work whatever they say.
    ///
    /// # Errors
    /// If the folder cannot be read.
    pub fn open_anyway(dir: &Path) -> Result<Self, ProjectError> {
        let dir = dir.canonicalize().map_err(|e| ProjectError::Open(dir.to_owned(), e))?;
        if !dir.is_dir() {
            let e = std::io::Error::from(std::io::ErrorKind::NotADirectory);
            return Err(ProjectError::Open(dir, e));
        }
        let up = |name: &str| dir.ancestors().find(|a| a.join(name).exists()).map(Path::to_owned);
        let root = up(SETTINGS).or_else(|| up(".git")).unwrap_or_else(|| dir.clone());
        let below = match dir.strip_prefix(&root) {
            Ok(rest) if rest.as_os_str().is_empty() => String::new(),
            Ok(rest) => RelPath::from_path(rest)?.as_str().to_owned(),
            Err(_) => String::new(),
        };
        let (rules, fault) = match settings(&root) {
            Ok(rules) => (rules, None),
            Err(why) => (Rules::default(), Some(why)),
        };
        let source = Arc::new(OnDisk);
        Ok(Self { root, below, rules, fault, source, tracked: None, held: None })
    }

    /// A folder as a project of its own, whatever lies around it.
    pub(crate) fn alone(root: &Path) -> Self {
        let (root, source) = (root.to_owned(), Arc::new(OnDisk));
        Self {
            root,
            below: String::new(),
            rules: Rules::default(),
            fault: None,
            source,
            tracked: None,
            held: None,
        }
    }

    /// The same project, with the bytes of its files from elsewhere than the disk.
    #[must_use]
    pub fn with_source(self, source: Arc<dyn FileSource>) -> Self {
        Self { source, held: None, ..self }
    }

    /// The same project for one run: what is read is held, as far as there is room, and not read again.
    #[must_use]
    pub fn reading(&self) -> Self {
        Self { held: Some(Arc::default()), ..self.clone() }
    }

    /// The same project, with a question to version control: the files that it keeps are read even where an ignore file names
    /// them. It is asked once, and only if anything is ignored.
    #[must_use]
    pub fn with_tracked(self, ask: impl Fn() -> Vec<RelPath> + Send + Sync + 'static) -> Self {
        let tracked = Tracked { ask: Box::new(ask), known: OnceLock::new() };
        Self { tracked: Some(Arc::new(tracked)), ..self }
    }

    /// True if version control says which files it keeps.
    pub(crate) fn knows_tracked(&self) -> bool {
        self.tracked.as_ref().is_some_and(|t| !t.all().is_empty())
    }

    /// True if version control keeps a file.
    pub(crate) fn tracks(&self, path: &str) -> bool {
        let all = self.tracked.as_ref().map(|t| t.all());
        all.is_some_and(|all| all.binary_search_by(|p| p.as_str().cmp(path)).is_ok())
    }

    /// The files that version control keeps at an ignored path: the file itself, or those below the folder.
    pub(crate) fn tracked_at(&self, path: &str, folder: bool) -> Vec<RelPath> {
        let Some(tracked) = &self.tracked else { return Vec::new() };
        let lead = if folder { format!("{path}/") } else { path.to_owned() };
        let all = tracked.all();
        let from = all.partition_point(|p| p.as_str() < lead.as_str());
        let fits = |p: &&RelPath| match folder {
            true => p.as_str().starts_with(&lead),
            false => p.as_str() == lead,
        };
        let plain = |p: &&RelPath| {
            std::fs::symlink_metadata(self.path(p)).is_ok_and(|m| m.is_file()) && !self.ignores(p)
        };
        all[from..].iter().take_while(fits).filter(plain).cloned().collect()
    }

    /// Files whose texts are not those on disk, in order.
    pub(crate) fn unsaved(&self) -> Vec<RelPath> {
        let mut all = self.source.unsaved();
        all.sort_unstable();
        all
    }

    /// Files on disk that count as not being there, in order.
    pub(crate) fn absent(&self) -> Vec<RelPath> {
        let mut all = self.source.absent();
        all.sort_unstable();
        all
    }

    /// The root.
    pub fn root(&self) -> &Path {
        &self.root
    }

    /// The folder below the root that limits what is looked at; empty for none.
    pub fn below(&self) -> &str {
        &self.below
    }

    /// The same project, limited to another folder; empty for all of it.
    #[must_use]
    pub fn within(&self, below: &str) -> Self {
        Self { below: below.to_owned(), ..self.clone() }
    }

    /// What is wrong with the settings; then none of them holds.
    pub fn fault(&self) -> Option<&str> {
        self.fault.as_deref()
    }

    /// True if the settings say that nothing is written at a path.
    pub fn protects(&self, path: &RelPath) -> bool {
        self.rules.protected.is_match(path.as_path())
    }

    /// The globs of what the settings protect, as they are written.
    pub(crate) fn protected(&self) -> &[String] {
        &self.rules.protected_globs
    }

    /// The keys of the review screen that the settings change, by what they do.
    pub fn keys(&self) -> &BTreeMap<String, Vec<String>> {
        &self.rules.keys
    }

    /// The template of commit messages that the settings give.
    pub fn commit_message(&self) -> Option<&str> {
        self.rules.message.as_deref()
    }

    /// The commands that bring changed files into the project's form, with the files that each is for.
    pub fn format_rules(&self) -> &[FormatRule] {
        &self.rules.format
    }

    /// The command that shows that the project builds and passes.
    pub fn check(&self) -> Option<&str> {
        self.rules.check.as_deref()
    }

    /// The command that makes a fresh copy of the project ready to be checked.
    pub fn prepare(&self) -> Option<&str> {
        self.rules.prepare.as_deref()
    }

    /// The folders of recipes that the settings name.
    pub fn recipe_folders(&self) -> &[PathBuf] {
        &self.rules.recipes
    }

    /// A path with what the settings say that the file is read as.
    pub fn as_said(&self, path: RelPath) -> RelPath {
        let languages = &self.rules.languages;
        match languages.iter().find(|(glob, _)| glob.is_match(path.as_path())) {
            Some((_, word)) => path.reading_as(word.clone()),
            None => path,
        }
    }

    /// The words for what files are read as.
    pub(crate) fn read_as(&self) -> impl Iterator<Item = &str> {
        self.rules.languages.iter().map(|(_, word)| &**word)
    }

    /// True if the settings say to pass over a path.
    pub fn ignores(&self, path: &RelPath) -> bool {
        self.rules.ignore.is_match(path.as_path())
    }

    /// The full path of a file.
    pub fn path(&self, path: &RelPath) -> PathBuf {
        self.root.join(path.as_path())
    }

    /// The bytes of a file: the one way in which a run reads files of the project.
    ///
    /// # Errors
    /// If it cannot be read.
    pub fn bytes(&self, path: &RelPath) -> std::io::Result<Arc<Vec<u8>>> {
        if let Some(bytes) = self.held.as_ref().and_then(|h| h.get(path)) {
            return Ok(bytes);
        }
        let bytes = Arc::new(self.source.bytes(&self.path(path), path)?);
        if let Some(held) = &self.held {
            held.add(path, &bytes, false);
        }
        Ok(bytes)
    }

    /// Holds the bytes of a file that matters to the run.
    pub(crate) fn hold(&self, path: &RelPath, bytes: &Arc<Vec<u8>>) {
        if let Some(held) = &self.held {
            held.add(path, bytes, true);
        }
    }

    /// How many bytes a file has.
    ///
    /// # Errors
    /// If there is no such file.
    pub fn size(&self, path: &RelPath) -> std::io::Result<u64> {
        self.source.size(&self.path(path), path)
    }

    /// True if there is such a file, or a text for it.
    pub fn exists(&self, path: &RelPath) -> bool {
        self.size(path).is_ok()
    }

    /// True if a file on disk is a program.
    pub fn is_executable(&self, path: &RelPath) -> bool {
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            let meta = self.path(path).symlink_metadata();
            meta.is_ok_and(|m| m.permissions().mode() & 0o111 != 0)
        }
        #[cfg(not(unix))]
        {
            let _ = path;
            false
        }
    }

    /// True if something lies at a path that is no folder.
    pub(crate) fn is_blocked(&self, path: &RelPath) -> bool {
        self.exists(path) && !self.path(path).is_dir()
    }

    /// A path as the program was given it, inside the project; none if it lies elsewhere.
    pub fn inside(&self, path: &str) -> Option<RelPath> {
        let full = std::fs::canonicalize(path).ok()?;
        RelPath::from_path(full.strip_prefix(&self.root).ok()?).ok()
    }

    /// The state folder, checked; not made.
    ///
    /// # Errors
    /// If it is a link, no folder, or belongs to someone else.
    pub fn state(&self) -> Result<PathBuf, ProjectError> {
        let state = self.root.join(STATE);
        let Ok(meta) = std::fs::symlink_metadata(&state) else { return Ok(state) };
        let refuse = |why| Err(ProjectError::State(state.clone(), why));
        if meta.file_type().is_symlink() {
            return refuse("is a symbolic link");
        }
        if !meta.is_dir() {
            return refuse("is not a folder");
        }
        #[cfg(unix)]
        {
            use std::os::unix::fs::MetadataExt;
            if meta.uid() != rustix::process::geteuid().as_raw() {
                return refuse("belongs to another user");
            }
        }
        Ok(state)
    }

    /// The state folder, made if it is not there: for this user only, and out of every commit.
    ///
    /// # Errors
    /// As [`Project::state`], and if it cannot be made.
    pub fn make_state(&self) -> Result<PathBuf, ProjectError> {
        let state = self.state()?;
        if !state.exists() {
            let fail = |e| ProjectError::Make(state.clone(), e);
            #[cfg_attr(not(unix), allow(unused_mut))]
            let mut builder = std::fs::DirBuilder::new();
            #[cfg(unix)]
            {
                use std::os::unix::fs::DirBuilderExt;
                builder.mode(0o700);
            }
            builder.create(&state).map_err(fail)?;
            std::fs::write(state.join(".gitignore"), "*\n").map_err(fail)?;
        }
        Ok(state)
    }
}
