//! How deep folders stand in one another.
//!
//! Decides what a circle of folders counts as: each of them stands as deep as there are folders in it. Goes over every
//! folder once, however long the chain is.

use std::collections::HashMap;

/// How many folders there are from the top to each, itself among them, by id. A folder that is not among the `parents` counts
/// for nothing.
pub fn levels<'a>(parents: &HashMap<&'a str, Option<&'a str>>) -> HashMap<&'a str, u32> {
    let mut out: HashMap<&str, u32> = HashMap::with_capacity(parents.len());
    let mut way: Vec<&str> = Vec::new();
    // Where each folder stands on the way.
    let mut on_way: HashMap<&str, usize> = HashMap::new();
    for id in parents.keys() {
        let mut at = Some(*id);
        let mut above = 0;
        while let Some(here) = at.filter(|here| parents.contains_key(here)) {
            if let Some(known) = out.get(here) {
                above = *known;
                break;
            }
            if let Some(&first) = on_way.get(here) {
                let circle = way.split_off(first);
                above = circle.len() as u32;
                out.extend(circle.into_iter().map(|folder| (folder, above)));
                break;
            }
            on_way.insert(here, way.len());
            way.push(here);
            at = parents[here];
        }
        while let Some(folder) = way.pop() {
            above += 1;
            out.insert(folder, above);
        }
        on_way.clear();
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_chain_a_circle_and_what_hangs_on_it() {
        let parents: HashMap<&str, Option<&str>> = [
            ("top", None),
            ("under", Some("top")),
            ("deep", Some("under")),
            ("lost", Some("nowhere")),
            ("a", Some("b")),
            ("b", Some("c")),
            ("c", Some("a")),
            ("on it", Some("b")),
            ("itself", Some("itself")),
        ]
        .into();
        let found = levels(&parents);
        let of = |id: &str| found[id];
        assert_eq!((of("top"), of("under"), of("deep"), of("lost")), (1, 2, 3, 1));
        assert_eq!((of("a"), of("b"), of("c"), of("on it"), of("itself")), (3, 3, 3, 4, 1));
    }

    #[test]
    fn a_long_chain_is_gone_over_once() {
        let names: Vec<String> = (0..200_000).map(|n| n.to_string()).collect();
        let above = |n: usize| n.checked_sub(1).map(|n| names[n].as_str());
        let parents = names.iter().enumerate().map(|(n, name)| (name.as_str(), above(n))).collect();
        let found = levels(&parents);
        assert!(names.iter().enumerate().all(|(n, name)| found[name.as_str()] == n as u32 + 1));
    }
}
