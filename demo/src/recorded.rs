//! How recorded instruments measure: long-term octave levels and crest, and the same figures
//! of any sound.

use zinc_core::signal::math::{TAU, cos};

use crate::tools::FS;

/// Centres of the octaves in Hz.
pub const OCTAVES_HZ: [f64; 10] = [31.5, 63.0, 125.0, 250.0, 500.0, 1000.0, 2000.0, 4000.0, 8000.0, 16_000.0];

/// Frames of one look.
const WINDOW: usize = 8192;

/// Level of each octave in dB against the strongest: the mean power of a whole performance,
/// Hann windows of 8192 frames, half overlapping.
#[must_use]
pub fn octave_levels_db(sound: &[f32]) -> [f64; 10] {
    let fft = zinc_fourier::forward_f64(WINDOW);
    let hann: Vec<f64> = (0..WINDOW).map(|i| 0.5 - 0.5 * cos(TAU * i as f64 / WINDOW as f64)).collect();
    let (mut spectrum, mut power) = (fft.make_output_vec(), [0.0f64; 10]);
    for start in (0..sound.len().saturating_sub(WINDOW)).step_by(WINDOW / 2) {
        let mut look: Vec<f64> =
            sound[start..start + WINDOW].iter().zip(&hann).map(|(x, w)| f64::from(*x) * w).collect();
        if fft.process(&mut look, &mut spectrum).is_err() {
            continue;
        }
        for (k, bin) in spectrum.iter().enumerate() {
            if let Some(octave) = octave_of(k as f64 * FS / WINDOW as f64) {
                power[octave] += bin.norm_sqr();
            }
        }
    }
    let strongest = power.iter().fold(1e-30, |m: f64, p| m.max(*p));
    power.map(|p| 10.0 * (p.max(1e-30) / strongest).log10())
}

fn octave_of(hz: f64) -> Option<usize> {
    OCTAVES_HZ.iter().position(|centre| (0.5f64.sqrt()..2f64.sqrt()).contains(&(hz / centre)))
}

/// Peak over RMS in dB.
#[must_use]
pub fn crest_db(sound: &[f32]) -> f64 {
    let peak = sound.iter().fold(0.0f64, |m, x| m.max(f64::from(x.abs())));
    let power = sound.iter().map(|x| f64::from(*x).powi(2)).sum::<f64>() / sound.len().max(1) as f64;
    20.0 * (peak / power.sqrt().max(1e-12)).log10()
}

/// What recordings of one instrument measure: lowest and highest.
#[derive(Clone, Copy, Debug)]
pub struct Recorded {
    /// Its name.
    pub name: &'static str,
    /// By octave, in dB against the strongest.
    pub octaves_db: [[f64; 2]; 10],
    /// Peak over RMS in dB.
    pub crest_db: [f64; 2],
}

/// A row as it is written down.
const fn row(name: &'static str, octaves_db: [[f64; 2]; 10], crest_db: [f64; 2]) -> Recorded {
    Recorded { name, octaves_db, crest_db }
}

/// Bass, fingered.
pub const BASS_FINGERED: Recorded = row(
    "bass, fingered",
    [
        [-10.0, -10.0],
        [-3.0, 0.0],
        [0.0, 0.0],
        [-2.0, 0.0],
        [-14.0, -9.0],
        [-26.0, -24.0],
        [-37.0, -30.0],
        [-54.0, -35.0],
        [-66.0, -49.0],
        [-71.0, -53.0],
    ],
    [14.0, 14.0],
);

/// Bass, picked.
pub const BASS_PICKED: Recorded = row(
    "bass, picked",
    [
        [-14.0, -9.0],
        [-7.0, -4.0],
        [0.0, 0.0],
        [-2.0, 0.0],
        [-10.0, -8.0],
        [-23.0, -16.0],
        [-29.0, -24.0],
        [-37.0, -34.0],
        [-51.0, -46.0],
        [-66.0, -50.0],
    ],
    [15.0, 17.0],
);

/// Guitar, clean electric.
pub const GUITAR_CLEAN_ELECTRIC: Recorded = row(
    "guitar, clean electric",
    [
        [-56.0, -45.0],
        [-54.0, -46.0],
        [-23.0, -23.0],
        [-13.0, -5.0],
        [-3.0, -1.0],
        [-5.0, 0.0],
        [-5.0, 0.0],
        [-5.0, -5.0],
        [-44.0, -6.0],
        [-46.0, -40.0],
    ],
    [16.0, 17.0],
);

/// Guitar, steel acoustic.
pub const GUITAR_STEEL_ACOUSTIC: Recorded = row(
    "guitar, steel acoustic",
    [
        [-61.0, -16.0],
        [-31.0, -12.0],
        [-4.0, -3.0],
        [-1.0, 0.0],
        [-3.0, 0.0],
        [-3.0, -2.0],
        [-11.0, -2.0],
        [-9.0, -6.0],
        [-13.0, -11.0],
        [-29.0, -21.0],
    ],
    [17.0, 18.0],
);

/// Electric piano (tines).
pub const ELECTRIC_PIANO_TINES: Recorded = row(
    "electric piano (tines)",
    [
        [-41.0, -38.0],
        [-19.0, -6.0],
        [-8.0, -4.0],
        [0.0, 0.0],
        [-3.0, -1.0],
        [-15.0, -10.0],
        [-29.0, -24.0],
        [-51.0, -31.0],
        [-64.0, -40.0],
        [-75.0, -57.0],
    ],
    [13.0, 14.0],
);

/// Organ (drawbar).
pub const ORGAN_DRAWBAR: Recorded = row(
    "organ (drawbar)",
    [
        [-51.0, -5.0],
        [-42.0, 0.0],
        [-5.0, -1.0],
        [-5.0, 0.0],
        [-9.0, -2.0],
        [-16.0, -8.0],
        [-26.0, -20.0],
        [-42.0, -31.0],
        [-60.0, -54.0],
        [-73.0, -60.0],
    ],
    [13.0, 14.0],
);

/// Cellos.
pub const CELLOS: Recorded = row(
    "cellos",
    [
        [-45.0, -45.0],
        [-25.0, -8.0],
        [-3.0, -2.0],
        [0.0, 0.0],
        [-3.0, -2.0],
        [-9.0, -5.0],
        [-10.0, -8.0],
        [-21.0, -16.0],
        [-32.0, -32.0],
        [-44.0, -40.0],
    ],
    [12.0, 13.0],
);

/// Violins.
pub const VIOLINS: Recorded = row(
    "violins",
    [
        [-65.0, -48.0],
        [-55.0, -47.0],
        [-50.0, -46.0],
        [-10.0, -10.0],
        [-2.0, 0.0],
        [-2.0, 0.0],
        [-2.0, -1.0],
        [-10.0, -5.0],
        [-22.0, -14.0],
        [-48.0, -29.0],
    ],
    [15.0, 16.0],
);

/// Kick.
pub const KICK: Recorded = row(
    "kick",
    [
        [-7.0, 0.0],
        [-5.0, -1.0],
        [-12.0, 0.0],
        [-23.0, -13.0],
        [-27.0, -22.0],
        [-35.0, -27.0],
        [-43.0, -19.0],
        [-51.0, -18.0],
        [-65.0, -27.0],
        [-53.0, -51.0],
    ],
    [12.0, 21.0],
);

/// Snare.
pub const SNARE: Recorded = row(
    "snare",
    [
        [-31.0, -28.0],
        [-28.0, -26.0],
        [-17.0, -13.0],
        [0.0, 0.0],
        [-8.0, -2.0],
        [-14.0, -4.0],
        [-14.0, -1.0],
        [-13.0, -1.0],
        [-15.0, -2.0],
        [-38.0, -12.0],
    ],
    [20.0, 25.0],
);

/// Overheads.
pub const OVERHEADS: Recorded = row(
    "overheads",
    [
        [-10.0, 0.0],
        [-4.0, 0.0],
        [-6.0, 0.0],
        [-7.0, -1.0],
        [-9.0, -8.0],
        [-13.0, -11.0],
        [-12.0, -8.0],
        [-9.0, -8.0],
        [-10.0, -7.0],
        [-15.0, -10.0],
    ],
    [18.0, 23.0],
);

/// A voice, sung without words between E4 and D5: the long-term spectra of speech above its
/// fundamentals (Byrne et al., J. Acoust. Soc. Am. 96, 1994), with the falls of softer and
/// harder voices either side.
pub const VOICE: Recorded = row(
    "voice",
    [
        [-80.0, -40.0],
        [-80.0, -40.0],
        [-70.0, -10.0],
        [-15.0, -1.0],
        [0.0, 0.0],
        [-10.0, -2.0],
        [-20.0, -10.0],
        [-24.0, -14.0],
        [-38.0, -18.0],
        [-50.0, -22.0],
    ],
    [12.0, 18.0],
);
