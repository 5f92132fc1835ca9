//! The folders above an artefact, by their titles.

use std::collections::HashMap;

use hovrel_core::bounds::{DEEPEST_FOLDER, LONGEST_IN_PATH};
use hovrel_core::model::Artefact;

/// Titles of the folders from the top to each folder, by id. A folder whose parents form a circle is
/// treated as standing at the top; of one that stands in too many others, the nearest are named.
pub fn folder_paths(folders: &[Artefact]) -> HashMap<String, Vec<String>> {
    let by_id: HashMap<&str, &Artefact> = folders.iter().map(|f| (f.id.as_str(), f)).collect();
    let above = |folder: &Artefact| folder.parent.as_deref().and_then(|p| by_id.get(p).copied());
    let title = |folder: &Artefact| folder.title.chars().take(LONGEST_IN_PATH).collect::<String>();
    let mut out: HashMap<String, Vec<String>> = HashMap::with_capacity(folders.len());
    for folder in folders {
        let mut path = vec![title(folder)];
        let mut seen = vec![folder.id.as_str()];
        let mut at = folder;
        while let Some(parent) = above(at).filter(|_| path.len() < DEEPEST_FOLDER) {
            if seen.contains(&parent.id.as_str()) {
                path.truncate(1);
                break;
            }
            seen.push(&parent.id);
            path.push(title(parent));
            at = parent;
        }
        path.reverse();
        out.insert(folder.id.clone(), path);
    }
    out
}

/// The folders that hold an artefact, from the top.
pub fn path_of<'p>(artefact: &Artefact, paths: &'p HashMap<String, Vec<String>>) -> &'p [String] {
    artefact.parent.as_ref().and_then(|p| paths.get(p)).map_or(&[], Vec::as_slice)
}

#[cfg(test)]
mod tests {
    use hovrel_core::model::Kind;

    use super::*;

    fn folder(n: usize, parent: Option<usize>) -> Artefact {
        let mut folder = Artefact::bare(Kind::Folder, &n.to_string());
        (folder.title, folder.parent) = (format!("Folder {n}"), parent.map(|p| p.to_string()));
        folder
    }

    /// What is named grows with the number of folders, however they stand in one another.
    #[test]
    fn a_chain_of_folders_is_named_in_part() {
        let chain: Vec<Artefact> = (0..20_000).map(|n: usize| folder(n, n.checked_sub(1))).collect();
        let paths = folder_paths(&chain);
        assert!(paths.values().all(|path| path.len() <= DEEPEST_FOLDER));
        assert_eq!(paths["2"], ["Folder 0", "Folder 1", "Folder 2"]);
        assert_eq!(paths["19999"].last().map(String::as_str), Some("Folder 19999"));
        let mut long = folder(0, None);
        long.title = "x".repeat(1_000_000);
        assert_eq!(folder_paths(&[long])["0"][0].len(), LONGEST_IN_PATH);
    }

    #[test]
    fn a_circle_of_folders_stands_at_the_top() {
        let circle = [folder(0, Some(2)), folder(1, Some(0)), folder(2, Some(1)), folder(3, Some(1))];
        let paths = folder_paths(&circle);
        assert_eq!(paths["1"], ["Folder 1"]);
        assert_eq!(paths["3"], ["Folder 3"]);
    }
}
