//! What a handler gives, and how it gets to it: off the request threads, refusals in words.

use rocket::State;
use rocket::data::{ByteUnit, Capped};
use rocket::http::Status;
use rocket::response::{self, Responder};
use rocket::serde::json::{Json, Value, json};
use zinc_core::session::{Reference, Session};

use crate::app::App;
use crate::jobs::JobError;
use crate::services::Work;
use crate::services::worked_out::NoFile;
use crate::store::StoreError;
use zinc_sound::in_words;

/// An answer that is not what was asked for.
#[derive(Debug)]
pub struct ApiError {
    status: Status,
    sentence: String,
    /// Which refusal it is, where the page does something about it.
    code: Option<&'static str>,
}

impl ApiError {
    pub(super) fn new(status: Status, sentence: impl Into<String>) -> Self {
        Self { status, sentence: sentence.into(), code: None }
    }
}

impl std::fmt::Display for ApiError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.sentence)
    }
}

impl From<StoreError> for ApiError {
    fn from(e: StoreError) -> Self {
        let status = match e {
            StoreError::NoSession(_) => Status::NotFound,
            StoreError::NothingThere(_)
            | StoreError::Collides(_)
            | StoreError::Elsewhere { .. }
            | StoreError::Unfit { .. }
            | StoreError::ReadOnly(_) => Status::Conflict,
            StoreError::Refused(_) => Status::UnprocessableEntity,
            StoreError::Damaged(_) | StoreError::Database(_) => Status::InternalServerError,
        };
        let code = matches!(e, StoreError::Elsewhere { .. } | StoreError::Unfit { .. }).then_some("anyway");
        Self { code, ..Self::new(status, e.to_string()) }
    }
}

impl From<NoFile> for ApiError {
    fn from(none: NoFile) -> Self {
        match none {
            NoFile::Busy => {
                let why = "The server works out other files just now. Nothing was changed; try again in a few seconds.";
                Self::new(Status::ServiceUnavailable, why)
            }
            NoFile::Failed(why) => Self::new(Status::UnprocessableEntity, why),
        }
    }
}

impl<'r> Responder<'r, 'static> for ApiError {
    fn respond_to(self, request: &'r rocket::Request<'_>) -> response::Result<'static> {
        (self.status, Json(json!({ "error": self.sentence, "code": self.code }))).respond_to(request)
    }
}

/// Whether a file that somebody sends has come whole.
///
/// # Errors
/// Why not, with what became of it.
pub(super) fn arrived(
    received: std::io::Result<Capped<rocket::tokio::fs::File>>,
    name: &str,
    limit: ByteUnit,
    kept: &str,
) -> Result<(), ApiError> {
    match received {
        Ok(file) if file.is_complete() => Ok(()),
        Ok(_) => {
            let why = format!("{name} is larger than the {limit} that one file may have. {kept}");
            Err(ApiError::new(Status::PayloadTooLarge, why))
        }
        Err(e) => {
            let why = format!("{name} did not arrive whole: {}. {kept}", in_words(&e));
            Err(ApiError::new(Status::InternalServerError, why))
        }
    }
}

/// What a handler gives.
pub(super) type Answer = Result<Json<Value>, ApiError>;

/// Runs blocking work off the request threads.
pub(super) async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, ApiError> + Send + 'static,
) -> Result<T, ApiError> {
    rocket::tokio::task::spawn_blocking(work).await.unwrap_or_else(|_| {
        Err(ApiError::new(Status::InternalServerError, "A fault of the program; nothing was changed."))
    })
}

/// The document of a session, its units supplied with their sounds.
pub(super) async fn load(app: &App, id: i32) -> Result<Session, ApiError> {
    load_with(app, id, None).await
}

/// The same with the sounds of the other side of a comparison.
pub(super) async fn load_with(app: &App, id: i32, other: Option<&Reference>) -> Result<Session, ApiError> {
    let (app, other) = (app.clone(), other.cloned());
    blocking(move || Ok(app.session(id, other.as_ref())?)).await
}

/// Queues work on a session as it is now, for the page that asks, and answers with its job.
pub(super) async fn queued<W>(app: &State<App>, id: i32, label: &str, work: W) -> Answer
where
    W: FnOnce(Work<'_>) -> Result<Value, JobError> + Send + 'static,
{
    let session = load(app, id).await?;
    Ok(queued_on(app, session, label, work))
}

/// The same on a session that has been loaded.
pub(super) fn queued_on<W>(app: &App, session: Session, label: &str, work: W) -> Json<Value>
where
    W: FnOnce(Work<'_>) -> Result<Value, JobError> + Send + 'static,
{
    let prints = app.prints.clone();
    let job = app.jobs.add(label, move |job| work(Work { prints: &prints, session: &session, job }));
    Json(json!({ "job": job.id }))
}
