//! The fields of an artefact: an ordered map with shared keys.
//!
//! Keys are shared (`Arc<str>`), since a hundred thousand artefacts repeat the same twenty names; and they stand in one
//! row in memory, since comparing goes through all of them and they are rarely added to.
//! A field that is not in the map is *absent*; one that holds [`Value::Empty`] is *empty*.

use std::cmp::Ordering;
use std::collections::BTreeMap;
use std::sync::Arc;

use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::Value;

/// A field's name at its system, shared between artefacts.
pub type FieldKey = Arc<str>;

/// What an artefact holds, by field. In the order of the fields' names, each once.
#[derive(Debug, Clone, Default, PartialEq, Eq, Hash)]
pub struct Fields(Vec<(FieldKey, Value)>);

impl Fields {
    /// What a field holds; none if it is not there.
    pub fn get(&self, field: &str) -> Option<&Value> {
        self.place(field).ok().map(|place| &self.0[place].1)
    }

    /// Keeps a value in a field, in place of what was there.
    pub fn set(&mut self, field: impl Into<FieldKey>, value: Value) {
        let field = field.into();
        match self.place(&field) {
            Ok(place) => self.0[place].1 = value,
            Err(place) => self.0.insert(place, (field, value)),
        }
    }

    /// Takes a field out; what it held.
    pub fn remove(&mut self, field: &str) -> Option<Value> {
        self.place(field).ok().map(|place| self.0.remove(place).1)
    }

    /// All of them, by their ids.
    pub fn iter(&self) -> impl Iterator<Item = (&FieldKey, &Value)> {
        self.0.iter().map(|(field, value)| (field, value))
    }

    /// Where a field stands, or would stand.
    fn place(&self, field: &str) -> Result<usize, usize> {
        self.0.binary_search_by(|(held, _)| (**held).cmp(field))
    }

    /// The values of some fields, each put at its place in `out`. The fields are in the order of their names, so that
    /// both are gone through once.
    pub fn pick<'f>(&'f self, wanted: &[(&str, usize)], out: &mut [Option<&'f Value>]) {
        let mut held = self.0.iter();
        let mut next = held.next();
        for (name, place) in wanted {
            // Items of one kind hold nearly the same fields, so most are found at the first look.
            while let Some((field, value)) = next {
                match (**field).cmp(name) {
                    Ordering::Less => next = held.next(),
                    Ordering::Equal => {
                        out[*place] = Some(value);
                        break;
                    }
                    Ordering::Greater => break,
                }
            }
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
        // Of a field that is given twice the last value counts, as in a map.
        Fields(iter.into_iter().map(|(k, v)| (k.into(), v)).collect::<BTreeMap<_, _>>().into_iter().collect())
    }
}

impl Serialize for Fields {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_map(self.iter())
    }
}

impl<'de> Deserialize<'de> for Fields {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        BTreeMap::<FieldKey, Value>::deserialize(deserializer).map(|held| held.into_iter().collect())
    }
}
