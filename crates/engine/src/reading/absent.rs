//! Items of pairs that were not among those that were read.
//!
//! Decides why one is not there, by asking for it: its system says that it is not there, does not let it be read, or shows
//! it all the same, from somewhere else. So many are asked for; where all of these are gone, the others are too.

use std::collections::{HashMap, HashSet};

use futures::{FutureExt, StreamExt, TryStreamExt, stream};
use hovrel_connect::{ConnectError, Connector};
use hovrel_core::base::Pair;
use hovrel_core::model::{Artefact, End, Kind};
use hovrel_core::plan::Absence;
use hovrel_core::rules::Lane;

use crate::EngineError;

/// Items that are asked for, of one kind at one end.
const ASKED: usize = 100;

/// Why items are not there, by kind and id.
pub(crate) type Absences = HashMap<Kind, HashMap<String, Absence>>;

/// What was read of an end, and where its items are asked for.
pub(crate) struct AskedEnd<'a> {
    pub connector: &'a dyn Connector,
    pub system: &'a str,
    pub container: &'a str,
    pub items: &'a HashMap<Kind, Vec<Artefact>>,
    pub end: End,
}

pub(crate) async fn absences(
    at: AskedEnd<'_>,
    lanes: &[Lane],
    pairs: &HashMap<String, Vec<Pair>>,
) -> Result<Absences, EngineError> {
    let mut out = Absences::new();
    let mut lacking: HashMap<Kind, Vec<String>> = HashMap::new();
    for lane in lanes {
        let kind = lane.kind_at(at.end);
        let there: HashSet<&str> = at.items.get(&kind).into_iter().flatten().map(|a| a.id.as_str()).collect();
        let known = pairs.get(&lane.id).map_or(&[][..], Vec::as_slice).iter().filter(|p| !p.let_go);
        let ids = known.map(|p| p.ids[at.end].as_str()).filter(|id| !there.contains(id));
        lacking.entry(kind).or_default().extend(ids.map(str::to_owned));
    }
    for (kind, mut ids) in lacking {
        ids.sort();
        ids.dedup();
        let each: Vec<_> = ids.iter().take(ASKED).map(|id| look(&at, kind, id.clone()).boxed()).collect();
        let at_once = at.connector.describe().calls_at_once.max(1);
        let asked: Vec<(String, Absence)> = stream::iter(each).buffered(at_once).try_collect().await?;
        let all_gone = asked.iter().all(|(_, what)| *what == Absence::Gone);
        let rest = if all_gone { Absence::Gone } else { Absence::Unreadable };
        let others = ids.iter().skip(ASKED).map(|id| (id.clone(), rest));
        out.insert(kind, asked.iter().cloned().chain(others).collect());
    }
    Ok(out)
}

async fn look(at: &AskedEnd<'_>, kind: Kind, id: String) -> Result<(String, Absence), EngineError> {
    let found = at.connector.one(at.container, kind, &id).await;
    Ok((id, told(at.system, found.map(|_| ()))?))
}

/// What asking for one item came to. Trouble with the system as a whole says nothing of the item.
fn told(system: &str, found: Result<(), ConnectError>) -> Result<Absence, EngineError> {
    match found {
        Ok(()) => Ok(Absence::Elsewhere),
        Err(ConnectError::Missing { .. }) => Ok(Absence::Gone),
        Err(
            ConnectError::Forbidden { .. }
            | ConnectError::Refused { .. }
            | ConnectError::Malformed { .. }
            | ConnectError::NotData { .. }
            | ConnectError::NoSuchKind(_),
        ) => Ok(Absence::Unreadable),
        Err(error) => Err(EngineError::System { system: system.to_owned(), error }),
    }
}
