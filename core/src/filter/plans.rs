//! Plans of transforms, made once for each length: they hold tables of sines that take longer
//! to find than a block of sound lasts.

use std::sync::{Arc, LazyLock, Mutex, PoisonError};

use realfft::{ComplexToReal, RealFftPlanner, RealToComplex};

static PLANNER: LazyLock<Mutex<RealFftPlanner<f64>>> = LazyLock::new(|| Mutex::new(RealFftPlanner::new()));

/// From so many samples to their spectrum.
pub fn forward(samples: usize) -> Arc<dyn RealToComplex<f64>> {
    PLANNER.lock().unwrap_or_else(PoisonError::into_inner).plan_fft_forward(samples)
}

/// From a spectrum to so many samples.
pub fn back(samples: usize) -> Arc<dyn ComplexToReal<f64>> {
    PLANNER.lock().unwrap_or_else(PoisonError::into_inner).plan_fft_inverse(samples)
}
