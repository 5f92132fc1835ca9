//! A limit of calls: a bucket that refills steadily.

use std::sync::Mutex;
use std::time::Instant;

pub struct Bucket {
    per_second: f64,
    full: f64,
    left: Mutex<(f64, Instant)>,
}

impl Bucket {
    /// `full` is how many calls may come at once.
    pub fn new(per_second: f64, full: f64) -> Bucket {
        Bucket { per_second, full, left: Mutex::new((full, Instant::now())) }
    }

    /// Takes one call; the seconds to wait if there is none left.
    pub fn take(&self) -> Result<(), u64> {
        let mut guard = self.left.lock().unwrap_or_else(|e| e.into_inner());
        let (left, at) = &mut *guard;
        *left = (*left + at.elapsed().as_secs_f64() * self.per_second).min(self.full);
        *at = Instant::now();
        if *left >= 1.0 {
            *left -= 1.0;
            Ok(())
        } else {
            Err(((1.0 - *left) / self.per_second).ceil() as u64)
        }
    }
}
