//! What a command prints for whoever or whatever reads it.
//!
//! A reader that has had enough, as `| head -1` has, is no trouble: what was done stays done, and the exit code says
//! how it went. An output that can't be written is told, and is a failure.

use std::fmt::Display;
use std::io::{ErrorKind, Write};
use std::process::ExitCode;

/// Prints lines to the standard output, then ends with `code`; with 1 if they can't be written.
pub fn tell(lines: impl IntoIterator<Item = impl Display>, code: ExitCode) -> ExitCode {
    let mut out = std::io::stdout().lock();
    let written = lines.into_iter().try_for_each(|line| writeln!(out, "{line}")).and_then(|()| out.flush());
    match written {
        Err(e) if e.kind() != ErrorKind::BrokenPipe => {
            eprintln!("what was found can't be written: {e}");
            ExitCode::FAILURE
        }
        _ => code,
    }
}
