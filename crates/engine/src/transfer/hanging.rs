//! Carrying what hangs on an item: files, comments and past changes, piece by piece, after the item itself.
//!
//! Each round compares what is there with what is wanted and sends what is missing; after any doubt the
//! item is read again, so that no piece is sent twice that is there.

use std::collections::BTreeSet;
use std::sync::atomic::Ordering::Relaxed;
use std::sync::{Arc, OnceLock};

use hovrel_connect::{ConnectError, Outcome};
use hovrel_core::loss::{Loss, LossCause, LossKind};
use hovrel_core::mapping::{ATTACHMENTS, COMMENTS, HISTORY, Lane, comment_is_there};
use hovrel_core::model::{Artefact, Attachment, Comment, HistoryEntry, Value};
use hovrel_core::plan::{Change, FieldChange};

use super::Transfer;
use super::apply::{Failure, TRIES, pause, read_one, refuse};
use super::checked::{Seen, checked};
use crate::EngineError;

/// Whether a field is carried by calls of its own.
pub fn hangs_on(field: &str) -> bool {
    matches!(field, ATTACHMENTS | COMMENTS | HISTORY)
}

/// Brings what hangs on the item to what the plan says.
pub async fn carry(
    t: &Transfer,
    change: &Change,
    lane: &Lane,
    target: &Artefact,
    wanted: &FieldChange,
) -> Result<Artefact, Failure> {
    match &wanted.write {
        Value::Comments(list) => {
            carry_notes(t, lane, target, &list.iter().map(Note::Comment).collect::<Vec<_>>()).await
        }
        Value::History(list) => carry_notes(t, lane, target, &list.iter().map(Note::Past).collect::<Vec<_>>()).await,
        Value::Attachments(files) => carry_files(t, change, lane, target, files).await,
        _ if wanted.field == ATTACHMENTS => carry_files(t, change, lane, target, &[]).await,
        // What people said there is never taken away.
        _ => Ok(target.clone()),
    }
}

/// Missing and different files are sent, others removed. Sending by name twice is sending once.
async fn carry_files(
    t: &Transfer,
    change: &Change,
    lane: &Lane,
    target: &Artefact,
    wanted: &[Attachment],
) -> Result<Artefact, Failure> {
    let left_id = change.left.as_ref().map_or("", |s| s.id.as_str());
    let mut now = target.clone();
    let mut differing: BTreeSet<String> = BTreeSet::new();
    for tries in 1.. {
        let there = |f: &&Attachment| now.attachments.iter().any(|a| a.name == f.name && a.digest == f.digest);
        let missing: Vec<&Attachment> = wanted.iter().filter(|f| !there(f)).collect();
        let surplus: Vec<&Attachment> =
            now.attachments.iter().filter(|a| !wanted.iter().any(|f| f.name == a.name)).collect();
        if missing.is_empty() && surplus.is_empty() {
            return Ok(now);
        }
        if tries > TRIES
            && let Some(file) = missing.iter().find(|f| differing.contains(&f.name))
        {
            return refuse(
                &format!("{} has other bytes in {} than its item declares there", file.name, t.left_name),
                "Nothing of it was kept. Upload the file again there, or leave the files of this item out, and retry.",
            );
        }
        if tries > TRIES {
            let names: Vec<&str> = missing.iter().chain(&surplus).map(|f| f.name.as_str()).collect();
            return refuse(
                &format!("the files {} differ at the other end from what was sent", names.join(", ")),
                "Retry; if it goes on, compare the files by hand.",
            );
        }
        for file in missing {
            let bytes = t.left.fetch_attachment(change.kind, left_id, &file.name).await?;
            let seen = Arc::new(OnceLock::new());
            let through = checked(bytes, file, seen.clone());
            let sent = t.right.put_attachment(lane.right_kind, &now.id, file, through).await;
            if seen.get() == Some(&Seen::OtherBytes) {
                // It may be the answer that was spoilt on its way: asked for again, and told if it goes on.
                differing.insert(file.name.clone());
                pause(tries).await;
                continue;
            }
            differing.remove(&file.name);
            match sent {
                Ok(()) => {
                    if let Some(Seen::OtherType(found)) = seen.get() {
                        note_type(t, change, &now.key, file, *found).await?;
                    }
                    t.files.fetch_add(1, Relaxed);
                }
                Err(e) if e.outcome() == Outcome::Refused => return Err(e.into()),
                Err(_) => pause(tries).await,
            }
        }
        for file in surplus {
            match t.right.remove_attachment(lane.right_kind, &now.id, &file.name).await {
                Err(e) if e.outcome() == Outcome::Refused => return Err(e.into()),
                Err(_) => pause(tries).await,
                Ok(()) => {}
            }
        }
        now = read_one(t, lane.right_kind, &now.id).await?;
    }
    unreachable!("the loop ends by returning")
}

/// Notes a file that is not of its declared type.
async fn note_type(
    t: &Transfer,
    change: &Change,
    right_key: &str,
    file: &Attachment,
    found: Option<&str>,
) -> Result<(), Failure> {
    let loss = Loss {
        field: ATTACHMENTS.into(),
        kind: LossKind::Downgraded,
        cause: LossCause::FileOfOtherType { declared: file.media_type.clone() },
        before: format!("{} ({})", file.name, file.media_type),
        after: format!("the same bytes, of {}", found.unwrap_or("no type that can be told")),
    };
    let left_key = change.left.as_ref().map_or("", |s| s.key.as_str());
    let body = serde_json::to_value(&loss).map_err(EngineError::from)?;
    Ok(t.hub.store.noted(t.job, change.seq as i32, (left_key, right_key), &body).await?)
}

/// Something that is added and can't be replaced.
enum Note<'a> {
    Comment(&'a Comment),
    Past(&'a HistoryEntry),
}

impl Note<'_> {
    fn is_there(&self, now: &Artefact) -> bool {
        match self {
            Note::Comment(comment) => comment_is_there(comment, &now.comments),
            Note::Past(entry) => now.history.contains(entry),
        }
    }

    async fn add(&self, t: &Transfer, lane: &Lane, id: &str) -> Result<(), ConnectError> {
        match self {
            Note::Comment(comment) => t.right.add_comment(lane.right_kind, id, comment).await,
            Note::Past(entry) => t.right.add_history(lane.right_kind, id, entry).await,
        }
    }
}

/// Adds what is missing, in its order; after any doubt the item is read before going on.
async fn carry_notes(t: &Transfer, lane: &Lane, target: &Artefact, wanted: &[Note<'_>]) -> Result<Artefact, Failure> {
    let mut now = target.clone();
    for tries in 1.. {
        let missing: Vec<&Note<'_>> = wanted.iter().filter(|n| !n.is_there(&now)).collect();
        if missing.is_empty() {
            return Ok(now);
        }
        if tries > TRIES + wanted.len() as u32 {
            return refuse(
                &format!("{} of {} entries are not there after having been sent", missing.len(), wanted.len()),
                "Retry; if it goes on, look at the item at the other end.",
            );
        }
        for note in missing {
            match note.add(t, lane, &now.id).await {
                Ok(()) => {}
                Err(e) if e.outcome() == Outcome::Refused => return Err(e.into()),
                Err(_) => {
                    pause(tries).await;
                    break;
                }
            }
        }
        now = read_one(t, lane.right_kind, &now.id).await?;
    }
    unreachable!("the loop ends by returning")
}
