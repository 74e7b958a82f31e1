//! Recipes: found, checked, tried on their examples.

mod check;
mod example;
mod hints;
mod requires;
mod shelf;

pub use check::{Checked, Messages, check};
pub use example::{Ran, Tested, Uncovered, Verdict, test};
pub use hints::hints;
pub use requires::{Unmet, unmet};
pub use shelf::{Kept, KeptRecipe, Shelf, Shipped, read_source, recipe_files};
