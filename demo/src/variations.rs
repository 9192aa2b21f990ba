//! Recordings like the demo's but other ones: other stretches, pitches, colours and
//! noise floors, seeded. For fitting and testing what is guessed from sound.

use zinc_core::measure::features::{FeatureMeter, Features};
use zinc_core::session::Part;

use crate::player::Chance;
use crate::stems::STEMS;
use crate::tools::{FS, add_noise, high_shelf, low_cut, low_shelf, mono, mono_blocks, set_peak, shape};

/// The part each stem plays, and its sound as one channel.
#[must_use]
pub fn played() -> Vec<(Part, Vec<f32>)> {
    STEMS.iter().map(|s| (Part::from_name(s.name), mono(&(s.render)().channels))).collect()
}

/// Another recording of the same instrument: a stretch of it at another pitch, through
/// another chain.
#[must_use]
pub fn varied(sound: &[f32], seed: u64) -> Vec<f32> {
    let mut chance = Chance::new(seed);
    let mut between = |low: f64, high: f64| low + (high - low) * chance.unit();
    let pitch = between(0.84, 1.19);
    let stretch = cut(sound, between(0.0, 1.0), between(14.0, 40.0), pitch);
    let (low_db, high_db) = (between(-4.0, 4.0), between(-4.0, 4.0));
    let (cut_hz, floor_db, peak_db) = (between(20.0, 45.0), between(-85.0, -62.0), between(-14.0, -1.0));
    let mut channels = vec![stretch];
    shape(&mut channels[0], &[low_cut(cut_hz), low_shelf(250.0, low_db), high_shelf(2500.0, high_db)]);
    set_peak(&mut channels, peak_db);
    add_noise(&mut channels[0], seed, floor_db, &[]);
    channels.remove(0)
}

/// A stretch in which it plays, at another pitch (by linear interpolation, which is
/// good enough for figures that look at regions an octave and a half wide).
fn cut(sound: &[f32], place: f64, seconds: f64, pitch: f64) -> Vec<f32> {
    let needed = ((seconds * FS * pitch) as usize).min(sound.len() - 2);
    let energy = |from: usize| sound[from..from + needed].iter().map(|x| f64::from(x * x)).sum::<f64>();
    let all = sound.iter().map(|x| f64::from(x * x)).sum::<f64>();
    let fair = 0.3 * all * needed as f64 / sound.len() as f64;
    let last = sound.len() - needed - 1;
    let tries = (0..20).map(|i| ((place + f64::from(i) / 20.0).fract() * last as f64) as usize);
    let from = tries.clone().find(|at| energy(*at) > fair).unwrap_or(0);
    (0..(needed as f64 / pitch) as usize)
        .map(|i| {
            let at = from as f64 + i as f64 * pitch;
            let (n, f) = (at as usize, at.fract() as f32);
            sound[n] + (sound[n + 1] - sound[n]) * f
        })
        .collect()
}

/// The figures of a mono sound.
#[must_use]
pub fn features(sound: &[f32]) -> Features {
    let mut meter = FeatureMeter::new(FS);
    for (block, frames) in mono_blocks(sound) {
        meter.push(&block, frames);
    }
    meter.finish()
}
