//! Every change of a session: edits, undo, redo, and what other windows have changed.

use rocket::serde::Deserialize;
use rocket::serde::json::{Json, Value, json};
use rocket::{Route, State, get, post, routes};
use zinc_core::session::{Edit, Session, Touch};

use super::answer::{Answer, ApiError, blocking};
use crate::app::App;
use crate::store::{Asker, Change, Direction, Known};

#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct EditRequest {
    /// The version the page has.
    version: i32,
    /// The window it is open in; empty for scripts, whose edits meet no others.
    #[serde(default)]
    window: String,
    /// The same when the request is sent again.
    #[serde(default)]
    ident: String,
    /// The same for all edits of one drag; empty for single edits.
    #[serde(default)]
    gesture: String,
    edit: Edit,
}

#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct StepRequest {
    version: i32,
    #[serde(default)]
    window: String,
    #[serde(default)]
    ident: String,
    /// Also a step that another window made.
    #[serde(default)]
    anyway: bool,
}

#[post("/sessions/<id>/edits", data = "<request>")]
async fn edit(app: &State<App>, id: i32, request: Json<EditRequest>) -> Answer {
    let app = app.inner().clone();
    let EditRequest { version, window, ident, gesture, edit } = request.into_inner();
    let asker = Asker { version, window, ident };
    app.windows.see(id, &asker.window);
    blocking(move || {
        let change = app.store.apply(id, &edit, &gesture, &asker)?;
        if let Edit::SetPart { strip, part, guessed: false, .. } = change.edit
            && let Some(strip) = change.session.strip(strip)
        {
            app.store.remember_part(&strip.name, part)?;
        }
        Ok(Json(outcome(&app, id, &change, &asker)?))
    })
    .await
}

#[post("/sessions/<id>/undo", data = "<request>")]
async fn undo(app: &State<App>, id: i32, request: Json<StepRequest>) -> Answer {
    step(app.inner().clone(), id, Direction::Undo, request.into_inner()).await
}

#[post("/sessions/<id>/redo", data = "<request>")]
async fn redo(app: &State<App>, id: i32, request: Json<StepRequest>) -> Answer {
    step(app.inner().clone(), id, Direction::Redo, request.into_inner()).await
}

async fn step(app: App, id: i32, direction: Direction, request: StepRequest) -> Answer {
    let StepRequest { version, window, ident, anyway } = request;
    let asker = Asker { version, window, ident };
    app.windows.see(id, &asker.window);
    // A step of a window that is closed by now is nobody else's.
    let anyway = anyway || !app.windows.are_others(id, &asker.window);
    blocking(move || {
        let change = app.store.step(id, direction, &asker, anyway)?;
        Ok(Json(outcome(&app, id, &change, &asker)?))
    })
    .await
}

/// What other windows have changed since a version.
#[get("/sessions/<id>/changes?<after>&<window>")]
async fn changes(app: &State<App>, id: i32, after: i32, window: &str) -> Answer {
    let app = app.inner().clone();
    let asker = Asker { version: after, window: window.to_string(), ident: String::new() };
    app.windows.see(id, window);
    blocking(move || {
        let missed = app.store.missed(id, &asker)?;
        let nothing = missed.version == after;
        Ok(Json(json!({
            "version": missed.version, "undo": missed.undo, "redo": missed.redo,
            "missed": missed.changes.as_ref().map(|all| all.iter().map(|k| shown(k, &missed.session)).collect::<Vec<_>>()),
            "session": (!nothing).then(|| missed.session.to_json()),
        })))
    })
    .await
}

fn shown(known: &Known, session: &Session) -> Value {
    json!({ "edit": known.edit, "what": known.edit.in_words(session), "overtook": known.overtook })
}

/// What the page needs after a change: what it touched, and with the whole document what other
/// windows have changed since the page's version.
fn outcome(app: &App, id: i32, change: &Change, asker: &Asker) -> Result<Value, ApiError> {
    let touched = change.edit.touches();
    let strip = match touched {
        Touch::Strip(id) | Touch::Rack(id) | Touch::Paths(id) => change.session.strip(id).map(|s| s.to_json()),
        Touch::Strips | Touch::Frame | Touch::Notebook | Touch::Everything => None,
    };
    let newer = asker.version != change.version_before;
    let missed = if newer { app.store.missed(id, asker)?.changes } else { Some(Vec::new()) };
    Ok(json!({
        "version": change.version, "edit": change.edit, "strip": strip,
        "undo": change.undo, "redo": change.redo, "overtook": change.overtook,
        "what": change.edit.in_words(&change.session),
        "missed": missed.map(|all| {
            let known = all.iter().filter(|k| k.version <= change.version);
            known.map(|k| shown(k, &change.session)).collect::<Vec<_>>()
        }),
        "session": (newer || (strip.is_none() && touched != Touch::Notebook)).then(|| change.session.to_json()),
        "newer": newer,
    }))
}

pub fn routes() -> Vec<Route> {
    routes![edit, undo, redo, changes]
}
