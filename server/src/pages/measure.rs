//! Measure: what a rack or a unit does, by test tones; two of them overlaid.

use askama::Template;
use askama_web::WebTemplate;
use rocket::{Route, State, get, routes};
use zinc_core::session::Session;

use super::trouble::{PageError, load};
use super::view::Shell;
use crate::app::App;

#[derive(Template, WebTemplate)]
#[template(path = "measure.html")]
struct Page {
    shell: Shell,
    strips: Vec<Measurable>,
}

/// A strip with something on its rack.
struct Measurable {
    id: u32,
    name: String,
    /// Identity and name of its units.
    units: Vec<(u32, &'static str)>,
}

#[get("/sessions/<id>/measure")]
async fn page(app: &State<App>, id: i32) -> Result<Page, PageError> {
    let stored = load(app, id).await?;
    let strips = measurable(&stored.session);
    Ok(Page { strips, shell: Shell::of("Measure", "measure", id, &stored, 0) })
}

fn measurable(session: &Session) -> Vec<Measurable> {
    let with_units = session.strips.iter().filter(|strip| !strip.rack.units.is_empty());
    let view = |strip: &zinc_core::session::Strip| Measurable {
        id: strip.id,
        name: strip.name.clone(),
        units: strip.rack.units.iter().map(|unit| (unit.id, unit.kind.name)).collect(),
    };
    with_units.map(view).collect()
}

pub fn routes() -> Vec<Route> {
    routes![page]
}
