//! The audio thread's side: one player.

use zinc_core::live::Player;
use zinc_core::live::player::View;
use zinc_core::render::Listening;
use zinc_core::session::{Edit, Session};
use zinc_core::signal::{BLOCK, StereoBlock};

use crate::memory::{answer, text};

/// A player with the buffers the audio thread reads.
pub struct Live {
    player: Player,
    block: StereoBlock,
    out: [f32; 2 * BLOCK],
    report: Vec<f32>,
}

/// Makes a player for a session (JSON) and a page: 0 for the Desk, else the
/// strip of the Bench. Null on failure, with the reason as the answer.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_new(at: *const u8, len: usize, strip: u32) -> *mut Live {
    // SAFETY: see the crate's contract.
    let json = unsafe { text(at, len) };
    let view = if strip == 0 { View::Desk } else { View::Bench(strip) };
    let session = serde_json::from_str(json).map_err(|e| e.to_string());
    let session = session.and_then(|j| Session::from_json(&j).map_err(|e| e.to_string()));
    let player = session.and_then(|s| Player::new(s, view).ok_or_else(|| format!("there is no strip {strip}")));
    match player {
        Ok(player) => Box::into_raw(Box::new(Live {
            player,
            block: StereoBlock::SILENT,
            out: [0.0; 2 * BLOCK],
            report: Vec::with_capacity(16_384),
        })),
        Err(reason) => {
            answer(&reason);
            std::ptr::null_mut()
        }
    }
}

/// Ends a player.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_free(live: *mut Live) {
    // SAFETY: see the crate's contract.
    drop(unsafe { Box::from_raw(live) });
}

/// Declares a lane's source.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_source(live: *mut Live, lane: usize, channels: usize, frames: u32) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.set_source(lane, channels, u64::from(frames));
}

/// Brings a stretch of a lane's source, interleaved.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_chunk(live: *mut Live, lane: usize, index: usize, at: *const f32, samples: usize) {
    // SAFETY: see the crate's contract.
    let (live, samples) = unsafe { (&mut *live, std::slice::from_raw_parts(at, samples)) };
    live.player.put_chunk(lane, index, samples);
}

/// Lets go of a stretch of a lane's source.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_drop_chunk(live: *mut Live, lane: usize, index: usize) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.drop_chunk(lane, index);
}

/// Applies an edit (JSON). 1 if done; 0 with the reason as the answer.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_edit(live: *mut Live, at: *const u8, len: usize) -> u32 {
    // SAFETY: see the crate's contract.
    let (live, json) = unsafe { (&mut *live, text(at, len)) };
    let edit: Result<Edit, _> = serde_json::from_str(json).map_err(|e| e.to_string());
    match edit.and_then(|e| live.player.edit(&e).map_err(|e| e.to_string())) {
        Ok(()) => 1,
        Err(reason) => {
            answer(&reason);
            0
        }
    }
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
    unsafe { &mut *live }.player.transport().stop();
}

/// Goes to a frame.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_seek(live: *mut Live, frame: u32) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.transport().seek(u64::from(frame));
}

/// Loops frames `from..to`; no loop when `to` is 0.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_loop(live: *mut Live, from: u32, to: u32) {
    let looped = (to > 0).then_some((u64::from(from), u64::from(to)));
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.transport().set_loop(looped);
}

/// Chooses what is heard of the focus rack: 0 worked, 1 untouched, 2 the
/// difference, the untouched sound raised by `match_db`.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_listen(live: *mut Live, mode: u32, match_db: f64) {
    let listening = match mode {
        1 => Listening::Untouched(match_db),
        2 => Listening::Difference(match_db),
        _ => Listening::Worked,
    };
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.listen(listening);
}

/// Hears the focus lane alone (1) or in the mix (0).
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_alone(live: *mut Live, alone: u32) {
    // SAFETY: see the crate's contract.
    unsafe { &mut *live }.player.set_alone(alone != 0);
}

/// Hears these strips only; all when there are none.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_solo(live: *mut Live, at: *const u32, count: usize) {
    // SAFETY: see the crate's contract.
    let (live, strips) = unsafe { (&mut *live, std::slice::from_raw_parts(at, count)) };
    live.player.set_solo(strips.to_vec());
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

/// Writes a report ([`Player::report`]) and finishes waiting changes. Its length
/// is what [`zr_player_report_len`] says.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_report(live: *mut Live) -> *const f32 {
    // SAFETY: see the crate's contract.
    let live = unsafe { &mut *live };
    live.player.catch_up();
    live.player.report(&mut live.report);
    live.report.as_ptr()
}

/// Numbers in the last report.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_player_report_len(live: *const Live) -> usize {
    // SAFETY: see the crate's contract.
    unsafe { &*live }.report.len()
}
