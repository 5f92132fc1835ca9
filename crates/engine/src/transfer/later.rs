//! What follows when all items are there: links between them, and what texts call them.
//!
//! Decides what of it is still Hovrel's own to write. A text is, while it is as this transfer wrote it; somebody's words
//! stay. Of links, those that this transfer adds or takes away are added and taken away; what somebody did to the others
//! meanwhile stays as they did it.

use std::borrow::Cow;
use std::collections::BTreeMap;

use hovrel_connect::Written;
use hovrel_core::agree::{holdings, in_their_words, same};
use hovrel_core::base::Base;
use hovrel_core::carry::{Lacking, Resolved};
use hovrel_core::model::{Artefact, Link, Slot, Value, labelled, names_pending};
use hovrel_core::plan::{Change, Decision, FieldChange};
use hovrel_store::Stage as Noted;

use super::back::link_back;
use super::course::{Course, There};
use super::failure::{Failure, refuse};
use super::hanging::carry;
use super::item::{Purpose, Update, update};
use super::sent::Sent;
use super::shared::{Stage, Transfer};

/// How often somebody may be faster before the change is refused.
const FASTER: u32 = 5;

/// Writes the links of an item that is there, and the texts that name others. Those to items that are not there, because
/// their change was left out or refused, are left out, and show again in the next dry run.
pub(super) async fn carry_later(t: &Transfer, change: &Change, decision: &Decision) -> Result<Stage, Failure> {
    let mut c = Course::begin(t, change, decision, true).await?;
    let (desk, other) = (c.desk(), c.other_desk().end);
    let from = change.side(other).map_or("", |side| &side.id);
    let Some(id) = desk.place(change.kind_at(other), from).await else {
        return refuse("the item is not at the other end", "Retry; if it keeps failing, make a new dry run.");
    };
    let base = c.base(&id).await?;
    let mut wanted: BTreeMap<Slot, Later> = BTreeMap::new();
    let mut lacking = Lacking::new();
    let mut hanging: Vec<FieldChange> = Vec::new();
    for f in c.writes() {
        let Resolved { value, lacking: members } = desk.resolved(&f.write).await?;
        if names_pending(&value) {
            let value = desk.named(&value).await?;
            match f.field.has_its_own_calls() {
                true => hanging.push(FieldChange { write: value, ..f.clone() }),
                false => {
                    let before = labelled(&f.write).into_owned();
                    let held = held_at(&c, &base, &f.field).cloned().unwrap_or_else(|| before.clone());
                    wanted.insert(f.field.clone(), Later::Text { wanted: value, before: [before, held] });
                }
            }
        } else if f.field == Slot::Links {
            if !members.is_empty() {
                lacking.insert(f.field.clone(), members);
            }
            wanted.insert(
                f.field.clone(),
                Later::Links {
                    wanted: links_of(&value),
                    before: held_at(&c, &base, &Slot::Links).map(links_of).unwrap_or_default(),
                },
            );
        }
    }
    let mut now = desk.read(c.kind(), &id).await?;
    if !wanted.is_empty() {
        now = write_later(&mut c, &wanted, lacking, now).await?;
    }
    for f in &hanging {
        now = carry(&mut c, f, now).await?;
    }
    link_back(&mut c, &now.id).await?;
    c.note(Noted::Done, There::of(&now)).await?;
    t.keep_place(change, &now.id, &now.key).await;
    Ok(Stage::Settled)
}

/// A field that is written a second time.
enum Later {
    Text {
        wanted: Value,
        /// What this transfer wrote before, as it was sent and as the item held it.
        before: [Value; 2],
    },
    Links {
        wanted: Vec<Link>,
        /// What the item held when this transfer last wrote or read it.
        before: Vec<Link>,
    },
}

async fn write_later(
    c: &mut Course<'_>,
    wanted: &BTreeMap<Slot, Later>,
    lacking: Lacking,
    now: Artefact,
) -> Result<Artefact, Failure> {
    let (desk, kind) = (c.desk(), c.kind());
    let schema = desk.catalogue.kind(kind);
    let mut now = now;
    for faster in 0.. {
        let mut sent = Sent { values: BTreeMap::new(), lacking: lacking.clone() };
        for (field, later) in wanted {
            let held = field.of(&now).into_owned();
            match later {
                Later::Text { wanted, before } => {
                    if same(wanted, &held) {
                        continue;
                    }
                    if !before.iter().any(|b| same(b, &held)) {
                        return Err(hovrel_connect::ConnectError::Changed.into());
                    }
                    sent.values.insert(field.clone(), wanted.clone());
                }
                Later::Links { wanted, before } => {
                    let merged = merged(wanted, before, &links_of(&held));
                    if !same(&merged, &held) {
                        sent.values.insert(field.clone(), merged);
                    }
                }
            }
        }
        if !sent.is_empty() {
            let before = schema.map(|s| holdings(&now, s)).unwrap_or_default();
            let (id, version) = (now.id.clone(), now.version.clone());
            let purpose = Purpose::Change;
            let asked =
                Update { step: "later", purpose, id: &id, version, before: Cow::Borrowed(&before), was: Some(&now) };
            match update(c, asked, sent.clone()).await {
                Ok((Written { artefact, .. }, _)) => now = artefact,
                // Somebody was faster: it is read again.
                Err(Failure::Refused(r)) if r.changed && faster < FASTER => {
                    now = desk.read(kind, &id).await?;
                    continue;
                }
                Err(failure) => return Err(failure),
            }
        }
        break;
    }
    for (field, later) in wanted {
        let held = field.of(&now).into_owned();
        match later {
            Later::Text { wanted, .. } => {
                let held = if same(wanted, &held) { held } else { wanted.clone() };
                c.wrote_field(field, wanted.clone(), held);
            }
            // What others linked meanwhile is no part of what was agreed on.
            Later::Links { wanted, .. } => {
                let own = Value::Links(in_their_words(wanted, &links_of(&held))).settled();
                c.wrote_field(field, Value::Links(wanted.clone()).settled(), own);
            }
        }
    }
    c.lacks(lacking);
    Ok(now)
}

/// The links that are to be there: those that are, without those that are taken away, and with those that are added.
fn merged(wanted: &[Link], before: &[Link], now: &[Link]) -> Value {
    let has = |list: &[Link], link: &Link| list.iter().any(|l| l.is_same(link));
    let stays = now.iter().filter(|l| has(wanted, l) || !has(before, l));
    let added = wanted.iter().filter(|l| !has(before, l));
    let mut out: Vec<Link> = stays.cloned().collect();
    for link in added {
        if !has(&out, link) {
            out.push(link.clone());
        }
    }
    Value::Links(in_their_words(&out, now)).settled()
}

fn links_of(value: &Value) -> Vec<Link> {
    match value {
        Value::Links(list) => list.clone(),
        _ => Vec::new(),
    }
}

/// What the written end held in a slot when it was last in step.
fn held_at<'b>(c: &Course<'_>, base: &'b Base, slot: &Slot) -> Option<&'b Value> {
    base.told(c.filled(slot)?).map(|was| was[c.change.written])
}

#[cfg(test)]
mod tests {
    use hovrel_core::model::{LinkEnd, LinkType};

    use super::*;

    fn links(names: &str) -> Vec<Link> {
        names.chars().map(|n| Link::new(LinkType::RelatesTo, LinkEnd::Url(format!("https://x.example/{n}")))).collect()
    }

    fn said(value: &Value) -> String {
        links_of(value).iter().filter_map(|l| l.display().chars().last()).collect()
    }

    /// Three-way merging of sets: what one side added or removed since the base is added or removed (both-ways.md §7).
    #[test]
    fn what_others_did_to_links_stays_as_they_did_it() {
        for (wanted, before, now, merged_is) in [
            ("ab", "", "", "ab"),
            ("ab", "a", "a", "ab"),
            ("ab", "a", "ax", "abx"),
            ("ab", "a", "", "b"),
            ("b", "ab", "abx", "bx"),
            ("ab", "", "b", "ab"),
            ("", "ab", "bx", "x"),
        ] {
            let found = merged(&links(wanted), &links(before), &links(now));
            assert_eq!(said(&found), merged_is, "{wanted} over {before}, by now {now}");
        }
    }
}
