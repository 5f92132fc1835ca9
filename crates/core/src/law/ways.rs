//! How values go from one end into the other.

use crate::model::{End, Ends};

/// How a rule carries values into either end.
///
/// After Hofmann, Pierce and Wagner 2011, “Symmetric lenses”: an edit at one end is put onto what stands at the other. For
/// every `x` that an end can hold, `put(into, x, a, a)` is `x` (*Null*); what an edit does not touch stays (*Local*).
pub trait Ways {
    /// What a slot holds.
    type Value: Clone;
    /// Why something can't be carried.
    type Why;

    /// Whether the rule carries into an end.
    fn goes_into(&self, end: End) -> bool;

    /// Whether two values of one end are the same, as they were read.
    fn same(&self, a: &Self::Value, b: &Self::Value) -> bool;

    /// What stands for a value of the other end where there is nothing yet.
    fn get(&self, into: End, value: &Self::Value) -> Result<Self::Value, Self::Why>;

    /// What the end holds after the edit of the other end, from `was` to `is`, has been applied to what stands there.
    fn put(
        &self,
        into: End,
        there: &Self::Value,
        was: &Self::Value,
        is: &Self::Value,
    ) -> Result<Self::Value, Self::Why>;

    /// Whether two edits, one of each end, touch different parts of what the slot holds. Only then they are merged.
    fn are_apart(&self, was: Ends<&Self::Value>, now: Ends<&Self::Value>) -> bool;

    /// Whether two values say the same: one of them stands for the other by a way that the rule has.
    fn agree(&self, now: Ends<&Self::Value>) -> bool {
        one_stands_for_the_other(self, now)
    }
}

/// Whether one of two values stands for the other as a whole, by a way that the rule has.
pub fn one_stands_for_the_other<W: Ways + ?Sized>(ways: &W, now: Ends<&W::Value>) -> bool {
    let stands_for = |into: End| {
        ways.goes_into(into) && ways.get(into, now[into.other()]).is_ok_and(|made| ways.same(&made, now[into]))
    };
    End::BOTH.into_iter().any(stands_for)
}
