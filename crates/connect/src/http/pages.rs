//! Lists that come page by page: how the next page is asked for, whatever is listed.
//!
//! Decides where a list goes on, by offset, by cursor or by the Link header (RFC 8288). A list that is not where the
//! profile says is an error, and so is one that leads in a circle.

use hovrel_core::bounds::MOST_PAGES;
use serde_json::Value;

use super::client::Client;
use super::tree;
use crate::ConnectError;
use crate::address::path_at;
use crate::profile::{Listing, Paging};
use crate::transport::escape_segment;

/// One page as it was answered.
pub struct Listed {
    pub items: Vec<Value>,
    /// Where to go on; none at the end.
    pub next: Option<String>,
    /// How many there are in all, where the system says so.
    pub total: Option<u64>,
}

/// A page of a list at a path that is filled in already.
pub async fn page(client: &Client, path: &str, at: &Listing, cursor: Option<&str>) -> Result<Listed, ConnectError> {
    let ask = |pairs: &[(&str, &str)]| {
        let query: Vec<String> = pairs.iter().map(|(k, v)| format!("{k}={}", escape_segment(v))).collect();
        format!("{path}{}{}", if path.contains('?') { '&' } else { '?' }, query.join("&"))
    };
    let asked = match (&at.paging, cursor) {
        (Paging::All, _) => path.to_owned(),
        (Paging::Offset { from, count, size, .. }, at) => ask(&[(from, at.unwrap_or("0")), (count, &size.to_string())]),
        (Paging::Cursor { limit, size, .. } | Paging::Linked { limit, size, .. }, None) => {
            ask(&[(limit, &size.to_string())])
        }
        (Paging::Cursor { after, limit, size, .. }, Some(at)) => ask(&[(limit, &size.to_string()), (after, at)]),
        // The system's own address of the next page.
        (Paging::Linked { .. }, Some(at)) => at.to_owned(),
    };
    let (mut answer, headers) = client.read_page(&asked).await?;
    let (next, total) = match &at.paging {
        Paging::All => (None, None),
        Paging::Offset { total, .. } => (None, tree::number(&answer, total)),
        Paging::Linked { total, .. } => {
            let total = total.as_ref().and_then(|name| headers.get(name)?.to_str().ok()?.parse().ok());
            (next_page(client, &asked, &headers)?, total)
        }
        Paging::Cursor { next, total, .. } => {
            let next = tree::text(&answer, next).filter(|n| !n.is_empty());
            (next, total.as_ref().and_then(|t| tree::number(&answer, t)))
        }
    };
    let malformed = |why: String| ConnectError::Malformed { address: format!("{}{asked}", client.address()), why };
    let speaks = client.profile.speaks;
    let items = match tree::take_list(&mut answer, &at.items, speaks) {
        Ok(items) => items,
        Err(_) if total == Some(0) => Vec::new(),
        Err(why) => return Err(malformed(format!("{why}, where the profile expects the list"))),
    };
    Ok(match &at.paging {
        Paging::All => Listed { total: Some(items.len() as u64), items, next },
        Paging::Offset { .. } => {
            let reached = cursor.and_then(|c| c.parse().ok()).unwrap_or(0) + items.len() as u64;
            // An empty page ends the reading even if the total says otherwise: items may have gone.
            let more = !items.is_empty() && total.is_none_or(|t| reached < t);
            Listed { items, next: more.then(|| reached.to_string()), total }
        }
        _ => Listed { items, next, total },
    })
}

/// A whole list, for what is listed once and has no versions: projects and people.
pub async fn all(client: &Client, path: &str, at: &Listing) -> Result<Vec<Value>, ConnectError> {
    let mut out = Vec::new();
    let mut cursor: Option<String> = None;
    for _ in 0..MOST_PAGES {
        let page = page(client, path, at, cursor.as_deref()).await?;
        out.extend(page.items);
        match page.next {
            None => return Ok(out),
            next if next == cursor => break,
            next => cursor = next,
        }
    }
    let why = "its pages refer to one another in a circle".to_owned();
    Err(ConnectError::Malformed { address: format!("{}{path}", client.address()), why })
}

/// The first thing in a list that is what is looked for. A list that shows less than it says that there is does not
/// tell that it is not there.
pub async fn find<T>(
    client: &Client,
    path: &str,
    at: &Listing,
    is: &(dyn Fn(&Value) -> Result<Option<T>, ConnectError> + Sync),
) -> Result<Option<T>, ConnectError> {
    let malformed = |why: String| ConnectError::Malformed { address: format!("{}{path}", client.address()), why };
    let mut cursor: Option<String> = None;
    let mut seen = 0u64;
    for _ in 0..MOST_PAGES {
        let page = page(client, path, at, cursor.as_deref()).await?;
        seen += page.items.len() as u64;
        for item in &page.items {
            if let Some(found) = is(item)? {
                return Ok(Some(found));
            }
        }
        match page.next {
            None => match page.total.filter(|total| seen < *total) {
                Some(total) => return Err(malformed(format!("it shows {seen} items and reports {total}"))),
                None => return Ok(None),
            },
            next if next == cursor => break,
            next => cursor = next,
        }
    }
    Err(malformed("its pages refer to one another in a circle".into()))
}

/// Where the next page is, as a path of this system.
fn next_page(
    client: &Client,
    path: &str,
    headers: &reqwest::header::HeaderMap,
) -> Result<Option<String>, ConnectError> {
    let malformed = |why: String| ConnectError::Malformed { address: path.to_owned(), why };
    let Some(value) = headers.get(reqwest::header::LINK) else { return Ok(None) };
    let text = value.to_str().map_err(|e| malformed(format!("its Link header is no text: {e}")))?;
    let Some(next) = next(text).map_err(malformed)? else { return Ok(None) };
    let here = format!("{}{path}", client.address());
    let next = path_at(&here, next).map_err(malformed)?;
    // Paths here begin where the system's address ends.
    let before = url::Url::parse(client.address()).map_or(String::new(), |u| u.path().trim_end_matches('/').to_owned());
    match next.strip_prefix(&before) {
        Some(path) => Ok(Some(path.to_owned())),
        None => Err(malformed(format!("its next page is outside of the system, at {next}"))),
    }
}

/// The address with the relation `next`, as it is written. A header is a list of `<address>; name=value; name="value"`
/// (RFC 8288 §3 and appendix B.2).
fn next(header: &str) -> Result<Option<&str>, String> {
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
            return Ok(Some(target.trim()));
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
    use crate::address::path_at;

    /// The forms of RFC 8288 §3.1 and §3.5, from memory: relative and whole addresses, other relations
    /// beside it, several relations at one address, and none at all.
    #[test]
    fn the_next_page_is_found_in_every_form() {
        let here = "https://a.example/v2/items?page=1";
        for (header, wanted) in [
            ("</v2/items?page=2>; rel=\"next\"", Some("/v2/items?page=2")),
            ("<?page=2>; rel=\"next\"", Some("/v2/items?page=2")),
            ("<https://a.example/x>; rel=\"next\"", Some("/x")),
            ("</first>; rel=\"first\", </2>; rel=\"next\", </9>; rel=\"last\"", Some("/2")),
            ("</2>; title=\"a < b, or so\"; rel=\"next\"", Some("/2")),
            ("</a,b>; rel=prev, </2>; rel=next", Some("/2")),
            ("</2>; rel=\"last next\"; title=\"it \\\"ends\\\", here\"", Some("/2")),
            ("</first>; rel=\"first\"", None),
            ("", None),
        ] {
            let found = next(header).unwrap().map(|found| path_at(here, found).unwrap());
            assert_eq!(found.as_deref(), wanted, "{header}");
        }
        assert!(next("nonsense").is_err());
        assert!(path_at(here, next("<http://[>; rel=\"next\"").unwrap().unwrap()).is_err());
    }
}
