//! The pages: one module each, with its template and view model.

mod bench;
mod deliver;
mod desk;
mod sessions;
mod view;

use askama::Template;
use askama_web::WebTemplate;
use rocket::http::Status;
use rocket::response::{self, Responder};
use rocket::{Catcher, Request, Route, State, catchers, get, routes};

use crate::app::App;
use crate::store::{StoreError, Stored};
use view::Shell;

/// A page that cannot be shown, and why.
#[derive(Template, WebTemplate)]
#[template(path = "trouble.html")]
struct Trouble {
    shell: Shell,
    sentence: String,
}

/// A page's failure.
struct PageError(Status, String);

impl From<StoreError> for PageError {
    fn from(e: StoreError) -> Self {
        let status = if matches!(e, StoreError::NoSession(_)) { Status::NotFound } else { Status::InternalServerError };
        Self(status, e.to_string())
    }
}

impl<'r> Responder<'r, 'static> for PageError {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        (self.0, Trouble { shell: Shell::plain("Trouble"), sentence: self.1 }).respond_to(request)
    }
}

/// Reads a session off the request threads.
async fn load(app: &State<App>, id: i32) -> Result<Stored, PageError> {
    let store = app.store.clone();
    let loaded = rocket::tokio::task::spawn_blocking(move || store.load(id)).await;
    let fault = |_| PageError(Status::InternalServerError, "A fault of the program; nothing was changed.".into());
    Ok(loaded.map_err(fault)??)
}

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
    Err((status, Box::new(Trouble { shell: Shell::plain("Trouble"), sentence })))
}

/// All routes, at the root.
pub fn routes() -> Vec<Route> {
    let own = routes![refused, favicon];
    [own, sessions::routes(), desk::routes(), bench::routes(), deliver::routes()].concat()
}

/// Answers to requests that no route takes.
pub fn catchers() -> Vec<Catcher> {
    catchers![anything]
}
