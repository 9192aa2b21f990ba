//! A file to be kept by whoever asked for it.

use rocket::fs::NamedFile;
use rocket::http::{ContentType, Header};

/// A file, offered under a name that never reaches the file system.
#[derive(rocket::Responder)]
pub(super) struct Download {
    pub(super) file: NamedFile,
    pub(super) kind: ContentType,
    pub(super) disposition: Header<'static>,
}
