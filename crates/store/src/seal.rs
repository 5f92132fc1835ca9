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

#[cfg(test)]
mod tests {
    use super::*;

    /// draft-irtf-cfrg-xchacha-03, appendix A.3.1: AEAD_XChaCha20_Poly1305 test vector.
    #[test]
    fn the_cipher_is_the_published_one() {
        let key: Vec<u8> = (0x80..0xa0).collect();
        let nonce: [u8; 24] = std::array::from_fn(|n| 0x40 + n as u8);
        let aad = [0x50, 0x51, 0x52, 0x53, 0xc0, 0xc1, 0xc2, 0xc3, 0xc4, 0xc5, 0xc6, 0xc7];
        let text = b"Ladies and Gentlemen of the class of '99: If I could offer you only one tip for the future, sunscreen would be it.";
        let cipher = XChaCha20Poly1305::new_from_slice(&key).unwrap();
        let sealed = cipher.encrypt(&XNonce::from(nonce), Payload { msg: text, aad: &aad }).unwrap();
        assert_eq!(sealed[..8], [0xbd, 0x6d, 0x17, 0x9d, 0x3e, 0x83, 0xd4, 0x3b]);
        assert_eq!(sealed[text.len()..][..4], [0xc0, 0x87, 0x59, 0x24]);
    }

    #[test]
    fn sealed_opens_only_with_the_key_and_for_the_owner() {
        let sealer = Sealer::new(&Sealer::new_key()).unwrap();
        let sealed = sealer.seal(b"secret", b"a").unwrap();
        assert_eq!(sealer.open(&sealed, b"a").unwrap(), b"secret");
        assert!(sealer.open(&sealed, b"b").is_err());
        assert!(Sealer::new(&Sealer::new_key()).unwrap().open(&sealed, b"a").is_err());
        assert!(sealer.open(&sealed[..10], b"a").is_err());
        assert_ne!(sealed, sealer.seal(b"secret", b"a").unwrap(), "each sealing has a nonce of its own");
        for bad in ["", "12", &"é".repeat(32), &"g".repeat(64)] {
            assert!(Sealer::new(bad).is_err());
        }
    }
}
