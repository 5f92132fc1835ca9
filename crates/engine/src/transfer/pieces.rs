//! Carrying what people said and what was changed: piece by piece, each of which can be added and never changed.
//!
//! Decides whether a piece is there by what is remembered of it, and not by how it is worded: one that was accepted is
//! not sent again, whatever became of it. Of one that was sent and of which no answer came, what has come there since is
//! looked at: it is this one if it says the same; if nothing came it is sent again; else a person decides.

use std::collections::{HashMap, HashSet};

use hovrel_connect::{Added, Outcome};
use hovrel_core::agree::{comment_is_there, first_said, is_same_entry, said_in};
use hovrel_core::model::{Artefact, Comment, HistoryEntry, Value, piece_ids, slot_value};
use hovrel_core::plan::FieldChange;
use hovrel_core::rules::Direction;
use hovrel_store::{NewPiece, PieceRow};
use serde_json::json;

use super::course::Course;
use super::failure::{Failure, TRIES, pause, refuse};
use crate::EngineError;
use crate::points::point;

/// A comment or a past change that is to be added.
enum Piece<'p> {
    Comment(&'p Comment),
    Past(&'p HistoryEntry),
}

impl Piece<'_> {
    /// What tells it apart at the end that it comes from.
    fn id(&self) -> &str {
        match self {
            Piece::Comment(c) => c.id.as_deref(),
            Piece::Past(e) => e.id.as_deref(),
        }
        .unwrap_or_default()
    }

    /// The pieces of this sort that an item has, in their order: by what tells each apart, and whether it is the same.
    fn at(&self, item: &Artefact) -> Vec<(String, bool)> {
        match self {
            Piece::Comment(own) => {
                let same = |c: &Comment| comment_is_there(own, std::slice::from_ref(c));
                piece_ids(&item.comments).into_iter().zip(item.comments.iter().map(same)).collect()
            }
            Piece::Past(own) => {
                let same = |e: &HistoryEntry| is_same_entry(own, e);
                piece_ids(&item.history).into_iter().zip(item.history.iter().map(same)).collect()
            }
        }
    }
}

pub(super) async fn carry_pieces(c: &mut Course<'_>, f: &FieldChange, item: Artefact) -> Result<Artefact, Failure> {
    let pieces: Vec<Piece<'_>> = match &f.write {
        Value::Comments(list) => list.iter().map(Piece::Comment).collect(),
        Value::History(list) => list.iter().map(Piece::Past).collect(),
        // What people said there is never taken away.
        _ => Vec::new(),
    };
    let (end, item_id) = (c.change.written, item.id.clone());
    let rows = c.t.hub.store.pieces_of(c.both(&item_id)).await?;
    let of_slot = || rows.iter().filter(|r| f.field == r.slot);
    let known: HashMap<&str, &PieceRow> =
        of_slot().filter(|r| r.written_end == end).map(|r| (r.piece.as_str(), r)).collect();
    // What is known there: what was written, and what went to the other end from there.
    let mut taken: HashSet<String> = of_slot()
        .filter(|r| r.state == "accepted")
        .filter_map(|r| if r.written_end == end { r.became.clone() } else { Some(r.piece.clone()) })
        .collect();
    let words: HashMap<String, String> = f.held(end.other()).into_iter().flat_map(said_in).collect();
    // What the plan saw there is none of what came since.
    let seen: HashSet<String> = f.held(end).into_iter().flat_map(said_in).map(|(id, _)| id).collect();
    let mut now = item;
    let mut at_both: Vec<NewPiece> = Vec::new();
    for piece in &pieces {
        let id = piece.id().to_owned();
        let row = known.get(id.as_str());
        let mut new = NewPiece {
            slot: f.field.to_string(),
            written_end: end,
            said: words.get(first_said(&id)).cloned().unwrap_or_default(),
            piece: id,
            became: None,
            became_said: None,
        };
        if let Some(row) = row.filter(|r| r.state == "accepted") {
            new.became.clone_from(&row.became);
            at_both.push(new);
            continue;
        }
        let mut before: Option<HashSet<String>> = None;
        if let Some(row) = row {
            let told: Vec<String> =
                row.before.clone().map_or(Ok(Vec::new()), serde_json::from_value).map_err(EngineError::from)?;
            now = c.desk().read(c.kind(), &item_id).await?;
            before = Some(told.into_iter().chain(seen.iter().cloned()).collect());
        }
        new.became = add(c, piece, &new, (&item_id, &mut now), before, &taken).await?;
        taken.extend(new.became.clone());
        c.t.hub.store.piece_accepted(c.t.holder, c.both(&item_id), &new).await?;
        point("piece accepted");
        at_both.push(new);
    }
    if !pieces.is_empty() {
        now = c.desk().read(c.kind(), &item_id).await?;
    }
    let held = slot_value(&now, &f.field).into_owned();
    // An edit of what was written is told by what stands there now.
    let there: HashMap<String, String> = said_in(&held).collect();
    let held = match c.lane.direction {
        // What came there meanwhile is still to go to the other end: it is no part of what both agree on.
        Direction::Both => without(held, &|id| !seen.contains(id) && !taken.contains(id)),
        _ => held,
    };
    for new in at_both {
        let became_said = new.became.as_ref().and_then(|id| there.get(id)).cloned();
        if became_said.is_some() {
            c.found(NewPiece { became_said, ..new });
        }
    }
    c.wrote_field(&f.field, held.clone(), held);
    Ok(now)
}

/// The comments of a list but some.
fn without(held: Value, left_out: &dyn Fn(&str) -> bool) -> Value {
    let Value::Comments(list) = held else { return held };
    let stays = |c: &Comment| !c.id.as_deref().is_some_and(left_out);
    Value::Comments(list.into_iter().filter(stays).collect()).settled()
}

/// Adds a piece; what tells it apart there, if that can be told. `before` says what was there when it may have
/// been sent before.
async fn add(
    c: &Course<'_>,
    piece: &Piece<'_>,
    new: &NewPiece,
    (item_id, now): (&str, &mut Artefact),
    before: Option<HashSet<String>>,
    taken: &HashSet<String>,
) -> Result<Option<String>, Failure> {
    let (t, desk, kind) = (c.t, c.desk(), c.kind());
    let both = c.both(item_id);
    let mut doubt = before;
    for tries in 1.. {
        if let Some(before) = &doubt {
            let came: Vec<(String, bool)> = since(piece, now, before, taken);
            match came.iter().find(|(_, same)| *same) {
                Some((id, _)) => return Ok(Some(id.clone())),
                None if came.is_empty() => {}
                None => {
                    return refuse(
                        "a comment or past change was sent and no answer came, and what has arrived there since is different",
                        "Make a new dry run; it shows what is there, and asks whether to send it again.",
                    );
                }
            }
        }
        let there: HashSet<String> = piece.at(now).into_iter().map(|(id, _)| id).collect();
        t.hub.store.intend_piece(t.holder, both, new, &json!(there)).await?;
        point("piece intended");
        t.lease.check()?;
        let answer = match piece {
            Piece::Comment(comment) => desk.connector.add_comment(&desk.container, kind, item_id, comment).await,
            Piece::Past(entry) => desk.connector.add_history(&desk.container, kind, item_id, entry).await,
        };
        point("piece called");
        match answer {
            Ok(Added::Under(id)) => return Ok(Some(id)),
            Ok(Added::Item(item)) => {
                *now = *item;
                return Ok(the_one(since(piece, now, &there, taken)));
            }
            Ok(Added::Unsaid) => {
                *now = desk.read(kind, item_id).await?;
                return Ok(the_one(since(piece, now, &there, taken)));
            }
            Err(e) if e.outcome() == Outcome::Refused || tries >= TRIES => {
                if e.outcome() == Outcome::Refused {
                    t.hub.store.piece_not_sent(t.holder, both, new).await?;
                }
                return Err(e.into());
            }
            Err(e) => {
                pause(tries).await;
                if e.outcome() == Outcome::Unknown {
                    *now = desk.read(kind, item_id).await?;
                    doubt = Some(there);
                }
            }
        }
    }
    unreachable!("the loop ends by returning")
}

/// The pieces that came after those of before and that belong to nothing else.
fn since(piece: &Piece<'_>, now: &Artefact, before: &HashSet<String>, taken: &HashSet<String>) -> Vec<(String, bool)> {
    piece.at(now).into_iter().filter(|(id, _)| !before.contains(id) && !taken.contains(id)).collect()
}

/// Which of the pieces that came is the one that was added: the only one, or the one that says the same.
fn the_one(came: Vec<(String, bool)>) -> Option<String> {
    match came.as_slice() {
        [(id, _)] => Some(id.clone()),
        several => several.iter().find(|(_, same)| *same).map(|(id, _)| id.clone()),
    }
}
