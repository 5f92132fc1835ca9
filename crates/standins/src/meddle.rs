//! Somebody else's hand: an item that is changed or deleted between being read and being written.
//!
//! The fault plan decides when; each system says how its items are found by the address of the call that is
//! about to change one.

use std::collections::BTreeMap;

use axum::extract::{Request, State};
use axum::middleware::Next;
use axum::response::Response;
use serde::Serialize;
use serde::de::DeserializeOwned;

use crate::clock;
use crate::persist::Kept;
use crate::records::{Records, as_text};

/// What somebody else does to an item just before it is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Meddling {
    Change,
    Delete,
}

/// What is added to a title when somebody else changes an item.
pub const CHANGED: &str = " (seen to)";

pub trait Items {
    /// Does it to the item that a path leads to, if there is one.
    fn meddle(&mut self, path: &str, does: Meddling);
}

/// Middleware inside the fault plan's own.
pub async fn meddled<S: Items + Serialize + DeserializeOwned + Send + 'static>(
    State(kept): State<Kept<S>>,
    request: Request,
    next: Next,
) -> Response {
    if let Some(does) = request.extensions().get::<Meddling>() {
        kept.write().meddle(request.uri().path(), *does);
    }
    next.run(request).await
}

/// Does it to one of many: changed, it gets a longer title and another revision.
pub fn to_one<T>(all: &mut BTreeMap<u32, T>, number: u32, does: Meddling, change: impl FnOnce(&mut T)) {
    match does {
        Meddling::Delete => _ = all.remove(&number),
        Meddling::Change => _ = all.entry(number).and_modify(change),
    }
}

/// Does it to a record whose title stands in the field `title`: of a kind, where numbers are its own.
pub fn to_record(records: &mut Records, kind: Option<&str>, number: u32, title: &str, does: Meddling) {
    let found = records.iter_mut().find(|(k, r)| kind.is_none_or(|kind| kind == *k) && r.contains_key(&number));
    let Some((_, all)) = found else { return };
    to_one(all, number, does, |record| {
        let now = record.values.get(title).map(as_text).unwrap_or_default();
        record.values.insert(title.to_owned(), format!("{now}{CHANGED}").into());
        record.revision += 1;
        record.changed = clock::now();
    });
}
