//! The impulse response of a rack, for convolution elsewhere.

use crate::rack::{Rack, RackSpec};
use crate::signal::decibel::db_to_gain;
use crate::signal::{BLOCK, StereoBlock};

/// It is over when the last tenth of a second stayed this far under its peak.
const OVER_DB: f64 = -130.0;
/// Longest response in seconds.
const LONGEST_S: f64 = 20.0;

/// What leaves both sides of a rack at rest for one impulse on both, from the frame of the
/// impulse on: the first frames are the rack's lateness. Only of racks that treat loud and
/// soft alike is it the whole truth.
///
/// # Errors
/// A sentence that names the unit which does not.
pub fn impulse_response(rack: &RackSpec, rate: f64) -> Result<[Vec<f32>; 2], String> {
    if let Some(unit) = rack.units.iter().find(|u| !u.is_linear()) {
        let name = unit.kind.name;
        return Err(format!(
            "The {name} as it is set treats loud and soft differently, which no impulse response can say."
        ));
    }
    let mut running = Rack::new(rack, rate);
    let (latency, tenth) = (running.latency(), (rate / 10.0) as usize);
    let mut out = [Vec::new(), Vec::new()];
    let (mut peak, mut last_loud) = (0.0f32, 0);
    while out[0].len() < (LONGEST_S * rate) as usize {
        let mut block = StereoBlock::SILENT;
        if out[0].is_empty() {
            (block.left[0], block.right[0]) = (1.0, 1.0);
        }
        running.process(&mut block);
        peak = peak.max(block.peak());
        out[0].extend_from_slice(&block.left);
        out[1].extend_from_slice(&block.right);
        if f64::from(block.peak()) > f64::from(peak) * db_to_gain(OVER_DB) {
            last_loud = out[0].len();
        }
        if out[0].len() > 2 * latency + BLOCK && out[0].len() - last_loud > tenth {
            break;
        }
    }
    out.iter_mut().for_each(|side| side.truncate(last_loud.max(latency + 1)));
    Ok(out)
}
