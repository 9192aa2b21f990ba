//! Units of tone on the demo's instruments do what such circuits are known to do.
#![allow(missing_docs, clippy::expect_used, clippy::unwrap_used)] // a test may say what must hold by failing

use serde_json::{Value, json};
use zinc_core::measure::third_octave::centre_hz;
use zinc_core::measure::{LoudnessMeter, ThirdOctaves, integrated_lufs};
use zinc_core::rack::RackSpec;
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_demo::recorded::crest_db;
use zinc_demo::song::RATE;
use zinc_demo::stems::STEMS;
use zinc_demo::tools::{mono, through_rack};

/// A whole stem, before one unit and after, without the first second.
fn through(stem: &str, unit: &Value) -> [Vec<f32>; 2] {
    let stem = STEMS.iter().find(|s| s.name == stem).unwrap();
    let part = mono(&(stem.render)().channels);
    let spec = RackSpec::from_json(&json!({"zinc_rack": 1, "units": [unit]})).unwrap();
    let mut out = through_rack(&spec, &part);
    [part[RATE as usize..].to_vec(), out.split_off(RATE as usize)]
}

#[test]
fn an_amp_at_lead_drive_takes_eight_decibels_or_more_off_the_crest_of_a_guitar() {
    for stem in ["Lead DI", "Rhythm left DI"] {
        let [before, after] =
            through(stem, &json!({"kind": "amp", "params": {"voice": "lead", "drive_db": 30, "hold_level": false}}))
                .map(|sound| crest_db(&sound));
        println!("{stem}: crest {before:.1} dB, after the amp {after:.1} dB");
        assert!(before - after >= 8.0, "{stem}: {before:.1} to {after:.1} dB");
    }
}

#[test]
fn a_clean_amp_leaves_more_of_the_crest_than_a_driven_one() {
    let of = |voice: &str| {
        through("Lead DI", &json!({"kind": "amp", "params": {"voice": voice, "drive_db": 20, "hold_level": false}}))
    };
    let of = |voice: &str| crest_db(&of(voice)[1]);
    let (clean, crunch) = (of("clean"), of("crunch"));
    assert!(clean > crunch + 3.0, "{clean:.1} and {crunch:.1} dB");
}

#[test]
fn harshness_is_softened_by_driving_its_region_alone() {
    // Peaks of what lies high, by the second difference, in dB.
    let peaks_db = |sound: &[f32]| {
        let highs = sound.windows(3).map(|w| f64::from(w[0] - 2.0 * w[1] + w[2]).abs());
        20.0 * highs.fold(0.0, f64::max).log10()
    };
    let unit = json!({"kind": "saturator", "params": {"blend": 0, "hold_level": false,
        "bands": [{"from_hz": 2500, "character": "tape", "drive_db": 30}]}});
    let [before, after] = through("Acoustic", &unit).map(|sound| peaks_db(&sound));
    println!("highs peak at {before:.1} dB, softened at {after:.1} dB");
    assert!(before - after > 1.5, "{before:.2} and {after:.2} dB");
}

/// Integrated loudness of a sound on both sides.
fn lufs(sound: &[f32]) -> f64 {
    let mut meter = LoudnessMeter::new(f64::from(RATE), 2);
    let mut tenths = Vec::new();
    for piece in sound.chunks_exact(BLOCK) {
        let mut block = StereoBlock::SILENT;
        block.left.copy_from_slice(piece);
        block.right.copy_from_slice(piece);
        meter.push(&block, BLOCK, |tenth| tenths.push(tenth));
    }
    integrated_lufs(&tenths).unwrap()
}

/// Level of a third octave in dB.
fn third_db(sound: &[f32], hz: f64) -> f64 {
    let mut meter = ThirdOctaves::new(f64::from(RATE), 1 << 13);
    meter.push_slices(sound, sound);
    let levels = meter.levels_db();
    let nearest =
        (0..levels.len()).min_by(|a, b| (centre_hz(*a) / hz).ln().abs().total_cmp(&(centre_hz(*b) / hz).ln().abs()));
    levels[nearest.unwrap()]
}

#[test]
fn tape_at_30_ips_takes_three_decibels_off_the_crest_of_an_acoustic_guitar_and_leaves_8_khz() {
    let unit = json!({"kind": "tape", "params": {"speed": "30", "input_db": 9}});
    let [before, after] = through("Acoustic", &unit);
    let lost =
        (third_db(&before, 8000.0) - third_db(&before, 1000.0)) - (third_db(&after, 8000.0) - third_db(&after, 1000.0));
    let (crest_in, crest_out) = (crest_db(&before), crest_db(&after));
    println!("crest {crest_in:.1} to {crest_out:.1} dB, 8 kHz loses {lost:.2} dB against 1 kHz");
    assert!(crest_in - crest_out >= 3.0 && lost < 1.0, "{crest_in:.1} to {crest_out:.1}, {lost:.2} dB");
}

#[test]
fn the_input_of_the_console_changes_loudness_by_less_than_half_a_unit_over_its_drive() {
    for stem in ["Electric piano", "Bass DI", "Rhythm left DI"] {
        let of = |input_db: f64| {
            let [before, after] =
                through(stem, &json!({"kind": "console-eq", "params": {"input_db": input_db, "sides": 0}}));
            lufs(&after) - lufs(&before)
        };
        let changes = [-6.0, 0.0, 6.0, 12.0, 18.0].map(of);
        println!("{stem}: {changes:.2?} LU");
        assert!(changes.iter().all(|lu| lu.abs() < 0.5), "{stem}: {changes:?}");
    }
}

#[test]
fn a_round_bass_voice_leaves_4_khz_within_3_db_of_its_input() {
    let unit = json!({"kind": "amp", "params": {"voice": "round", "drive_db": 20}});
    let [before, after] = through("Bass DI", &unit);
    let lifted = third_db(&after, 4000.0) - third_db(&before, 4000.0);
    println!("4 kHz {lifted:+.1} dB");
    assert!(lifted < 3.0, "{lifted}");
}
