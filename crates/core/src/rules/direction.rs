//! Which way a lane or a rule carries.

use serde::{Deserialize, Serialize};

/// The end or ends that are written.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Direction {
    #[default]
    ToRight,
    ToLeft,
    Both,
}
