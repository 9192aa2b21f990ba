//! From the settings of bands to sections, and the one formula for their response.

use crate::filter::SectionDesign;
use crate::filter::analog::{self, AnalogSection, Side};
use crate::filter::correction::{self, Curve, TAPS};
use crate::filter::fir::ShortFir;
use crate::filter::matched::{matched, response_at};
use crate::signal::math::{Complex, TAU};
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
}

impl BandSpec {
    /// Reads a row; `amount` scales its gain.
    pub fn new(band: &Record, amount: f64) -> Self {
        Self {
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
        }
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

/// Taps of the common correction of all bands of one place.
pub fn taps_of<'a>(bands: impl Iterator<Item = &'a BandDesign>, place: Place) -> [f64; TAPS] {
    correction::fit(bands.filter(|b| b.spec.place == place).map(|b| &b.curve))
}

/// All bands at rest.
pub struct Design {
    bands: Vec<BandDesign>,
    taps: [[f64; TAPS]; Place::ALL.len()],
}

impl Design {
    pub fn new(settings: &Settings, rate: f64) -> Self {
        let amount = settings.fixed.number("amount");
        let bands: Vec<_> = settings.rows.iter().map(|row| BandDesign::new(BandSpec::new(row, amount), rate)).collect();
        let taps = Place::ALL.map(|place| taps_of(bands.iter(), place));
        Self { bands, taps }
    }

    /// Response of the bands of one place.
    fn of_place(&self, place: usize, angle: f64) -> Complex {
        let own = self.bands.iter().filter(|b| b.spec.place == Place::ALL[place]);
        let bands = own.fold(Complex::ONE, |h, b| h.times(response_at(&b.sections, angle)));
        bands.times(ShortFir::response(&self.taps[place], angle))
    }

    /// What a sound in the middle keeps in the middle: the one formula behind the drawn
    /// curve and the unit's response. Side bands do not touch it; left and right bands do
    /// by half each.
    pub fn response(&self, rate: f64, freqs: &[f64]) -> Vec<Complex> {
        freqs
            .iter()
            .map(|hz| {
                let angle = TAU * hz / rate;
                let [stereo, mid, _, left, right] = std::array::from_fn(|place| self.of_place(place, angle));
                stereo.times(mid).times(left.plus(right).scale(0.5))
            })
            .collect()
    }
}
