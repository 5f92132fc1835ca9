//! A file on its way, checked against what its item declares.
//!
//! Decides that other bytes than those declared never arrive: the last part is held back until all of them
//! were counted and digested, so a receiver is cut off before it has a whole file of the wrong bytes. Bytes that
//! begin as those of another type do arrive: they are the people's own, and it is told.

use std::sync::{Arc, OnceLock};

use bytes::Bytes;
use futures::StreamExt;
use hovrel_connect::ByteStream;
use hovrel_core::model::Attachment;
use sha2::{Digest, Sha256};

/// How much of a file is looked at for its type (bytes): containers name what they hold further on.
const HEAD: usize = 8192;

/// The bytes that have gone by.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Found {
    bytes: u64,
    /// SHA-256 in hex.
    digest: String,
}

impl Found {
    /// Whether a file is these bytes, as far as its system says.
    pub fn is(&self, file: &Attachment) -> bool {
        file.bytes.is_none_or(|n| n == self.bytes)
            && file.digest.as_ref().is_none_or(|d| d.eq_ignore_ascii_case(&self.digest))
    }
}

/// What a file turned out to be, once all of it has gone by.
#[derive(Debug, PartialEq, Eq)]
pub enum Seen {
    AsDeclared,
    OtherBytes,
    /// The bytes that were declared, of this type or of none that has a signature.
    OtherType(Option<&'static str>),
}

/// The same bytes; the stream fails at its end, with the last part not given, if they are not those declared. Of a file
/// whose system tells neither digest nor size nothing is declared. What was seen stands in `seen` when all of them have
/// come.
pub fn checked(mut bytes: ByteStream, file: &Attachment, seen: Arc<OnceLock<(Found, Seen)>>) -> ByteStream {
    let file = file.clone();
    async_stream::try_stream! {
        let (mut digest, mut count) = (Sha256::new(), 0);
        let mut head: Vec<u8> = Vec::new();
        let mut held: Option<Bytes> = None;
        while let Some(part) = bytes.next().await {
            let part = part?;
            head.extend(part.iter().take(HEAD - head.len()));
            digest.update(&part);
            count += part.len() as u64;
            if let Some(before) = held.replace(part) {
                yield before;
            }
        }
        let found = Found { bytes: count, digest: hex::encode(digest.finalize()) };
        if !found.is(&file) {
            let _ = seen.set((found, Seen::OtherBytes));
            Err(std::io::Error::other("other bytes than declared"))?;
            return;
        }
        let kind = type_seen(&head, &file.media_type);
        let _ = seen.set((found, kind));
        if let Some(last) = held {
            yield last;
        }
    }
    .boxed()
}

/// Compares the signature at the head of a file with its declared type. Only types that have a signature can be
/// told: text may be anything, but not what begins as an image does.
fn type_seen(head: &[u8], declared: &str) -> Seen {
    let declared = declared.split(';').next().unwrap_or_default().trim().to_ascii_lowercase();
    let signed = infer::get(head).filter(|t| t.matcher_type() != infer::MatcherType::Text);
    let is_text = declared.starts_with("text/") || declared.ends_with("xml") || declared.ends_with("json");
    // RFC 2046 §4.5.1: it says no more than that these are bytes.
    let says_nothing = declared == "application/octet-stream";
    let fits = match is_text {
        true => signed.is_none(),
        false => says_nothing || !infer::is_mime_supported(&declared) || infer::is_mime(head, &declared),
    };
    if fits { Seen::AsDeclared } else { Seen::OtherType(signed.map(|t| t.mime_type())) }
}

#[cfg(test)]
mod tests {
    use futures::stream;

    use super::*;

    async fn through(parts: &[&'static str], declared: Option<&str>, length: Option<u64>) -> (String, bool) {
        let file = Attachment {
            name: "a".into(),
            media_type: "text/plain".into(),
            bytes: length,
            digest: declared.map(Into::into),
        };
        let given: Vec<_> = parts.iter().map(|p| Ok(Bytes::from_static(p.as_bytes()))).collect();
        let seen = Arc::new(OnceLock::new());
        let mut out = String::new();
        let mut stream = checked(stream::iter(given).boxed(), &file, seen.clone());
        while let Some(part) = stream.next().await {
            if let Ok(part) = part {
                out.push_str(std::str::from_utf8(&part).unwrap());
            }
        }
        (out, seen.get().is_some_and(|(_, seen)| *seen == Seen::OtherBytes))
    }

    /// FIPS 180-4's example “abc”: its SHA-256 as NIST publishes it.
    const ABC: &str = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";

    #[tokio::test]
    async fn what_was_declared_goes_through_whole_and_nothing_else_does() {
        let abc = async |parts: &[&'static str]| through(parts, Some(ABC), Some(3)).await;
        assert_eq!(abc(&["a", "bc"]).await, ("abc".into(), false));
        assert_eq!(abc(&["abc"]).await, ("abc".into(), false));
        assert_eq!(abc(&["ab", "d"]).await, ("ab".into(), true), "the last part is held back");
        assert!(abc(&["abc", "d"]).await.1);
        assert_eq!(abc(&[]).await, (String::new(), true));
        // What a system does not tell can't be wrong; what it does tell counts.
        assert_eq!(through(&["ab", "d"], None, Some(3)).await, ("abd".into(), false));
        assert!(through(&["ab", "d"], None, Some(4)).await.1);
        assert_eq!(through(&["ab", "d"], None, None).await, ("abd".into(), false));
    }

    /// Signatures as the formats' own specifications give them: PNG (ISO/IEC 15948, 5.2), PDF (ISO 32000-1, 7.5.2),
    /// JPEG (ISO/IEC 10918-1, B.1), gzip (RFC 1952, 2.3.1), ZIP local file header (ISO/IEC 21320-1 refers to it).
    #[test]
    fn a_type_is_told_by_its_signature() {
        let png = [b"\x89PNG\r\n\x1a\n".as_slice(), &[0, 0, 0, 13], b"IHDR"].concat();
        let jpeg = b"\xff\xd8\xff\xe0\0\x10JFIF".as_slice();
        let zip = b"PK\x03\x04\x14\0\0\0".as_slice();
        let gzip = b"\x1f\x8b\x08\0\0\0\0\0".as_slice();
        for (head, declared) in [
            (png.as_slice(), "image/png"),
            (jpeg, "image/jpeg"),
            (b"%PDF-1.7\n", "application/pdf"),
            (zip, "application/zip"),
            (gzip, "application/gzip"),
            (b"time;load\n1;2", "text/csv"),
            (b"time;load\n1;2", "text/csv; charset=utf-8"),
            (b"<svg xmlns=\"http://www.w3.org/2000/svg\"/>", "image/svg+xml"),
            (b"plain words", "text/html"),
            (b"<!DOCTYPE html>", "text/plain"),
            (b"", "text/plain"),
            // What has no signature of its own can't be told.
            (png.as_slice(), "application/octet-stream"),
            (b"anything", "application/x-gate-dump"),
        ] {
            assert_eq!(type_seen(head, declared), Seen::AsDeclared, "{declared}");
        }
        assert_eq!(type_seen(jpeg, "image/png"), Seen::OtherType(Some("image/jpeg")));
        assert_eq!(type_seen(&png, "text/csv"), Seen::OtherType(Some("image/png")));
        assert_eq!(type_seen(zip, "application/json"), Seen::OtherType(Some("application/zip")));
        assert_eq!(type_seen(b"plain words", "image/png"), Seen::OtherType(None));
        assert_eq!(type_seen(b"", "application/pdf"), Seen::OtherType(None));
    }
}
