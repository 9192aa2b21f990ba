//! How the lines at a frequency stand against the other lines of their moments.

use super::scale::{STEPS, quantile};

/// Lines from so many steps away up to so many are peers.
const NEAREST: f32 = 4.0;
const FARTHEST: f32 = 64.0;
const FEWEST_PEERS: usize = 2;
/// Lines this far in dB under the strongest of their moment are left out.
const FAINT_DB: f32 = 70.0;
/// Steps to each side within which a line is at a step.
const AT: usize = 2;

/// A line of a spectrum.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(super) struct Line {
    /// Where it is on the scale.
    pub step: f32,
    /// Its level in dB.
    pub db: f32,
}

/// By step, how far in dB the lines there stood over their peers.
pub(super) struct Peers {
    by_step: Vec<Vec<f32>>,
    moments: usize,
}

impl Peers {
    /// Of the lines of each moment, lowest first.
    pub fn of<'a>(moments: impl Iterator<Item = &'a [Line]>) -> Self {
        let mut all = Self { by_step: vec![Vec::new(); STEPS], moments: 0 };
        moments.for_each(|lines| all.add(lines));
        all
    }

    fn add(&mut self, lines: &[Line]) {
        self.moments += 1;
        let strongest = lines.iter().fold(f32::NEG_INFINITY, |most, line| most.max(line.db));
        let lines: Vec<&Line> = lines.iter().filter(|line| line.db > strongest - FAINT_DB).collect();
        for line in &lines {
            let at = line.step.round();
            let Some(there) = self.by_step.get_mut(at as usize).filter(|_| at >= 0.0) else { continue };
            let up_to = |step: f32| lines.partition_point(|other| other.step < step);
            let around = &lines[up_to(line.step - FARTHEST)..up_to(line.step + FARTHEST)];
            let apart = around.iter().filter(|other| (other.step - line.step).abs() >= NEAREST);
            let mut peers: Vec<f32> = apart.map(|other| other.db).collect();
            if peers.len() >= FEWEST_PEERS {
                there.push(line.db - quantile(&mut peers, 0.5));
            }
        }
    }

    /// Lines at a step for each moment.
    pub fn crowd(&self, step: usize) -> f64 {
        self.at(step).len() as f64 / self.moments as f64
    }

    /// dB over their peers which all but `share` of the lines at a step exceed; `None` where
    /// there are too few.
    pub fn over_db(&self, step: usize, share: f64) -> Option<f64> {
        const FEWEST: usize = 3;
        let mut there = self.at(step);
        (there.len() >= FEWEST).then(|| f64::from(quantile(&mut there, share)))
    }

    fn at(&self, step: usize) -> Vec<f32> {
        self.by_step[step.saturating_sub(AT)..(step + AT + 1).min(STEPS)].concat()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lines_are_held_against_the_middle_of_those_near_them() {
        let line = |step, db| Line { step, db };
        // The strongest is too far away to be a peer, the faintest too faint.
        let moment =
            [line(90.0, -10.0), line(200.0, -32.0), line(210.2, -18.0), line(230.0, -30.0), line(240.0, -95.0)];
        let peers = Peers::of([&moment[..]; 4].into_iter());
        assert_eq!(peers.crowd(210), 1.0);
        assert_eq!(peers.over_db(210, 0.5), Some(14.0));
        assert_eq!(peers.over_db(212, 0.5), Some(14.0));
        assert_eq!(peers.over_db(213, 0.5), None);
        assert_eq!(peers.crowd(90), 0.0);
    }
}
