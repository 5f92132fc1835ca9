//! Whether items stand in the same order at both ends.

use std::collections::BTreeMap;

use super::proof::OrderProof;
use crate::model::{Artefact, Ends};
use crate::rules::order_of;

/// In how many folders the items stand in the same order at both ends.
pub(super) fn order(carried: bool, pairs: &[Ends<&Artefact>]) -> OrderProof {
    let mut by_folder: BTreeMap<Option<&str>, Vec<(&Artefact, &Artefact)>> = BTreeMap::new();
    for Ends { left, right } in pairs {
        by_folder.entry(left.parent.as_deref()).or_default().push((*left, *right));
    }
    let mut out = OrderProof { carried, folders: 0, same: 0 };
    for items in by_folder.values_mut().filter(|items| items.len() > 1) {
        items.sort_by_key(|(left, _)| order_of(left));
        out.folders += 1;
        out.same += u64::from(items.is_sorted_by_key(|(_, right)| order_of(right)));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::model::{Kind, Value};

    #[test]
    fn folders_with_their_items_in_another_order_are_counted() {
        // By its number at the left, by the place in the list at the right.
        let listed = |place: u32| Artefact { position: place, ..Artefact::bare(Kind::TestCase, "r") };
        let at = |folder: &str, number: Value| {
            let mut item = Artefact { parent: Some(folder.into()), ..Artefact::bare(Kind::TestCase, "l") };
            item.fields.set("@position", number);
            item
        };
        let numbered = |folder, number| at(folder, Value::Integer(number));
        let (first, second) = (listed(1), listed(2));
        let both = [numbered("a", 20), numbered("a", 10), numbered("b", 1), numbered("b", 2), numbered("c", 1)];
        let [a20, a10, b1, b2, c1] = &both;
        fn pair<'a>((left, right): (&'a Artefact, &'a Artefact)) -> Ends<&'a Artefact> {
            Ends { left, right }
        }
        let found = order(true, &[(a20, &first), (a10, &second), (b1, &first), (b2, &second), (c1, &first)].map(pair));
        assert_eq!(found, OrderProof { carried: true, folders: 2, same: 1 }, "one item alone is in no order");
        let unnumbered = at("a", Value::Empty);
        let found = order(false, &[(a20, &first), (&unnumbered, &second)].map(pair));
        assert_eq!(found, OrderProof { carried: false, folders: 1, same: 1 }, "without a number it stands behind");
    }
}
