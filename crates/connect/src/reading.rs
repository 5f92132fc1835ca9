//! Reading a list whole, page by page.
//!
//! Decides when a list was read: an item that it shows twice (it moved between two pages) is kept once, as
//! read last; a page that repeats what came before is asked for again, whatever it says of the next one; a list
//! that turns out shorter than its own count is read again from the start. Nothing that is there may be taken
//! for gone, and a list that goes round in a circle is told. Items share the keys of their fields.

use std::collections::HashMap;

use hovrel_core::bounds::{LARGEST_READING, MOST_ITEMS, MOST_PAGES};
use hovrel_core::model::{Artefact, FieldKeys, Kind};

use crate::{ConnectError, Connector, Page};

/// A page that shows nothing but what came before is asked for again this often.
const SAME_PAGE: u32 = 5;
/// A list that shows less than it says there is is read this often.
const READINGS: u32 = 3;

/// A list that is being read.
pub struct Reading {
    kind: Kind,
    items: Vec<Artefact>,
    places: HashMap<String, usize>,
    keys: FieldKeys,
    cursor: Option<String>,
    /// How many there were when the reading began.
    first_total: Option<u64>,
    again: u32,
    readings: u32,
    pages: usize,
    /// What the connector had read before.
    bytes_before: Option<u64>,
    ended: bool,
}

/// How far a reading is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Progress {
    /// How many were read.
    pub read: usize,
    /// How many there are in all, where the system says so.
    pub total: Option<u64>,
}

impl Reading {
    /// A reading of a kind, from its first page on.
    pub fn of(kind: Kind) -> Reading {
        Reading {
            kind,
            items: Vec::new(),
            places: HashMap::new(),
            keys: FieldKeys::default(),
            cursor: None,
            first_total: None,
            again: 0,
            readings: 1,
            pages: 0,
            bytes_before: None,
            ended: false,
        }
    }

    /// Reads a page; none when all of the list was read.
    pub async fn page(&mut self, connector: &dyn Connector, container: &str) -> Result<Option<Progress>, ConnectError> {
        if self.ended {
            return Ok(None);
        }
        let address = format!("the list of {}s", self.kind.word());
        let before = *self.bytes_before.get_or_insert_with(|| connector.meter().bytes);
        let page = connector.read(container, self.kind, self.cursor.as_deref()).await?;
        self.pages += 1;
        let bytes = connector.meter().bytes.saturating_sub(before);
        if self.pages > MOST_PAGES || self.items.len() > MOST_ITEMS || bytes > LARGEST_READING {
            let (pages, items) = (self.pages, self.items.len());
            let why = format!("it continues after {pages} pages with {items} items and {bytes} bytes");
            return Err(ConnectError::TooMuch { address, why });
        }
        let wrong = |why: String| ConnectError::Malformed { address, why };
        let (total, next) = (page.total, page.next.clone());
        self.first_total = self.first_total.or(total);
        let found_some = self.take(page);
        let read = self.items.len();
        match next {
            _ if !found_some && self.again < SAME_PAGE => self.again += 1,
            Some(_) if !found_some => return Err(wrong(format!("a page repeats the {read} items before it"))),
            Some(next) => {
                self.again = 0;
                self.cursor = Some(next);
            }
            // What came to be meanwhile may be missed: the next reading finds it.
            None => match total.min(self.first_total).filter(|total| (read as u64) < *total) {
                None => self.ended = true,
                Some(total) if self.readings == READINGS => {
                    return Err(wrong(format!("it shows {read} items and reports {total}")));
                }
                Some(_) => *self = Reading { readings: self.readings + 1, ..Reading::of(self.kind) },
            },
        }
        Ok(Some(Progress { read, total }))
    }

    /// What was read.
    pub fn items(self) -> Vec<Artefact> {
        self.items
    }

    /// Takes a page in; false if it shows nothing but what came before.
    fn take(&mut self, page: Page) -> bool {
        let before = self.items.len();
        let shows_none = page.artefacts.is_empty();
        for artefact in page.artefacts {
            let mut artefact = artefact.compact();
            self.keys.share(&mut artefact.fields);
            match self.places.get(&artefact.id) {
                Some(&at) => {
                    artefact.position = self.items[at].position;
                    self.items[at] = artefact;
                }
                None => {
                    artefact.position = self.items.len() as u32;
                    self.places.insert(artefact.id.clone(), self.items.len());
                    self.items.push(artefact);
                }
            }
        }
        self.items.len() > before || shows_none
    }
}
