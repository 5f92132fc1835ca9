//! How the values of one field are spread.
//!
//! Decides which values are counted one by one: those that somebody chose from a list, types of links, and short texts
//! as long as there are few different ones. Of the rest only how many items hold something is known.

use std::collections::{BTreeSet, HashMap};

use super::{FieldSurvey, ValueCount};
use crate::model::{Link, LinkType, Value};

/// Different values kept per field of text or numbers; beyond that its spread says nothing.
const MOST_TYPED: usize = 200;

/// Different values kept per field whose values somebody chose from a list: each may need a row in a value map.
const MOST_NAMED: usize = 10_000;

/// Gathers how the values of a field are spread, item by item.
#[derive(Default)]
pub(crate) struct Spread {
    filled: u64,
    longest: u32,
    values: HashMap<String, u64>,
    overflow: bool,
}

impl Spread {
    /// One more item, and what it holds.
    pub fn see(&mut self, value: &Value) {
        if value.is_blank() {
            return;
        }
        self.filled += 1;
        self.longest = self.longest.max(value.char_length().unwrap_or(0) as u32);
        match value {
            Value::ChoiceList(list) | Value::UserList(list) => {
                list.iter().for_each(|v| self.count(v.clone(), MOST_NAMED));
            }
            Value::Choice(one) | Value::User(one) => self.count(one.clone(), MOST_NAMED),
            Value::Links(links) => self.count_types(links),
            Value::RichText(_)
            | Value::Steps(_)
            | Value::Attachments(_)
            | Value::Table(_)
            | Value::References(_)
            | Value::Reference(_)
            | Value::Comments(_)
            | Value::History(_) => self.overflow = true,
            other => self.count(other.display(), MOST_TYPED),
        }
    }

    /// One more item with links.
    pub fn see_links(&mut self, links: &[Link]) {
        self.filled += 1;
        self.count_types(links);
    }

    /// Of links, the types are what is worth knowing.
    fn count_types(&mut self, links: &[Link]) {
        let types: BTreeSet<&LinkType> = links.iter().map(|l| &l.link_type).collect();
        for link_type in types {
            self.count(link_type.word().to_owned(), MOST_NAMED);
        }
    }

    /// One more item that holds something whose values say nothing.
    pub fn see_uncounted(&mut self) {
        self.filled += 1;
        self.overflow = true;
    }

    fn count(&mut self, value: String, most: usize) {
        if let Some(n) = self.values.get_mut(&value) {
            *n += 1;
        } else if self.values.len() < most {
            self.values.insert(value, 1);
        } else {
            self.overflow = true;
        }
    }

    /// What was seen, of `total` items.
    pub fn finish(self, field: String, total: u64) -> FieldSurvey {
        let distinct = self.values.len() as u64;
        let mut values: Vec<ValueCount> = Vec::new();
        if !self.overflow {
            values = self.values.into_iter().map(|(value, count)| ValueCount { value, count }).collect();
            values.sort_by(|a, b| b.count.cmp(&a.count).then_with(|| a.value.cmp(&b.value)));
            if self.filled < total {
                values.push(ValueCount { value: String::new(), count: total - self.filled });
            }
        }
        FieldSurvey {
            field,
            filled: self.filled,
            longest: self.longest,
            values,
            distinct,
            distinct_exact: !self.overflow,
        }
    }
}
