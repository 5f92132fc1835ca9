//! A length of time, exact to the nanosecond.

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// A length of time in nanoseconds; as data it is a number of seconds, written as text where it has a fraction.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Span(i64);

const SECOND: i64 = 1_000_000_000;

impl Span {
    /// None for more than a nanosecond count can hold (292 years).
    pub fn of_seconds(seconds: i64) -> Option<Span> {
        seconds.checked_mul(SECOND).map(Span)
    }

    /// A length of time of so many nanoseconds.
    pub fn of_nanoseconds(nanoseconds: i64) -> Span {
        Span(nanoseconds)
    }

    /// Its length in nanoseconds.
    pub fn nanoseconds(self) -> i64 {
        self.0
    }

    /// The seconds of it, if it has no fraction of one.
    pub fn whole_seconds(self) -> Option<i64> {
        (self.0 % SECOND == 0).then_some(self.0 / SECOND)
    }

    /// Reads a number of seconds, with a point. None if it is none, or finer than a nanosecond.
    pub fn parse(text: &str) -> Option<Span> {
        let (negative, digits) = match text.strip_prefix('-') {
            Some(rest) => (true, rest),
            None => (false, text),
        };
        let (whole, fraction) = digits.split_once('.').unwrap_or((digits, ""));
        let all_digits = |s: &str| s.bytes().all(|b| b.is_ascii_digit());
        let fraction = fraction.trim_end_matches('0');
        if whole.is_empty() || !all_digits(whole) || !all_digits(fraction) || fraction.len() > 9 {
            return None;
        }
        let below: i64 = format!("{fraction:0<9}").parse().ok()?;
        let above = whole.parse::<i64>().ok()?.checked_mul(SECOND)?;
        let all = above.checked_add(below)?;
        Some(Span(if negative { -all } else { all }))
    }

    /// As a number of seconds, with a point.
    pub fn seconds(self) -> String {
        let (whole, below) = (self.0.unsigned_abs() / SECOND as u64, self.0.unsigned_abs() % SECOND as u64);
        let sign = if self.0 < 0 { "-" } else { "" };
        match below {
            0 => format!("{sign}{whole}"),
            _ => format!("{sign}{whole}.{}", format!("{below:09}").trim_end_matches('0')),
        }
    }

    /// Hours, minutes and seconds, for a person.
    pub fn display(self) -> String {
        let seconds = self.0.unsigned_abs() / SECOND as u64;
        let below = self.0.unsigned_abs() % SECOND as u64;
        let sign = if self.0 < 0 { "-" } else { "" };
        let clock = format!("{sign}{}:{:02}:{:02}", seconds / 3600, seconds / 60 % 60, seconds % 60);
        if below == 0 { clock } else { format!("{clock}.{}", format!("{below:09}").trim_end_matches('0')) }
    }
}

impl Serialize for Span {
    fn serialize<S: Serializer>(&self, s: S) -> Result<S::Ok, S::Error> {
        match self.whole_seconds() {
            Some(seconds) => s.serialize_i64(seconds),
            None => s.serialize_str(&self.seconds()),
        }
    }
}

impl<'de> Deserialize<'de> for Span {
    fn deserialize<D: Deserializer<'de>>(d: D) -> Result<Span, D::Error> {
        #[derive(Deserialize)]
        #[serde(untagged)]
        enum Told {
            Seconds(i64),
            Text(String),
        }
        let found = match Told::deserialize(d)? {
            Told::Seconds(n) => Span::of_seconds(n),
            Told::Text(text) => Span::parse(&text),
        };
        found.ok_or_else(|| serde::de::Error::custom("not a length of time in seconds"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_below_a_second_is_lost() {
        for text in ["0", "5400", "-90", "1.5", "0.000000001", "-0.25", "9223372036.854775807"] {
            let span = Span::parse(text).unwrap_or_else(|| panic!("{text}"));
            assert_eq!(span.seconds(), text);
            let data = serde_json::to_string(&span).expect("it is written");
            assert_eq!(serde_json::from_str::<Span>(&data).expect("it is read"), span, "{data}");
        }
        for text in ["", "1:30", "1e3", "0.0000000001", "9223372037", ".5", "--1"] {
            assert_eq!(Span::parse(text), None, "{text}");
        }
        // Lengths that were kept as whole seconds.
        assert_eq!(serde_json::from_str::<Span>("5400").ok(), Span::of_seconds(5400));
        assert_eq!(Span::parse("5400.5").map(Span::display).as_deref(), Some("1:30:00.5"));
        assert_eq!(Span::of_seconds(-90).map(Span::display).as_deref(), Some("-0:01:30"));
    }
}
