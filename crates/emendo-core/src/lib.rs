//! Runs recipes over a project.
mod actions;
mod anchor;
mod decisions;
mod edit;
mod engine;
mod narrow;
mod plan;
mod project;
mod run_file;
mod walk;
