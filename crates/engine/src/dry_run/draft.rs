//! A plan while it is being made: each change goes to a file as soon as it is found, and from there to the
//! database, so that no more of a plan than one part of it is in memory.

use std::collections::HashMap;
use std::fs::File;
use std::io::{BufRead, BufReader, BufWriter, Seek, Write};

use hovrel_core::carry::NotThere;
use hovrel_core::model::{End, Ends, Kind};
use hovrel_core::plan::{Change, Decision, Outcome, waits_only_for};
use serde_json::Error;

use crate::EngineError;

pub struct PlanDraft {
    file: BufWriter<File>,
    hasher: blake3::Hasher,
    included: Vec<bool>,
    /// What was decided before of some of its fields, by place.
    decided: HashMap<u32, Decision>,
    needs: Vec<(i32, i32)>,
    /// Changes that have nothing to do before one of these items is there.
    waiting: Vec<(u32, End, Vec<NotThere>)>,
    changes: u64,
    failed: Option<EngineError>,
}

/// What is known of a plan that is made.
pub struct Outline {
    /// Law 1 says that equal inputs give equal plans.
    pub fingerprint: Vec<u8>,
    /// Which change needs which, by place.
    pub needs: Vec<(i32, i32)>,
    /// Changes to look at: moves of a base are none.
    pub changes: u64,
}

/// Changes in plan order, each with what becomes of it unless a person says otherwise.
type Read = Box<dyn Iterator<Item = Result<(Change, Decision), Error>> + Send>;

/// A plan that is made, still in its file.
pub struct Made {
    file: File,
    included: Vec<bool>,
    decided: HashMap<u32, Decision>,
}

impl Made {
    /// Its changes from the first on, as often as they are wanted, one reading after the other.
    pub fn read(&self) -> Result<Read, EngineError> {
        let mut file = self.file.try_clone()?;
        file.rewind()?;
        // A line each: what lies in one piece is read several times faster than byte by byte.
        let lines = BufReader::new(file).split(b'\n').zip(self.included.clone());
        let mut decided = self.decided.clone();
        Ok(Box::new(lines.map(move |(line, included)| {
            let change: Change = serde_json::from_slice(&line.map_err(Error::io)?)?;
            let before = decided.remove(&change.seq).unwrap_or_else(|| Decision::default_for(&change));
            Ok((change, Decision { included, ..before }))
        })))
    }
}

impl PlanDraft {
    pub fn new() -> Result<PlanDraft, EngineError> {
        let file = BufWriter::new(tempfile::tempfile()?);
        let hasher = blake3::Hasher::new();
        Ok(PlanDraft {
            file,
            hasher,
            included: Vec::new(),
            decided: HashMap::new(),
            needs: Vec::new(),
            waiting: Vec::new(),
            changes: 0,
            failed: None,
        })
    }

    /// The place of the next change.
    pub fn next_seq(&self) -> u32 {
        self.included.len() as u32
    }

    /// Keeps a change with what was decided of it before; changes come in plan order. Trouble is told by
    /// [`PlanDraft::finish`].
    pub fn keep(&mut self, change: &Change, decision: Decision) {
        // What needs something that is not taken in waits with it.
        let ready = change.depends_on.iter().all(|d| self.included.get(*d as usize).is_none_or(|taken| *taken));
        self.included.push(decision.included && ready);
        if !decision.fields.is_empty() {
            self.decided.insert(change.seq, decision);
        }
        self.needs.extend(change.depends_on.iter().map(|d| (change.seq as i32, *d as i32)));
        let waits = waits_only_for(change);
        if !waits.is_empty() {
            self.waiting.push((change.seq, change.written, waits));
        }
        self.changes += u64::from(change.outcome != Outcome::InStep);
        if self.failed.is_none() {
            self.failed = self.write(change).err();
        }
    }

    fn write(&mut self, change: &Change) -> Result<(), EngineError> {
        let bytes = serde_json::to_vec(change)?;
        self.hasher.update(&bytes);
        self.file.write_all(&bytes)?;
        Ok(self.file.write_all(b"\n")?)
    }

    /// What is known of the plan, and its changes, read again. `planned` says which change brings an item of the other end
    /// into an end.
    pub fn finish(mut self, planned: &Ends<HashMap<(Kind, String), u32>>) -> Result<(Outline, Made), EngineError> {
        if let Some(failed) = self.failed {
            return Err(failed);
        }
        for (seq, into, waits) in &self.waiting {
            let comes = |NotThere { kind, id }: &NotThere| {
                planned[*into].get(&(*kind, id.clone())).is_some_and(|at| self.included[*at as usize])
            };
            if !waits.iter().any(comes) {
                self.included[*seq as usize] = false;
            }
        }
        let file = self.file.into_inner().map_err(|e| e.into_error())?;
        let fingerprint = self.hasher.finalize().as_bytes().to_vec();
        let made = Made { file, included: self.included, decided: self.decided };
        Ok((Outline { fingerprint, needs: self.needs, changes: self.changes }, made))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::sample::{change, waiting};

    fn draft(changes: &[Change]) -> (Outline, Vec<(Change, Decision)>) {
        let mut draft = PlanDraft::new().expect("a file");
        for change in changes {
            assert_eq!(draft.next_seq(), change.seq);
            draft.keep(change, Decision::default_for(change));
        }
        let brings = |c: &&Change| matches!(c.outcome, Outcome::New(_) | Outcome::Blocked);
        let planned = changes.iter().filter(brings).map(|c| ((c.kind, c.left.as_ref().unwrap().id.clone()), c.seq));
        let planned = Ends { left: HashMap::new(), right: planned.collect() };
        let (outline, made) = draft.finish(&planned).expect("it is kept");
        assert_eq!(made.read().expect("it can be read").count(), changes.len());
        let read = made.read().expect("as often as it is wanted");
        (outline, read.map(|r| r.expect("it is read")).collect())
    }

    fn included(changes: &[Change]) -> Vec<bool> {
        draft(changes).1.into_iter().map(|(_, decision)| decision.included).collect()
    }

    #[test]
    fn what_is_kept_is_read_again_as_it_was() {
        let changes = [change(0, "1", Outcome::New(End::Right)), change(1, "2", Outcome::InStep), waiting(2, "3", "1")];
        let (outline, read) = draft(&changes);
        assert_eq!(read.into_iter().map(|(c, _)| c).collect::<Vec<_>>(), changes);
        assert_eq!(outline.changes, 2, "a move of a base is no change");
        // Law 1: the same changes are the same plan, others are another.
        assert_eq!(draft(&changes).0.fingerprint, outline.fingerprint);
        assert_ne!(draft(&changes[..2]).0.fingerprint, outline.fingerprint);
        assert_eq!(draft(&[]).0.changes, 0);
    }

    #[test]
    fn what_needs_something_that_is_left_out_waits_with_it() {
        let blocked = change(0, "1", Outcome::Blocked);
        let needing = Change { depends_on: vec![0], ..change(1, "2", Outcome::New(End::Right)) };
        let further = Change { depends_on: vec![1], ..change(2, "3", Outcome::New(End::Right)) };
        let free = change(3, "4", Outcome::New(End::Right));
        let changes = [blocked, needing, further, free];
        assert_eq!(included(&changes), [false, false, false, true]);
        assert_eq!(draft(&changes).0.needs, [(1, 0), (2, 1)]);
    }

    #[test]
    fn a_list_waits_until_one_of_its_members_is_taken_in() {
        // Its member stands before it or after it, is taken in or not, or is in no plan at all.
        assert_eq!(included(&[change(0, "1", Outcome::New(End::Right)), waiting(1, "2", "1")]), [true, true]);
        assert_eq!(included(&[waiting(0, "2", "1"), change(1, "1", Outcome::New(End::Right))]), [true, true]);
        assert_eq!(included(&[change(0, "1", Outcome::Blocked), waiting(1, "2", "1")]), [false, false]);
        assert_eq!(included(&[waiting(0, "2", "9")]), [false]);
    }
}
