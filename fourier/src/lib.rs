//! Fourier transforms of real signals.
//!
//! The library's transforms are generic over the number, and every crate that asks it for a plan compiles all of
//! them anew. Here they are compiled once for `f32` and once for `f64`, and what is handed out is ready to run.
//! Plans hold tables of sines that take longer to find than a block of sound lasts: each is made once for each
//! length and shared.

use std::sync::{Arc, LazyLock, Mutex, MutexGuard, PoisonError};

use realfft::RealFftPlanner;
pub use realfft::num_complex::{Complex32, Complex64};
pub use realfft::{ComplexToReal, RealToComplex};

static SINGLE: LazyLock<Mutex<RealFftPlanner<f32>>> = LazyLock::new(|| Mutex::new(RealFftPlanner::new()));
static DOUBLE: LazyLock<Mutex<RealFftPlanner<f64>>> = LazyLock::new(|| Mutex::new(RealFftPlanner::new()));

/// The planner, also after a thread has died holding it: a plan is either made or not.
fn held<T>(planner: &Mutex<T>) -> MutexGuard<'_, T> {
    planner.lock().unwrap_or_else(PoisonError::into_inner)
}

/// From so many samples to their spectrum of half as many bins and one, in single precision.
#[must_use]
pub fn forward_f32(samples: usize) -> Arc<dyn RealToComplex<f32>> {
    held(&SINGLE).plan_fft_forward(samples)
}

/// From so many samples to their spectrum of half as many bins and one.
#[must_use]
pub fn forward_f64(samples: usize) -> Arc<dyn RealToComplex<f64>> {
    held(&DOUBLE).plan_fft_forward(samples)
}

/// From a spectrum to so many samples, times their number.
#[must_use]
pub fn inverse_f64(samples: usize) -> Arc<dyn ComplexToReal<f64>> {
    held(&DOUBLE).plan_fft_inverse(samples)
}
