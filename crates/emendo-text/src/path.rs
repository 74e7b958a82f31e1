//! Paths below the project's root.

use std::cmp::Ordering;
use std::fmt;
use std::hash::{Hash, Hasher};
use std::path::{Component, Path};

use std::sync::Arc;

use serde::{Deserialize, Serialize, Serializer};

/// A path relative to the project's root: UTF-8, `/` between segments, no `.` or `..`.
///
/// Two that name the same file are equal, whatever they are said to be read as.
#[derive(Clone)]
pub struct RelPath {
    text: String,
    /// What the file is read as, where its name does not say it.
    read_as: Option<Arc<str>>,
}

impl PartialEq for RelPath {
    fn eq(&self, other: &Self) -> bool {
        self.text == other.text
    }
}

impl Eq for RelPath {}

impl PartialOrd for RelPath {
    fn partial_cmp(&self, other: &Self) -> Option<Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for RelPath {
    fn cmp(&self, other: &Self) -> Ordering {
        self.text.cmp(&other.text)
    }
}

impl Hash for RelPath {
    fn hash<H: Hasher>(&self, state: &mut H) {
        self.text.hash(state);
    }
}

impl Serialize for RelPath {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        self.text.serialize(serializer)
    }
}

/// Why a path is no [`RelPath`].
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PathError {
    /// Absolute, or leads out of the project.
    #[error("`{0}` does not lie inside the project")]
    Outside(String),
    /// Not UTF-8.
    #[error("`{0}` is not UTF-8")]
    NotUtf8(String),
}

impl RelPath {
    /// Checks and normalises a path given as text.
    ///
    /// # Errors
    /// If it is absolute, empty, or has a `..` segment.
    pub fn new(path: &str) -> Result<Self, PathError> {
        Self::from_path(Path::new(path))
    }

    /// Checks and normalises a relative path of the file system.
    ///
    /// # Errors
    /// If it is absolute, empty, has a `..` segment, or is not UTF-8.
    pub fn from_path(path: &Path) -> Result<Self, PathError> {
        let shown = || path.to_string_lossy().into_owned();
        let mut out = String::new();
        for component in path.components() {
            match component {
                Component::Normal(part) => {
                    let part = part.to_str().ok_or_else(|| PathError::NotUtf8(shown()))?;
                    if !out.is_empty() {
                        out.push('/');
                    }
                    out.push_str(part);
                }
                Component::CurDir => {}
                _ => return Err(PathError::Outside(shown())),
            }
        }
        if out.is_empty() {
            return Err(PathError::Outside(shown()));
        }
        Ok(Self { text: out, read_as: None })
    }

    /// The same file, read as what this word says.
    #[must_use]
    pub fn reading_as(self, word: Arc<str>) -> Self {
        Self { read_as: Some(word), ..self }
    }

    /// The word for what the file is read as, where its name does not say it.
    pub fn read_as(&self) -> Option<&str> {
        self.read_as.as_deref()
    }

    /// The path as text.
    pub fn as_str(&self) -> &str {
        &self.text
    }

    /// The last segment.
    pub fn name(&self) -> &str {
        self.text.rsplit('/').next().unwrap_or("")
    }

    /// What stands after the last dot of the name, if any.
    pub fn extension(&self) -> Option<&str> {
        self.name().rsplit_once('.').map(|(_, e)| e)
    }

    /// The folder it lies in, as text; empty at the root.
    pub fn folder(&self) -> &str {
        self.text.rsplit_once('/').map_or("", |(f, _)| f)
    }

    /// The segments.
    pub fn segments(&self) -> impl Iterator<Item = &str> {
        self.text.split('/')
    }

    /// As a path of the file system, relative to the root.
    pub fn as_path(&self) -> &Path {
        Path::new(&self.text)
    }
}

impl fmt::Display for RelPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

impl fmt::Debug for RelPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.text)
    }
}

impl<'de> Deserialize<'de> for RelPath {
    fn deserialize<D: serde::Deserializer<'de>>(d: D) -> Result<Self, D::Error> {
        Self::new(&String::deserialize(d)?).map_err(serde::de::Error::custom)
    }
}
