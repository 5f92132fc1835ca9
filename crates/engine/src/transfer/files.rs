//! Carrying files: those that are missing are sent, those that the plan replaces or takes away go.
//!
//! Decides which file at the written end is Hovrel's to touch: one that the plan saw, by name and bytes, and one that this
//! transfer has sent. Everything else is somebody's and stays.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::atomic::Ordering::Relaxed;
use std::sync::{Arc, OnceLock};

use hovrel_connect::Outcome;
use hovrel_core::base::Base;
use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::model::{Artefact, Attachment, Slot, Value};
use hovrel_core::plan::FieldChange;
use serde_json::json;

use super::checked::{Found, Seen, checked};
use super::course::Course;
use super::failure::{Failure, TRIES, pause, refuse};
use crate::points::point;
use crate::reading::digest;

fn files_of(value: Option<&Value>) -> &[Attachment] {
    match value {
        Some(Value::Attachments(list)) => list,
        _ => &[],
    }
}

fn named<'f>(list: &'f [Attachment], name: &str) -> Option<&'f Attachment> {
    list.iter().find(|f| f.name == name)
}

/// What is to be done about one file.
#[derive(Debug, PartialEq, Eq)]
enum Do {
    Nothing,
    Send,
    Remove,
    /// Somebody did something to it since the plan was made.
    Leave,
}

/// `mine` is what this transfer has sent under the name: what was there before, if it was noted as done.
fn what_to_do(
    wanted: Option<&Attachment>,
    saw: Option<&Attachment>,
    now: Option<&Attachment>,
    mine: Option<&Step>,
) -> Do {
    let as_seen = match (saw, now) {
        (None, None) => true,
        (Some(saw), Some(now)) => saw.is_same(now),
        _ => false,
    };
    match (wanted, now) {
        (Some(wanted), Some(now)) if wanted.is_same(now) => Do::Nothing,
        // It was sent and has arrived: what it is by now somebody made of it.
        (Some(_), _) if mine.is_some_and(|m| m.done) => Do::Nothing,
        (Some(_), _) if as_seen => Do::Send,
        // The plan would have left it as it is, and somebody took it away.
        (Some(wanted), None) if saw.is_some_and(|s| s.is_same(wanted)) => Do::Nothing,
        (Some(_), _) => Do::Leave,
        (None, Some(_)) if saw.is_some() && as_seen => Do::Remove,
        // Somebody's own, or somebody's instead of the one that was to go.
        (None, _) => Do::Nothing,
    }
}

/// A file that this transfer sent, or was about to.
struct Step {
    done: bool,
}

pub(super) async fn carry_files(c: &mut Course<'_>, f: &FieldChange, item: Artefact) -> Result<Artefact, Failure> {
    let (desk, other, kind) = (c.desk(), c.other_desk(), c.kind());
    let (wanted, saw) = (files_of(Some(&f.write)), files_of(f.held(desk.end)));
    let steps: BTreeMap<String, Step> = c
        .begun()
        .filter_map(|step| Some((step.strip_prefix("file ")?.to_owned(), Step { done: c.step(c.at(step))?.is_done() })))
        .collect();
    let mut sent: BTreeMap<String, Found> = BTreeMap::new();
    let mut spoilt: BTreeSet<String> = BTreeSet::new();
    let mut now = desk.read(kind, &item.id).await?;
    // What was carried before is asked for only where the written end does not say which bytes it holds.
    let base = match saw.iter().chain(&now.attachments).all(|f| f.digest.is_some()) {
        true => Base::default(),
        false => c.base(&item.id).await?,
    };
    let carried = files_of(c.filled(&Slot::Files).and_then(|of| base.told(of)).map(|was| was[other.end]));
    let saw = &as_carried(saw, wanted, carried);
    for tries in 1.. {
        let known = told(c, &now, wanted, carried).await?;
        let (mut to_send, mut to_remove) = (Vec::new(), Vec::new());
        let (mut left, mut differing) = (Vec::new(), Vec::new());
        let names: BTreeSet<&str> = wanted.iter().chain(saw).map(|f| f.name.as_str()).collect();
        for name in names {
            let held = named(&known, name);
            // What arrived in this run is as it was streamed, or the system says otherwise.
            if let Some(found) = sent.get(name) {
                match held {
                    Some(held) if found.is(held) => continue,
                    Some(_) => differing.push(name),
                    None => to_send.extend(named(wanted, name)),
                }
                continue;
            }
            match what_to_do(named(wanted, name), named(saw, name), held, steps.get(name)) {
                Do::Nothing => {}
                Do::Send => to_send.extend(named(wanted, name)),
                Do::Remove => to_remove.push(name.to_owned()),
                Do::Leave => left.push(name),
            }
        }
        if to_send.is_empty() && to_remove.is_empty() {
            if !left.is_empty() {
                return refuse(
                    &format!("the files {} were added, replaced or removed there since the dry run", left.join(", ")),
                    "They were left as they are. Make a new dry run to see what is there.",
                );
            }
            if !differing.is_empty() {
                return refuse(
                    &format!("the files {} differ at the other end from what was sent", differing.join(", ")),
                    "Compare them by hand: the system may change what it stores, or a person changed it first.",
                );
            }
            break;
        }
        if tries > TRIES {
            let names: Vec<&str> = to_send.iter().map(|f| f.name.as_str()).collect();
            return match names.iter().find(|name| spoilt.contains(**name)) {
                Some(name) => refuse(
                    &format!("{name} has other bytes in {} than its item declares there", other.name),
                    "Nothing of it was kept. Upload the file again there, or leave the files of this item out, and retry.",
                ),
                None => refuse(
                    &format!("the files {} are not at the other end after having been sent", names.join(", ")),
                    "Retry; if it keeps failing, compare the files by hand.",
                ),
            };
        }
        for file in to_send {
            let step = format!("file {}", file.name);
            c.about_to(c.at(&step), &json!({"digest": file.digest, "bytes": file.bytes})).await?;
            let (kind_there, id_there) = (c.change.kind_at(other.end), c.id_at(other.end));
            let bytes = other.connector.fetch_attachment(kind_there, id_there, &file.name).await?;
            let seen = Arc::new(OnceLock::new());
            let answer = desk.connector.put_attachment(kind, &now.id, file, checked(bytes, file, seen.clone())).await;
            point("file called");
            match (seen.get(), answer) {
                (Some((_, Seen::OtherBytes)), _) => {
                    // It may be the answer that was spoilt on its way: asked for again, and told if it goes on.
                    spoilt.insert(file.name.clone());
                    pause(tries).await;
                }
                (Some((found, seen)), Ok(())) => {
                    spoilt.remove(&file.name);
                    if let Seen::OtherType(known) = seen {
                        c.met(of_other_type(file, *known));
                    }
                    sent.insert(file.name.clone(), found.clone());
                    c.did(c.at(&step), None).await?;
                    c.t.files.fetch_add(1, Relaxed);
                }
                (_, Err(e)) if e.outcome() == Outcome::Refused => return Err(e.into()),
                _ => pause(tries).await,
            }
        }
        for name in to_remove {
            c.about_to(c.at(&format!("remove {name}")), &json!({})).await?;
            let answer = desk.connector.remove_attachment(kind, &now.id, &name).await;
            point("remove called");
            match answer {
                Err(e) if e.outcome() == Outcome::Refused => return Err(e.into()),
                Err(_) => pause(tries).await,
                Ok(()) => {}
            }
        }
        now = desk.read(kind, &now.id).await?;
    }
    // Only what is this transfer's own, or was there as the plan saw it, is what both ends agreed on.
    let agreed = |file: &&Attachment| {
        let seen = named(saw, &file.name).is_some_and(|s| s.is_same(file));
        named(wanted, &file.name).is_some_and(|w| w.is_same(file) || seen)
    };
    let mut held: Vec<Attachment> = now.attachments.iter().filter(agreed).cloned().collect();
    // What somebody has replaced or removed since it was sent is their change of what was sent.
    held.extend(wanted.iter().filter(|w| named(&held, &w.name).is_none()).cloned().collect::<Vec<_>>());
    held.sort_by(|a, b| a.name.cmp(&b.name));
    c.wrote_field(&Slot::Files, f.write.clone(), Value::Attachments(held).settled());
    Ok(now)
}

/// Whether the left's file is another than the one that was carried under its name.
fn is_other(wanted: &[Attachment], carried: &Attachment) -> bool {
    named(wanted, &carried.name).is_some_and(|w| w.is_told_beside(carried) && !w.is_same(carried))
}

/// What the plan saw, where its system did not say which bytes: those that were carried there, if they are to be replaced.
fn as_carried(saw: &[Attachment], wanted: &[Attachment], carried: &[Attachment]) -> Vec<Attachment> {
    let one = |file: &Attachment| match named(carried, &file.name).filter(|c| is_other(wanted, c)) {
        Some(carried) if file.digest.is_none() => {
            Attachment { digest: carried.digest.clone(), bytes: carried.bytes, ..file.clone() }
        }
        _ => file.clone(),
    };
    saw.iter().map(one).collect()
}

/// The files of an item. Of those that are to be replaced and of which its system does not say which bytes they are, the
/// bytes are read: they may be somebody's.
async fn told(
    c: &Course<'_>,
    now: &Artefact,
    wanted: &[Attachment],
    carried: &[Attachment],
) -> Result<Vec<Attachment>, Failure> {
    let mut out = now.attachments.clone();
    for file in out.iter_mut().filter(|f| f.digest.is_none()) {
        if named(carried, &file.name).is_some_and(|c| is_other(wanted, c)) {
            let read = digest(&*c.desk().connector, c.kind(), &now.id, file).await;
            *file = match read {
                Ok(read) => read,
                Err(why) => {
                    return refuse(
                        &format!("{} can't be read in {}, so its item is unknown: {why}", file.name, c.desk().name),
                        "Nothing was replaced. Retry when the file can be read there.",
                    );
                }
            };
        }
    }
    Ok(out)
}

/// That a file is not of its declared type.
fn of_other_type(file: &Attachment, found: Option<&str>) -> Loss {
    Loss {
        field: Slot::Files,
        kind: LossKind::Downgraded,
        cause: LossCause::FileOfOtherType { declared: file.media_type.clone() },
        before: format!("{} ({})", file.name, file.media_type),
        after: format!("the same bytes, of {}", found.unwrap_or("an unknown type")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(digest: &str) -> Attachment {
        Attachment { name: "a".into(), media_type: "text/plain".into(), bytes: Some(1), digest: Some(digest.into()) }
    }

    /// Every combination of what is wanted, was seen and is there by now, of two contents and none.
    #[test]
    fn nothing_but_what_the_plan_saw_is_touched() {
        let all = [None, Some(file("1")), Some(file("2")), Some(file("3"))];
        for wanted in &all[..3] {
            for saw in &all[..3] {
                for now in &all {
                    let found = what_to_do(wanted.as_ref(), saw.as_ref(), now.as_ref(), None);
                    if matches!(found, Do::Send | Do::Remove) {
                        assert_eq!(saw, now, "{wanted:?} over {saw:?}: {found:?} over {now:?}");
                        assert_ne!(wanted, now);
                    }
                    if saw == now && wanted != now {
                        assert!(matches!(found, Do::Send | Do::Remove), "the plan is carried out: {wanted:?} {now:?}");
                    }
                    // What was sent and has arrived is not sent again, whatever became of it.
                    let again = what_to_do(wanted.as_ref(), saw.as_ref(), now.as_ref(), Some(&Step { done: true }));
                    assert!(again != Do::Send, "{wanted:?} {saw:?} {now:?}");
                }
            }
        }
        let taken_away = what_to_do(Some(&file("1")), Some(&file("1")), None, None);
        assert_eq!(taken_away, Do::Nothing, "somebody took it away, and the plan had nothing to do about it");
    }
}
