//! How items hang together in a container: how deep they stand in folders, and what leads to nothing.

use std::collections::{BTreeMap, HashMap, HashSet};

use serde::{Deserialize, Serialize};

use crate::model::{Artefact, Kind, LinkEnd, Reference, Value, levels};

/// An item that leads to something which is not there.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Dangling {
    /// The kind of the item that has the link.
    pub kind: Kind,
    /// Its id.
    pub id: String,
    /// What people call it.
    pub key: String,
    /// What it leads to, by kind and id.
    pub to_kind: Kind,
    /// What the link leads to, for people.
    pub to: String,
}

/// How items of a kind stand in folders.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(utoipa::ToSchema))]
pub struct Depths {
    /// Items by how many folders are above them; the first number is of those in no folder.
    pub items: Vec<u64>,
    /// Of folders: how many hold nothing.
    pub empty: u64,
}

/// Dangling ends that are named; the count is exact beyond that.
const NAMED: usize = 200;

#[derive(Default)]
pub(super) struct Standing {
    ids: HashSet<(Kind, String)>,
    /// Folders with the folder that holds each.
    parents: HashMap<String, Option<String>>,
    /// How many items of a kind each folder holds; none stands for no folder.
    held: BTreeMap<Kind, HashMap<Option<String>, u64>>,
    leads: Vec<Dangling>,
}

impl Standing {
    pub(super) fn see(&mut self, a: &Artefact) {
        self.ids.insert((a.kind, a.id.clone()));
        if a.kind == Kind::Folder {
            self.parents.insert(a.id.clone(), a.parent.clone());
        }
        *self.held.entry(a.kind).or_default().entry(a.parent.clone()).or_default() += 1;
        let mut lead = |to_kind: Kind, to: &str| {
            let (id, key) = (a.id.clone(), a.key.clone());
            self.leads.push(Dangling { kind: a.kind, id, key, to_kind, to: to.to_owned() });
        };
        for link in &a.links {
            if let LinkEnd::Artefact { kind, id } = &link.target {
                lead(*kind, id);
            }
        }
        for (_, value) in a.fields.iter() {
            let Value::Steps(steps) = value else { continue };
            for call in steps.iter().filter_map(|s| s.call.as_ref()) {
                if let Reference::Known(id) = &call.target {
                    lead(Kind::SharedSteps, id);
                }
            }
        }
    }

    /// How many ends dangle, and the first of them; and how items stand, by kind.
    pub(super) fn finish(self) -> (u64, Vec<Dangling>, BTreeMap<Kind, Depths>) {
        let Standing { ids, parents, held, leads } = self;
        let mut dangling: Vec<Dangling> =
            leads.into_iter().filter(|d| !ids.contains(&(d.to_kind, d.to.clone()))).collect();
        dangling.sort();
        let count = dangling.len() as u64;
        dangling.truncate(NAMED);
        let known = parents.iter().map(|(id, parent)| (id.as_str(), parent.as_deref())).collect();
        let levels = levels(&known);
        let above = |folder: &Option<String>| match folder {
            None => 0,
            // A folder that nobody listed is one, too.
            Some(id) => levels.get(id.as_str()).map_or(1, |level| *level as usize),
        };
        let holds: HashSet<&String> = held.values().flat_map(|of| of.keys().flatten()).collect();
        let empty = parents.keys().filter(|id| !holds.contains(id)).count() as u64;
        let depths = held.iter().map(|(kind, of)| {
            let mut items: Vec<u64> = Vec::new();
            for (folder, n) in of {
                let at = above(folder);
                if items.len() <= at {
                    items.resize(at + 1, 0);
                }
                items[at] += n;
            }
            (*kind, Depths { items, empty: if *kind == Kind::Folder { empty } else { 0 } })
        });
        (count, dangling, depths.collect())
    }
}
