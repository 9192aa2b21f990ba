//! `zinc-rack rings`: narrow resonances of a file.

use serde_json::json;
use zinc_core::measure::rings::RingMeter;

use super::files::{for_each_block, print_json, read_sound};
use crate::cli::ListenArgs;
use crate::failure::Failure;

/// Runs the command.
pub fn run(args: &ListenArgs) -> Result<(), Failure> {
    let sound = read_sound(&args.input)?;
    let mut meter = RingMeter::new(f64::from(sound.rate));
    for_each_block(&sound, sound.frames(), |block, n| meter.push(block, n));
    let rings = meter.finish();
    if args.json {
        return print_json(&json!(rings));
    }
    if rings.is_empty() {
        said!("No rings: nothing narrow stays while the notes change.");
    }
    for ring in &rings {
        said!(
            "{:8.1} Hz  {:9}  {:5.1} dB  {:5.0} ms  {:3.0} % of the time  {}: {}",
            ring.hz,
            ring.note,
            ring.prominence_db,
            ring.ring_ms,
            100.0 * ring.share,
            ring.is,
            ring.why
        );
    }
    Ok(())
}
