//! `hovrel profile check FILE`.

use std::path::Path;

use anyhow::Context;

pub fn check(file: &Path) -> anyhow::Result<()> {
    let text = std::fs::read_to_string(file).with_context(|| format!("{} can't be read", file.display()))?;
    let name = file.file_name().unwrap_or_default().to_string_lossy();
    match hovrel_connect::profile::parse(&name, &text) {
        Ok(profile) => {
            let kinds: Vec<&str> = profile.kinds.keys().map(|k| k.word()).collect();
            println!("{name}: {} is described with {}", profile.title, kinds.join(", "));
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
