//! Stretches of recorded and printed sound: of one by HTTP range, of many in one answer.

use std::path::{Path, PathBuf};

use rocket::futures::Stream;
use rocket::http::{ContentType, Header, Status};
use rocket::response::stream::ByteStream;
use rocket::response::{self, Responder, Response};
use rocket::{Request, Route, State, get, routes};

use super::answer::{ApiError, blocking};
use super::range::ByteRange;
use crate::app::App;
use crate::prints::Prints;
use crate::prints::growth::FRAME_BYTES;
use crate::shelf::{Shelf, is_key, read_range};

/// Most stretches in one answer.
const MOST_STRETCHES: usize = 64;
/// Frames of the longest print that is asked for: a guard against numbers gone wrong.
const LONGEST_PRINT: u64 = 1 << 40;
/// Most bytes of all together.
const LONGEST_ANSWER: u64 = 64 << 20;

/// All or part of a payload.
enum Stretch {
    Part { bytes: Vec<u8>, from: u64, total: u64 },
    Whole(PathBuf),
    Beyond { total: u64 },
}

/// A payload's name is its content: it never changes.
const FOR_EVER: (&str, &str) = ("Cache-Control", "private, max-age=31536000, immutable");

impl<'r> Responder<'r, 'static> for Stretch {
    fn respond_to(self, request: &'r Request<'_>) -> response::Result<'static> {
        let is_there = !matches!(self, Self::Beyond { .. });
        let mut answer = match self {
            Self::Part { bytes, from, total } => {
                let last = from + bytes.len() as u64 - 1;
                Response::build()
                    .status(Status::PartialContent)
                    .header(Header::new("Content-Range", format!("bytes {from}-{last}/{total}")))
                    .sized_body(bytes.len(), std::io::Cursor::new(bytes))
                    .finalize()
            }
            // Streamed: it may be longer than all memory.
            Self::Whole(file) => std::fs::File::open(file).map_err(|_| Status::NotFound)?.respond_to(request)?,
            Self::Beyond { total } => Response::build()
                .status(Status::RangeNotSatisfiable)
                .header(Header::new("Content-Range", format!("bytes */{total}")))
                .finalize(),
        };
        answer.set_header(ContentType::Binary);
        answer.set_header(Header::new("Accept-Ranges", "bytes"));
        if is_there {
            answer.set_header(Header::new(FOR_EVER.0, FOR_EVER.1));
        }
        Ok(answer)
    }
}

fn gone() -> ApiError {
    ApiError::new(Status::NotFound, "This sound is not there any more; load the page again.")
}

/// First and last byte of a range of so many.
fn within(total: u64, range: ByteRange) -> Result<(u64, u64), ApiError> {
    let beyond = || ApiError::new(Status::RangeNotSatisfiable, "There is no sound beyond the end.");
    range.within(total).ok_or_else(beyond)
}

fn length(file: &Path) -> Result<u64, ApiError> {
    Ok(std::fs::metadata(file).map_err(|_| gone())?.len())
}

fn stretch(file: PathBuf, range: ByteRange) -> Result<Stretch, ApiError> {
    let total = length(&file)?;
    if range == ByteRange::Whole {
        return Ok(Stretch::Whole(file));
    }
    let Some((from, to)) = range.within(total) else { return Ok(Stretch::Beyond { total }) };
    Ok(Stretch::Part { bytes: read_range(&file, from, to).map_err(|_| gone())?, from, total })
}

/// The file of `audio/HASH` or `prints/KEY`.
fn payload(shelf: &Shelf, kind: &str, key: &str) -> Result<PathBuf, ApiError> {
    match kind {
        "audio" if is_key(key) => Ok(shelf.audio_file(key)),
        "prints" if is_key(key) => Ok(shelf.print_file(key)),
        _ => Err(ApiError::new(Status::NotFound, "There is no such sound.")),
    }
}

#[get("/audio/<hash>")]
async fn recorded(app: &State<App>, hash: &str, range: ByteRange) -> Result<Stretch, ApiError> {
    let file = payload(&app.shelf, "audio", hash)?;
    blocking(move || stretch(file, range)).await
}

#[get("/prints/<key>")]
async fn printed(app: &State<App>, key: &str, range: ByteRange) -> Result<Stretch, ApiError> {
    let file = payload(&app.shelf, "prints", key)?;
    blocking(move || stretch(file, range)).await
}

/// Stretches one after another in one body, each as `audio/HASH:FROM:TO`, `prints/KEY:FROM:TO` or, of a print that may
/// still be made, `sides/KEY-FRAMES:FROM:TO` in bytes, both ends included. After each of the last come four bytes: 1 if
/// it is of a passage, which is heard until the print has come there; what follows one is asked for as
/// `joins/KEY-FRAMES:FROM:TO`. A song of fifty tracks is then a few requests a second instead of a hundred.
#[get("/stretches?<of>")]
async fn stretches(
    app: &State<App>,
    of: Vec<&str>,
) -> Result<(ContentType, ByteStream<impl Stream<Item = Vec<u8>> + use<>>), ApiError> {
    if of.is_empty() || of.len() > MOST_STRETCHES {
        let why = format!("Ask for 1 to {MOST_STRETCHES} stretches at once.");
        return Err(ApiError::new(Status::UnprocessableEntity, why));
    }
    let asked: Vec<_> = of.iter().map(|piece| one_of(&app.shelf, piece)).collect::<Result<_, _>>()?;
    let asked = blocking(move || whole_ranges(asked)).await?;
    let prints = app.prints.clone();
    asked.iter().for_each(|piece| piece.ask(&prints));
    // A piece at a time: what an answer holds in memory does not grow with what it gives. One
    // that cannot be read after all ends it, and the page asks for what came short again.
    let pieces = ByteStream! {
        for piece in asked {
            let prints = prints.clone();
            match blocking(move || Ok(piece.read(&prints))).await {
                Ok(Ok(bytes)) => yield bytes,
                _ => break,
            }
        }
    };
    Ok((ContentType::Binary, pieces))
}

/// A stretch of sound, both ends in bytes and included.
struct Piece {
    of: Sound,
    from: u64,
    to: u64,
}

/// Whose sound it is.
enum Sound {
    /// A payload's, as it is kept.
    Kept(PathBuf),
    /// Both sides of a print that may still be made, by its key and length in frames, and whether what was heard before
    /// was a passage of it.
    Sides(String, u64, bool),
}

impl Piece {
    /// Says that it is going to be read: all of an answer's pieces are made beside each other.
    fn ask(&self, prints: &Prints) {
        if let Sound::Sides(key, ..) = &self.of {
            prints.ask(key, self.from, self.to);
        }
    }

    /// Its bytes; waits for those of a print that grows, and says after them whether they are of a passage.
    fn read(&self, prints: &Prints) -> std::io::Result<Vec<u8>> {
        match &self.of {
            Sound::Kept(file) => read_range(file, self.from, self.to),
            Sound::Sides(key, frames, joins) => {
                let read = if *joins { Prints::read_joined } else { Prints::read_sides };
                let mut sides = read(prints, (key, *frames), self.from, self.to)?;
                sides.bytes.extend(u32::from(sides.is_settling).to_le_bytes());
                Ok(sides.bytes)
            }
        }
    }
}

/// The stretches as far as their sounds go, so many in all as one answer gives.
fn whole_ranges(asked: Vec<(Sound, ByteRange)>) -> Result<Vec<Piece>, ApiError> {
    let mut sum = 0;
    let mut pieces = Vec::with_capacity(asked.len());
    for (of, range) in asked {
        let total = match &of {
            Sound::Kept(file) => length(file)?,
            Sound::Sides(_, frames, _) => frames * FRAME_BYTES,
        };
        let (from, to) = within(total, range)?;
        sum += to - from + 1;
        pieces.push(Piece { of, from, to });
    }
    if sum > LONGEST_ANSWER {
        let why = format!("Ask for at most {} MB of sound at once.", LONGEST_ANSWER >> 20);
        return Err(ApiError::new(Status::UnprocessableEntity, why));
    }
    Ok(pieces)
}

fn one_of(shelf: &Shelf, piece: &str) -> Result<(Sound, ByteRange), ApiError> {
    let unreadable = || {
        let forms = "A stretch is written audio/HASH:FROM:TO, prints/KEY:FROM:TO, sides/KEY-FRAMES:FROM:TO \
                     or joins/KEY-FRAMES:FROM:TO.";
        ApiError::new(Status::UnprocessableEntity, forms)
    };
    let mut parts = piece.split(':');
    let (Some(name), Some(from), Some(to), None) = (parts.next(), parts.next(), parts.next(), parts.next()) else {
        return Err(unreadable());
    };
    let (kind, key) = name.split_once('/').ok_or_else(unreadable)?;
    let number = |text: &str| text.parse::<u64>().map_err(|_| unreadable());
    let of = match (kind, key.split_once('-')) {
        ("sides" | "joins", Some((key, frames))) if is_key(key) => {
            Sound::Sides(key.into(), number(frames)?.min(LONGEST_PRINT), kind == "joins")
        }
        _ => Sound::Kept(payload(shelf, kind, key)?),
    };
    Ok((of, ByteRange::From(number(from)?, Some(number(to)?))))
}

pub fn routes() -> Vec<Route> {
    routes![recorded, printed, stretches]
}
