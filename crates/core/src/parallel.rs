//! The same work on many things, on all processors, with its results in the order of the things.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::sync::{Mutex, MutexGuard, OnceLock, PoisonError, mpsc};

#[cfg(test)]
mod tests;

/// Parsers and other work recurse as deep as files nest; more than they need, and only reserved.
const STACK_BYTES: usize = 8 * 1024 * 1024;

/// The most that glibc is willing to keep.
const KEPT_BYTES: usize = 31 * 1024 * 1024;
/// What a thread needs for most of what it does.
const ROOM_BYTES: usize = 16 * 1024 * 1024;

/// Makes the heap of this thread so large at once. It would grow by a page at a time, each time by asking
/// the kernel, which stops all other threads for it. Nothing of it is used before it is needed.
fn make_room() {
    std::hint::black_box(Vec::<u8>::with_capacity(ROOM_BYTES));
}

/// What `mutex` guards. A thread that panicked while it held it has ended the whole run, or does so
/// soon: what it left behind is whole, as nothing here is changed in more than one step.
pub fn lock<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

/// How many there are for us. Finding out reads several files, so that it is done once.
fn processors() -> usize {
    static PROCESSORS: OnceLock<usize> = OnceLock::new();
    *PROCESSORS.get_or_init(|| std::thread::available_parallelism().map_or(1, usize::from))
}

/// Does one thing here and the other one beside it, on another processor if it is `much` and there is
/// one.
pub fn both<A, B: Send>(
    much: bool,
    here: impl FnOnce() -> A,
    beside: impl Fn() -> B + Sync,
) -> (A, B) {
    if !much || processors() < 2 {
        return (here(), beside());
    }
    std::thread::scope(|scope| {
        let thread = std::thread::Builder::new().stack_size(STACK_BYTES);
        let helper = thread.spawn_scoped(scope, &beside);
        let done = here();
        match helper {
            Ok(helper) => match helper.join() {
                Ok(other) => (done, other),
                Err(panic) => std::panic::resume_unwind(panic),
            },
            // There was no other thread to be had.
            Err(_) => (done, beside()),
        }
    })
}

/// Does `work` to every item, on all processors if it is `much`, and hands each result to `take` on this
/// thread in the order of the items.
///
/// Whatever order the work is finished in, the outcome is the same; `work` must not depend on it.
pub fn in_order<T: Send, R: Send>(
    items: Vec<T>,
    much: bool,
    work: impl Fn(T) -> R + Sync,
    take: impl FnMut(R),
) {
    // Nobody asks the system how many there are for a single item.
    let threads = match much && items.len() > 1 {
        true => processors(),
        false => 1,
    };
    on_threads(items, threads, work, take);
}

/// The same on at most so many threads, this one included. With one nothing is started.
fn on_threads<T: Send, R: Send>(
    items: Vec<T>,
    threads: usize,
    work: impl Fn(T) -> R + Sync,
    mut take: impl FnMut(R),
) {
    let threads = threads.min(items.len());
    if threads < 2 {
        items.into_iter().for_each(|item| take(work(item)));
        return;
    }
    let count = items.len();
    // glibc gives memory of such a size back at once and takes the next smaller one from what it has; so
    // it keeps what one piece of work is done with for the next one.
    std::hint::black_box(Vec::<u8>::with_capacity(KEPT_BYTES));
    make_room();
    let items: Vec<Mutex<Option<T>>> =
        items.into_iter().map(|item| Mutex::new(Some(item))).collect();
    let next = AtomicUsize::new(0);
    // Each item is taken by who comes first.
    let claim = || {
        let number = next.fetch_add(1, Ordering::Relaxed);
        let item = lock(items.get(number)?).take()?;
        Some((number, item))
    };
    std::thread::scope(|scope| {
        // Nobody runs far ahead of what is taken, as results may be large.
        let ahead = 4 * threads;
        let (sender, receiver) = mpsc::sync_channel::<(usize, R)>(ahead);
        for _ in 1..threads {
            let (sender, claim, work) = (sender.clone(), &claim, &work);
            let help = move || {
                make_room();
                while let Some((number, item)) = claim() {
                    if sender.send((number, work(item))).is_err() {
                        break;
                    }
                }
            };
            // What no second thread can be had for is left to this one.
            let _ = std::thread::Builder::new().stack_size(STACK_BYTES).spawn_scoped(scope, help);
        }
        drop(sender);
        let mut ready: Vec<Option<R>> = (0..count).map(|_| None).collect();
        let (mut taken, mut waiting) = (0, 0);
        while taken < count {
            // What is ready goes first, so that little of it waits.
            if let Some(result) = ready[taken].take() {
                (taken, waiting) = (taken + 1, waiting - 1);
                take(result);
                continue;
            }
            let own = || claim().map(|(number, item)| (number, work(item)));
            let done = receiver.try_recv().ok();
            let done = done.or_else(|| if waiting < ahead { own() } else { None });
            // The next one is in the hands of a helper.
            let Some((number, result)) = done.or_else(|| receiver.recv().ok()) else {
                // They are gone; one that has not sent its result has panicked, and the end of the
                // scope marks it so.
                break;
            };
            ready[number] = Some(result);
            waiting += 1;
        }
    });
}
