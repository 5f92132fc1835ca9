//! `hovrel profile check FILE`.

use std::path::Path;

use anyhow::Context;

pub fn check(file: &Path) -> anyhow::Result<()> {
    let text = std::fs::read_to_string(file).with_context(|| format!("{} can't be read", file.display()))?;
    let name = file.file_name().unwrap_or_default().to_string_lossy();
    match hovrel_connect::profile::parse(&name, &text) {
        Ok(profile) => {
            println!("{name}: {} is described with {} kinds", profile.title, profile.kinds.len());
            Ok(())
        }
        Err(faults) => {
            for fault in &faults {
                eprintln!("{fault}");
            }
            anyhow::bail!(
                "{} of {name} must be corrected",
                if faults.len() == 1 { "one thing" } else { "several things" }
            )
        }
    }
}
