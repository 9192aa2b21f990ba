//! WAV files that are too long for 32 bits, that nobody finished, or that hold no numbers.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use std::io::{Cursor, Seek, SeekFrom, Write};
use std::process::Command;

use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_sound::{Bits, DecodeError, Decoded, Decoder, Remarks, WavWriter, decode};

const FRAMES: u32 = 1000;
/// Bytes of the head that the independent writer makes of 24 bits.
const HOUND_HEAD: usize = 68;

/// A file as an independent writer makes it.
fn by_another<S: hound::Sample>(channels: u16, bits: u16, format: hound::SampleFormat, samples: Vec<S>) -> Vec<u8> {
    let spec = hound::WavSpec { channels, sample_rate: 48_000, bits_per_sample: bits, sample_format: format };
    let mut bytes = Cursor::new(Vec::new());
    let mut writer = hound::WavWriter::new(&mut bytes, spec).unwrap();
    samples.into_iter().for_each(|x| writer.write_sample(x).unwrap());
    writer.finalize().unwrap();
    bytes.into_inner()
}

/// A stereo file of 24 bits, counting up, by an independent writer.
fn counting() -> Vec<u8> {
    let bytes = by_another(2, 24, hound::SampleFormat::Int, (0..2 * FRAMES as i32).collect());
    assert_eq!(&bytes[HOUND_HEAD - 8..HOUND_HEAD - 4], b"data");
    bytes
}

fn read(bytes: &[u8]) -> Result<Decoded, DecodeError> {
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), bytes).unwrap();
    decode(file.path())
}

fn assert_counts(sound: &Decoded, frames: usize, what: &str) {
    assert_eq!((sound.channels, sound.frames()), (2, frames), "{what}");
    for (n, x) in sound.samples.iter().enumerate() {
        assert_eq!(*x, n as f32 / 8_388_608.0, "{what}: sample {n}");
    }
}

/// The same file with these sizes of the whole and of the sound.
fn with_sizes(mut bytes: Vec<u8>, whole: u32, sound: u32) -> Vec<u8> {
    bytes[4..8].copy_from_slice(&whole.to_le_bytes());
    bytes[HOUND_HEAD - 4..HOUND_HEAD].copy_from_slice(&sound.to_le_bytes());
    bytes
}

#[test]
fn a_file_whose_recorder_lost_power_is_read_to_the_end_of_what_is_there_and_it_is_said() {
    for size in [0, 0x7FFF_FFFF, u32::MAX] {
        for whole in [0, 36, 0x7FFF_FFFF, u32::MAX] {
            let sound = read(&with_sizes(counting(), whole, size)).unwrap();
            assert_counts(&sound, FRAMES as usize, &format!("{whole:x} {size:x}"));
            assert_eq!(sound.remarks, Remarks { is_unfinished: true, ..Remarks::default() });
            assert!(sound.remarks.words().contains("header was never finished"));
        }
        // It stopped within a frame.
        let mut broken = with_sizes(counting(), 0, size);
        broken.truncate(broken.len() - 4);
        assert_counts(&read(&broken).unwrap(), FRAMES as usize - 1, "within a frame");
    }
    // One that is cut short says how long it should be, and one that is empty that it is.
    let cut = with_sizes(counting(), HOUND_HEAD as u32 - 8 + 9000, 9000);
    assert!(matches!(read(&cut), Err(DecodeError::Damaged { .. })));
    let mut empty = counting();
    empty.truncate(HOUND_HEAD);
    assert_eq!(read(&with_sizes(empty, HOUND_HEAD as u32 - 8, 0)).err(), Some(DecodeError::Empty));
}

/// The same sound with the sizes in a chunk of their own, and notes after it.
fn long(magic: &[u8; 4], sound_bytes: u64) -> Vec<u8> {
    let plain = counting();
    let mut bytes = Vec::new();
    bytes.extend(magic);
    bytes.extend([0xFF; 4]);
    bytes.extend(b"WAVEds64");
    bytes.extend(28u32.to_le_bytes());
    bytes.extend(((plain.len() + 36 - 8 + 18) as u64).to_le_bytes());
    bytes.extend(sound_bytes.to_le_bytes());
    bytes.extend(u64::from(FRAMES).to_le_bytes());
    bytes.extend(0u32.to_le_bytes());
    bytes.extend(&plain[12..HOUND_HEAD - 4]);
    bytes.extend([0xFF; 4]);
    bytes.extend(&plain[HOUND_HEAD..]);
    bytes.extend(b"LIST");
    bytes.extend(10u32.to_le_bytes());
    bytes.extend(b"INFOsounds");
    bytes
}

#[test]
fn files_of_long_sizes_are_read_and_what_follows_their_sound_is_none() {
    for magic in [b"RF64", b"BW64"] {
        let sound = read(&long(magic, 6 * u64::from(FRAMES))).unwrap();
        assert_counts(&sound, FRAMES as usize, "long sizes");
        assert_eq!(sound.remarks, Remarks::default());
        // It says that there is more than there is.
        assert!(matches!(read(&long(magic, 1 << 40)), Err(DecodeError::Damaged { .. })));
    }
}

#[test]
fn what_is_no_number_is_silence_is_counted_and_leaves_all_else_as_it_is() {
    let bad = [(10, f32::NAN), (500, f32::INFINITY), (501, f32::NEG_INFINITY), (900, 3e38), (901, -1e12)];
    let written = |n: u32| bad.iter().find(|(at, _)| *at == n).map_or(n as f32 / 100.0, |(_, x)| *x);
    let bytes = by_another(1, 32, hound::SampleFormat::Float, (0..FRAMES).map(written).collect());
    let sound = read(&bytes).unwrap();
    for (n, x) in (0..FRAMES).zip(&sound.samples) {
        assert_eq!(*x, if bad.iter().any(|(at, _)| *at == n) { 0.0 } else { n as f32 / 100.0 });
    }
    assert_eq!(sound.remarks, Remarks { not_sound: 5, ..Remarks::default() });
    assert_eq!(sound.remarks.words(), ", 5 invalid samples (not a number, or infinite) were set to silence");
}

/// Keeps the head of what is written and counts the rest.
#[derive(Default)]
struct Head {
    bytes: Vec<u8>,
    at: u64,
    end: u64,
}

impl Write for Head {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        for (byte, at) in bytes.iter().zip(self.at..200) {
            self.bytes.resize(self.bytes.len().max(at as usize + 1), 0);
            self.bytes[at as usize] = *byte;
        }
        self.at += bytes.len() as u64;
        self.end = self.end.max(self.at);
        Ok(bytes.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

impl Seek for Head {
    fn seek(&mut self, to: SeekFrom) -> std::io::Result<u64> {
        let SeekFrom::Start(at) = to else { panic!("only from the start") };
        self.at = at;
        Ok(at)
    }
}

/// What an independent reader says of a file.
fn said_of(file: &std::path::Path) -> String {
    let out =
        Command::new("sndfile-info").arg(file).output().expect("apt-get install sndfile-programs (./zinc test does)");
    String::from_utf8_lossy(&out.stdout).into_owned()
}

#[test]
fn a_print_of_more_than_four_gigabytes_says_how_long_it_is() {
    // Three and a quarter hours in stereo.
    let blocks = 3.25 * 3600.0 * 48_000.0 / BLOCK as f64;
    let frames = blocks as u64 * BLOCK as u64;
    let mut kept = Head::default();
    let mut writer = WavWriter::to(&mut kept, 2, 48_000, Bits::Float32).unwrap();
    let block = StereoBlock::SILENT;
    for _ in 0..blocks as u64 {
        writer.write(&block, BLOCK).unwrap();
    }
    writer.finish().unwrap();
    assert!(kept.end > 1 << 32, "{} bytes", kept.end);
    // The same file on a disk that holds no silence.
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("long.wav");
    let mut file = std::fs::File::create(&path).unwrap();
    file.write_all(&kept.bytes[..(kept.end.min(200)) as usize]).unwrap();
    file.set_len(kept.end).unwrap();
    let said = said_of(&path);
    assert!(said.contains(&format!("Frames      : {frames}")) && said.contains("RF64"), "{said}");
    let mut decoder = Decoder::open(&path).unwrap();
    let part = decoder.next_part().unwrap().unwrap().len();
    assert!(part > 0 && (decoder.channels(), decoder.rate()) == (2, 48_000));
    let share = part as f64 / 2.0 / frames as f64;
    assert!((decoder.share() / share - 1.0).abs() < 1e-9, "{} is not {share}", decoder.share());
}

#[test]
fn a_short_print_is_a_plain_file_to_an_independent_reader() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("short.wav");
    for (bits, channels, step) in [(Bits::Int24, 1, 1.0 / 8_388_608.0), (Bits::Float32, 2, 0.0)] {
        let mut writer = WavWriter::create(&path, channels, 44_100, bits).unwrap();
        let mut block = StereoBlock::SILENT;
        (0..101).for_each(|i| (block.left[i], block.right[i]) = (i as f32 / 100.0 - 0.5, 0.25));
        writer.write(&block, 101).unwrap();
        assert_eq!(writer.finish().unwrap(), 0);
        let mut reader = hound::WavReader::open(&path).unwrap();
        assert_eq!((reader.spec().channels as usize, reader.spec().sample_rate), (channels, 44_100));
        let samples: Vec<f32> = match bits {
            Bits::Int24 => reader.samples::<i32>().map(|x| x.unwrap() as f32 / 8_388_608.0).collect(),
            Bits::Float32 => reader.samples::<f32>().map(|x| x.unwrap()).collect(),
        };
        assert_eq!(samples.len(), 101 * channels);
        for (i, frame) in samples.chunks_exact(channels).enumerate() {
            assert!((frame[0] - (i as f32 / 100.0 - 0.5)).abs() <= step, "{i}: {frame:?}");
            assert!(channels == 1 || frame[1] == 0.25);
        }
    }
}
