//! Where recipes are looked for: in the folders that the project names, in the user's own, and among those shipped with the program.

use std::path::{Path, PathBuf};

use emendo_core::{Project, RecipePlace, Shelf, Shipped};

/// The recipes that come with the program: none yet.
const SHIPPED: Shipped = &[];

/// The places for a project; a folder that is none has no places of its own.
pub(crate) fn shelf(dir: &Path) -> Shelf {
    let mut shelf = Shelf::default();
    if let Ok(project) = Project::open(dir) {
        for folder in project.recipe_folders() {
            shelf = shelf.with(RecipePlace::Project, folder.clone());
        }
    }
    if let Some(own) = user_folder() {
        shelf = shelf.with(RecipePlace::User, own);
    }
    shelf.with_shipped(SHIPPED)
}

/// The user's folder of recipes, there or not.
pub(crate) fn user_folder() -> Option<PathBuf> {
    Some(own_folder()?.join("recipes"))
}

/// The user's own folder, there or not: `emendo` in the folder for settings of programs.
pub(crate) fn own_folder() -> Option<PathBuf> {
    let var = |name: &str| std::env::var_os(name).filter(|v| !v.is_empty()).map(PathBuf::from);
    let base = var("XDG_CONFIG_HOME")
        .or_else(|| var("APPDATA"))
        .or_else(|| var("HOME").map(|h| h.join(".config")))?;
    Some(base.join("emendo"))
}
