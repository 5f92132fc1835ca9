//! `hovrel profile check FILE`.

use std::path::Path;
use std::process::ExitCode;

use super::read;
use crate::tell::tell;

/// Exit codes: 0 it is a profile, 2 it can't be read or has faults.
pub fn check(file: &Path) -> ExitCode {
    let text = match read(file, |file| std::fs::read_to_string(file)) {
        Ok(text) => text,
        Err(code) => return code,
    };
    let name = file.file_name().unwrap_or_default().to_string_lossy();
    match hovrel_connect::profile::parse(&name, &text) {
        Ok(profile) => {
            let kinds: Vec<&str> = profile.kinds.keys().map(|k| k.word()).collect();
            tell([format!("{name}: {} is described with {}", profile.title, kinds.join(", "))], ExitCode::SUCCESS)
        }
        Err(faults) => {
            for fault in &faults {
                eprintln!("{fault}");
            }
            let told = if faults.len() == 1 { "one thing" } else { "several things" };
            eprintln!("{told} of {name} must be corrected");
            ExitCode::from(2)
        }
    }
}
