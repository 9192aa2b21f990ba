//! `zinc-rack probe`: what a rack does, without audio.

use zinc_core::measure::probe::probe;

use super::files::{print_json, read_rack};
use crate::cli::ProbeArgs;
use crate::failure::Failure;

/// Runs the command.
pub fn run(args: &ProbeArgs) -> Result<(), Failure> {
    let found = probe(&read_rack(&args.rack)?, f64::from(args.rate));
    if args.json {
        return print_json(&found);
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
