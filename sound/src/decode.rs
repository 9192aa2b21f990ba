//! Reads WAV, AIFF, FLAC, Ogg Vorbis and MP3 files packet by packet.

use std::fs::File;
use std::path::Path;

use symphonia::core::codecs::audio::well_known::CODEC_ID_MP3;
use symphonia::core::codecs::audio::{AudioDecoder, AudioDecoderOptions};
use symphonia::core::formats::probe::Hint;
use symphonia::core::formats::{FormatOptions, FormatReader, TrackType};
use symphonia::core::io::MediaSourceStream;
use symphonia::core::meta::MetadataOptions;
use symphonia::core::units::Duration;

use crate::trouble::in_words;
use crate::wave::WaveSource;

/// A sample whose magnitude is larger, 140 dB over full scale, is no sound any more than what is no number: resampled or
/// filtered it would become one that is not.
const LOUDEST: f32 = 1e7;
/// Packets of nothing but padding that an encoder leaves at the end of an MP3 file at most; with more it goes on.
const PADDING: usize = 2;
/// Lowest and highest sample rate of a file that can be used, in Hz.
const RATES: std::ops::RangeInclusive<u32> = 8_000..=384_000;

/// A decoded file, whole in memory: for the commands that work on one file.
pub struct Decoded {
    /// 1 or 2.
    pub channels: usize,
    /// Sample rate in Hz.
    pub rate: u32,
    /// Interleaved samples.
    pub samples: Vec<f32>,
    /// What is to be said of the file.
    pub remarks: Remarks,
}

impl Decoded {
    /// Frames.
    #[must_use]
    pub fn frames(&self) -> usize {
        self.samples.len() / self.channels
    }
}

/// What is to be said of a file that can be used.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Remarks {
    /// Samples that were no numbers, or none that are a sound; they are silence now.
    pub not_sound: u64,
    /// Whether its recorder never wrote how long it is, so that all that is there was read.
    pub is_unfinished: bool,
    /// Whether it goes on where its head says that it ends, as files do that were joined: all of it was read.
    pub goes_on: bool,
}

impl Remarks {
    /// In words, each with its comma, that read on after what else is said of the file.
    #[must_use]
    pub fn words(&self) -> String {
        let mut words = String::new();
        match self.not_sound {
            0 => {}
            1 => words += ", 1 invalid sample (not a number, or infinite) was set to silence",
            n => words += &format!(", {n} invalid samples (not a number, or infinite) were set to silence"),
        }
        if self.is_unfinished {
            words += ", read to the end of the file, since its header was never finished";
        }
        if self.goes_on {
            words += ", read to the end of the file, past the length in its header";
        }
        words
    }
}

/// Why a file cannot be used; reads on after the file's name.
#[derive(Debug, PartialEq)]
pub enum DecodeError {
    /// It cannot be opened or read.
    Unreadable(String),
    /// It is empty.
    NoBytes,
    /// It is no audio file of a known kind.
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
            Self::NoBytes => write!(f, "is empty: it holds no bytes at all"),
            Self::NotAudio => {
                write!(f, "is not audio this program can read (no WAV, AIFF, FLAC, Ogg Vorbis or MP3 header)")
            }
            Self::Damaged { after_s } => write!(f, "is damaged or cut short: only {after_s:.1} s of it can be read"),
            Self::Empty => write!(f, "holds no sound"),
            Self::Channels(n) => write!(f, "has {n} channels; mono and stereo files can be used"),
            Self::Rate(rate) => write!(f, "has a sample rate of {rate} Hz; 8 to 384 kHz can be used"),
        }
    }
}

impl std::error::Error for DecodeError {}

/// A file being read.
pub struct Decoder {
    format: Box<dyn FormatReader>,
    codec: Box<dyn AudioDecoder>,
    track: u32,
    /// Frames the file says it holds.
    promised: Option<u64>,
    /// 1 or 2; 0 before the first packet.
    channels: usize,
    rate: u32,
    frames: u64,
    part: Vec<f32>,
    /// Whether no head has to be believed where it ends.
    ends_anywhere: bool,
    /// Packets after the end that its head tells, and what is in them.
    beyond: (usize, Vec<f32>),
    remarks: Remarks,
}

impl Decoder {
    /// Opens a file.
    ///
    /// # Errors
    /// See [`DecodeError`].
    pub fn open(path: &Path) -> Result<Self, DecodeError> {
        contained(|| Self::open_any(path)).unwrap_or(Err(DecodeError::NotAudio))
    }

    fn open_any(path: &Path) -> Result<Self, DecodeError> {
        let unreadable = |e: std::io::Error| DecodeError::Unreadable(in_words(&e));
        let file = File::open(path).map_err(unreadable)?;
        if file.metadata().map_err(unreadable)?.len() == 0 {
            return Err(DecodeError::NoBytes);
        }
        let wave = WaveSource::open(file).map_err(unreadable)?;
        let (long, is_unfinished) = (wave.promised, wave.is_unfinished);
        let stream = MediaSourceStream::new(Box::new(wave), Default::default());
        let format = symphonia::default::get_probe()
            .probe(&Hint::new(), stream, FormatOptions::default(), MetadataOptions::default())
            .map_err(|_| DecodeError::NotAudio)?;
        let track = format.default_track(TrackType::Audio).ok_or(DecodeError::NotAudio)?;
        let params = track.codec_params.as_ref().and_then(|p| p.audio()).ok_or(DecodeError::NotAudio)?;
        if let Some(count) = params.channels.as_ref().map(|c| c.count()).filter(|n| *n > 2) {
            return Err(DecodeError::Channels(count));
        }
        let rate = params.sample_rate.unwrap_or(0);
        let ends_anywhere = params.codec == CODEC_ID_MP3;
        // Without the encoder's own tag the library has estimated how long an MP3 file is.
        let is_counted = !ends_anywhere || track.delay.is_some();
        let (track, promised) = (track.id, long.or(track.num_frames.filter(|_| is_counted)));
        let codec = symphonia::default::get_codecs()
            .make_audio_decoder(params, &AudioDecoderOptions::default())
            .map_err(|_| DecodeError::NotAudio)?;
        Ok(Self {
            format,
            codec,
            track,
            promised,
            channels: 0,
            rate,
            frames: 0,
            part: Vec::new(),
            ends_anywhere,
            beyond: (0, Vec::new()),
            remarks: Remarks { is_unfinished, ..Remarks::default() },
        })
    }

    /// The next stretch, interleaved; `None` at the end. Channels and rate are known
    /// from the first one on.
    ///
    /// # Errors
    /// See [`DecodeError`].
    pub fn next_part(&mut self) -> Result<Option<&[f32]>, DecodeError> {
        let goes_on = contained(|| self.advance()).unwrap_or_else(|| self.end(true).map(|()| false))?;
        Ok(goes_on.then_some(&self.part))
    }

    /// Decodes the next stretch; whether there is one.
    fn advance(&mut self) -> Result<bool, DecodeError> {
        loop {
            let mut packet = match self.format.next_packet() {
                Ok(Some(packet)) => packet,
                Ok(None) => return self.end(false).map(|()| false),
                Err(_) => return self.end(true).map(|()| false),
            };
            if packet.track_id != self.track {
                continue;
            }
            // An MP3 file ends where it ends, whatever its head has counted or a reader has estimated.
            let is_past = self.ends_anywhere && packet.trim_end >= packet.dur && packet.trim_end > Duration::ZERO;
            let is_beyond = is_past && self.promised.is_some();
            if is_beyond || self.ends_anywhere && self.promised.is_none() {
                packet.trim_end = Duration::ZERO;
            }
            let Ok(buffer) = self.codec.decode(&packet) else {
                return self.end(true).map(|()| false);
            };
            let (channels, rate) = (buffer.spec().channels().count(), buffer.spec().rate());
            if !(1..=2).contains(&channels) {
                return Err(DecodeError::Channels(channels));
            }
            if !RATES.contains(&rate) {
                return Err(DecodeError::Rate(rate));
            }
            if self.frames > 0 && (channels, rate) != (self.channels, self.rate) {
                // A stream that changes its own layout is not one recording.
                return self.end(true).map(|()| false);
            }
            (self.channels, self.rate) = (channels, rate);
            let samples = buffer.samples_interleaved();
            if samples == 0 {
                continue;
            }
            self.part.resize(samples, 0.0);
            buffer.copy_to_slice_interleaved(&mut self.part);
            // Not a number is not within any range.
            for sample in self.part.iter_mut().filter(|x| !(-LOUDEST..=LOUDEST).contains(*x)) {
                *sample = 0.0;
                self.remarks.not_sound += 1;
            }
            if is_beyond && !self.remarks.goes_on {
                self.beyond.0 += 1;
                self.beyond.1.append(&mut self.part);
                if self.beyond.0 <= PADDING {
                    continue;
                }
                self.remarks.goes_on = true;
                self.part = std::mem::take(&mut self.beyond.1);
            }
            self.frames += (self.part.len() / channels) as u64;
            return Ok(true);
        }
    }

    /// What an end here means.
    fn end(&self, broken: bool) -> Result<(), DecodeError> {
        let short = self.promised.is_some_and(|n| self.frames < n);
        if broken || short {
            return Err(DecodeError::Damaged { after_s: self.frames as f64 / f64::from(self.rate.max(1)) });
        }
        if self.frames == 0 { Err(DecodeError::Empty) } else { Ok(()) }
    }

    /// What is to be said of what has been read.
    #[must_use]
    pub fn remarks(&self) -> Remarks {
        self.remarks
    }

    /// 1 or 2.
    #[must_use]
    pub fn channels(&self) -> usize {
        self.channels
    }

    /// Sample rate in Hz; before the first stretch what the file's head says, 0 where it does not.
    #[must_use]
    pub fn rate(&self) -> u32 {
        self.rate
    }

    /// Share read so far, 0..1, where the file says how long it is.
    #[must_use]
    pub fn share(&self) -> f64 {
        self.promised.map_or(0.5, |n| (self.frames as f64 / n.max(1) as f64).min(1.0))
    }
}

/// What `work` gives; none where a library panics on a file that no library foresaw: it is lost with that file and nothing else.
fn contained<T>(work: impl FnOnce() -> T) -> Option<T> {
    std::panic::catch_unwind(std::panic::AssertUnwindSafe(work)).ok()
}

/// Reads a whole file.
///
/// # Errors
/// See [`DecodeError`].
pub fn decode(path: &Path) -> Result<Decoded, DecodeError> {
    let mut decoder = Decoder::open(path)?;
    let mut samples = Vec::new();
    while let Some(part) = decoder.next_part()? {
        samples.extend_from_slice(part);
    }
    Ok(Decoded { channels: decoder.channels(), rate: decoder.rate(), samples, remarks: decoder.remarks() })
}
