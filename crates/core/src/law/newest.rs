//! Which of two edits is the newer.
//!
//! Decides that of two edits, one at each end, from the times that both systems tell; and that nobody knows where a time is
//! missing, a clock is off, or the two lie closer together than clocks can tell. Never guesses: whoever loses here loses
//! without having been asked. Knows of no histories, and of no systems.

use chrono::{DateTime, Utc};

use crate::model::{End, Ends};

/// A clock is right that is off by no more than this (seconds): the grain of the times that systems tell, and the way there
/// and back, are well within it.
pub const CLOCK_IS_RIGHT: i64 = 30;
/// Two edits that lie closer together than two right clocks may differ (seconds) can't be told apart.
const CLOSE: i64 = 2 * CLOCK_IS_RIGHT;

/// What is known of an edit at one end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Edited {
    /// When it was made, by the clock of its system; none where that does not tell.
    pub at: Option<DateTime<Utc>>,
    /// By how many seconds that clock is ahead; none where nobody knows.
    pub ahead: Option<i64>,
}

/// Why nobody knows which is the newer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Unsure {
    /// This end does not tell when its edit was made.
    NoTime(End),
    /// The clock of this end is off, or nobody knows what it shows.
    Clock(End),
    /// Both were made at about the same time.
    Close,
}

/// The end whose edit is the newer.
pub fn newest(edited: Ends<Edited>) -> Result<End, Unsure> {
    let at = |end: End| edited[end].at.ok_or(Unsure::NoTime(end));
    let (left, right) = (at(End::Left)?, at(End::Right)?);
    let is_off =
        |end: &End| edited[*end].ahead.is_none_or(|ahead| ahead.unsigned_abs() > CLOCK_IS_RIGHT.unsigned_abs());
    if let Some(end) = End::BOTH.into_iter().find(is_off) {
        return Err(Unsure::Clock(end));
    }
    match (right - left).num_seconds() {
        apart if apart > CLOSE => Ok(End::Right),
        apart if apart < -CLOSE => Ok(End::Left),
        _ => Err(Unsure::Close),
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn at(seconds: i64) -> Option<DateTime<Utc>> {
        DateTime::from_timestamp(seconds, 0)
    }

    proptest! {
        /// The end that is found holds the edit that was made later in truth, whatever right clocks show; and the ends
        /// swapped, it is the other.
        #[test]
        fn it_is_the_later_one_or_nobody_knows(
            left in 0..400i64, right in 0..400i64, off in (-40..40i64, -40..40i64)
        ) {
            let of = |made: i64, ahead: i64| Edited { at: at(made + ahead), ahead: Some(ahead) };
            let edited = Ends { left: of(left, off.0), right: of(right, off.1) };
            let found = newest(edited);
            match found {
                Ok(End::Left) => prop_assert!(left > right),
                Ok(End::Right) => prop_assert!(right > left),
                Err(Unsure::Clock(End::Left)) => prop_assert!(off.0.abs() > CLOCK_IS_RIGHT),
                Err(Unsure::Clock(End::Right)) => prop_assert!(off.1.abs() > CLOCK_IS_RIGHT),
                Err(unsure) => {
                    prop_assert_eq!(unsure, Unsure::Close);
                    prop_assert!((left - right).abs() <= CLOSE + 2 * CLOCK_IS_RIGHT);
                }
            }
            let swapped = newest(Ends { left: edited.right, right: edited.left });
            let other = found.map(End::other).map_err(|unsure| match unsure {
                // Of two clocks that are off the left one is named.
                Unsure::Clock(_) if off.0.abs() > CLOCK_IS_RIGHT && off.1.abs() > CLOCK_IS_RIGHT => Unsure::Clock(End::Left),
                Unsure::Clock(end) => Unsure::Clock(end.other()),
                unsure => unsure,
            });
            prop_assert_eq!(swapped, other);
        }
    }

    #[test]
    fn what_is_not_told_is_not_guessed() {
        let known = Edited { at: at(1000), ahead: Some(0) };
        let later = Edited { at: at(2000), ahead: Some(-CLOCK_IS_RIGHT) };
        assert_eq!(newest(Ends { left: known, right: later }), Ok(End::Right));
        let without = Edited { at: None, ..later };
        assert_eq!(newest(Ends { left: known, right: without }), Err(Unsure::NoTime(End::Right)));
        for ahead in [None, Some(CLOCK_IS_RIGHT + 1), Some(-CLOCK_IS_RIGHT - 1), Some(i64::MIN)] {
            let off = Edited { ahead, ..later };
            assert_eq!(newest(Ends { left: known, right: off }), Err(Unsure::Clock(End::Right)), "{ahead:?}");
        }
    }
}
