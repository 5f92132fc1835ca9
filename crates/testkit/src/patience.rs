//! How long a test waits for something before it fails by name, instead of holding up all that come after it.

use std::time::Duration;

/// Longer than anything that a test waits for takes on a slow machine.
pub const PATIENCE: Duration = Duration::from_secs(600);

/// Asks until there is something, and returns it.
pub async fn eventually<T>(what: &str, mut ask: impl AsyncFnMut() -> Option<T>) -> T {
    let asked = async {
        loop {
            if let Some(found) = ask().await {
                return found;
            }
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
    };
    within(what, asked).await
}

/// What some work gives, if it ends at all.
pub async fn within<T>(what: &str, work: impl Future<Output = T>) -> T {
    match tokio::time::timeout(PATIENCE, work).await {
        Ok(done) => done,
        Err(_) => panic!("{what}: waited for {PATIENCE:?} in vain"),
    }
}
