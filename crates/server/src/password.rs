//! Passwords: hashed and compared by argon2id.
//!
//! Decides that few threads do this, each with one piece of memory that it keeps. A hash takes tens of milliseconds of a
//! core and 19 MiB, and an allocator may hold on to several such pieces for every thread that ever asked for one: memory
//! would grow with the tries.

use std::panic::{AssertUnwindSafe, catch_unwind};
use std::sync::{Arc, LazyLock, Mutex, PoisonError, mpsc};

use argon2::password_hash::phc::{Output, ParamsString, PasswordHash, Salt};
use argon2::{Algorithm, Argon2, Block, Params, Version};
use axum::http::StatusCode;
use tokio::sync::oneshot;

use crate::problem::Problem;

/// Passwords that are hashed at once.
pub const AT_ONCE: usize = 2;

/// What a thread hashes in.
type Memory = Vec<Block>;
type Work = Box<dyn FnOnce(&mut Memory) + Send>;

static HASHERS: LazyLock<mpsc::Sender<Work>> = LazyLock::new(|| {
    let (give, taken) = mpsc::channel::<Work>();
    let taken = Arc::new(Mutex::new(taken));
    for _ in 0..AT_ONCE {
        let taken = taken.clone();
        // A thread that can't be begun is one less; without any, whoever gives work is told that nobody takes it.
        let _ = std::thread::Builder::new().name("password".into()).spawn(move || {
            let mut memory = Memory::new();
            let next = || taken.lock().unwrap_or_else(PoisonError::into_inner).recv();
            while let Ok(work) = next() {
                // Whoever waits for it sees that nothing was told.
                let _ = catch_unwind(AssertUnwindSafe(|| work(&mut memory)));
            }
        });
    }
    give
});

/// What some work returned that one of the threads did.
async fn hashing<T: Send + 'static>(work: impl FnOnce(&mut Memory) -> T + Send + 'static) -> Option<T> {
    let (tell, told) = oneshot::channel();
    HASHERS.send(Box::new(move |memory| drop(tell.send(work(memory))))).ok()?;
    told.await.ok()
}

/// Argon2 of a password (RFC 9106), in memory that was there before.
fn output(argon: &Argon2, password: &str, salt: &[u8], length: usize, memory: &mut Memory) -> Option<Output> {
    memory.resize(argon.params().block_count(), Block::default());
    let mut bytes = [0; Output::MAX_LENGTH];
    let out = bytes.get_mut(..length)?;
    argon.hash_password_into_with_memory(password.as_bytes(), salt, out, memory).ok()?;
    Output::new(out).ok()
}

/// A password's hash, with all that comparing it needs, as text.
pub async fn hash(password: String) -> Result<String, Problem> {
    let hashed = hashing(move |memory| {
        let (algorithm, version, params) = (Algorithm::default(), Version::default(), Params::default());
        let salt = Salt::new(&rand::random::<[u8; argon2::RECOMMENDED_SALT_LEN]>()).ok()?;
        let argon = Argon2::new(algorithm, version, params.clone());
        let hash = PasswordHash {
            algorithm: algorithm.ident(),
            version: Some(version.into()),
            params: ParamsString::try_from(&params).ok()?,
            salt: Some(salt),
            hash: output(&argon, &password, &salt, Params::DEFAULT_OUTPUT_LEN, memory),
        };
        hash.hash.is_some().then(|| hash.to_string())
    });
    hashed.await.flatten().ok_or_else(|| {
        Problem::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "internal",
            "Error in Hovrel",
            "The password could not be hashed.",
            "Try again.",
        )
    })
}

/// Compares in the same time whether or not the login exists.
pub async fn is_right(password: String, hash: Option<String>) -> bool {
    // The hash of a password nobody has, for logins that do not exist.
    const NOBODY: &str =
        "$argon2id$v=19$m=19456,t=2,p=1$AAAAAAAAAAAAAAAAAAAAAA$AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA";
    let known = hash.is_some();
    let matches = hashing(move |memory| matches(&password, hash.as_deref().unwrap_or(NOBODY), memory));
    matches.await.flatten().unwrap_or(false) && known
}

fn matches(password: &str, hash: &str, memory: &mut Memory) -> Option<bool> {
    let known = PasswordHash::new(hash).ok()?;
    let algorithm = Algorithm::try_from(known.algorithm.as_str()).ok()?;
    let version = known.version.map_or(Some(Version::default()), |v| Version::try_from(v).ok())?;
    let argon = Argon2::new(algorithm, version, Params::try_from(&known).ok()?);
    let expected = known.hash?;
    // Outputs are compared in constant time.
    Some(output(&argon, password, &known.salt?, expected.len(), memory)? == expected)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn however_many_are_hashed_few_threads_do_it() {
        let each = (0..40).map(|_| hashing(|_| std::thread::current().id()));
        let threads = futures::future::join_all(each).await;
        let threads: std::collections::HashSet<_> = threads.into_iter().map(|t| t.expect("it was done")).collect();
        assert!(threads.len() <= AT_ONCE, "{threads:?}");
    }

    /// The hashes are those of the library's own functions, so that ones from before go on to count.
    #[tokio::test]
    async fn hashes_are_what_the_library_makes_of_them() {
        use argon2::{PasswordHasher, PasswordVerifier};
        let ours = hash("a long way up".into()).await.map_err(|_| ()).expect("it is hashed");
        assert!(Argon2::default().verify_password(b"a long way up", ours.as_str()).is_ok());
        assert!(Argon2::default().verify_password(b"a long way down", ours.as_str()).is_err());
        let theirs = Argon2::default().hash_password(b"a long way up").expect("it is hashed").to_string();
        assert!(is_right("a long way up".into(), Some(theirs)).await);
    }

    #[tokio::test]
    async fn work_that_panics_takes_no_thread_with_it() {
        for _ in 0..2 * AT_ONCE {
            assert_eq!(hashing(|_| -> u8 { panic!("on purpose") }).await, None);
        }
        let hash = hash("a long way up".into()).await.map_err(|_| ()).expect("it is hashed");
        assert!(is_right("a long way up".into(), Some(hash.clone())).await);
        assert!(!is_right("a long way down".into(), Some(hash)).await);
        assert!(!is_right("a long way up".into(), None).await);
    }
}
