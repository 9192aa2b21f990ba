//! Stretches of recorded and printed sound, by HTTP range.

use std::path::PathBuf;

use rocket::http::{ContentType, Header, Status};
use rocket::request::{FromRequest, Outcome};
use rocket::response::{self, Responder, Response};
use rocket::{Request, Route, State, get, routes};

use super::{ApiError, blocking};
use crate::app::App;
use crate::shelf::{is_key, read_range};

/// Most bytes given at once.
const LONGEST_RANGE: u64 = 16 << 20;

/// A single `Range: bytes=a-b`.
struct ByteRange {
    from: u64,
    to: Option<u64>,
}

#[rocket::async_trait]
impl<'r> FromRequest<'r> for ByteRange {
    type Error = ();

    async fn from_request(request: &'r Request<'_>) -> Outcome<Self, ()> {
        let header = request.headers().get_one("Range").and_then(|h| h.strip_prefix("bytes="));
        let parts = header.and_then(|h| h.split_once('-'));
        let from = parts.and_then(|(from, _)| from.parse().ok());
        match from {
            Some(from) => Outcome::Success(Self { from, to: parts.and_then(|(_, to)| to.parse().ok()) }),
            None => Outcome::Success(Self { from: 0, to: None }),
        }
    }
}

/// Part of a payload.
struct Stretch {
    bytes: Vec<u8>,
    from: u64,
    total: u64,
}

impl<'r> Responder<'r, 'static> for Stretch {
    fn respond_to(self, _: &'r Request<'_>) -> response::Result<'static> {
        let last = self.from + self.bytes.len() as u64 - 1;
        Response::build()
            .status(Status::PartialContent)
            .header(ContentType::Binary)
            .header(Header::new("Content-Range", format!("bytes {}-{last}/{}", self.from, self.total)))
            // A payload's name is its content: it never changes.
            .header(Header::new("Cache-Control", "private, max-age=31536000, immutable"))
            .sized_body(self.bytes.len(), std::io::Cursor::new(self.bytes))
            .ok()
    }
}

async fn stretch(file: PathBuf, range: ByteRange) -> Result<Stretch, ApiError> {
    blocking(move || {
        let gone = || ApiError::new(Status::NotFound, "This sound is not there any more; load the page again.");
        let total = std::fs::metadata(&file).map_err(|_| gone())?.len();
        if range.from >= total {
            return Err(ApiError::new(Status::RangeNotSatisfiable, "There is no sound beyond the end."));
        }
        let to = range.to.unwrap_or(u64::MAX).min(total - 1).min(range.from + LONGEST_RANGE - 1);
        if to < range.from {
            return Err(ApiError::new(Status::RangeNotSatisfiable, "The range ends before it starts."));
        }
        let bytes = read_range(&file, range.from, to).map_err(|_| gone())?;
        Ok(Stretch { bytes, from: range.from, total })
    })
    .await
}

fn unknown() -> ApiError {
    ApiError::new(Status::NotFound, "There is no such sound.")
}

#[get("/audio/<hash>")]
async fn recorded(app: &State<App>, hash: &str, range: ByteRange) -> Result<Stretch, ApiError> {
    if !is_key(hash) {
        return Err(unknown());
    }
    stretch(app.shelf.audio_file(hash), range).await
}

#[get("/prints/<key>")]
async fn printed(app: &State<App>, key: &str, range: ByteRange) -> Result<Stretch, ApiError> {
    if !is_key(key) {
        return Err(unknown());
    }
    stretch(app.shelf.print_file(key), range).await
}

pub fn routes() -> Vec<Route> {
    routes![recorded, printed]
}
