//! What the plans promise.
#![allow(missing_docs)]

use std::sync::Arc;

use zinc_fourier::{forward_f32, forward_f64, inverse_f64};

#[test]
fn a_cosine_of_three_turns_stands_in_bin_three_with_half_its_length_and_comes_back() {
    let size = 48;
    let wave: Vec<f64> =
        (0..size).map(|n| (std::f64::consts::TAU * 3.0 * f64::from(n) / f64::from(size)).cos()).collect();
    let (there, back) = (forward_f64(wave.len()), inverse_f64(wave.len()));
    let mut bins = there.make_output_vec();
    assert!(there.process(&mut wave.clone(), &mut bins).is_ok());
    for (bin, value) in bins.iter().enumerate() {
        let want = if bin == 3 { 24.0 } else { 0.0 };
        assert!((value.re - want).abs() < 1e-9 && value.im.abs() < 1e-9, "bin {bin}: {value}");
    }
    let mut again = back.make_output_vec();
    assert!(back.process(&mut bins, &mut again).is_ok());
    assert!(again.iter().zip(&wave).all(|(a, b)| (a / f64::from(size) - b).abs() < 1e-12));
}

#[test]
fn a_plan_is_made_once_for_its_length() {
    assert!(Arc::ptr_eq(&forward_f32(96), &forward_f32(96)));
    assert!(!Arc::ptr_eq(&forward_f32(96), &forward_f32(192)));
}
