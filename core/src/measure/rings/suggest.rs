//! What to do against a ring.

use crate::unit::eq::surgical::KIND as SURGICAL;
use crate::unit::param::Param;
use crate::unit::proposed::values;
use crate::unit::value::WrittenRow;

const BAND: &[Param] = SURGICAL.tables.lists[0].params;

/// Under this share of time a cut is better made only when it rings.
const SELDOM: f64 = 0.3;

/// A ring, as far as its cut depends on it.
pub(super) struct Cut {
    pub hz: f64,
    pub prominence_db: f64,
    pub q: f64,
    /// Share of time in which it rings.
    pub share: f64,
    /// Level in dBFS over which it rings.
    pub threshold_db: f64,
}

/// A notch for mains hum, and why.
pub(super) fn notch(hz: f64) -> (WrittenRow, String) {
    let band = values!(BAND, {"shape": "notch", "freq_hz": hz.round(), "q": 30});
    (band, "Mains hum stands still: a notch takes it and nothing else.".into())
}

/// A steady cut, or one that acts only when it rings, and why.
pub(super) fn cut(ring: &Cut) -> (WrittenRow, String) {
    let tenth = |x: f64| (x * 10.0).round() / 10.0;
    let gain_db = -(ring.prominence_db * 0.8).clamp(3.0, 18.0).round();
    let (freq_hz, q) = (tenth(ring.hz), tenth(ring.q.clamp(0.1, 100.0)));
    let percent = 100.0 * ring.share;
    if ring.share >= SELDOM {
        let band = values!(BAND, {"shape": "bell", "freq_hz": freq_hz, "gain_db": gain_db, "q": q});
        return (band, format!("It rings {percent:.0} % of the time: a steady cut."));
    }
    let band = values!(BAND, {
        "shape": "bell", "freq_hz": freq_hz, "gain_db": 0, "q": q,
        "dynamic.on": true, "dynamic.threshold_db": ring.threshold_db.clamp(-80.0, 0.0).round(), "dynamic.ratio": 4,
        "dynamic.range_db": -gain_db, "dynamic.attack_ms": 5, "dynamic.release_ms": 150,
    });
    (band, format!("It rings {percent:.0} % of the time: a band that acts only then costs the rest nothing."))
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_ring_heard_seldom_gets_a_band_that_acts_only_over_its_level() {
        let ring = |share| Cut { hz: 618.04, prominence_db: 15.0, q: 26.0, share, threshold_db: -31.6 };
        let (steady, _) = cut(&ring(0.6));
        assert_eq!(json!(steady), json!({ "shape": "bell", "freq_hz": 618.0, "gain_db": -12.0, "q": 26.0 }));
        let (moving, why) = cut(&ring(0.12));
        let moving = json!(moving);
        assert_eq!(moving["gain_db"], json!(0));
        assert_eq!(moving["dynamic"]["threshold_db"], json!(-32.0));
        assert_eq!(moving["dynamic"]["range_db"], json!(12.0));
        assert!(why.contains("12 %"), "{why}");
    }
}
