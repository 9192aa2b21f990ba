//! A page that cannot be shown, and reading what one shows.

use askama::Template;
use askama_web::WebTemplate;
use rocket::http::Status;
use rocket::response::{self, Responder};
use rocket::{Request, State};
use zinc_core::session::Session;

use super::view::Shell;
use crate::app::App;
use crate::store::{StoreError, Stored};

/// A page that cannot be shown, and why.
#[derive(Template, WebTemplate)]
#[template(path = "trouble.html")]
pub(super) struct Trouble {
    shell: Shell,
    sentence: String,
}

impl Trouble {
    pub(super) fn new(sentence: String) -> Self {
        Self { shell: Shell::plain("Trouble", "views/frame.js"), sentence }
    }
}

/// A page's failure.
pub(super) struct PageError(pub(super) Status, pub(super) String);

impl From<StoreError> for PageError {
    fn from(e: StoreError) -> Self {
        let status = if matches!(e, StoreError::NoSession(_)) { Status::NotFound } else { Status::InternalServerError };
        Self(status, e.to_string())
    }
}

impl<'r> Responder<'r, 'static> for PageError {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        (self.0, Trouble::new(self.1)).respond_to(request)
    }
}

/// Reads a session off the request threads.
pub(super) async fn load(app: &State<App>, id: i32) -> Result<Stored, PageError> {
    read(app, id, |_, _| {}).await
}

/// The same, its units supplied with the sounds they name.
pub(super) async fn load_supplied(app: &State<App>, id: i32) -> Result<Stored, PageError> {
    read(app, id, |app, session| app.responses.supply(session, None)).await
}

async fn read(app: &State<App>, id: i32, then: fn(&App, &mut Session)) -> Result<Stored, PageError> {
    let app = app.inner().clone();
    let work = move || {
        let mut stored = app.store.load(id)?;
        then(&app, &mut stored.session);
        Ok::<Stored, StoreError>(stored)
    };
    let loaded = rocket::tokio::task::spawn_blocking(work).await;
    let fault = |_| PageError(Status::InternalServerError, "A fault of the program; nothing was changed.".into());
    Ok(loaded.map_err(fault)??)
}
