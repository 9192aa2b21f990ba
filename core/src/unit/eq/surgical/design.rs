//! From the settings of bands to sections, and the one formula for their response.

use arrayvec::ArrayVec;

use super::table::MAX_BANDS;
use crate::filter::SvfDesign;
use crate::filter::analog::{self, AnalogSection, MAX_SECTIONS, Side};
use crate::filter::correction::{self, ErrorCurve, TAPS, identity};
use crate::filter::fir::ShortFir;
use crate::filter::linear_phase::{self, Gains};
use crate::filter::matched::{matched, response_at};
use crate::signal::math::{Complex, TAU, tan};
use crate::signal::place::Place;
use crate::unit::kind::{TAIL_DB, Tail};
use crate::unit::settings::{Record, Settings};

/// Order of a shelf with the steepest slope: 96 dB/oct.
const STEEPEST_ORDER: usize = 16;

/// What a band does to its region.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Shape {
    /// Removes what lies below.
    HighPass,
    /// Removes what lies above.
    LowPass,
    /// Lifts or lowers what lies below.
    LowShelf,
    /// Lifts or lowers what lies above.
    HighShelf,
    /// Lifts or lowers a region.
    Bell,
    /// Removes one frequency.
    Notch,
    /// Leaves a region only.
    BandPass,
    /// Lifts one side and lowers the other.
    Tilt,
}

/// One band's settings, read once.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct BandSpec {
    pub on: bool,
    pub shape: Shape,
    pub hz: f64,
    pub gain_db: f64,
    pub q: f64,
    /// Order of its slope; none for the steepest.
    pub order: Option<usize>,
    pub place: Place,
    /// Whether its gain moves with the level.
    pub moves: bool,
}

impl BandSpec {
    /// Reads a row; `amount` scales its gain.
    pub fn new(band: &Record, amount: f64) -> Self {
        let mut spec = Self {
            on: band.is_on("on"),
            shape: match band.choice("shape") {
                "high-pass" => Shape::HighPass,
                "low-pass" => Shape::LowPass,
                "low-shelf" => Shape::LowShelf,
                "high-shelf" => Shape::HighShelf,
                "notch" => Shape::Notch,
                "band-pass" => Shape::BandPass,
                "tilt" => Shape::Tilt,
                _ => Shape::Bell,
            },
            hz: band.number("freq_hz"),
            gain_db: band.number("gain_db") * amount,
            q: band.number("q"),
            order: band.choice("slope_db_oct").parse::<usize>().ok().map(|slope| slope / 6),
            place: Place::from_id(band.choice("place")),
            moves: false,
        };
        spec.moves = spec.on && spec.has_gain() && band.is_on("dynamic.on");
        spec
    }

    /// Whether it has a gain that can move.
    pub fn has_gain(&self) -> bool {
        matches!(self.shape, Shape::Bell | Shape::LowShelf | Shape::HighShelf | Shape::Tilt)
    }

    /// Whether it changes nothing.
    pub fn is_idle(&self) -> bool {
        !self.on || (self.has_gain() && self.gain_db == 0.0)
    }

    /// Hands the analog sections of the band at another gain to `take`, in order; nothing
    /// is allocated.
    pub fn sections(&self, gain_db: f64, mut take: impl FnMut(AnalogSection)) {
        let (hz, q) = (self.hz, self.q);
        let shelf_order = self.order.unwrap_or(STEEPEST_ORDER);
        match (self.shape, self.order) {
            (Shape::HighPass, Some(order)) => analog::cut(Side::Low, hz, order).for_each(take),
            (Shape::LowPass, Some(order)) => analog::cut(Side::High, hz, order).for_each(take),
            (Shape::HighPass, None) => analog::steepest_cut(Side::Low, hz).for_each(take),
            (Shape::LowPass, None) => analog::steepest_cut(Side::High, hz).for_each(take),
            (Shape::LowShelf, _) => analog::shelf(Side::Low, hz, gain_db, q, shelf_order).for_each(take),
            (Shape::HighShelf, _) => analog::shelf(Side::High, hz, gain_db, q, shelf_order).for_each(take),
            (Shape::Bell, _) => take(analog::bell(hz, gain_db, q)),
            (Shape::Notch, _) => take(analog::notch(hz, q)),
            (Shape::BandPass, _) => take(analog::band_pass(hz, q)),
            (Shape::Tilt, _) => take(analog::tilt(hz, gain_db)),
        }
    }

    fn prototype(&self) -> ArrayVec<AnalogSection, MAX_SECTIONS> {
        let mut all = ArrayVec::new();
        if !self.is_idle() {
            self.sections(self.gain_db, |section| all.push(section));
        }
        all
    }
}

/// One band's digital sections at rest and its share of the correction.
#[derive(Clone)]
pub struct BandDesign {
    pub spec: BandSpec,
    pub sections: ArrayVec<SvfDesign, MAX_SECTIONS>,
    pub curve: ErrorCurve,
}

impl BandDesign {
    pub fn new(spec: BandSpec, rate: f64) -> Self {
        let analog = spec.prototype();
        let sections: ArrayVec<_, MAX_SECTIONS> = analog.iter().map(|a| matched(a, rate)).collect();
        let curve = ErrorCurve::of(&analog, &sections, rate);
        Self { spec, sections, curve }
    }
}

/// Taps of the common correction of some bands of one place.
pub fn taps_of<'a>(bands: impl Iterator<Item = &'a BandDesign>, place: Place) -> [f64; TAPS] {
    correction::fit(bands.filter(|b| b.spec.place == place).map(|b| &b.curve))
}

/// The gains of bands that a linear-phase kernel is made from: the magnitude of their
/// minimum-phase sections and correction, by place. Filling it anew allocates nothing.
#[derive(Clone)]
pub struct BandGains {
    places: [(Vec<SvfDesign>, [f64; TAPS]); Place::ALL.len()],
}

impl BandGains {
    /// No bands, with room for all.
    pub fn new() -> Self {
        Self { places: std::array::from_fn(|_| (Vec::with_capacity(MAX_BANDS * MAX_SECTIONS), identity())) }
    }

    /// Of these bands, with room for all.
    pub fn of<'a>(bands: impl Iterator<Item = &'a BandDesign> + Clone) -> Self {
        let mut gains = Self::new();
        gains.fill(bands);
        gains
    }

    /// Takes over other bands.
    pub fn fill<'a>(&mut self, bands: impl Iterator<Item = &'a BandDesign> + Clone) {
        for (place, (sections, taps)) in Place::ALL.into_iter().zip(&mut self.places) {
            sections.clear();
            sections.extend(bands.clone().filter(|b| b.spec.place == place).flat_map(|b| b.sections.iter().copied()));
            *taps = taps_of(bands.clone(), place);
        }
    }
}

impl Gains for BandGains {
    fn at(&self, angle: f64) -> [f64; Place::ALL.len()] {
        let t = tan(angle / 2.0).min(1e12);
        self.places.each_ref().map(|(sections, taps)| {
            if sections.is_empty() {
                return 1.0;
            }
            let power: f64 = sections.iter().map(|s| s.power(t)).product();
            (power * ShortFir::response(taps, angle).norm_sqr()).sqrt()
        })
    }

    fn tell_parts_apart(&self) -> bool {
        // The whole comes first.
        self.places[1..].iter().any(|(sections, _)| !sections.is_empty())
    }
}

/// All bands of some settings.
fn bands_of(settings: &Settings, rate: f64) -> Vec<BandDesign> {
    let amount = settings.fixed.number("amount");
    settings.rows().iter().map(|row| BandDesign::new(BandSpec::new(row, amount), rate)).collect()
}

/// Whether the bands that stand still work through a linear-phase kernel.
pub fn is_linear_phase(settings: &Settings) -> bool {
    settings.fixed.choice("phase") == "linear"
}

/// What a sound in the middle keeps in the middle, at frequencies in Hz, everything at rest: the
/// one formula behind the drawn curve and the unit's response. Side bands do not touch it; left
/// and right bands do by half each. The lateness of a linear-phase kernel is left out.
pub fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let (bands, linear) = (bands_of(settings, rate), is_linear_phase(settings));
    let by_sections = MinimumPhase::of(bands.iter().filter(|b| !linear || b.spec.moves));
    let angles: Vec<f64> = freqs.iter().map(|hz| TAU * hz / rate).collect();
    let minimum = angles.iter().map(|angle| by_sections.response(*angle));
    if !linear {
        return minimum.collect();
    }
    let gains = BandGains::of(bands.iter().filter(|b| !b.spec.moves));
    minimum.zip(linear_phase::response(&gains, rate, &angles)).map(|(h, gain)| h.scale(gain)).collect()
}

/// Whether nothing of it follows the level.
pub fn is_linear(settings: &Settings) -> bool {
    let moves = |row: &Record| BandSpec::new(row, 1.0).moves;
    !settings.fixed.is_on("auto_level") && !settings.rows().iter().any(moves)
}

/// Most that auto level may add, in dB.
const AUTO_LEVEL_DB: f64 = 36.0;
/// By how much the sections other than the slowest are given time to fall, in dB: each rings on
/// with what the one before still gives it.
const OTHERS_DB: f64 = 30.0;

/// How long the bands ring: until the slowest section has fallen by what lies between the
/// loudest that all of them together can make of full scale and the end of a tail. A band that
/// moves may ring as long as at either end of its range.
pub fn tail(settings: &Settings, rate: f64) -> Tail {
    let amount = settings.fixed.number("amount");
    let (mut lift_db, mut slowest, mut all) = (0.0, 0, 0);
    for row in settings.rows() {
        let spec = BandSpec::new(row, amount);
        let range = if spec.moves { row.number("dynamic.range_db") } else { 0.0 };
        if spec.on && spec.has_gain() {
            lift_db += (spec.gain_db.abs() + range).max(0.0);
        }
        for gain_db in [spec.gain_db - range, spec.gain_db, spec.gain_db + range] {
            if !(spec.is_idle() && range == 0.0) && spec.on {
                spec.sections(gain_db, |analog| {
                    let design = matched(&analog, rate);
                    slowest = slowest.max(design.decay(1000.0));
                    all += if gain_db == spec.gain_db { design.decay(OTHERS_DB) } else { 0 };
                });
            }
        }
    }
    if settings.fixed.is_on("auto_level") {
        lift_db += AUTO_LEVEL_DB;
    }
    let fall = ((lift_db - TAIL_DB) / 1000.0 * slowest as f64).ceil() as usize;
    let taps = if settings.rows().is_empty() { 0 } else { TAPS };
    let kernel = if is_linear_phase(settings) { linear_phase::tail(rate) } else { 0 };
    Tail::Frames(fall + all + taps + kernel)
}

/// Response of bands run as sections, at any angle; nothing is allocated.
pub struct MinimumPhase<I> {
    bands: I,
    taps: [[f64; TAPS]; Place::ALL.len()],
}

impl<'a, I: Iterator<Item = &'a BandDesign> + Clone> MinimumPhase<I> {
    pub fn of(bands: I) -> Self {
        let taps = Place::ALL.map(|place| taps_of(bands.clone(), place));
        Self { bands, taps }
    }

    pub fn response(&self, angle: f64) -> Complex {
        let of_place = |place: usize| {
            let own = self.bands.clone().filter(|b| b.spec.place == Place::ALL[place]);
            own.fold(Complex::ONE, |h, b| h.times(response_at(&b.sections, angle)))
                .times(ShortFir::response(&self.taps[place], angle))
        };
        let [stereo, mid, _, left, right] = std::array::from_fn(of_place);
        stereo.times(mid).times(left.plus(right).scale(0.5))
    }
}
