//! Progress of long work, on a terminal only.

use std::io::{IsTerminal as _, Write as _};
use std::time::{Duration, Instant};

/// Nothing is said before this has passed, and then not more often than this.
const QUIET: Duration = Duration::from_secs(1);
const BETWEEN: Duration = Duration::from_millis(200);

/// How far long work has come.
pub(crate) struct Progress {
    of: usize,
    done: usize,
    started: Instant,
    said: Option<Instant>,
}

impl Progress {
    /// Work of so many steps.
    pub(crate) fn of(steps: usize) -> Progress {
        Progress { of: steps, done: 0, started: Instant::now(), said: None }
    }

    /// One more step begins.
    pub(crate) fn step(&mut self) {
        self.done += 1;
        let is_due = match self.said {
            None => self.started.elapsed() >= QUIET,
            Some(said) => said.elapsed() >= BETWEEN,
        };
        if is_due && std::io::stderr().is_terminal() {
            self.said = Some(Instant::now());
            // Nothing is lost if nobody can read it.
            let _ = write!(std::io::stderr(), "\rcontext {} of {}", self.done, self.of);
        }
    }

    /// Takes away what was said.
    pub(crate) fn end(self) {
        if self.said.is_some() {
            let _ = write!(std::io::stderr(), "\r\x1b[K");
        }
    }
}
