//! The Link header (RFC 8288): where the next page is.

/// The address with the relation `next`, whole; `here` is what relative addresses are relative to. A header is
/// a list of `<address>; name=value; name="value"` (RFC 8288 §3 and appendix B.2).
pub fn next(header: &str, here: &str) -> Result<Option<String>, String> {
    let base = url::Url::parse(here).map_err(|e| e.to_string())?;
    for link in split(header, ',') {
        let link = link.trim();
        let Some((target, parameters)) = link.strip_prefix('<').and_then(|l| l.split_once('>')) else {
            if link.is_empty() {
                continue;
            }
            return Err(format!("its Link header holds “{link}”, which is no link"));
        };
        let relations = split(parameters, ';').into_iter().find_map(|p| {
            let (name, value) = p.split_once('=')?;
            name.trim().eq_ignore_ascii_case("rel").then(|| value.trim().trim_matches('"'))
        });
        if relations.is_some_and(|r| r.split_ascii_whitespace().any(|r| r.eq_ignore_ascii_case("next"))) {
            let whole = base.join(target.trim()).map_err(|e| format!("its Link header: {e}"))?;
            return Ok(Some(whole.to_string()));
        }
    }
    Ok(None)
}

/// Splits at a character that is neither in an address nor in quotes.
fn split(text: &str, at: char) -> Vec<&str> {
    let (mut out, mut from) = (Vec::new(), 0);
    let (mut quoted, mut escaped, mut inside) = (false, false, false);
    for (n, c) in text.char_indices() {
        match c {
            _ if escaped => escaped = false,
            '\\' if quoted => escaped = true,
            '"' if !inside => quoted = !quoted,
            '<' if !quoted => inside = true,
            '>' if !quoted => inside = false,
            c if c == at && !quoted && !inside => {
                out.push(&text[from..n]);
                from = n + c.len_utf8();
            }
            _ => {}
        }
    }
    out.push(&text[from..]);
    out
}

#[cfg(test)]
mod tests {
    use super::next;

    /// The forms of RFC 8288 §3.1 and §3.5, from memory: relative and whole addresses, other relations
    /// beside it, several relations at one address, and none at all.
    #[test]
    fn the_next_page_is_found_in_every_form() {
        let here = "https://a.example/v2/items?page=1";
        for (header, wanted) in [
            ("</v2/items?page=2>; rel=\"next\"", Some("https://a.example/v2/items?page=2")),
            ("<?page=2>; rel=\"next\"", Some("https://a.example/v2/items?page=2")),
            ("<https://a.example/x>; rel=\"next\"", Some("https://a.example/x")),
            ("</first>; rel=\"first\", </2>; rel=\"next\", </9>; rel=\"last\"", Some("https://a.example/2")),
            ("</2>; title=\"a < b, or so\"; rel=\"next\"", Some("https://a.example/2")),
            ("</a,b>; rel=prev, </2>; rel=next", Some("https://a.example/2")),
            ("</2>; rel=\"last next\"; title=\"it \\\"ends\\\", here\"", Some("https://a.example/2")),
            ("</first>; rel=\"first\"", None),
            ("", None),
        ] {
            assert_eq!(next(header, here), Ok(wanted.map(str::to_owned)), "{header}");
        }
        assert!(next("nonsense", here).is_err());
        assert!(next("<http://[>; rel=\"next\"", here).is_err());
    }
}
