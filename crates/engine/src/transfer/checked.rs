//! A file on its way, checked against what its item declares.
//!
//! Decides that other bytes than those declared never arrive: the last part is held back until all of them
//! were counted and digested, so a receiver is cut off before it has a whole file of the wrong bytes.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};

use bytes::Bytes;
use futures::StreamExt;
use hovrel_connect::ByteStream;
use hovrel_core::model::Attachment;
use sha2::{Digest, Sha256};

/// Says afterwards whether a file had other bytes than declared.
#[derive(Debug, Clone, Default)]
pub struct Differs(Arc<AtomicBool>);

impl Differs {
    pub fn is_so(&self) -> bool {
        self.0.load(Relaxed)
    }
}

/// The same bytes; the stream fails at its end, with the last part not given, if they are not those declared.
pub fn checked(mut bytes: ByteStream, file: &Attachment, differs: &Differs) -> ByteStream {
    let (declared, length, differs) = (file.digest.clone(), file.bytes, differs.clone());
    async_stream::try_stream! {
        let (mut digest, mut count) = (Sha256::new(), 0);
        let mut held: Option<Bytes> = None;
        while let Some(part) = bytes.next().await {
            let part = part?;
            digest.update(&part);
            count += part.len() as u64;
            if let Some(before) = held.replace(part) {
                yield before;
            }
        }
        let found: String = digest.finalize().iter().map(|b| format!("{b:02x}")).collect();
        if count != length || found != declared {
            differs.0.store(true, Relaxed);
            Err(std::io::Error::other("other bytes than declared"))?;
        }
        if let Some(last) = held {
            yield last;
        }
    }
    .boxed()
}

#[cfg(test)]
mod tests {
    use futures::stream;

    use super::*;

    async fn through(parts: &[&'static str], declared: &str, length: u64) -> (String, bool) {
        let file =
            Attachment { name: "a".into(), media_type: "text/plain".into(), bytes: length, digest: declared.into() };
        let given: Vec<_> = parts.iter().map(|p| Ok(Bytes::from_static(p.as_bytes()))).collect();
        let differs = Differs::default();
        let mut out = String::new();
        let mut stream = checked(stream::iter(given).boxed(), &file, &differs);
        while let Some(part) = stream.next().await {
            if let Ok(part) = part {
                out.push_str(std::str::from_utf8(&part).unwrap());
            }
        }
        (out, differs.is_so())
    }

    /// FIPS 180-4's example “abc”: its SHA-256 as NIST publishes it.
    const ABC: &str = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";

    #[tokio::test]
    async fn what_was_declared_goes_through_whole_and_nothing_else_does() {
        assert_eq!(through(&["a", "bc"], ABC, 3).await, ("abc".into(), false));
        assert_eq!(through(&["abc"], ABC, 3).await, ("abc".into(), false));
        assert_eq!(through(&["ab", "d"], ABC, 3).await, ("ab".into(), true), "the last part is held back");
        assert!(through(&["abc", "d"], ABC, 3).await.1);
        assert_eq!(through(&[], ABC, 3).await, (String::new(), true));
    }
}
