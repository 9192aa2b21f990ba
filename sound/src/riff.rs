//! What a WAV file says beside its sound: the start time of a broadcast WAV
//! (EBU Tech 3285, chunk `bext`) and cue markers with their labels (`cue `, `LIST adtl`).
//!
//! Everything here is optional: a file that says it wrongly is read as one that says
//! nothing.

use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;

use zinc_core::rack::MAX_NAME;

/// Largest chunk of words and numbers that is looked at; sound is passed over.
const LARGEST: u64 = 1 << 20;
/// Latest time that a recording begins at: two days at 192 kHz. What says more does not know it.
const LATEST: u64 = 2 * 24 * 3600 * 192_000;
/// Where `bext` holds its time reference: after description, originator and dates.
const TIME_REFERENCE_AT: usize = 338;

/// What was said.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct RiffNotes {
    /// Samples since midnight at which the recording began.
    pub time_reference: Option<u64>,
    /// Markers in order of time: sample and label.
    pub markers: Vec<(u64, String)>,
}

/// Reads a file's notes; none for a file that is no WAV.
#[must_use]
pub fn riff_notes(path: &Path) -> RiffNotes {
    File::open(path).ok().and_then(|mut file| read_chunks(&mut file)).unwrap_or_default()
}

/// The same of anything that is read and sought like a file; `None` for what is no WAV.
pub fn read_chunks(file: &mut (impl Read + Seek)) -> Option<RiffNotes> {
    let mut head = [0u8; 12];
    file.read_exact(&mut head).ok()?;
    if !matches!(&head[..4], b"RIFF" | b"RF64" | b"BW64") || &head[8..] != b"WAVE" {
        return None;
    }
    let mut notes = RiffNotes::default();
    let (mut cues, mut labels) = (Vec::new(), Vec::new());
    let mut chunk = [0u8; 8];
    while file.read_exact(&mut chunk).is_ok() {
        let size = u64::from(u32_at(&chunk, 4)?);
        let wanted = matches!(&chunk[..4], b"bext" | b"cue " | b"LIST") && size <= LARGEST;
        let padded = size + size % 2;
        if !wanted {
            file.seek(SeekFrom::Current(i64::try_from(padded).ok()?)).ok()?;
            continue;
        }
        let mut body = vec![0u8; size as usize];
        if file.read_exact(&mut body).is_err() {
            break;
        }
        match &chunk[..4] {
            b"bext" => notes.time_reference = u64_at(&body, TIME_REFERENCE_AT).filter(|at| *at <= LATEST),
            b"cue " => cues = cue_points(&body),
            _ => labels.extend(label_texts(&body)),
        }
        if size % 2 == 1 {
            file.seek(SeekFrom::Current(1)).ok()?;
        }
    }
    notes.markers = cues
        .iter()
        .enumerate()
        .map(|(i, (id, at))| {
            let label = labels.iter().find(|(of, _)| of == id).map(|(_, text)| text.trim().to_string());
            (*at, label.filter(|t| !t.is_empty()).unwrap_or_else(|| format!("Marker {}", i + 1)))
        })
        .collect();
    notes.markers.sort();
    Some(notes)
}

/// Identity and sample of every cue point (24 bytes each after a count).
fn cue_points(body: &[u8]) -> Vec<(u32, u64)> {
    let points = body.get(4..).unwrap_or_default().chunks_exact(24);
    points.filter_map(|p| Some((u32_at(p, 0)?, u64::from(u32_at(p, 20)?)))).collect()
}

/// Identity and text of every label of an `adtl` list.
fn label_texts(body: &[u8]) -> Vec<(u32, String)> {
    let mut found = Vec::new();
    if body.get(..4) != Some(b"adtl") {
        return found;
    }
    let mut at = 4;
    while let (Some(id), Some(size)) = (body.get(at..at + 4), u32_at(body, at + 4)) {
        let size = size as usize;
        let content = body.get(at + 8..at.saturating_add(8).saturating_add(size)).unwrap_or_default();
        if id == b"labl"
            && let Some(cue) = u32_at(content, 0)
        {
            let text: Vec<u8> = content[4..].iter().copied().take_while(|b| *b != 0).collect();
            found.push((cue, String::from_utf8_lossy(&text).chars().take(MAX_NAME).collect()));
        }
        at = at.saturating_add(8).saturating_add(size + size % 2);
    }
    found
}

fn u32_at(bytes: &[u8], at: usize) -> Option<u32> {
    let four = bytes.get(at..at.checked_add(4)?)?;
    Some(u32::from_le_bytes(four.try_into().ok()?))
}

fn u64_at(bytes: &[u8], at: usize) -> Option<u64> {
    let eight = bytes.get(at..at.checked_add(8)?)?;
    Some(u64::from_le_bytes(eight.try_into().ok()?))
}
