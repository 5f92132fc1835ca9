//! Files read at both ends and compared byte by byte, for a proof that is to trust no digest that a system states.
//!
//! Decides which files are read: all that both items of a pair have under one name, or a sample of them. What is in the
//! sample depends on the proof's own id, so that each proof looks at others and what one looked at can be told again.

use std::collections::HashMap;

use futures::{StreamExt, stream};
use hovrel_connect::Connector;
use hovrel_core::model::{ATTACHMENTS, Artefact, Attachment, End, Ends, Kind};
use hovrel_core::reconcile::{FileCompared, FileNotRead, LaneProof};
use serde::{Deserialize, Serialize};
use serde_json::json;
use sha2::{Digest, Sha256};
use uuid::Uuid;

use crate::EngineError;
use crate::jobs::Running;
use crate::reading::digest;
use crate::route::Scoped;

/// Which files a proof reads.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum ReadFiles {
    /// None: files are compared by the digests that the systems state.
    #[default]
    None,
    /// So many, chosen at random.
    Sample(u32),
    All,
}

/// A file of a pair that both items have.
struct Twin<'a> {
    lane: usize,
    kinds: Ends<Kind>,
    items: Ends<&'a Artefact>,
    files: Ends<&'a Attachment>,
}

/// A lane by its place, with the pairs of its items that are there.
pub(crate) type PairsOfLane<'s, 'a> = (usize, &'s Scoped<'a>, Vec<Ends<&'a Artefact>>);

/// Reads files and takes what is found into the proofs of the lanes, which come in the order of `scoped`.
pub(crate) async fn read_files(
    job: &Running,
    (wanted, seed): (ReadFiles, Uuid),
    connectors: Ends<&dyn Connector>,
    pairs: &[PairsOfLane<'_, '_>],
    proofs: &mut [LaneProof],
) -> Result<(), EngineError> {
    if wanted == ReadFiles::None {
        return Ok(());
    }
    let mut of: HashMap<usize, u64> = HashMap::new();
    let mut twins: Vec<Twin<'_>> = Vec::new();
    for (lane, scoped, items) in pairs {
        if !scoped.lane.fills().any(|f| f.target == ATTACHMENTS) {
            continue;
        }
        let count = of.entry(*lane).or_default();
        let kinds = Ends::of(|end| scoped.lane.kind_at(end));
        for items in items {
            for right in &items.right.attachments {
                let Some(left) = items.left.attachments.iter().find(|f| f.name == right.name) else { continue };
                twins.push(Twin { lane: *lane, kinds, items: *items, files: Ends { left, right } });
                *count += 1;
            }
        }
    }
    if let ReadFiles::Sample(size) = wanted {
        twins.sort_by_cached_key(|t| lot(seed, t));
        twins.truncate(size as usize);
    }
    for (lane, count) in of {
        proofs[lane].begin_files(count);
    }
    let total = twins.len();
    let at_once = connectors.map(|connector| connector.describe().calls_at_once);
    let at_once = at_once.left.min(at_once.right).max(1);
    let calls: Vec<_> = twins.iter().map(|t| compare(connectors, t)).collect();
    let mut read = stream::iter(calls).buffer_unordered(at_once);
    let mut done = 0;
    while let Some((twin, found)) = read.next().await {
        done += 1;
        proofs[twin.lane].file_compared(&twin.items.left.title, found);
        job.tell(json!({"phase": "reading files", "read": done, "total": total})).await?;
    }
    Ok(())
}

/// What orders the files for a sample.
fn lot(seed: Uuid, t: &Twin<'_>) -> [u8; 32] {
    let words = [t.kinds.left.id(), &t.items.left.id, &t.files.right.name];
    let mut hash = Sha256::new();
    hash.update(seed.as_bytes());
    words.iter().for_each(|word| {
        hash.update(word.len().to_be_bytes());
        hash.update(word);
    });
    hash.finalize().into()
}

async fn compare<'t, 'a>(
    connectors: Ends<&dyn Connector>,
    t: &'t Twin<'a>,
) -> (&'t Twin<'a>, Result<FileCompared, FileNotRead>) {
    let at = |end: End| digest(connectors[end], t.kinds[end], &t.items[end].id, t.files[end]);
    let (at_left, at_right) = futures::future::join(at(End::Left), at(End::Right)).await;
    let keys = || (t.items.left.key.clone(), t.items.right.key.clone());
    let failed = |end: End, why: String| {
        let (left_key, right_key) = keys();
        FileNotRead { left_key, right_key, name: t.files.right.name.clone(), end, why }
    };
    let found = match (at_left, at_right) {
        (Err(why), _) => Err(failed(End::Left, why)),
        (_, Err(why)) => Err(failed(End::Right, why)),
        (Ok(left), Ok(right)) => {
            let (left_key, right_key) = keys();
            Ok(FileCompared { left_key, right_key, left, right })
        }
    };
    (t, found)
}
