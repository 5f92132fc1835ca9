//! Work that takes a processor for a while, beside the threads that answer others.
//!
//! Decides that such work can be given up: whoever waits for it may stop waiting, and it ends at its next look.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};

/// Says whether somebody still waits for the work.
pub struct Wanted(Arc<AtomicBool>);

impl Wanted {
    pub fn still(&self) -> bool {
        !self.0.load(Relaxed)
    }
}

/// Sets its flag when the future that holds it is dropped.
struct GivenUp(Arc<AtomicBool>);

impl Drop for GivenUp {
    fn drop(&mut self) {
        self.0.store(true, Relaxed);
    }
}

/// Does some work beside the runtime's own threads. A panic in it is a panic of whoever waits.
pub async fn aside<T: Send + 'static>(work: impl FnOnce(&Wanted) -> T + Send + 'static) -> T {
    let flag = Arc::new(AtomicBool::new(false));
    let _given_up = GivenUp(flag.clone());
    match tokio::task::spawn_blocking(move || work(&Wanted(flag))).await {
        Ok(done) => done,
        Err(e) => match e.try_into_panic() {
            Ok(panic) => std::panic::resume_unwind(panic),
            // The runtime ends, and with it whoever waits.
            Err(_) => std::future::pending().await,
        },
    }
}

#[cfg(test)]
mod tests {
    use std::sync::mpsc;
    use std::time::Duration;

    use super::*;

    #[tokio::test]
    async fn work_ends_when_nobody_waits_for_it() {
        let (tell, told) = mpsc::channel();
        let work = aside(move |wanted| {
            while wanted.still() {
                std::thread::sleep(Duration::from_millis(1));
            }
            tell.send(()).unwrap();
        });
        assert!(tokio::time::timeout(Duration::from_millis(30), work).await.is_err());
        assert!(told.recv_timeout(Duration::from_secs(60)).is_ok());
    }

    #[tokio::test]
    #[should_panic(expected = "as it is")]
    async fn a_panic_stays_one() {
        aside(|_| panic!("as it is")).await
    }
}
