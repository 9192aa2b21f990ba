//! `zinc-rack process`: one rack over one file.

use std::path::{Path, PathBuf};

use serde_json::json;
use zinc_core::rack::{Key, RackSpec};

use super::files::{print_json, read_rack, read_sound};
use crate::cli::ProcessArgs;
use crate::failure::Failure;
use crate::prints::process;
use crate::sound::stream::DecodedBlocks;
use crate::sound::{Bits, Decoded, WavWriter};

/// Runs the command. The output appears whole or not at all.
pub fn run(args: &ProcessArgs) -> Result<(), Failure> {
    let rack = read_rack(&args.rack)?;
    if args.output.extension().is_none_or(|e| !e.eq_ignore_ascii_case("wav")) {
        return Err(Failure::input(format!("{} must end in .wav. Nothing was written.", args.output.display())));
    }
    let sound = read_sound(&args.input)?;
    let bits = if args.bits == "24" { Bits::Int24 } else { Bits::Float32 };
    let temporary = beside(&args.output);
    let failed = |e: hound::Error| {
        let _ = std::fs::remove_file(&temporary);
        Failure::work(format!("{} cannot be written ({e}). Nothing was kept.", args.output.display()))
    };
    // A mono file stays mono: both channels of the rack carry the same.
    let mut writer = WavWriter::create(&temporary, sound.channels, sound.rate, bits).map_err(failed)?;
    let frames = sound.frames() as u64;
    let key = args.key.as_deref().map(|path| key_sound(path, sound.rate)).transpose()?;
    let rack = if key.is_some() { keyed(rack) } else { rack };
    let mut key = key.as_ref().map(DecodedBlocks::new);
    process(&rack, sound.rate, &mut DecodedBlocks::new(&sound), key.as_mut(), frames, |block, n| {
        writer.write(block, n)?;
        Ok(true)
    })
    .map_err(failed)?;
    let clipped = writer.finish().map_err(failed)?;
    std::fs::rename(&temporary, &args.output).map_err(|e| failed(hound::Error::IoError(e)))?;
    if args.json {
        return print_json(
            &json!({ "output": args.output, "rate": sound.rate, "channels": sound.channels, "frames": frames, "clipped_samples": clipped }),
        );
    }
    println!("{}: {frames} frames at {} Hz, {clipped} samples clipped.", args.output.display(), sound.rate);
    Ok(())
}

/// A temporary name in the output's own folder, so that the rename stays on one disk.
fn beside(output: &Path) -> PathBuf {
    let mut name = output.file_name().unwrap_or_default().to_os_string();
    name.push(format!(".{}.tmp", std::process::id()));
    output.with_file_name(name)
}

/// The file that drives keyed units.
fn key_sound(path: &Path, rate: u32) -> Result<Decoded, Failure> {
    let key = read_sound(path)?;
    if key.rate == rate {
        return Ok(key);
    }
    let words = format!(
        "The key {} is at {} Hz and the input at {rate} Hz; they must agree. Nothing was written.",
        path.display(),
        key.rate
    );
    Err(Failure::input(words))
}

/// Numbers the units, so that each can have its key; where none asks for one, all that
/// can take one do.
fn keyed(mut rack: RackSpec) -> RackSpec {
    let asked = rack.units.iter().any(|u| u.key.is_some());
    for (i, unit) in rack.units.iter_mut().enumerate() {
        unit.id = i as u32 + 1;
        if !asked && unit.kind.takes_key {
            unit.key = Some(Key::Outside);
        }
    }
    rack
}
