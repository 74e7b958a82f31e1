//! Progress on standard error, for what takes more than half a second; none when it is not a terminal.

use std::io::IsTerminal;
use std::time::{Duration, Instant};

use indicatif::{ProgressBar, ProgressStyle};

const DELAY: Duration = Duration::from_millis(500);

/// A bar that shows itself only if the work takes long.
pub(crate) struct Progress {
    started: Instant,
    bar: Option<ProgressBar>,
    allowed: bool,
}

impl Progress {
    pub(crate) fn new() -> Self {
        Self { started: Instant::now(), bar: None, allowed: std::io::stderr().is_terminal() }
    }

    /// Files done, files in all.
    pub(crate) fn at(&mut self, done: u64, all: u64) {
        if !self.allowed || self.started.elapsed() < DELAY {
            return;
        }
        let bar = self.bar.get_or_insert_with(|| {
            let style = ProgressStyle::with_template("{pos} of {len} files {wide_bar} {eta}");
            ProgressBar::new(all).with_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()))
        });
        bar.set_length(all);
        bar.set_position(done);
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        if let Some(bar) = &self.bar {
            bar.finish_and_clear();
        }
    }
}
