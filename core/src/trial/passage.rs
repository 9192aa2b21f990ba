//! A stretch of sound held in memory.

use crate::signal::{BLOCK, StereoBlock};

/// Both sides of a stretch of sound.
#[derive(Clone, Debug, PartialEq)]
pub struct Passage {
    /// Sample rate in Hz.
    pub rate: f64,
    /// Channels it was recorded with, 1 or 2; one is carried on both sides.
    pub channels: usize,
    /// Left side.
    pub left: Vec<f32>,
    /// Right side, as long.
    pub right: Vec<f32>,
    /// Frame of the song at which it begins.
    pub start: i64,
    /// What sounds right before it: a rack hears it first, so that it meets the passage as it does in the
    /// song and not at rest. No figure counts it.
    pub lead_in: Vec<[f32; 2]>,
}

impl Passage {
    /// An empty one.
    #[must_use]
    pub fn new(rate: f64, channels: usize) -> Self {
        Self { rate, channels, left: Vec::new(), right: Vec::new(), start: 0, lead_in: Vec::new() }
    }

    /// Adds the first `frames` of a block.
    pub fn push(&mut self, block: &StereoBlock, frames: usize) {
        self.left.extend_from_slice(&block.left[..frames]);
        self.right.extend_from_slice(&block.right[..frames]);
    }

    /// Length in frames.
    #[must_use]
    pub fn frames(&self) -> usize {
        self.left.len()
    }

    /// Length in seconds.
    #[must_use]
    pub fn seconds(&self) -> f64 {
        self.frames() as f64 / self.rate
    }

    /// The stretch between two frames, as far as there is one, without a lead-in.
    #[must_use]
    pub fn cut(&self, from: usize, to: usize) -> Self {
        self.cut_led(from, to, 0)
    }

    /// The same, led in by so many frames before it, as far as there are any.
    #[must_use]
    pub fn cut_led(&self, from: usize, to: usize, lead: usize) -> Self {
        let to = to.min(self.frames());
        let from = from.min(to);
        let before = from - lead.min(from);
        Self {
            left: self.left[from..to].to_vec(),
            right: self.right[from..to].to_vec(),
            start: self.start + from as i64,
            lead_in: (before..from).map(|n| [self.left[n], self.right[n]]).collect(),
            ..*self
        }
    }

    /// Itself and its lead-in as one, from where that begins.
    #[must_use]
    pub fn led(&self) -> Self {
        let side = |side: usize, own: &[f32]| {
            self.lead_in.iter().map(|frame| frame[side]).chain(own.iter().copied()).collect()
        };
        Self {
            left: side(0, &self.left),
            right: side(1, &self.right),
            start: self.start - self.lead_in.len() as i64,
            lead_in: Vec::new(),
            ..*self
        }
    }

    /// The blocks in order, the last filled with silence, with the frames of each that count.
    pub fn blocks(&self) -> impl Iterator<Item = (StereoBlock, usize)> + '_ {
        (0..self.frames()).step_by(BLOCK).map(|first| (self.block_at(first), BLOCK.min(self.frames() - first)))
    }

    /// The block that begins at a frame; silence after the end.
    #[must_use]
    pub fn block_at(&self, first: usize) -> StereoBlock {
        let mut block = StereoBlock::SILENT;
        let first = first.min(self.frames());
        let count = BLOCK.min(self.frames() - first);
        block.left[..count].copy_from_slice(&self.left[first..first + count]);
        block.right[..count].copy_from_slice(&self.right[first..first + count]);
        block
    }

    /// The middle of both sides at each frame.
    #[must_use]
    pub fn middle(&self) -> Vec<f64> {
        self.left.iter().zip(&self.right).map(|(l, r)| 0.5 * (f64::from(*l) + f64::from(*r))).collect()
    }

    /// The louder side's magnitude at each frame.
    #[must_use]
    pub fn magnitude(&self) -> Vec<f64> {
        self.left.iter().zip(&self.right).map(|(l, r)| f64::from(l.abs().max(r.abs()))).collect()
    }
}
