//! The player: the mix of a page, the other side of its comparison, the place in the
//! song, what is listened to, and the meters.

use super::deck::Deck;
use super::meters::{OutputMeters, Scope, Trace};
use super::monitor::{Check, Monitor};
use super::playhead::Playhead;
use super::report::Report;
use super::setup::{Setup, SetupError};
use super::sides::{Fit, Sides};
use super::store::ChunkStore;
use super::transport::Transport;
use super::wire::Wire;
use crate::render::View;
use crate::session::{Edit, EditError, Reference};
use crate::signal::{BLOCK, Ramp, StereoBlock};
use crate::unit::Sounds;

/// Most stores a player keeps; a guard against a page gone wrong.
const MOST_STORES: usize = 4096;
/// Blocks of the crossfade from one mix to the next: 21 ms at 48 kHz.
const FADE_BLOCKS: u32 = 8;
/// Seconds before the end of the song from which its length is kept up to date.
const NEAR_END_S: u64 = 5;
/// Frames over which the output fades at a stop: 5.3 ms at 48 kHz.
const STOP_FADE: u32 = 256;

/// Which side of the comparison is heard.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Side {
    /// The session as it is.
    #[default]
    Worked,
    /// The other side.
    Other,
    /// The session minus the other side.
    Difference,
}

impl Side {
    /// Shares of the session and of the other side.
    fn shares(self) -> [f64; 2] {
        match self {
            Self::Worked => [1.0, 0.0],
            Self::Other => [0.0, 1.0],
            Self::Difference => [1.0, -1.0],
        }
    }
}

/// A mix that is about to take over. It reads so far ahead of the one that plays, or behind it,
/// that both give out the same frame of the song, however late each is.
struct Incoming {
    sides: Sides,
    view: View,
    head: Playhead,
    /// Whether it has begun to read, which takes that its sound has arrived.
    is_reading: bool,
    warm_blocks_left: u32,
    fade_blocks_left: u32,
}

/// Plays one session on one page.
pub struct Player {
    view: View,
    sides: Sides,
    incoming: Option<Incoming>,
    /// Mixes done with, freed at the next message and not on the audio path.
    retired: Vec<Incoming>,
    head: Playhead,
    /// Where a seek leads that waits for its sound.
    goal: Option<u64>,
    /// Whether the document has changed since the length was found.
    length_is_old: bool,
    /// Frames of fade left after a stop; none while playing on.
    stopping: Option<u32>,
    /// Share of the output let through: it falls before sound runs short and rises when it is
    /// back.
    gate: f32,
    stores: Vec<Option<ChunkStore>>,
    side: Side,
    /// Strips heard alone; everything when there is no list.
    chosen: Option<Vec<u32>>,
    /// Passes of a loop after which the side changes by itself; 0 for never.
    alternate: u32,
    passes: u32,
    /// Shares of the session and of the other side.
    shares: [Ramp; 2],
    monitor: Monitor,
    watched: usize,
    scope: Scope,
    trace: Trace,
    wire: Wire,
    meters: OutputMeters,
    /// Blocks for which sound was wanted and had not arrived.
    starved_blocks: u32,
    work: StereoBlock,
}

impl Player {
    /// A stopped player.
    ///
    /// # Errors
    /// A strip that does not exist, or an other side that cannot be read.
    pub fn new(setup: Setup) -> Result<Self, SetupError> {
        let (view, rate) = (setup.view.clone(), f64::from(setup.session.rate));
        let end = setup.session.frames();
        let mut player = Self {
            view,
            sides: Sides::new(setup, None)?,
            incoming: None,
            retired: Vec::with_capacity(4),
            head: Playhead::new(Transport::new(end)),
            goal: None,
            length_is_old: true,
            stopping: None,
            gate: 1.0,
            stores: Vec::new(),
            side: Side::Worked,
            chosen: None,
            alternate: 0,
            passes: 0,
            shares: [Ramp::new(1.0, rate), Ramp::new(0.0, rate)],
            monitor: Monitor::new(rate),
            watched: 0,
            scope: Scope::default(),
            trace: Trace::default(),
            wire: Wire::new(rate),
            meters: OutputMeters::new(rate),
            starved_blocks: 0,
            work: StereoBlock::SILENT,
        };
        player.set_end();
        Ok(player)
    }

    /// Plays something else from now on, without stopping: the new mix waits for its
    /// sound, runs unheard until it has settled, and is faded in. Units that play now and are
    /// in it keep their state.
    ///
    /// # Errors
    /// As [`Self::new`]; what plays now then plays on.
    pub fn change_to(&mut self, setup: Setup) -> Result<(), SetupError> {
        let view = setup.view.clone();
        let sides = Sides::new(setup, self.head.transport.is_playing().then_some(&self.sides))?;
        self.give_way_to(sides, view);
        Ok(())
    }

    /// Lets another mix take over: at once where nothing plays, else once it is ready. One that
    /// was about to has been overtaken.
    fn give_way_to(&mut self, mut sides: Sides, view: View) {
        sides.hear_only(self.chosen.as_deref());
        sides.decks().for_each(|d| d.mixer.snap());
        let incoming = Incoming::new(sides, view);
        if self.head.transport.is_playing() {
            self.incoming = Some(incoming);
        } else {
            self.incoming = None;
            self.take_over(incoming);
        }
    }

    fn take_over(&mut self, mut incoming: Incoming) {
        std::mem::swap(&mut self.view, &mut incoming.view);
        std::mem::swap(&mut self.sides, &mut incoming.sides);
        if incoming.is_reading {
            std::mem::swap(&mut self.head, &mut incoming.head);
        }
        self.retired.push(incoming);
        self.length_is_old = true;
    }

    /// Finds how long what plays is, and reads as far beyond the song as that needs.
    fn set_end(&mut self) {
        self.length_is_old = false;
        self.sides.measure();
        let (end, run_out) = (self.song_end(), self.sides.run_out());
        self.each_transport(|transport| transport.set_end(end, run_out));
    }

    /// Whether the length matters now: nothing plays, or the end is near. Finding it takes
    /// longer than a drag should cost.
    fn nears_end(&self) -> bool {
        let soon = u64::from(self.sides.worked.session.rate) * NEAR_END_S;
        !self.head.transport.is_playing() || self.head.transport.position() + soon > self.song_end()
    }

    /// Declares what a store holds and where in the song it begins; forgets what had
    /// arrived of it.
    pub fn set_store(&mut self, store: usize, channels: usize, frames: u64, start: u64) {
        if store < MOST_STORES {
            if self.stores.len() <= store {
                self.stores.resize_with(store + 1, || None);
            }
            self.stores[store] = Some(ChunkStore::new(channels.clamp(1, 2), frames, start));
        }
    }

    /// Takes in a stretch of a store.
    pub fn put_chunk(&mut self, store: usize, index: usize, samples: &[f32]) {
        if let Some(Some(store)) = self.stores.get_mut(store) {
            store.put(index, samples);
        }
    }

    /// Lets go of a stretch of a store.
    pub fn drop_chunk(&mut self, store: usize, index: usize) {
        if let Some(Some(store)) = self.stores.get_mut(store) {
            store.drop_chunk(index);
        }
    }

    /// Applies an edit to the document and lets the mix go to it: it glides, or another mix
    /// that goes on from it is prepared unheard and faded in. False where the edit takes other
    /// sources, so that [`Self::change_to`] is needed for it to be heard.
    ///
    /// # Errors
    /// As [`Edit::apply`].
    pub fn edit(&mut self, edit: &Edit) -> Result<bool, EditError> {
        let mut fit = self.sides.edit(edit, &self.view)?;
        if let Some(incoming) = &mut self.incoming {
            // It was made from a document that may hold this edit already. What does not fit
            // it either waits for its turn (see `catch_up`).
            fit = incoming.sides.edit(edit, &incoming.view).unwrap_or(Fit::Glides);
        } else if fit == Fit::Renews {
            self.renew();
        }
        self.length_is_old = true;
        Ok(fit != Fit::Sources)
    }

    /// Prepares another mix of the same sources for the present document.
    fn renew(&mut self) {
        self.give_way_to(self.sides.again(), self.view.clone());
    }

    /// Gives units the sounds they name, of these. One whose sound has come is prepared unheard
    /// and faded in; until then it passes its input.
    pub fn supply(&mut self, sounds: &Sounds) {
        self.sides.supply(sounds);
        if let Some(incoming) = &mut self.incoming {
            // What does not fit it waits for its turn (see `catch_up`).
            incoming.sides.supply(sounds);
        } else if !self.sides.is_current() {
            self.renew();
        }
        self.length_is_old = true;
    }

    /// Chooses which side is heard.
    pub fn listen(&mut self, side: Side) {
        self.side = side;
        self.passes = 0;
        for (share, to) in self.shares.iter_mut().zip(side.shares()) {
            share.glide_to(to);
        }
    }

    /// Changes the other side, of what plays and of what is about to. False where that takes
    /// other sources ([`Self::change_to`]).
    pub fn compare(&mut self, reference: &Reference) -> bool {
        let fit = self.sides.compare(reference, &self.view);
        let Some(incoming) = &mut self.incoming else {
            if fit == Fit::Renews {
                self.renew();
            }
            return fit != Fit::Sources;
        };
        incoming.sides.compare(reference, &incoming.view) != Fit::Sources
    }

    /// Lets the side change by itself after so many passes of a loop; 0 for never.
    pub fn alternate(&mut self, passes: u32) {
        (self.alternate, self.passes) = (passes, 0);
    }

    /// Hears these strips only, with what they sound through; everything without a list.
    pub fn hear_only(&mut self, chosen: Option<Vec<u32>>) {
        self.sides.hear_only(chosen.as_deref());
        if let Some(incoming) = &mut self.incoming {
            incoming.sides.hear_only(chosen.as_deref());
        }
        self.chosen = chosen;
    }

    /// Checks the mix on another system, for the ear alone.
    pub fn check_on(&mut self, check: Check) {
        self.monitor.set(check);
    }

    /// Starts playing. A start from rest begins with empty filters, as a print does.
    pub fn play(&mut self) {
        if let Some(left) = self.stopping.take() {
            // It had begun to fade; it comes back from there.
            self.gate *= left as f32 / STOP_FADE as f32;
        } else if !self.head.transport.is_playing() {
            if let Some(incoming) = self.incoming.take() {
                self.take_over(Incoming { is_reading: false, ..incoming });
                self.forget_unread();
            }
            self.sides.decks().for_each(Deck::restart);
            self.sides.hear_only(self.chosen.as_deref());
            self.sides.decks().for_each(|d| d.mixer.snap());
            self.shares.iter_mut().for_each(Ramp::snap);
            self.gate = 1.0;
            self.set_end();
            let at = self.on_grid(self.head.transport.position());
            self.head.transport.seek(at);
            self.head.play();
        }
        self.meters.reset();
        self.passes = 0;
    }

    /// Stops: what is heard fades out, and playing stands where the ear was.
    pub fn stop(&mut self) {
        if self.head.transport.is_playing() && self.stopping.is_none() {
            self.stopping = Some(STOP_FADE);
        }
    }

    /// The beginning of the block that a frame of the song lies in, where values change with the song:
    /// then they are put at the same frames wherever playing begins. Less than 3 ms.
    fn on_grid(&self, frame: u64) -> u64 {
        if self.sides.worked.session.changes_with_the_song() { frame - frame % BLOCK as u64 } else { frame }
    }

    /// Goes to `frame`, crossfading; where its sound has not arrived, what plays fades out first.
    pub fn seek(&mut self, frame: u64) {
        let frame = self.on_grid(frame);
        if self.head.transport.is_playing() {
            self.goal = Some(frame);
        } else {
            self.head.transport.seek(frame);
        }
    }

    /// Loops a stretch in frames, or no longer.
    pub fn set_loop(&mut self, looped: Option<(u64, u64)>) {
        let looped = looped.map(|(from, to)| (self.on_grid(from), self.on_grid(to)));
        self.each_transport(|transport| transport.set_loop(looped));
    }

    /// Tells the transport of what plays and of what is about to.
    fn each_transport(&mut self, tell: impl Fn(&mut Transport)) {
        tell(&mut self.head.transport);
        if let Some(incoming) = &mut self.incoming {
            tell(&mut incoming.head.transport);
        }
    }

    /// Whether it plays: sound is wanted and it has not been stopped.
    #[must_use]
    pub fn is_playing(&self) -> bool {
        self.head.transport.is_playing() && self.stopping.is_none()
    }

    /// The frame of the song that is heard now.
    #[must_use]
    pub fn heard_at(&self) -> u64 {
        match self.goal {
            Some(goal) => goal,
            None if !self.head.transport.is_playing() => self.head.transport.position().min(self.song_end()),
            None => self.head.heard(self.latency()).min(self.song_end()),
        }
    }

    fn latency(&self) -> usize {
        self.sides.worked.mixer.latency()
    }

    fn song_end(&self) -> u64 {
        self.sides.worked.session.frames()
    }

    /// Starts the maxima of the output's meters anew.
    pub fn reset_maxima(&mut self) {
        self.meters.reset();
    }

    /// Which station's input and output the scope shows.
    pub fn watch_station(&mut self, station: usize) {
        self.watched = station;
    }

    /// Finishes waiting changes; to be called between blocks.
    pub fn catch_up(&mut self) {
        if !self.retired.is_empty() {
            self.retired.clear();
            self.forget_unread();
        }
        self.sides.decks().for_each(|d| d.mixer.catch_up());
        if self.incoming.is_none() && !self.sides.is_current() {
            self.renew();
        }
        if self.length_is_old && self.nears_end() {
            self.set_end();
        }
    }

    /// Stores that nothing reads any more give their memory back.
    fn forget_unread(&mut self) {
        let (sides, incoming) = (&self.sides, &self.incoming);
        for (i, store) in self.stores.iter_mut().enumerate() {
            if !sides.reads(i) && !incoming.as_ref().is_some_and(|n| n.sides.reads(i)) {
                *store = None;
            }
        }
    }

    /// Fills one block of output.
    pub fn process(&mut self, out: &mut StereoBlock) {
        if !self.head.transport.is_playing() {
            out.clear();
            return;
        }
        self.follow_goal();
        // Once silent, it comes back only for more than a block.
        let wanted = if self.gate == 0.0 { 2 * BLOCK } else { BLOCK };
        if !self.sides.is_fed(&self.stores, &self.head.transport, wanted as u64) {
            self.starve(out);
            return;
        }
        let goes_on = self.goal.is_none() && self.sides.is_fed(&self.stores, &self.head.transport, 2 * BLOCK as u64);
        let heard_at = self.heard_at();
        let ready = self.prepare_incoming();
        self.play_sides(ready, out);
        self.move_gate(if goes_on { 1.0 } else { 0.0 }, out);
        self.fade_to_stop(heard_at, out);
        self.meters.push(out);
        self.monitor.process(out);
    }

    /// Lets the mix that is about to take over read in step with the one that plays. Whether
    /// it may play the next block.
    fn prepare_incoming(&mut self) -> bool {
        let own_latency = self.latency();
        let Some(incoming) = &mut self.incoming else { return false };
        let latency = incoming.sides.worked.mixer.latency();
        if !incoming.is_reading {
            incoming.head.step_beside(&self.head, own_latency, latency);
            incoming.warm_blocks_left = incoming.sides.settling_blocks();
            incoming.fade_blocks_left = FADE_BLOCKS;
        }
        // Once it has missed a block it is out of step and begins anew.
        incoming.is_reading = incoming.sides.is_fed(&self.stores, &incoming.head.transport, BLOCK as u64);
        incoming.is_reading
    }

    /// Holds still rather than play some of the parts.
    fn starve(&mut self, out: &mut StereoBlock) {
        out.clear();
        self.starved_blocks += 1;
        if self.stopping.take().is_some() {
            let heard_at = self.heard_at();
            self.head.stop_at(heard_at);
            return;
        }
        // What has been heard has been faded out; what was never heard begins as printed.
        if !self.head.is_fresh() {
            self.gate = 0.0;
        }
        // Nothing is heard, so that a mix that has its sound can take over at once.
        if self.prepare_incoming()
            && let Some(incoming) = self.incoming.take()
        {
            self.take_over(incoming);
        }
    }

    /// Seeks once the sound there has arrived, or once what plays has faded out.
    fn follow_goal(&mut self) {
        let Some(goal) = self.goal else { return };
        let there = self.sides.has(&self.stores, goal, 2 * BLOCK as u64);
        if there || self.gate == 0.0 {
            // What is about to take over begins anew there.
            if let Some(incoming) = &mut self.incoming {
                incoming.is_reading = false;
            }
            self.head.transport.seek(goal);
            self.goal = None;
        }
    }

    fn move_gate(&mut self, to: f32, out: &mut StereoBlock) {
        if self.gate == to && to == 1.0 {
            return;
        }
        let step = (to - self.gate) / BLOCK as f32;
        for i in 0..BLOCK {
            let gain = self.gate + step * (i + 1) as f32;
            out.left[i] *= gain;
            out.right[i] *= gain;
        }
        self.gate = to;
    }

    /// `heard_at` is where the ear was when this block began.
    fn fade_to_stop(&mut self, heard_at: u64, out: &mut StereoBlock) {
        let Some(left) = &mut self.stopping else { return };
        for i in 0..BLOCK {
            let gain = *left as f32 / STOP_FADE as f32;
            out.left[i] *= gain;
            out.right[i] *= gain;
            *left = left.saturating_sub(1);
        }
        if *left == 0 {
            self.stopping = None;
            self.head.stop_at(heard_at);
        }
    }

    fn count_passes(&mut self, passes: u32) {
        self.passes += passes;
        if passes > 0 && self.alternate > 0 && self.passes >= self.alternate {
            self.listen(if self.side == Side::Worked { Side::Other } else { Side::Worked });
        }
    }

    fn play_sides(&mut self, ready: bool, out: &mut StereoBlock) {
        let (reads, passes) = self.head.next_reads();
        self.count_passes(passes);
        self.wire.follow(self.sides.worked.mixer.focus_rack());
        let (watched, scope, wire) = (self.watched, &mut self.scope, &mut self.wire);
        let mut shares = self.shares;
        let tap = |point: usize, block: &StereoBlock| {
            scope.see(watched, point, block);
            wire.see(point, block);
        };
        self.sides.play(&self.stores, &reads, &mut self.shares, out, &mut self.work, tap);
        self.scope.advance();
        let rack = self.sides.worked.mixer.focus_rack();
        self.trace.take(rack, self.watched);
        self.wire.take(rack);
        if ready && let Some(mut incoming) = self.incoming.take() {
            let (reads, _) = incoming.head.next_reads();
            let mut fresh = StereoBlock::SILENT;
            incoming.sides.play(&self.stores, &reads, &mut shares, &mut fresh, &mut self.work, |_, _| {});
            incoming.join(&fresh, out);
            if incoming.fade_blocks_left > 0 {
                self.incoming = Some(incoming);
            } else {
                self.take_over(incoming);
            }
        }
    }

    /// Fills in what the page draws, and starts the next stretch of it. Allocates nothing once the lists are long
    /// enough.
    pub fn report(&mut self, out: &mut Report) {
        out.position = self.heard_at();
        out.playing = self.is_playing();
        out.starved = self.starved_blocks.into();
        out.latency = self.latency();
        [out.momentary, out.true_peak, out.peak] = self.meters.take();
        out.reduction = self.trace.now();
        out.side = self.side as u8;
        out.changing = self.incoming.is_some();
        out.width = self.meters.width_db();
        self.trace.drain_into(&mut out.trace);
        out.peaks.clear();
        self.sides.worked.mixer.take_peaks(|strip, peak| out.peaks.extend([strip as f32, peak]));
        self.scope.copy_to(&mut out.before, &mut out.after);
        [out.rack_in, out.rack_out] = self.wire.loudness();
        self.wire.drain_into(&mut out.levels, &mut out.reductions);
        out.moves.clear();
        let rack = self.sides.worked.mixer.focus_rack();
        out.moves.extend(rack.and_then(|r| r.stations().get(self.watched)).map_or(&[][..], |s| s.moves()));
    }
}

impl Incoming {
    fn new(sides: Sides, view: View) -> Self {
        Self {
            sides,
            view,
            head: Playhead::new(Transport::new(0)),
            is_reading: false,
            warm_blocks_left: 0,
            fade_blocks_left: FADE_BLOCKS,
        }
    }

    /// Fades from the old mix in `out` to the new one, once that has run long enough.
    fn join(&mut self, fresh: &StereoBlock, out: &mut StereoBlock) {
        if self.warm_blocks_left > 0 {
            self.warm_blocks_left -= 1;
            return;
        }
        for i in 0..BLOCK {
            let old = (self.fade_blocks_left as f32 - (i + 1) as f32 / BLOCK as f32) / FADE_BLOCKS as f32;
            out.left[i] = fresh.left[i] + (out.left[i] - fresh.left[i]) * old;
            out.right[i] = fresh.right[i] + (out.right[i] - fresh.right[i]) * old;
        }
        self.fade_blocks_left -= 1;
    }
}
