//! Maps by id that live as long as one comparison.
//!
//! Decides how ids are hashed there: by foldhash, which takes half the time of the standard library's hash. Each map has
//! a seed of its own, so an outside system can't choose ids that meet in one place.

use std::collections::{HashMap, HashSet};

use foldhash::quality::RandomState;

pub(crate) type ById<K, V> = HashMap<K, V, RandomState>;
pub(crate) type Ids<K> = HashSet<K, RandomState>;
