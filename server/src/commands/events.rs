//! `zinc-rack events`: moments of a file at which one region stands out.

use serde_json::json;
use zinc_core::advice::hold;
use zinc_core::measure::events::EventMeter;

use super::files::{for_each_block, passage, print_json, read_sound};
use crate::cli::EventsArgs;
use crate::failure::Failure;

/// Runs the command.
pub fn run(args: &EventsArgs) -> Result<(), Failure> {
    let region = args.from_hz.zip(args.to_hz).map(|(from, to)| [from, to]);
    if region.is_some_and(|[from, to]| from >= to) {
        return Err(Failure::input("The region's lower edge has to lie under its upper one."));
    }
    let sound = read_sound(&args.input)?;
    let mut meter = EventMeter::new(f64::from(sound.rate));
    for_each_block(&sound, sound.frames(), |block, n| meter.push(block, n));
    let events = meter.found(region);
    if args.json {
        let whole = passage(&sound);
        let held = |event| {
            let mut report = json!(event);
            report["hold"] = json!({"kind": "multiband", "params": {"bands": hold::bands(&whole, event, &events)}});
            report
        };
        return print_json(&events.iter().map(held).collect::<Vec<_>>());
    }
    if events.is_empty() {
        let none = if region.is_some() {
            "this region rises no further than the rest"
        } else {
            "no region stands far above its usual level"
        };
        said!("No events: {none}.");
    }
    for event in &events {
        said!(
            "{:8.2} to {:.2} s  {:6.0} to {:.0} Hz  {:.1} dB {}",
            event.from_s,
            event.to_s,
            event.from_hz,
            event.to_hz,
            event.over_db,
            if region.is_some() { "more than the rest rises" } else { "over its usual level" }
        );
    }
    Ok(())
}
