//! Sessions: the shelf, a new one, files brought in.

use askama::Template;
use askama_web::WebTemplate;
use rocket::http::Status;
use rocket::{Route, State, get, routes};

use super::trouble::PageError;
use super::view::Shell;
use crate::app::App;
use crate::jobs::{Job, JobState};
use crate::store::StoreError;
use crate::upkeep::daily::{BIN_DAYS, now_s};

#[derive(Template, WebTemplate)]
#[template(path = "sessions.html")]
struct Page {
    shell: Shell,
    sessions: Vec<Row>,
    bin: Vec<Removed>,
    demo: Option<Demo>,
}

/// A session in the bin.
struct Removed {
    id: i32,
    name: String,
    /// How long it can be put back.
    left: String,
}

/// The demo while it is made, or why it could not be.
struct Demo {
    job: u64,
    said: String,
    failed: bool,
}

impl Demo {
    fn of(job: &Job) -> Option<Self> {
        let (said, failed) = match job.state() {
            JobState::Running { label, .. } => (label, false),
            JobState::Failed(why) => (why, true),
            JobState::Done(_) | JobState::Cancelled => return None,
        };
        Some(Self { job: job.id, said, failed })
    }
}

struct Row {
    id: i32,
    name: String,
    about: String,
    marks: Vec<&'static str>,
    trouble: Option<String>,
}

#[get("/")]
async fn page(app: &State<App>) -> Result<Page, PageError> {
    let app = app.inner().clone();
    // Looked at before the sessions: whoever is told that it is made has them.
    let demo = app.demo.get().and_then(|job| Demo::of(job));
    let read = rocket::tokio::task::spawn_blocking(move || Ok::<_, StoreError>((rows(&app)?, removed(&app)?))).await;
    let fault = |_| PageError(Status::InternalServerError, "A fault of the program; nothing was changed.".into());
    let (sessions, bin) = read.map_err(fault)??;
    Ok(Page { shell: Shell::plain("Sessions", "views/sessions.js"), sessions, bin, demo })
}

fn removed(app: &App) -> Result<Vec<Removed>, StoreError> {
    let row = |s: crate::store::SessionRow| {
        let days = BIN_DAYS - (now_s() - s.removed_at.unwrap_or_default()) / (24 * 3600);
        let left = if days <= 1 { "for a day at most".to_string() } else { format!("for {days} days") };
        Removed { id: s.id, name: s.name, left }
    };
    Ok(app.store.removed_sessions()?.into_iter().map(row).collect())
}

fn rows(app: &App) -> Result<Vec<Row>, StoreError> {
    let row = |s: crate::store::SessionRow| match app.store.load(s.id) {
        Ok(stored) => {
            let trouble = stored.trouble();
            let session = stored.session;
            let seconds = session.frames() as f64 / f64::from(session.rate);
            let (tracks, buses) = (session.tracks().count(), session.buses().count());
            let units: usize = session.strips.iter().map(|s| s.rack.units.len()).sum();
            let mut marks: Vec<_> = session.tracks().map(|t| t.family.mark()).collect();
            marks.dedup();
            Row {
                id: s.id,
                name: s.name,
                about: format!(
                    "{tracks} tracks \u{b7} {buses} buses \u{b7} {units} units \u{b7} {}:{:02} at {} kHz",
                    seconds as u32 / 60,
                    seconds as u32 % 60,
                    f64::from(session.rate) / 1000.0
                ),
                marks,
                trouble,
            }
        }
        Err(e) => Row { id: s.id, name: s.name, about: String::new(), marks: Vec::new(), trouble: Some(e.to_string()) },
    };
    Ok(app.store.sessions()?.into_iter().map(row).collect())
}

pub fn routes() -> Vec<Route> {
    routes![page]
}
