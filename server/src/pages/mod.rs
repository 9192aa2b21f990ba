//! The pages: one module each, with its template and view model.

mod bench;
mod desk;
mod enter;
mod measure;
mod modules;
mod prints;
mod sessions;
mod trouble;
mod view;

use rocket::http::Status;
use rocket::{Catcher, Request, Route, catchers, get, routes};

use trouble::Trouble;

#[get("/refused")]
fn refused() -> (Status, &'static str) {
    (Status::Forbidden, "Refused: this server answers only pages of its own address. Nothing was changed.\n")
}

#[get("/favicon.ico")]
fn favicon() -> Status {
    Status::NoContent
}

#[rocket::catch(default)]
fn anything(
    status: Status,
    request: &Request<'_>,
) -> Result<(Status, rocket::serde::json::Value), (Status, Box<Trouble>)> {
    let sentence = match status.code {
        404 => "There is nothing at this address.".to_string(),
        413 => "That was too large; nothing was changed.".to_string(),
        400 | 422 => "The request could not be understood; nothing was changed.".to_string(),
        _ => format!("The server answered {status}; nothing was changed."),
    };
    if request.uri().path().starts_with("/api") {
        return Ok((status, rocket::serde::json::json!({ "error": sentence })));
    }
    Err((status, Box::new(Trouble::new(sentence))))
}

/// All routes, at the root.
pub fn routes() -> Vec<Route> {
    let own = routes![refused, favicon];
    [own, enter::routes(), sessions::routes(), desk::routes(), bench::routes(), measure::routes(), prints::routes()]
        .concat()
}

/// Answers to requests that no route takes.
pub fn catchers() -> Vec<Catcher> {
    catchers![anything]
}
