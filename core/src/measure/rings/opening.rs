//! Taking the lines out of a spectrum.

/// Half the width in bins of what is taken out.
const REACH: usize = 4;

/// The spectrum without its narrow peaks: the lowest of nine neighbours, of those the
/// highest (opening by a flat element; Serra, *Image Analysis and Mathematical
/// Morphology*, 1982). What is broader than nine bins stays as it is.
pub(super) fn opened(levels: &[f32]) -> Vec<f32> {
    let lowest = over_neighbours(levels, f32::INFINITY, f32::min);
    over_neighbours(&lowest, f32::NEG_INFINITY, f32::max)
}

fn over_neighbours(levels: &[f32], start: f32, pick: impl Fn(f32, f32) -> f32) -> Vec<f32> {
    (0..levels.len())
        .map(|i| {
            let (from, to) = (i.saturating_sub(REACH), (i + REACH + 1).min(levels.len()));
            levels[from..to].iter().fold(start, |best, x| pick(best, *x))
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_goes_and_what_is_broader_stays() {
        let mut levels = vec![-60.0; 200];
        levels[50] = -10.0;
        levels[49] = -20.0;
        levels[120..132].fill(-30.0);
        let open = opened(&levels);
        assert!((40..60).all(|k| open[k] == -60.0));
        assert!((120..132).all(|k| open[k] == -30.0) && open[119] == -60.0 && open[132] == -60.0);
    }
}
