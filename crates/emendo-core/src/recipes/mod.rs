//! Recipes: found, checked, tried on their examples.

mod check;
mod example;
mod hints;
mod requires;
mod shelf;

pub use check::{Checked, Messages, check};
pub use example::{ExampleResult, StayedLine, TestReport, UncoveredRow, Verdict, test};
pub use hints::hints;
pub use requires::{MissingRequirement, unmet};
pub use shelf::{RecipePlace, Shelf, ShelvedRecipe, Shipped, read_source, recipe_files};
