//! The fields of an artefact: an ordered map with shared keys.
//!
//! Keys are shared (`Arc<str>`), since a hundred thousand artefacts repeat the same twenty names.
//! A field that is not in the map is *absent*; one that holds [`Value::Empty`] is *empty*.

use std::collections::BTreeMap;
use std::sync::Arc;

use serde::{Deserialize, Serialize};

use super::Value;

/// A field's name at its system, shared between artefacts.
pub type FieldKey = Arc<str>;

/// What an artefact holds, by field.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(transparent)]
pub struct Fields(BTreeMap<FieldKey, Value>);

impl Fields {
    /// What a field holds; none if it is not there.
    pub fn get(&self, field: &str) -> Option<&Value> {
        self.0.get(field)
    }

    /// Keeps a value in a field, in place of what was there.
    pub fn set(&mut self, field: impl Into<FieldKey>, value: Value) {
        self.0.insert(field.into(), value);
    }

    /// Takes a field out; what it held.
    pub fn remove(&mut self, field: &str) -> Option<Value> {
        self.0.remove(field)
    }

    /// All of them, by their ids.
    pub fn iter(&self) -> impl Iterator<Item = (&FieldKey, &Value)> {
        self.0.iter()
    }

    /// The values of some fields, each put at its place in `out`. The fields are in the order of their names, so that
    /// both are gone through once.
    pub fn pick<'f>(&'f self, wanted: &[(&str, usize)], out: &mut [Option<&'f Value>]) {
        let mut held = self.0.iter().peekable();
        for (name, place) in wanted {
            while held.next_if(|(field, _)| &***field < *name).is_some() {}
            out[*place] = held.peek().filter(|(field, _)| &***field == *name).map(|(_, value)| *value);
        }
    }

    /// How many fields there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

impl<K: Into<FieldKey>> FromIterator<(K, Value)> for Fields {
    fn from_iter<T: IntoIterator<Item = (K, Value)>>(iter: T) -> Self {
        Fields(iter.into_iter().map(|(k, v)| (k.into(), v)).collect())
    }
}
