//! A file read whole for its digest.
//!
//! Decides how often a file is asked for until it counts as not readable.

use futures::TryStreamExt;
use hovrel_connect::Connector;
use hovrel_core::model::{Attachment, Kind};
use sha2::{Digest, Sha256};

/// How often a file is asked for until it counts as not readable.
const TRIES: u32 = 3;

/// A file with the digest and the size of the bytes that its system gives out.
pub(crate) async fn digest(
    system: &dyn Connector,
    kind: Kind,
    id: &str,
    file: &Attachment,
) -> Result<Attachment, String> {
    let mut tries = 0;
    loop {
        tries += 1;
        let read = async {
            let bytes = system.fetch_attachment(kind, id, &file.name).await.map_err(|e| e.to_string())?;
            let (mut hash, mut count, mut bytes) = (Sha256::new(), 0, bytes);
            while let Some(part) = bytes.try_next().await.map_err(|e| e.to_string())? {
                hash.update(&part);
                count += part.len() as u64;
            }
            Ok::<_, String>((hash, count))
        };
        match read.await {
            Ok((hash, count)) => {
                let digest = hex::encode(hash.finalize());
                return Ok(Attachment { bytes: Some(count), digest: Some(digest), ..file.clone() });
            }
            Err(why) if tries >= TRIES => return Err(why),
            Err(_) => tokio::time::sleep(std::time::Duration::from_millis(200 * u64::from(tries))).await,
        }
    }
}
