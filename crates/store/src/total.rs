//! Pages of lists, and how many rows match what a list is filtered by.
//!
//! A page costs what it shows, and not what there is: of matches that nothing counts beforehand, so many are counted as
//! tell a person something, and of more it is said that there are more. The rows of a page are read once it is known which
//! they are; to find them, places are enough.

/// How many match.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Total {
    /// How many were counted.
    pub counted: i64,
    /// More match than were counted.
    pub more: bool,
}

impl Total {
    /// So many matches are counted.
    pub const MOST: i64 = 500;

    /// So many places are asked for, to know whether there are more.
    pub(crate) const LIMIT: i64 = Total::MOST + 1;

    pub(crate) fn exactly(counted: i64) -> Total {
        Total { counted, more: false }
    }

    /// By the places of what matches from the beginning, of which [`Total::LIMIT`] were asked for.
    pub(crate) fn of(places: &[i32]) -> Total {
        let found = places.len() as i64;
        Total { counted: found.min(Total::MOST), more: found > Total::MOST }
    }

    /// The places of the page after a place, if they are among those that were counted.
    pub(crate) fn page(self, counted: &[i32], after: i32, limit: i64) -> Option<Vec<i32>> {
        let page: Vec<i32> = counted.iter().copied().filter(|place| *place > after).take(limit as usize).collect();
        (!self.more || page.len() as i64 == limit).then_some(page)
    }
}
