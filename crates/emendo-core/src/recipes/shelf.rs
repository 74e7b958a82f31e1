//! Where recipes are found: in folders that the project names, in the user's own, and among those that came with the program.

use std::io;
use std::path::{Path, PathBuf};

use emendo_recipe::{Beside, Source};
use emendo_text::Help;
use emendo_text::RelPath;
use serde::Serialize;

/// The beginning of the path of a recipe that came with the program.
const SHIPPED: &str = "shipped:";

/// Folders deeper than this are not gone into.
const DEPTH: usize = 6;

/// Files of recipes that came with the program, by their paths; those of one recipe lie in one folder.
pub type Shipped = &'static [(&'static str, &'static [(&'static str, &'static [u8])])];

/// Whose a recipe is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "lowercase")]
pub enum RecipePlace {
    /// The project's.
    Project,
    /// The user's.
    User,
    /// It came with the program.
    Shipped,
}

/// The places where recipes are looked for, the nearest first.
#[derive(Clone, Debug, Default)]
pub struct Shelf {
    folders: Vec<(RecipePlace, PathBuf)>,
    shipped: Option<Shipped>,
}

/// A recipe that is kept somewhere.
pub struct ShelvedRecipe {
    /// Whose it is.
    pub kept: RecipePlace,
    /// Its text and what lies beside it.
    pub source: Source,
    /// Its id.
    pub id: String,
}

impl Shelf {
    /// Adds a folder behind those that are there.
    #[must_use]
    pub fn with(mut self, kept: RecipePlace, folder: PathBuf) -> Self {
        self.folders.push((kept, folder));
        self
    }

    /// Adds the recipes that came with the program.
    #[must_use]
    pub fn with_shipped(mut self, shipped: Shipped) -> Self {
        self.shipped = Some(shipped);
        self
    }

    /// The folders that are looked into.
    pub fn folders(&self) -> &[(RecipePlace, PathBuf)] {
        &self.folders
    }

    /// All recipes, in order of place and path. What is not a recipe is passed over.
    pub fn all(&self) -> Vec<ShelvedRecipe> {
        let mut out = Vec::new();
        for (kept, folder) in &self.folders {
            let mut files = Vec::new();
            recipe_files(folder, &mut files, 0);
            let sources = files.iter().filter_map(|p| read_source(p).ok());
            out.extend(sources.filter_map(|s| Some((*kept, id_of(&s.text)?, s))));
        }
        for (folder, files) in self.shipped.into_iter().flatten() {
            let texts = files.iter().filter(|f| f.0.ends_with(".toml") && !f.0.contains('/'));
            let sources = texts.filter_map(|f| held(folder, f.0, files));
            out.extend(sources.filter_map(|s| Some((RecipePlace::Shipped, id_of(&s.text)?, s))));
        }
        out.into_iter().map(|(kept, id, source)| ShelvedRecipe { kept, source, id }).collect()
    }

    /// A recipe by its path, as it was read before.
    ///
    /// # Errors
    /// If it is not there any more.
    pub fn read(&self, path: &str) -> io::Result<Source> {
        let Some(rest) = path.strip_prefix(SHIPPED) else { return read_source(Path::new(path)) };
        let missing = || io::Error::from(io::ErrorKind::NotFound);
        let (folder, name) = rest.split_once('/').ok_or_else(missing)?;
        let files =
            self.shipped.into_iter().flatten().find(|s| s.0 == folder).ok_or_else(missing)?.1;
        held(folder, name, files).ok_or_else(missing)
    }

    /// The recipe that a word means: the path of a file, or the id of one that is kept somewhere; the nearest wins.
    /// `from` is the folder that paths start from, where there is one.
    ///
    /// # Errors
    /// A sentence that says what is wrong, and the way out.
    pub fn find(&self, word: &str, from: Option<&Path>) -> Result<Source, (String, Help)> {
        if let Some(path) = from.map(|f| f.join(word)).filter(|p| p.is_file()) {
            let fail = |e: io::Error| {
                let what = format!("cannot read the recipe `{word}`: {e}");
                (what, Help::Text("a recipe is a TOML file in UTF-8".into()))
            };
            return read_source(&path).map_err(fail);
        }
        let all = self.all();
        if let Some(i) = all.iter().position(|k| k.id == word) {
            let mut all = all;
            return Ok(all.swap_remove(i).source);
        }
        let what = if word.ends_with(".toml") || word.contains(['/', '\\']) {
            let at = from.map(|f| f.join(word).display().to_string());
            let at = at.map(|a| a.strip_prefix("./").map_or(a.clone(), str::to_owned));
            match at.filter(|a| a != word) {
                Some(at) => {
                    format!("there is no recipe file `{word}`: it was looked for at `{at}`")
                }
                None => format!("there is no recipe file `{word}`"),
            }
        } else {
            format!("there is no recipe `{word}`")
        };
        let near = all.iter().map(|k| (strsim::damerau_levenshtein(&k.id, word), &k.id));
        let near = near.filter(|(d, id)| *d <= 3 && *d < id.len()).min();
        let help = match near {
            Some((_, id)) => Help::Text(format!("did you mean `{id}`?")),
            None => Help::NameRecipe,
        };
        Err((what, help))
    }

    /// The recipe that a recipe includes: a path from its own folder, or an id.
    pub(crate) fn included(&self, word: &str, by: &Source) -> Result<Source, (String, Help)> {
        match &by.beside {
            Beside::Held(files) => {
                let folder = by.path.strip_prefix(SHIPPED).and_then(|r| r.split_once('/'));
                let beside = folder.and_then(|(folder, _)| held(folder, word, files));
                beside.map_or_else(|| self.find(word, None), Ok)
            }
            Beside::Folder(_) => match RelPath::new(word) {
                Ok(path) if word.ends_with(".toml") => match by.place(&path) {
                    Ok(full) => read_source(&full).map_err(|e| {
                        let what = format!("cannot read the recipe `{word}`: {e}");
                        (what, Help::Text("a recipe is a TOML file in UTF-8".into()))
                    }),
                    Err(e) if e.kind() == io::ErrorKind::NotFound => self.find(word, None),
                    Err(e) => Err((
                        format!("cannot read the recipe `{word}`: {e}"),
                        Help::Text("an included recipe lies in the folder of the one that includes it, or is named by its id".into()),
                    )),
                },
                _ => self.find(word, None),
            },
            Beside::Nothing => self.find(word, None),
        }
    }
}

/// A file of a recipe that came with the program.
fn held(
    folder: &str,
    name: &str,
    files: &'static [(&'static str, &'static [u8])],
) -> Option<Source> {
    let bytes = files.iter().find(|f| f.0 == name)?.1;
    let text = std::str::from_utf8(bytes).ok()?.to_owned();
    let name = format!("{SHIPPED}{folder}/{name}");
    Some(Source { name: name.clone(), path: name, text, beside: Beside::Held(files) })
}

/// Reads a recipe's text.
///
/// # Errors
/// If the file cannot be read or is not UTF-8.
pub fn read_source(path: &Path) -> io::Result<Source> {
    let bytes = emendo_recipe::read_regular(path)?;
    let bytes = bytes.strip_prefix(b"\xef\xbb\xbf").unwrap_or(&bytes).to_vec();
    let text = String::from_utf8(bytes)
        .map_err(|_| io::Error::new(io::ErrorKind::InvalidData, "the file is not UTF-8"))?;
    let folder =
        path.parent().map(|p| if p.as_os_str().is_empty() { Path::new(".") } else { p }.to_owned());
    let full = path.canonicalize().unwrap_or_else(|_| path.to_owned());
    let beside = folder.map_or(Beside::Nothing, Beside::Folder);
    Ok(Source { name: path.display().to_string(), path: full.display().to_string(), text, beside })
}

/// The id that a recipe's text says, read without its steps; `None` if it is not a recipe.
fn id_of(text: &str) -> Option<String> {
    let mut id = None;
    let mut version = false;
    for line in text.lines().map(str::trim).take_while(|l| !l.starts_with("[[")) {
        if let Some((key, value)) = line.split_once('=') {
            match key.trim() {
                "emendo" => version = true,
                "id" if id.is_none() => {
                    let value = value.split('#').next().unwrap_or(value).trim();
                    id = Some(value.trim_matches(['"', '\'']).to_owned());
                }
                _ => {}
            }
        }
    }
    id.filter(|i| version && !i.is_empty())
}

/// The TOML files of a folder, in order; folders called `before` and `after` hold examples.
pub fn recipe_files(dir: &Path, out: &mut Vec<PathBuf>, depth: usize) {
    let Ok(entries) = std::fs::read_dir(dir) else { return };
    let mut all: Vec<PathBuf> = entries.filter_map(|e| e.ok().map(|e| e.path())).collect();
    all.sort();
    for p in all {
        let name = p.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        if name.starts_with('.') {
            continue;
        }
        let Ok(meta) = p.symlink_metadata() else { continue };
        if meta.is_dir() {
            if depth < DEPTH
                && !matches!(name.as_str(), "before" | "after" | "node_modules" | "target")
            {
                recipe_files(&p, out, depth + 1);
            }
        } else if p.is_file() && RelPath::new(&name).is_ok() && name.ends_with(".toml") {
            out.push(p);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SHIPPED: Shipped = &[(
        "quay",
        &[
            ("quay-3.toml", b"emendo = 1\nid = \"quay-3\"\ntitle = \"Quay\"\n[[step]]\n"),
            ("renames.csv", b"old,new\n"),
        ],
    )];

    #[test]
    fn what_came_with_the_program_is_found_by_its_id_and_reads_its_own_folder() {
        let shelf = Shelf::default().with_shipped(SHIPPED);
        let all = shelf.all();
        assert_eq!(all.iter().map(|r| r.id.as_str()).collect::<Vec<_>>(), ["quay-3"]);
        assert_eq!(all[0].kept, RecipePlace::Shipped);
        let found = shelf.find("quay-3", None).expect("found");
        let table = RelPath::new("renames.csv").expect("a path");
        assert_eq!(found.file(&table).expect("beside it"), b"old,new\n");
        assert!(shelf.read(&found.path).is_ok());
        assert!(shelf.find("quay-4", None).is_err());
    }
}
