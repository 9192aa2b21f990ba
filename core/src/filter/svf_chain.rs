//! Many sections in a row, most of them idle.
//!
//! Sections at rest run two at a time: each waits for its own last output, so that two
//! side by side take little longer than one. (Measured on an x86-64 without wider
//! vectors: three and four side by side run out of registers and gain nothing.) The
//! bits are those of [`Svf::process`] one after the other.

use super::svf::{SideMatrix, Svf, SvfDesign};
use crate::signal::block::Frame;

/// A row of sections, numbered from 0.
#[derive(Clone, Debug)]
pub struct SvfChain {
    sections: Vec<Svf>,
    /// Numbers of the sections that are not idle, in order.
    active: Vec<usize>,
}

impl SvfChain {
    /// `count` idle sections; moves take `glide_s` seconds.
    #[must_use]
    pub fn new(count: usize, rate: f64, glide_s: f64) -> Self {
        let sections = vec![Svf::new(SvfDesign::IDENTITY, rate, glide_s); count];
        Self { sections, active: Vec::with_capacity(count) }
    }

    /// Sections at rest on `designs`.
    #[must_use]
    pub fn at_rest(designs: &[SvfDesign], rate: f64, glide_s: f64) -> Self {
        let sections: Vec<_> = designs.iter().map(|d| Svf::new(*d, rate, glide_s)).collect();
        let mut chain = Self { active: Vec::with_capacity(sections.len()), sections };
        chain.find_active();
        chain
    }

    /// Lets section `at` move to a design, or to idle where there is none.
    pub fn glide_to(&mut self, at: usize, design: Option<SvfDesign>) {
        self.sections[at].glide_to_or_idle(design);
    }

    /// To be called after a round of [`Self::glide_to`].
    pub fn find_active(&mut self) {
        let sections = &self.sections;
        self.active.clear();
        self.active.extend((0..sections.len()).filter(|i| !sections[*i].is_idle()));
    }

    /// Its moves end within so many seconds; 0 is at once.
    pub fn arrive(&mut self, within_s: f64) {
        self.sections.iter_mut().for_each(|x| x.arrive(within_s));
        self.find_active();
    }

    /// Forgets the past.
    pub fn reset(&mut self) {
        self.sections.iter_mut().for_each(Svf::reset);
    }

    /// Filters `frames` in place. The length is a multiple of 16.
    pub fn process(&mut self, frames: &mut [Frame]) {
        let mut arrived = false;
        let mut waiting: Option<usize> = None;
        for &at in &self.active {
            let steady = self.sections[at].is_steady();
            match waiting.take() {
                Some(first) if steady => run_pair(&mut self.sections, first, at, frames),
                None if steady => waiting = Some(at),
                before => {
                    if let Some(first) = before {
                        self.sections[first].process(frames);
                    }
                    self.sections[at].process(frames);
                    arrived |= self.sections[at].is_idle();
                }
            }
        }
        if let Some(last) = waiting {
            self.sections[last].process(frames);
        }
        if arrived {
            self.find_active();
        }
    }
}

/// Two chains of as many sections, one a side, in the time of one: false where they do not rest on
/// the same sections; nothing is then done.
pub fn run_beside(left: &mut SvfChain, right: &mut SvfChain, frames: &mut [Frame]) -> bool {
    let rests = |chain: &SvfChain| chain.active.iter().all(|at| chain.sections[*at].is_steady());
    if left.active != right.active || !rests(left) || !rests(right) {
        return false;
    }
    for at in &left.active {
        let (l, r) = (&mut left.sections[*at], &mut right.sections[*at]);
        let matrix = SideMatrix::new(&l.matrix, &r.matrix);
        let (mut s1, mut s2) = ([l.s1[0], r.s1[1]], [l.s2[0], r.s2[1]]);
        for frame in &mut *frames {
            *frame = matrix.step(*frame, &mut s1, &mut s2);
        }
        (l.s1[0], r.s1[1], l.s2[0], r.s2[1]) = (s1[0], s1[1], s2[0], s2[1]);
        l.flush();
        r.flush();
    }
    true
}

/// Two steady sections, the first into the second; `a < b`.
fn run_pair(sections: &mut [Svf], a: usize, b: usize, frames: &mut [Frame]) {
    let (low, high) = sections.split_at_mut(b);
    let (a, b) = (&mut low[a], &mut high[0]);
    let (mut a1, mut a2, mut b1, mut b2) = (a.s1, a.s2, b.s1, b.s2);
    let (first, second) = (a.matrix, b.matrix);
    for frame in frames {
        let between = first.step(*frame, &mut a1, &mut a2);
        *frame = second.step(between, &mut b1, &mut b2);
    }
    (a.s1, a.s2, b.s1, b.s2) = (a1, a2, b1, b2);
    a.flush();
    b.flush();
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::signal::math::sin;

    #[test]
    fn a_chain_gives_the_bits_of_its_sections_one_after_the_other() {
        let design = |i: f64| SvfDesign { g: 0.02 * i, k: 0.4, m: [1.0, 0.3, -0.1 * i] };
        let designs: Vec<_> = (1..6).map(|i| design(f64::from(i))).collect();
        let mut chain = SvfChain::at_rest(&designs, 48_000.0, 0.01);
        let mut single: Vec<_> = designs.iter().map(|d| Svf::new(*d, 48_000.0, 0.01)).collect();
        for block in 0..60 {
            // One on its way while its neighbours rest; then one that goes idle.
            if block == 7 {
                chain.glide_to(1, Some(design(9.0)));
                single[1].glide_to(design(9.0));
            }
            if block == 20 {
                chain.glide_to(2, None);
                single[2].glide_to_idle();
            }
            chain.find_active();
            let mut frames = [[0.0; 2]; 128];
            for (i, f) in frames.iter_mut().enumerate() {
                *f = [sin((block * 128 + i * i) as f64), sin((block + i) as f64)];
            }
            let mut want = frames;
            single.iter_mut().filter(|s| !s.is_idle()).for_each(|s| s.process(&mut want));
            chain.process(&mut frames);
            assert_eq!(frames, want, "block {block}");
        }
        assert_eq!(chain.active, [0, 1, 3, 4], "the idle one is left out");
    }

    #[test]
    fn two_chains_side_by_side_give_each_side_the_bits_of_its_own() {
        let design = |i: f64| SvfDesign { g: 0.02 * i, k: 0.4, m: [1.0, 0.3, -0.1 * i] };
        let chain = |from: u32| {
            let designs: Vec<_> = (from..from + 3).map(|i| design(f64::from(i))).collect();
            SvfChain::at_rest(&designs, 48_000.0, 0.01)
        };
        let (mut left, mut right) = (chain(1), chain(2));
        let (mut alone_left, mut alone_right) = (chain(1), chain(2));
        for block in 0..40 {
            // On its way one of them cannot be run beside the other, and is as it was once it rests.
            if block == 9 {
                left.glide_to(1, Some(design(7.0)));
                alone_left.glide_to(1, Some(design(7.0)));
            }
            let frames: Vec<Frame> =
                (0..128).map(|i| [sin((block * 128 + i * i) as f64), sin((block + i) as f64)]).collect();
            let (mut beside, mut l, mut r) = (frames.clone(), frames.clone(), frames);
            let run = run_beside(&mut left, &mut right, &mut beside);
            if !run {
                (beside, _) = (l.clone(), ());
                let mut other = beside.clone();
                left.process(&mut beside);
                right.process(&mut other);
                beside.iter_mut().zip(&other).for_each(|(frame, other)| frame[1] = other[1]);
            }
            alone_left.process(&mut l);
            alone_right.process(&mut r);
            assert_eq!(run, !(9..13).contains(&block), "block {block}");
            for (frame, (l, r)) in beside.iter().zip(l.iter().zip(&r)) {
                assert_eq!(*frame, [l[0], r[1]], "block {block}");
            }
        }
    }
}
