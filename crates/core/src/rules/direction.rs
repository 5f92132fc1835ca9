//! Which way a lane or a rule carries.

use serde::{Deserialize, Serialize};

use crate::model::End;

/// The end or ends that are written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Direction {
    /// The left is read and the right is written.
    #[default]
    ToRight,
    /// The right is read and the left is written.
    ToLeft,
    /// Either is read and written.
    Both,
}

impl Direction {
    /// The end that is written by what carries one way; of both ways, the one that carries first.
    pub fn written(self) -> End {
        match self {
            Direction::ToRight | Direction::Both => End::Right,
            Direction::ToLeft => End::Left,
        }
    }

    /// The end that is read by what carries one way; of both ways, the one that is read first.
    pub fn read(self) -> End {
        self.written().other()
    }

    /// Whether an end is written.
    pub fn writes(self, end: End) -> bool {
        self == Direction::Both || self.written() == end
    }
}
