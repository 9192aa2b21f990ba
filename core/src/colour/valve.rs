//! A triode with its load: plate voltage against grid voltage, about where it rests.
//!
//! The plate current is Koren's (*Improved Vacuum Tube Models for SPICE Simulations*, 1996):
//!
//! ```text
//! E1 = Ep / kp ln(1 + exp(kp (1 / mu + Eg / sqrt(kvb + Ep^2))))      Ip = 2 E1^ex / kg1
//! ```
//!
//! with his constants for a small valve of high gain. The load line is solved once for each
//! grid voltage of a table, which is then read by a cubic through four points (Catmull & Rom
//! 1974), so that the curve has no corners. Between two samples the mean of that cubic is taken,
//! exactly, by its antiderivative ([`crate::signal::antiderivative`]), so that half the rate does
//! for the same freedom from aliases.

use crate::signal::Frame;
use crate::signal::math::{ROUND, exp, log, pow};

const MU: f64 = 100.0;
const EX: f64 = 1.4;
const KG1: f64 = 1060.0;
const KP: f64 = 600.0;
const KVB: f64 = 300.0;
/// Supply in volts, load in ohms.
const SUPPLY_V: f64 = 300.0;
/// Resistor from the supply to the plate.
pub const LOAD_OHM: f64 = 100_000.0;

/// Grid voltages of the table, about the resting one.
const FROM_V: f64 = -8.0;
const TO_V: f64 = 20.0;
const STEPS_PER_V: f64 = 32.0;
/// Between these the table has four points about a place.
const LOWEST_V: f64 = FROM_V + 1.0 / STEPS_PER_V;
const HIGHEST_V: f64 = FROM_V + (POINTS - 2) as f64 / STEPS_PER_V;
/// Halvings of the search for a current: to a picoampere.
const HALVINGS: usize = 32;
const POINTS: usize = ((TO_V - FROM_V) * STEPS_PER_V) as usize + 1;
/// Room for all runs.
const ROOM: usize = POINTS.next_power_of_two();
/// The run at whose beginning the valve rests.
const RESTS_AT: usize = (-LOWEST_V * STEPS_PER_V) as usize;

/// Plate current in amperes.
#[must_use]
pub fn plate_current(plate_v: f64, grid_v: f64) -> f64 {
    if plate_v <= 0.0 {
        return 0.0;
    }
    let x = KP * (1.0 / MU + grid_v / (KVB + plate_v * plate_v).sqrt());
    let e1 = plate_v / KP * if x > 40.0 { x } else { log(1.0 + exp(x)) };
    2.0 * pow(e1, EX) / KG1
}

/// Current with the load between plate and supply: where both agree, by halving.
fn loaded_current(grid_v: f64, cathode_v: f64) -> f64 {
    let (mut low, mut high) = (0.0, SUPPLY_V / LOAD_OHM);
    for _ in 0..HALVINGS {
        let middle = 0.5 * (low + high);
        if plate_current(SUPPLY_V - cathode_v - middle * LOAD_OHM, grid_v) > middle {
            low = middle
        } else {
            high = middle
        }
    }
    0.5 * (low + high)
}

/// The runs between the points of a table that have one before and one after them; their
/// antiderivative is 0 where the valve rests.
fn runs_of(table: &[[f64; 2]]) -> Box<[Run; ROOM]> {
    let mut integral = 0.0;
    let run = |four: &[[f64; 2]]| {
        let run = Run::new([four[0], four[1], four[2], four[3]], integral);
        integral = run.integral(1.0);
        run
    };
    let made: Vec<Run> = table.windows(4).map(run).collect();
    // Of the last place the end of the last run is read: from there on all is level.
    let level = made.last().map_or_else(Run::default, Run::after);
    let mut runs = Box::new([level; ROOM]);
    runs[..made.len()].copy_from_slice(&made);
    let resting = runs[RESTS_AT].integral;
    runs.iter_mut().for_each(|run| run.integral -= resting);
    runs
}

/// Share of what the grid would rise over the cathode that its current takes back.
const GRID_TAKES: f64 = 0.9;
/// Roundness of the corner at which the grid begins to draw current, in volts squared.
const GRID_CORNER: f64 = 0.09;

/// Volts by which a grid is over where it draws current, with a round corner.
fn over_of(volts: f64) -> f64 {
    0.5 * (volts + (volts * volts + GRID_CORNER).sqrt())
}

/// A valve on its cathode resistor.
pub struct Valve {
    /// Volts by which the grid rests under the cathode.
    pub rests_v: f64,
    /// Cathode resistor against load.
    pub cathode_share: f64,
    /// By the voltage before the grid from [`LOWEST_V`]; a power of two of them, so that no place lies
    /// beyond.
    runs: Box<[Run; ROOM]>,
}

/// The curve from one point of the table to the next; as large as what a processor fetches at
/// once.
#[derive(Clone, Copy, Debug, Default)]
#[repr(align(64))]
struct Run {
    /// Coefficients of the antiderivative of the plate voltage, from the first power up; its slope is
    /// the cubic itself.
    rise: [f64; 4],
    /// Antiderivative at its beginning.
    integral: f64,
    /// By how much the grid is over where it draws current, and by how much that grows.
    over: [f64; 2],
}

impl Run {
    /// The cubic between the middle two of four points (Catmull & Rom).
    fn new([a, b, c, d]: [[f64; 2]; 4], integral: f64) -> Self {
        let [[a, _], [b, over], [c, next], [d, _]] = [a, b, c, d];
        let plate = [b, 0.5 * (c - a), 0.5 * (2.0 * a - 5.0 * b + 4.0 * c - d), 0.5 * (3.0 * (b - c) + d - a)];
        let rise = core::array::from_fn(|n| plate[n] / ((n + 1) as f64 * STEPS_PER_V));
        Self { rise, integral, over: [over, next - over] }
    }

    /// A level one after it.
    fn after(&self) -> Self {
        let rise = [self.plate_v(1.0) / STEPS_PER_V, 0.0, 0.0, 0.0];
        Self { rise, integral: self.integral(1.0), over: [self.over(1.0), 0.0] }
    }

    #[inline]
    fn plate_v(&self, t: f64) -> f64 {
        let [a1, a2, a3, a4] = self.rise;
        STEPS_PER_V * (a1 + t * (2.0 * a2 + t * (3.0 * a3 + t * (4.0 * a4))))
    }

    #[inline]
    fn integral(&self, t: f64) -> f64 {
        let [a1, a2, a3, a4] = self.rise;
        self.integral + t * (a1 + t * (a2 + t * (a3 + t * a4)))
    }

    #[inline]
    fn over(&self, t: f64) -> f64 {
        self.over[0] + t * self.over[1]
    }
}

/// Where two valves have been driven to, and the antiderivative there.
#[derive(Clone, Copy, Debug, Default)]
pub struct Driven {
    by: Frame,
    integral: Frame,
}

impl Driven {
    /// One from each of two pairs.
    #[must_use]
    pub fn of([(one, k), (other, l)]: [(&Self, usize); 2]) -> Self {
        Self { by: [one.by[k], other.by[l]], integral: [one.integral[k], other.integral[l]] }
    }
}

/// Voltages nearer to each other than this are taken as one.
const NEAR_V: f64 = 1e-6;

impl Valve {
    /// With a cathode resistor in ohms.
    #[must_use]
    pub fn new(cathode_ohm: f64) -> Self {
        let (mut low, mut high) = (0.0, 20.0);
        for _ in 0..HALVINGS {
            let middle = 0.5 * (low + high);
            if cathode_ohm * loaded_current(-middle, middle) > middle { low = middle } else { high = middle }
        }
        let rests_v = 0.5 * (low + high);
        let resting = loaded_current(-rests_v, rests_v);
        let resting_over = over_of(-rests_v);
        let point = |i: usize| {
            let by = FROM_V + i as f64 / STEPS_PER_V;
            let over = over_of(by - rests_v) - resting_over;
            let grid = by - GRID_TAKES * over - rests_v;
            if by == 0.0 { [0.0; 2] } else { [(resting - loaded_current(grid, rests_v)) * LOAD_OHM, over] }
        };
        let table: Vec<[f64; 2]> = (0..POINTS).map(point).collect();
        Self { rests_v, cathode_share: cathode_ohm / LOAD_OHM, runs: runs_of(&table) }
    }

    /// Run of the table and how far on in it.
    #[inline]
    fn place(&self, by: f64) -> (&Run, f64) {
        let at = (by - LOWEST_V) * STEPS_PER_V;
        // Half a step lower, so that it is rounded down; all but, so that a whole number stays one. What
        // lies a hair before it is read from the run after it: they join.
        let sum = (at - 0.499_999) + ROUND;
        (&self.runs[sum.to_bits() as usize % ROOM], at - (sum - ROUND))
    }

    /// As [`Self::at`] for two valves beside each other, the plate voltages averaged from where they were driven
    /// before.
    #[inline(always)] // in the innermost loop of an amplifier
    pub fn from_to(valves: [&Self; 2], driven: &mut Driven, by: Frame) -> [Frame; 2] {
        let by = by.map(|by| by.clamp(LOWEST_V, HIGHEST_V));
        let places = [0, 1].map(|k| valves[k].place(by[k]));
        let integral = places.map(|(run, t)| run.integral(t));
        let moved = [by[0] - driven.by[0], by[1] - driven.by[1]];
        let mut plates = [(integral[0] - driven.integral[0]) / moved[0], (integral[1] - driven.integral[1]) / moved[1]];
        let near = moved.map(|by| by.abs() < NEAR_V);
        if near[0] || near[1] {
            for k in (0..2).filter(|k| near[*k]) {
                plates[k] = places[k].0.plate_v(places[k].1);
            }
        }
        *driven = Driven { by, integral };
        [plates, places.map(|(run, t)| run.over(t))]
    }

    /// Plate voltage against the resting one, and volts by which the grid is over where it draws
    /// current (0 at rest), for a voltage before the grid that is `by` volts from where it rests.
    #[inline]
    #[must_use]
    pub fn at(&self, by: f64) -> [f64; 2] {
        let (run, t) = self.place(by.clamp(LOWEST_V, HIGHEST_V));
        [run.plate_v(t), run.over(t)]
    }

    /// Plate voltage alone.
    #[must_use]
    pub fn plate_v(&self, by: f64) -> f64 {
        self.at(by)[0]
    }

    /// Gain for the smallest sounds, above 0: the plate goes down as the grid goes up.
    #[must_use]
    pub fn gain(&self) -> f64 {
        let by = 0.25 / STEPS_PER_V;
        (self.plate_v(-by) - self.plate_v(by)) / (2.0 * by)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_table_is_the_load_line_solved_slowly() {
        let valve = Valve::new(1500.0);
        let resting = loaded_current(-valve.rests_v, valve.rests_v);
        assert!((resting * 1500.0 - valve.rests_v).abs() < 1e-6, "it rests where its own current puts it");
        assert_eq!(valve.plate_v(0.0), 0.0);
        for i in -60..30 {
            let by = f64::from(i) * 0.1 + 0.013;
            let over = over_of(by - valve.rests_v) - over_of(-valve.rests_v);
            let slow = (resting - loaded_current(by - GRID_TAKES * over - valve.rests_v, valve.rests_v)) * LOAD_OHM;
            assert!((valve.at(by)[1] - over).abs() < 2e-3);
            assert!((valve.plate_v(by) - slow).abs() < 0.02, "{by} V: {} and {slow}", valve.plate_v(by));
        }
    }

    #[test]
    fn from_one_voltage_to_another_it_gives_the_mean_on_the_way() {
        let valve = Valve::new(1500.0);
        for (from, to) in [(-0.4, 1.7), (0.3, 0.30001), (-7.0, 12.0), (2.0, -3.0), (0.0, 0.0)] {
            let mut driven = Driven::default();
            Valve::from_to([&valve; 2], &mut driven, [from, -2.0]);
            let steps = 20_000;
            let at = |n: i32| valve.plate_v(from + (to - from) * (f64::from(n) + 0.5) / f64::from(steps));
            let slow = (0..steps).map(at).sum::<f64>() / f64::from(steps);
            // The other stays where it is.
            let [[mean, there], [over, _]] = Valve::from_to([&valve; 2], &mut driven, [to, -2.0]);
            assert!((mean - slow).abs() < 1e-4, "{from} to {to}: {mean} and {slow}");
            assert_eq!((over, there), (valve.at(to)[1], valve.plate_v(-2.0)));
        }
    }

    #[test]
    fn it_rests_and_amplifies_as_such_a_valve_does() {
        let valve = Valve::new(1500.0);
        // About a volt and some fifty to seventy times, from published load lines.
        assert!((0.8..2.0).contains(&valve.rests_v), "{}", valve.rests_v);
        assert!((45.0..75.0).contains(&valve.gain()), "{}", valve.gain());
        // Cut off, the plate goes to the supply; open, it comes down and no further.
        assert!(valve.plate_v(-8.0) > 80.0 && valve.plate_v(-8.0) < 300.0);
        assert!(valve.plate_v(4.0) < -100.0);
        // Beyond the table as at its end.
        assert!((valve.plate_v(100.0) - valve.plate_v(19.9)).abs() < 0.5 && valve.at(100.0)[1] > 10.0);
        // A cold valve has less current, and clips the one side early.
        let cold = Valve::new(10_000.0);
        assert!(cold.rests_v > valve.rests_v && cold.plate_v(-8.0) < 0.6 * valve.plate_v(-8.0));
    }
}
