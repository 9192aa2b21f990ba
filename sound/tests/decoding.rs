//! What files of sound are read as, and what is refused.
#![allow(missing_docs, clippy::unwrap_used)] // a test may say what must hold by failing

use zinc_sound::{DecodeError, decode};

fn refused(bytes: &[u8]) -> DecodeError {
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), bytes).unwrap();
    decode(file.path()).err().unwrap()
}

fn wav(bits: u16, format: hound::SampleFormat, channels: u16, frames: u32) -> Vec<u8> {
    let spec = hound::WavSpec { channels, sample_rate: 48_000, bits_per_sample: bits, sample_format: format };
    let mut bytes = std::io::Cursor::new(Vec::new());
    let mut writer = hound::WavWriter::new(&mut bytes, spec).unwrap();
    for i in 0..frames * u32::from(channels) {
        match format {
            hound::SampleFormat::Float => writer.write_sample(i as f32 / 1000.0).unwrap(),
            hound::SampleFormat::Int => writer.write_sample((i % 100) as i32).unwrap(),
        }
    }
    writer.finalize().unwrap();
    bytes.into_inner()
}

#[test]
fn every_wav_layout_reads_back_the_samples_written() {
    for (bits, format, scale) in [
        (8, hound::SampleFormat::Int, 128.0),
        (16, hound::SampleFormat::Int, 32_768.0),
        (24, hound::SampleFormat::Int, 8_388_608.0),
        (32, hound::SampleFormat::Int, 2_147_483_648.0),
        (32, hound::SampleFormat::Float, 0.0),
    ] {
        let file = tempfile::NamedTempFile::new().unwrap();
        std::fs::write(file.path(), wav(bits, format, 2, 300)).unwrap();
        let sound = decode(file.path()).unwrap();
        assert_eq!((sound.channels, sound.rate, sound.frames()), (2, 48_000, 300), "{bits} {format:?}");
        for (i, x) in sound.samples.iter().enumerate() {
            let want = if scale == 0.0 { i as f32 / 1000.0 } else { (i % 100) as f32 / scale };
            assert!((x - want).abs() < 1e-6, "{bits} {format:?} sample {i}");
        }
    }
}

/// Files broken at random: bytes changed, cut, doubled. Runs for two seconds, or for
/// as many as `ZINC_FUZZ_SECONDS` says; start files from the folder `ZINC_FUZZ_CORPUS`.
#[test]
fn broken_files_are_refused_or_read_and_never_crash() {
    let seconds = std::env::var("ZINC_FUZZ_SECONDS").ok().and_then(|s| s.parse().ok()).unwrap_or(2);
    let mut corpus = vec![wav(16, hound::SampleFormat::Int, 2, 4000), wav(24, hound::SampleFormat::Int, 1, 4000)];
    corpus.push(wav(32, hound::SampleFormat::Float, 2, 4000));
    if let Ok(folder) = std::env::var("ZINC_FUZZ_CORPUS") {
        corpus.extend(std::fs::read_dir(folder).unwrap().flatten().map(|f| std::fs::read(f.path()).unwrap()));
    }
    let mut state = 0x9E37_79B9_7F4A_7C15u64;
    let mut next = move |below: usize| {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        (state % below.max(1) as u64) as usize
    };
    let file = tempfile::NamedTempFile::new().unwrap();
    let begun = std::time::Instant::now();
    let (mut read, mut refused) = (0u32, 0u32);
    // A slow disk gets more time, but not for ever: a decoder that refuses all must fail.
    let wanting = |read: u32, refused: u32| (read <= 10 || refused <= 10) && read + refused < 500;
    while begun.elapsed().as_secs() < seconds || wanting(read, refused) {
        let mut bytes = corpus[next(corpus.len())].clone();
        for _ in 0..=next(8) {
            // Mostly in the head, where sizes and counts are.
            let at = if next(3) > 0 { next(bytes.len().min(200)) } else { next(bytes.len()) };
            match next(5) {
                0 => bytes[at] ^= 1 << next(8),
                1 => bytes[at] = [0, 0x7F, 0x80, 0xFF][next(4)],
                2 => bytes.truncate(at + 1),
                3 => bytes.extend_from_within(at..),
                _ => bytes[at] = next(256) as u8,
            }
            bytes.truncate(1 << 20);
        }
        std::fs::write(file.path(), &bytes).unwrap();
        let _ = zinc_sound::riff::riff_notes(file.path());
        match decode(file.path()) {
            Ok(sound) => {
                assert!(sound.samples.iter().all(|x| x.is_finite()));
                read += 1;
            }
            Err(_) => refused += 1,
        }
    }
    println!("{read} read, {refused} refused");
    assert!(read > 10 && refused > 10, "both happened: {read} read, {refused} refused");
}

#[test]
fn what_cannot_be_used_is_told_apart() {
    assert_eq!(refused(b""), DecodeError::NoBytes);
    assert_eq!(refused(b"these are only words and no sound"), DecodeError::NotAudio);
    assert_eq!(refused(&wav(16, hound::SampleFormat::Int, 8, 300)), DecodeError::Channels(8));
    let whole = wav(16, hound::SampleFormat::Int, 1, 48_000);
    let cut = refused(&whole[..whole.len() / 2]);
    assert!(matches!(cut, DecodeError::Damaged { after_s } if after_s < 0.6), "{cut:?}");
    assert_eq!(refused(&wav(16, hound::SampleFormat::Int, 1, 0)), DecodeError::Empty);
}
