//! Where calls may go.
//!
//! Decides by the address that is really called, after names were looked up: what an administrator enters as an address
//! must not lead into the machine Hovrel runs on or the network around it, unless whoever starts Hovrel named it. Networks
//! that are not of the public Internet are those of the IANA registries of special-purpose addresses (RFC 6890).

use std::net::{IpAddr, Ipv4Addr, Ipv6Addr, SocketAddr};
use std::str::FromStr;
use std::sync::{Arc, LazyLock};

use hovrel_clock::Clock;
use ipnet::IpNet;
use reqwest::dns::{Name, Resolve, Resolving};

/// IPv4 and IPv6 networks that are not reached across the Internet.
const SPECIAL: [&str; 26] = [
    "0.0.0.0/8",
    "10.0.0.0/8",
    "100.64.0.0/10",
    "127.0.0.0/8",
    "169.254.0.0/16",
    "172.16.0.0/12",
    "192.0.0.0/24",
    "192.0.2.0/24",
    "192.168.0.0/16",
    "198.18.0.0/15",
    "198.51.100.0/24",
    "203.0.113.0/24",
    "224.0.0.0/4",
    "240.0.0.0/4",
    "::/128",
    "::1/128",
    "64:ff9b:1::/48",
    "100::/64",
    "2001::/23",
    "2001:db8::/32",
    "3fff::/20",
    "5f00::/16",
    "fc00::/7",
    "fe80::/10",
    "fec0::/10",
    "ff00::/8",
];

/// One entry of the list.
#[derive(Debug, Clone, PartialEq, Eq)]
enum Entry {
    Network(IpNet),
    Host(String),
    Anywhere,
}

/// Which addresses may be called, and the clock that what comes from there is held against.
#[derive(Debug, Clone, Default)]
pub struct Outside {
    open: Vec<Entry>,
    closed: Vec<Entry>,
    clock: Clock,
}

impl Outside {
    /// Every address; for tests.
    pub fn anywhere() -> Outside {
        Outside { open: vec![Entry::Anywhere], ..Outside::default() }
    }

    /// The same, by another clock.
    pub fn by(self, clock: &Clock) -> Outside {
        Outside { clock: clock.clone(), ..self }
    }

    /// Hovrel's own clock.
    pub fn clock(&self) -> &Clock {
        &self.clock
    }

    fn names(list: &[Entry], host: &str, ip: Option<IpAddr>) -> bool {
        list.iter().any(|entry| match entry {
            Entry::Anywhere => true,
            Entry::Host(name) => name.eq_ignore_ascii_case(host.trim_end_matches('.')),
            Entry::Network(network) => ip.is_some_and(|ip| network.contains(&ip)),
        })
    }

    /// Whether an address may be called that a host's name led to (or that stands in its place).
    pub fn permits(&self, host: &str, ip: IpAddr) -> bool {
        let mut all = vec![plain(ip)];
        all.extend(within(all[0]));
        if all.iter().any(|ip| Outside::names(&self.closed, host, Some(*ip))) {
            return false;
        }
        all.iter().all(|ip| !is_special(*ip) || Outside::names(&self.open, host, Some(*ip)))
    }

    /// Why an address may not be called.
    pub fn refusal(host: &str, ip: IpAddr) -> String {
        let ip = plain(ip);
        let of = if host == ip.to_string() { format!("{ip}") } else { format!("{host} is at {ip}, which") };
        let is =
            if is_special(ip) { "is not an address of the Internet but of the network around Hovrel" } else { "is" };
        format!("{of} {is}, closed to calls; it can be opened with --outside when Hovrel is started")
    }
}

/// An IPv4 address that is written as one of IPv6, as what it is.
fn plain(ip: IpAddr) -> IpAddr {
    match ip {
        IpAddr::V6(v6) => v6.to_ipv4_mapped().map_or(ip, IpAddr::V4),
        v4 => v4,
    }
}

/// The IPv4 address that a gateway takes out of one of IPv6: NAT64 (RFC 6052 §2.1) and 6to4 (RFC 3056 §2).
fn within(ip: IpAddr) -> Option<IpAddr> {
    let IpAddr::V6(v6) = ip else { return None };
    let v4 = |high: u16, low: u16| {
        let ([a, b], [c, d]) = (high.to_be_bytes(), low.to_be_bytes());
        Some(IpAddr::V4(Ipv4Addr::new(a, b, c, d)))
    };
    match Ipv6Addr::segments(&v6) {
        [0x64, 0xff9b, 0, 0, 0, 0, high, low] => v4(high, low),
        [0x2002, high, low, ..] => v4(high, low),
        _ => None,
    }
}

fn is_special(ip: IpAddr) -> bool {
    // Looked at by every call.
    static NETWORKS: LazyLock<Vec<IpNet>> = LazyLock::new(|| networks(&SPECIAL));
    NETWORKS.iter().any(|network| network.contains(&ip))
}

/// Networks that stand in this file.
fn networks(list: &[&str]) -> Vec<IpNet> {
    list.iter().map(|network| network.parse().expect("it is written as a network")).collect()
}

impl FromStr for Outside {
    type Err = String;

    /// Networks, addresses and names of hosts, with commas between them; a `!` before one closes it. `loopback` is the
    /// machine itself, `private` the networks that anybody may use within their own (RFC 1918, RFC 4193).
    fn from_str(text: &str) -> Result<Outside, String> {
        let mut outside = Outside::default();
        for part in text.split(',').map(str::trim).filter(|part| !part.is_empty()) {
            let (closes, name) = match part.strip_prefix('!') {
                Some(rest) => (true, rest.trim()),
                None => (false, part),
            };
            let named = |list: &[&str]| networks(list).into_iter().map(Entry::Network).collect();
            let entries: Vec<Entry> = match name {
                "loopback" => named(&["127.0.0.0/8", "::1/128"]),
                "private" => named(&["10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "fc00::/7"]),
                "anywhere" => vec![Entry::Anywhere],
                _ => vec![entry(name)?],
            };
            if closes { outside.closed.extend(entries) } else { outside.open.extend(entries) }
        }
        Ok(outside)
    }
}

fn entry(name: &str) -> Result<Entry, String> {
    if let Ok(network) = name.parse::<IpNet>() {
        return Ok(Entry::Network(network));
    }
    if let Ok(ip) = name.parse::<IpAddr>() {
        return Ok(Entry::Network(IpNet::from(ip)));
    }
    let is_name =
        |part: &str| !part.is_empty() && part.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'-' || b == b'_');
    let looks_like_numbers = name.bytes().all(|b| b.is_ascii_digit() || b == b'.');
    match name.split('.').all(is_name) && !looks_like_numbers {
        true => Ok(Entry::Host(name.to_owned())),
        false => Err(format!("“{name}” is no network (as 10.0.0.0/8), address or name of a host")),
    }
}

/// A name that leads only to what must not be called.
#[derive(Debug, thiserror::Error)]
#[error("{0}")]
pub(crate) struct ClosedHost(pub String);

/// Looks names up and gives only addresses that may be called.
pub(crate) struct Guarded(pub Arc<Outside>);

impl Resolve for Guarded {
    fn resolve(&self, name: Name) -> Resolving {
        let outside = self.0.clone();
        Box::pin(async move {
            let host = name.as_str().to_owned();
            let found: Vec<SocketAddr> = tokio::net::lookup_host((host.as_str(), 0)).await?.collect();
            let (open, closed): (Vec<_>, Vec<_>) = found.into_iter().partition(|at| outside.permits(&host, at.ip()));
            match (open.is_empty(), closed.first()) {
                (true, Some(at)) => Err(ClosedHost(Outside::refusal(&host, at.ip())).into()),
                _ => Ok(Box::new(open.into_iter()) as _),
            }
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn permits(list: &str, host: &str) -> bool {
        let outside: Outside = list.parse().unwrap();
        outside.permits(host, host.parse().unwrap())
    }

    /// Addresses of the registries, and forms in which they hide; the last ones are public.
    #[test]
    fn the_network_around_is_closed_unless_it_is_named() {
        for around in [
            "127.0.0.1",
            "127.9.9.9",
            "0.0.0.0",
            "10.1.2.3",
            "172.31.0.1",
            "192.168.0.10",
            "169.254.169.254",
            "100.64.0.1",
            "224.0.0.1",
            "255.255.255.255",
            "::",
            "::1",
            "::ffff:127.0.0.1",
            "::ffff:10.0.0.1",
            "64:ff9b::127.0.0.1",
            "2002:7f00:1::",
            "fd00::1",
            "fe80::1",
        ] {
            assert!(!permits("", around), "{around}");
            assert!(permits("anywhere", around), "{around}");
        }
        for public in ["93.184.215.14", "172.32.0.1", "2606:2800:21f:cb07::1", "64:ff9b::93.184.215.14"] {
            assert!(permits("", public), "{public}");
            assert!(!permits("!anywhere", public), "{public}");
        }
    }

    #[test]
    fn what_is_closed_stays_closed_whatever_is_open() {
        assert!(permits("10.0.0.0/8, !10.1.0.0/16", "10.2.0.1"));
        assert!(!permits("10.0.0.0/8, !10.1.0.0/16", "10.1.0.1"));
        assert!(permits("loopback", "::1") && permits("private", "192.168.3.4") && !permits("private", "127.0.0.1"));
        let named: Outside = "tests.skarnvik.example".parse().unwrap();
        assert!(named.permits("Tests.Skarnvik.Example.", "10.0.0.1".parse().unwrap()));
        assert!(!named.permits("other.skarnvik.example", "10.0.0.1".parse().unwrap()));
        for wrong in ["10.0.0.0/99", "999.1.1.1", "a b", "http://host"] {
            assert!(wrong.parse::<Outside>().is_err(), "{wrong}");
        }
    }
}
