//! Verdicts and how they roll up.

use serde::{Deserialize, Serialize};

/// The outcome of a result. `None` to `Error` are the verdicts of ETSI ES 201 873-1 (TTCN-3, core
/// language), in the order in which one overwrites another; `Skipped` and `Blocked` are for executions
/// that did not start (terms of the ISTQB glossary) and take no part in the roll-up.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// It was not carried out.
    None,
    /// What was expected happened.
    Pass,
    /// It can't be said whether it passed or failed.
    Inconclusive,
    /// What was expected did not happen.
    Fail,
    /// Something else broke while it was carried out.
    Error,
    /// It was left out on purpose.
    Skipped,
    /// Something stood in its way.
    Blocked,
}

impl Verdict {
    /// The overwriting rule of ETSI ES 201 873-1 §24.2: a verdict is only ever replaced by a worse
    /// one, in the order none < pass < inconclusive < fail < error.
    pub fn overwritten_by(self, new: Verdict) -> Verdict {
        match (self.rank(), new.rank()) {
            (Some(old_rank), Some(new_rank)) if new_rank > old_rank => new,
            (None, Some(_)) => new,
            _ => self,
        }
    }

    /// The verdict of a test case from those of its steps.
    pub fn roll_up(steps: impl IntoIterator<Item = Verdict>) -> Verdict {
        steps.into_iter().fold(Verdict::None, Verdict::overwritten_by)
    }

    fn rank(self) -> Option<u8> {
        match self {
            Verdict::None => Some(0),
            Verdict::Pass => Some(1),
            Verdict::Inconclusive => Some(2),
            Verdict::Fail => Some(3),
            Verdict::Error => Some(4),
            Verdict::Skipped | Verdict::Blocked => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::Verdict::{self, *};

    /// The table "Overwriting rules for the verdict" of ETSI ES 201 873-1 §24.2 (rows: current value;
    /// columns: new value pass, inconclusive, fail, none), quoted from memory; `error` may only be set
    /// by the test system and then stays.
    #[test]
    fn verdicts_overwrite_as_the_standard_says() {
        let table = [
            (None, [Pass, Inconclusive, Fail, None]),
            (Pass, [Pass, Inconclusive, Fail, Pass]),
            (Inconclusive, [Inconclusive, Inconclusive, Fail, Inconclusive]),
            (Fail, [Fail, Fail, Fail, Fail]),
            (Error, [Error, Error, Error, Error]),
        ];
        for (current, row) in table {
            for (new, expected) in [Pass, Inconclusive, Fail, None].into_iter().zip(row) {
                assert_eq!(current.overwritten_by(new), expected, "{current:?} then {new:?}");
            }
            assert_eq!(current.overwritten_by(Error), Error);
        }
    }

    #[test]
    fn steps_that_did_not_start_do_not_hide_a_failure() {
        assert_eq!(Verdict::roll_up([Pass, Skipped, Fail, Blocked, Pass]), Fail);
        assert_eq!(Verdict::roll_up([]), None);
    }
}
