//! Where cases lie: in `tests/KIND/` of a language's folder, in `tests/GROUP/` of an action's, or of a folder within that.

use std::path::{Path, PathBuf};

use crate::case::Case;

/// A folder of cases.
#[derive(Clone, Debug)]
pub struct Folder {
    /// Its name among all: `code-java`, `setting-toml`.
    pub name: String,
    /// The word for `lang` of its recipes.
    pub lang: String,
    path: PathBuf,
}

/// The top of the workspace.
pub fn workspace() -> PathBuf {
    let own = Path::new(env!("CARGO_MANIFEST_DIR"));
    own.ancestors().nth(2).expect("a workspace").to_owned()
}

fn below(path: &Path) -> Vec<PathBuf> {
    let entries = std::fs::read_dir(path).into_iter().flatten().flatten();
    let mut out: Vec<PathBuf> = entries.map(|e| e.path()).filter(|p| p.is_dir()).collect();
    out.sort();
    out
}

fn name(path: &Path) -> String {
    path.file_name().unwrap_or_default().to_string_lossy().into_owned()
}

/// All folders of cases of a crate: `emendo-languages` or `emendo-actions`.
pub fn folders(krate: &str) -> Vec<Folder> {
    let mut rooms = below(&workspace().join("crates").join(krate).join("src"));
    let inner: Vec<PathBuf> = rooms.iter().flat_map(|r| below(r)).collect();
    rooms.extend(inner.into_iter().filter(|r| r.join("tests").is_dir()));
    let mut out = Vec::new();
    for room in rooms {
        for path in below(&room.join("tests")) {
            let (room, group) = (name(&room), name(&path));
            // Of a language the kind comes first, of an action its own word.
            out.push(match krate {
                "emendo-languages" => Folder { name: format!("{group}-{room}"), lang: room, path },
                _ => Folder { name: format!("{room}-{group}"), lang: group, path },
            });
        }
    }
    assert!(!out.is_empty(), "{krate} has no cases");
    out
}

impl Folder {
    /// Runs all its cases, several at once, and gives what each gave. With `EMENDO_CASE` set, only those whose path
    /// holds that text.
    ///
    /// # Errors
    /// Every case that is wrong, and how.
    pub fn run<T: Send>(
        &self,
        one: impl Fn(&Case, &str) -> Result<T, String> + Sync,
    ) -> Result<Vec<(String, T)>, String> {
        let only = Self::only();
        let entries = std::fs::read_dir(&self.path).expect("there").flatten().map(|e| e.path());
        let case = |p: &PathBuf| {
            p.extension().is_some_and(|e| e == "case") && p.to_string_lossy().contains(&only)
        };
        let mut files: Vec<PathBuf> = entries.filter(case).collect();
        files.sort();
        let one = |path: &PathBuf| {
            let name = path.file_stem().unwrap_or_default().to_string_lossy().into_owned();
            match one(&Case::read(path), &self.lang) {
                Ok(gave) => Ok((name, gave)),
                Err(what) => Err(format!("== {}/{name}: {what}", self.name)),
            }
        };
        let one = &one;
        let ran: Vec<Result<(String, T), String>> = std::thread::scope(|scope| {
            let parts = files.chunks(files.len().div_ceil(4).max(1));
            let parts: Vec<_> = parts
                .map(|part| scope.spawn(move || part.iter().map(one).collect::<Vec<_>>()))
                .collect();
            parts.into_iter().flat_map(|p| p.join().expect("no panic")).collect()
        });
        let (mut good, mut wrong) = (Vec::new(), Vec::new());
        for r in ran {
            match r {
                Ok(gave) => good.push(gave),
                Err(what) => wrong.push(what),
            }
        }
        if wrong.is_empty() {
            return Ok(good);
        }
        Err(format!("{} of {} cases\n{}", wrong.len(), files.len(), wrong.join("\n")))
    }

    /// What the path of a case must hold to be run; empty for all.
    pub fn only() -> String {
        std::env::var("EMENDO_CASE").unwrap_or_default()
    }
}
