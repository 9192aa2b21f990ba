//! `zinc-rack process`: one rack over one file.

use std::io;
use std::path::{Path, PathBuf};

use serde_json::json;
use zinc_core::rack::{Key, RackSpec};
use zinc_core::render::Length;

use super::files::{print_json, read_rack, read_sound};
use super::sounds::supply;
use crate::cli::ProcessArgs;
use crate::failure::Failure;
use crate::prints::process::process;
use zinc_sound::stream::DecodedBlocks;
use zinc_sound::{Bits, Decoded, WavWriter, in_words};

/// Runs the command. The output appears whole or not at all.
pub fn run(args: &ProcessArgs) -> Result<(), Failure> {
    let mut rack = read_rack(&args.rack)?;
    if args.output.extension().is_none_or(|e| !e.eq_ignore_ascii_case("wav")) {
        return Err(Failure::input(format!("{} must end in .wav. Nothing was written.", args.output.display())));
    }
    let sound = read_sound(&args.input)?;
    let missing = supply(&mut rack, &args.sounds, sound.rate, args.json)?;
    let key = args.key.as_deref().map(|path| key_sound(path, sound.rate)).transpose()?;
    let rack = if key.is_some() { keyed(rack) } else { rack };
    let own = sound.frames() as u64;
    let length = if args.tail { Length::of(&rack, sound.rate, own) } else { Length::cut_at(own) };
    let work = Work { rack, sound, key, length, bits: if args.bits == "24" { Bits::Int24 } else { Bits::Float32 } };
    let temporary = beside(&args.output);
    let written = work.write(&temporary).and_then(|done| {
        std::fs::rename(&temporary, &args.output)?;
        Ok(done)
    });
    let Written { channels, clipped } = written.map_err(|e| {
        let _ = std::fs::remove_file(&temporary);
        Failure::work(format!("{} cannot be written ({}). Nothing was kept.", args.output.display(), in_words(&e)))
    })?;
    let (rate, frames) = (work.sound.rate, length.frames);
    if args.json {
        return print_json(&json!({
            "output": args.output, "rate": rate, "channels": channels, "frames": frames, "clipped_samples": clipped,
            "missing_sounds": missing,
        }));
    }
    said!("{}: {frames} frames at {rate} Hz, {clipped} samples clipped.", args.output.display());
    Ok(())
}

/// What is run through what.
struct Work {
    rack: RackSpec,
    sound: Decoded,
    key: Option<Decoded>,
    length: Length,
    bits: Bits,
}

/// What came of it.
struct Written {
    channels: usize,
    clipped: u64,
}

impl Work {
    /// Writes the file. A mono file stays mono unless a unit makes its sides differ.
    fn write(&self, to: &Path) -> Result<Written, io::Error> {
        if self.sound.channels == 1
            && let Some(clipped) = self.write_as(1, to)?
        {
            return Ok(Written { channels: 1, clipped });
        }
        // In stereo everything fits.
        Ok(Written { channels: 2, clipped: self.write_as(2, to)?.unwrap_or(0) })
    }

    /// Writes so many channels and counts clipped samples; none if they are too few.
    fn write_as(&self, channels: usize, to: &Path) -> Result<Option<u64>, io::Error> {
        let mut writer = WavWriter::create(to, channels, self.sound.rate, self.bits)?;
        let (mut source, mut key) = (DecodedBlocks::new(&self.sound), self.key.as_ref().map(DecodedBlocks::new));
        let (mut at, mut fits) = (0, true);
        process(&self.rack, self.sound.rate, &mut source, key.as_mut(), self.length.frames, |block, n| {
            let mut block = block.clone();
            self.length.fade(at, &mut block);
            at += n as i64;
            fits = channels == 2 || block.left[..n] == block.right[..n];
            writer.write(&block, n)?;
            Ok(fits)
        })?;
        let clipped = writer.finish()?;
        Ok(fits.then_some(clipped))
    }
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
