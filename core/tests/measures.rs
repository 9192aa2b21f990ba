//! Meters against an independent implementation and published signals.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use zinc_core::measure::file::FigureMeter;
use zinc_core::measure::probe::With;
use zinc_core::measure::third_octave::{ThirdOctaves, centre_hz};
use zinc_core::measure::true_peak::TruePeakMeter;
use zinc_core::measure::{LoudnessMeter, integrated_lufs};
use zinc_core::signal::noise::white;
use zinc_core::signal::{BLOCK, StereoBlock};

fn blocks(frames: usize, signal: impl Fn(usize) -> [f64; 2]) -> impl Iterator<Item = StereoBlock> {
    (0..frames / BLOCK).map(move |n| {
        let mut block = StereoBlock::default();
        for i in 0..BLOCK {
            block.set_frame(i, signal(n * BLOCK + i));
        }
        block
    })
}

fn integrated(rate: f64, frames: usize, signal: impl Fn(usize) -> [f64; 2]) -> f64 {
    let mut meter = LoudnessMeter::new(rate, 2);
    let mut tenths = Vec::new();
    blocks(frames, signal).for_each(|b| meter.push(&b, BLOCK, |t| tenths.push(t)));
    integrated_lufs(&tenths).expect("it is loud enough")
}

fn tone(rate: f64, db: f64) -> impl Fn(usize) -> [f64; 2] {
    move |n| [10f64.powf(db / 20.0) * (std::f64::consts::TAU * 1000.0 * n as f64 / rate).sin(); 2]
}

#[test]
fn ebu_3341_cases_1_to_3_read_within_a_tenth() {
    for rate in [44_100.0, 48_000.0, 96_000.0] {
        let s = rate as usize;
        assert!((integrated(rate, 20 * s, tone(rate, -23.0)) + 23.0).abs() < 0.1);
        assert!((integrated(rate, 20 * s, tone(rate, -33.0)) + 33.0).abs() < 0.1);
        // Case 3: 10 s at -36, 60 s at -23, 10 s at -36 dBFS reads -23.
        let case3 = move |n: usize| {
            let db = if (10 * s..70 * s).contains(&n) { -23.0 } else { -36.0 };
            tone(rate, db)(n)
        };
        assert!((integrated(rate, 80 * s, case3) + 23.0).abs() < 0.1);
    }
}

#[test]
fn programme_loudness_agrees_with_an_independent_meter() {
    for rate in [44_100u32, 48_000, 96_000] {
        // Noise that swells, unequal sides.
        let noise = |n: usize, seed: usize| white(n + 1_000_003 * seed);
        let signal = move |n: usize| {
            let swell = 0.05 + 0.3 * (n as f64 / f64::from(rate) * 0.7).sin().abs();
            [swell * noise(n, 1), 0.5 * swell * noise(n, 9_999_999)]
        };
        let frames = rate as usize * 12 / BLOCK * BLOCK;
        let ours = integrated(f64::from(rate), frames, signal);
        let mut other = ebur128::EbuR128::new(2, rate, ebur128::Mode::I).expect("supported");
        let samples: Vec<f64> = (0..frames).flat_map(signal).collect();
        other.add_frames_f64(&samples).expect("fed");
        assert!((ours - other.loudness_global().expect("loud")).abs() < 0.02, "{ours} at {rate}");
    }
}

#[test]
fn a_quarter_rate_sine_between_samples_shows_its_true_peak() {
    // EBU 3341 cases 15 to 19: tolerance +0.2 / -0.4 dB; ours reads within 0.1.
    for phase in [0.0, 45.0, 60.0, 67.5f64] {
        let mut meter = TruePeakMeter::default();
        let sine = move |n: usize| [0.5 * (std::f64::consts::TAU * n as f64 / 4.0 + phase.to_radians()).sin(); 2];
        // A fade-in, so that the edge itself makes no overshoot.
        blocks(BLOCK * 80, move |n| sine(n).map(|x| x * (n as f64 / 4000.0).min(1.0))).for_each(|b| meter.push(&b));
        assert!((meter.dbtp() + 6.02).abs() < 0.1, "phase {phase}: {}", meter.dbtp());
    }
}

#[test]
fn third_octaves_of_pink_noise_are_flat() {
    // Pink by summing one tone per FFT-bin-wide step would be slow; instead white
    // noise is shaped by the -3 dB/oct weights of Kellet's filter, flat within 0.05 dB.
    let rate = 48_000.0;
    let mut meter = ThirdOctaves::new(rate, ThirdOctaves::LONG);
    let mut b = [0.0f64; 7];
    let mut block = Vec::with_capacity(48_000);
    for second in 0..240 {
        block.clear();
        for n in 0..48_000 {
            let w = white(48_000 * second + n);
            b[0] = 0.99886 * b[0] + w * 0.055_517_9;
            b[1] = 0.99332 * b[1] + w * 0.075_075_9;
            b[2] = 0.96900 * b[2] + w * 0.153_852_0;
            b[3] = 0.86650 * b[3] + w * 0.310_485_6;
            b[4] = 0.55000 * b[4] + w * 0.532_952_2;
            b[5] = -0.7616 * b[5] - w * 0.016_898_0;
            let pink = b.iter().sum::<f64>() + w * 0.5362;
            b[6] = w * 0.115_926;
            block.push((pink * 0.05) as f32);
        }
        meter.push_slices(&block, &block);
    }
    let levels = meter.levels_db();
    let inside = &levels[3..28];
    let mean = inside.iter().sum::<f64>() / inside.len() as f64;
    for (i, level) in inside.iter().enumerate() {
        assert!((level - mean).abs() < 0.3, "band {}: {:+.2} dB", i + 3, level - mean);
    }
}

#[test]
fn a_full_scale_sine_reads_0_peak_and_minus_3_rms_and_its_own_band() {
    let mut meter = FigureMeter::new(48_000.0, 1);
    blocks(48_000 * 3 / BLOCK * BLOCK, tone(48_000.0, 0.0)).for_each(|b| meter.push(&b, BLOCK));
    let f = meter.figures();
    assert!(
        f.sample_peak_dbfs.abs() < 0.001 && (f.rms_dbfs + 3.0103).abs() < 0.001 && (f.crest_db - 3.0103).abs() < 0.002
    );
    assert!((f.third_octave[17].db + 3.01).abs() < 0.05, "{}", f.third_octave[17].db);
}

#[test]
fn a_part_is_probed_by_its_strongest_note_and_at_its_peaks_though_an_overtone_and_rumble_are_stronger() {
    let rate = 48_000.0;
    let wave =
        |hz: f64, db: f64, n: usize| 10f64.powf(db / 20.0) * (std::f64::consts::TAU * hz * n as f64 / rate).sin();
    // A low E, its sixteenth partial and a stage that shakes, both stronger.
    let mut meter = FigureMeter::new(rate, 1);
    let part = |n: usize| [wave(82.4, -20.0, n) + wave(1318.5, -14.0, n) + wave(16.0, -12.0, n); 2];
    blocks(10 * 48_000, part).for_each(|block| meter.push(&block, BLOCK));
    let figures = meter.figures();
    let levels = std::array::from_fn(|band| figures.third_octave[band].db);
    let with = With::of_part(&levels, figures.sample_peak_dbfs);
    // Third octaves about 82.4 Hz are centred at 79.4 Hz; all three together peak at 0.1 + 0.2 + 0.251, -5.2 dBFS.
    assert_eq!(with.tone_hz, 79.0);
    assert!((-6.0..=-5.0).contains(&with.level_db), "{}", with.level_db);
    // A part whose second partial is stronger than the note: 165 Hz over 82.4 Hz by 6 dB, and by 12, where it is the note.
    let beside = |softer_db: f64| {
        let level = |band: usize| match centre_hz(band) {
            hz if (150.0..170.0).contains(&hz) => -12.0,
            hz if (75.0..85.0).contains(&hz) => -12.0 - softer_db,
            _ => -60.0,
        };
        With::of_part(&std::array::from_fn(level), -6.0).tone_hz
    };
    assert_eq!([beside(6.0), beside(12.0)], [79.0, 158.0]);
    let [none, loud] = [f64::NEG_INFINITY, 9.0].map(|peak| With::of_part(&levels, peak).level_db);
    assert_eq!([none, loud], [-60.0, 0.0], "within what can be measured");
}
