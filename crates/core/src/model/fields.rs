//! The fields of an artefact: an ordered map with shared keys.
//!
//! Items of one list share their keys ([`FieldKeys`]), since a hundred thousand of them repeat the same twenty names; and
//! fields stand in one row in memory, since comparing goes through all of them and they are rarely added to.
//! A field that is not in the map is *absent*; one that holds [`Value::Empty`] is *empty*.

use std::collections::BTreeMap;
use std::sync::Arc;

use serde::{Deserialize, Deserializer, Serialize, Serializer};

use super::{FastSet, Value};

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

    /// How many fields there are.
    pub fn len(&self) -> usize {
        self.0.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }
}

/// The keys of fields, each once.
#[derive(Debug, Clone, Default)]
pub struct FieldKeys(FastSet<FieldKey>);

impl FieldKeys {
    /// Lets an item share its keys with those before it.
    pub fn share(&mut self, fields: &mut Fields) {
        for (field, _) in &mut fields.0 {
            match self.0.get(&**field) {
                Some(shared) => *field = shared.clone(),
                None => _ = self.0.insert(field.clone()),
            }
        }
    }
}

/// Finds some fields in many items, one after the other.
///
/// Items of one kind mostly hold the same fields under shared keys. So where the fields stand is kept from one item to the
/// next, and keys are told to be the same by where they are in memory; other keys are looked at letter by letter.
#[derive(Debug)]
pub struct Picker<'w> {
    wanted: &'w [Option<&'w str>],
    /// The keys of the item before.
    keys: Vec<FieldKey>,
    /// Where each of the wanted fields stands among them.
    places: Vec<Option<usize>>,
}

impl<'w> Picker<'w> {
    /// For these fields; nothing is found where none is named.
    pub fn new(wanted: &'w [Option<&'w str>]) -> Picker<'w> {
        Picker { wanted, keys: Vec::new(), places: vec![None; wanted.len()] }
    }

    /// What an item holds, by the place of each field among those that are wanted.
    pub fn pick<'p, 'f: 'p>(&'p mut self, fields: &'f Fields) -> impl Fn(usize) -> Option<&'f Value> + 'p {
        let known = self.keys.len() == fields.len()
            && self.keys.iter().zip(&fields.0).all(|(known, (field, _))| Arc::ptr_eq(known, field));
        if !known {
            self.keys = fields.0.iter().map(|(field, _)| field.clone()).collect();
            for (place, wanted) in self.places.iter_mut().zip(self.wanted) {
                *place = wanted.and_then(|wanted| fields.place(wanted).ok());
            }
        }
        |wanted| self.places[wanted].map(|place| &fields.0[place].1)
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
