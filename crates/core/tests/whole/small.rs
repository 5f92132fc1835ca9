//! A small world for lists and texts: where its items are at the right, and rules that fill what is there.

use hovrel_core::carry::Place;
use hovrel_core::model::{End, Kind, Reference};
use hovrel_core::rules::{Fill, Rule, Source};

/// Item 1 is at the right as 71, item 2 is to come, and nothing else is carried.
pub fn counterpart(kind: Kind, id: &str) -> Option<Place> {
    let reference = match id {
        "1" => Reference::known("71"),
        "2" => Reference::Pending { kind, id: "2".into() },
        _ => return None,
    };
    Some(Place { kind, reference })
}

pub fn fill(target: &str, source: Source) -> Fill {
    Fill { target: target.into(), source, conversions: vec![] }
}

pub fn rule(target: &str, source: Source) -> Rule {
    Rule::filling(End::Right, fill(target, source))
}
