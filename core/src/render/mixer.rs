//! Runs a plan block by block.
//!
//! Paths that meet are aligned: every lane is delayed by what it lacks to the
//! latest lane of the same sum, so that a lookahead on one track moves nothing
//! against the rest.

use super::plan::{Lane, Plan};
use crate::rack::{Rack, RackSpec};
use crate::session::document::OFF_DB;
use crate::session::{Session, Strip};
use crate::signal::decibel::db_to_gain;
use crate::signal::math::{PI, cos, sin};
use crate::signal::{BLOCK, Ramp, StereoBlock, StereoDelay};

/// What is heard of the focus rack.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Listening {
    /// After the rack.
    Worked,
    /// Before the rack, brought to the same loudness by so many dB.
    Untouched(f64),
    /// After minus before, the latter brought to the same loudness.
    Difference(f64),
}

impl Listening {
    /// Shares of worked and untouched sound.
    fn shares(self) -> [f64; 2] {
        match self {
            Self::Worked => [1.0, 0.0],
            Self::Untouched(match_db) => [0.0, db_to_gain(match_db)],
            Self::Difference(match_db) => [1.0, -db_to_gain(match_db)],
        }
    }
}

/// A level and pan that glide.
struct Fader {
    left: Ramp,
    right: Ramp,
}

impl Fader {
    fn new(strip: Option<&Strip>, rate: f64) -> Self {
        let [l, r] = fader_gains(strip);
        Self { left: Ramp::new(l, rate), right: Ramp::new(r, rate) }
    }

    fn glide_to(&mut self, strip: Option<&Strip>) {
        let [l, r] = fader_gains(strip);
        self.left.glide_to(l);
        self.right.glide_to(r);
    }

    fn process(&mut self, block: &mut StereoBlock) {
        if self.left.at_rest() && self.right.at_rest() && self.left.value() == 1.0 && self.right.value() == 1.0 {
            return;
        }
        for i in 0..BLOCK {
            block.left[i] *= self.left.next_value() as f32;
            block.right[i] *= self.right.next_value() as f32;
        }
    }
}

/// Factors for left and right. Equal power, 0 dB in the centre and +3.01 dB hard
/// to one side, so that an untouched fader changes nothing.
fn fader_gains(strip: Option<&Strip>) -> [f64; 2] {
    let Some(strip) = strip else { return [1.0; 2] };
    let c = &strip.controls;
    let level_db = c.number("level_db");
    if c.is_on("muted") || level_db <= OFF_DB {
        return [0.0; 2];
    }
    let (level, pan) = (db_to_gain(level_db), c.number("pan"));
    if pan == 0.0 {
        return [level; 2];
    }
    let angle = PI / 4.0 * (1.0 + pan);
    [level * core::f64::consts::SQRT_2 * cos(angle), level * core::f64::consts::SQRT_2 * sin(angle)]
}

/// A running lane.
struct RunningLane {
    plan: Lane,
    /// Index among the running buses; none for the main sum.
    bus: Option<usize>,
    rack: Option<Rack>,
    fader: Fader,
    /// 1 while heard, 0 while something else is listened to alone.
    audible: Ramp,
    align: StereoDelay,
    /// Largest magnitude after the fader since last asked.
    peak: f32,
}

struct RunningBus {
    id: u32,
    rack: Rack,
    fader: Fader,
    align: StereoDelay,
    sum: StereoBlock,
    peak: f32,
}

/// A running mix.
pub struct Mixer {
    rate: f64,
    lanes: Vec<RunningLane>,
    buses: Vec<RunningBus>,
    main: Option<(u32, Rack, Fader)>,
    /// Untouched sound of lane 0, as late as its rack.
    untouched: StereoDelay,
    untouched_block: StereoBlock,
    worked_share: Ramp,
    untouched_share: Ramp,
    work: StereoBlock,
}

/// Room for alignment from the start, in seconds; grown when a rack needs more.
const ALIGN_ROOM_S: f64 = 0.05;

impl Mixer {
    /// A mix at rest.
    #[must_use]
    pub fn new(plan: &Plan, session: &Session) -> Self {
        let rate = f64::from(session.rate);
        let room = (ALIGN_ROOM_S * rate) as usize;
        let delay = || StereoDelay::new(room, 0, rate);
        let lane = |l: &Lane| RunningLane {
            bus: l.bus.and_then(|b| plan.buses.iter().position(|x| *x == b)),
            rack: l.rack.map(|id| Rack::new(&rack_of(session, id), rate)),
            fader: Fader::new(l.fader.and_then(|id| session.strip(id)), rate),
            audible: Ramp::new(1.0, rate),
            align: delay(),
            peak: 0.0,
            plan: l.clone(),
        };
        let bus = |id: &u32| RunningBus {
            id: *id,
            rack: Rack::new(&rack_of(session, *id), rate),
            fader: Fader::new(session.strip(*id), rate),
            align: delay(),
            sum: StereoBlock::SILENT,
            peak: 0.0,
        };
        let mut mixer = Self {
            rate,
            lanes: plan.lanes.iter().map(lane).collect(),
            buses: plan.buses.iter().map(bus).collect(),
            main: plan.main.map(|id| (id, Rack::new(&rack_of(session, id), rate), Fader::new(session.strip(id), rate))),
            untouched: delay(),
            untouched_block: StereoBlock::SILENT,
            worked_share: Ramp::new(1.0, rate),
            untouched_share: Ramp::new(0.0, rate),
            work: StereoBlock::SILENT,
        };
        mixer.align();
        mixer.lanes.iter_mut().for_each(|l| l.align.snap());
        mixer.buses.iter_mut().for_each(|b| b.align.snap());
        mixer.untouched.snap();
        mixer
    }

    /// Takes over what changed in one strip; it glides there.
    pub fn update(&mut self, session: &Session, strip: u32) {
        let changed = session.strip(strip);
        for lane in &mut self.lanes {
            if lane.plan.fader == Some(strip) {
                lane.fader.glide_to(changed);
            }
            if let (Some(rack), true) = (&mut lane.rack, lane.plan.rack == Some(strip)) {
                rack.update(&rack_of(session, strip));
            }
        }
        for bus in self.buses.iter_mut().filter(|b| b.id == strip) {
            bus.fader.glide_to(changed);
            bus.rack.update(&rack_of(session, strip));
        }
        if let Some((_, rack, fader)) = self.main.as_mut().filter(|(id, _, _)| *id == strip) {
            fader.glide_to(changed);
            rack.update(&rack_of(session, strip));
        }
        self.align();
    }

    /// Finishes changes of racks that had to wait for a crossfade; to be called
    /// now and then off the audio path.
    pub fn catch_up(&mut self) {
        let racks = self.lanes.iter_mut().filter_map(|l| l.rack.as_mut());
        let racks = racks.chain(self.buses.iter_mut().map(|b| &mut b.rack));
        racks.chain(self.main.iter_mut().map(|(_, rack, _)| rack)).for_each(Rack::catch_up);
        self.align();
    }

    /// Chooses what is heard of lane 0.
    pub fn listen(&mut self, listening: Listening) {
        let [worked, untouched] = listening.shares();
        self.worked_share.glide_to(worked);
        self.untouched_share.glide_to(untouched);
    }

    /// Lets only some lanes be heard: `None` all, otherwise those for which the
    /// closure of lane number and plan says so.
    pub fn hear_only(&mut self, heard: impl Fn(usize, &Lane) -> bool) {
        for (i, lane) in self.lanes.iter_mut().enumerate() {
            lane.audible.glide_to(if heard(i, &lane.plan) { 1.0 } else { 0.0 });
        }
    }

    /// Ends the glides of listening choices at once, for a start from rest.
    pub fn snap_listening(&mut self) {
        self.worked_share.snap();
        self.untouched_share.snap();
        self.lanes.iter_mut().for_each(|l| l.audible.snap());
    }

    /// Frames by which the output lags the sources.
    #[must_use]
    pub fn latency(&self) -> usize {
        self.latest_into_main() + self.main.as_ref().map_or(0, |(_, rack, _)| rack.latency())
    }

    /// Number of sources.
    #[must_use]
    pub fn lane_count(&self) -> usize {
        self.lanes.len()
    }

    /// The rack of lane 0.
    #[must_use]
    pub fn focus_rack(&self) -> Option<&Rack> {
        self.lanes.first().and_then(|l| l.rack.as_ref())
    }

    /// Hands out, for each fader of the mix (lanes with one, then buses), its strip and the
    /// largest magnitude since last asked.
    pub fn take_peaks(&mut self, mut give: impl FnMut(u32, f32)) {
        for lane in &mut self.lanes {
            if let Some(strip) = lane.plan.fader {
                give(strip, std::mem::take(&mut lane.peak));
            }
        }
        for bus in &mut self.buses {
            give(bus.id, std::mem::take(&mut bus.peak));
        }
    }

    /// Mixes one block of every source. `tap` sees the wire of lane 0: the input
    /// as 0 and the sound after each station.
    ///
    /// `inputs` holds one block per lane, in the plan's order, and is used as
    /// working space.
    pub fn process(
        &mut self,
        inputs: &mut [StereoBlock],
        out: &mut StereoBlock,
        mut tap: impl FnMut(usize, &StereoBlock),
    ) {
        out.clear();
        self.buses.iter_mut().for_each(|b| b.sum.clear());
        for (i, (lane, input)) in self.lanes.iter_mut().zip(inputs.iter_mut()).enumerate() {
            if i == 0 {
                self.untouched_block.clone_from(input);
                self.untouched.process(&mut self.untouched_block);
            }
            match &mut lane.rack {
                Some(rack) if i == 0 => rack.process_tapped(input, &mut tap),
                Some(rack) => rack.process(input),
                None => {}
            }
            if i == 0 {
                blend(input, &self.untouched_block, &mut self.worked_share, &mut self.untouched_share);
            }
            lane.fader.process(input);
            lane.peak = peak(input).max(lane.peak);
            hear(input, &mut lane.audible);
            lane.align.process(input);
            match lane.bus {
                Some(bus) => self.buses[bus].sum.add(input),
                None => out.add(input),
            }
        }
        for bus in &mut self.buses {
            self.work.clone_from(&bus.sum);
            bus.rack.process(&mut self.work);
            bus.fader.process(&mut self.work);
            bus.peak = peak(&self.work).max(bus.peak);
            bus.align.process(&mut self.work);
            out.add(&self.work);
        }
        if let Some((_, rack, fader)) = &mut self.main {
            rack.process(out);
            fader.process(out);
        }
    }

    fn latest_into_bus(&self, bus: usize) -> usize {
        self.lanes.iter().filter(|l| l.bus == Some(bus)).map(lane_latency).max().unwrap_or(0)
    }

    fn latest_into_main(&self) -> usize {
        let lanes = self.lanes.iter().filter(|l| l.bus.is_none()).map(lane_latency);
        let buses = (0..self.buses.len()).map(|b| self.latest_into_bus(b) + self.buses[b].rack.latency());
        lanes.chain(buses).max().unwrap_or(0)
    }

    /// Sets every alignment delay from the racks' present latencies.
    fn align(&mut self) {
        let into_bus: Vec<usize> = (0..self.buses.len()).map(|b| self.latest_into_bus(b)).collect();
        let into_main = self.latest_into_main();
        let rate = self.rate;
        for lane in &mut self.lanes {
            let latest = lane.bus.map_or(into_main, |b| into_bus[b]);
            let lack = latest - lane_latency(lane);
            set_delay(&mut lane.align, lack, rate);
        }
        for (bus, into) in self.buses.iter_mut().zip(&into_bus) {
            let own = into + bus.rack.latency();
            set_delay(&mut bus.align, into_main - own, rate);
        }
        let focus = self.lanes.first().map_or(0, lane_latency);
        set_delay(&mut self.untouched, focus, rate);
    }
}

/// Sets a delay, making room first where it has too little.
fn set_delay(line: &mut StereoDelay, frames: usize, rate: f64) {
    line.set_delay(frames);
    if line.delay() != frames {
        *line = StereoDelay::new(frames, frames, rate);
    }
}

fn lane_latency(lane: &RunningLane) -> usize {
    lane.rack.as_ref().map_or(0, Rack::latency)
}

fn rack_of(session: &Session, strip: u32) -> RackSpec {
    session.strip(strip).map(|s| s.rack.clone()).unwrap_or_default()
}

fn peak(block: &StereoBlock) -> f32 {
    block.left.iter().chain(&block.right).fold(0.0, |m, x| m.max(x.abs()))
}

fn hear(block: &mut StereoBlock, audible: &mut Ramp) {
    if audible.at_rest() && audible.value() == 1.0 {
        return;
    }
    for i in 0..BLOCK {
        let gain = audible.next_value() as f32;
        block.left[i] *= gain;
        block.right[i] *= gain;
    }
}

/// Shares of worked and untouched sound; exactly the worked sound at rest on it.
fn blend(worked: &mut StereoBlock, untouched: &StereoBlock, worked_share: &mut Ramp, untouched_share: &mut Ramp) {
    let resting = worked_share.at_rest() && untouched_share.at_rest();
    if resting && worked_share.value() == 1.0 && untouched_share.value() == 0.0 {
        return;
    }
    for i in 0..BLOCK {
        let (w, u) = (worked_share.next_value() as f32, untouched_share.next_value() as f32);
        worked.left[i] = worked.left[i] * w + untouched.left[i] * u;
        worked.right[i] = worked.right[i] * w + untouched.right[i] * u;
    }
}
