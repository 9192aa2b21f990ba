//! A page with its player, and a server that prints what it asks for: the way of the sound in
//! the browser, without one.
#![allow(missing_docs, clippy::expect_used)]

use std::collections::HashMap;

use zinc_core::live::setup::Setup;
use zinc_core::live::store::CHUNK;
use zinc_core::live::{Player, Report};
use zinc_core::render::offline::{BlockSource, render};
use zinc_core::render::{Plan, Source, View};
use zinc_core::session::{Edit, Reference, Session};
use zinc_core::signal::{BLOCK, StereoBlock};

/// What a recorded track sounds like at a frame.
pub type Recording = fn(u32, usize) -> f32;

enum Reader {
    Raw { strip: u32, recording: Recording, at: usize, end: usize },
    Made { frames: Vec<[f32; 2]>, at: usize },
}

impl BlockSource for Reader {
    type Error = ();

    fn next_block(&mut self, block: &mut StereoBlock) -> Result<(), ()> {
        for i in 0..BLOCK {
            let [l, r] = match self {
                Self::Raw { strip, recording, at, end } if *at + i < *end => [recording(*strip, *at + i); 2],
                Self::Raw { .. } => [0.0; 2],
                Self::Made { frames, at } => frames.get(*at + i).copied().unwrap_or([0.0; 2]),
            };
            (block.left[i], block.right[i]) = (l, r);
        }
        let (Self::Raw { at, .. } | Self::Made { at, .. }) = self;
        *at += BLOCK;
        Ok(())
    }
}

/// The whole of a plan, rendered.
pub fn printed(session: &Session, plan: &Plan, recording: Recording) -> Vec<[f32; 2]> {
    let reader = |(_, source): (usize, &Source)| match Plan::of_source(session, source) {
        Some(inner) => Reader::Made { frames: printed(session, &inner, recording), at: 0 },
        None => raw(session, source, recording),
    };
    let mut readers: Vec<Reader> = plan.lanes().map(reader).collect();
    let mut out = Vec::new();
    render(plan, session, &mut readers, |block, frames| {
        out.extend((0..frames).map(|i| [block.left[i], block.right[i]]));
        Ok::<bool, ()>(true)
    })
    .expect("nothing fails here");
    out
}

fn raw(session: &Session, source: &Source, recording: Recording) -> Reader {
    let Source::Raw { strip } = source else { unreachable!("only raw sources have no plan") };
    let end = session.strip(*strip).and_then(|s| s.audio()).map_or(0, |a| a.frames as usize);
    Reader::Raw { strip: *strip, recording, at: 0, end }
}

/// A page: its document, its player, and what it has fetched.
pub struct Page {
    pub session: Session,
    pub view: View,
    pub player: Player,
    pub reference: Option<Reference>,
    recording: Recording,
    /// Stores by what determines their content.
    stores: HashMap<String, usize>,
    /// Whether sound asked for arrives.
    pub online: bool,
    /// What has arrived.
    fetched: Vec<(usize, usize, Vec<f32>)>,
    /// What has been asked for and has not arrived.
    waiting: Vec<(usize, usize, Vec<f32>)>,
}

impl Page {
    pub fn open(session: Session, strip: u32, recording: Recording) -> Self {
        let view = View { strip, with: Vec::new() };
        let lanes = Vec::new();
        let setup = Setup {
            session: session.clone(),
            view: view.clone(),
            reference: None,
            lanes: lanes.clone(),
            reference_lanes: lanes,
        };
        let player = Player::new(setup).expect("the strip is there");
        let mut page = Self {
            session,
            view,
            player,
            reference: None,
            recording,
            stores: HashMap::new(),
            online: true,
            fetched: Vec::new(),
            waiting: Vec::new(),
        };
        page.load();
        page
    }

    /// Asks for the streams of its mix and hands them to the player.
    pub fn load(&mut self) {
        let lanes = self.lanes_of(&self.session.clone());
        let other = self.reference.as_ref().map(|r| r.of(&self.session).expect("a valid reference"));
        let reference_lanes = other.map_or_else(Vec::new, |other| self.lanes_of(&other));
        let setup = Setup {
            session: self.session.clone(),
            view: self.view.clone(),
            reference: self.reference.clone(),
            lanes,
            reference_lanes,
        };
        self.player.change_to(setup).expect("a valid setup");
        self.arrive();
    }

    fn lanes_of(&mut self, session: &Session) -> Vec<usize> {
        let plan = Plan::of_view(session, &self.view).expect("the strip is there");
        let sources: Vec<Source> = plan.lanes().map(|(_, source)| source.clone()).collect();
        sources.iter().map(|source| self.store_of(session, source)).collect()
    }

    fn store_of(&mut self, session: &Session, source: &Source) -> usize {
        let plan = Plan::of_source(session, source);
        let key =
            format!("{source:?} {}", plan.as_ref().map_or_else(String::new, |p| p.determinants(session).to_string()));
        if let Some(known) = self.stores.get(&key) {
            return *known;
        }
        let store = self.stores.len();
        self.stores.insert(key, store);
        let frames = match &plan {
            Some(plan) => printed(session, plan, self.recording),
            None => {
                let mut reader = raw(session, source, self.recording);
                let mut frames = Vec::new();
                let mut block = StereoBlock::default();
                while frames.len() < session.frames() as usize {
                    reader.next_block(&mut block).expect("nothing fails here");
                    frames.extend((0..BLOCK).map(|i| [block.left[i], block.right[i]]));
                }
                frames.truncate(session.frames() as usize);
                frames
            }
        };
        self.player.set_store(store, 2, frames.len() as u64, 0);
        for (index, chunk) in frames.chunks(CHUNK).enumerate() {
            self.waiting.push((store, index, chunk.iter().flatten().copied().collect()));
        }
        store
    }

    /// Lets what was asked for arrive, if the page is online.
    pub fn arrive(&mut self) {
        if self.online {
            for (store, index, samples) in self.waiting.drain(..) {
                self.player.put_chunk(store, index, &samples);
                self.fetched.push((store, index, samples));
            }
        }
    }

    /// Fetches everything once more under new numbers.
    pub fn load_anew(&mut self) {
        let taken = self.stores.len();
        self.stores = (0..taken).map(|n| (format!("spent {n}"), n)).collect();
        self.load();
    }

    /// Fetches everything it has once more.
    pub fn put_back(&mut self) {
        for (store, index, samples) in self.fetched.clone() {
            self.player.put_chunk(store, index, &samples);
        }
    }

    /// Makes an edit as the page does: shown, handed to the player, and new streams asked for
    /// where the player says so or where a print has changed.
    pub fn edit(&mut self, edit: &Edit) {
        let Ok((edit, _)) = edit.apply(&mut self.session) else { return };
        if !self.player.edit(&edit).expect("the page took it") {
            self.load();
        }
    }

    /// Changes the other side of the comparison.
    pub fn compare(&mut self, reference: Reference) {
        let same = self.player.compare(&reference);
        self.reference = Some(reference);
        if !same {
            self.load();
        }
    }

    /// The left side of the next blocks; now and then the player is asked for a report.
    pub fn play(&mut self, blocks: usize) -> Vec<f32> {
        let (mut out, mut report) = (Vec::new(), Report::default());
        for n in 0..blocks {
            let mut block = StereoBlock::default();
            self.player.process(&mut block);
            out.extend(block.left);
            if n % 12 == 11 {
                self.player.catch_up();
                self.player.report(&mut report);
            }
        }
        out
    }
}
