//! States that are reached by moves: which moves lead from one to another, and what they ask for.
//!
//! Decides whether a state can be reached and by which shortest way (breadth first; of ways equally
//! long the one whose moves are declared first), and which fields that way demands.

use std::collections::{HashMap, VecDeque};

use serde::{Deserialize, Serialize};

/// The moves of one field.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Workflow {
    /// The state of a new item.
    pub first: String,
    /// The moves that there are.
    pub moves: Vec<Move>,
}

/// A move from one state to another.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Move {
    /// The state that it leads out of.
    pub from: String,
    /// The state that it leads to.
    pub to: String,
    /// Fields that must hold something before the move.
    #[serde(default)]
    pub asks: Vec<String>,
}

/// How a new item gets to a state.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Way {
    /// The state that it leads to.
    pub to: String,
    /// The states on the way, without the first and the last.
    pub by: Vec<String>,
    /// Fields that the moves ask for.
    pub asks: Vec<String>,
}

/// What stands in the way of a state.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Hindrance {
    /// No moves lead there.
    NoWay,
    /// The way asks for a field that holds nothing.
    Asks(String),
}

impl Workflow {
    /// What stands in the way from one state to another; `held` says which fields hold something.
    pub fn hindrances(&self, from: &str, to: &str, held: impl Fn(&str) -> bool) -> Vec<Hindrance> {
        if self.way(from, to).is_none() {
            return vec![Hindrance::NoWay];
        }
        let asked = self.asked(from, to).into_iter().filter(|field| !held(field));
        asked.map(|field| Hindrance::Asks(field.to_owned())).collect()
    }

    /// The shortest way from one state to another; empty if they are the same, none if there is no way.
    pub fn way(&self, from: &str, to: &str) -> Option<Vec<&Move>> {
        let mut came: HashMap<&str, &Move> = HashMap::new();
        let mut waiting = VecDeque::from([from]);
        while let Some(at) = waiting.pop_front() {
            if at == to {
                let mut way = Vec::new();
                let mut here = to;
                while here != from {
                    let taken = came.get(here)?;
                    way.push(*taken);
                    here = &taken.from;
                }
                way.reverse();
                return Some(way);
            }
            for m in self.moves.iter().filter(|m| m.from == at) {
                if m.to != from && !came.contains_key(m.to.as_str()) {
                    came.insert(&m.to, m);
                    waiting.push_back(&m.to);
                }
            }
        }
        None
    }

    /// How a new item gets to each of the states that it can get to.
    pub fn ways(&self, states: &[String]) -> Vec<Way> {
        let way = |to: &String| {
            let mut by: Vec<String> = self.way(&self.first, to)?.into_iter().map(|m| m.to.clone()).collect();
            by.pop();
            let asks = self.asked(&self.first, to).into_iter().map(str::to_owned).collect();
            Some(Way { to: to.clone(), by, asks })
        };
        states.iter().filter_map(way).collect()
    }

    /// The fields that the way from one state to another asks for, each once.
    pub fn asked(&self, from: &str, to: &str) -> Vec<&str> {
        let mut out: Vec<&str> = Vec::new();
        for field in self.way(from, to).into_iter().flatten().flat_map(|m| &m.asks) {
            if !out.contains(&field.as_str()) {
                out.push(field);
            }
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn moves(list: &[(u8, u8)]) -> Workflow {
        let one = |(from, to): &(u8, u8)| Move { from: from.to_string(), to: to.to_string(), asks: vec![] };
        Workflow { first: "0".into(), moves: list.iter().map(one).collect() }
    }

    /// The definition of distance in a directed graph, step by step: what can be reached in n moves.
    fn distance(list: &[(u8, u8)], from: u8, to: u8) -> Option<usize> {
        let mut reached = vec![from];
        for n in 0..=list.len() {
            if reached.contains(&to) {
                return Some(n);
            }
            let next: Vec<u8> = list.iter().filter(|(a, _)| reached.contains(a)).map(|(_, b)| *b).collect();
            reached.extend(next);
        }
        None
    }

    proptest! {
        #[test]
        fn a_way_is_made_of_moves_and_is_as_short_as_can_be(
            list in prop::collection::vec((0u8..6, 0u8..6), 0..20), from in 0u8..6, to in 0u8..6,
        ) {
            let workflow = moves(&list);
            let way = workflow.way(&from.to_string(), &to.to_string());
            prop_assert_eq!(way.as_ref().map(Vec::len), distance(&list, from, to));
            let mut at = from.to_string();
            for m in way.unwrap_or_default() {
                prop_assert_eq!(&m.from, &at);
                prop_assert!(workflow.moves.contains(m));
                at = m.to.clone();
            }
        }
    }

    #[test]
    fn what_a_way_asks_for_is_named_once() {
        let step = |from: &str, to: &str, asks: &[&str]| Move {
            from: from.into(),
            to: to.into(),
            asks: asks.iter().map(|a| (*a).to_owned()).collect(),
        };
        let moves = vec![step("a", "b", &["cure"]), step("b", "c", &["cure", "reason"])];
        let workflow = Workflow { first: "a".into(), moves };
        assert_eq!(workflow.asked("a", "c"), ["cure", "reason"]);
        assert!(workflow.asked("c", "a").is_empty());
        let states = ["a", "c", "d"].map(str::to_owned);
        let way = |to: &str, by: &[&str], asks: &[&str]| {
            let owned = |list: &[&str]| list.iter().map(|s| (*s).to_owned()).collect();
            Way { to: to.to_owned(), by: owned(by), asks: owned(asks) }
        };
        assert_eq!(workflow.ways(&states), [way("a", &[], &[]), way("c", &["b"], &["cure", "reason"])]);
    }
}
