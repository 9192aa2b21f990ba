//! The player: a running mix, its sources, its place in the song, its meters.

use super::store::ChunkStore;
use super::transport::Transport;
use crate::measure::level::LevelMeter;
use crate::measure::loudness::{LoudnessMeter, lufs};
use crate::measure::true_peak::TruePeakMeter;
use crate::render::{Listening, Mixer, Plan};
use crate::session::{Edit, EditError, Session, Touch};
use crate::signal::decibel::FLOOR_DB;
use crate::signal::{BLOCK, StereoBlock};

/// Frames of the sound before and after the watched station that a report holds.
pub const SCOPE: usize = 4096;
/// Blocks of reduction kept between two reports: 0.34 s at 48 kHz.
const TRACE_BLOCKS: usize = 128;
/// Tenths of a second in momentary loudness.
const MOMENTARY: usize = 4;

/// Which page's mix is played.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum View {
    /// All tracks printed, faders and buses live.
    Desk,
    /// One strip live.
    Bench(u32),
}

impl View {
    fn plan(self, session: &Session) -> Option<Plan> {
        match self {
            Self::Desk => Some(Plan::desk(session)),
            Self::Bench(strip) => Plan::bench(session, strip),
        }
    }
}

/// What of the mix is listened to; survives stop and start.
struct Choice {
    listening: Listening,
    /// On a Bench, the focus lane without the rest.
    alone: bool,
    /// On the Desk, the tracks heard; empty for all.
    solo: Vec<u32>,
}

impl Choice {
    fn apply(&self, mixer: &mut Mixer) {
        mixer.listen(self.listening);
        mixer.hear_only(|i, lane| {
            let soloed = self.solo.is_empty() || lane.fader.is_some_and(|s| self.solo.contains(&s));
            soloed && (!self.alone || i == 0)
        });
    }
}

/// Plays one session on one page.
pub struct Player {
    session: Session,
    view: View,
    choice: Choice,
    mixer: Mixer,
    transport: Transport,
    stores: Vec<ChunkStore>,
    inputs: Vec<StereoBlock>,
    watched: usize,
    scope: Scope,
    trace: Trace,
    meters: OutputMeters,
    /// Blocks for which sound was wanted and had not arrived.
    starved_blocks: u32,
}

impl Player {
    /// A stopped player for a page. `None` for a strip that does not exist.
    #[must_use]
    pub fn new(session: Session, view: View) -> Option<Self> {
        let plan = view.plan(&session)?;
        let mixer = Mixer::new(&plan, &session);
        let stores = plan.lanes.iter().map(|_| ChunkStore::new(2, 0)).collect();
        Some(Self {
            inputs: vec![StereoBlock::SILENT; plan.lanes.len()],
            transport: Transport::new(session.frames()),
            meters: OutputMeters::new(f64::from(session.rate)),
            scope: Scope::default(),
            trace: Trace::default(),
            starved_blocks: 0,
            watched: 0,
            choice: Choice { listening: Listening::Worked, alone: false, solo: Vec::new() },
            view,
            session,
            mixer,
            stores,
        })
    }

    /// Declares what a lane's source holds; forgets what had arrived of it.
    pub fn set_source(&mut self, lane: usize, channels: usize, frames: u64) {
        if let Some(store) = self.stores.get_mut(lane) {
            *store = ChunkStore::new(channels.clamp(1, 2), frames);
        }
    }

    /// Takes in a stretch of a lane's source.
    pub fn put_chunk(&mut self, lane: usize, index: usize, samples: &[f32]) {
        if let Some(store) = self.stores.get_mut(lane) {
            store.put(index, samples);
        }
    }

    /// Lets go of a stretch of a lane's source.
    pub fn drop_chunk(&mut self, lane: usize, index: usize) {
        if let Some(store) = self.stores.get_mut(lane) {
            store.drop_chunk(index);
        }
    }

    /// Applies an edit to the document and lets the mix glide to it.
    ///
    /// # Errors
    /// As [`Edit::apply`].
    pub fn edit(&mut self, edit: &Edit) -> Result<(), EditError> {
        edit.apply(&mut self.session)?;
        if let Touch::Strip(strip) | Touch::Rack(strip) = edit.touches() {
            self.mixer.update(&self.session, strip);
        }
        Ok(())
    }

    /// Chooses what is heard of the focus rack.
    pub fn listen(&mut self, listening: Listening) {
        self.choice.listening = listening;
        self.choice.apply(&mut self.mixer);
    }

    /// On a Bench: the focus lane only, or everything.
    pub fn set_alone(&mut self, alone: bool) {
        self.choice.alone = alone;
        self.choice.apply(&mut self.mixer);
    }

    /// On the Desk: these tracks only, or everything when the list is empty.
    pub fn set_solo(&mut self, strips: Vec<u32>) {
        self.choice.solo = strips;
        self.choice.apply(&mut self.mixer);
    }

    /// Starts playing. A start from rest begins with empty filters, as a print does.
    pub fn play(&mut self) {
        if !self.transport.is_running()
            && let Some(plan) = self.view.plan(&self.session)
        {
            self.mixer = Mixer::new(&plan, &self.session);
            self.choice.apply(&mut self.mixer);
            self.mixer.snap_listening();
        }
        self.meters.reset();
        self.transport.play();
    }

    /// The transport, to stop, seek and loop.
    pub fn transport(&mut self) -> &mut Transport {
        &mut self.transport
    }

    /// Which station's input and output the scope shows.
    pub fn watch_station(&mut self, station: usize) {
        self.watched = station;
    }

    /// Finishes waiting changes; to be called between blocks.
    pub fn catch_up(&mut self) {
        self.mixer.catch_up();
    }

    /// Whether every source has the sound of the next block.
    fn is_fed(&self) -> bool {
        let needs = self.transport.needs(BLOCK as u64);
        self.stores.iter().all(|s| needs.iter().flatten().all(|(from, count)| s.has(*from, *count)))
    }

    /// Fills one block of output.
    pub fn process(&mut self, out: &mut StereoBlock) {
        if !self.transport.is_running() {
            out.clear();
            return;
        }
        if !self.is_fed() {
            // Hold still rather than play some of the parts.
            self.starved_blocks += 1;
            out.clear();
            return;
        }
        self.read_inputs();
        let (watched, scope) = (self.watched, &mut self.scope);
        self.mixer.process(&mut self.inputs, out, |point, block| scope.see(watched, point, block));
        self.scope.advance();
        self.trace.take(self.mixer.focus_rack(), self.watched);
        self.meters.push(out);
    }

    fn read_inputs(&mut self) {
        self.inputs.iter_mut().for_each(StereoBlock::clear);
        for i in 0..BLOCK {
            if !self.transport.is_running() {
                return;
            }
            let read = self.transport.next_read();
            for (store, input) in self.stores.iter().zip(&mut self.inputs) {
                store.add_frame(read.at, read.gain, input, i);
                if let Some((from, gain)) = read.from {
                    store.add_frame(from, gain, input, i);
                }
            }
        }
    }

    /// Writes what the page draws, and starts the next stretch of it:
    /// `[position, playing, starved, latency, momentary LUFS, true peak dBTP,
    /// peak dBFS, reduction now dB, trace length, trace..., meter count,
    /// (strip, peak)..., scope before..., scope after...]`.
    pub fn report(&mut self, out: &mut Vec<f32>) {
        out.clear();
        out.extend([
            self.transport.position() as f32,
            f32::from(u8::from(self.transport.is_playing())),
            self.starved_blocks as f32,
            self.mixer.latency() as f32,
            self.meters.momentary() as f32,
            self.meters.true_peak.dbtp() as f32,
            self.meters.level.peak_db() as f32,
            self.trace.now,
        ]);
        self.meters.level = LevelMeter::default();
        out.push(self.trace.len as f32);
        out.extend_from_slice(&self.trace.blocks[..self.trace.len]);
        self.trace.len = 0;
        let count_at = out.len();
        out.push(0.0);
        self.mixer.take_peaks(|strip, peak| out.extend([strip as f32, peak]));
        out[count_at] = ((out.len() - count_at - 1) / 2) as f32;
        self.scope.copy_to(out);
    }
}

/// The last frames before and after the watched station, channels averaged.
struct Scope {
    before: Vec<f32>,
    after: Vec<f32>,
    write: usize,
}

impl Default for Scope {
    fn default() -> Self {
        Self { before: vec![0.0; SCOPE], after: vec![0.0; SCOPE], write: 0 }
    }
}

impl Scope {
    fn see(&mut self, watched: usize, point: usize, block: &StereoBlock) {
        let ring = if point == watched {
            &mut self.before
        } else if point == watched + 1 {
            &mut self.after
        } else {
            return;
        };
        let stretch = &mut ring[self.write..self.write + BLOCK];
        for ((out, l), r) in stretch.iter_mut().zip(&block.left).zip(&block.right) {
            *out = 0.5 * (l + r);
        }
    }

    fn advance(&mut self) {
        self.write = (self.write + BLOCK) % SCOPE;
    }

    fn copy_to(&self, out: &mut Vec<f32>) {
        for ring in [&self.before, &self.after] {
            out.extend_from_slice(&ring[self.write..]);
            out.extend_from_slice(&ring[..self.write]);
        }
    }
}

/// Most reduction of the watched station in each block since the last report.
struct Trace {
    blocks: [f32; TRACE_BLOCKS],
    len: usize,
    now: f32,
}

impl Default for Trace {
    fn default() -> Self {
        Self { blocks: [0.0; TRACE_BLOCKS], len: 0, now: 0.0 }
    }
}

impl Trace {
    fn take(&mut self, rack: Option<&crate::rack::Rack>, watched: usize) {
        let reduction = rack.and_then(|r| r.stations().get(watched)).and_then(|s| s.reduction());
        self.now = reduction.map_or(0.0, |r| r.iter().fold(0.0, |m, x| m.max(*x)));
        if self.len < TRACE_BLOCKS {
            self.blocks[self.len] = self.now;
            self.len += 1;
        }
    }
}

/// Meters of what is heard.
struct OutputMeters {
    loudness: LoudnessMeter,
    tenths: [f64; MOMENTARY],
    next: usize,
    true_peak: TruePeakMeter,
    level: LevelMeter,
}

impl OutputMeters {
    fn new(rate: f64) -> Self {
        Self {
            loudness: LoudnessMeter::new(rate, 2),
            tenths: [0.0; MOMENTARY],
            next: 0,
            true_peak: TruePeakMeter::default(),
            level: LevelMeter::default(),
        }
    }

    fn push(&mut self, block: &StereoBlock) {
        let (tenths, next) = (&mut self.tenths, &mut self.next);
        self.loudness.push(block, BLOCK, |tenth| {
            tenths[*next] = tenth;
            *next = (*next + 1) % MOMENTARY;
        });
        self.true_peak.push(block);
        self.level.push(block, BLOCK);
    }

    fn momentary(&self) -> f64 {
        let mean = self.tenths.iter().sum::<f64>() / MOMENTARY as f64;
        if mean <= 0.0 { FLOOR_DB } else { lufs(mean) }
    }

    fn reset(&mut self) {
        self.loudness.reset();
        self.tenths = [0.0; MOMENTARY];
        self.true_peak = TruePeakMeter::default();
    }
}
