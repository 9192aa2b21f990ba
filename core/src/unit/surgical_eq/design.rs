//! From the settings of bands to sections, and the one formula for their response.

use crate::filter::SectionDesign;
use crate::filter::analog::{self, AnalogSection, Side};
use crate::filter::correction::{self, Curve, TAPS};
use crate::filter::fir::ShortFir;
use crate::filter::linear_phase::{self, Gains};
use crate::filter::matched::{matched, response_at};
use crate::signal::math::{Complex, TAU, tan};
use crate::signal::place::Place;
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

    fn prototype(&self) -> Vec<AnalogSection> {
        let mut all = Vec::new();
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
    pub sections: Vec<SectionDesign>,
    pub curve: Curve,
}

impl BandDesign {
    pub fn new(spec: BandSpec, rate: f64) -> Self {
        let analog = spec.prototype();
        let sections: Vec<_> = analog.iter().map(|a| matched(a, rate)).collect();
        let curve = Curve::of(&analog, &sections, rate);
        Self { spec, sections, curve }
    }
}

/// Taps of the common correction of some bands of one place.
pub fn taps_of<'a>(bands: impl Iterator<Item = &'a BandDesign>, place: Place) -> [f64; TAPS] {
    correction::fit(bands.filter(|b| b.spec.place == place).map(|b| &b.curve))
}

/// The gains of bands that a linear-phase kernel is made from: the magnitude of their
/// minimum-phase sections and correction.
pub fn gains_of<'a>(bands: impl Iterator<Item = &'a BandDesign> + Clone) -> Gains {
    let places = Place::ALL.map(|place| {
        let own = bands.clone().filter(move |b| b.spec.place == place);
        let sections: Vec<SectionDesign> = own.flat_map(|b| b.sections.iter().copied()).collect();
        (sections, taps_of(bands.clone(), place))
    });
    Box::new(move |angle| {
        let t = tan(angle / 2.0).min(1e12);
        std::array::from_fn(|place| {
            let (sections, taps) = &places[place];
            if sections.is_empty() {
                return 1.0;
            }
            let power: f64 = sections.iter().map(|s| s.power(t)).product();
            (power * ShortFir::response(taps, angle).norm_sqr()).sqrt()
        })
    })
}

/// All bands at rest.
pub struct Design<'a> {
    bands: &'a [BandDesign],
    /// Whether bands that stand still work through a linear-phase kernel.
    linear: bool,
}

impl<'a> Design<'a> {
    pub fn of(bands: &'a [BandDesign], linear: bool) -> Self {
        Self { bands, linear }
    }

    /// What a sound in the middle keeps in the middle: the one formula behind the drawn
    /// curve and the unit's response. Side bands do not touch it; left and right bands do
    /// by half each. The lateness of a linear-phase kernel is left out.
    pub fn response(&self, rate: f64, freqs: &[f64]) -> Vec<Complex> {
        let sections = self.bands.iter().filter(|b| !self.linear || b.spec.moves);
        let by_sections = minimum_phase(sections, rate, freqs);
        if !self.linear {
            return by_sections;
        }
        let angles: Vec<f64> = freqs.iter().map(|hz| TAU * hz / rate).collect();
        let kernel = linear_phase::response(gains_of(self.bands.iter().filter(|b| !b.spec.moves)), rate, &angles);
        by_sections.iter().zip(kernel).map(|(h, gain)| h.scale(gain)).collect()
    }
}

/// Response of settings at rest, at frequencies in Hz.
pub fn response(settings: &Settings, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let amount = settings.fixed.number("amount");
    let bands: Vec<_> = settings.rows().iter().map(|row| BandDesign::new(BandSpec::new(row, amount), rate)).collect();
    Design::of(&bands, settings.fixed.choice("phase") == "linear").response(rate, freqs)
}

/// Response of bands run as sections.
fn minimum_phase<'a>(bands: impl Iterator<Item = &'a BandDesign> + Clone, rate: f64, freqs: &[f64]) -> Vec<Complex> {
    let taps = Place::ALL.map(|place| taps_of(bands.clone(), place));
    let of_place = |place: usize, angle: f64| {
        let own = bands.clone().filter(|b| b.spec.place == Place::ALL[place]);
        own.fold(Complex::ONE, |h, b| h.times(response_at(&b.sections, angle)))
            .times(ShortFir::response(&taps[place], angle))
    };
    freqs
        .iter()
        .map(|hz| {
            let angle = TAU * hz / rate;
            let [stereo, mid, _, left, right] = std::array::from_fn(|place| of_place(place, angle));
            stereo.times(mid).times(left.plus(right).scale(0.5))
        })
        .collect()
}
