//! The law by which a slot is kept in step that people edit at both ends, on the model of two systems and their people.

use crate::model::{Alphabet, Bounds, Found, Planted, every_history, random_histories, settings};

const SMALL: Bounds = Bounds { edits: 2, faults: 1, runs: 2 };

fn clean(found: &Found) {
    assert!(found.wrong.is_none(), "{}", found.wrong.as_deref().unwrap_or_default());
    assert!(found.rests > 0);
}

/// Every history of two edits and one fault, between any two steps. Of a small alphabet there are three times as many: here
/// only where systems change nothing of their own, in `benches/histories.rs` everywhere.
#[test]
fn no_edit_is_lost_in_any_small_history() {
    for (n, setting) in settings().into_iter().enumerate() {
        let alphabets = [Alphabet::OfItsOwn, Alphabet::Small];
        for alphabet in alphabets.into_iter().take(if n < 3 { 2 } else { 1 }) {
            let found = every_history(setting, alphabet, Planted::Nothing, SMALL);
            println!("{alphabet:?}, {setting:?}: {} states, {} rests", found.looked_at, found.rests);
            clean(&found);
        }
    }
}

/// Longer histories, some of them: what a search of all would take too long for.
#[test]
fn no_edit_is_lost_in_longer_histories() {
    let bounds = Bounds { edits: 4, faults: 2, runs: 3 };
    for (n, setting) in settings().into_iter().enumerate() {
        for alphabet in [Alphabet::OfItsOwn, Alphabet::Small] {
            let found = random_histories(setting, alphabet, Planted::Nothing, bounds, (n as u64, 2000));
            clean(&found);
            assert_eq!(found.looked_at, 2000);
        }
    }
}

/// The model finds each fault that is planted in Hovrel's part, in some setting.
#[test]
fn planted_faults_are_found() {
    for planted in Planted::FAULTS {
        let wrong =
            settings().into_iter().find_map(|setting| every_history(setting, Alphabet::OfItsOwn, planted, SMALL).wrong);
        let wrong = wrong.unwrap_or_else(|| panic!("{planted:?} is not found"));
        println!("{planted:?}: {}", wrong.lines().take(2).collect::<Vec<_>>().join(": "));
    }
}
