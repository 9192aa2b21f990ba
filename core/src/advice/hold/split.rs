//! A passage split at the edges of a region, as a multiband splits it.

use crate::filter::Crossover;
use crate::signal::{BLOCK, Frame};
use crate::trial::Passage;

/// The region between two edges and what lies beside it: both sides frame by frame.
pub struct Split {
    /// Between the edges.
    pub inside: Vec<Frame>,
    /// Below and above them.
    pub beside: Vec<Frame>,
}

impl Split {
    /// Of a passage.
    pub fn of(passage: &Passage, edges: [f64; 2]) -> Self {
        let steep = Crossover::asked(&edges);
        let mut crossover = Crossover::with(steep, &edges, passage.rate);
        let lacks = Crossover::lacks(steep, &edges, 0, passage.rate);
        let mut split: Vec<Vec<Frame>> = vec![vec![[0.0; 2]; BLOCK]; 3];
        let mut all =
            Self { inside: Vec::with_capacity(passage.frames()), beside: Vec::with_capacity(passage.frames()) };
        for (block, frames) in passage.blocks() {
            split[2].copy_from_slice(&block.frames());
            crossover.split(&mut split);
            let inside = |i: usize| split[1][i].map(|x| lacks * x);
            let whole = |i: usize, side: usize| split[0][i][side] + split[1][i][side] + split[2][i][side];
            all.inside.extend((0..frames).map(inside));
            all.beside.extend((0..frames).map(|i| [0, 1].map(|side: usize| whole(i, side) - inside(i)[side])));
        }
        all
    }

    /// Magnitude of the louder side of the region at each frame.
    pub fn peaks(&self) -> Vec<f64> {
        self.inside.iter().map(|[l, r]| l.abs().max(r.abs())).collect()
    }
}

/// Mean power of both sides of a stretch.
pub fn power(frames: &[Frame]) -> f64 {
    frames.iter().map(|[l, r]| l * l + r * r).sum::<f64>() / (2 * frames.len().max(1)) as f64
}
