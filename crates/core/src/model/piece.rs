//! Comments and past changes: they are added to an item one by one, and are never replaced.

use std::collections::HashMap;

use super::{Comment, HistoryEntry, Stamp};

/// A comment or a past change, by itself.
pub trait Piece: Clone {
    /// Its id at its system, where it has one.
    fn id(&self) -> Option<&str>;
    /// The same, with an id.
    fn with_id(&self, id: String) -> Self;
    /// When and by whom it was written.
    fn stamp(&self) -> &Stamp;
}

impl Piece for Comment {
    fn id(&self) -> Option<&str> {
        self.id.as_deref()
    }

    fn with_id(&self, id: String) -> Comment {
        Comment { id: Some(id), ..self.clone() }
    }

    fn stamp(&self) -> &Stamp {
        &self.stamp
    }
}

impl Piece for HistoryEntry {
    fn id(&self) -> Option<&str> {
        self.id.as_deref()
    }

    fn with_id(&self, id: String) -> HistoryEntry {
        HistoryEntry { id: Some(id), ..self.clone() }
    }

    fn stamp(&self) -> &Stamp {
        &self.stamp
    }
}

/// What tells the pieces of an item apart, in their order: their own ids; where their system has none, who and when,
/// with a number for those that share both. What is said in them is no part of it: words are mended.
pub fn piece_ids<P: Piece>(list: &[P]) -> Vec<String> {
    let mut counts: HashMap<String, u32> = HashMap::new();
    let mut one = |piece: &P| {
        if let Some(id) = piece.id() {
            return id.to_owned();
        }
        let Stamp { at, by } = piece.stamp();
        let at = at.map_or_else(|| "-".to_owned(), |at| at.to_utc().to_rfc3339());
        let base = format!("at {at} by {}", by.as_deref().unwrap_or("-"));
        let n = counts.entry(base.clone()).or_default();
        *n += 1;
        if *n == 1 { base } else { format!("{base}, {n}") }
    };
    list.iter().map(&mut one).collect()
}

/// The pieces, each with what tells it apart as its id.
pub fn with_piece_ids<P: Piece>(list: &[P]) -> Vec<P> {
    list.iter().zip(piece_ids(list)).map(|(piece, id)| piece.with_id(id)).collect()
}
