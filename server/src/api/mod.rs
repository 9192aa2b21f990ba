//! JSON and audio for the pages. Errors are `{"error": sentence}` with a fitting status.

mod advice;
mod answer;
mod audio;
mod download;
mod edits;
mod jobs;
mod listening;
mod measuring;
mod paths;
mod printing;
mod range;
mod sessions;
mod sounds;
mod space;

use rocket::Route;

/// All routes, under `/api`.
pub fn routes() -> Vec<Route> {
    [
        sessions::routes(),
        edits::routes(),
        audio::routes(),
        listening::routes(),
        measuring::routes(),
        paths::routes(),
        printing::routes(),
        advice::routes(),
        jobs::routes(),
        sounds::routes(),
        space::routes(),
    ]
    .concat()
}
