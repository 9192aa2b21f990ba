//! A file to be kept by whoever asked for it.

use rocket::fs::NamedFile;
use rocket::http::{ContentType, Header, Status};
use serde_json::{Value, json};
use zinc_core::rack::RackSpec;
use zinc_core::session::Session;

use super::answer::ApiError;
use crate::app::App;
use zinc_sound::{in_words, write_float};

/// A file, offered under a name that never reaches the file system.
#[derive(rocket::Responder)]
pub(super) struct Download {
    pub(super) file: NamedFile,
    pub(super) kind: ContentType,
    pub(super) disposition: Header<'static>,
}

/// Two sides that are made `of` something by a rack of a session, as a WAV file; worked out once for the rack, tempo and
/// sections as they are.
pub(super) async fn made<F>(
    app: &App,
    session: &Session,
    rack: RackSpec,
    of: Value,
    make: F,
) -> Result<NamedFile, ApiError>
where
    F: FnOnce(&RackSpec) -> Result<[Vec<f32>; 2], String> + Send + 'static,
{
    // A sound that is missing may be there the next time.
    let missing: Vec<String> = rack.units.iter().flat_map(|u| u.missing_sounds()).map(|id| id.to_string()).collect();
    let from = json!([of, session.frame_json(), rack, missing]);
    let rate = session.rate;
    let shelf = app.shelf.clone();
    let write = move || {
        let sides = make(&rack)?;
        let file = shelf.temporary_file();
        let unusable = |e: std::io::Error| format!("The file could not be written: {}.", in_words(&e));
        write_float(&file, &sides, rate).map_err(unusable)?;
        Ok(file)
    };
    let path = app.worked_out.file(from, write).await?;
    let lost = |e: std::io::Error| {
        ApiError::new(Status::InternalServerError, format!("The file could not be read: {}.", in_words(&e)))
    };
    NamedFile::open(&**path).await.map_err(lost)
}
