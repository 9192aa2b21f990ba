//! MP3 files of every making are read to their end, as an independent decoder reads them.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use std::path::{Path, PathBuf};
use std::process::Command;

use zinc_sound::{DecodeError, Remarks, decode};

const RATE: usize = 44_100;
const SECONDS: usize = 20;

fn ran(program: &str, args: &[&str]) {
    let done = Command::new(program)
        .args(args)
        .status()
        .expect("apt-get install sox libsox-fmt-mp3 mpg123 (./zinc test does)");
    assert!(done.success(), "{program} {args:?}");
}

/// An MP3 file of noise that swells, encoded in one way.
fn encoded(folder: &Path, way: &str) -> PathBuf {
    let file = folder.join("one.mp3");
    let seconds = SECONDS.to_string();
    let (rate, to) = (RATE.to_string(), file.to_str().unwrap());
    ran(
        "sox",
        &[
            "-R",
            "-n",
            "-r",
            &rate,
            "-c",
            "2",
            "-C",
            way,
            to,
            "synth",
            &seconds,
            "pinknoise",
            "tremolo",
            "0.7",
            "80",
            "gain",
            "-6",
        ],
    );
    file
}

/// Frames, and the first side, as the independent decoder has them.
fn by_another(file: &Path) -> Vec<f32> {
    let wav = file.with_extension("wav");
    ran("mpg123", &["-q", "-w", wav.to_str().unwrap(), file.to_str().unwrap()]);
    let mut reader = hound::WavReader::open(&wav).unwrap();
    reader.samples::<i16>().step_by(2).map(|x| f32::from(x.unwrap()) / 32_768.0).collect()
}

/// Level in dB of the difference between a stretch near the end of both, under that of the other, at the best of the places that
/// paddings make of the start.
fn apart_at_the_end_db(own: &[f32], other: &[f32]) -> f64 {
    let span = RATE / 2;
    let tail = &other[other.len() - span - RATE..other.len() - RATE];
    let power = |sound: &mut dyn Iterator<Item = f64>| sound.map(|x| x * x).sum::<f64>();
    let whole = power(&mut tail.iter().map(|x| f64::from(*x)));
    let apart = |shift: usize| {
        let at = own.len() - span - RATE - 3000 + shift;
        power(&mut own[at..at + span].iter().zip(tail).map(|(a, b)| f64::from(a - b)))
    };
    10.0 * ((0..6000).map(apart).fold(f64::INFINITY, f64::min) / whole).log10()
}

#[test]
fn constant_and_variable_files_alone_and_joined_are_read_to_the_end_that_another_decoder_finds() {
    let folder = tempfile::tempdir().unwrap();
    // A constant rate without any tag, and a variable one with the encoder's.
    for (way, is_tagged) in [("128.2", false), ("-4.2", true)] {
        let one = encoded(folder.path(), way);
        let bytes = std::fs::read(&one).unwrap();
        assert_eq!(bytes[..200].windows(4).any(|four| four == b"Xing"), is_tagged, "{way}");
        for times in [1, 2, 3] {
            let file = folder.path().join("joined.mp3");
            std::fs::write(&file, bytes.repeat(times)).unwrap();
            let (own, other) = (decode(&file).unwrap(), by_another(&file));
            let goes_on = is_tagged && times > 1;
            assert_eq!(own.remarks, Remarks { goes_on, ..Remarks::default() }, "{way} {times}");
            let left: Vec<f32> = own.samples.iter().step_by(2).copied().collect();
            assert!(
                left.len().abs_diff(times * SECONDS * RATE) < 3000 * times,
                "{way}, {times}: {} frames",
                left.len()
            );
            assert!(left.len().abs_diff(other.len()) < 3000 * times, "{} and {}", left.len(), other.len());
            let db = apart_at_the_end_db(&left, &other);
            assert!(db < -40.0, "{way}, {times} times: {db:.1} dB apart");
        }
    }
}

#[test]
fn a_variable_file_without_a_tag_is_no_damaged_one_and_one_that_is_cut_short_is() {
    let folder = tempfile::tempdir().unwrap();
    let file = encoded(folder.path(), "-4.2");
    let bytes = std::fs::read(&file).unwrap();
    let whole = decode(&file).unwrap().frames();
    std::fs::write(&file, &bytes[..bytes.len() / 2]).unwrap();
    let cut = decode(&file).err().unwrap();
    assert!(matches!(cut, DecodeError::Damaged { after_s } if after_s > 5.0 && after_s < 15.0), "{cut:?}");
    // From the second frame on nobody says how long it is, and the first frames are the smallest of all.
    let second = bytes.windows(2).enumerate().skip(4).find(|(_, two)| *two == bytes[..2].as_ref()).unwrap().0;
    std::fs::write(&file, &bytes[second..]).unwrap();
    let untold = decode(&file).unwrap();
    assert!(untold.frames().abs_diff(whole) < 4000, "{} of {whole}", untold.frames());
    assert_eq!(untold.remarks, Remarks::default());
}
