//! The engine, driven by an action of a few lines that a `World` brings in (`testkit::SWAP`): whatever a run does can be
//! tried with it, apart from languages and the program's own actions.

mod conflicts;
mod decisions;
mod fold;
mod limits;
mod narrowing;
mod plans;
mod reader;
mod select;
mod stages;
mod trial;
mod world;
