//! A million histories of two systems, their people and Hovrel between them, at random:
//! `cargo bench -p hovrel-core --bench histories`.
//!
//! What one history may hold is more than a search of all of them could go through: four edits and two faults in three
//! runs. Prints how many were played in which setting; stops at the first in which an edit is lost.

use std::time::Instant;

#[path = "../tests/model/mod.rs"]
mod model;

use model::{Bounds, Found, Planted, every_history, random_histories, settings};

const HISTORIES: u64 = 1_000_000;
const BOUNDS: Bounds = Bounds { edits: 4, faults: 2, runs: 3 };

fn main() {
    let settings = settings();
    let each = HISTORIES.div_ceil(settings.len() as u64);
    let mut all = 0;
    for (seed, setting) in settings.iter().enumerate() {
        let started = Instant::now();
        let found = random_histories(*setting, Planted::Nothing, BOUNDS, 1000 + seed as u64, each);
        clean(&found);
        all += found.looked_at;
        println!("{setting:?}: {} histories in {:.1} s", found.looked_at, started.elapsed().as_secs_f64());
    }
    println!("{all} histories, no edit lost");
    let bounds = Bounds { edits: 3, faults: 1, runs: 2 };
    for setting in &settings {
        let found = every_history(*setting, Planted::Nothing, bounds);
        clean(&found);
        println!(
            "{setting:?}: every history of 3 edits and 1 fault: {} states, {} rests",
            found.looked_at, found.rests
        );
    }
    for planted in Planted::FAULTS {
        let wrong = |seed: usize| random_histories(settings[seed], planted, BOUNDS, seed as u64, 100_000).wrong;
        assert!((0..settings.len()).any(|seed| wrong(seed).is_some()), "{planted:?} is not found");
    }
    println!("each planted fault is found at random too");
}

fn clean(found: &Found) {
    assert!(found.wrong.is_none(), "{}", found.wrong.as_deref().unwrap_or_default());
}
