//! Both sides of a comparison, played together.

use super::deck::{Deck, Stores};
use super::setup::{Setup, SetupError};
use super::transport::{Read, Transport};
use crate::render::{Plan, View};
use crate::session::{Edit, EditError, Reference, Session, Touch, routing};
use crate::signal::{BLOCK, Ramp, StereoBlock};
use crate::unit::Sounds;

/// What becomes of a change in a running mix.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Fit {
    /// It glides there.
    Glides,
    /// It takes another mix of the same sources, which goes on from this one.
    Renews,
    /// It takes other sources, for which the page asks.
    Sources,
}

impl Fit {
    fn and(self, other: Self) -> Self {
        match (self, other) {
            (Self::Sources, _) | (_, Self::Sources) => Self::Sources,
            (Self::Renews, _) | (_, Self::Renews) => Self::Renews,
            _ => Self::Glides,
        }
    }
}

/// The session's mix, and the other side where there is one.
pub(super) struct Sides {
    pub(super) worked: Deck,
    pub(super) other: Option<(Reference, Deck)>,
}

impl Sides {
    /// From rest, or going on from what plays.
    pub(super) fn new(setup: Setup, before: Option<&Self>) -> Result<Self, SetupError> {
        let plan = |session: &Session| Plan::of_view(session, &setup.view).ok_or(SetupError::NoStrip(setup.view.strip));
        let deck = |session, plan, lanes, before: Option<&Deck>| match before {
            Some(before) => Deck::carried(session, plan, lanes, before),
            None => Deck::new(session, plan, lanes),
        };
        let other = match setup.reference {
            None => None,
            Some(reference) => {
                let session = reference.of(&setup.session).map_err(SetupError::Reference)?;
                let plan = plan(&session)?;
                // Without another side so far, its units go on from the session's own.
                let before = before.map(|sides| sides.other.as_ref().map_or(&sides.worked, |(_, deck)| deck));
                Some((reference, deck(session, plan, setup.reference_lanes, before)))
            }
        };
        let plan = plan(&setup.session)?;
        Ok(Self { worked: deck(setup.session, plan, setup.lanes, before.map(|sides| &sides.worked)), other })
    }

    /// Other mixes of the same sources for the present documents, going on from these.
    pub(super) fn again(&self) -> Self {
        Self {
            worked: self.worked.again(),
            other: self.other.as_ref().map(|(reference, deck)| (reference.clone(), deck.again())),
        }
    }

    pub(super) fn decks(&mut self) -> impl Iterator<Item = &mut Deck> {
        std::iter::once(&mut self.worked).chain(self.other.as_mut().map(|(_, deck)| deck))
    }

    /// Whether every source of both sides has the sound of the next `frames` frames.
    pub(super) fn is_fed(&self, stores: &Stores, transport: &Transport, frames: u64) -> bool {
        self.both(|deck| deck.is_fed(stores, transport, frames))
    }

    /// Whether every source of both sides has the sound of `count` frames of the song.
    pub(super) fn has(&self, stores: &Stores, from: u64, count: u64) -> bool {
        self.both(|deck| deck.has(stores, from, count))
    }

    fn both(&self, holds: impl Fn(&Deck) -> bool) -> bool {
        holds(&self.worked) && self.other.as_ref().is_none_or(|(_, deck)| holds(deck))
    }

    pub(super) fn reads(&self, store: usize) -> bool {
        self.worked.reads(store) || self.other.as_ref().is_some_and(|(_, d)| d.reads(store))
    }

    /// Blocks that both have to run unheard when they go on from others.
    pub(super) fn settling_blocks(&self) -> u32 {
        let other = self.other.as_ref().map_or(0, |(_, deck)| deck.mixer.settling_frames());
        self.worked.mixer.settling_frames().max(other).div_ceil(BLOCK) as u32
    }

    /// Gives the units of both the sounds they name; what takes a fresh unit for it takes
    /// another mix.
    pub(super) fn supply(&mut self, sounds: &Sounds) {
        self.decks().for_each(|deck| deck.session.supply_with(sounds.clone()));
    }

    /// Whether both mixes fit their documents.
    pub(super) fn is_current(&self) -> bool {
        self.both(|deck| deck.mixer.fits(&deck.session))
    }

    /// Finds how long both sound.
    pub(super) fn measure(&mut self) {
        self.decks().for_each(Deck::measure);
    }

    /// Frames read beyond the end of the song, so that all that is inside comes out.
    pub(super) fn run_out(&self) -> u64 {
        let of = |deck: &Deck| deck.length.tail + deck.mixer.latency() as u64;
        of(&self.worked).max(self.other.as_ref().map_or(0, |(_, deck)| of(deck)))
    }

    /// Takes an edit over.
    pub(super) fn edit(&mut self, edit: &Edit, view: &View) -> Result<Fit, EditError> {
        // As applied: a unit that others follow changes them too.
        let (edit, _) = edit.apply_kept(&mut self.worked.session)?;
        let fit = fit(&self.worked, view);
        match edit.touches() {
            Touch::Strip(strip) | Touch::Rack(strip) | Touch::Unit(strip, _) | Touch::Paths(strip) => {
                self.worked.mixer.update(&self.worked.session, strip);
            }
            // Units follow the tempo, and values the sections.
            Touch::Strips | Touch::Everything | Touch::Frame => {
                for strip in &self.worked.session.strips {
                    self.worked.mixer.update(&self.worked.session, strip.id);
                }
            }
            Touch::Notebook => return Ok(fit),
        }
        Ok(fit.and(self.follow(view)))
    }

    /// Brings the other side to the session's present state.
    fn follow(&mut self, view: &View) -> Fit {
        let Some((reference, deck)) = &mut self.other else { return Fit::Glides };
        let Ok(session) = reference.of(&self.worked.session) else { return Fit::Glides };
        let changed: Vec<u32> = session
            .strips
            .iter()
            .filter(|s| deck.session.strip(s.id).is_none_or(|old| old != *s))
            .map(|s| s.id)
            .collect();
        deck.session = session;
        for strip in changed {
            deck.mixer.update(&deck.session, strip);
        }
        fit(deck, view)
    }

    /// Changes the other side.
    pub(super) fn compare(&mut self, reference: &Reference, view: &View) -> Fit {
        let Ok(session) = reference.of(&self.worked.session) else { return Fit::Sources };
        match &mut self.other {
            Some((present, deck)) if Plan::of_view(&session, view).as_ref() == Some(&deck.plan) => {
                present.clone_from(reference);
                self.follow(view)
            }
            _ => Fit::Sources,
        }
    }

    pub(super) fn hear_only(&mut self, chosen: Option<&[u32]>) {
        for deck in self.decks() {
            let strips = chosen.map(|list| routing::heard_with(&deck.session, list));
            deck.mixer.hear_only(strips.as_deref());
        }
    }

    /// Plays one block of both sides in these shares; `tap` sees the rack in hand of the
    /// session's side.
    pub(super) fn play(
        &mut self,
        stores: &Stores,
        reads: &[Option<Read>; BLOCK],
        shares: &mut [Ramp; 2],
        out: &mut StereoBlock,
        work: &mut StereoBlock,
        tap: impl FnMut(usize, &StereoBlock),
    ) {
        self.worked.play(stores, reads, out, tap);
        if let Some((_, other)) = &mut self.other {
            other.play(stores, reads, work, |_, _| {});
            blend(out, work, shares);
        }
    }
}

/// What the present document of a deck asks of its mix.
fn fit(deck: &Deck, view: &View) -> Fit {
    if Plan::of_view(&deck.session, view).as_ref() != Some(&deck.plan) {
        Fit::Sources
    } else if deck.mixer.fits(&deck.session) {
        Fit::Glides
    } else {
        Fit::Renews
    }
}

/// Shares of both sides; exactly the session's sound at rest on it.
fn blend(worked: &mut StereoBlock, other: &StereoBlock, [worked_share, other_share]: &mut [Ramp; 2]) {
    let resting = worked_share.at_rest() && other_share.at_rest();
    if resting && worked_share.value() == 1.0 && other_share.value() == 0.0 {
        return;
    }
    for i in 0..BLOCK {
        let (w, o) = (worked_share.next_value() as f32, other_share.next_value() as f32);
        worked.left[i] = worked.left[i] * w + other.left[i] * o;
        worked.right[i] = worked.right[i] * w + other.right[i] * o;
    }
}
