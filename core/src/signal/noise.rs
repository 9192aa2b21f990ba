//! Noise by number: the same sample for the same number, so that nothing here needs a random source.

/// A sample from -1 to 1, as if drawn anew for each number (a multiplicative hash: Steele & Vigna,
/// *Computationally Easy, Spectrally Good Multipliers*, 2021).
#[must_use]
pub fn white(n: usize) -> f64 {
    let mut x = (n as u64).wrapping_add(1).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    x = (x ^ (x >> 32)).wrapping_mul(0xd6e8_feb8_6659_fd93);
    x ^= x >> 32;
    (x >> 11) as f64 / (1u64 << 52) as f64 - 1.0
}

#[cfg(test)]
mod tests {
    use super::white;

    #[test]
    fn it_is_centred_as_strong_as_even_noise_is_and_no_sample_follows_from_the_one_before() {
        let samples: Vec<f64> = (0..100_000).map(white).collect();
        let mean = |of: &dyn Fn(usize) -> f64| (1..samples.len()).map(of).sum::<f64>() / samples.len() as f64;
        assert!(samples.iter().all(|x| (-1.0..=1.0).contains(x)));
        assert!(mean(&|i| samples[i]).abs() < 0.01);
        // A third is the power of what lies evenly between -1 and 1.
        assert!((mean(&|i| samples[i] * samples[i]) - 1.0 / 3.0).abs() < 0.005);
        assert!(mean(&|i| samples[i] * samples[i - 1]).abs() < 0.005);
    }
}
