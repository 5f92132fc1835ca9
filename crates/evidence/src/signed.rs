//! Evidence as signed JSON, and checking it.
//!
//! The file is one JSON object in the canonical form of RFC 8785, without a byte more: the evidence, SHA-256 digests
//! of its parts, and an Ed25519 signature (RFC 8032) over the canonical form of both. Whoever checks it needs the
//! file alone; that the key is the right one is told by its fingerprint, which the sender says on another way.

use ed25519_dalek::{Signature, Signer, SigningKey, VerifyingKey};
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use sha2::{Digest, Sha256};

use crate::Evidence;

const ALGORITHM: &str = "Ed25519";

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    evidence: Value,
    /// SHA-256 of the canonical form of each part of the evidence, in hexadecimal.
    digests: Map<String, Value>,
    signature: Seal,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Seal {
    algorithm: String,
    /// 32 bytes in hexadecimal (RFC 8032 §5.1.5).
    public_key: String,
    /// 64 bytes in hexadecimal (RFC 8032 §5.1.6).
    value: String,
}

/// Evidence whose signature holds.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Verified {
    /// What was signed.
    pub evidence: Evidence,
    /// Of the key that signed it.
    pub fingerprint: String,
}

/// Why a file is no evidence.
#[derive(Debug, thiserror::Error, PartialEq, Eq)]
pub enum NotVerified {
    /// Not JSON, with the first place that is none.
    #[error("it is not JSON: {why}, in line {line}, column {column}")]
    NotJson {
        /// What the reader says of it.
        why: String,
        /// From 1.
        line: usize,
        /// From 1.
        column: usize,
    },
    /// JSON of another shape, with what is missing or too much.
    #[error("it is not a signed proof: {0}")]
    NotAProof(String),
    /// The same values in other bytes than those that were signed.
    #[error("it was written again: at byte {at} it is not the canonical form (RFC 8785) that was signed")]
    NotCanonical {
        /// The first byte that differs, from 0.
        at: usize,
    },
    /// Parts whose digests are others than those that were signed.
    #[error("the signature does not match: {} was changed after signing", parts.join(" and "))]
    Changed {
        /// Their names in the file.
        parts: Vec<String>,
    },
    /// The parts are as the digests say, and the signature is of other digests.
    #[error("the signature does not match: the digests or the signature itself were changed after signing")]
    Signature,
    /// It holds, for another key than the one that was asked for; both by their fingerprints.
    #[error("it was signed with another key: {found}, not {wanted}")]
    OtherKey {
        /// The key that signed it.
        found: String,
        /// The key that was asked for.
        wanted: String,
    },
}

/// The public key of a secret one (RFC 8032 §5.1.5).
pub fn public_key(secret: &[u8; 32]) -> [u8; 32] {
    SigningKey::from_bytes(secret).verifying_key().to_bytes()
}

/// The evidence as a signed file.
pub fn sign(evidence: &Evidence, secret: &[u8; 32]) -> Vec<u8> {
    let key = SigningKey::from_bytes(secret);
    let evidence = serde_json::to_value(evidence).unwrap_or_default();
    let digests = digests(&evidence);
    let value = hex::encode(key.sign(&signed_bytes(&evidence, &digests)).to_bytes());
    let public_key = hex::encode(key.verifying_key().as_bytes());
    let signature = Seal { algorithm: ALGORITHM.to_owned(), public_key, value };
    canonical(&serde_json::json!({"evidence": evidence, "digests": digests, "signature": signature}))
}

/// Checks a signed file, with the key of whoever is expected to have signed it, in hexadecimal or as its fingerprint.
///
/// # Errors
/// What does not match, and where.
pub fn verify(bytes: &[u8], expected_key: Option<&str>) -> Result<Verified, NotVerified> {
    let whole: Value = serde_json::from_slice(bytes).map_err(|e| NotVerified::NotJson {
        why: e.to_string().split(" at line").next().unwrap_or_default().to_owned(),
        line: e.line(),
        column: e.column(),
    })?;
    let file: File = serde_json::from_value(whole.clone()).map_err(|e| NotVerified::NotAProof(e.to_string()))?;
    if file.signature.algorithm != ALGORITHM {
        return Err(NotVerified::NotAProof(format!("it is signed by “{}”, not {ALGORITHM}", file.signature.algorithm)));
    }
    let written = canonical(&whole);
    if written != bytes {
        let same = written.iter().zip(bytes).take_while(|(a, b)| a == b).count();
        return Err(NotVerified::NotCanonical { at: same });
    }
    let key = unhex::<32>(&file.signature.public_key).and_then(|b| VerifyingKey::from_bytes(&b).ok());
    let Some(key) = key else { return Err(NotVerified::NotAProof("its public key is none".into())) };
    let Some(signature) = unhex::<64>(&file.signature.value).map(|b| Signature::from_bytes(&b)) else {
        return Err(NotVerified::NotAProof("its signature is none".into()));
    };
    let found = digests(&file.evidence);
    let parts: Vec<String> =
        found.iter().filter(|(k, v)| file.digests.get(*k) != Some(v)).map(|(k, _)| k.clone()).collect();
    if !parts.is_empty() || found.len() != file.digests.len() {
        return Err(NotVerified::Changed { parts });
    }
    if key.verify_strict(&signed_bytes(&file.evidence, &file.digests), &signature).is_err() {
        return Err(NotVerified::Signature);
    }
    let fingerprint = fingerprint(key.as_bytes());
    if let Some(wanted) = expected_key.map(|k| k.trim().to_lowercase())
        && wanted != fingerprint
        && wanted != file.signature.public_key
    {
        return Err(NotVerified::OtherKey { found: fingerprint, wanted });
    }
    let evidence = serde_json::from_value(file.evidence).map_err(|e| NotVerified::NotAProof(e.to_string()))?;
    Ok(Verified { evidence, fingerprint })
}

/// A public key as people compare it: the first half of its SHA-256, in groups of four.
pub fn fingerprint(public_key: &[u8; 32]) -> String {
    let digits = hex::encode(&Sha256::digest(public_key)[..16]);
    let groups: Vec<&str> = (0..8).map(|n| &digits[n * 4..n * 4 + 4]).collect();
    groups.join("-")
}

fn signed_bytes(evidence: &Value, digests: &Map<String, Value>) -> Vec<u8> {
    canonical(&serde_json::json!({"evidence": evidence, "digests": digests}))
}

fn digests(evidence: &Value) -> Map<String, Value> {
    let parts = evidence.as_object().into_iter().flatten();
    parts.map(|(name, part)| (name.clone(), Value::String(hex::encode(Sha256::digest(canonical(part)))))).collect()
}

/// The canonical form of RFC 8785. What Hovrel writes has no number that it could not hold.
fn canonical(value: &Value) -> Vec<u8> {
    serde_json_canonicalizer::to_vec(value).unwrap_or_default()
}

/// So many bytes from hexadecimal in small letters: what is signed is written in one way only.
fn unhex<const N: usize>(text: &str) -> Option<[u8; N]> {
    let bytes = hex::decode(text).ok().filter(|bytes| hex::encode(bytes) == text)?;
    bytes.try_into().ok()
}
