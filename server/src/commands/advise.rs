//! `zinc-rack advise`: what the compressors of a rack do wrong on a file, and which units should
//! change places.

use serde_json::json;
use zinc_core::advice::{order, watch};

use super::files::{passage, print_json, read_rack, read_sound};
use super::sounds::supply;
use crate::cli::AdviseArgs;
use crate::failure::Failure;

/// Runs the command.
pub fn run(args: &AdviseArgs) -> Result<(), Failure> {
    let mut rack = read_rack(&args.rack)?;
    let sound = read_sound(&args.input)?;
    let missing = supply(&mut rack, &args.sounds, sound.rate, args.json)?;
    let whole = passage(&sound);
    let faults = watch::faults(&whole, &rack);
    let pairs = order::pairs(&rack);
    let orders: Vec<_> = pairs.into_iter().filter_map(|(eq, by)| order::check(&whole, &rack, eq, by)).collect();
    if args.json {
        return print_json(&json!({"advice": faults, "orders": orders, "missing_sounds": missing}));
    }
    if faults.is_empty() {
        said!("Nothing to watch for.");
    }
    for watch::Fault { unit, found: fault } in &faults {
        said!("unit {}, {:.2} s  {}: {} Mend: {}.", unit, fault.at_s, fault.code, fault.says, fault.mend);
    }
    for order in &orders {
        said!("units {} and {}: {}", order.eq, order.reducer, order.says);
    }
    Ok(())
}
