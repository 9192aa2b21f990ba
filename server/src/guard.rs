//! Keeps strangers out: requests for another host, or from another site's page.
//!
//! A page of any other site may send requests to this machine's loopback address
//! through the user's browser. Its `Host` (after DNS rebinding) or `Origin`
//! gives it away, and it is refused before any handler runs.

use std::net::SocketAddr;

use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::uri::Origin;
use rocket::http::{Header, Method};
use rocket::{Data, Request, Response};

/// Where refused requests are sent; always answers 403.
pub const REFUSED: &str = "/refused";

/// The guard of one server.
pub struct Guard {
    hosts: Vec<String>,
}

impl Guard {
    /// Lets in requests for this address, and for loopback names on its port.
    #[must_use]
    pub fn new(address: SocketAddr) -> Self {
        let port = address.port();
        let names = ["127.0.0.1".to_string(), "localhost".into(), "[::1]".into(), address.ip().to_string()];
        Self { hosts: names.iter().map(|n| format!("{n}:{port}")).collect() }
    }

    fn lets_in(&self, request: &Request<'_>) -> bool {
        let Some(host) = request.headers().get_one("Host") else { return false };
        if !self.hosts.iter().any(|h| h.eq_ignore_ascii_case(host)) {
            return false;
        }
        match request.headers().get_one("Origin") {
            None => true,
            Some(origin) => origin.strip_prefix("http://").is_some_and(|o| o.eq_ignore_ascii_case(host)),
        }
    }
}

#[rocket::async_trait]
impl Fairing for Guard {
    fn info(&self) -> Info {
        Info { name: "host and origin", kind: Kind::Request | Kind::Response }
    }

    async fn on_request(&self, request: &mut Request<'_>, _: &mut Data<'_>) {
        if !self.lets_in(request) {
            request.set_method(Method::Get);
            request.set_uri(Origin::const_new(REFUSED, None));
        }
    }

    async fn on_response<'r>(&self, _: &'r Request<'_>, response: &mut Response<'r>) {
        const POLICY: &str = "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; \
            style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'";
        response.set_header(Header::new("Content-Security-Policy", POLICY));
        response.set_header(Header::new("X-Content-Type-Options", "nosniff"));
        response.set_header(Header::new("Referrer-Policy", "no-referrer"));
    }
}
