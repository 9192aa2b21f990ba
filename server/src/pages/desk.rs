//! Desk: every strip as a row, grouped under the bus it feeds.

use askama::Template;
use askama_web::WebTemplate;
use rocket::{Route, State, get, routes};
use zinc_core::session::Session;

use super::view::{Shell, StripView};
use super::{PageError, load};
use crate::app::App;

#[derive(Template, WebTemplate)]
#[template(path = "desk.html")]
struct Page {
    shell: Shell,
    groups: Vec<Vec<StripView>>,
    empty: bool,
}

#[get("/sessions/<id>/desk")]
async fn page(app: &State<App>, id: i32) -> Result<Page, PageError> {
    let stored = load(app, id).await?;
    let groups = groups(&stored.session);
    let empty = stored.session.tracks().next().is_none();
    Ok(Page { shell: Shell::of("Desk", "desk", id, &stored, 0), groups, empty })
}

/// Tracks with the bus they feed at the end of their group; then what feeds the
/// main directly; then the main.
fn groups(session: &Session) -> Vec<Vec<StripView>> {
    let main = session.main_id();
    let fed_by = |target: u32| session.tracks().filter(move |t| t.feeds == Some(target));
    let mut groups: Vec<Vec<StripView>> =
        session.buses().map(|bus| fed_by(bus.id).chain([bus]).map(|s| StripView::of(session, s)).collect()).collect();
    let direct: Vec<_> = fed_by(main).chain(session.strip(main)).map(|s| StripView::of(session, s)).collect();
    groups.push(direct);
    groups
}

pub fn routes() -> Vec<Route> {
    routes![page]
}
