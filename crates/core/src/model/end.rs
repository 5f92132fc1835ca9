//! The two ends of a route.
//!
//! Decides how either end is named, and that what both have is kept alike. Which of them is written is a value, and no
//! part of a name.

use std::ops::{Index, IndexMut};

use serde::{Deserialize, Serialize};

/// One end of a route.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum End {
    /// The first of the two.
    Left,
    /// The second of the two.
    Right,
}

impl End {
    /// Both, the left one first.
    pub const BOTH: [End; 2] = [End::Left, End::Right];

    /// The code that stands for it.
    pub fn id(self) -> &'static str {
        match self {
            End::Left => "left",
            End::Right => "right",
        }
    }

    /// The end that a code stands for; none for a word that is no code.
    pub fn of_id(code: &str) -> Option<End> {
        End::BOTH.into_iter().find(|end| end.id() == code)
    }

    /// The end at the other side of the route.
    pub const fn other(self) -> End {
        match self {
            End::Left => End::Right,
            End::Right => End::Left,
        }
    }
}

/// What both ends have, each its own.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Ends<T> {
    /// What the left end has.
    pub left: T,
    /// What the right end has.
    pub right: T,
}

impl<T> Ends<T> {
    /// What is made for each end, the left one first.
    pub fn of(mut make: impl FnMut(End) -> T) -> Ends<T> {
        Ends { left: make(End::Left), right: make(End::Right) }
    }

    /// What one end has, and what the other has.
    pub fn at(end: End, own: T, others: T) -> Ends<T> {
        match end {
            End::Left => Ends { left: own, right: others },
            End::Right => Ends { left: others, right: own },
        }
    }

    /// What is made of what each end has.
    pub fn map<U>(self, mut make: impl FnMut(T) -> U) -> Ends<U> {
        Ends { left: make(self.left), right: make(self.right) }
    }

    /// What both have, to look at.
    pub fn as_ref(&self) -> Ends<&T> {
        Ends { left: &self.left, right: &self.right }
    }

    /// What both have of either.
    pub fn zip<U>(self, other: Ends<U>) -> Ends<(T, U)> {
        Ends { left: (self.left, other.left), right: (self.right, other.right) }
    }
}

impl<T> Index<End> for Ends<T> {
    type Output = T;

    fn index(&self, end: End) -> &T {
        match end {
            End::Left => &self.left,
            End::Right => &self.right,
        }
    }
}

impl<T> IndexMut<End> for Ends<T> {
    fn index_mut(&mut self, end: End) -> &mut T {
        match end {
            End::Left => &mut self.left,
            End::Right => &mut self.right,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_end_has_its_own() {
        let mut ends = Ends::of(|end| format!("{end:?}"));
        ends[End::Right].push('!');
        assert_eq!((ends[End::Left].as_str(), ends[End::Right].as_str()), ("Left", "Right!"));
        let counted = ends.as_ref().map(String::len).zip(Ends { left: "a", right: "b" });
        assert_eq!(counted, Ends { left: (4, "a"), right: (6, "b") });
        for end in End::BOTH {
            assert!(end.other() != end && end.other().other() == end);
            assert_eq!(End::of_id(end.id()), Some(end));
            assert_eq!(serde_json::to_value(end).expect("a code"), end.id());
        }
    }
}
