//! Faults of single items under one rule, gathered by reason while items go by.
//!
//! Decides which faults are one: those of one reason; and which of them hold up the whole route: not those that no rule
//! can settle, since these concern their items alone. The first reasons are told one by one with the items concerned;
//! beyond them, thousands would say no more than their number does.

use std::collections::HashMap;

use super::{Fault, fault};
use crate::carry::{Context, FaultReason, Ready};
use crate::model::Artefact;
use crate::rules::Lane;

/// How many items a fault names; the count is exact beyond that.
const NAMED_ITEMS: usize = 50;

/// How many reasons of a rule are told one by one.
const NAMED_REASONS: usize = 100;

pub(super) struct ItemFaults<'r> {
    lane: &'r Lane,
    ready: Ready<'r>,
    found: Vec<Fault>,
    /// Where the fault of a reason stands in `found`; none if it is one of those that are only counted.
    places: HashMap<FaultReason, Option<usize>>,
    /// Items at fault for a reason that is only counted: the first few, how many, and whether any holds up the route.
    rest: (Vec<String>, u64, bool),
}

/// Whether a rule can settle it. What an item holds that can't be read, or computed, blocks that item and no other.
fn is_of_the_rule(reason: &FaultReason) -> bool {
    !matches!(reason, FaultReason::Unreadable { .. } | FaultReason::NotComputed { .. })
}

impl<'r> ItemFaults<'r> {
    pub(super) fn new(lane: &'r Lane, ready: Ready<'r>) -> ItemFaults<'r> {
        ItemFaults { lane, ready, found: Vec::new(), places: HashMap::new(), rest: Default::default() }
    }

    pub(super) fn see(&mut self, item: &Artefact, cx: &Context<'_>) {
        // What is left out of an answer is not carried, and holds nothing up.
        if self.ready.is_left_out_of(item) {
            return;
        }
        let Some(reason) = self.ready.convert(item, cx).fault else { return };
        // Folders are planned together with their lane, which the check of one lane does not see.
        if matches!(reason, FaultReason::FolderNotCarried { .. } | FaultReason::NotCarried { .. }) {
            return;
        }
        // A row settles all items of a value; what is too long is settled for all at once.
        let key = match &reason {
            FaultReason::TooLong { limit, .. } => FaultReason::TooLong { length: 0, limit: *limit },
            other => other.clone(),
        };
        let (told, blocks) = (self.found.len(), is_of_the_rule(&reason));
        let place = *self.places.entry(key).or_insert((told < NAMED_REASONS).then_some(told));
        let (items, count) = match place {
            Some(n) => {
                if n == told {
                    self.found.push(fault(self.lane, &self.ready.fill.target, reason, blocks));
                }
                let Fault { items, item_count, .. } = &mut self.found[n];
                (items, item_count)
            }
            None => {
                self.rest.2 |= blocks;
                (&mut self.rest.0, &mut self.rest.1)
            }
        };
        *count += 1;
        if items.len() < NAMED_ITEMS {
            items.push(item.id.clone());
        }
    }

    /// What was found, in the order in which it was.
    pub(super) fn finish(mut self) -> Vec<Fault> {
        let reasons = self.places.values().filter(|place| place.is_none()).count() as u32;
        if reasons > 0 {
            let (items, item_count, blocks) = self.rest;
            let more = fault(self.lane, &self.ready.fill.target, FaultReason::AndMore { reasons }, blocks);
            self.found.push(Fault { items, item_count, ..more });
        }
        self.found
    }
}
