//! A call that is held until somebody lets it go: the moment in which somebody else does something, between what a
//! client read and what it writes, or between a call and the look that follows it.
//!
//! Decides nothing by itself: who asks says which call it is and what becomes of it.

use axum::extract::Request;
use axum::http::{Method, Uri};
use tokio::sync::oneshot;

/// What becomes of a call that was held.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Then {
    /// It goes on as if nothing had been.
    GoOn,
    /// It is done, and its answer is lost.
    CutAfter,
}

type Wanted = Box<dyn Fn(&Method, &Uri) -> bool + Send>;

/// The next call of a sort is held.
pub(crate) struct Hold {
    wanted: Wanted,
    came: oneshot::Sender<String>,
    then: oneshot::Receiver<Then>,
}

/// A call that will be held, for whoever waits for it.
pub struct Held {
    came: oneshot::Receiver<String>,
    then: oneshot::Sender<Then>,
}

pub(crate) fn pair(wanted: Wanted) -> (Hold, Held) {
    let ((came, comes), (then, told)) = (oneshot::channel(), oneshot::channel());
    (Hold { wanted, came, then: told }, Held { came: comes, then })
}

impl Held {
    /// Waits for the call; its path, and whoever lets it go. None if it will never come.
    pub async fn arrived(self) -> Option<(String, Release)> {
        Some((self.came.await.ok()?, Release(self.then)))
    }
}

/// Lets a held call go. Dropped, the call goes on.
pub struct Release(oneshot::Sender<Then>);

impl Release {
    pub fn then(self, then: Then) {
        let _ = self.0.send(then);
    }
}

impl Hold {
    pub(crate) fn is_for(&self, request: &Request) -> bool {
        (self.wanted)(request.method(), request.uri())
    }

    pub(crate) async fn wait(self, path: &str) -> Then {
        let _ = self.came.send(path.to_owned());
        self.then.await.unwrap_or(Then::GoOn)
    }
}
