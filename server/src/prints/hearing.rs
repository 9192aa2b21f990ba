//! Who waits to hear something just now: what only measures gives way meanwhile, since both share the cores.

use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

/// How many wait, in all of the program: its cores are one machine's.
static WAITING: AtomicUsize = AtomicUsize::new(0);
/// Pause between two looks whether somebody still waits.
const LOOK: Duration = Duration::from_millis(10);

/// Somebody waits to hear something, as long as this is held.
pub struct Hearing(());

impl Hearing {
    /// From now on.
    #[must_use]
    pub fn begin() -> Self {
        WAITING.fetch_add(1, Ordering::Relaxed);
        Self(())
    }
}

impl Drop for Hearing {
    fn drop(&mut self) {
        WAITING.fetch_sub(1, Ordering::Relaxed);
    }
}

/// Patience of what gives way: so long in all, so that no figure waits for ever behind sound that does not come.
pub struct Patience(Duration);

impl Default for Patience {
    fn default() -> Self {
        Self(Duration::from_secs(5))
    }
}

impl Patience {
    /// Waits while somebody waits to hear something, unless that has taken too long already or is not `wanted` any more.
    pub fn give_way(&mut self, mut wanted: impl FnMut() -> bool) {
        let began = Instant::now();
        while WAITING.load(Ordering::Relaxed) > 0 && began.elapsed() < self.0 && wanted() {
            std::thread::sleep(LOOK);
        }
        self.0 = self.0.saturating_sub(began.elapsed());
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_measures_waits_while_somebody_waits_to_hear_and_not_for_ever() {
        let hearing = Hearing::begin();
        let mut looks = 0;
        let mut patience = Patience::default();
        // It is not wanted any more after three looks.
        patience.give_way(|| {
            looks += 1;
            looks < 3
        });
        assert_eq!(looks, 3);
        let mut spent = Patience(Duration::ZERO);
        spent.give_way(|| panic!("its patience is at an end"));
        drop(hearing);
    }
}
