//! The program: reads the command line, calls the core, shows what came of it. Only this crate prints.

mod commands;
mod errors;
mod globals;
mod messages;
mod open;
mod pager;
mod places;
mod programs;
mod progress;
mod show;
mod view;

use std::process::ExitCode;

fn main() -> ExitCode {
    let cli = match commands::Cli::read() {
        Ok(cli) => cli,
        Err(e) if e.use_stderr() && std::env::args().any(|a| a == "--json") => {
            return errors::usage_as_json(&e);
        }
        Err(e) => e.exit(),
    };
    cli.color.write_global();
    let json = cli.json();
    match cli.run() {
        Ok(code) => code,
        Err(e) if json => errors::as_json(&e),
        Err(e) => errors::report(&e),
    }
}
