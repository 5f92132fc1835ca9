//! Spaces in running text.
//!
//! Decides what counts as a space, and that several of them, or one behind another text's, show as one.

/// What HTML calls ASCII white space. A no-break space is text.
pub(super) fn is_space(c: char) -> bool {
    matches!(c, ' ' | '\t' | '\n' | '\r' | '\u{c}')
}

/// Leaves one space for several, none behind `space_before`, and no controls; whether the text ends with a space is told
/// in its place.
pub(super) fn collapse_spaces(text: &mut String, space_before: &mut bool) {
    if !is_collapsed(text, space_before) {
        *text = collapsed(text, space_before);
    }
}

/// Whether there is nothing to leave out, as in most texts: that takes one look at their bytes.
fn is_collapsed(text: &str, space_before: &mut bool) -> bool {
    let mut space = *space_before;
    for byte in text.bytes() {
        match byte {
            b' ' if space => return false,
            b' ' => space = true,
            // Controls, and the byte with which those of two bytes begin.
            0..0x20 | 0x7f | 0xc2 => return false,
            _ => space = false,
        }
    }
    *space_before = space;
    true
}

fn collapsed(text: &str, space_before: &mut bool) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars().filter(|c| !c.is_control() || is_space(*c)) {
        if !is_space(c) {
            out.push(c);
            *space_before = false;
        } else if !*space_before {
            out.push(' ');
            *space_before = true;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    proptest! {
        /// One look at the bytes finds what character by character does.
        #[test]
        fn what_is_collapsed_stays_as_it_is(
            text in prop_oneof!["[ a]{0,8}", "[ a\t\u{7f}\u{80}\u{9f}\u{a0}é]{0,6}", any::<String>()],
            before in any::<bool>(),
        ) {
            let (mut now, mut space, mut wanted_space) = (text.clone(), before, before);
            collapse_spaces(&mut now, &mut space);
            prop_assert_eq!(now, collapsed(&text, &mut wanted_space));
            prop_assert_eq!(space, wanted_space);
        }
    }
}
