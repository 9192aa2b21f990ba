//! `zinc-rack probe`: what a rack does, without audio.

use serde_json::json;
use zinc_core::measure::probe::probe;

use super::files::{print_json, read_rack};
use super::sounds::supply;
use crate::cli::ProbeArgs;
use crate::failure::Failure;

/// Runs the command.
pub fn run(args: &ProbeArgs) -> Result<(), Failure> {
    let mut rack = read_rack(&args.rack)?;
    let missing = supply(&mut rack, &args.sounds, args.rate, args.json)?;
    let found = probe(&rack, f64::from(args.rate));
    if args.json {
        let mut report = json!(found);
        report["missing_sounds"] = json!(missing);
        return print_json(&report);
    }
    println!("rate {} Hz, latency {} samples", found.rate, found.latency_samples);
    println!("\nresponse");
    for p in found.response.iter().step_by(8) {
        println!("  {:9.1} Hz  {:+7.2} dB  {:+7.1} deg", p.hz, p.db, p.phase_deg);
    }
    println!("\nstatic curve, 1 kHz");
    for p in found.static_curve.iter().step_by(2) {
        println!("  {:+6.1} dB in  {:+7.2} dB out", p.in_db, p.out_db);
    }
    println!("\nharmonics of 1 kHz at -6 dBFS");
    for h in &found.harmonics {
        println!("  {:2}  {:7.1} dB", h.order, h.db);
    }
    Ok(())
}
