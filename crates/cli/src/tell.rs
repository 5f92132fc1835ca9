//! What a command prints for whoever or whatever reads it.
//!
//! A reader that has had enough, as `| head -1` has, is no trouble: what was done stays done, and the exit code says
//! how it went. An output that can't be written is told, and is a failure.

use std::fmt::Display;
use std::io::{ErrorKind, Write};
use std::process::ExitCode;

/// A text that came from somewhere else, on one line and without what a terminal would obey or turn around: control
/// characters, and those that change the direction of a text (Unicode Standard Annex 9, §2).
pub fn plain(text: &str) -> String {
    let obeyed = |c: char| {
        c.is_control() || matches!(c, '\u{200E}' | '\u{200F}' | '\u{202A}'..='\u{202E}' | '\u{2066}'..='\u{2069}')
    };
    text.chars().map(|c| if obeyed(c) { c.escape_unicode().to_string() } else { c.to_string() }).collect()
}

/// Prints lines to the standard output, then ends with `code`; with 1 if they can't be written.
pub fn tell(lines: impl IntoIterator<Item = impl Display>, code: ExitCode) -> ExitCode {
    let mut out = std::io::stdout().lock();
    // What is printed in several lines is Hovrel's own; in none of them is anything for a terminal to obey.
    let safe = |line: String| line.split('\n').map(plain).collect::<Vec<_>>().join("\n");
    let mut told = lines.into_iter().map(|line| safe(line.to_string()));
    let written = told.try_for_each(|line| writeln!(out, "{line}")).and_then(|()| out.flush());
    match written {
        Err(e) if e.kind() != ErrorKind::BrokenPipe => {
            eprintln!("what was found can't be written: {e}");
            ExitCode::FAILURE
        }
        _ => code,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_is_left_that_a_terminal_obeys() {
        let told = plain("a\u{1b}[2J\u{7}b\nc\u{202e}d\u{9b}e");
        assert_eq!(told, "a\\u{1b}[2J\\u{7}b\\u{a}c\\u{202e}d\\u{9b}e");
        assert_eq!(plain("Lift – “Ålesund” ✓"), "Lift – “Ålesund” ✓");
    }
}
