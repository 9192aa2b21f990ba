//! Keeps strangers out: requests for another host, from another site's page, or, where others on the network can reach it,
//! from whoever does not know the passphrase.
//!
//! A page of any other site may send requests to this machine's loopback address
//! through the user's browser. Its `Host` (after DNS rebinding), its `Origin` or what the browser says of its site
//! gives it away, and it is refused before any handler runs.

pub mod door;
pub mod hosts;
pub mod secret;

use std::sync::Arc;

use rocket::fairing::{Fairing, Info, Kind};
use rocket::http::uri::Origin;
use rocket::http::{Header, Method};
use rocket::{Data, Request, Response};

use door::{COOKIE, Door};
use hosts::Hosts;
use secret::GateHeader;

/// Where refused requests are sent; always answers 403.
pub const REFUSED: &str = "/refused";
/// Where a request is sent that does not know the passphrase; always answers 401.
pub const LOCKED: &str = "/locked";
/// Where the passphrase is asked for.
pub const ENTER: &str = "/enter";

/// The guard of one server.
pub struct Guard {
    hosts: Hosts,
    door: Option<Arc<Door>>,
    gate: GateHeader,
}

impl Guard {
    /// Lets in requests for these names that have come through the gate; with a door only who has come through it.
    #[must_use]
    pub fn new(hosts: Hosts, door: Option<Arc<Door>>, gate: GateHeader) -> Self {
        Self { hosts, door, gate }
    }

    fn is_for_us(&self, request: &Request<'_>) -> bool {
        let header = |name| request.headers().get_one(name);
        if header(self.gate.name()).is_none() {
            return false;
        }
        let Some(host) = header("Host").filter(|host| self.hosts.is_own(host)) else { return false };
        if header("Origin").is_some_and(|origin| !self.hosts.is_origin_of(origin, host)) {
            return false;
        }
        // Another page may lead here, but have nothing worked out here for it.
        let is_other = matches!(header("Sec-Fetch-Site"), Some("cross-site" | "same-site"));
        !is_other || header("Sec-Fetch-Mode") == Some("navigate") && request.method() == Method::Get
    }

    fn is_let_in(&self, request: &Request<'_>) -> bool {
        let Some(door) = &self.door else { return true };
        let knows = request.cookies().get(COOKIE).is_some_and(|cookie| door.knows(cookie.value()));
        knows || request.uri().path() == ENTER
    }
}

#[rocket::async_trait]
impl Fairing for Guard {
    fn info(&self) -> Info {
        Info { name: "host, origin and door", kind: Kind::Request | Kind::Response }
    }

    async fn on_request(&self, request: &mut Request<'_>, _: &mut Data<'_>) {
        let instead = match (self.is_for_us(request), self.is_let_in(request)) {
            (true, true) => return,
            (true, false) => Origin::const_new(LOCKED, None),
            _ => Origin::const_new(REFUSED, None),
        };
        request.set_method(Method::Get);
        request.set_uri(instead);
    }

    async fn on_response<'r>(&self, _: &'r Request<'_>, response: &mut Response<'r>) {
        const POLICY: &str = "default-src 'self'; script-src 'self' 'wasm-unsafe-eval'; \
            style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'";
        response.set_header(Header::new("Content-Security-Policy", POLICY));
        response.set_header(Header::new("X-Content-Type-Options", "nosniff"));
        // With none at all a form of our own would come without its origin.
        response.set_header(Header::new("Referrer-Policy", "same-origin"));
        response.set_header(Header::new("Cross-Origin-Opener-Policy", "same-origin"));
        response.set_header(Header::new("Cross-Origin-Resource-Policy", "same-origin"));
    }
}
