//! Criterion benchmarks of the core: reading apart, what resolution and explanation cost.

#![allow(missing_docs, reason = "the macros of Criterion document nothing")]
#![allow(clippy::unwrap_used, reason = "a benchmark that cannot go on has failed")]

use criterion::{BatchSize, Criterion, criterion_group, criterion_main};
use justwhy_core::{Answers, Explanation, Readings, Resolution, Secrets};
use justwhy_engine::{Arguments, Ports, Session};
use justwhy_system::System;
use std::hint::black_box;
use std::path::PathBuf;
use std::sync::Arc;

fn large_project() -> PathBuf {
    let folder = std::env::temp_dir().join("justwhy-bench-large");
    std::fs::create_dir_all(&folder).unwrap();
    justwhy_benches::write_project(&folder, justwhy_benches::SETTINGS).unwrap();
    folder
}

fn readings(session: &Session) -> Readings {
    let snapshot = session.snapshot(Arguments::default(), true);
    snapshot.read(snapshot.here(None).unwrap()).unwrap()
}

fn core(criterion: &mut Criterion) {
    let folder = large_project();
    let session = Session::open(Ports::of(Arc::new(System)), Some(&folder)).unwrap();
    let readings_of_it = Arc::new(readings(&session));
    let snapshot = session.snapshot(Arguments::default(), true);
    let limits = snapshot.limits();
    let fresh = || Answers::new(Resolution::of(Arc::clone(&readings_of_it)), &snapshot, limits);
    let answers = fresh();
    let resolution = answers.resolution();
    let settings = resolution.settings();
    let middle = settings[settings.len() / 2];

    criterion.bench_function("read 8 files of 10,000 settings", |bencher| {
        bencher.iter_batched(|| (), |()| black_box(readings(&session)), BatchSize::LargeInput);
    });
    criterion.bench_function("resolve 10,000 settings in 8 layers", |bencher| {
        bencher.iter(|| black_box(Resolution::of(black_box(Arc::clone(&readings_of_it)))));
    });
    criterion.bench_function("answer for 10,000 settings", |bencher| {
        // Anew each time, as an answer is found out once.
        let answer_all = |answers: Answers<'_>| {
            for key in &settings {
                black_box(Explanation::of(&answers, *key));
            }
        };
        bencher.iter_batched(fresh, answer_all, BatchSize::LargeInput);
    });
    criterion.bench_function("explain one of them", |bencher| {
        bencher.iter(|| {
            let answer = Explanation::of(&answers, black_box(middle));
            black_box((answer.why(&answers), answer.rows(&answers), answer.advice(&answers)))
        });
    });
    criterion.bench_function("sort 10,000 keys", |bencher| {
        bencher.iter(|| black_box(resolution.settings()));
    });
    criterion.bench_function("find the secrets among 10,000 names", |bencher| {
        bencher.iter(|| {
            black_box(Secrets::of(resolution.keys(), &settings, &readings_of_it.catalogue))
        });
    });
}

criterion_group!(benches, core);
criterion_main!(benches);
