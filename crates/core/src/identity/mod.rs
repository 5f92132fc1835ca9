//! Identity: which artefact of the end that a lane writes is the counterpart of one of the end that it reads.
//!
//! Decides by pair first, then by what a person said, by origin mark, by the key fields of the lane, by title
//! and path, and last by likeness of title and text, which is only ever offered for review. Each artefact is
//! matched at most once; an ambiguous match is no match.

mod doubles;
mod lanes;
mod likeness;
mod words;

pub use doubles::{Doubles, doubles};
pub use lanes::{Between, Counterparts, InLane, PathOf, counterparts};
pub use likeness::{Likeness, likest};

use std::collections::{HashMap, HashSet};

use serde::{Deserialize, Serialize};

use crate::model::{Artefact, End, Ends, origin_mark};
use crate::rules::Matching;
use words::fold;

/// How a counterpart was found.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
#[serde(tag = "how", rename_all = "snake_case")]
pub enum Evidence {
    /// A person said so.
    Settled,
    /// One of the two carries the mark of the other.
    Origin {
        /// The mark.
        mark: String,
    },
    /// Nothing else holds this value in the lane's key fields.
    Key {
        /// What they hold.
        value: String,
    },
    /// Same title in the same folder.
    TitleAndPath {
        /// The titles, outermost first.
        path: String,
    },
    /// Alike; to be reviewed.
    Similar(Likeness),
}

impl Evidence {
    /// Whether the match is good enough to be taken unless a person says no.
    pub fn is_sure(&self) -> bool {
        !matches!(self, Evidence::Similar(_))
    }
}

/// An artefact as matching sees it.
#[derive(Debug, Clone)]
pub struct Candidate<'a> {
    /// The artefact.
    pub artefact: &'a Artefact,
    /// Titles of the folders above, in canonical form for both ends.
    pub path: String,
}

/// What a person said of artefacts of the end that is read: the id of the counterpart, or that there is none.
pub type Settled = HashMap<String, Option<String>>;

/// Likely counterparts of artefacts of the end that is read of which somebody was asked, and that nobody has decided on yet: the
/// id of each, and from which likeness on was asked then, in hundredths.
pub type Asked = HashMap<String, (String, u8)>;

/// How counterparts are looked for where there is no pair.
#[derive(Clone, Copy)]
pub struct Looking<'a> {
    /// Names of the systems, as they stand in origin marks.
    pub systems: Ends<&'a str>,
    /// The end that is read.
    pub read: End,
    /// By what counterparts are found.
    pub matching: &'a Matching,
    /// What persons decided.
    pub settled: &'a Settled,
    /// What they were asked.
    pub asked: &'a Asked,
}

/// Finds counterparts among artefacts that have no pair, in the order of the end that is read: for one of these (`from`) one of
/// the end that is written (`there`), each by its place.
/// Cost: linear, and for likeness proportional to the artefacts that share one of their rarest words.
pub fn match_first_contact(
    looking: Looking<'_>,
    from: &[Candidate<'_>],
    there: &[Candidate<'_>],
) -> Vec<(usize, usize, Evidence)> {
    let (read, written) = (looking.read, looking.read.other());
    let mut found =
        Finding { from_free: (0..from.len()).collect(), there_free: (0..there.len()).collect(), out: Vec::new() };
    let there_ids: HashMap<&str, usize> = there.iter().enumerate().map(|(n, c)| (c.artefact.id.as_str(), n)).collect();
    for (n, c) in from.iter().enumerate() {
        match looking.settled.get(&c.artefact.id) {
            Some(None) => _ = found.from_free.remove(&n),
            Some(Some(id)) => {
                if let Some(m) = there_ids.get(id.as_str()) {
                    found.take(n, *m, || Evidence::Settled);
                }
            }
            None => {}
        }
    }

    let marked = |list: &[Candidate<'_>]| -> HashMap<String, usize> {
        let mark = |(n, c): (usize, &Candidate<'_>)| Some((c.artefact.origin.clone()?, n));
        list.iter().enumerate().filter_map(mark).collect()
    };
    let marks = marked(there);
    for (n, c) in from.iter().enumerate() {
        let mark = origin_mark(looking.systems[read], c.artefact);
        if let Some(&m) = marks.get(mark.as_str()) {
            found.take(n, m, || Evidence::Origin { mark });
        }
    }
    // What is read may have been made from what is there, by a route that faces this one.
    let marks = marked(from);
    for (m, c) in there.iter().enumerate().filter(|_| !marks.is_empty()) {
        let mark = origin_mark(looking.systems[written], c.artefact);
        if let Some(&n) = marks.get(mark.as_str()) {
            found.take(n, m, || Evidence::Origin { mark });
        }
    }
    // An artefact that carries the mark of something else was made from that.
    found.there_free.retain(|n| there[*n].artefact.origin.is_none());

    if let Some(key) = &looking.matching.key {
        let values = |list: &[Candidate<'_>], field: &str| -> Vec<Option<String>> {
            list.iter().map(|c| key_value(c.artefact, field)).collect()
        };
        let fields = Ends { left: &key.left, right: &key.right };
        let (ls, rs) = (values(from, fields[read]), values(there, fields[written]));
        let of_there = by_value(&rs, &found.there_free);
        for (value, at) in by_value(&ls, &found.from_free) {
            if let ([l], Some([r])) = (at.as_slice(), of_there.get(value).map(Vec::as_slice)) {
                found.take(*l, *r, || Evidence::Key { value: value.clone() });
            }
        }
    }

    let places = |list: &[Candidate<'_>]| -> Vec<Option<(String, String)>> {
        list.iter().map(|c| Some((fold(&c.path), fold(&c.artefact.title)))).collect()
    };
    let (ls, rs) = (places(from), places(there));
    let of_there = by_value(&rs, &found.there_free);
    // Two of one name in one folder can't be told apart: no match, the rest of the rules decide.
    for (place, at) in by_value(&ls, &found.from_free) {
        if let ([l], Some([r])) = (at.as_slice(), of_there.get(place).map(Vec::as_slice)) {
            found.take(*l, *r, || Evidence::TitleAndPath { path: from[*l].path.clone() });
        }
    }

    // Nothing is more than equal: beyond 100 there is nothing to look for.
    if looking.matching.similar_from <= 100 {
        // What is alike is told by the words of all the others too. Whoever was asked about two is asked until somebody
        // decides, although items were edited since: else both would be made anew without a word. Not if somebody has raised
        // the likeness from which is asked since then.
        let alike_from = looking.matching.similar_from;
        let still_asked = |(n, c): (usize, &Candidate<'_>)| {
            let (id, _) = looking.asked.get(&c.artefact.id).filter(|(_, asked_from)| *asked_from >= alike_from)?;
            let m = *there_ids.get(id.as_str())?;
            (found.from_free.contains(&n) && found.there_free.contains(&m)).then_some((n, m))
        };
        let asked: Vec<(usize, usize)> = from.iter().enumerate().filter_map(still_asked).collect();
        let (l, r) = ((from, &found.from_free), (there, &found.there_free));
        let alike = likeness::alike(l, r, &asked, alike_from);
        found.out.extend(alike.into_iter().map(|(l, r, how)| (l, r, Evidence::Similar(how))));
    }
    found.out.sort_by_key(|(l, _, _)| *l);
    found.out
}

struct Finding {
    from_free: HashSet<usize>,
    there_free: HashSet<usize>,
    out: Vec<(usize, usize, Evidence)>,
}

impl Finding {
    /// Takes two as one if both are free.
    fn take(&mut self, from: usize, there: usize, evidence: impl FnOnce() -> Evidence) {
        if self.from_free.contains(&from) && self.there_free.remove(&there) {
            self.from_free.remove(&from);
            self.out.push((from, there, evidence()));
        }
    }
}

/// What an artefact holds in a key field, without regard to case and spaces; `@key` is what people call it.
fn key_value(artefact: &Artefact, field: &str) -> Option<String> {
    let text = match field {
        "@key" => artefact.key.clone(),
        field => artefact.fields.get(field).filter(|v| !v.is_blank())?.display(),
    };
    Some(fold(&text)).filter(|t| !t.is_empty())
}

/// The free ones by what they hold.
fn by_value<'v, V: Eq + std::hash::Hash>(values: &'v [Option<V>], free: &HashSet<usize>) -> HashMap<&'v V, Vec<usize>> {
    let mut map: HashMap<&V, Vec<usize>> = HashMap::new();
    for (n, value) in values.iter().enumerate().filter(|(n, _)| free.contains(n)) {
        if let Some(value) = value {
            map.entry(value).or_default().push(n);
        }
    }
    map
}

#[cfg(test)]
mod tests {
    use strsim::{jaro, jaro_winkler};

    /// Winkler 1990, “String Comparator Metrics and Enhanced Decision Rules in the Fellegi–Sunter Model
    /// of Record Linkage”, table of examples (values from memory).
    #[test]
    fn similarity_is_winklers() {
        for (a, b, expected) in [("MARTHA", "MARHTA", 0.961), ("DIXON", "DICKSONX", 0.813), ("DWAYNE", "DUANE", 0.840)]
        {
            assert!((jaro_winkler(a, b) - expected).abs() < 0.0006, "{a} {b}: {}", jaro_winkler(a, b));
        }
        assert!((jaro("MARTHA", "MARHTA") - 0.944).abs() < 0.0006);
    }
}
