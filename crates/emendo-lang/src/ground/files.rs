//! The project's files, as what understands code asks for them.

use emendo_text::RelPath;

/// What is known of a project's files.
pub trait Files: Send + Sync {
    /// True if there is a file of this path.
    fn exists(&self, path: &str) -> bool;
    /// The text of a file.
    fn text(&self, path: &RelPath) -> Option<String>;
    /// The text of a file, for something else than what it declares.
    fn whole(&self, path: &RelPath) -> Option<String> {
        self.text(path)
    }
    /// All files of this name.
    fn named(&self, name: &str) -> Vec<RelPath>;
    /// All files whose names end so.
    fn with_ending(&self, _ending: &str) -> Vec<RelPath> {
        Vec::new()
    }
    /// All files that may hold this word.
    fn holding(&self, _word: &str) -> Vec<RelPath> {
        Vec::new()
    }
    /// What was worked out of the files under this key, worked out the first time only.
    fn remember(&self, _key: &str, make: &mut dyn FnMut() -> Remembered) -> Remembered {
        make()
    }
}

/// What a language works out of the settings of a project.
pub type Remembered = std::sync::Arc<dyn std::any::Any + Send + Sync>;

/// What is worked out of the files under a key, worked out the first time only.
pub fn remembered<T: Send + Sync + 'static>(
    files: &dyn Files,
    key: &str,
    make: impl Fn() -> T,
) -> std::sync::Arc<T> {
    let found = files.remember(key, &mut || std::sync::Arc::new(make()));
    found.downcast().unwrap_or_else(|_| std::sync::Arc::new(make()))
}

/// No files at all.
pub(crate) struct NoFiles;

impl Files for NoFiles {
    fn exists(&self, _: &str) -> bool {
        false
    }
    fn text(&self, _: &RelPath) -> Option<String> {
        None
    }
    fn named(&self, _: &str) -> Vec<RelPath> {
        Vec::new()
    }
}
