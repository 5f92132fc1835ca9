//! `hovrel proof verify FILE`: whether a signed proof is what was signed, and by which key.

use std::path::Path;
use std::process::ExitCode;

use hovrel_evidence::{Verified, verify};

use super::read;
use crate::tell::{plain, tell};

/// Exit codes: 0 it is what was signed, 1 it is not, 2 the file can't be read.
pub fn run(file: &Path, key: Option<&str>) -> ExitCode {
    let bytes = match read(file, |file| std::fs::read(file)) {
        Ok(bytes) => bytes,
        Err(code) => return code,
    };
    match verify(&bytes, key) {
        Ok(verified) => tell(told(&verified, key.is_some()).lines(), ExitCode::SUCCESS),
        Err(why) => {
            eprintln!("{}", plain(&format!("{} is refused: {why}", file.display())));
            ExitCode::from(1)
        }
    }
}

fn told(Verified { evidence, fingerprint }: &Verified, expected: bool) -> String {
    let (route, proof) = (&evidence.route, &evidence.proof);
    let compare = if expected { "the key that was expected" } else { "compare it with what the sender tells you" };
    let mut out = format!(
        "The signature holds.\n\
         key       {fingerprint} ({compare})\n\
         route     {}, version {}\n\
         left      {}, {}\n\
         right     {}, {}\n\
         proved    {}\n\
         losses    {} as foreseen, {} not foreseen\n\
         outcome   {}\n",
        plain(&route.name),
        route.version,
        plain(&route.left.system),
        plain(&route.left.container),
        plain(&route.right.system),
        plain(&route.right.container),
        proof.at.to_rfc3339(),
        proof.losses_foreseen,
        proof.losses_unforeseen,
        hovrel_words::headline(&proof.headline),
    );
    for lane in &proof.lanes {
        out += &format!("{:<18}{} of {} paired\n", lane.left_kind.word(), lane.paired, lane.covered());
    }
    out
}
