//! Reads WAV and FLAC files, and resamples what has another rate.

use std::fs::File;
use std::path::Path;

use rubato::audioadapter_buffers::direct::InterleavedSlice;
use rubato::{Fft, FixedSync, Resampler};
use symphonia::core::codecs::audio::AudioDecoderOptions;
use symphonia::core::formats::probe::Hint;
use symphonia::core::formats::{FormatOptions, TrackType};
use symphonia::core::io::MediaSourceStream;
use symphonia::core::meta::MetadataOptions;

/// A decoded file.
pub struct Decoded {
    /// 1 or 2.
    pub channels: usize,
    /// Sample rate in Hz.
    pub rate: u32,
    /// Interleaved samples.
    pub samples: Vec<f32>,
}

/// Why a file cannot be used; reads on after the file's name.
#[derive(Debug)]
pub enum DecodeError {
    /// It cannot be opened or read.
    Unreadable(String),
    /// It is not a WAV or FLAC file.
    NotAudio,
    /// It starts as audio and then goes wrong.
    Damaged {
        /// Seconds that could be read.
        after_s: f64,
    },
    /// It holds no sound.
    Empty,
    /// More than two channels.
    Channels(usize),
    /// A rate no session has.
    Rate(u32),
}

impl std::fmt::Display for DecodeError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::Unreadable(why) => write!(f, "cannot be read ({why})"),
            Self::NotAudio => write!(f, "is not audio this program can read (no WAV or FLAC header)"),
            Self::Damaged { after_s } => write!(f, "is damaged or cut short: only {after_s:.1} s of it can be read"),
            Self::Empty => write!(f, "holds no sound"),
            Self::Channels(n) => write!(f, "has {n} channels; mono and stereo files can be used"),
            Self::Rate(rate) => write!(f, "has a sample rate of {rate} Hz; 8 to 384 kHz can be used"),
        }
    }
}

impl std::error::Error for DecodeError {}

/// Reads a whole file.
///
/// # Errors
/// See [`DecodeError`].
pub fn decode(path: &Path) -> Result<Decoded, DecodeError> {
    let file = File::open(path).map_err(|e| DecodeError::Unreadable(e.to_string()))?;
    let stream = MediaSourceStream::new(Box::new(file), Default::default());
    let mut format = symphonia::default::get_probe()
        .probe(&Hint::new(), stream, FormatOptions::default(), MetadataOptions::default())
        .map_err(|_| DecodeError::NotAudio)?;
    let track = format.default_track(TrackType::Audio).ok_or(DecodeError::NotAudio)?;
    let params = track.codec_params.as_ref().and_then(|p| p.audio()).ok_or(DecodeError::NotAudio)?;
    let (track_id, promised) = (track.id, track.num_frames);
    let mut decoder = symphonia::default::get_codecs()
        .make_audio_decoder(params, &AudioDecoderOptions::default())
        .map_err(|_| DecodeError::NotAudio)?;
    let mut samples: Vec<f32> = Vec::new();
    let (mut channels, mut rate) = (0usize, 0u32);
    let mut part = Vec::new();
    let mut broken = false;
    loop {
        let packet = match format.next_packet() {
            Ok(Some(packet)) => packet,
            Ok(None) => break,
            Err(_) => {
                broken = true;
                break;
            }
        };
        if packet.track_id != track_id {
            continue;
        }
        let Ok(buffer) = decoder.decode(&packet) else {
            broken = true;
            break;
        };
        (channels, rate) = (buffer.spec().channels().count(), buffer.spec().rate());
        if !(1..=2).contains(&channels) {
            return Err(DecodeError::Channels(channels));
        }
        part.resize(buffer.samples_interleaved(), 0.0);
        buffer.copy_to_slice_interleaved(&mut part);
        samples.extend_from_slice(&part);
    }
    let frames = samples.len() / channels.max(1);
    let short = promised.is_some_and(|n| (frames as u64) < n);
    if broken || short {
        return Err(DecodeError::Damaged { after_s: frames as f64 / f64::from(rate.max(1)) });
    }
    if frames == 0 {
        return Err(DecodeError::Empty);
    }
    if !(8_000..=384_000).contains(&rate) {
        return Err(DecodeError::Rate(rate));
    }
    Ok(Decoded { channels, rate, samples })
}

impl Decoded {
    /// Frames.
    #[must_use]
    pub fn frames(&self) -> usize {
        self.samples.len() / self.channels
    }

    /// The same sound at another rate, by synchronous FFT resampling.
    ///
    /// # Errors
    /// A rate the resampler cannot make.
    pub fn resampled(self, rate: u32) -> Result<Self, DecodeError> {
        if rate == self.rate {
            return Ok(self);
        }
        let unusable = |_| DecodeError::Rate(self.rate);
        let mut resampler = Fft::<f32>::new(self.rate as usize, rate as usize, 1024, self.channels, FixedSync::Both)
            .map_err(|_| DecodeError::Rate(self.rate))?;
        let frames = self.frames();
        let input = InterleavedSlice::new(&self.samples[..], self.channels, frames)
            .map_err(|_| DecodeError::Rate(self.rate))?;
        let output = resampler.process_all(&input, frames, None).map_err(unusable)?;
        Ok(Self { channels: self.channels, rate, samples: output.take_data() })
    }
}
