//! One rack over a sound that is no session's.

use zinc_core::rack::Keys;
use zinc_core::render::offline::{BlockSource, LatencyTrim};
use zinc_core::signal::{BLOCK, StereoBlock, StereoDelay};

/// Runs one rack over blocks, its keyed units driven by `key` where there is one,
/// latency taken out: what `zinc-rack process` does.
///
/// # Errors
/// Those of source and sink.
pub fn process<E>(
    rack: &zinc_core::rack::RackSpec,
    rate: u32,
    source: &mut impl BlockSource<Error = E>,
    mut key: Option<&mut impl BlockSource<Error = E>>,
    frames: u64,
    mut sink: impl FnMut(&StereoBlock, usize) -> Result<bool, E>,
) -> Result<(), E> {
    let mut running = zinc_core::rack::Rack::new(rack, f64::from(rate));
    let mut trim = LatencyTrim::new(running.latency(), frames);
    let mut block = StereoBlock::SILENT;
    let driven = rack.units.iter().filter(|u| key.is_some() && u.key.is_some());
    // Each unit hears its key as late as the sound it works on.
    let mut keys: Vec<(u32, StereoDelay)> = driven
        .map(|u| (u.id, running.latency_before(u.id)))
        .map(|(id, late)| (id, StereoDelay::new(late, late, f64::from(rate))))
        .collect();
    let mut heard = Keys::for_units(keys.iter().map(|k| k.0));
    let mut song_frame = 0;
    while trim.wants_more() {
        source.next_block(&mut block)?;
        if let Some(key) = &mut key {
            let mut sound = StereoBlock::SILENT;
            key.next_block(&mut sound)?;
            heard.clear();
            for (unit, delay) in &mut keys {
                let mut late = sound.clone();
                delay.process(&mut late);
                heard.add(*unit, &late);
            }
        }
        running.process_tapped(&mut block, &heard, song_frame, |_, _| {});
        song_frame += BLOCK as i64;
        trim.pass(&block, &mut sink)?;
    }
    Ok(())
}
