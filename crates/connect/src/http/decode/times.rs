//! Times as systems write them.

use chrono::{DateTime, Datelike, FixedOffset, NaiveDateTime, TimeZone};
use hovrel_core::bounds::YEARS;

/// RFC 3339 as it is; a time without an offset is local to the system's zone. In the hour that occurs
/// twice when the clock goes back, the first one is taken; in the one that does not occur, the offset
/// before the change. Of the [`YEARS`] that are taken.
pub fn read_time(text: &str, zone: chrono_tz::Tz) -> Option<DateTime<FixedOffset>> {
    match DateTime::parse_from_rfc3339(text) {
        Ok(time) => Some(time),
        Err(_) => local_time(text.parse().ok().filter(|t: &NaiveDateTime| YEARS.contains(&t.year()))?, zone),
    }
}

fn local_time(local: NaiveDateTime, zone: chrono_tz::Tz) -> Option<DateTime<FixedOffset>> {
    let found = zone.from_local_datetime(&local);
    let time = found.earliest().or_else(|| {
        let before = zone.from_local_datetime(&(local - chrono::TimeDelta::hours(2))).earliest()?;
        Some(before + chrono::TimeDelta::hours(2))
    })?;
    Some(time.fixed_offset())
}

#[cfg(test)]
mod tests {
    use super::*;

    /// RFC 3339 §5.8: its own examples, the leap second included.
    #[test]
    fn times_with_an_offset_are_read_as_the_standard_says() {
        let utc = |text: &str| read_time(text, chrono_tz::UTC).map(|t| t.to_utc().to_rfc3339());
        assert_eq!(utc("1985-04-12T23:20:50.52Z").as_deref(), Some("1985-04-12T23:20:50.520+00:00"));
        assert_eq!(utc("1996-12-19T16:39:57-08:00").as_deref(), Some("1996-12-20T00:39:57+00:00"));
        assert_eq!(utc("1990-12-31T23:59:60Z"), utc("1990-12-31T15:59:60-08:00"));
        assert!(utc("1990-12-31T23:59:60Z").is_some());
        assert_eq!(utc("1937-01-01T12:00:27.87+00:20").as_deref(), Some("1937-01-01T11:40:27.870+00:00"));
        assert_eq!(utc("1990-13-31T23:59:59Z"), None);
    }

    /// IANA time zone database: Europe/Oslo left summer time on 25 October 2026 at 03:00 and began it
    /// on 29 March 2026 at 02:00.
    #[test]
    fn local_times_get_the_offset_of_their_zone() {
        let at = |text: &str| local_time(text.parse().unwrap(), chrono_tz::Europe::Oslo).unwrap().to_rfc3339();
        assert_eq!(at("2026-07-01T12:00:00"), "2026-07-01T12:00:00+02:00");
        assert_eq!(at("2026-11-24T12:00:00"), "2026-11-24T12:00:00+01:00");
        assert_eq!(at("2026-10-25T02:30:00"), "2026-10-25T02:30:00+02:00", "the first of the two");
        assert_eq!(at("2026-03-29T02:30:00"), "2026-03-29T03:30:00+02:00", "an hour that does not occur");
    }
}
