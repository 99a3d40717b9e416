use super::Progress;
use justwhy_core::parallel::lock;
use std::io::Write;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

#[derive(Clone, Default)]
struct Screen(Arc<Mutex<Vec<u8>>>);

impl Write for Screen {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        lock(&self.0).extend(bytes);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

impl Screen {
    fn shown(&self) -> String {
        String::from_utf8(lock(&self.0).clone()).unwrap()
    }

    fn wait_for(&self, text: &str) {
        let started = Instant::now();
        while !self.shown().contains(text) {
            assert!(started.elapsed() < Duration::from_secs(20), "{:?}", self.shown());
            std::thread::sleep(Duration::from_millis(1));
        }
    }
}

#[test]
fn says_what_long_work_is_at_and_takes_it_away() {
    let screen = Screen::default();
    let moment = Duration::from_millis(1);
    let progress = Progress::told_to(Some(screen.clone()), "reading 12 contexts", moment, moment);
    screen.wait_for("\rreading 12 contexts (0 s)\x1b[K");
    progress.now(|| "looking at the settings".to_owned());
    screen.wait_for("\rlooking at the settings (0 s)\x1b[K");
    drop(progress);
    assert!(screen.shown().ends_with("\r\x1b[K"));
}

#[test]
fn says_nothing_of_short_work() {
    let screen = Screen::default();
    let long = Duration::from_secs(600);
    let started = Instant::now();
    let progress = Progress::told_to(Some(screen.clone()), "reading", long, long);
    progress.now(|| "looking".to_owned());
    drop(progress);
    assert_eq!(screen.shown(), "");
    assert!(started.elapsed() < Duration::from_secs(60), "the end was waited for");
}
