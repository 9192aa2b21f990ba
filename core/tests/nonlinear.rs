//! Shapers at a higher rate, and every kind of unit: nothing folds back that can be heard, tiny
//! numbers and constants do no harm, what sounds dies to exact zero.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

mod common;

use common::nonlinear::{alias_of_a_sweep_db, alias_of_a_tone_db, comes_to_rest};
use common::units::unit;
use serde_json::json;
use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::antiderivative::{Shaper, ln_cosh, tanh};
use zinc_core::signal::oversample::Oversampler;
use zinc_core::signal::{BLOCK, Frame, StereoBlock};
use zinc_core::unit::Tail;
use zinc_core::unit::catalogue::KINDS;

const RATE: f64 = 48_000.0;

/// A soft limit at a higher rate, a frame at a time.
struct Limit {
    over: Oversampler,
    shaper: Shaper,
    waiting: Vec<f64>,
    ready: Vec<f64>,
}

impl Limit {
    fn new(factor: usize) -> Self {
        let over = Oversampler::new(factor, RATE);
        Self { over, shaper: Shaper::new(0.0), waiting: Vec::new(), ready: vec![0.0; BLOCK] }
    }

    fn next(&mut self, x: f64) -> f64 {
        self.waiting.push(x);
        if self.waiting.len() == BLOCK {
            let mut frames: [Frame; BLOCK] = std::array::from_fn(|i| [self.waiting[i]; 2]);
            let shaper = &mut self.shaper;
            self.over.process(&mut frames, |high| {
                for frame in high {
                    let y = shaper.next(frame[0], tanh, ln_cosh);
                    *frame = [y; 2];
                }
            });
            self.waiting.clear();
            self.ready.extend(frames.iter().map(|f| f[0]));
        }
        self.ready.remove(0)
    }
}

#[test]
fn a_tone_bent_to_ten_percent_at_four_times_the_rate_folds_nothing_back_above_80_db_under() {
    let mut limit = Limit::new(4);
    let (alias, third) = alias_of_a_tone_db(1.3, |x| limit.next(x));
    assert!(third > -22.0, "the tone is bent hard enough: its third harmonic is at {third:.1} dBFS");
    assert!(alias < -80.0, "{alias:.1} dBFS");
}

#[test]
fn a_sweep_bent_hard_folds_less_back_the_higher_the_rate() {
    let of = |factor| {
        let mut limit = Limit::new(factor);
        alias_of_a_sweep_db(2.0, |x| limit.next(x))
    };
    let (two, four, eight) = (of(2), of(4), of(8));
    assert!(four < two - 10.0 && eight < four - 10.0 && eight < -90.0, "{two:.1}, {four:.1}, {eight:.1} dBFS");
}

#[test]
fn a_shaper_at_a_higher_rate_comes_to_exact_rest() {
    let mut limit = Limit::new(8);
    assert!(comes_to_rest(|x| limit.next(x), 48_000));
}

/// Units of every kind as they come and with a row in each list.
fn units() -> Vec<RackSpec> {
    let rows = |kind: &zinc_core::unit::UnitKind| {
        let lists = kind.tables.lists.iter().map(|list| (list.id.to_string(), json!([{}])));
        json!(lists.collect::<serde_json::Map<_, _>>())
    };
    KINDS
        .iter()
        .flat_map(|kind| [json!({}), rows(kind)].map(|params| RackSpec { units: vec![unit(kind.id, &params)] }))
        .collect()
}

#[test]
fn every_unit_is_silent_to_the_bit_after_a_loud_sound_with_a_constant_in_it() {
    for spec in units() {
        let mut rack = Rack::new(&spec, RATE);
        let mut block = StereoBlock::SILENT;
        for n in 0..40 {
            (0..BLOCK).for_each(|i| block.set_frame(i, [0.3 + 0.9 * (0.2 * (n * BLOCK + i) as f64).sin(); 2]));
            rack.process(&mut block);
        }
        let Tail::Frames(tail) = spec.tail(RATE) else { continue };
        // Five times the time to fall by 100 dB, to below what is taken as zero.
        for _ in 0..(spec.latency(RATE) + 5 * tail).div_ceil(BLOCK) + 200 {
            block.clear();
            rack.process(&mut block);
        }
        assert_eq!(block.peak(), 0.0, "{}", spec.to_json());
    }
}

#[test]
fn every_unit_takes_numbers_too_small_to_matter_for_silence() {
    for spec in units() {
        let mut rack = Rack::new(&spec, RATE);
        for n in 0..200 {
            let mut block = StereoBlock { left: [f32::MIN_POSITIVE / 8.0; BLOCK], right: [1e-30; BLOCK] };
            rack.process(&mut block);
            assert_eq!(block.peak(), 0.0, "{} in block {n}", spec.to_json());
        }
    }
}
