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

/// Says what is being waited for, if that takes long.
pub(crate) fn while_at<T>(what: &str, work: impl FnOnce() -> T) -> T {
    if !std::io::stderr().is_terminal() {
        return work();
    }
    let (done, wait) = std::sync::mpsc::channel::<()>();
    std::thread::scope(|scope| {
        scope.spawn(move || {
            if wait.recv_timeout(DELAY) == Err(std::sync::mpsc::RecvTimeoutError::Timeout) {
                let style = ProgressStyle::with_template("{spinner} {msg} {elapsed}");
                let style = style.unwrap_or_else(|_| ProgressStyle::default_spinner());
                let bar = ProgressBar::new_spinner().with_style(style);
                bar.set_message(emendo_text::one_line(what));
                bar.enable_steady_tick(Duration::from_millis(100));
                let _ended = wait.recv();
                bar.finish_and_clear();
            }
        });
        let out = work();
        drop(done);
        out
    })
}
