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

/// Parses every text and hands the results to `done` in their order.
///
/// A helper begins at the last text while this thread begins at the first, so that the results
/// that come first are there first and few have to be kept.
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
        let mut early: Vec<Option<Parsed<'t>>> = texts.iter().map(|_| None).collect();
        for index in 0..texts.len() {
            let parsed = if take(index) {
                parse(index)
            } else {
                loop {
                    if let Some(parsed) = early[index].take() {
                        break parsed;
                    }
                    match receiver.recv() {
                        Ok((other, parsed)) => early[other] = Some(parsed),
                        // The helper is gone without an answer.
                        Err(_) => break parse(index),
                    }
                }
            };
            done(index, parsed);
        }
    });
}
