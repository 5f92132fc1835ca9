//! Places at which tests cut a transfer off, by signal 9: nothing can be tidied up after that. Without the feature
//! `failpoints` they are nothing.

/// A place that a transfer comes by. `FAILPOINTS=name=return` ends the program there.
#[cfg(feature = "failpoints")]
pub(crate) fn point(name: &str) {
    fail::fail_point!(name, |_| {
        let own = std::process::id().to_string();
        let _ = std::process::Command::new("kill").args(["-9", &own]).status();
    });
}

#[cfg(not(feature = "failpoints"))]
pub(crate) fn point(_name: &str) {}

/// Takes what the environment says of the places, for as long as the program runs.
#[cfg(feature = "failpoints")]
pub fn points_from_environment() {
    std::mem::forget(fail::FailScenario::setup());
}
