//! Where the passphrase is asked for, of a server that others on the network can reach.

use std::net::IpAddr;
use std::sync::Arc;

use askama::Template;
use askama_web::WebTemplate;
use rocket::form::{Form, FromForm};
use rocket::http::{Cookie, CookieJar, SameSite, Status};
use rocket::response::Redirect;
use rocket::serde::json::{Value, json};
use rocket::{Either, Request, Route, State, get, post, routes};

use crate::guard::door::{Answer, COOKIE, Door};

/// The page; it needs nothing else of the server, since nothing else is given before the passphrase is.
#[derive(Template, WebTemplate)]
#[template(path = "enter.html")]
struct Enter {
    sentence: &'static str,
}

type Asked = (Status, Enter);

/// Where the passphrase stands.
const WHERE: &str = "It is printed in the terminal where the program was started.";

fn ask(status: Status, sentence: &'static str) -> Asked {
    (status, Enter { sentence })
}

/// What whoever knocks says.
#[derive(FromForm)]
struct Said<'r> {
    passphrase: &'r str,
}

/// The door, where there is one.
type Way = State<Option<Arc<Door>>>;

fn answer(door: &Way, from: IpAddr, said: &str, jar: &CookieJar<'_>) -> Either<Redirect, Asked> {
    let Some(door) = door.inner() else { return Either::Left(Redirect::to("/")) };
    match door.answer(from, said) {
        Answer::Opens(token) => {
            jar.add(Cookie::build((COOKIE, token)).path("/").http_only(true).same_site(SameSite::Lax));
            Either::Left(Redirect::to("/"))
        }
        Answer::Wrong => {
            let why = "Wrong passphrase. It is printed in the terminal where the program was started.";
            Either::Right(ask(Status::Unauthorized, why))
        }
        Answer::Wait => {
            let why = "Too many wrong passphrases. Wait a minute, then try again.";
            Either::Right(ask(Status::TooManyRequests, why))
        }
    }
}

/// By the address that the program prints, the passphrase in it.
#[get("/enter?<key>")]
fn enter(door: &Way, from: IpAddr, key: Option<&str>, jar: &CookieJar<'_>) -> Either<Redirect, Asked> {
    match key {
        Some(key) => answer(door, from, key, jar),
        None => Either::Right(ask(Status::Ok, WHERE)),
    }
}

/// By hand.
#[post("/enter", data = "<said>")]
fn say(door: &Way, from: IpAddr, said: Form<Said<'_>>, jar: &CookieJar<'_>) -> Either<Redirect, Asked> {
    answer(door, from, said.passphrase, jar)
}

/// What a request gets that does not know it: a page the question, all else a sentence.
#[get("/locked")]
fn locked(wants: WantsPage) -> Result<Asked, (Status, Value)> {
    if wants.0 {
        return Ok(ask(Status::Unauthorized, WHERE));
    }
    let why = "This server needs its passphrase: reload the page and type it. Nothing was changed.";
    Err((Status::Unauthorized, json!({ "error": why })))
}

/// Whether a request is of somebody who wants to see a page.
struct WantsPage(bool);

#[rocket::async_trait]
impl<'r> rocket::request::FromRequest<'r> for WantsPage {
    type Error = std::convert::Infallible;

    async fn from_request(request: &'r Request<'_>) -> rocket::request::Outcome<Self, Self::Error> {
        let accepts = request.headers().get_one("Accept").unwrap_or_default();
        rocket::request::Outcome::Success(Self(accepts.contains("text/html")))
    }
}

/// The routes, at the root.
pub fn routes() -> Vec<Route> {
    routes![enter, say, locked]
}
