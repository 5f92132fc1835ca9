//! The order in which cases stand in their folder, changed at either end: it is the same at both ends afterwards.

use std::collections::BTreeMap;

use hovrel_core::model::{POSITION, Value as Held};
use hovrel_core::rules::order_of;
use hovrel_testkit::{OLDSTONE, TALLYBENCH};

use crate::both_ways::edited;
use crate::both_ways_texts::Ground;

/// What stands in the folders of an end, each in its order, by what the left calls it.
async fn orders(ground: &Ground, of_left: bool) -> BTreeMap<String, Vec<String>> {
    let mut folders: BTreeMap<String, Vec<_>> = BTreeMap::new();
    for (key, (left, right)) in ground.items().await {
        let item = if of_left { &left } else { &right };
        // Folders are called otherwise at either end: each is told by what stands in it.
        folders.entry(left.parent.clone().unwrap_or_default()).or_default().push((order_of(item), key));
    }
    let sorted = folders.into_iter().map(|(folder, mut items)| {
        items.sort();
        (folder, items.into_iter().map(|(_, key)| key).collect())
    });
    sorted.collect()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn the_order_of_a_folder_goes_both_ways() {
    let mut ground = Ground::begin().await;
    ground.settle().await;
    assert_eq!(orders(&ground, true).await, orders(&ground, false).await, "one order at both ends");
    let before = orders(&ground, true).await;
    let (folder, _) = before.iter().find(|(_, keys)| keys.len() > 3).expect("a folder with several cases");
    for (known, end_is_left) in [(&TALLYBENCH, false), (&OLDSTONE, true)] {
        // The first of them becomes the last.
        let now = orders(&ground, end_is_left).await[folder].clone();
        let (last, first) = (now.last().expect("one").clone(), now[0].clone());
        let items = ground.items().await;
        let of = |key: &String| if end_is_left { &items[key].0 } else { &items[key].1 };
        let behind = Held::Integer(order_of(of(&last)).0 + 1);
        edited((&ground.systems, known), of(&first), false, |_| [(POSITION, behind)].into_iter().collect()).await;
        let moved = orders(&ground, end_is_left).await;
        assert_eq!(moved[folder].last(), Some(&first), "{}", known.name);
        ground.carry(None).await;
        assert_eq!(orders(&ground, true).await, moved, "at the left after an edit at {}", known.name);
        assert_eq!(orders(&ground, false).await, moved, "at the right after an edit at {}", known.name);
    }
}
