//! Addresses in texts that lead to files of the same system.
//!
//! Decides which file of which item an address means, by the profile's own paths of files; what becomes of it in the
//! text is the decoder's affair.

use hovrel_core::model::Kind;
use percent_encoding::percent_decode_str;

use crate::profile::Profile;

/// A file of some item, as an address in a text names it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FileAt {
    pub kind: Kind,
    pub id: String,
    /// Its name, or its id where files have one.
    pub name: String,
}

/// The address in full, if it leads into the system; none if it leads elsewhere or names a file of the item itself.
/// `here` is where the system is.
pub fn inside(address: &str, here: &str) -> Option<String> {
    let rest = match address.strip_prefix(here) {
        Some(rest) => rest,
        // Two slashes begin another host (RFC 3986 §4.2).
        None => Some(address).filter(|a| a.starts_with('/') && !a.starts_with("//"))?,
    };
    (rest.is_empty() || rest.starts_with(['/', '?', '#'])).then(|| format!("{here}{rest}"))
}

/// The file that an address of the system leads to.
pub fn file_at(profile: &Profile, address: &str, here: &str) -> Option<FileAt> {
    let path = address.strip_prefix(here)?;
    let path = path.split(['?', '#']).next().unwrap_or_default();
    profile.kinds.iter().find_map(|(kind, of)| {
        let pattern = of.files.as_ref()?.path.as_str();
        let (mut id, mut name) = (None, None);
        let (wanted, given): (Vec<&str>, Vec<&str>) = (pattern.split('/').collect(), path.split('/').collect());
        if wanted.len() != given.len() {
            return None;
        }
        for (wanted, given) in wanted.into_iter().zip(given) {
            match wanted {
                "{id}" => id = Some(plain(given)),
                "{name}" => name = Some(plain(given)),
                word if word == given => {}
                _ => return None,
            }
        }
        Some(FileAt { kind: *kind, id: id?, name: name? })
    })
}

/// A segment of a path without its percent-encoding (RFC 3986 §2.1).
fn plain(segment: &str) -> String {
    percent_decode_str(segment).decode_utf8_lossy().into_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_address_of_a_file_is_told_by_the_profiles_paths() {
        let profile = crate::profile::shipped().into_iter().find(|p| p.profile == "oldstone").expect("it ships");
        let here = "https://old.skarnvik.example";
        let at = |address: &str| file_at(&profile, &inside(address, here)?, here);
        let file = |id: &str, name: &str| Some(FileAt { kind: Kind::TestCase, id: id.into(), name: name.into() });
        assert_eq!(at("/os/cases/OS-2001/files/a%20b.png"), file("OS-2001", "a b.png"));
        assert_eq!(at("https://old.skarnvik.example/os/cases/OS-1/files/x.png?v=2"), file("OS-1", "x.png"));
        for other in [
            "a.png",
            "//elsewhere.example/os/cases/1/files/a.png",
            "/os/cases/OS-1",
            "https://x.example/a",
            "https://old.skarnvik.example.evil.example/os/cases/OS-1/files/x.png",
        ] {
            assert_eq!(at(other), None, "{other}");
        }
        assert_eq!(inside("/view/OS-1", here).as_deref(), Some("https://old.skarnvik.example/view/OS-1"));
    }
}
