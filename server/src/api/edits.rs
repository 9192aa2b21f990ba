//! Every change of a session: edits, undo, redo.

use rocket::serde::Deserialize;
use rocket::serde::json::{Json, Value, json};
use rocket::{Route, State, post, routes};
use zinc_core::session::{Edit, Touch};

use super::{Answer, blocking};
use crate::app::App;
use crate::store::{Change, Direction};

#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct EditRequest {
    /// The version the page has.
    version: i32,
    /// The same for all edits of one drag; empty for single edits.
    #[serde(default)]
    gesture: String,
    edit: Edit,
}

#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct StepRequest {
    version: i32,
}

#[post("/sessions/<id>/edits", data = "<request>")]
async fn edit(app: &State<App>, id: i32, request: Json<EditRequest>) -> Answer {
    let app = app.inner().clone();
    let request = request.into_inner();
    let change = blocking(move || {
        let change = app.store.apply(id, &request.edit, &request.gesture)?;
        if let Edit::SetPart { strip, part, guessed: false, .. } = change.edit
            && let Some(strip) = change.session.strip(strip)
        {
            app.store.remember_part(&strip.name, part)?;
        }
        Ok(change)
    })
    .await?;
    Ok(Json(outcome(&change, request.version)))
}

#[post("/sessions/<id>/undo", data = "<request>")]
async fn undo(app: &State<App>, id: i32, request: Json<StepRequest>) -> Answer {
    step(app.inner().clone(), id, Direction::Undo, request.version).await
}

#[post("/sessions/<id>/redo", data = "<request>")]
async fn redo(app: &State<App>, id: i32, request: Json<StepRequest>) -> Answer {
    step(app.inner().clone(), id, Direction::Redo, request.version).await
}

async fn step(app: App, id: i32, direction: Direction, version: i32) -> Answer {
    let change = blocking(move || Ok(app.store.step(id, direction)?)).await?;
    Ok(Json(outcome(&change, version)))
}

/// What the page needs after a change; the whole document if its own was older.
fn outcome(change: &Change, page_version: i32) -> Value {
    let touched = change.edit.touches();
    let strip = match touched {
        Touch::Strip(id) | Touch::Rack(id) | Touch::Paths(id) => change.session.strip(id).map(|s| s.to_json()),
        Touch::Strips | Touch::Frame | Touch::Notebook | Touch::Everything => None,
    };
    let newer = page_version != change.version_before;
    json!({
        "version": change.version, "edit": change.edit, "strip": strip,
        "undo": change.undo, "redo": change.redo,
        "session": (newer || (strip.is_none() && touched != Touch::Notebook)).then(|| change.session.to_json()),
        "newer": newer,
    })
}

pub fn routes() -> Vec<Route> {
    routes![edit, undo, redo]
}
