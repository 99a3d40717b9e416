//! What it costs to ask again after one line was edited, in a project of 10,000 settings and 1,000 contexts:
//! time by Criterion, and what each edited snapshot that is kept adds to the memory.

#![allow(missing_docs, reason = "the macros of Criterion document nothing")]
#![allow(clippy::print_stdout, reason = "a benchmark prints what it measured")]
#![allow(clippy::unwrap_used, reason = "a benchmark that cannot go on has failed")]

use criterion::{BatchSize, Criterion, criterion_group, criterion_main};
use justwhy_core::{Compared, Explanation, compare};
use justwhy_engine::{Arguments, Changes, Ports, Session, Snapshot, Surveyed};
use justwhy_system::System;
use std::hint::black_box;
use std::path::{Path, PathBuf};
use std::sync::Arc;

/// A file of one context in twenty, one of a fifth of them, and the one that all read.
const FILES: [&str; 3] = ["site/environment-1/region-2.toml", "size/size-1.toml", "defaults.toml"];

fn matrix() -> PathBuf {
    let folder = std::env::temp_dir().join("justwhy-bench-matrix");
    std::fs::create_dir_all(&folder).unwrap();
    justwhy_benches::write_matrix(&folder, justwhy_benches::SETTINGS, 1_000).unwrap();
    folder
}

/// One line of a file with another number in it, or with a key that is new.
fn edited(folder: &Path, file: &str, number: usize, is_new_key: bool) -> Changes {
    let path = folder.join(file);
    let text = std::fs::read_to_string(&path).unwrap();
    let mut lines: Vec<String> = text.lines().map(str::to_owned).collect();
    // No other file says that one.
    let at = lines.iter().position(|line| line.starts_with("setting_8 = "));
    let at = at.or_else(|| lines.iter().position(|line| line.contains(" = "))).unwrap();
    let name = lines[at].split_once(" = ").unwrap().0.to_owned();
    match is_new_key {
        true => lines.insert(at, format!("new_{number} = 1")),
        false => lines[at] = format!("{name} = {number}.25"),
    }
    Changes::default().file(path, lines.join("\n").into_bytes())
}

fn one_context(snapshot: &Snapshot) -> usize {
    let answers =
        snapshot.at(snapshot.here(Some("environment=environment-1,region=region-2")).unwrap());
    let answers = answers.unwrap();
    let settings = answers.resolution().settings();
    black_box(Explanation::of(&answers, settings[settings.len() / 2]));
    settings.len()
}

/// What changed everywhere.
fn everywhere(before: (&Snapshot, &Surveyed), after: &Snapshot) -> usize {
    let read = after.survey(None, false, &|_| {}).unwrap();
    let pairs: Vec<(usize, usize)> = (0..read.contexts().len()).map(|at| (at, at)).collect();
    let wanted = Compared { pairs: &pairs, wanted: None, shared: before.0.shared_with(after) };
    let sides = [before.0.side(&before.1.survey), after.side(&read.survey)];
    let effects = compare(sides, wanted, |_, answer| format!("{:?}", answer.value()));
    assert!(!effects.changed.is_empty());
    effects.changed.len()
}

/// The memory that this process holds, in bytes.
fn resident() -> usize {
    let status = std::fs::read_to_string("/proc/self/statm").unwrap_or_default();
    status.split(' ').nth(1).and_then(|pages| pages.parse::<usize>().ok()).unwrap_or(0) * 4096
}

fn memory(folder: &Path, snapshot: &Snapshot) {
    const SNAPSHOTS: usize = 200;
    for (is_new_key, what) in [(false, "another value"), (true, "a new key")] {
        let mut kept = vec![snapshot.with(&edited(folder, FILES[0], 0, is_new_key)).unwrap()];
        one_context(&kept[0]);
        let before = resident();
        for number in 1..=SNAPSHOTS {
            let next = snapshot.with(&edited(folder, FILES[0], number, is_new_key)).unwrap();
            one_context(&next);
            kept.push(next);
        }
        let each = resident().saturating_sub(before) / SNAPSHOTS / 1024;
        println!("each kept snapshot with {what} in a file of 1,000 settings: {each} KiB");
        drop(kept);
    }
}

fn changes(criterion: &mut Criterion) {
    let folder = matrix();
    let session = Session::open(Ports::of(Arc::new(System)), Some(&folder)).unwrap();
    let snapshot = session.snapshot(Arguments::default(), false);
    let read = snapshot.survey(None, false, &|_| {}).unwrap();
    one_context(&snapshot);
    memory(&folder, &snapshot);
    criterion.bench_function("read 1,000 contexts from scratch", |bencher| {
        bencher.iter_with_large_drop(|| {
            let snapshot = session.snapshot(Arguments::default(), false);
            (snapshot.survey(None, false, &|_| {}).unwrap(), snapshot)
        });
    });
    for file in FILES {
        for (is_new_key, what) in [(false, "a value"), (true, "a key")] {
            let changes = edited(&folder, file, 7, is_new_key);
            let name = format!("with {what} in {file}: one context");
            criterion.bench_function(&name, |bencher| {
                bencher.iter_with_large_drop(|| {
                    let after = snapshot.with(&changes).unwrap();
                    (one_context(&after), after)
                });
            });
            let name = format!("with {what} in {file}: what changes everywhere");
            criterion.bench_function(&name, |bencher| {
                bencher.iter_batched(
                    || snapshot.with(&changes).unwrap(),
                    |after| (everywhere((&snapshot, &read), &after), after),
                    BatchSize::LargeInput,
                );
            });
        }
    }
}

criterion_group! {
    name = benches;
    config = Criterion::default().sample_size(20);
    targets = changes
}
criterion_main!(benches);
