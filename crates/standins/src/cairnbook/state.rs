//! What Cairnbook stores.

use serde::{Deserialize, Serialize};

use crate::meddle::{self, Items, Meddling};
use crate::records::{Known, Numbers, Record, Records};

#[derive(Debug, Default, Serialize, Deserialize)]
pub struct State {
    /// By kind and number; numbers are unique over both kinds.
    pub records: Records,
    pub people: Vec<Person>,
    #[serde(alias = "next_number")]
    pub numbers: Numbers,
}

#[derive(Debug, Clone, Serialize, Deserialize)]
pub struct Person {
    pub uid: String,
    pub nick: String,
    pub mail: Option<String>,
    pub name: String,
}

impl Items for State {
    fn meddle(&mut self, path: &str, does: Meddling) {
        if let Some(number) = path.rsplit('/').next().and_then(number) {
            meddle::to_record(&mut self.records, None, number, "title", does);
        }
    }
}

impl Known for State {
    fn has(&self, kind: &str, id: &str) -> bool {
        number(id).is_some_and(|n| self.records.get(kind).is_some_and(|r| r.contains_key(&n)))
    }

    fn has_person(&self, id: &str) -> bool {
        self.people.iter().any(|p| p.uid == id)
    }
}

impl State {
    pub fn resource(&self, uid: &str) -> Option<&Record> {
        let number = number(uid)?;
        self.records.values().find_map(|r| r.get(&number))
    }

    pub fn keep(&mut self, record: Record) {
        self.records.entry(record.kind.clone()).or_default().insert(record.number, record);
    }
}

/// An odd number has an inverse modulo 2³², so that a name which says nothing leads back to a number.
const SCRAMBLE: u32 = 0x9e37_79b1;
const BACK: u32 = inverse(SCRAMBLE);

const fn inverse(odd: u32) -> u32 {
    // Newton's iteration; each round doubles the bits that are right.
    let mut x = odd;
    let mut round = 0;
    while round < 5 {
        x = x.wrapping_mul(2u32.wrapping_sub(odd.wrapping_mul(x)));
        round += 1;
    }
    x
}

/// The name of a resource in its address.
pub fn uid(number: u32) -> String {
    format!("_{:08x}", number.wrapping_mul(SCRAMBLE))
}

pub fn number(uid: &str) -> Option<u32> {
    let digits = uid.strip_prefix('_').filter(|d| d.len() == 8)?;
    Some(u32::from_str_radix(digits, 16).ok()?.wrapping_mul(BACK))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_leads_back_to_its_number() {
        for n in [1, 2, 17, 4000, u32::MAX] {
            assert_eq!(number(&uid(n)), Some(n));
        }
        assert_eq!(number("x"), None);
    }
}
