//! When two lists of links say the same.
//!
//! Decides by type and target; what a system calls a link is its own.

use crate::model::{Link, sorted};

/// What an end is to hold, with the words that it has for them: a link that is there already goes back as it was
/// read (each of several that mean the same), and only a new one gets the word that the system's profile names.
pub fn in_their_words(wanted: &[Link], held: &[Link]) -> Vec<Link> {
    let mut out = Vec::new();
    for link in wanted {
        let mut as_read = held.iter().filter(|h| h.is_same(link)).peekable();
        match as_read.peek() {
            Some(_) => out.extend(as_read.cloned()),
            None => out.push(link.clone()),
        }
    }
    sorted(&out)
}

/// Whether two lists lead to the same by the same types, whatever each link is called.
pub fn same_links(a: &[Link], b: &[Link]) -> bool {
    let all_in = |some: &[Link], others: &[Link]| some.iter().all(|l| others.iter().any(|o| o.is_same(l)));
    all_in(a, b) && all_in(b, a)
}
