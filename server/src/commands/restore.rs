//! `zinc-rack restore-database`: back to a copy of the database.

use std::path::Path;

use serde_json::json;

use super::files::print_json;
use crate::cli::RestoreArgs;
use crate::failure::Failure;
use crate::owner::Owner;
use crate::shelf::size;
use crate::store::copies::{Copies, Copy, names};
use crate::upkeep::daily::now_s;

/// Lists the copies, or puts the one named in the database's place.
pub fn run(args: &RestoreArgs) -> Result<(), Failure> {
    let copies = Copies::of(&args.data);
    match &args.from {
        Some(day) => restore(args, &copies, day),
        None => list(args, &copies.all()),
    }
}

/// What a copy holds, in words.
fn holds(copy: &Copy) -> String {
    match names(copy) {
        Ok(names) => names.join(", "),
        Err(e) => format!("cannot be used: {e}"),
    }
}

fn list(args: &RestoreArgs, all: &[Copy]) -> Result<(), Failure> {
    if args.json {
        let row = |copy: &Copy| json!({ "day": copy.day, "bytes": copy.bytes, "sessions": names(copy).ok() });
        return print_json(&all.iter().map(row).collect::<Vec<_>>());
    }
    if all.is_empty() {
        said!(
            "There are no copies in {}: the first is made when the server has run with a session for an hour.",
            args.data.display()
        );
    }
    all.iter().for_each(|copy| said!("{}  ({})  {}", copy.day, size(copy.bytes), holds(copy)));
    Ok(())
}

fn restore(args: &RestoreArgs, copies: &Copies, day: &str) -> Result<(), Failure> {
    let all = copies.all();
    let copy = all.iter().find(|copy| copy.day == day).ok_or_else(|| {
        let days: Vec<&str> = all.iter().map(|copy| copy.day.as_str()).collect();
        let there = if days.is_empty() { "none".to_string() } else { days.join(", ") };
        Failure::input(format!("There is no copy of {day}. There are: {there}. Nothing was changed."))
    })?;
    let _owner = own(&args.data)?;
    let aside = copies.restore(copy, &now_s().to_string()).map_err(|e| Failure::work(e.to_string()))?;
    if args.json {
        return print_json(&json!({ "restored": day, "sessions": names(copy).ok(), "before": aside }));
    }
    said!("The database is that of {day}: {}.", holds(copy));
    said!("The one before is kept in {}. `zinc-rack check` says whether all recordings are there.", aside.display());
    Ok(())
}

fn own(data: &Path) -> Result<Owner, Failure> {
    Owner::take(data).map_err(|e| {
        Failure::work(format!("The data folder {} cannot be used ({e}). Nothing was changed.", data.display()))
    })
}
