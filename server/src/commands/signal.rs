//! `zinc-rack signal`: test material as a file, through a rack or not.

use serde_json::json;
use zinc_core::measure::test_signal::TestSignal;
use zinc_core::rack::RackSpec;

use super::files::{print_json, read_rack};
use super::sounds::supply;
use crate::cli::SignalArgs;
use crate::failure::Failure;
use zinc_sound::{in_words, through, write_float};

/// Runs the command.
pub fn run(args: &SignalArgs) -> Result<(), Failure> {
    let mut rack = args.rack.as_ref().map_or_else(|| Ok(RackSpec { units: Vec::new() }), |path| read_rack(path))?;
    let missing = supply(&mut rack, &args.sounds, args.rate, args.json)?;
    let signal = TestSignal::named(&args.signal).ok_or_else(|| Failure::input("There is no such signal."))?;
    let rate = f64::from(args.rate);
    let sides = through(&rack, rate, &signal.samples(rate, args.level_db));
    let shown = args.output.display();
    write_float(&args.output, &sides, args.rate)
        .map_err(|e| Failure::input(format!("{shown} cannot be written ({}). Nothing was kept.", in_words(&e))))?;
    if args.json {
        return print_json(
            &json!({ "signal": args.signal, "frames": sides[0].len(), "rate": args.rate, "missing_sounds": missing }),
        );
    }
    said!("{shown}: {} at {:+} dBFS, {} frames at {} Hz", args.signal, args.level_db, sides[0].len(), args.rate);
    Ok(())
}
