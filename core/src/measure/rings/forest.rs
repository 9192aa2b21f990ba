//! A forest of small decision trees: what they say is added up.
//!
//! They are grown one after another, each on what those before it still get wrong
//! (gradient boosting; Friedman, *Greedy function approximation*, 2001), by `cargo run
//! --release --example ring_forest -p zinc-demo`, which prints [`super::trees`].

/// Three questions deep.
pub const DEPTH: usize = 3;
/// Questions of a tree.
pub const SPLITS: usize = (1 << DEPTH) - 1;
/// Answers of a tree.
pub const LEAVES: usize = 1 << DEPTH;

/// One tree.
#[derive(Clone, Debug, PartialEq)]
pub struct Tree {
    /// Which figure is held against which value. Question k leads to 2k + 1 if the figure is
    /// at most that, and to 2k + 2 if it is more.
    pub splits: [(usize, f64); SPLITS],
    /// What it adds to the log odds at the end of each way, from the left.
    pub leaves: [f64; LEAVES],
}

impl Tree {
    /// What the tree adds to the log odds.
    ///
    /// # Panics
    /// If a question asks for a figure there is not.
    #[must_use]
    pub fn says(&self, figures: &[f64]) -> f64 {
        let next = |at: usize, _| {
            let (figure, value) = self.splits[at];
            2 * at + 1 + usize::from(figures[figure] > value)
        };
        self.leaves[(0..DEPTH).fold(0, next) - SPLITS]
    }
}

#[cfg(test)]
mod tests {
    use super::super::earlier::EARLIER;
    use super::super::evidence::Evidence;
    use super::super::trees::TREES;
    use super::*;

    #[test]
    fn each_way_through_a_tree_ends_at_its_own_leaf() {
        let tree = Tree {
            splits: [(0, 0.0), (1, 0.0), (1, 5.0), (2, 0.0), (2, 1.0), (2, 2.0), (2, 3.0)],
            leaves: [0.0, 1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 7.0],
        };
        let ways = [[-1.0, -1.0, 0.0], [-1.0, -1.0, 0.5], [-1.0, 1.0, 1.0], [-1.0, 1.0, 1.5]];
        let others = [[1.0, 5.0, 2.0], [1.0, 5.0, 2.5], [1.0, 6.0, 3.0], [1.0, 6.0, 3.5]];
        for (leaf, figures) in ways.iter().chain(&others).enumerate() {
            assert_eq!(tree.says(figures), leaf as f64, "{figures:?}");
        }
    }

    #[test]
    fn the_trees_ask_only_for_figures_there_are_and_no_answer_decides_alone() {
        for tree in TREES.iter().chain(&EARLIER) {
            assert!(tree.splits.iter().all(|(figure, value)| *figure < Evidence::FIGURES && value.is_finite()));
            assert!(tree.leaves.iter().all(|leaf| leaf.abs() < 1.0), "{:?}", tree.leaves);
        }
    }
}
