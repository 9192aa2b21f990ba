//! Sounds that the units of a rack name: those given as files, those of a data folder; and
//! `zinc-rack sounds`.

use std::path::PathBuf;
use std::sync::Arc;

use serde_json::json;
use zinc_core::rack::RackSpec;
use zinc_core::unit::{SoundId, Sounds};

use super::files::{print_json, remark};
use crate::app::App;
use crate::cli::{RackSounds, SoundsArgs};
use crate::failure::Failure;
use crate::responses::{at_rate, decoded};
use crate::shelf::hash_samples;
use zinc_sound::Decoded;

/// Gives a rack the sounds its units name at a rate in Hz. Names of those that are missing are
/// returned, and said unless the report is to be JSON.
pub(super) fn supply(rack: &mut RackSpec, args: &RackSounds, rate: u32, json: bool) -> Result<Vec<String>, Failure> {
    let named: Vec<SoundId> = rack.sounds().collect();
    let mut sounds = given(&args.sounds, rate)?;
    let shelf = args.data.join("zinc.sqlite").exists().then(|| App::look(&args.data)).transpose()?;
    for id in named.iter().filter(|id| sounds.get(**id).is_none()).copied().collect::<Vec<_>>() {
        if let Some(sound) = shelf.as_ref().and_then(|app| app.responses.get(id, rate)) {
            sounds.put(id, sound);
        }
    }
    rack.supply(&sounds);
    let mut missing = Vec::new();
    for (i, unit) in rack.units.iter().enumerate() {
        for id in unit.missing_sounds() {
            if !json {
                eprintln!(
                    "zinc-rack: unit {} ({}) names the sound {id}, which is missing: it passes its input. \
                     Give its file with --sound, or the folder that has it with --data.",
                    i + 1,
                    unit.kind.id
                );
            }
            missing.push(id.to_string());
        }
    }
    Ok(missing)
}

/// Sounds given as files, by the hash that the shelf would name them by.
fn given(files: &[PathBuf], rate: u32) -> Result<Sounds, Failure> {
    let mut sounds = Sounds::default();
    for file in files {
        let refused = |why: &str| Failure::input(format!("{} {why}. Nothing was written.", file.display()));
        let Decoded { samples, channels, rate: from, remarks } = decoded(file).map_err(|why| refused(&why))?;
        remark(file, &remarks);
        let unusable = || refused(&format!("cannot be brought to {rate} Hz"));
        let sound = at_rate(&samples, channels, from, rate).ok_or_else(unusable)?;
        sounds.put(hash_samples(&samples, channels, from).parse().map_err(|_| unusable())?, Arc::new(sound));
    }
    Ok(sounds)
}

/// Brings files in as sounds of units and lists all there are.
pub fn run(args: &SoundsArgs) -> Result<(), Failure> {
    if !args.data.join("zinc.sqlite").exists() {
        return Err(Failure::input(format!(
            "There is no Zinc Rack data in {}. Nothing was done.",
            args.data.display()
        )));
    }
    let app = if args.files.is_empty() { App::look(&args.data)? } else { App::open(&args.data)? };
    let mut refused = Vec::new();
    for file in &args.files {
        let name = file.file_name().map_or_else(|| file.display().to_string(), |n| n.to_string_lossy().into_owned());
        match app.responses.bring_in(file, &name) {
            Ok((_, Some(said))) => eprintln!("zinc-rack: {said}"),
            Ok((_, None)) => {}
            Err(why) => refused.push(why),
        }
    }
    let all = app.responses.list().map_err(|e| Failure::work(e.to_string()))?;
    if args.json {
        print_json(&json!({ "sounds": all, "refused": refused }))?;
    } else {
        all.iter().for_each(|s| said!("{}  {:.3} s  {} Hz  {}", s.hash, s.seconds, s.rate, s.name));
    }
    match refused.as_slice() {
        [] => Ok(()),
        some => Err(Failure::input(some.join(" "))),
    }
}
