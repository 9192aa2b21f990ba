//! `zinc-rack difference`: what leads from one recording to another, as an EQ.

use serde_json::json;
use zinc_core::advice::curve::{DifferenceCurve, difference};
use zinc_core::advice::fit::fit;
use zinc_core::measure::ThirdOctaves;
use zinc_core::measure::third_octave::TWELFTHS;
use zinc_core::rack::RackSpec;
use zinc_core::rack::UnitSpec;

use super::files::{for_each_block, print_json, read_sound};
use crate::cli::DifferenceArgs;
use crate::failure::Failure;
use zinc_sound::Decoded;

/// Runs the command.
pub fn run(args: &DifferenceArgs) -> Result<(), Failure> {
    let curve =
        difference(&spectrum(&read_sound(&args.from)?), &spectrum(&read_sound(&args.to)?), TWELFTHS, args.smooth);
    let fitted = fit(&curve.hz, &curve.smooth, args.bands);
    if args.json {
        let rack = |unit: UnitSpec| RackSpec { units: vec![unit] };
        return print_json(&json!({
            "curve": curve,
            "drawn": rack(curve.drawn("sixth")),
            "fitted": { "rack": rack(fitted.unit()), "worst_db": fitted.worst_db, "rms_db": fitted.rms_db },
        }));
    }
    print(&curve);
    said!("{} bands come within {:.2} dB (rms {:.2} dB):", args.bands, fitted.worst_db, fitted.rms_db);
    fitted.bands.iter().for_each(|band| said!("  {}", json!(band)));
    Ok(())
}

fn print(curve: &DifferenceCurve) {
    said!("{:+.1} dB in level; apart from that:", curve.level_db);
    for (hz, db) in curve.hz.iter().zip(&curve.smooth).step_by(4) {
        said!("  {hz:8.1} Hz  {db:+6.2} dB");
    }
}

fn spectrum(sound: &Decoded) -> Vec<f64> {
    let mut meter = ThirdOctaves::new(f64::from(sound.rate), ThirdOctaves::LONG);
    for_each_block(sound, sound.frames(), |block, n| meter.push(block, n));
    meter.fine_levels_db(TWELFTHS)
}
