//! What to do against a ring.

use serde_json::{Value as Json, json};

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
pub(super) fn notch(hz: f64) -> (Json, String) {
    let band = json!({ "shape": "notch", "freq_hz": hz.round(), "q": 30 });
    (band, "Mains hum stands still: a notch takes it and nothing else.".into())
}

/// A steady cut, or one that acts only when it rings, and why.
pub(super) fn cut(ring: &Cut) -> (Json, String) {
    let tenth = |x: f64| (x * 10.0).round() / 10.0;
    let gain_db = -(ring.prominence_db * 0.8).clamp(3.0, 18.0).round();
    let mut band =
        json!({ "shape": "bell", "freq_hz": tenth(ring.hz), "gain_db": gain_db, "q": tenth(ring.q.clamp(0.1, 100.0)) });
    let percent = 100.0 * ring.share;
    if ring.share >= SELDOM {
        return (band, format!("It rings {percent:.0} % of the time: a steady cut."));
    }
    band["gain_db"] = json!(0);
    band["dynamic"] = json!({ "on": true, "threshold_db": ring.threshold_db.clamp(-80.0, 0.0).round(), "ratio": 4, "range_db": -gain_db, "attack_ms": 5, "release_ms": 150 });
    (band, format!("It rings {percent:.0} % of the time: a band that acts only then costs the rest nothing."))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_ring_heard_seldom_gets_a_band_that_acts_only_over_its_level() {
        let ring = |share| Cut { hz: 618.04, prominence_db: 15.0, q: 26.0, share, threshold_db: -31.6 };
        let (steady, _) = cut(&ring(0.6));
        assert_eq!(steady, json!({ "shape": "bell", "freq_hz": 618.0, "gain_db": -12.0, "q": 26.0 }));
        let (moving, why) = cut(&ring(0.12));
        assert_eq!(moving["gain_db"], json!(0));
        assert_eq!(moving["dynamic"]["threshold_db"], json!(-32.0));
        assert_eq!(moving["dynamic"]["range_db"], json!(12.0));
        assert!(why.contains("12 %"), "{why}");
    }
}
