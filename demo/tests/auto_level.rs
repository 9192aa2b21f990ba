//! Auto level on every track of the demo: whatever the curve, the loudness stays.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::{Value, json};
use zinc_core::measure::loudness::{LoudnessMeter, integrated_lufs};
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_demo::song::RATE;
use zinc_demo::stems::{STEMS, Stem};

/// The tracks, for threads to share.
static ALL: [Stem; 14] = STEMS;
/// Random curves tried on each track.
const CURVES: usize = 3;

/// A number from 0 to 1.
fn chance(seed: &mut u64) -> f64 {
    *seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
    (*seed >> 11) as f64 / (1u64 << 53) as f64
}

/// Five bands up to 12 dB either way, anywhere, of any width; every third curve in linear
/// phase, every third drawn.
fn curve(kind: usize, seed: &mut u64) -> RackSpec {
    let mut place = || (40.0 * 300f64.powf(chance(seed)), 24.0 * chance(seed) - 12.0);
    let places: Vec<_> = (0..5).map(|_| place()).collect();
    let unit = if kind == 2 {
        let points: Vec<Value> = places.iter().map(|(hz, db)| json!({"freq_hz": hz, "gain_db": db})).collect();
        json!({"kind": "drawn-eq", "params": {"points": points, "auto_level": true}})
    } else {
        let shapes = ["low-shelf", "bell", "bell", "bell", "high-shelf"];
        let band =
            |((hz, db), shape)| json!({"shape": shape, "freq_hz": hz, "gain_db": db, "q": 0.4 + 2.0 * chance(seed)});
        let bands: Vec<Value> = places.into_iter().zip(shapes).map(band).collect();
        let phase = ["minimum", "linear"][kind];
        json!({"kind": "surgical-eq", "params": {"bands": bands, "phase": phase, "auto_level": true}})
    };
    RackSpec::from_json(&json!({"zinc_rack": 1, "units": [unit]})).unwrap()
}

/// Loudness of a track before and after a rack, whose lateness is taken off as prints do.
fn loudness(channels: &[Vec<f32>], spec: &RackSpec) -> [f64; 2] {
    let mut rack = Rack::new(spec, f64::from(RATE));
    let (frames, latency) = (channels[0].len(), rack.latency());
    let sample = |channel: usize, at: usize| channels[channel].get(at).copied().unwrap_or(0.0);
    let mut out = [Vec::new(), Vec::new()];
    for at in (0..frames + latency).step_by(BLOCK) {
        let mut block = StereoBlock::SILENT;
        for i in 0..BLOCK {
            (block.left[i], block.right[i]) = (sample(0, at + i), sample(channels.len() - 1, at + i));
        }
        rack.process(&mut block);
        out[0].extend_from_slice(&block.left);
        out[1].extend_from_slice(&block.right);
    }
    let before = [&channels[0][..], &channels[channels.len() - 1][..]];
    [lufs(before), lufs(out.each_ref().map(|side| &side[latency..latency + frames]))]
}

fn lufs(sides: [&[f32]; 2]) -> f64 {
    let (mut meter, mut tenths) = (LoudnessMeter::new(f64::from(RATE), 2), Vec::new());
    for (left, right) in sides[0].chunks_exact(BLOCK).zip(sides[1].chunks_exact(BLOCK)) {
        let mut block = StereoBlock::SILENT;
        block.left.copy_from_slice(left);
        block.right.copy_from_slice(right);
        meter.push(&block, BLOCK, |power| tenths.push(power));
    }
    integrated_lufs(&tenths).unwrap()
}

#[test]
fn the_loudness_of_every_demo_track_stays_within_half_a_unit_for_random_curves() {
    // Two tracks at a time, as many as the smallest machine has cores.
    let worst: Vec<(&str, f64)> = std::thread::scope(|scope| {
        let each = |stems: &'static [Stem]| stems.iter().map(|stem| (stem.name, worst_of(stem))).collect::<Vec<_>>();
        let halves: Vec<_> = ALL.chunks(7).map(|stems| scope.spawn(move || each(stems))).collect();
        halves.into_iter().flat_map(|half| half.join().unwrap()).collect()
    });
    for (name, error) in worst {
        println!("{name:16} at most {error:.2} LU");
        assert!(error < 0.5, "{name}: {error} LU");
    }
}

/// The largest error in LU over all curves on one track.
fn worst_of(stem: &Stem) -> f64 {
    let mut seed = stem.name.bytes().map(u64::from).sum();
    let audio = (stem.render)();
    let error = |kind| {
        let [before, after] = loudness(&audio.channels, &curve(kind, &mut seed));
        println!("{:16} curve {kind}: {:+.2} LU", stem.name, after - before);
        (after - before).abs()
    };
    (0..CURVES).map(error).fold(0.0, f64::max)
}
