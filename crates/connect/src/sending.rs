//! A file on its way to a system.
//!
//! Decides when a system that takes no more of it is given up: by how long nothing was taken, and not by how long all of it
//! takes, which a large file over a slow line may need.

use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use futures::StreamExt;
use hovrel_core::bounds::{LONGEST_FILE_ANSWER, LONGEST_FILE_SILENCE};

use crate::contract::ByteStream;

/// How far it is.
#[derive(Debug, Clone, Copy)]
enum Progress {
    NotBegun,
    /// When a part of it was taken last.
    Taken(Instant),
    /// When all of it had been.
    Whole(Instant),
}

/// What watches a stream of bytes.
pub struct Watch(Arc<Mutex<Progress>>);

/// The same bytes, watched. Of a file whose size is told nobody asks for the end, since it is known.
pub fn watched(bytes: ByteStream, size: Option<u64>) -> (ByteStream, Watch) {
    let progress = Arc::new(Mutex::new(Progress::NotBegun));
    let set = |progress: &Mutex<Progress>, now| *progress.lock().unwrap_or_else(PoisonError::into_inner) = now;
    let (on_its_way, whole) = (progress.clone(), progress.clone());
    let mut taken = 0;
    let parts = bytes.inspect(move |part| {
        taken += part.as_ref().map_or(0, |p| p.len() as u64);
        let now = Instant::now();
        set(&on_its_way, if size == Some(taken) { Progress::Whole(now) } else { Progress::Taken(now) });
    });
    let end = futures::stream::poll_fn(move |_| {
        set(&whole, Progress::Whole(Instant::now()));
        std::task::Poll::Ready(None)
    });
    (parts.chain(end).boxed(), Watch(progress))
}

impl Watch {
    /// Returns when the system is to be given up, with why.
    pub async fn given_up(&self) -> String {
        loop {
            tokio::time::sleep(Duration::from_secs(1)).await;
            let progress = *self.0.lock().unwrap_or_else(PoisonError::into_inner);
            let (since, longest, what) = match progress {
                Progress::NotBegun => continue,
                Progress::Taken(at) => (at, LONGEST_FILE_SILENCE, "no more of the file was accepted"),
                Progress::Whole(at) => (at, LONGEST_FILE_ANSWER, "there was no answer to the whole file"),
            };
            if since.elapsed() > longest {
                return format!("{what} within {} s", longest.as_secs());
            }
        }
    }
}
