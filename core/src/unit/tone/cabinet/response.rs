//! The impulse response of a cabinet before microphones, in the time domain.
//!
//! Low down a cone moves as one, and every part of it arrives by its own way ([`super::geometry`]).
//! From about 1.3 kHz on it breaks up and the coil takes only its middle with it: what is heard
//! there comes from the dome, falls away to the sides, and has no nulls (Beranek & Mellow, *Acoustics:
//! Sound Fields and Transducers*, ch. 6; published responses of 12-inch guitar loudspeakers). Both
//! pass the modes of the break-up, the fall above them, and the resonance of the box (second
//! order for a sealed one; Small, *Closed-Box Loudspeaker Systems*, JAES 1972). The back of an open
//! box comes round turned over; the floor reflects; the room follows. A bass cabinet may have a horn.
//!
//! Everything is made by running filters over a click, so that it is as exact at every rate as
//! the filters are, needs no transform, and has the same bits everywhere.

use super::geometry::{Arrival, Cones, RINGS, SPEED_OF_SOUND};
use super::microphone::Microphone;
use crate::filter::Svf;
use crate::filter::analog::{self, AnalogSection, Side};
use crate::filter::matched::matched;
use crate::signal::Frame;
use crate::signal::math::{PI, cos, exp, log, pow, sin};
use crate::signal::noise::white;

/// Seconds of a response without its room, and with it.
const DRY_S: f64 = 0.045;
const ROOM_S: f64 = 0.28;
/// Half the width of what stands for a click between two samples, in samples.
const HALF_CLICK: i64 = 8;
/// Height of the microphones above the floor, in metres, and what the floor gives back.
const HEIGHT_M: f64 = 0.45;
const FLOOR: f64 = 0.5;
/// Way round an open box in metres, what comes back, and up to where.
const ROUND_M: f64 = 0.62;
const BACK: f64 = 0.55;
const BACK_HZ: f64 = 500.0;

/// All microphones and how they are mixed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Mix {
    pub first: Microphone,
    /// The other, and by what it is multiplied after it was made as loud as the first.
    pub second: Option<(Microphone, f64)>,
    /// By what the first is multiplied.
    pub first_gain: f64,
    pub align: bool,
    pub room: f64,
}

/// The response at a rate in Hz; it begins when the nearest part arrives.
pub fn of(cones: &Cones, mix: &Mix, rate: f64) -> Vec<f32> {
    let seconds = if mix.room > 0.0 { ROOM_S } else { DRY_S };
    let frames = (seconds * rate) as usize;
    let first = MicSound::of(cones, &mix.first);
    let second = mix.second.map(|(mic, gain)| (MicSound::of(cones, &mic), gain));
    let nearest = second.as_ref().map_or(first.nearest, |(second, _)| second.nearest.min(first.nearest));
    let from = |heard: &MicSound| if mix.align { heard.nearest } else { nearest };
    let alone = first.response(from(&first), rate, frames);
    let mut out: Vec<f64> = alone.iter().map(|x| mix.first_gain * x).collect();
    if let Some((second, gain)) = second {
        let other = second.response(from(&second), rate, frames);
        // Both as loud as the first, whatever their distances.
        let matched = gain * (energy(&alone) / energy(&other).max(1e-12)).sqrt();
        out.iter_mut().zip(other).for_each(|(x, y)| *x += matched * y);
    }
    if mix.room > 0.0 {
        add_room(&mut out, mix.room, rate);
    }
    end_softly(&mut out, rate);
    out.into_iter().map(|x| x as f32).collect()
}

fn energy(samples: &[f64]) -> f64 {
    samples.iter().map(|x| x * x).sum()
}

/// What one microphone hears.
struct MicSound {
    cones: Cones,
    mic: Microphone,
    arrivals: Vec<Arrival>,
    nearest: f64,
}

impl MicSound {
    fn of(cones: &Cones, mic: &Microphone) -> Self {
        let mut arrivals = Vec::new();
        cones.arrivals(mic.distance_m, mic.offset, |arrival| {
            arrivals.push(Arrival { gain: arrival.gain * mic.hears(arrival.cosine), ..arrival });
        });
        let nearest = arrivals.iter().map(|a| a.metres).fold(f64::INFINITY, f64::min);
        Self { cones: *cones, mic: *mic, arrivals, nearest }
    }

    fn response(&self, from_m: f64, rate: f64, frames: usize) -> Vec<f64> {
        let mut direct = self.cones_alone(from_m, rate, frames);
        run(&mut direct, voice(&self.cones), rate);
        self.add_horn(&mut direct, from_m, rate);
        let mut all = self.with_reflections(direct, rate);
        run(&mut all, box_resonance(&self.cones), rate);
        let mut proximity = self.mic.proximity(self.cones.radius_m(), rate);
        all.iter_mut().for_each(|x| *x = proximity.next([*x; 2])[0]);
        run(&mut all, self.mic.curve(), rate);
        all
    }

    /// The whole cones up to where they break up, their domes above.
    fn cones_alone(&self, from_m: f64, rate: f64, frames: usize) -> Vec<f64> {
        let breaks_up = larger(&self.cones, BREAKS_UP_HZ);
        let below = || analog::cut(Side::High, breaks_up, 1).chain(analog::cut(Side::High, breaks_up, 1));
        let mut whole = vec![0.0; frames];
        self.arrivals.iter().for_each(|arrival| add_click(&mut whole, self.late(arrival, from_m, rate), arrival.gain));
        run(&mut whole, below(), rate);
        let domes = self.domes(from_m, rate, frames);
        // Above is what is left of them: together both are the cone where it moves as one.
        let mut low = domes.clone();
        run(&mut low, below(), rate);
        whole.iter_mut().zip(domes.iter().zip(&low)).for_each(|(sum, (dome, low))| *sum += dome - low);
        whole
    }

    /// What the domes send, as if each were its whole cone.
    fn domes(&self, from_m: f64, rate: f64, frames: usize) -> Vec<f64> {
        let mut domes = vec![0.0; frames];
        for (cone, off_axis) in self.cones.off_axis(self.mic.distance_m, self.mic.offset).enumerate() {
            let mut dome = vec![0.0; frames];
            let gain = (RINGS * RINGS) as f64 * if cone == 0 { 1.0 } else { OTHER_DOMES };
            for arrival in self.arrivals.iter().filter(|arrival| (arrival.cone, arrival.ring) == (cone, 0)) {
                add_click(&mut dome, self.late(arrival, from_m, rate), DOME_GAIN * gain * arrival.gain);
            }
            let darker = analog::shelf(Side::High, larger(&self.cones, OFF_AXIS_HZ), -OFF_AXIS_DB * off_axis, 0.7, 1);
            run(&mut dome, darker, rate);
            domes.iter_mut().zip(dome).for_each(|(sum, x)| *sum += x);
        }
        domes
    }

    /// Frames at which something arrives.
    fn late(&self, arrival: &Arrival, from_m: f64, rate: f64) -> f64 {
        HALF_CLICK as f64 + (arrival.metres - from_m) / SPEED_OF_SOUND * rate
    }

    /// A horn beside the cones, in step with the nearest of them.
    fn add_horn(&self, direct: &mut [f64], from_m: f64, rate: f64) {
        if self.cones.horn == 0.0 {
            return;
        }
        let cone: f64 = self.arrivals.iter().filter(|arrival| arrival.cone == 0).map(|arrival| arrival.gain).sum();
        let mut horn = vec![0.0; direct.len()];
        let late = HALF_CLICK as f64 + (self.nearest - from_m) / SPEED_OF_SOUND * rate;
        add_click(&mut horn, late, self.cones.horn * cone);
        run(&mut horn, analog::cut(Side::Low, HORN_HZ[0], 3).chain(analog::cut(Side::High, HORN_HZ[1], 2)), rate);
        direct.iter_mut().zip(horn).for_each(|(sum, x)| *sum += x);
    }

    /// The floor, and the back of an open box.
    fn with_reflections(&self, direct: Vec<f64>, rate: f64) -> Vec<f64> {
        let near = self.mic.distance_m.max(0.03);
        let mut all = direct.clone();
        let by_floor = (near * near + 4.0 * HEIGHT_M * HEIGHT_M).sqrt();
        let mut dulled = direct.clone();
        run(&mut dulled, analog::cut(Side::High, 2500.0, 1), rate);
        add_late(&mut all, &dulled, (by_floor - near) / SPEED_OF_SOUND * rate, FLOOR * near / by_floor);
        if self.cones.open {
            let mut back = direct;
            run(&mut back, analog::cut(Side::High, BACK_HZ, 2), rate);
            add_late(&mut all, &back, ROUND_M / SPEED_OF_SOUND * rate, -BACK * near / (near + 0.5 * ROUND_M));
        }
        all
    }
}

/// Up to here a 12-inch cone moves as one, in Hz.
const BREAKS_UP_HZ: f64 = 1300.0;
/// What the dome sends above, against what the whole cone sends below.
const DOME_GAIN: f64 = 0.78;
/// What of it the domes of the other cones add: none breaks up as another does.
const OTHER_DOMES: f64 = 0.3;
/// Off the axis the dome is darker by so much at a right angle, above this frequency of a 12-inch cone.
const OFF_AXIS_DB: f64 = 6.5;
const OFF_AXIS_HZ: f64 = 3000.0;
/// From where to where a horn sounds.
const HORN_HZ: [f64; 2] = [3000.0, 15_000.0];

/// A frequency of a 12-inch cone, in another size: bending waves go lower in larger cones.
fn larger(cones: &Cones, hz: f64) -> f64 {
    hz * pow(12.0 / cones.inches, 0.65)
}

/// Modes of the break-up, as frequency of a 12-inch cone, gain in dB and Q. With the fall above them and
/// the gain of the dome they were fitted by least squares to the middle of what published responses
/// of such cones measure close on axis, third octaves against 500 Hz: +2 dB at 1 kHz, +5 at 2.5 to 4, -4 at 5,
/// -12.5 at 6.3, -13 at 8, -26 at 10.
const MODES: [[f64; 3]; 8] = [
    [430.0, -0.8, 0.9],
    [1050.0, 0.9, 2.0],
    [1480.0, 0.4, 3.0],
    [2300.0, 1.4, 1.6],
    [3500.0, 0.9, 1.8],
    [4300.0, 3.3, 2.7],
    [5600.0, -11.3, 3.5],
    [7900.0, 11.6, 2.4],
];

/// Break-up, and the fall above it.
fn voice(cones: &Cones) -> impl Iterator<Item = AnalogSection> {
    /// Above it coil and cone no longer follow.
    const FALLS_HZ: f64 = 3880.0;
    let cones = *cones;
    // Of several cones none breaks up where another does: their modes blur.
    let share = 1.0 / (1.0 + 0.25 * (cones.count as f64 - 1.0));
    let modes = MODES.into_iter().map(move |[hz, gain_db, q]| analog::bell(larger(&cones, hz), share * gain_db, q));
    modes.chain(analog::cut(Side::High, larger(&cones, FALLS_HZ), 4))
}

/// The resonance of cone and box: a sealed one is tighter and a little fuller about it.
fn box_resonance(cones: &Cones) -> impl Iterator<Item = AnalogSection> {
    let hz = 95.0 * pow(12.0 / cones.inches, 0.8) * if cones.open { 1.0 } else { 1.15 };
    let q = if cones.open { 0.75 } else { 1.0 };
    let resonance = AnalogSection { corner_hz: hz, num: [0.0, 0.0, 1.0], den: [1.0, 1.0 / q, 1.0] };
    // Waves longer than the front is wide go round it (Olson, *Direct Radiator Loudspeaker
    // Enclosures*, JAES 1951): half of the step, since a microphone stands close.
    let step_hz = 115.0 / cones.front_m();
    [resonance].into_iter().chain(analog::shelf(Side::Low, step_hz, -STEP_DB, 0.7, 1))
}

/// What of the 6 dB between half a space and a whole one is heard close by, in dB.
const STEP_DB: f64 = 4.0;

/// Runs analog sections, matched, over samples in place.
fn run(samples: &mut [f64], sections: impl Iterator<Item = AnalogSection>, rate: f64) {
    for section in sections {
        let mut filter = Svf::new(matched(&section, rate), rate, 0.0);
        for part in samples.chunks_mut(64) {
            let mut frames: [Frame; 64] = [[0.0; 2]; 64];
            frames.iter_mut().zip(&*part).for_each(|(frame, x)| *frame = [*x; 2]);
            filter.process(&mut frames);
            part.iter_mut().zip(frames).for_each(|(x, frame)| *x = frame[0]);
        }
    }
}

/// A click between two samples: a sinc under a cosine's half wave squared.
fn add_click(samples: &mut [f64], at: f64, gain: f64) {
    let whole = at.floor();
    let part = at - whole;
    for n in -HALF_CLICK + 1..=HALF_CLICK {
        let t = n as f64 - part;
        let place = whole as i64 + n;
        if place < 0 || place as usize >= samples.len() {
            continue;
        }
        let sinc = if t.abs() < 1e-9 { 1.0 } else { sin(PI * t) / (PI * t) };
        let window = cos(0.5 * PI * t / HALF_CLICK as f64);
        samples[place as usize] += gain * sinc * window * window;
    }
}

/// Adds what comes `late` samples later; to the nearest sample: what it is made of has no top.
fn add_late(samples: &mut [f64], what: &[f64], late: f64, gain: f64) {
    let late = late.round() as usize;
    samples.iter_mut().skip(late).zip(what).for_each(|(sum, x)| *sum += gain * x);
}

/// The room: a few walls and what dies away between them.
fn add_room(samples: &mut [f64], room: f64, rate: f64) {
    /// Ways of the first reflections in metres beyond the direct one, and what they give back.
    const WALLS: [[f64; 2]; 5] = [[2.3, 0.30], [3.1, -0.24], [4.7, 0.2], [5.9, 0.17], [7.4, -0.14]];
    /// Time to fall by 60 dB, and when the tail begins.
    const T60_S: f64 = 0.32;
    const TAIL_FROM_S: f64 = 0.011;
    let mut around = samples.to_vec();
    run(&mut around, analog::cut(Side::High, 3200.0, 1), rate);
    for [metres, gain] in WALLS {
        add_late(samples, &around, metres / SPEED_OF_SOUND * rate, room * gain);
    }
    let fall = log(1000.0) / (T60_S * rate);
    let mut tail: Vec<f64> = (0..samples.len()).map(|n| white(n) * exp(-fall * n as f64)).collect();
    run(&mut tail, analog::cut(Side::High, 2600.0, 1).chain(analog::cut(Side::Low, 140.0, 2)), rate);
    // As loud as a wall or two at every rate.
    let peak = samples.iter().fold(0.0f64, |peak, x| peak.max(x.abs()));
    add_late(samples, &tail, TAIL_FROM_S * rate, 0.05 * room * peak);
}

/// The last fifth fades out, so that nothing is cut off.
fn end_softly(samples: &mut [f64], rate: f64) {
    let fade = (0.2 * samples.len() as f64).min(0.03 * rate) as usize;
    let from = samples.len() - fade;
    for (n, x) in samples[from..].iter_mut().enumerate() {
        *x *= 0.5 + 0.5 * cos(PI * n as f64 / fade as f64);
    }
}
