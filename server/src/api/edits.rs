//! Every change of a session: edits, undo, redo, and what other windows have changed.

use rocket::serde::Deserialize;
use rocket::serde::json::{Json, Value, json};
use rocket::{Route, State, get, post, routes};
use zinc_core::session::{Edit, Session};

use super::answer::{Answer, ApiError, blocking};
use crate::app::App;
use crate::store::{Change, Consent, Direction, KnownChange, Requester, Since, StoreError};

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
    /// An [`Edit`], read by hand so that what is wrong with it is said.
    edit: Value,
}

#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct StepRequest {
    version: i32,
    #[serde(default)]
    window: String,
    #[serde(default)]
    ident: String,
    /// Also a step that another window made, and past one that cannot be made.
    #[serde(default)]
    anyway: bool,
}

#[post("/sessions/<id>/edits", data = "<request>")]
async fn edit(app: &State<App>, id: i32, request: Json<EditRequest>) -> Answer {
    let app = app.inner().clone();
    let EditRequest { version, window, ident, gesture, edit } = request.into_inner();
    let edit: Edit = rocket::serde::json::from_value(edit).map_err(|why| StoreError::Refused(why.to_string()))?;
    let requester = Requester { version, window, ident };
    app.windows.see(id, &requester.window);
    blocking(move || {
        let change = app.store.apply(id, &edit, &gesture, &requester)?;
        if let Edit::SetPart { strip, part, guessed: false, .. } = change.edit
            && let Some(strip) = change.session.strip(strip)
        {
            app.store.remember_part(&strip.name, part)?;
        }
        Ok(Json(outcome(&app, id, change, &requester)?))
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
    let requester = Requester { version, window, ident };
    app.windows.see(id, &requester.window);
    // A step of a window that is closed by now is nobody else's.
    let consent = Consent { foreign: anyway || !app.windows.are_others(id, &requester.window), unfit: anyway };
    blocking(move || {
        let change = app.store.step(id, direction, &requester, consent)?;
        Ok(Json(outcome(&app, id, change, &requester)?))
    })
    .await
}

#[derive(Deserialize)]
#[serde(crate = "rocket::serde")]
struct BringBackRequest {
    version: i32,
    #[serde(default)]
    window: String,
    #[serde(default)]
    ident: String,
    /// The change that removed it: the session's version after that.
    removed_by: i32,
}

#[post("/sessions/<id>/bring-back", data = "<request>")]
async fn bring_back(app: &State<App>, id: i32, request: Json<BringBackRequest>) -> Answer {
    let app = app.inner().clone();
    let BringBackRequest { version, window, ident, removed_by } = request.into_inner();
    let requester = Requester { version, window, ident };
    app.windows.see(id, &requester.window);
    blocking(move || {
        let change = app.store.bring_back(id, removed_by, &requester)?;
        Ok(Json(outcome(&app, id, change, &requester)?))
    })
    .await
}

/// What has been changed since a version.
#[get("/sessions/<id>/changes?<after>&<window>")]
async fn changes(app: &State<App>, id: i32, after: i32, window: &str) -> Answer {
    let app = app.inner().clone();
    app.windows.see(id, window);
    blocking(move || Ok(Json(news(&app.store.since(id, after)?, "")))).await
}

/// A change as a window follows it; `ident` is what its own request was called.
fn shown(known: &KnownChange, session: &Session, ident: &str) -> Value {
    let what = known.back.as_ref().unwrap_or(&known.edit).in_words(session);
    json!({
        "edit": known.edit, "what": what, "overtook": known.overtook,
        "version": known.version, "removed": known.back.is_some(),
        "own": !ident.is_empty() && known.ident == ident,
    })
}

/// What a window follows: every change since the version it has, in order, its own among them; the whole document where
/// they are not all known.
fn news(since: &Since, ident: &str) -> Value {
    let changes = since.changes.as_ref();
    json!({
        "version": since.version, "undo": since.undo, "redo": since.redo,
        "changes": changes.map(|all| all.iter().map(|known| shown(known, &since.session, ident)).collect::<Vec<_>>()),
        "session": changes.is_none().then(|| since.session.to_json()),
    })
}

/// The answer to a change: the edit as applied, and what its window follows. A script, which is no window, follows
/// nothing.
fn outcome(app: &App, id: i32, change: Change, requester: &Requester) -> Result<Value, ApiError> {
    let (edit, overtook) = (json!(change.edit), json!(change.overtook));
    let is_all_known = requester.version == change.version_before;
    let since = if is_all_known || requester.window.is_empty() {
        let own = KnownChange {
            version: change.version,
            back: change.back,
            edit: change.edit,
            window: requester.window.clone(),
            ident: requester.ident.clone(),
            overtook: change.overtook,
        };
        let Change { session, version, undo, redo, .. } = change;
        Since { changes: Some(if is_all_known { vec![own] } else { Vec::new() }), session, version, undo, redo }
    } else {
        app.store.since(id, requester.version)?
    };
    let mut answer = news(&since, &requester.ident);
    answer["edit"] = edit;
    answer["overtook"] = overtook;
    Ok(answer)
}

pub fn routes() -> Vec<Route> {
    routes![edit, undo, redo, bring_back, changes]
}
