//! A conflict as it is kept, with what was remembered of its pair when it was found.

use std::collections::HashMap;

use hovrel_core::base::BaseSide;
use hovrel_core::conflict::{Choice, Proposal, Take, can_be_merged, offered};
use hovrel_core::model::{End, Ends, Value};
use hovrel_core::plan::FieldChange;
use hovrel_store::{ConflictRow, GenerationRow, Store};
use uuid::Uuid;

use crate::problem::Problem;

/// A generation of a conflict.
pub struct Generation {
    pub row: GenerationRow,
    pub field: FieldChange,
    /// What both ends told when last in step; none if they never were.
    pub base: Option<Ends<Value>>,
    pub choice: Option<Choice>,
}

impl Generation {
    /// What may be chosen, in a lane that writes `first` first.
    pub fn takes(&self, first: End) -> Vec<Take> {
        let mut takes = offered(&self.field, first);
        if self.proposal(first).is_some() {
            takes.insert(takes.len().min(2), Take::Merge);
        }
        takes
    }

    /// Both edits, for a person who puts them together in the words of the end that the lane writes first.
    pub fn proposal(&self, first: End) -> Option<Proposal> {
        let base = self.base.as_ref().filter(|_| can_be_merged(&self.field))?;
        let held = self.field.held(first)?;
        match first {
            End::Right => Proposal::of(&base.right, &self.field.write, held),
            End::Left => Proposal::of(&base.left, held, &self.field.write),
        }
    }
}

/// The generations of some conflicts, the latest of each first.
pub async fn generations(store: &Store, of: &[ConflictRow]) -> Result<HashMap<Uuid, Vec<Generation>>, Problem> {
    let ids: Vec<Uuid> = of.iter().map(|c| c.id).collect();
    let rows = store.conflict_generations(&ids).await?;
    let hashes: Vec<Vec<u8>> = rows.iter().flat_map(|(_, g)| [g.left_base.clone(), g.right_base.clone()]).collect();
    let mut bases: HashMap<Vec<u8>, BaseSide> = HashMap::new();
    for (hash, body) in store.snapshots(&hashes).await? {
        bases.insert(hash, serde_json::from_value(body)?);
    }
    let rule_of: HashMap<Uuid, &str> = of.iter().map(|c| (c.id, c.rule.as_str())).collect();
    let mut out: HashMap<Uuid, Vec<Generation>> = HashMap::new();
    for (id, row) in rows {
        let rule = rule_of.get(&id).copied().unwrap_or_default();
        let told = |hash: &Vec<u8>| bases.get(hash)?.0.get(rule).cloned();
        let base = told(&row.left_base).zip(told(&row.right_base)).map(|(left, right)| Ends { left, right });
        let field: FieldChange = serde_json::from_value(row.body.clone())?;
        let choice = row.choice.clone().map(serde_json::from_value).transpose()?;
        out.entry(id).or_default().push(Generation { base, field, choice, row });
    }
    Ok(out)
}
