//! Start time and markers of a file.
#![allow(missing_docs, clippy::unwrap_used)] // a test may say what must hold by failing

use std::io::Cursor;
use zinc_sound::riff::{RiffNotes, read_chunks};

fn chunk(id: &[u8; 4], body: &[u8]) -> Vec<u8> {
    let mut out = id.to_vec();
    out.extend((body.len() as u32).to_le_bytes());
    out.extend(body);
    out.extend(vec![0; body.len() % 2]);
    out
}

fn wav(chunks: &[Vec<u8>]) -> Vec<u8> {
    let body: Vec<u8> = chunks.concat();
    [b"RIFF".to_vec(), (body.len() as u32 + 4).to_le_bytes().to_vec(), b"WAVE".to_vec(), body].concat()
}

fn cue(id: u32, at: u32) -> Vec<u8> {
    [id, at, u32::from_le_bytes(*b"data"), 0, 0, at].iter().flat_map(|n| n.to_le_bytes()).collect()
}

#[test]
fn start_time_and_markers_are_read_in_order_of_time() {
    let mut bext = vec![0u8; 602];
    bext[338..346].copy_from_slice(&(48_000u64 * 3600).to_le_bytes());
    let cues = [2u32.to_le_bytes().to_vec(), cue(7, 9600), cue(3, 0)].concat();
    let labels = [b"adtl".to_vec(), chunk(b"labl", b"\x07\0\0\0Verse\0"), chunk(b"note", b"\x03\0\0\0x")].concat();
    let file = wav(&[chunk(b"bext", &bext), chunk(b"data", &[0; 7]), chunk(b"cue ", &cues), chunk(b"LIST", &labels)]);
    let notes = read_chunks(&mut Cursor::new(file)).unwrap();
    assert_eq!(notes.time_reference, Some(48_000 * 3600));
    assert_eq!(notes.markers, [(0, "Marker 2".to_string()), (9600, "Verse".to_string())]);
}

#[test]
fn files_that_say_it_wrongly_say_nothing_and_never_crash() {
    assert_eq!(read_chunks(&mut Cursor::new(b"not a wave".to_vec())), None);
    let short =
        wav(&[chunk(b"bext", &[1; 20]), chunk(b"cue ", &[255; 11]), chunk(b"LIST", b"adtllabl\xff\xff\xff\xff")]);
    assert_eq!(read_chunks(&mut Cursor::new(short.clone())), Some(RiffNotes::default()));
    for cut in 0..short.len() {
        let _ = read_chunks(&mut Cursor::new(short[..cut].to_vec()));
    }
}
