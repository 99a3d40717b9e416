//! What it costs to ask again after one line was edited, in a project of 10,000 settings and 1,000 contexts.

#![allow(missing_docs, reason = "the macros of Criterion document nothing")]
#![allow(clippy::unwrap_used, reason = "a benchmark that cannot go on has failed")]

use justwhy_core::{Explanation, Resolution, Survey};
use justwhy_engine::{Arguments, Ports, Session};
use justwhy_system::System;
use std::sync::Arc;
use std::time::Instant;

fn main() {
    let folder = std::env::temp_dir().join("justwhy-bench-matrix");
    std::fs::create_dir_all(&folder).unwrap();
    justwhy_benches::write_matrix(&folder, justwhy_benches::SETTINGS, 1_000).unwrap();
    let session = Session::open(Ports::of(Arc::new(System)), Some(&folder)).unwrap();
    for _ in 0..3 {
        let t = Instant::now();
        let snapshot = session.snapshot(Arguments::default(), false);
        let context = snapshot.here(None).unwrap();
        let read = Arc::new(snapshot.read(context.clone()).unwrap());
        println!("read one {:?}", t.elapsed());
        let t = Instant::now();
        let read2 = Arc::new(snapshot.read(context).unwrap());
        println!("read again {:?}", t.elapsed());
        let t = Instant::now();
        let resolution = Resolution::of(read2);
        println!("resolve {:?} {}", t.elapsed(), resolution.settings().len());
        let t = Instant::now();
        let fixed = snapshot.fixed(None).unwrap();
        let contexts = snapshot.contexts(&fixed).unwrap();
        println!("contexts {:?} {}", t.elapsed(), contexts.len());
        let t = Instant::now();
        let all = snapshot.read_all(&contexts);
        println!("read all {:?}", t.elapsed());
        let t = Instant::now();
        let all2 = snapshot.read_all(&contexts);
        println!("read all again {:?}", t.elapsed());
        drop(all2);
        let t = Instant::now();
        let survey = Survey::of(all.into_iter().map(|it| Arc::new(it.unwrap())).collect());
        println!("survey {:?}", t.elapsed());
        let t = Instant::now();
        let mut n = 0;
        survey.look(
            &snapshot,
            snapshot.limits(),
            |sight| {
                for (key, _) in &sight.settings {
                    std::hint::black_box(Explanation::of(&sight.answers, *key));
                }
                sight.settings.len()
            },
            |c| n += c,
        );
        println!("look {:?} {n}", t.elapsed());
    }
}
