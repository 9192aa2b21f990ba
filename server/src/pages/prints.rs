//! Prints: a track, a bus or the mix to a file.

use askama::Template;
use askama_web::WebTemplate;
use rocket::response::Redirect;
use rocket::{Route, State, get, routes};
use zinc_core::course::text::format_clock;
use zinc_core::render::{Length, Plan};
use zinc_core::session::{Strip, routing};

use super::trouble::{PageError, load_supplied};
use super::view::{Shell, StripView};
use crate::app::App;

#[derive(Template, WebTemplate)]
#[template(path = "prints.html")]
struct Page {
    shell: Shell,
    /// Each with how long its print is, in words, and the tracks that are heard in it.
    strips: Vec<(StripView, String, String)>,
}

#[get("/sessions/<id>/prints")]
async fn page(app: &State<App>, id: i32) -> Result<Page, PageError> {
    let stored = load_supplied(app, id).await?;
    // The mix first, since it is what is printed most.
    let session = &stored.session;
    let lengths = |strip: u32| Plan::stem(session, strip).map(|plan| plan.length(session));
    let words = |strip: u32| {
        let length = lengths(strip).map(|length| in_words(length, session.rate));
        let changes = session.over_time_in_words(strip);
        let changes = (!changes.is_empty()).then(|| format!("Automation: {}.", changes.join("; ")));
        length.into_iter().chain(changes).chain(session.missing_sounds(strip)).collect::<Vec<_>>().join(" ")
    };
    let heard = |strip: u32| {
        let tracks = routing::sounding_in(session, strip).into_iter().map(|id| id.to_string());
        tracks.collect::<Vec<_>>().join(" ")
    };
    let view = |s: &Strip| (StripView::of(session, s), words(s.id), heard(s.id));
    let strips = session.strips.iter().rev().map(view).collect();
    Ok(Page { shell: Shell::of("Prints", "prints", id, &stored, 0), strips })
}

/// Where this page was before it had its name.
#[get("/sessions/<id>/deliver")]
fn former_address(id: i32) -> Redirect {
    Redirect::permanent(format!("/sessions/{id}/prints"))
}

/// How long a print is.
fn in_words(length: Length, rate: u32) -> String {
    let seconds = |frames: u64| frames as f64 / f64::from(rate);
    let whole = seconds(length.frames);
    let mut words = format!("{} long", format_clock(whole));
    if seconds(length.tail) >= 0.05 {
        words += &format!(", of which {:.1} s ring on after the last track", seconds(length.tail));
    }
    if length.fade > 0 {
        words += &format!(" and are faded out over {:.0} s, since they would ring longer", seconds(length.fade));
    }
    words + "."
}

pub fn routes() -> Vec<Route> {
    routes![page, former_address]
}
