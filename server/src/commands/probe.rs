//! `zinc-rack probe`: what a rack does, without audio.

use std::path::Path;

use serde_json::json;
use zinc_core::measure::probe::{With, probe};

use super::files::{print_json, read_rack, read_sound};
use super::measure::figures;
use super::sounds::supply;
use crate::cli::ProbeArgs;
use crate::failure::Failure;

/// Runs the command.
pub fn run(args: &ProbeArgs) -> Result<(), Failure> {
    let mut rack = read_rack(&args.rack)?;
    let missing = supply(&mut rack, &args.sounds, args.rate, args.json)?;
    let own = args.part.as_deref().map_or_else(|| Ok(With::default()), of_part)?;
    let with = With { level_db: args.level_db.unwrap_or(own.level_db), tone_hz: args.tone_hz.unwrap_or(own.tone_hz) };
    let found = probe(&rack, f64::from(args.rate), with);
    if args.json {
        let mut report = json!(found);
        report["missing_sounds"] = json!(missing);
        return print_json(&report);
    }
    said!("rate {} Hz, latency {} samples", found.rate, found.latency_samples);
    said!("\nresponse");
    for p in found.response.iter().step_by(8) {
        said!("  {:9.1} Hz  {:+7.2} dB  {:+7.1} deg", p.hz, p.db, p.phase_deg);
    }
    said!("\nstatic curve, {} Hz", found.tone_hz);
    for p in found.static_curve.iter().step_by(2) {
        said!("  {:+6.1} dB in  {:+7.2} dB out", p.in_db, p.out_db);
    }
    said!("\nharmonics of {} Hz at {:+} dBFS", found.tone_hz, found.level_db);
    for h in &found.harmonics {
        said!("  {:2}  {:7.1} dB", h.order, h.db);
    }
    said!("  together {:.3} %", found.thd_percent);
    match found.even_odd_db {
        Some(db) => said!("  even against odd {db:+.1} dB"),
        None => said!("  neither even nor odd"),
    }
    said!("\nintermodulation of 60 Hz and 7 kHz at {:+} dBFS: {:.1} dB", found.level_db, found.imd_db);
    said!("\nstep of {} Hz up to {:+} dBFS and back", found.tone_hz, found.level_db);
    for p in found.step.iter().step_by(8) {
        said!("  {:+7.0} ms  {:+7.2} dB", p.ms, p.out_db);
    }
    Ok(())
}

/// The tone and the level of a recorded part.
fn of_part(path: &Path) -> Result<With, Failure> {
    let sound = read_sound(path)?;
    let figures = figures(&sound);
    let levels = std::array::from_fn(|band| figures.third_octave[band].db);
    Ok(With::of_part(&levels, figures.sample_peak_dbfs))
}
