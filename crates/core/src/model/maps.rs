//! Maps and sets that live as long as one comparison.
//!
//! Decides how their keys are hashed: by foldhash, which is quicker with short keys than the standard library's hash. The
//! seed is another in each run, so nobody can choose ids beforehand that meet in one place.

use std::collections::{HashMap, HashSet};

use foldhash::quality::RandomState;

use super::Artefact;

/// Artefacts by their ids.
pub type ById<'a> = FastMap<&'a str, &'a Artefact>;
pub(crate) type FastMap<K, V> = HashMap<K, V, RandomState>;
pub(crate) type FastSet<K> = HashSet<K, RandomState>;
