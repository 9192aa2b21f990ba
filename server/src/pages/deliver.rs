//! Deliver: printing a track, a bus or the mix.

use askama::Template;
use askama_web::WebTemplate;
use rocket::{Route, State, get, routes};

use super::trouble::{PageError, load};
use super::view::{Shell, StripView};
use crate::app::App;

#[derive(Template, WebTemplate)]
#[template(path = "deliver.html")]
struct Page {
    shell: Shell,
    strips: Vec<StripView>,
}

#[get("/sessions/<id>/deliver")]
async fn page(app: &State<App>, id: i32) -> Result<Page, PageError> {
    let stored = load(app, id).await?;
    // The mix first, since it is what is printed most.
    let strips = stored.session.strips.iter().rev().map(|s| StripView::of(&stored.session, s)).collect();
    Ok(Page { shell: Shell::of("Deliver", "deliver", id, &stored, 0), strips })
}

pub fn routes() -> Vec<Route> {
    routes![page]
}
