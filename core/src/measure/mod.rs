//! From sound to figures: levels, loudness, spectra, responses.
//!
//! Conventions: 0 dBFS is a sample of magnitude 1; RMS is plain (a full-scale
//! sine reads -3.01 dB); loudness in LUFS by ITU-R BS.1770-4; crest is sample
//! peak minus RMS.

pub mod alignment;
pub mod audibility;
pub mod collision;
pub mod cycle;
pub mod decay;
pub mod difference;
pub mod events;
pub mod features;
pub mod file;
pub mod floor;
pub mod heard;
pub mod impulse;
pub mod intake;
pub mod level;
pub mod loudness;
pub mod moments;
pub mod overview;
pub mod probe;
pub mod prototypes;
pub mod raw;
pub mod rings;
pub mod test_signal;
pub mod third_octave;
pub mod treatment;
pub mod true_peak;
pub mod width;

pub use difference::Difference;
pub use level::LevelMeter;
pub use loudness::{LoudnessMeter, integrated_lufs};
pub use third_octave::ThirdOctaves;
pub use true_peak::TruePeakMeter;
pub use width::WidthMeter;
