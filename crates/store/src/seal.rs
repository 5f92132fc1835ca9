//! Sealing of credentials: XChaCha20-Poly1305 with a random nonce (24 bytes) before the ciphertext.
//!
//! The key never touches the database. What is sealed is bound to the system it belongs to (associated
//! data), so that a row copied onto another system does not open.

use chacha20poly1305::aead::{Aead, KeyInit, Payload};
use chacha20poly1305::{XChaCha20Poly1305, XNonce};

/// Seals credentials and opens them.
#[derive(Clone)]
pub struct Sealer(XChaCha20Poly1305);

/// Why nothing could be sealed or opened.
#[derive(Debug, thiserror::Error)]
pub enum SealError {
    /// The key has another form.
    #[error("the key must be 32 bytes as 64 hexadecimal digits")]
    Key,
    /// It does not open.
    #[error("sealed credentials don't open: the key is another one, or the data was changed")]
    Open,
}

const NONCE: usize = 24;

impl Sealer {
    /// `key` is 64 hexadecimal digits.
    pub fn new(key: &str) -> Result<Sealer, SealError> {
        let bytes = hex::decode(key.trim()).map_err(|_| SealError::Key)?;
        let cipher = XChaCha20Poly1305::new_from_slice(&bytes).map_err(|_| SealError::Key)?;
        Ok(Sealer(cipher))
    }

    /// A new key, as text.
    pub fn new_key() -> String {
        hex::encode(rand::random::<[u8; 32]>())
    }

    /// Seals a secret for its owner: only with the same owner it opens.
    pub fn seal(&self, secret: &[u8], owner: &[u8]) -> Result<Vec<u8>, SealError> {
        let nonce: [u8; NONCE] = rand::random();
        let sealed =
            self.0.encrypt(&XNonce::from(nonce), Payload { msg: secret, aad: owner }).map_err(|_| SealError::Open)?;
        Ok([nonce.as_slice(), &sealed].concat())
    }

    /// Opens what was sealed for its owner.
    pub fn open(&self, sealed: &[u8], owner: &[u8]) -> Result<Vec<u8>, SealError> {
        let (nonce, text) = sealed.split_at_checked(NONCE).ok_or(SealError::Open)?;
        let nonce: [u8; NONCE] = nonce.try_into().map_err(|_| SealError::Open)?;
        self.0.decrypt(&XNonce::from(nonce), Payload { msg: text, aad: owner }).map_err(|_| SealError::Open)
    }
}
