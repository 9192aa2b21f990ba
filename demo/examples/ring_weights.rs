//! Prints the weights of the evidence for a ring: a logistic regression on seeded pieces
//! with and without rings planted in them, by Newton's method with a ridge.
#![allow(clippy::unwrap_used, clippy::expect_used)] // a tool for the developer's desk

use zinc_core::measure::rings::{Candidate, RingMeter};
use zinc_core::signal::solve::solve;
use zinc_demo::pieces::{KINDS, Kind, Planted, piece};
use zinc_demo::player::Chance;
use zinc_demo::tools::mono_blocks;

/// Seeds the weights are fitted on; tests use others.
const SEEDS: std::ops::RangeInclusive<u64> = 1..=8;
/// Rings planted in each piece, one at a time.
const PLANTED: usize = 2;
/// Lower places are not asked for.
const LOWEST_HZ: f64 = 180.0;
/// How far off a ring may be found.
const NEAR: f64 = 0.013;
/// A ring missed costs this many times a ring invented.
const MISSED: f64 = 1.0;
const RIDGE: f64 = 1.0;

/// One place: its evidence and whether a ring was planted there.
struct Row {
    figures: Vec<f64>,
    rings: bool,
}

fn candidates(sound: &[f32]) -> Vec<Candidate> {
    let mut meter = RingMeter::new(48_000.0);
    for (block, frames) in mono_blocks(sound) {
        meter.push(&block, frames);
    }
    meter.candidates()
}

fn rows_of(kind: Kind, seed: u64) -> (Vec<Row>, usize) {
    let clean = piece(kind, seed);
    let row = |c: &Candidate, rings| Row { figures: c.evidence.figures().to_vec(), rings };
    let away = |c: &&Candidate| c.hz > LOWEST_HZ && !kind.has_mode_at(c.hz);
    let mut rows: Vec<Row> = candidates(&clean).iter().filter(away).map(|c| row(c, false)).collect();
    let mut chance = Chance::new(seed * 7919 + kind as u64 + 17);
    let mut unseen = 0;
    for _ in 0..PLANTED {
        let ring = Planted::by_chance(&mut chance);
        let all = candidates(&ring.put_into(&clean));
        let off = |c: &Candidate| (c.hz / ring.hz - 1.0).abs();
        match all.iter().min_by(|a, b| off(a).total_cmp(&off(b))).filter(|c| off(c) < NEAR) {
            Some(found) => rows.push(row(found, true)),
            None => unseen += 1,
        }
    }
    (rows, unseen)
}

fn fit(rows: &[Row]) -> Vec<f64> {
    let n = rows[0].figures.len() + 1;
    let with_ground = |row: &Row| row.figures.iter().copied().chain([1.0]).collect::<Vec<f64>>();
    let mut weights = vec![0.0; n];
    for _ in 0..30 {
        let mut slope: Vec<f64> = weights.iter().map(|w| -RIDGE * w).collect();
        let mut bend = vec![vec![0.0; n]; n];
        (0..n).for_each(|i| bend[i][i] = RIDGE);
        for row in rows {
            let x = with_ground(row);
            let odds: f64 = x.iter().zip(&weights).map(|(a, b)| a * b).sum();
            let p = 1.0 / (1.0 + (-odds).exp());
            let (cost, truth) = if row.rings { (MISSED, 1.0) } else { (1.0, 0.0) };
            for i in 0..n {
                slope[i] += cost * (truth - p) * x[i];
                for j in 0..n {
                    bend[i][j] += cost * p * (1.0 - p) * x[i] * x[j];
                }
            }
        }
        let step = solve(&bend, &slope).expect("a ridge makes it definite");
        weights.iter_mut().zip(step).for_each(|(w, s)| *w += s);
    }
    weights
}

fn main() {
    let work: Vec<(Kind, u64)> = KINDS.iter().flat_map(|kind| SEEDS.map(|seed| (*kind, seed))).collect();
    let done: Vec<(Vec<Row>, usize)> = std::thread::scope(|scope| {
        let halves: Vec<_> = work
            .chunks(work.len().div_ceil(2))
            .map(|half| scope.spawn(move || half.iter().map(|(kind, seed)| rows_of(*kind, *seed)).collect::<Vec<_>>()))
            .collect();
        halves.into_iter().flat_map(|half| half.join().unwrap()).collect()
    });
    let unseen: usize = done.iter().map(|(_, unseen)| unseen).sum();
    let rows: Vec<Row> = done.into_iter().flat_map(|(rows, _)| rows).collect();
    let weights = fit(&rows);
    let odds = |row: &Row| row.figures.iter().chain(&[1.0]).zip(&weights).map(|(a, b)| a * b).sum::<f64>();
    let planted = unseen + rows.iter().filter(|r| r.rings).count();
    for ground in [-1.5, -1.0, -0.5, 0.0, 0.5, 1.0, 1.5] {
        let found = rows.iter().filter(|r| r.rings && odds(r) > -ground).count();
        let invented = rows.iter().filter(|r| !r.rings && odds(r) > -ground).count();
        println!("ground {ground:+.1}: {found} of {planted} found, {invented} invented in {} pieces", work.len());
    }
    println!("{:.3?}", weights);
}
