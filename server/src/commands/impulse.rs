//! `zinc-rack impulse`: the impulse response of a rack, as a file.

use serde_json::json;
use zinc_core::measure::impulse::impulse_response;
use zinc_core::rack::Rack;

use super::files::{print_json, read_rack};
use super::sounds::supply;
use crate::cli::ImpulseArgs;
use crate::failure::Failure;
use zinc_sound::{in_words, write_float};

/// Runs the command.
pub fn run(args: &ImpulseArgs) -> Result<(), Failure> {
    let (mut rack, rate) = (read_rack(&args.rack)?, f64::from(args.rate));
    let missing = supply(&mut rack, &args.sounds, args.rate, args.json)?;
    let sides = impulse_response(&rack, rate).map_err(|why| Failure::input(format!("{why} Nothing was written.")))?;
    let shown = args.output.display();
    write_float(&args.output, &sides, args.rate)
        .map_err(|e| Failure::input(format!("{shown} cannot be written ({}). Nothing was kept.", in_words(&e))))?;
    let (frames, latency) = (sides[0].len(), Rack::new(&rack, rate).latency());
    if args.json {
        return print_json(
            &json!({ "frames": frames, "latency_samples": latency, "rate": args.rate, "missing_sounds": missing }),
        );
    }
    said!("{shown}: {frames} frames at {} Hz; the first {latency} are the rack's lateness", args.rate);
    Ok(())
}
