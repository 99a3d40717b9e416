//! Parsing several texts on two threads.

use crate::Limits;
use crate::format::Format;
use crate::tree::{Fault, Tree};
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc;

/// Fewer bytes than this are parsed sooner than a thread is started.
const WORTH_A_THREAD: usize = 128 * 1024;
/// Parsers recurse as deep as files nest; more than they need, and only reserved.
const STACK_BYTES: usize = 8 * 1024 * 1024;

type Parsed<'t> = Result<Tree<'t>, Fault>;

/// Parses every text and hands each result to `done` with the number of its text, in no particular
/// order.
///
/// A helper begins at the last text while this thread begins at the first.
pub(crate) fn parse_each<'t>(
    texts: &[(Format, &'t str)],
    limits: Limits,
    mut done: impl FnMut(usize, Parsed<'t>),
) {
    let parse = |index: usize| {
        let (format, text) = texts[index];
        format.parse(text, limits)
    };
    let bytes: usize = texts.iter().map(|(_, text)| text.len()).sum();
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    if texts.len() < 2 || bytes < WORTH_A_THREAD || cores < 2 {
        (0..texts.len()).for_each(|index| done(index, parse(index)));
        return;
    }
    let taken: Vec<AtomicBool> = texts.iter().map(|_| AtomicBool::new(false)).collect();
    let take = |index: usize| !taken[index].swap(true, Ordering::Relaxed);
    std::thread::scope(|scope| {
        let (sender, receiver) = mpsc::channel::<(usize, Parsed<'t>)>();
        let (take, parse) = (&take, &parse);
        let help = move || {
            for index in (0..texts.len()).rev().filter(|index| take(*index)) {
                if sender.send((index, parse(index))).is_err() {
                    break;
                }
            }
        };
        // Without a second thread everything is left to this one.
        let _ = std::thread::Builder::new().stack_size(STACK_BYTES).spawn_scoped(scope, help);
        let mut is_done = vec![false; texts.len()];
        let mut finish = |index: usize, parsed: Parsed<'t>| {
            is_done[index] = true;
            done(index, parsed);
        };
        let mut next = 0;
        loop {
            // What the helper has ready goes first, so that it has more to do than this thread, which
            // alone can finish.
            if let Ok((index, parsed)) = receiver.try_recv() {
                finish(index, parsed);
                continue;
            }
            while next < texts.len() && !take(next) {
                next += 1;
            }
            if next < texts.len() {
                finish(next, parse(next));
                next += 1;
                continue;
            }
            match receiver.recv() {
                Ok((index, parsed)) => finish(index, parsed),
                Err(_) => break,
            }
        }
        // The helper is gone; should it have left anything without an answer, it is done here.
        let left: Vec<usize> = (0..texts.len()).filter(|index| !is_done[*index]).collect();
        left.into_iter().for_each(|index| done(index, parse(index)));
    });
}
