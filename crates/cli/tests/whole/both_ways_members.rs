//! Comments, files and links of both systems: what people add at one is at the other once, wherever a transfer is cut off, none
//! comes back to where it came from, and of files and links what is taken away at one is taken away at the other.

use chrono::Utc;
use futures::StreamExt;
use hovrel_connect::Write;
use hovrel_core::model::{
    Artefact, Attachment, Comment, Document, End, Ends, Fields, Kind, LINKS, Link, LinkEnd, LinkType, Stamp,
    Value as Held,
};
use hovrel_testkit::{Known, OLDSTONE, TALLYBENCH, read_all};

use crate::both_ways::{CUTS, edited};
use crate::both_ways_texts::Ground;

const ENDS: Ends<&Known> = Ends { left: &OLDSTONE, right: &TALLYBENCH };

async fn say(ground: &Ground, end: End, item: &Artefact, words: &str) {
    let c = ground.systems.connect(ENDS[end]);
    let stamp = Stamp { at: Some(Utc::now().fixed_offset()), by: None };
    let comment = Comment { id: None, stamp, body: Document::from_text(words) };
    c.add_comment(ENDS[end].container, Kind::TestCase, &item.id, &comment).await.expect("it is said");
}

async fn put(ground: &Ground, end: End, item: &Artefact, name: &str, words: &str) {
    let bytes = bytes::Bytes::from(words.to_owned());
    let size = Some(bytes.len() as u64);
    let file = Attachment { name: name.into(), media_type: "text/plain".into(), bytes: size, digest: None };
    let bytes = futures::stream::iter([Ok(bytes)]).boxed();
    let c = ground.systems.connect(ENDS[end]);
    c.put_attachment(Kind::TestCase, &item.id, &file, bytes).await.expect("it is stored");
}

/// The words of a file; none if it is not there.
async fn words_of(ground: &Ground, end: End, item: &Artefact, name: &str) -> Option<String> {
    let c = ground.systems.connect(ENDS[end]);
    let mut bytes = c.fetch_attachment(Kind::TestCase, &item.id, name).await.ok()?;
    let mut out = Vec::new();
    while let Some(part) = bytes.next().await {
        out.extend_from_slice(&part.expect("it is read"));
    }
    String::from_utf8(out).ok()
}

/// The words of a file at both ends.
async fn at_both(ground: &Ground, item: &(Artefact, Artefact), name: &str) -> (Option<String>, Option<String>) {
    (words_of(ground, End::Left, &item.0, name).await, words_of(ground, End::Right, &item.1, name).await)
}

/// Gives an item other links.
async fn relink(ground: &Ground, end: End, item: &Artefact, change: impl Fn(&mut Vec<Link>)) {
    edited((&ground.systems, ENDS[end]), item, false, |now| {
        let mut links = now.links.clone();
        change(&mut links);
        [(LINKS, Held::Links(links))].into_iter().collect()
    })
    .await;
}

fn leads_to(item: &Artefact, other: &Artefact) -> bool {
    item.links.iter().any(|l| matches!(&l.target, LinkEnd::Artefact { id, .. } if *id == other.id))
}

/// So many comments of an item say some words.
fn says(item: &Artefact, words: &str) -> usize {
    item.comments.iter().filter(|c| c.body.plain().contains(words)).count()
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn each_comment_is_at_both_ends_once() {
    let mut ground = Ground::begin().await;
    ground.settle().await;
    let before = ground.items().await;
    let items: Vec<&(Artefact, Artefact)> = before.values().take(4).collect();
    let [left, right, both, cut_off] = items[..] else { panic!("{} cases", items.len()) };

    say(&ground, End::Left, &left.0, "The rope is dry").await;
    say(&ground, End::Right, &right.1, "The gate sticks").await;
    say(&ground, End::Left, &both.0, "Seen from Midway").await;
    for words in ["Seen from the top", "Seen again"] {
        say(&ground, End::Right, &both.1, words).await;
    }
    let (_, found) = ground.plan().await;
    let outcome = |item: &(Artefact, Artefact)| found[&item.0.key]["outcome"].as_str().map(str::to_owned);
    assert_eq!(outcome(left).as_deref(), Some("update_right"));
    assert_eq!(outcome(right).as_deref(), Some("update_left"));
    assert_eq!(outcome(both).as_deref(), Some("update_right"));
    ground.carry(None).await;
    let now = ground.items().await;
    for (item, words) in [
        (left, "The rope is dry"),
        (right, "The gate sticks"),
        (both, "Seen from Midway"),
        (both, "Seen from the top"),
        (both, "Seen again"),
    ] {
        let (left, right) = &now[&item.0.key];
        assert_eq!((says(left, words), says(right, words)), (1, 1), "{words}");
    }

    // What is there already is not shown as if it went when more is said, at either end.
    say(&ground, End::Left, &both.0, "Seen once more").await;
    say(&ground, End::Right, &both.1, "Not seen again").await;
    let (plan, found) = ground.plan().await;
    let path = format!("/plans/{}/changes/{}", plan["id"].as_str().expect("an id"), found[&both.0.key]["seq"]);
    let detail = ground.client.get(&path).await;
    let shown = detail["fields"][0].to_string();
    assert!(shown.contains("Seen once more") && shown.contains("Not seen again"), "{shown}");
    assert!(shown.contains("Seen from Midway") && !shown.contains("\"removed\""), "{shown}");

    // A new item of the right is at the left with what was said of it.
    let there = ground.systems.connect(&TALLYBENCH);
    let fields: Fields = [("title", Held::text("Found at the gate")), ("priority", Held::choice("Normal"))]
        .into_iter()
        .chain([("status", Held::choice("active"))])
        .collect();
    let parent = Some(both.1.parent.clone());
    let write = Write { kind: Kind::TestCase, id: None, version: None, fields, parent, in_source: false };
    let made = there.write(TALLYBENCH.container, &write).await.expect("it is made").artefact;
    say(&ground, End::Right, &made, "Nobody had seen it").await;
    ground.carry(None).await;
    let all = read_all(&*ground.systems.connect(&OLDSTONE), OLDSTONE.container, Kind::TestCase).await;
    let new = all.iter().find(|a| a.title == "Found at the gate").expect("it is there");
    assert_eq!(says(new, "Nobody had seen it"), 1);

    let cuts: &[&str] = match cfg!(feature = "failpoints") {
        true => &["piece intended", "piece called", "piece accepted", "made", "before done"],
        false => &[],
    };
    for (round, cut) in cuts.iter().enumerate() {
        let said = Ends { left: format!("Left {round}"), right: format!("Right {round}") };
        say(&ground, End::Left, &cut_off.0, &said.left).await;
        say(&ground, End::Right, &cut_off.1, &said.right).await;
        ground.carry(Some(cut)).await;
        let (left, right) = &ground.items().await[&cut_off.0.key];
        for words in [&said.left, &said.right] {
            assert_eq!((says(left, words), says(right, words)), (1, 1), "{words}, cut off at {cut}");
        }
    }
    assert_eq!(ground.client.prove(&ground.route).await["headline"]["unexplained_items"], 0);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn files_and_links_are_added_and_taken_away_at_both_ends() {
    let mut ground = Ground::begin_with(&[Kind::TestCase], true).await;
    ground.settle().await;
    let before = ground.items().await;
    let items: Vec<&(Artefact, Artefact)> = before.values().take(4).collect();
    let [left, right, both, cut_off] = items[..] else { panic!("{} cases", items.len()) };
    put(&ground, End::Left, &left.0, "wind.txt", "It blows").await;
    put(&ground, End::Right, &right.1, "gate.txt", "It sticks").await;
    put(&ground, End::Right, &right.1, "rope.txt", "It hangs").await;
    put(&ground, End::Left, &both.0, "left.txt", "From the left").await;
    put(&ground, End::Right, &both.1, "right.txt", "From the right").await;
    relink(&ground, End::Right, &right.1, |links| {
        for to in [&left.1, &cut_off.1] {
            let target = LinkEnd::Artefact { kind: Kind::TestCase, id: to.id.clone() };
            links.push(Link::new(LinkType::RelatesTo, target));
        }
    })
    .await;
    ground.carry(None).await;
    for (item, name, words) in [
        (left, "wind.txt", "It blows"),
        (right, "gate.txt", "It sticks"),
        (right, "rope.txt", "It hangs"),
        (both, "left.txt", "From the left"),
        (both, "right.txt", "From the right"),
    ] {
        let words = Some(words.to_owned());
        assert_eq!(at_both(&ground, item, name).await, (words.clone(), words), "{name}");
    }
    let now = ground.items().await;
    assert!(leads_to(&now[&right.0.key].0, &left.0) && leads_to(&now[&right.0.key].1, &left.1));
    // The link that Hovrel wrote to the counterpart stays, once.
    let own = |item: &Artefact| {
        item.links
            .iter()
            .filter(|l| matches!(&l.target, LinkEnd::Url(url) if url.ends_with(&format!("/{}", right.1.id))))
            .count()
    };
    assert_eq!((own(&right.0), own(&now[&right.0.key].0)), (1, 1), "{:?}", now[&right.0.key].0.links);

    // Other bytes at the right, one of two files and links taken away at the left, and one file that both replaced.
    put(&ground, End::Right, &left.1, "wind.txt", "It blows from the east").await;
    let old = ground.systems.connect(&OLDSTONE);
    old.remove_attachment(Kind::TestCase, &right.0.id, "gate.txt").await.expect("it is removed");
    relink(&ground, End::Left, &right.0, |links| {
        links.retain(|l| !matches!(&l.target, LinkEnd::Artefact { id, .. } if *id == left.0.id));
    })
    .await;
    put(&ground, End::Left, &both.0, "left.txt", "Left again").await;
    put(&ground, End::Right, &both.1, "left.txt", "Right instead").await;
    let (_, found) = ground.plan().await;
    assert_eq!(found[&both.0.key]["outcome"], "conflict");
    ground.carry(None).await;
    let east = Some("It blows from the east".to_owned());
    assert_eq!(at_both(&ground, left, "wind.txt").await, (east.clone(), east));
    assert_eq!(at_both(&ground, right, "gate.txt").await, (None, None));
    let kept = (Some("Left again".to_owned()), Some("Right instead".to_owned()));
    assert_eq!(at_both(&ground, both, "left.txt").await, kept, "nothing is overwritten");
    let now = ground.items().await;
    assert!(!leads_to(&now[&right.0.key].0, &left.0) && !leads_to(&now[&right.0.key].1, &left.1));
    assert!(leads_to(&now[&right.0.key].0, &cut_off.0) && leads_to(&now[&right.0.key].1, &cut_off.1));

    let cuts: &[&str] = match cfg!(feature = "failpoints") {
        true => &["file intended", "file called", "made", "before done"],
        false => &[],
    };
    for (round, cut) in cuts.iter().enumerate() {
        let names = Ends { left: format!("left {round}.txt"), right: format!("right {round}.txt") };
        put(&ground, End::Left, &cut_off.0, &names.left, "One").await;
        put(&ground, End::Right, &cut_off.1, &names.right, "Two").await;
        ground.carry(Some(cut)).await;
        for (name, words) in [(&names.left, "One"), (&names.right, "Two")] {
            let words = Some(words.to_owned());
            assert_eq!(at_both(&ground, cut_off, name).await, (words.clone(), words), "{name}, cut off at {cut}");
        }
    }

    // Links go with the item, in one call: the left gets them beside its link to the counterpart, which stays, once.
    for (round, cut) in CUTS.iter().enumerate() {
        let is_there = round % 2 == 0;
        relink(&ground, End::Right, &right.1, |links| match is_there {
            true => {
                let target = LinkEnd::Artefact { kind: Kind::TestCase, id: both.1.id.clone() };
                links.push(Link::new(LinkType::RelatesTo, target));
            }
            false => links.retain(|l| !matches!(&l.target, LinkEnd::Artefact { id, .. } if *id == both.1.id)),
        })
        .await;
        ground.carry(Some(cut)).await;
        let (at_left, at_right) = &ground.items().await[&right.0.key];
        let led = (leads_to(at_left, &both.0), leads_to(at_right, &both.1));
        assert_eq!((led, own(at_left)), ((is_there, is_there), 1), "cut off at {cut}: {:?}", at_left.links);
        assert!(leads_to(at_left, &cut_off.0) && leads_to(at_right, &cut_off.1), "cut off at {cut}");
    }
}
