//! Prints the trees that tell rings from notes: grown by gradient boosting (Friedman,
//! *Greedy function approximation*, 2001; leaves by Newton's step, as Chen & Guestrin,
//! *XGBoost*, 2016) on seeded takes with and without rings planted in them. What it says of
//! takes that it has not seen goes to standard error.
#![allow(clippy::unwrap_used, clippy::expect_used, missing_docs)] // a tool for the developer's desk

#[path = "../tests/strangers/mod.rs"]
mod strangers;

use std::ops::Range;
use std::sync::atomic::{AtomicUsize, Ordering};

use strangers::{Collection, TUNED, collection};
use zinc_core::measure::rings::forest::{DEPTH, LEAVES, SPLITS, Tree};
use zinc_core::measure::rings::{Candidate, Evidence, LOWEST_HZ, RingMeter};
use zinc_demo::pieces::{KINDS, Kind, Planted, Take};
use zinc_demo::player::Chance;
use zinc_demo::tools::mono_blocks;

/// Seeds grown on, and those the result is tried on; tests use others again.
const SEEDS: Range<u64> = 1..21;
const HELD_BACK: Range<u64> = 51..54;
/// Semitones by which sampled parts are transposed, so that they play other notes of the collection, and those of the
/// parts the result is tried on.
const TRANSPOSED: [f64; 6] = [-4.0, -2.0, 1.0, 3.0, 5.0, 6.0];
const TRANSPOSED_HELD_BACK: [f64; 2] = [0.0, 4.0];
/// Rings planted in each take, one at a time.
const PLANTED: usize = 3;
/// A place this near is the ring, and one farther than the second is not.
const NEAR: f64 = 0.013;
const APART: f64 = 0.03;

const TREES: usize = 140;
/// How much of what a tree would say is taken.
const PACE: f64 = 0.12;
/// Share of the rows each tree sees.
const SEEN: f64 = 0.7;
/// Values a figure may be held against.
const CUTS: usize = 40;
const FEWEST_ROWS: usize = 15;
const RIDGE: f64 = 1.0;
/// No answer may be stronger.
const MOST: f64 = 0.9;

/// One place: its evidence and whether a ring was planted there.
#[derive(Clone)]
struct Row {
    figures: [f64; Evidence::FIGURES],
    rings: bool,
}

/// What was found in one sound.
struct Sound {
    planted: bool,
    rows: Vec<Row>,
}

fn candidates(sound: &[f32]) -> Vec<Candidate> {
    let mut meter = RingMeter::new(48_000.0);
    for (block, frames) in mono_blocks(sound) {
        meter.push(&block, frames);
    }
    meter.candidates()
}

fn look(sound: &[f32], ring_hz: Option<f64>, has_mode_at: impl Fn(f64) -> bool) -> Sound {
    let off = |c: &Candidate| ring_hz.map_or(1.0, |hz| (c.hz / hz - 1.0).abs());
    let rows = candidates(sound)
        .iter()
        .filter(|c| c.hz > LOWEST_HZ && !has_mode_at(c.hz))
        .filter(|c| off(c) < NEAR || off(c) > APART)
        .map(|c| Row { figures: c.evidence.figures(), rings: off(c) < NEAR })
        .collect();
    Sound { planted: ring_hz.is_some(), rows }
}

/// A take as it is and with rings.
fn sounds_of(seed: u64, has_mode_at: impl Fn(f64) -> bool, take: impl Fn(Option<Planted>) -> Vec<f32>) -> Vec<Sound> {
    let mut chance = Chance::new(seed);
    let mut sounds = vec![look(&take(None), None, &has_mode_at)];
    for _ in 0..PLANTED {
        let ring = Planted::by_chance(&mut chance);
        sounds.push(look(&take(Some(ring)), Some(ring.hz), &has_mode_at));
    }
    sounds
}

fn synthesised(kind: Kind, seed: u64) -> Vec<Sound> {
    let take = Take::by_chance(kind, seed);
    let with = |ring: Option<Planted>| ring.map_or_else(|| take.clean(), |ring| take.ringing(ring));
    sounds_of(seed * 104_729 + kind as u64, |hz| kind.has_mode_at(hz), with)
}

/// A sampled part. A sample of a single note may ring as any place does where that note is strong.
fn sampled(collection: &Collection, which: usize, semitones: f64) -> Vec<Sound> {
    let part = TUNED[which].transposed_by(collection, semitones);
    let seed = (1000.0 + 100.0 * semitones) as u64 * 7919 + which as u64;
    sounds_of(seed, |_| false, |ring| ring.map_or_else(|| part.clone(), |ring| ring.put_into(&part)))
}

/// Does all work by two.
fn by_two<T: Sync>(work: &[T], each: impl Fn(&T) -> Vec<Sound> + Sync) -> Vec<Sound> {
    let next = AtomicUsize::new(0);
    let some = || {
        let mut done = Vec::new();
        while let Some(item) = work.get(next.fetch_add(1, Ordering::Relaxed)) {
            done.extend(each(item));
        }
        done
    };
    std::thread::scope(|scope| {
        let workers: Vec<_> = (0..2).map(|_| scope.spawn(some)).collect();
        workers.into_iter().flat_map(|worker| worker.join().unwrap()).collect()
    })
}

fn sounds(seeds: Range<u64>) -> Vec<Sound> {
    let work: Vec<(Kind, u64)> = KINDS.iter().flat_map(|kind| seeds.clone().map(|seed| (*kind, seed))).collect();
    by_two(&work, |(kind, seed)| synthesised(*kind, *seed))
}

fn sampled_sounds(semitones: &[f64]) -> Vec<Sound> {
    let collection = collection();
    let work: Vec<(usize, f64)> =
        (0..TUNED.len()).flat_map(|which| semitones.iter().map(move |s| (which, *s))).collect();
    by_two(&work, |(which, semitones)| sampled(&collection, *which, *semitones))
}

/// First and second derivative of the cost at one row.
#[derive(Clone, Copy, Default)]
struct Pull {
    slope: f64,
    bend: f64,
}

impl Pull {
    fn of(odds: f64, rings: bool) -> Self {
        let p = 1.0 / (1.0 + (-odds).exp());
        Self { slope: p - f64::from(u8::from(rings)), bend: p * (1.0 - p) }
    }

    fn sum(pulls: impl Iterator<Item = Pull>) -> Self {
        pulls.fold(Self::default(), |a, b| Self { slope: a.slope + b.slope, bend: a.bend + b.bend })
    }

    /// What is gained by answering this apart.
    fn gain(self) -> f64 {
        self.slope * self.slope / (self.bend + RIDGE)
    }
}

struct Grower<'a> {
    rows: &'a [Row],
    pulls: Vec<Pull>,
    /// By figure, what it may be held against.
    cuts: &'a [Vec<f64>],
}

impl Grower<'_> {
    fn tree(&self, rows: Vec<usize>) -> Tree {
        let mut tree = Tree { splits: [(0, 0.0); SPLITS], leaves: [0.0; LEAVES] };
        let mut level = vec![rows];
        for depth in 0..DEPTH {
            let first = (1 << depth) - 1;
            let mut below = Vec::new();
            for (k, rows) in level.into_iter().enumerate() {
                let (figure, cut) = self.best_split(&rows);
                tree.splits[first + k] = (figure, cut);
                let (over, under) = rows.into_iter().partition(|r| self.rows[*r].figures[figure] > cut);
                below.extend([under, over]);
            }
            level = below;
        }
        for (leaf, rows) in tree.leaves.iter_mut().zip(&level) {
            let pull = self.pull(rows);
            *leaf = (-PACE * pull.slope / (pull.bend + RIDGE)).clamp(-MOST, MOST);
        }
        tree
    }

    fn pull(&self, rows: &[usize]) -> Pull {
        Pull::sum(rows.iter().map(|r| self.pulls[*r]))
    }

    /// Rows that cannot be split well stay together: nothing is over a billion.
    fn best_split(&self, rows: &[usize]) -> (usize, f64) {
        let mut best = (self.pull(rows).gain() + 1e-6, (0, 1e9));
        for (figure, cuts) in self.cuts.iter().enumerate() {
            for cut in cuts {
                let (over, under): (Vec<usize>, Vec<usize>) =
                    rows.iter().partition(|r| self.rows[**r].figures[figure] > *cut);
                let gain = self.pull(&over).gain() + self.pull(&under).gain();
                if over.len().min(under.len()) >= FEWEST_ROWS && gain > best.0 {
                    best = (gain, (figure, *cut));
                }
            }
        }
        best.1
    }
}

fn thousandth(x: f64) -> f64 {
    (1000.0 * x).round() / 1000.0
}

fn grow(rows: &[Row]) -> Vec<Tree> {
    let cuts: Vec<Vec<f64>> = (0..Evidence::FIGURES)
        .map(|figure| {
            let mut values: Vec<f64> = rows.iter().map(|row| row.figures[figure]).collect();
            values.sort_by(f64::total_cmp);
            let mut cuts: Vec<f64> =
                (1..CUTS).map(|k| (100.0 * values[k * values.len() / CUTS]).round() / 100.0).collect();
            cuts.dedup();
            cuts
        })
        .collect();
    let (mut odds, mut trees, mut chance) = (vec![0.0; rows.len()], Vec::new(), Chance::new(5));
    for _ in 0..TREES {
        let pulls = rows.iter().zip(&odds).map(|(row, odds)| Pull::of(*odds, row.rings)).collect();
        let seen = (0..rows.len()).filter(|_| chance.unit() < SEEN).collect();
        let mut tree = Grower { rows, pulls, cuts: &cuts }.tree(seen);
        tree.leaves = tree.leaves.map(thousandth);
        odds.iter_mut().zip(rows).for_each(|(odds, row)| *odds += tree.says(&row.figures));
        trees.push(tree);
    }
    trees
}

fn try_on(sounds: &[Sound], trees: &[Tree]) {
    let odds = |row: &Row| trees.iter().map(|tree| tree.says(&row.figures)).sum::<f64>();
    for least in [-1.0, -0.5, 0.0, 0.5, 1.0] {
        let planted = sounds.iter().filter(|s| s.planted).count();
        let found = sounds.iter().filter(|s| s.rows.iter().any(|r| r.rings && odds(r) > least)).count();
        let invented = |planted: bool| {
            let of = sounds.iter().filter(|s| s.planted == planted);
            of.flat_map(|s| &s.rows).filter(|r| !r.rings && odds(r) > least).count()
        };
        eprintln!(
            "log odds over {least:+.1}: {found} of {planted} found, {} invented beside them, {} in {} clean takes",
            invented(true),
            invented(false),
            sounds.len() - planted
        );
    }
}

fn main() {
    let grown_on = sounds(SEEDS).into_iter().chain(sampled_sounds(&TRANSPOSED));
    let rows: Vec<Row> = grown_on.flat_map(|sound| sound.rows).collect();
    eprintln!("{} places, {} of them rings", rows.len(), rows.iter().filter(|r| r.rings).count());
    let trees = grow(&rows);
    try_on(&sounds(HELD_BACK), &trees);
    eprintln!("sampled parts:");
    try_on(&sampled_sounds(&TRANSPOSED_HELD_BACK), &trees);
    println!("//! The trees that tell rings from notes, as `ring_forest` printed them.\n");
    println!("use super::forest::Tree;\n\n/// The trees.\n#[rustfmt::skip]");
    println!("pub(super) static TREES: [Tree; {TREES}] = [");
    for Tree { splits, leaves } in trees {
        println!("    Tree {{ splits: {splits:?},\n        leaves: {leaves:?} }},");
    }
    println!("];");
}
