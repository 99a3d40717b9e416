use super::{both, on_threads};
use std::collections::HashSet;
use std::sync::Mutex;
use std::time::Duration;

#[test]
fn hands_results_over_in_the_order_of_the_items() {
    for threads in [0, 1, 2, 3, 8] {
        for count in [0, 1, 2, 7, 100] {
            let mut taken = Vec::new();
            let work = |number: usize| {
                // The earlier ones take longer.
                std::thread::sleep(Duration::from_micros(200 / (number as u64 + 1)));
                number * 2
            };
            on_threads((0..count).collect(), threads, work, |result| taken.push(result));
            let expected: Vec<usize> = (0..count).map(|number| number * 2).collect();
            assert_eq!(taken, expected, "{count} items on {threads} threads");
        }
    }
}

#[test]
fn uses_more_than_one_thread() {
    let seen = Mutex::new(HashSet::new());
    let work = |_| {
        seen.lock().unwrap().insert(std::thread::current().id());
        std::thread::sleep(Duration::from_millis(5));
    };
    on_threads((0..20).collect::<Vec<u32>>(), 4, work, drop);
    assert!((2..=4).contains(&seen.lock().unwrap().len()));
}

#[test]
fn does_two_things_whether_beside_each_other_or_not() {
    for much in [false, true] {
        let here = [1, 2];
        assert_eq!(both(much, || here.len(), || here.iter().sum::<i32>()), (2, 3));
        let run = || both(much, || (), || panic!("that one fails"));
        assert!(std::panic::catch_unwind(run).is_err());
    }
}

#[test]
fn a_panic_of_the_work_is_not_swallowed() {
    let run = || {
        let work = |number: u32| assert_ne!(number, 3, "that one fails");
        on_threads((0..8).collect(), 2, work, drop);
    };
    assert!(std::panic::catch_unwind(run).is_err());
}
