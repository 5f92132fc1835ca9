//! The order in which changes are applied.

use std::collections::BTreeMap;

/// Waves of changes that can be applied side by side: each wave depends only on the waves before.
/// Changes are given in plan order, where dependencies always point backwards.
pub fn waves(changes: &[(u32, Vec<u32>)]) -> Vec<Vec<u32>> {
    let mut level: BTreeMap<u32, usize> = BTreeMap::new();
    let mut out: Vec<Vec<u32>> = Vec::new();
    for (seq, depends_on) in changes {
        let at = depends_on.iter().filter_map(|d| level.get(d)).max().map_or(0, |l| l + 1);
        level.insert(*seq, at);
        if out.len() <= at {
            out.resize(at + 1, Vec::new());
        }
        out[at].push(*seq);
    }
    out
}
