//! Folders where the other end allows fewer levels: the rest of the way goes into the name.
//!
//! Decides which folder takes the place of one that is too deep: one at the lowest level that is allowed,
//! named after every folder from that level down. No folder is left out, so nothing changes its neighbours.

use std::collections::HashMap;

use crate::loss::{Loss, LossCause, LossKind};
use crate::model::{Artefact, Value};

/// Brings folders that lie deeper than `levels` up to the lowest level, and declares it. How many there were.
/// Folders that hold each other in a circle count from where the circle closes.
pub fn join_deep(folders: &mut [Artefact], levels: u32) -> usize {
    let levels = (levels as usize).max(1);
    let known: HashMap<&str, (&str, Option<&str>)> =
        folders.iter().map(|f| (f.id.as_str(), (f.title.as_str(), f.parent.as_deref()))).collect();
    let mut joined: Vec<(usize, String, Option<String>)> = Vec::new();
    for (n, folder) in folders.iter().enumerate() {
        // From the folder up to the top.
        let mut way = vec![folder.id.as_str()];
        while let Some((id, _)) = way.last().and_then(|at| known.get(at)?.1).and_then(|p| known.get_key_value(p)) {
            if way.contains(id) {
                break;
            }
            way.push(id);
        }
        if way.len() > levels {
            way.reverse();
            let names: Vec<&str> = way[levels - 1..].iter().map(|id| known[id].0).collect();
            let above = levels.checked_sub(2).map(|n| way[n].to_owned());
            joined.push((n, names.join(" / "), above));
        }
    }
    for (n, title, parent) in &joined {
        let folder = &mut folders[*n];
        let named: Vec<_> =
            folder.fields.iter().filter(|(_, v)| **v == Value::text(&*folder.title)).map(|(f, _)| f.clone()).collect();
        for field in named {
            folder.read_losses.push(Loss {
                field: field.to_string(),
                kind: LossKind::Flattened,
                cause: LossCause::TooDeep { levels: levels as u32 },
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

    #[test]
    fn a_circle_of_folders_ends() {
        let mut folders = tree(&[("A", Some("C")), ("B", Some("A")), ("C", Some("B"))]);
        join_deep(&mut folders, 2);
        assert!(folders.iter().all(|f| f.parent.as_deref() != Some(f.id.as_str())));
    }
}
