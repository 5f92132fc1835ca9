//! Where a browser's request comes from.
//!
//! Decides by what browsers say themselves (Fetch Metadata, the Origin header of RFC 6454 §7): a page of somebody else
//! must not sign anybody in. Programs that are no browsers say nothing, and hold no cookies that could be misused.

use axum::http::{HeaderMap, StatusCode, header};

use crate::problem::Problem;

/// Refuses a request that a page of another origin makes.
pub fn own(headers: &HeaderMap) -> Result<(), Problem> {
    let said = |name: &str| headers.get(name).and_then(|v| v.to_str().ok());
    let same = match (said("sec-fetch-site"), said("origin")) {
        (Some(site), _) => matches!(site, "same-origin" | "none"),
        (None, None) => true,
        (None, Some(origin)) => {
            let host = said("x-forwarded-host").or(headers.get(header::HOST).and_then(|v| v.to_str().ok()));
            let there = origin.split_once("://").map(|(_, host)| host);
            there.is_some() && there == host.map(str::trim)
        }
    };
    match same {
        true => Ok(()),
        false => Err(Problem::new(
            StatusCode::FORBIDDEN,
            "foreign",
            "The request comes from another site",
            "Signing in is done on Hovrel's own page.",
            "Open Hovrel by its own address. A proxy before it must pass the Host header on.",
        )),
    }
}

/// Whether the browser speaks TLS to whatever stands before Hovrel (RFC 7239 §5.4, and its forerunner).
pub fn is_over_tls(headers: &HeaderMap) -> bool {
    let said = |name: &str| headers.get(name).and_then(|v| v.to_str().ok()).unwrap_or_default().to_ascii_lowercase();
    said("x-forwarded-proto").split(',').next().is_some_and(|p| p.trim() == "https")
        || said("forwarded").split(',').next().is_some_and(|f| {
            f.split(';').any(|pair| {
                pair.trim().split_once('=').is_some_and(|(k, v)| k == "proto" && v.trim_matches('"') == "https")
            })
        })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn headers(list: &[(&'static str, &str)]) -> HeaderMap {
        list.iter().map(|(k, v)| (axum::http::HeaderName::from_static(k), v.parse().unwrap())).collect()
    }

    #[test]
    fn only_hovrels_own_page_signs_in() {
        let own_page = [("host", "hovrel.example:7100"), ("origin", "http://hovrel.example:7100")];
        assert!(own(&headers(&own_page)).is_ok());
        assert!(own(&headers(&[("host", "hovrel.example")])).is_ok(), "a program that is no browser");
        assert!(own(&headers(&[("sec-fetch-site", "same-origin")])).is_ok());
        for foreign in [
            vec![("host", "hovrel.example"), ("origin", "http://thief.example")],
            vec![("host", "hovrel.example"), ("origin", "null")],
            vec![("host", "hovrel.example"), ("origin", "http://hovrel.example:81")],
            vec![("sec-fetch-site", "cross-site")],
            vec![("sec-fetch-site", "same-site")],
        ] {
            assert!(own(&headers(&foreign)).is_err(), "{foreign:?}");
        }
    }

    #[test]
    fn tls_is_told_by_what_stands_before() {
        assert!(is_over_tls(&headers(&[("x-forwarded-proto", "https")])));
        assert!(is_over_tls(&headers(&[("forwarded", "for=192.0.2.60;proto=https;by=203.0.113.43")])));
        assert!(!is_over_tls(&headers(&[("x-forwarded-proto", "http")])) && !is_over_tls(&HeaderMap::new()));
    }
}
