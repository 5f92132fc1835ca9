//! Links that Hovrel wrote back: they are its own, and not the people's.

use std::collections::{HashMap, HashSet};

use hovrel_core::model::{Artefact, Kind, LinkEnd};

/// Takes the links to counterparts off the items of an end: they are Hovrel's own, and would come back as somebody's
/// change (law 5). The items that had one are returned. `placed` says where a person finds what an item became.
pub(super) fn without_back_links<'i>(
    items: impl Iterator<Item = &'i mut Vec<Artefact>>,
    placed: Vec<(Kind, &str, String)>,
) -> HashSet<(Kind, String)> {
    let mut own: HashMap<(Kind, &str), Vec<LinkEnd>> = HashMap::new();
    for (kind, id, url) in placed {
        own.entry((kind, id)).or_default().push(LinkEnd::Url(url));
    }
    let mut found = HashSet::new();
    for item in items.flatten() {
        let Some(own) = own.get(&(item.kind, item.id.as_str())) else { continue };
        let before = item.links.len();
        item.links.retain(|l| !own.contains(&l.target));
        if item.links.len() < before {
            found.insert((item.kind, item.id.clone()));
        }
    }
    found
}
