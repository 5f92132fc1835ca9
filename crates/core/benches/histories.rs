//! A million histories of two systems, their people and Hovrel between them, at random:
//! `cargo bench -p hovrel-core --bench histories`.
//!
//! What one history may hold is more than a search of all of them could go through: five edits and two faults in three
//! runs. All histories of four edits and one fault are gone through besides, and of three of a small alphabet. Prints how
//! many were played in which setting; stops at the first in which an edit is lost.

use std::time::Instant;

#[path = "../tests/model/mod.rs"]
mod model;

use model::{Alphabet, Bounds, Found, Planted, every_history, random_histories, settings};

const HISTORIES: u64 = 1_000_000;
const BOUNDS: Bounds = Bounds { edits: 5, faults: 2, runs: 3 };

fn main() {
    let settings = settings();
    let alphabets = [Alphabet::OfItsOwn, Alphabet::Small];
    let each = HISTORIES.div_ceil((settings.len() * alphabets.len()) as u64);
    let mut all = 0;
    for (seed, setting) in settings.iter().enumerate() {
        for alphabet in alphabets {
            let started = Instant::now();
            let found = random_histories(*setting, alphabet, Planted::Nothing, BOUNDS, (1000 + seed as u64, each));
            clean(&found);
            all += found.looked_at;
            let seconds = started.elapsed().as_secs_f64();
            println!("{alphabet:?}, {setting:?}: {} histories in {seconds:.1} s", found.looked_at);
        }
    }
    println!("{all} histories, no edit lost");
    for setting in &settings {
        for (alphabet, edits) in [(Alphabet::OfItsOwn, 4), (Alphabet::Small, 3)] {
            let bounds = Bounds { edits, faults: 1, runs: 2 };
            let started = Instant::now();
            let found = every_history(*setting, alphabet, Planted::Nothing, bounds);
            clean(&found);
            let (states, rests, seconds) = (found.looked_at, found.rests, started.elapsed().as_secs_f64());
            println!(
                "{alphabet:?}, {setting:?}: every history of {edits} edits and 1 fault: {states} states, {rests} rests, \
                 {seconds:.1} s"
            );
        }
    }
    for planted in Planted::FAULTS {
        let own = Alphabet::OfItsOwn;
        let wrong = |seed: usize| random_histories(settings[seed], own, planted, BOUNDS, (seed as u64, 100_000)).wrong;
        assert!((0..settings.len()).any(|seed| wrong(seed).is_some()), "{planted:?} is not found");
    }
    println!("each planted fault is found at random too");
}

fn clean(found: &Found) {
    assert!(found.wrong.is_none(), "{}", found.wrong.as_deref().unwrap_or_default());
}
