//! `zinc-rack floor`: where an instrument begins.

use serde_json::json;
use zinc_core::measure::floor::{Cut, FloorMeter};

use super::files::{for_each_block, print_json, read_sound};
use crate::cli::ListenArgs;
use crate::failure::Failure;

/// Runs the command.
pub fn run(args: &ListenArgs) -> Result<(), Failure> {
    let sound = read_sound(&args.input)?;
    let mut meter = FloorMeter::new(f64::from(sound.rate));
    for_each_block(&sound, sound.frames(), |block, n| meter.push(block, n));
    let floor = meter.finish();
    if args.json {
        return print_json(&json!(floor));
    }
    let Some(floor) = floor else {
        said!("Nothing begins here: the file is silent.");
        return Ok(());
    };
    said!("It begins at {:.1} Hz ({}).", floor.begins_hz, floor.note);
    let say = |what: &str, cut: &Cut| {
        said!(
            "{what}: high-pass at {:.1} Hz, {} dB/oct; takes away {:.2} LU",
            cut.freq_hz,
            cut.slope_db_oct,
            cut.removes_lu
        );
    };
    say("keep it whole", &floor.keep);
    say("make room", &floor.room);
    Ok(())
}
