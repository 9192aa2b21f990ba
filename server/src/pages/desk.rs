//! Desk: every strip as a row, grouped under the bus it feeds.

use askama::Template;
use askama_web::WebTemplate;
use rocket::{Route, State, get, routes};
use zinc_core::session::{Session, routing};
use zinc_demo::sessions::SONG;

use super::trouble::{PageError, load};
use super::view::{Shell, StripView};
use crate::app::App;

#[derive(Template, WebTemplate)]
#[template(path = "desk.html")]
struct Page {
    shell: Shell,
    groups: Vec<Vec<StripView>>,
    empty: bool,
    /// Whether it is a session that ships with the program: its Desk says what to press first, once.
    is_demo: bool,
}

#[get("/sessions/<id>/desk")]
async fn page(app: &State<App>, id: i32) -> Result<Page, PageError> {
    let stored = load(app, id).await?;
    let groups = groups(&stored.session);
    let is_demo = stored.session.name.starts_with(SONG);
    let empty = stored.session.tracks().next().is_none();
    Ok(Page { shell: Shell::of("Desk", "desk", id, &stored, 0), groups, empty, is_demo })
}

/// Tracks and returns with the bus they feed at the end of their group, inner buses
/// before outer ones; then what feeds the main directly; then the main.
fn groups(session: &Session) -> Vec<Vec<StripView>> {
    let main = session.main_id();
    let order = routing::order(session).unwrap_or_default();
    let place = |id: u32| order.iter().position(|o| *o == id);
    let fed_by = |target: u32| {
        let all = session.tracks().chain(session.returns());
        all.filter(move |t| t.feeds == Some(target))
    };
    let mut buses: Vec<_> = session.buses().collect();
    // A bus inside another stands before it; others stay as they are.
    buses.sort_by_key(|bus| {
        let outermost = outermost(session, bus.id);
        (session.strips.iter().position(|s| s.id == outermost), place(bus.id))
    });
    let mut groups: Vec<Vec<StripView>> =
        buses.into_iter().map(|bus| fed_by(bus.id).chain([bus]).map(|s| StripView::of(session, s)).collect()).collect();
    let direct: Vec<_> = fed_by(main).chain(session.strip(main)).map(|s| StripView::of(session, s)).collect();
    groups.push(direct);
    groups
}

/// The last bus before the main on the way of what a bus feeds.
fn outermost(session: &Session, bus: u32) -> u32 {
    let mut at = bus;
    while let Some(next) = session.strip(at).and_then(|s| s.feeds).filter(|id| *id != session.main_id()) {
        at = next;
    }
    at
}

pub fn routes() -> Vec<Route> {
    routes![page]
}
