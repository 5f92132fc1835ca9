//! One file per command.

pub mod profile;
pub mod proof;
pub mod serve;

use std::io;
use std::path::Path;
use std::process::ExitCode;

/// What is in a file; if it can't be read, that is told, and 2 is the exit code.
fn read<T>(file: &Path, how: impl FnOnce(&Path) -> io::Result<T>) -> Result<T, ExitCode> {
    how(file).map_err(|e| {
        eprintln!("{} can't be read: {e}", file.display());
        ExitCode::from(2)
    })
}
