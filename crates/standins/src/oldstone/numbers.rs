//! Oldstone's numbers: what is written as OS-12 is item 12.

pub(super) fn number(id: &str) -> Option<u32> {
    id.rsplit_once('-').and_then(|(_, n)| n.parse().ok())
}
