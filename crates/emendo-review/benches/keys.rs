//! How long a key takes, with 10,000 edits in 3,000 files.
#![allow(missing_docs, reason = "written by a macro")]

#[path = "../tests/support/mod.rs"]
mod support;

use criterion::{Criterion, criterion_group, criterion_main};
use emendo_core::Proposal;
use emendo_review::Input;
use std::sync::Arc;
use support::{Desk, proposal, shown};

const SIZE: (u16, u16) = (200, 60);

/// About 10,000 edits in 3,000 files.
fn large() -> Arc<Proposal> {
    let few = proposal(2_000, 3);
    let many = proposal(3_000, 4);
    let files = few.files.iter().chain(&many.files[2_000..]).cloned().collect();
    Arc::new(Proposal { files, ..(*few).clone() })
}

fn keys(c: &mut Criterion) {
    let p = large();
    c.bench_function("open", |b| b.iter(|| Desk::new(p.clone(), SIZE)));
    let mut desk = Desk::new(p.clone(), SIZE);
    desk.keys("\n");
    let mut one = |name: &str, keys: &str| {
        c.bench_function(name, |b| {
            b.iter(|| {
                desk.keys(keys);
                shown(&desk.model, SIZE).len()
            });
        });
    };
    one("next place", "n");
    one("take, undo", "tu");
    one("by file, by step", "gg");
    one("alike, back", "a\u{1b}");
    one("filter, back", "f\u{1b}");
    one("both sides ... before", "vvvv");
    c.bench_function("another window", |b| {
        b.iter(|| {
            desk.take(Input::Size(80, 24));
            desk.take(Input::Size(SIZE.0, SIZE.1));
        });
    });
}

criterion_group!(benches, keys);
criterion_main!(benches);
