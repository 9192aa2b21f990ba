//! The audio thread's side: one player.

use serde_json::Value as Json;
use zinc_core::live::monitor::Check;
use zinc_core::live::player::Side;
use zinc_core::live::setup::Setup;
use zinc_core::live::{Player, Report};
use zinc_core::session::{Edit, Reference};
use zinc_core::signal::{BLOCK, StereoBlock};

use crate::memory::{answer, text};
use crate::sounds::sounds;

/// A player with the buffers the audio thread reads.
pub struct Live {
    player: Player,
    block: StereoBlock,
    out: [f32; 2 * BLOCK],
    report: Report,
    /// The same as numbers.
    told: Vec<f64>,
}

/// Makes a player for a setup (JSON, [`Setup::from_json`]). Null on failure, with the
/// reason as the answer.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_new(at: *const u8, len: usize) -> *mut Live {
    // SAFETY: see the crate's contract.
    let player = setup(unsafe { text(at, len) }).and_then(|s| Player::new(s).map_err(|e| e.to_string()));
    match player {
        Ok(player) => Box::into_raw(Box::new(Live {
            player,
            block: StereoBlock::SILENT,
            out: [0.0; 2 * BLOCK],
            report: Report::default(),
            told: Vec::with_capacity(16_384),
        })),
        Err(reason) => {
            answer(&reason);
            std::ptr::null_mut()
        }
    }
}

/// Plays another setup from now on, without stopping. 1 if done; 0 with the reason as
/// the answer.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_change(live: *mut Live, at: *const u8, len: usize) -> u32 {
    // SAFETY: see the crate's contract.
    let (live, json) = unsafe { (&mut *live, text(at, len)) };
    done(setup(json).and_then(|s| live.player.change_to(s).map_err(|e| e.to_string())).map(|()| 1))
}

fn setup(json: &str) -> Result<Setup, String> {
    let json: Json = serde_json::from_str(json).map_err(|e| e.to_string())?;
    let mut setup = Setup::from_json(&json)?;
    setup.session.supply_with(sounds());
    Ok(setup)
}

/// Does once all that playing may need, so that nothing is held up by it later.
#[unsafe(no_mangle)]
pub extern "C" fn zr_warm(rate: f64) {
    zinc_core::live::warm::warm(rate);
}

/// Gives the player the sounds that are at hand by now.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_supply(live: *mut Live) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.supply(&sounds());
}

/// The number, or 0 with the reason as the answer.
fn done(result: Result<u32, String>) -> u32 {
    result.unwrap_or_else(|reason| {
        answer(&reason);
        0
    })
}

/// Ends a player.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_free(live: *mut Live) {
    // SAFETY: see the crate's contract.
    drop(unsafe { Box::from_raw(live) });
}

/// Declares what a store holds.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_store(live: *mut Live, store: usize, channels: usize, frames: u32, start: u32) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.set_store(store, channels, u64::from(frames), u64::from(start));
}

/// Brings a stretch of a store, interleaved.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_chunk(live: *mut Live, store: usize, index: usize, at: *const f32, samples: usize) {
    // SAFETY: see the crate's contract.
    let (live, samples) = unsafe { (&mut *live, std::slice::from_raw_parts(at, samples)) };
    live.player.put_chunk(store, index, samples);
}

/// Lets go of a stretch of a store.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_drop_chunk(live: *mut Live, store: usize, index: usize) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.drop_chunk(store, index);
}

/// Applies an edit (JSON). 1 if done; 2 if done and another setup is needed for it to be
/// heard; 0 with the reason as the answer.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_edit(live: *mut Live, at: *const u8, len: usize) -> u32 {
    // SAFETY: see the crate's contract.
    let (live, json) = unsafe { (&mut *live, text(at, len)) };
    let edit: Result<Edit, _> = serde_json::from_str(json).map_err(|e| e.to_string());
    done(edit.and_then(|e| live.player.edit(&e).map_err(|e| e.to_string())).map(|same| if same { 1 } else { 2 }))
}

/// Changes the other side of the comparison (JSON). 1 if done; 2 if another setup is
/// needed; 0 with the reason as the answer.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_compare(live: *mut Live, at: *const u8, len: usize) -> u32 {
    // SAFETY: see the crate's contract.
    let (live, json) = unsafe { (&mut *live, text(at, len)) };
    let reference: Result<Reference, _> = serde_json::from_str(json).map_err(|e| e.to_string());
    done(reference.map(|r| if live.player.compare(&r) { 1 } else { 2 }))
}

/// Starts playing.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_play(live: *mut Live) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.play();
}

/// Stops playing.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_stop(live: *mut Live) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.stop();
}

/// Goes to a frame.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_seek(live: *mut Live, frame: u32) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.seek(u64::from(frame));
}

/// Loops frames `from..to`; no loop when `to` is 0.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_loop(live: *mut Live, from: u32, to: u32) {
    let looped = (to > 0).then_some((u64::from(from), u64::from(to)));
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.set_loop(looped);
}

/// Chooses what is heard: 0 the session, 1 the other side, 2 the difference.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_listen(live: *mut Live, side: u32) {
    let side = match side {
        1 => Side::Other,
        2 => Side::Difference,
        _ => Side::Worked,
    };
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.listen(side);
}

/// Lets the side change by itself after so many passes of a loop; 0 for never.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_alternate(live: *mut Live, passes: u32) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.alternate(passes);
}

/// Hears these strips only; everything when there are none.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_hear(live: *mut Live, at: *const u32, count: usize) {
    // SAFETY: see the crate's contract.
    let (live, strips) = unsafe { (&mut *live, std::slice::from_raw_parts(at, count)) };
    live.player.hear_only((!strips.is_empty()).then(|| strips.to_vec()));
}

/// Checks the mix on another system, by its number in the catalogue.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_check(live: *mut Live, check: usize) {
    let check = Check::ALL.get(check).map_or(Check::Studio, |(check, _, _)| *check);
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.check_on(check);
}

/// Starts the maxima of the output's meters anew.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_reset_maxima(live: *mut Live) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.reset_maxima();
}

/// Shows this station on the scope.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_watch(live: *mut Live, station: usize) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.watch_station(station);
}

/// Computes a block; 128 left samples and then 128 right ones lie at the result.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_process(live: *mut Live) -> *const f32 {
    // SAFETY: see the crate's contract.
    let live = unsafe { &mut *live };
    live.player.process(&mut live.block);
    live.out[..BLOCK].copy_from_slice(&live.block.left);
    live.out[BLOCK..].copy_from_slice(&live.block.right);
    live.out.as_ptr()
}

/// Writes a report ([`Report::write`]) and finishes waiting changes. Its length
/// is what [`zr_player_report_len`] says.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_report(live: *mut Live) -> *const f64 {
    // SAFETY: see the crate's contract.
    let live = unsafe { &mut *live };
    live.player.catch_up();
    live.player.report(&mut live.report);
    live.report.write(&mut live.told);
    live.told.as_ptr()
}

/// Numbers in the last report.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_report_len(live: *const Live) -> usize {
    // SAFETY: see the crate's contract.
    unsafe { &*live }.told.len()
}
