//! The way back of a rule that takes back on the way into one end what it does into the other.
//!
//! Decides where such a rule leads: into the field that it starts from, from the slot that it fills; of folders,
//! files, links and comments, into those at the other end. What becomes of a value there is decided in [`crate::carry`].

use super::direction::Direction;
use super::lane::Lane;
use super::rule::{Fill, Rule, Source};
use crate::model::{End, POSITION, Slot};

impl Rule {
    /// The end into which its conversions stand, if the way into the other takes them back.
    pub fn taken_back(&self) -> Option<End> {
        let plain =
            |end: &End| self.back && self.fill(end.other()).is_none_or(|way_back| way_back.conversions.is_empty());
        [End::Right, End::Left].into_iter().filter(|end| self.fill(*end).is_some()).find(plain)
    }

    /// Where the way back of what it does into an end leads; none if that starts from no field, or fills none.
    pub(super) fn way_back(&self, into: End) -> Option<Fill> {
        let fill = self.fill(into)?;
        match (&fill.source, &fill.target) {
            (Source::Field(from), Slot::Field(target)) => Some(Fill {
                target: Slot::Field(from.clone()),
                source: Source::Field(target.clone()),
                conversions: Vec::new(),
            }),
            // A place among others is read like a field, and goes back to where it was read.
            (Source::Field(from), Slot::Position) if *from == POSITION => Some(Fill {
                target: Slot::Position,
                source: Source::Field(POSITION.to_owned()),
                conversions: Vec::new(),
            }),
            (Source::Field(_), _) => None,
            (source, target) => {
                let is_same_slot = source.goes_back_to().as_ref() == Some(target);
                is_same_slot.then(|| Fill { conversions: Vec::new(), ..fill.clone() })
            }
        }
    }
}

impl Lane {
    /// The lane with the ways back of its rules spelt out, if it carries both ways: each of them fills a slot of both ends.
    pub fn with_ways_back(mut self) -> Lane {
        if self.direction != Direction::Both {
            return self;
        }
        for rule in &mut self.rules {
            if let Some(into) = rule.taken_back()
                && rule.fill(into.other()).is_none()
            {
                rule.into[into.other()] = rule.way_back(into);
            }
        }
        self
    }

    /// Whether a rule of the lane carries into an end.
    pub fn carries_into(&self, rule: &Rule, end: End) -> bool {
        self.direction.writes(end) && rule.fill(end).is_some()
    }
}
