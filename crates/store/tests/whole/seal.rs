//! Secrets are sealed for their owner, by the published cipher.

use chacha20poly1305::aead::{Aead, KeyInit, Payload};
use chacha20poly1305::{XChaCha20Poly1305, XNonce};
use hovrel_store::Sealer;

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
