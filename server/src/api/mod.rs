//! JSON and audio for the pages. Errors are `{"error": sentence}` with a fitting status.

mod advice;
mod audio;
mod deliver;
mod edits;
mod jobs;
mod listening;
mod paths;
mod sessions;

use rocket::Route;
use rocket::http::Status;
use rocket::response::{self, Responder};
use rocket::serde::json::{Json, Value, json};

use crate::store::StoreError;

/// An answer that is not what was asked for.
#[derive(Debug)]
pub struct ApiError {
    status: Status,
    sentence: String,
}

impl ApiError {
    fn new(status: Status, sentence: impl Into<String>) -> Self {
        Self { status, sentence: sentence.into() }
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
            StoreError::NothingThere(_) => Status::Conflict,
            StoreError::Refused(_) => Status::UnprocessableEntity,
            StoreError::Damaged(_) | StoreError::Database(_) => Status::InternalServerError,
        };
        Self::new(status, e.to_string())
    }
}

impl<'r> Responder<'r, 'static> for ApiError {
    fn respond_to(self, request: &'r rocket::Request<'_>) -> response::Result<'static> {
        (self.status, Json(json!({ "error": self.sentence }))).respond_to(request)
    }
}

/// What a handler gives.
type Answer = Result<Json<Value>, ApiError>;

/// Runs blocking work off the request threads.
async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, ApiError> + Send + 'static,
) -> Result<T, ApiError> {
    rocket::tokio::task::spawn_blocking(work).await.unwrap_or_else(|_| {
        Err(ApiError::new(Status::InternalServerError, "A fault of the program; nothing was changed."))
    })
}

/// All routes, under `/api`.
pub fn routes() -> Vec<Route> {
    [
        sessions::routes(),
        edits::routes(),
        audio::routes(),
        listening::routes(),
        paths::routes(),
        deliver::routes(),
        advice::routes(),
        jobs::routes(),
    ]
    .concat()
}
