//! `recipe`: for choosing recipes and for writing them, one file a command.

mod check;
mod draft;
mod list;
mod new;
mod schema;
mod show;
mod test;

use std::process::ExitCode;

use clap::Subcommand;

use crate::globals::Globals;

/// Find, read, write, check and test recipes
#[derive(Subcommand)]
pub(crate) enum Recipe {
    List(list::List),
    Show(show::Show),
    New(new::New),
    Check(check::Check),
    Test(test::Test),
    Schema(schema::Schema),
}

impl Recipe {
    pub(crate) fn run(self, globals: &Globals) -> anyhow::Result<ExitCode> {
        match self {
            Self::List(c) => c.run(globals),
            Self::Show(c) => c.run(globals),
            Self::New(c) => c.run(globals),
            Self::Schema(c) => c.run(globals),
            Self::Check(c) => c.run(globals),
            Self::Test(c) => c.run(globals),
        }
    }
}
