//! Making room: two parts that want the same place, and what lets one be heard beside the
//! other.
//!
//! How much of a part is heard beside another is counted as in the speech intelligibility
//! index (ANSI S3.5-1997): in each band of each moment the part is lost where it lies 15 dB
//! under the other, whole from 15 dB over it, and in between in proportion; bands and moments
//! count by the part's own K-weighted energy.

use crate::rack::Key;
use crate::rack::KeyTap;
use crate::rack::UnitSpec;
use crate::unit::value::WrittenRow;
use serde::Serialize;

use crate::measure::moments::Moments;
use crate::measure::third_octave::{BANDS, centre_hz};
use crate::rack::proposed::{because, unit_of_rows};
use crate::signal::decibel::power_to_db;
use crate::signal::math::{log, pow};
use crate::unit::Param;
use crate::unit::eq::surgical::KIND as SURGICAL;
use crate::unit::proposed::values;
use crate::unit::text::note_name;

/// The parameters of a band.
const BAND: &[Param] = SURGICAL.tables.lists[0].params;

/// dB either side of equal level between lost and whole.
const SPAN_DB: f64 = 15.0;
/// A moment and band this far under the part's strongest does not count.
const QUIET_DB: f64 = 40.0;
/// The pair: what is taken from the lesser part and given to the greater, in dB, and how
/// wide.
const DIP_DB: f64 = -3.0;
const LIFT_DB: f64 = 2.0;
const PAIR_Q: f64 = 1.4;
/// The keyed dip: how far it goes, how hard, how fast.
const KEYED_RANGE_DB: f64 = 5.0;
const KEYED_RATIO: f64 = 4.0;
const KEYED_ATTACK_MS: f64 = 8.0;
const KEYED_RELEASE_MS: f64 = 120.0;

/// Where two parts are in each other's way.
#[derive(Clone, Debug, PartialEq, Serialize)]
pub struct Overlap {
    /// Share of the softer part's energy that meets as much of the other's, 0..1.
    pub share: f64,
    /// What is lost at the ear, for ranking: the share of one part that is not heard beside the
    /// other at the levels they have, by how loud that part is (loudness goes with the power
    /// 0.3 of energy; Stevens); of the part that loses more.
    pub weight: f64,
    /// Centre in Hz of the third octave in which most of it lies.
    pub hz: f64,
    /// The nearest note.
    pub note: String,
}

/// The overlap of two parts over time; none where they hardly meet, or only in what is far
/// under both: two tracks that share their noise floors share nothing.
#[must_use]
pub fn overlap(first: &Moments, second: &Moments) -> Option<Overlap> {
    let mut met = [0.0f64; BANDS];
    let mut whole = [0.0f64; 2];
    let (least_a, least_b) = (least(first), least(second));
    for (a, b) in first.energy.iter().zip(&second.energy) {
        for band in 0..BANDS {
            if f64::from(a[band]) > least_a && f64::from(b[band]) > least_b {
                met[band] += f64::from(a[band].min(b[band]));
            }
            whole[0] += f64::from(a[band]);
            whole[1] += f64::from(b[band]);
        }
    }
    let most = (0..BANDS).max_by(|a, b| met[*a].total_cmp(&met[*b]))?;
    let softer = whole[0].min(whole[1]);
    let share = met.iter().sum::<f64>() / softer;
    let moments = first.energy.len().max(1) as f64;
    let lost =
        |part: &Moments, beside: &Moments, energy: f64| (1.0 - audibility(part, beside).0) * pow(energy / moments, 0.3);
    let weight = lost(first, second, whole[0]).max(lost(second, first, whole[1]));
    let hz = centre_hz(most);
    (share > 0.02).then(|| Overlap { share, weight, hz, note: note_name(hz) })
}

/// Energy that a moment and band of a part needs to count.
fn least(part: &Moments) -> f64 {
    let strongest = part.energy.iter().flatten().fold(0.0f32, |m, e| m.max(*e));
    f64::from(strongest) * pow(10.0, -QUIET_DB / 10.0)
}

/// Share of a part that is heard beside another, 0..1: of the whole, and of each band.
#[must_use]
pub fn audibility(part: &Moments, beside: &Moments) -> (f64, [f64; BANDS]) {
    let least = least(part);
    let (mut heard, mut whole) = ([0.0f64; BANDS], [0.0f64; BANDS]);
    for (own, other) in part.energy.iter().zip(&beside.energy) {
        for band in 0..BANDS {
            let (own, other) = (f64::from(own[band]), f64::from(other[band]));
            if own > least {
                let over = power_to_db(own) - power_to_db(other + 1e-12);
                whole[band] += own;
                heard[band] += own * ((over + SPAN_DB) / (2.0 * SPAN_DB)).clamp(0.0, 1.0);
            }
        }
    }
    let share = |band: usize| if whole[band] > 0.0 { heard[band] / whole[band] } else { 1.0 };
    let all = whole.iter().sum::<f64>();
    let total = if all > 0.0 { heard.iter().sum::<f64>() / all } else { 1.0 };
    (total, std::array::from_fn(share))
}

/// dB by which a part stands over another in the third octave at a frequency in Hz, while it
/// plays there: the mean over its moments, weighted by its energy in them.
#[must_use]
pub fn stands_over(part: &Moments, beside: &Moments, hz: f64) -> f64 {
    let away = |band: &usize| log(centre_hz(*band) / hz).abs();
    let band = (0..BANDS).min_by(|a, b| away(a).total_cmp(&away(b))).unwrap_or(0);
    let (mut sum, mut whole) = (0.0, 0.0);
    for (own, other) in part.energy.iter().zip(&beside.energy) {
        let own = f64::from(own[band]);
        // What is silent beside it cannot be stood over by more than the span of the index.
        let over = power_to_db(own + 1e-12) - power_to_db(f64::from(other[band]) + 1e-12);
        sum += own * over.clamp(-2.0 * SPAN_DB, 2.0 * SPAN_DB);
        whole += own;
    }
    if whole > 0.0 { sum / whole } else { 0.0 }
}

/// The band in which a part loses most beside another, in Hz, and the level in dBFS it has
/// there while it plays.
#[must_use]
pub fn lost_at(part: &Moments, beside: &Moments) -> (f64, f64) {
    let (_, heard) = audibility(part, beside);
    let energy = |band: usize| part.energy.iter().map(|m| f64::from(m[band])).sum::<f64>();
    let lost = |band: &usize| energy(*band) * (1.0 - heard[*band]);
    let band = (0..BANDS).max_by(|a, b| lost(a).total_cmp(&lost(b))).unwrap_or(0);
    let strongest = part.energy.iter().fold(0.0f32, |m, e| m.max(e[band]));
    (centre_hz(band), power_to_db(f64::from(strongest) + 1e-20))
}

/// How room is made.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Way {
    /// A dip in the lesser part and a lift in the greater, at the same place.
    Pair,
    /// A dip in the lesser that works only while the greater plays.
    Keyed,
}

/// Units, as in a rack file, for the parts that give way (the same for all: one hole) and for
/// the part that matters. `greater` is the strip that matters, `level_db` how strong it is at
/// `hz`.
#[must_use]
pub fn units(way: Way, greater: u32, greater_name: &str, hz: f64, level_db: f64) -> (UnitSpec, Option<UnitSpec>) {
    let hz = (hz * 10.0).round() / 10.0;
    let bell = |gain_db: f64| values!(BAND, {"shape": "bell", "freq_hz": hz, "gain_db": gain_db, "q": PAIR_Q});
    let eq = |why: String, band: WrittenRow| because(why, unit_of_rows(&SURGICAL, &[band]));
    match way {
        Way::Pair => {
            let dip = eq(format!("makes room for {greater_name}"), bell(DIP_DB));
            (dip, Some(eq("comes forward where room was made".into(), bell(LIFT_DB))))
        }
        Way::Keyed => {
            // Half-way down from where the key is strongest, a peak being some 6 dB over the
            // mean square of a moment: the hits move it, what rings after them does not.
            let threshold = (level_db - 6.0).clamp(-80.0, 0.0).round();
            let band = values!(BAND, {
                "shape": "bell", "freq_hz": hz, "gain_db": 0.0, "q": PAIR_Q,
                "dynamic.threshold_db": threshold, "dynamic.ratio": KEYED_RATIO, "dynamic.range_db": KEYED_RANGE_DB,
                "dynamic.attack_ms": KEYED_ATTACK_MS, "dynamic.release_ms": KEYED_RELEASE_MS, "dynamic.key": "key",
            });
            let key = Some(Key::Strip { strip: greater, tap: KeyTap::AfterRack });
            let dip = eq(format!("makes room while {greater_name} plays"), band);
            (UnitSpec { key, ..dip }, None)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// A part with one band, at a level in dB, in every `every`th of 60 moments.
    fn part(band: usize, db: f64, every: usize) -> Moments {
        let moment = |t: usize| {
            let mut energy = [0.0; BANDS];
            energy[band] = if t.is_multiple_of(every) { 10f64.powf(db / 10.0) as f32 } else { 0.0 };
            energy
        };
        Moments { energy: (0..60).map(moment).collect() }
    }

    #[test]
    fn parts_that_never_sound_together_do_not_collide_however_alike_they_are() {
        let even = part(7, -20.0, 2);
        let odd = Moments { energy: even.energy[1..].to_vec() };
        assert_eq!(overlap(&even, &odd), None);
        let same = overlap(&even, &even).unwrap();
        assert!((same.share - 1.0).abs() < 1e-6 && same.hz == centre_hz(7));
    }

    /// A part of two bands, one far under the other, which plays all the time.
    fn over_hiss(band: usize, db: f64) -> Moments {
        let mut whole = part(band, db, 2);
        whole.energy.iter_mut().for_each(|moment| moment[25] += 10f64.powf((db - 50.0) / 10.0) as f32);
        whole
    }

    #[test]
    fn two_parts_that_share_only_hiss_do_not_collide() {
        assert_eq!(overlap(&over_hiss(5, -20.0), &over_hiss(15, -22.0)), None);
    }

    #[test]
    fn a_pair_ranks_by_what_is_lost_at_the_levels_there_are() {
        // Of two equally loud half of each is lost: 0.5 (10^-2)^0.3 = 0.126; of one 10 dB under
        // the other five sixths, but it is softer: 0.833 (10^-3)^0.3 = 0.105.
        let weight = |a: f64, b: f64| overlap(&part(9, a, 1), &part(9, b, 1)).unwrap().weight;
        assert!((weight(-20.0, -20.0) - 0.1256).abs() < 0.002 && (weight(-20.0, -30.0) - 0.1049).abs() < 0.002);
        assert!(weight(-40.0, -50.0) < weight(-20.0, -30.0));
        assert_eq!(overlap(&part(9, -20.0, 1), &part(9, -30.0, 1)).unwrap().note, note_name(centre_hz(9)));
    }

    #[test]
    fn audibility_runs_from_lost_at_15_db_under_to_whole_at_15_over() {
        for (db, expected) in [(-40.0, 0.0), (-35.0, 0.0), (-27.5, 0.25), (-20.0, 0.5), (-5.0, 1.0)] {
            let (share, _) = audibility(&part(9, db, 1), &part(9, -20.0, 1));
            assert!((share - expected).abs() < 0.01, "{db}: {share}");
        }
    }

    #[test]
    fn a_part_stands_over_another_by_the_difference_of_their_levels_while_it_plays() {
        let over = stands_over(&part(9, -18.0, 3), &part(9, -25.0, 1), centre_hz(9));
        assert!((over - 7.0).abs() < 1e-3, "{over}");
    }

    #[test]
    fn the_proposals_are_ordinary_racks() {
        for way in [Way::Pair, Way::Keyed] {
            let (dip, lift) = units(way, 3, "Kick", 62.5, -22.0);
            for unit in [Some(dip), lift].into_iter().flatten() {
                let spec = unit;
                assert_eq!(spec.settings.rows().len(), 1);
            }
        }
    }

    proptest! {
        #[test]
        fn a_dip_in_the_other_part_never_makes_this_one_less_audible(
            own in prop::collection::vec(1e-9f32..1.0, BANDS), other in prop::collection::vec(1e-9f32..1.0, BANDS),
            band in 0usize..BANDS, dip in 0.1f32..1.0
        ) {
            let as_moments = |v: &[f32]| Moments { energy: vec![std::array::from_fn(|i| v[i])] };
            let mut dipped = other.clone();
            dipped[band] *= dip;
            let before = audibility(&as_moments(&own), &as_moments(&other)).0;
            let after = audibility(&as_moments(&own), &as_moments(&dipped)).0;
            prop_assert!(after >= before - 1e-12);
        }
    }
}
