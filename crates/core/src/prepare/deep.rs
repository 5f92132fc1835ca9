//! Folders where the other end allows fewer levels: the rest of the way goes into the name.
//!
//! Decides which folder takes the place of one that is too deep: one at the lowest level that is allowed,
//! named after every folder from that level down. No folder is left out, so nothing changes its neighbours.

use std::collections::HashMap;

use crate::bounds::DEEPEST_FOLDER;
use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Artefact, Value, levels};

/// Brings folders that lie deeper than `lowest` up to the lowest level, and declares it. How many there were. Folders that
/// hold each other in a circle count from where the circle closes. A name holds the nearest folders of the way, and no more
/// of them than a path does.
pub fn join_deep(folders: &mut [Artefact], lowest: u32) -> usize {
    let lowest = lowest.max(1);
    let known: HashMap<&str, (&str, Option<&str>)> =
        folders.iter().map(|f| (f.id.as_str(), (f.title.as_str(), f.parent.as_deref()))).collect();
    let parents = known.iter().map(|(id, (_, parent))| (*id, *parent)).collect();
    let levels = levels(&parents);
    let above = |id: &str| known.get(id)?.1.filter(|parent| known.contains_key(parent));
    let mut order: Vec<usize> = (0..folders.len()).filter(|n| levels[folders[*n].id.as_str()] > lowest).collect();
    order.sort_by_key(|n| levels[folders[*n].id.as_str()]);
    // The folder over the lowest level, for those that are too deep; those that stand less deep come first.
    let mut over: HashMap<&str, Option<&str>> = HashMap::new();
    let mut joined: Vec<(usize, String, Option<String>)> = Vec::new();
    for n in order {
        let id = folders[n].id.as_str();
        let wanted = (levels[id] - lowest) as usize + 1;
        let mut way = vec![id];
        while way.len() < wanted.min(DEEPEST_FOLDER)
            && let Some(parent) = above(way[way.len() - 1])
        {
            way.push(parent);
        }
        let is_whole = wanted <= DEEPEST_FOLDER;
        let found = match is_whole {
            true => above(way[way.len() - 1]),
            false => above(id).and_then(|parent| over.get(parent).copied().flatten()),
        };
        let found = found.filter(|_| lowest > 1);
        over.insert(id, found);
        let names: Vec<&str> = way.iter().rev().map(|id| known[id].0).collect();
        let cut = if is_whole { "" } else { "… / " };
        joined.push((n, format!("{cut}{}", names.join(" / ")), found.map(str::to_owned)));
    }
    for (n, title, parent) in &joined {
        let folder = &mut folders[*n];
        let named: Vec<_> =
            folder.fields.iter().filter(|(_, v)| **v == Value::text(&*folder.title)).map(|(f, _)| f.clone()).collect();
        for field in named {
            folder.read_losses.push(Loss {
                field: field.to_string().into(),
                kind: LossKind::Flattened,
                cause: LossCause::TooDeep { levels: lowest },
                before: folder.title.clone(),
                after: title.clone(),
            });
            folder.fields.set(field, Value::text(title));
        }
        folder.title.clone_from(title);
        folder.parent.clone_from(parent);
    }
    joined.len()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::Kind;

    fn tree(names: &[(&str, Option<&str>)]) -> Vec<Artefact> {
        let folder = |(name, parent): &(&str, Option<&str>)| {
            let mut a = Artefact { title: (*name).into(), ..Artefact::bare(Kind::Folder, name) };
            a.parent = parent.map(str::to_owned);
            a.fields.set("name", Value::text(*name));
            a
        };
        names.iter().map(folder).collect()
    }

    #[test]
    fn the_rest_of_the_way_goes_into_the_name() {
        let mut folders = tree(&[("A", None), ("B", Some("A")), ("C", Some("B")), ("D", Some("C")), ("E", None)]);
        assert_eq!(join_deep(&mut folders, 2), 2);
        let now: Vec<(&str, Option<&str>)> = folders.iter().map(|f| (f.title.as_str(), f.parent.as_deref())).collect();
        assert_eq!(
            now,
            [("A", None), ("B", Some("A")), ("B / C", Some("A")), ("B / C / D", Some("A")), ("E", None)],
            "what is not too deep stays as it is"
        );
        assert_eq!(folders[3].fields.get("name"), Some(&Value::text("B / C / D")));
        assert!(folders[..2].iter().all(|f| f.read_losses.is_empty()) && folders[2].read_losses.len() == 1);
        // Once brought up, there is no more to do.
        assert_eq!(join_deep(&mut folders, 2), 0);
        assert_eq!(join_deep(&mut folders, 1), 3, "one level holds every folder by its whole way");
        assert_eq!(folders[1].title, "A / B");
    }

    /// Names grow with the number of folders, and not with its square.
    #[test]
    fn a_long_chain_is_named_in_part() {
        let names: Vec<String> = (0..20_000).map(|n| format!("F{n}")).collect();
        let above = |n: usize| n.checked_sub(1).map(|n| names[n].as_str());
        let chain: Vec<(&str, Option<&str>)> =
            names.iter().enumerate().map(|(n, name)| (name.as_str(), above(n))).collect();
        let mut folders = tree(&chain);
        assert_eq!(join_deep(&mut folders, 5), 19_995);
        assert!(folders[5..].iter().all(|f| f.parent.as_deref() == Some("F3")));
        assert_eq!(folders[6].title, "F4 / F5 / F6");
        assert!(folders[19_999].title.starts_with("… / F19900 / ") && folders[19_999].title.ends_with(" / F19999"));
    }

    #[test]
    fn a_circle_of_folders_ends() {
        let mut folders = tree(&[("A", Some("C")), ("B", Some("A")), ("C", Some("B"))]);
        join_deep(&mut folders, 2);
        assert!(folders.iter().all(|f| f.parent.as_deref() != Some(f.id.as_str())));
    }
}
