//! What long work is at, on a terminal only.

use std::io::{IsTerminal as _, Write};
use std::sync::{Arc, Condvar, Mutex};
use std::thread::JoinHandle;
use std::time::{Duration, Instant};

use justwhy_core::parallel::lock;

#[cfg(test)]
mod tests;

/// Nothing is printed before this has passed, and then not more often than this.
const QUIET: Duration = Duration::from_secs(1);
const BETWEEN: Duration = Duration::from_millis(200);

/// Says what is being done, once that takes longer than a second, on a line of the error stream that is
/// taken away in the end.
pub(crate) struct Progress {
    told: Arc<Report>,
    teller: Option<JoinHandle<()>>,
}

struct Report {
    /// What is being done; none once it is done.
    now: Mutex<Option<String>>,
    bell: Condvar,
}

impl Progress {
    /// Work begins. Without a terminal nothing is ever said.
    pub(crate) fn begin(what: &str) -> Progress {
        let is_dumb = std::env::var_os("TERM").is_none_or(|term| term.is_empty() || term == "dumb");
        let is_heard = std::io::stderr().is_terminal() && !is_dumb;
        Progress::told_to(is_heard.then(std::io::stderr), what, QUIET, BETWEEN)
    }

    fn told_to(
        to: Option<impl Write + Send + 'static>,
        what: &str,
        quiet: Duration,
        between: Duration,
    ) -> Progress {
        let told =
            Arc::new(Report { now: Mutex::new(Some(what.to_owned())), bell: Condvar::new() });
        let teller = to.and_then(|to| {
            let told = Arc::clone(&told);
            // Work that nobody can be shown is done all the same.
            std::thread::Builder::new().spawn(move || told.tell(to, quiet, between)).ok()
        });
        Progress { told, teller }
    }

    /// Says what is being done from now on.
    pub(crate) fn now(&self, what: impl FnOnce() -> String) {
        if self.teller.is_some() {
            *lock(&self.told.now) = Some(what());
        }
    }
}

impl Report {
    fn tell(&self, mut to: impl Write, quiet: Duration, between: Duration) {
        let started = Instant::now();
        let mut wait = quiet;
        let mut has_said = false;
        let mut now = lock(&self.now);
        loop {
            let until = Instant::now() + wait;
            while now.is_some() {
                let left = until.saturating_duration_since(Instant::now());
                if left.is_zero() {
                    break;
                }
                let waited = self.bell.wait_timeout(now, left);
                now = waited.unwrap_or_else(std::sync::PoisonError::into_inner).0;
            }
            let Some(what) = now.as_deref() else { break };
            // Nothing is lost if nobody can read it.
            let seconds = started.elapsed().as_secs();
            let _ = write!(to, "\r{what} ({seconds} s)\x1b[K").and_then(|()| to.flush());
            (wait, has_said) = (between, true);
        }
        if has_said {
            let _ = write!(to, "\r\x1b[K").and_then(|()| to.flush());
        }
    }
}

impl Drop for Progress {
    fn drop(&mut self) {
        *lock(&self.told.now) = None;
        self.told.bell.notify_all();
        if let Some(teller) = self.teller.take() {
            // Should it have panicked, there is only a line that stays.
            let _ = teller.join();
        }
    }
}
