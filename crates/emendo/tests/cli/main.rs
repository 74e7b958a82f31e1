//! Drives the built program on files in a temporary folder, in a closed environment.

mod bundle;
mod cases;
mod decisions;
mod demo;
mod docs;
mod examples;
mod faulty;
mod find;
mod golden;
mod interrupted;
mod leftovers;
mod pages;
mod protection;
mod reading;
mod recipes;
mod remembered;
mod rounds;
mod safety;
mod schema;
mod settings;
mod shelf;
mod state;
mod survey;
mod symbols;
mod todo;
mod writing;
