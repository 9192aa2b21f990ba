//! Which windows are open on a session: those that have asked for something lately.

use std::collections::HashMap;
use std::sync::Mutex;
use std::time::{Duration, Instant};

use crate::jobs::lock;

/// A window that has not asked for so long is taken as closed. One that is open asks every few
/// seconds, in the background once a minute at least.
const OPEN: Duration = Duration::from_secs(75);

/// When each window was last heard of.
#[derive(Default)]
pub struct Windows {
    seen: Mutex<HashMap<(i32, String), Instant>>,
}

impl Windows {
    /// Notes that a window has asked for something of a session.
    pub fn see(&self, session: i32, window: &str) {
        self.see_at(session, window, Instant::now());
    }

    fn see_at(&self, session: i32, window: &str, now: Instant) {
        if !window.is_empty() {
            let mut seen = lock(&self.seen);
            seen.retain(|_, at| now.duration_since(*at) < OPEN);
            seen.insert((session, window.to_string()), now);
        }
    }

    /// Whether another window than this is open on a session.
    #[must_use]
    pub fn are_others(&self, session: i32, window: &str) -> bool {
        self.are_others_at(session, window, Instant::now())
    }

    fn are_others_at(&self, session: i32, window: &str, now: Instant) -> bool {
        let seen = lock(&self.seen);
        seen.iter().any(|((of, name), at)| *of == session && name != window && now.duration_since(*at) < OPEN)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_window_is_open_while_it_asks_and_only_on_its_session() {
        let (windows, begun) = (Windows::default(), Instant::now());
        windows.see_at(1, "a", begun);
        windows.see_at(1, "b", begun);
        assert!(windows.are_others_at(1, "a", begun) && !windows.are_others_at(2, "a", begun));
        let later = begun + OPEN;
        windows.see_at(1, "a", later);
        assert!(!windows.are_others_at(1, "a", later), "b has not asked any more");
    }
}
