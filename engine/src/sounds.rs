//! Sounds that units name, at hand for whoever asks or plays in this module.

use std::cell::RefCell;
use std::sync::Arc;

use zinc_core::signal::Sound;
use zinc_core::unit::{SoundId, Sounds};

use crate::memory::{answer, text};

thread_local! {
    static SOUNDS: RefCell<Sounds> = RefCell::default();
}

/// All that are at hand.
pub(crate) fn sounds() -> Sounds {
    SOUNDS.with_borrow(Clone::clone)
}

/// Takes a sound in by its name (64 hexadecimal digits): interleaved samples of both sides at the
/// session's rate, recorded at `recorded_hz`. 1 if done; 0 with the reason as the answer.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_sound(
    name: *const u8,
    len: usize,
    samples: *const f32,
    count: usize,
    recorded_hz: f64,
) -> u32 {
    // SAFETY: see the crate's contract.
    let (name, samples) = unsafe { (text(name, len), std::slice::from_raw_parts(samples, count)) };
    match name.parse::<SoundId>() {
        Ok(id) => SOUNDS.with_borrow_mut(|all| all.put(id, Arc::new(Sound::new(samples, 2, recorded_hz)))),
        Err(_) => {
            answer("A sound is named by 64 hexadecimal digits.");
            return 0;
        }
    }
    1
}

/// Lets go of a sound; what plays with it keeps it.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_sound_forget(name: *const u8, len: usize) {
    // SAFETY: see the crate's contract.
    if let Ok(id) = unsafe { text(name, len) }.parse::<SoundId>() {
        SOUNDS.with_borrow_mut(|all| all.forget(id));
    }
}
