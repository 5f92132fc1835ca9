//! Coverage: of the requirements, how many a test case verifies, and which none does.
//!
//! Decides when a requirement counts: by a link from a test case that verifies it, or by a link of its own
//! to what verifies it, be that here or elsewhere. A test case that was never run counts; whether it passed
//! is another question (ISTQB glossary, “coverage”: covered ÷ total).

use std::collections::{BTreeMap, HashSet};

use serde::{Deserialize, Serialize};

use crate::model::{Artefact, Kind, LinkEnd, LinkType};

/// Uncovered requirements that are named; the count is exact beyond that.
const NAMED: usize = 500;

/// How many requirements are verified by test cases.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Coverage {
    /// Requirements that a test case verifies.
    pub covered: u64,
    /// All requirements.
    pub total: u64,
    /// The first of those that nothing verifies, in the order of their keys.
    pub uncovered: Vec<Uncovered>,
}

/// A requirement that no test case verifies.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Uncovered {
    /// Its id.
    pub id: String,
    /// What people call it.
    pub key: String,
    /// Its title.
    pub title: String,
}

/// Gathers coverage from a stream of artefacts of all kinds, in any order.
#[derive(Default)]
pub struct Covering {
    requirements: BTreeMap<String, Uncovered>,
    verified: HashSet<String>,
}

impl Covering {
    /// Takes another artefact into account.
    pub fn see(&mut self, artefact: &Artefact) {
        if artefact.kind == Kind::Requirement {
            let Artefact { id, key, title, .. } = artefact;
            if artefact.links.iter().any(|l| l.link_type == LinkType::VerifiedBy) {
                self.verified.insert(id.clone());
            }
            self.requirements.insert(id.clone(), Uncovered { id: id.clone(), key: key.clone(), title: title.clone() });
        }
        for link in artefact.links.iter().filter(|l| l.link_type == LinkType::Verifies) {
            if let LinkEnd::Artefact { kind: Kind::Requirement, id } = &link.target {
                self.verified.insert(id.clone());
            }
        }
    }

    /// None if there are no requirements: nothing of nothing is no share.
    pub fn finish(self) -> Option<Coverage> {
        let total = self.requirements.len() as u64;
        let mut uncovered: Vec<Uncovered> =
            self.requirements.into_values().filter(|r| !self.verified.contains(&r.id)).collect();
        uncovered.sort_by(|a, b| a.key.cmp(&b.key));
        let covered = total - uncovered.len() as u64;
        uncovered.truncate(NAMED);
        (total > 0).then_some(Coverage { covered, total, uncovered })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Link;

    fn linked(kind: Kind, id: &str, link_type: LinkType, target: LinkEnd) -> Artefact {
        Artefact { links: vec![Link::new(link_type, target)], ..Artefact::bare(kind, id) }
    }

    /// 13 of 14 (common practice, no source); each by one of the ways to say it, and twice counts once.
    #[test]
    fn a_requirement_is_covered_by_what_verifies_it() {
        let mut covering = Covering::default();
        for n in 1..=14 {
            covering.see(&Artefact::bare(Kind::Requirement, &format!("R{n}")));
        }
        let to = |id: &str| LinkEnd::Artefact { kind: Kind::Requirement, id: id.into() };
        for n in 1..=12 {
            covering.see(&linked(Kind::TestCase, &format!("C{n}"), LinkType::Verifies, to(&format!("R{n}"))));
            covering.see(&linked(Kind::TestCase, &format!("D{n}"), LinkType::Verifies, to("R1")));
        }
        let elsewhere = LinkEnd::Url("https://tests.skarnvik.example/1".into());
        covering.see(&linked(Kind::Requirement, "R13", LinkType::VerifiedBy, elsewhere));
        // A link that says something else verifies nothing, nor does one to what is not there.
        covering.see(&linked(Kind::TestCase, "C20", LinkType::RelatesTo, to("R14")));
        covering.see(&linked(Kind::TestCase, "C21", LinkType::Verifies, to("R99")));
        let found = covering.finish().expect("there are requirements");
        assert_eq!((found.covered, found.total), (13, 14));
        assert_eq!(found.uncovered.iter().map(|u| u.id.as_str()).collect::<Vec<_>>(), ["R14"]);
        assert_eq!(Covering::default().finish(), None);
    }
}
