//! One rack over given samples, to hold this module's bits against the native ones.

use zinc_core::rack::{Rack, RackSpec};
use zinc_core::signal::{BLOCK, StereoBlock};

use crate::memory::{answer, text};
use crate::sounds::sounds;

/// Makes a running rack from a rack file. Null on failure, with the reason as the answer.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_rack_new(at: *const u8, len: usize, rate: f64) -> *mut Rack {
    // SAFETY: see the crate's contract.
    match RackSpec::from_text(unsafe { text(at, len) }) {
        Ok(mut spec) => {
            spec.supply(&sounds());
            Box::into_raw(Box::new(Rack::new(&spec, rate)))
        }
        Err(reason) => {
            answer(&reason.to_string());
            std::ptr::null_mut()
        }
    }
}

/// Works on 128 frames in place: 128 left samples, then 128 right ones.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_rack_process(rack: *mut Rack, samples: *mut f32) {
    // SAFETY: see the crate's contract.
    let (rack, samples) = unsafe { (&mut *rack, std::slice::from_raw_parts_mut(samples, 2 * BLOCK)) };
    let mut block = StereoBlock::SILENT;
    block.left.copy_from_slice(&samples[..BLOCK]);
    block.right.copy_from_slice(&samples[BLOCK..]);
    rack.process(&mut block);
    samples[..BLOCK].copy_from_slice(&block.left);
    samples[BLOCK..].copy_from_slice(&block.right);
}

/// Ends a rack.
#[unsafe(no_mangle)]
pub unsafe extern "C" fn zr_rack_free(rack: *mut Rack) {
    // SAFETY: see the crate's contract.
    drop(unsafe { Box::from_raw(rack) });
}
