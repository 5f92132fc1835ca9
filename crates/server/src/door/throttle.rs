//! How often a sign-in may be tried.
//!
//! Decides by the login that is tried and by the address that tries: after some wrong ones each has to pause, twice as long
//! each time. A try counts as wrong until it was right, so that many at once are not more than many one after another.
//! Hashing takes time, so few wait for it.

use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::Mutex;
use std::time::{Duration, Instant};

use tokio::sync::{Semaphore, SemaphorePermit};

use crate::password;

/// Wrong tries of one login, and of one address, before there is a pause.
const FREE: [u32; 2] = [5, 40];
const FIRST_PAUSE: Duration = Duration::from_secs(2);
const LONGEST_PAUSE: Duration = Duration::from_secs(15 * 60);
/// Logins and addresses that are remembered; of more, the ones that were tried longest ago are forgotten.
const REMEMBERED: usize = 10_000;
/// Tries whose passwords wait to be hashed.
const WAITING: usize = 8;

#[derive(Debug, Clone, PartialEq, Eq, Hash)]
enum Who {
    Login(String),
    Address(Option<IpAddr>),
}

#[derive(Debug, Clone, Copy)]
struct Tried {
    wrong: u32,
    /// Until when it pauses.
    until: Instant,
    last: Instant,
}

pub struct Throttle {
    tried: Mutex<HashMap<Who, Tried>>,
    places: Semaphore,
}

impl Default for Throttle {
    fn default() -> Throttle {
        Throttle { tried: Mutex::default(), places: Semaphore::new(password::AT_ONCE + WAITING) }
    }
}

impl Throttle {
    /// Notes a try as a wrong one; how long to pause if it may not be made.
    pub fn begin(&self, login: &str, from: Option<IpAddr>, now: Instant) -> Result<(), Duration> {
        let mut tried = self.tried.lock().unwrap_or_else(|e| e.into_inner());
        let both = [Who::Login(login.to_owned()), Who::Address(from)];
        let pause = both.iter().filter_map(|who| tried.get(who)?.until.checked_duration_since(now)).max();
        if let Some(pause) = pause.filter(|p| !p.is_zero()) {
            return Err(pause);
        }
        for (who, free) in both.into_iter().zip(FREE) {
            let entry = tried.entry(who).or_insert(Tried { wrong: 0, until: now, last: now });
            if now.duration_since(entry.last) > LONGEST_PAUSE {
                entry.wrong = 0;
            }
            entry.wrong = entry.wrong.saturating_add(1);
            entry.last = now;
            if entry.wrong >= free {
                let doublings = (entry.wrong - free).min(20);
                entry.until = now + FIRST_PAUSE.saturating_mul(1 << doublings).min(LONGEST_PAUSE);
            }
        }
        if tried.len() > REMEMBERED {
            let mut times: Vec<Instant> = tried.values().map(|t| t.last).collect();
            let (_, middle, _) = times.select_nth_unstable(REMEMBERED / 2);
            let middle = *middle;
            tried.retain(|_, t| t.last > middle);
        }
        Ok(())
    }

    /// The try was right.
    pub fn was_right(&self, login: &str, from: Option<IpAddr>) {
        let mut tried = self.tried.lock().unwrap_or_else(|e| e.into_inner());
        tried.remove(&Who::Login(login.to_owned()));
        let address = Who::Address(from);
        if let Some(entry) = tried.get_mut(&address) {
            entry.wrong = entry.wrong.saturating_sub(1);
            entry.until = entry.last;
        }
    }

    /// A place among those whose passwords are hashed or wait for it; none if too many wait.
    pub fn place(&self) -> Option<SemaphorePermit<'_>> {
        self.places.try_acquire().ok()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn wrong_tries_pause_longer_each_time_and_a_right_one_ends_it() {
        let throttle = Throttle::default();
        let mut now = Instant::now();
        let from = Some("192.0.2.1".parse().unwrap());
        for _ in 0..FREE[0] {
            assert_eq!(throttle.begin("ida", from, now), Ok(()));
        }
        let mut before = Duration::ZERO;
        for _ in 0..12 {
            let pause = throttle.begin("ida", from, now).expect_err("it has to pause");
            assert!(pause > before || pause == LONGEST_PAUSE, "{pause:?} after {before:?}");
            assert_eq!(throttle.begin("ida", from, now + pause / 2).map_err(|p| p <= pause), Err(true));
            assert_eq!(throttle.begin("ola", None, now), Ok(()), "others are not held up");
            throttle.was_right("ola", None);
            (now, before) = (now + pause, pause);
            assert_eq!(throttle.begin("ida", from, now), Ok(()), "after the pause that was told it may be tried");
        }
        throttle.was_right("ida", from);
        assert_eq!(throttle.begin("ida", from, now), Ok(()));
    }

    #[test]
    fn an_address_that_tries_many_logins_pauses_and_what_is_remembered_is_bounded() {
        let throttle = Throttle::default();
        let now = Instant::now();
        let from = Some("2001:db8::1".parse().unwrap());
        let held = (0..200).filter(|n| throttle.begin(&format!("login {n}"), from, now).is_err()).count();
        assert_eq!(held, 200 - FREE[1] as usize);
        for n in 0..3 * REMEMBERED as u32 {
            let address = Some(IpAddr::from(n.to_be_bytes()));
            let _ = throttle.begin(&format!("login {n}"), address, now + Duration::from_millis(u64::from(n)));
        }
        assert!(throttle.tried.lock().unwrap().len() <= REMEMBERED + 2);
    }
}
