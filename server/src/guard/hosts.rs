//! By which names this server may be asked for: a name that only a stranger's name server leads here by gives it away.

use std::net::{IpAddr, SocketAddr};

/// Ports that a browser leaves out, by scheme.
const USUAL_PORTS: [(&str, u16); 2] = [("http", 80), ("https", 443)];

/// The names of one server.
pub struct Hosts {
    address: SocketAddr,
    /// A name that a proxy in front of it has, on any port and by any scheme.
    proxied: Option<String>,
}

impl Hosts {
    /// Those of an address that is listened on, and of a proxy before it.
    #[must_use]
    pub fn new(address: SocketAddr, proxied: Option<String>) -> Self {
        Self { address, proxied }
    }

    /// Whether a `Host` header names this server.
    #[must_use]
    pub fn is_own(&self, host: &str) -> bool {
        let Some((name, port)) = split(host) else { return false };
        if self.is_proxied(name) {
            return true;
        }
        if port.unwrap_or(USUAL_PORTS[0].1) != self.address.port() {
            return false;
        }
        let bound = self.address.ip();
        match name.trim_start_matches('[').trim_end_matches(']').parse::<IpAddr>() {
            // No name server leads to a number: on all addresses any of them may be this machine's.
            Ok(ip) => ip.is_loopback() || ip == bound || bound.is_unspecified(),
            Err(_) => name.eq_ignore_ascii_case("localhost"),
        }
    }

    /// Whether an `Origin` header is of a page that came from `host`.
    #[must_use]
    pub fn is_origin_of(&self, origin: &str, host: &str) -> bool {
        let Some((scheme, of)) = origin.split_once("://") else { return false };
        let Some(usual) = USUAL_PORTS.iter().find(|(known, _)| *known == scheme).map(|(_, port)| *port) else {
            return false;
        };
        let (Some((name, port)), Some((own, own_port))) = (split(of), split(host)) else { return false };
        let is_safe = scheme == "http" || self.is_proxied(name);
        is_safe && name.eq_ignore_ascii_case(own) && port.unwrap_or(usual) == own_port.unwrap_or(usual)
    }

    fn is_proxied(&self, name: &str) -> bool {
        self.proxied.as_deref().is_some_and(|proxied| proxied.eq_ignore_ascii_case(name))
    }
}

/// Name and port of a host; an address of version 6 stands in brackets.
fn split(host: &str) -> Option<(&str, Option<u16>)> {
    let end = if host.starts_with('[') { host.find(']')? + 1 } else { host.find(':').unwrap_or(host.len()) };
    let (name, rest) = host.split_at(end);
    match rest.strip_prefix(':') {
        None if rest.is_empty() => Some((name, None)),
        None => None,
        Some(port) => Some((name, Some(port.parse().ok()?))),
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    fn at(address: &str) -> Hosts {
        Hosts::new(address.parse().unwrap(), None)
    }

    #[test]
    fn each_address_is_asked_for_by_what_a_browser_calls_it() {
        for (bound, host) in [
            ("127.0.0.1:8123", "127.0.0.1:8123"),
            ("127.0.0.1:8123", "LOCALHOST:8123"),
            ("127.0.0.1:80", "127.0.0.1"),
            ("127.0.0.1:80", "localhost:80"),
            ("[::1]:8123", "[::1]:8123"),
            ("[::1]:80", "[::1]"),
            ("0.0.0.0:8123", "192.168.1.7:8123"),
            ("[::]:8123", "[fe80::7]:8123"),
            ("192.168.1.7:8123", "192.168.1.7:8123"),
        ] {
            assert!(at(bound).is_own(host), "{host} at {bound}");
            assert!(at(bound).is_origin_of(&format!("http://{host}"), host), "{host}");
        }
    }

    #[test]
    fn names_of_others_and_other_ports_are_refused() {
        for (bound, host) in [
            ("127.0.0.1:8123", "elsewhere.example:8123"),
            ("0.0.0.0:8123", "elsewhere.example:8123"),
            ("127.0.0.1:8123", "127.0.0.1"),
            ("127.0.0.1:8123", "127.0.0.1:80"),
            ("127.0.0.1:8123", "192.168.1.7:8123"),
            ("127.0.0.1:8123", "127.0.0.1:8123.elsewhere.example"),
            ("127.0.0.1:8123", "[::1"),
            ("127.0.0.1:8123", ""),
        ] {
            assert!(!at(bound).is_own(host), "{host} at {bound}");
        }
        let own = at("127.0.0.1:8123");
        for origin in [
            "null",
            "https://127.0.0.1:8123",
            "http://127.0.0.1:3000",
            "http://elsewhere.example:8123",
            "http://127.0.0.1",
        ] {
            assert!(!own.is_origin_of(origin, "127.0.0.1:8123"), "{origin}");
        }
    }

    #[test]
    fn a_proxy_is_known_by_its_name_alone_and_may_be_safe() {
        let hosts = Hosts::new("127.0.0.1:8123".parse().unwrap(), Some("mix.example".into()));
        assert!(hosts.is_own("mix.example") && hosts.is_own("Mix.example:8443") && !hosts.is_own("a.mix.example"));
        assert!(hosts.is_origin_of("https://mix.example", "mix.example"));
        assert!(hosts.is_origin_of("https://mix.example:8443", "mix.example:8443"));
        assert!(!hosts.is_origin_of("https://elsewhere.example", "mix.example"));
    }
}
