//! The program: reads the command line, calls the core, shows what came of it. Only this crate prints.

mod commands;
mod errors;
mod git;
mod globals;
mod machine;
mod messages;
mod open;
mod pager;
mod places;
mod progress;
mod show;
mod view;

use std::process::ExitCode;

use clap::Parser;

fn main() -> ExitCode {
    let cli = commands::Cli::parse();
    cli.color.write_global();
    match cli.run() {
        Ok(code) => code,
        Err(e) => errors::report(&e),
    }
}
