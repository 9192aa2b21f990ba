//! Reading what commands are given, and writing their reports.

use std::path::Path;

use zinc_core::rack::RackSpec;
use zinc_core::render::offline::BlockSource;
use zinc_core::signal::{BLOCK, StereoBlock};
use zinc_core::trial::Passage;

use crate::failure::Failure;
use zinc_sound::stream::DecodedBlocks;
use zinc_sound::{Decoded, Remarks, decode, in_words};

/// Reads a rack file.
pub(super) fn read_rack(path: &Path) -> Result<RackSpec, Failure> {
    let shown = path.display();
    let text = std::fs::read_to_string(path).map_err(|e| {
        Failure::input(format!("The rack file {shown} cannot be read ({}). Nothing was written.", in_words(&e)))
    })?;
    RackSpec::from_text(&text)
        .map_err(|e| Failure::input(format!("The rack file {shown} cannot be used: {e}. Nothing was written.")))
}

/// Reads a sound file.
pub(super) fn read_sound(path: &Path) -> Result<Decoded, Failure> {
    let sound = decode(path).map_err(|e| Failure::input(format!("{} {e}. Nothing was written.", path.display())))?;
    remark(path, &sound.remarks);
    Ok(sound)
}

/// Says what there is to be said of a file that was read.
pub(super) fn remark(path: &Path, remarks: &Remarks) {
    let words = remarks.words();
    if !words.is_empty() {
        eprintln!("zinc-rack: {}{words}.", path.display());
    }
}

/// Prints a report as JSON.
pub(super) fn print_json(report: &impl serde::Serialize) -> Result<(), Failure> {
    let text = serde_json::to_string_pretty(report).map_err(|e| Failure::work(e.to_string()))?;
    said!("{text}");
    Ok(())
}

/// A sound as a passage held in memory.
pub(super) fn passage(sound: &Decoded) -> Passage {
    let mut passage = Passage::new(f64::from(sound.rate), sound.channels);
    for_each_block(sound, sound.frames(), |block, frames| passage.push(block, frames));
    passage
}

/// Hands a sound block by block to `see`, with the frames of each that count.
pub(super) fn for_each_block(sound: &Decoded, frames: usize, mut see: impl FnMut(&StereoBlock, usize)) {
    let mut source = DecodedBlocks::new(sound);
    let mut block = StereoBlock::SILENT;
    for start in (0..frames).step_by(BLOCK) {
        // Reading from memory cannot fail.
        let _ = source.next_block(&mut block);
        see(&block, BLOCK.min(frames - start));
    }
}
