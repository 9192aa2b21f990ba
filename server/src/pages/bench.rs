//! Bench: one strip, its wire, the selected unit, the evidence.

use askama::Template;
use askama_web::WebTemplate;
use rocket::http::Status;
use rocket::{Route, State, get, routes};

use super::trouble::{PageError, load};
use super::view::{Shell, StripView};
use crate::app::App;

#[derive(Template, WebTemplate)]
#[template(path = "bench.html")]
struct Page {
    shell: Shell,
    id: i32,
    strip: StripView,
    note: String,
    feeds: String,
    /// Neighbours in the order of the Desk.
    previous: Option<u32>,
    next: Option<u32>,
}

#[get("/sessions/<id>/bench/<strip>")]
async fn page(app: &State<App>, id: i32, strip: u32) -> Result<Page, PageError> {
    let stored = load(app, id).await?;
    let session = &stored.session;
    let missing = || PageError(Status::NotFound, format!("There is no strip {strip} in \"{}\".", session.name));
    let found = session.strip(strip).ok_or_else(missing)?;
    let at = session.strips.iter().position(|s| s.id == strip).unwrap_or(0);
    let neighbour = |i: Option<usize>| i.and_then(|i| session.strips.get(i)).map(|s| s.id);
    let feeds = found.feeds.and_then(|id| session.strip(id)).map(|s| s.name.clone()).unwrap_or_default();
    Ok(Page {
        id,
        strip: StripView::of(session, found),
        note: found.note.clone(),
        feeds,
        previous: neighbour(at.checked_sub(1)),
        next: neighbour(Some(at + 1)),
        shell: Shell::of(&found.name.clone(), "bench", id, &stored, strip),
    })
}

pub fn routes() -> Vec<Route> {
    routes![page]
}
