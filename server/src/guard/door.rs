//! The door of a server that is not only for this machine: who knocks has to know the passphrase it was started with.
//!
//! What it was told once a browser keeps in a cookie that no script can read. Whoever tries too often waits.

use std::collections::HashMap;
use std::net::IpAddr;
use std::sync::Mutex;
use std::time::{Duration, Instant};

use super::secret::secret;
use crate::jobs::lock;

/// Name of the cookie.
pub const COOKIE: &str = "zinc_door";
/// Wrong answers from one address, and in how long, after which it waits.
const TRIES: u32 = 5;
const WITHIN: Duration = Duration::from_secs(60);
/// Addresses remembered for that: past it the oldest are let go.
const REMEMBERED: usize = 1000;

/// The door of one run of the server.
pub struct Door {
    passphrase: String,
    /// What the cookie holds: another secret, so that a passphrase is never kept by a browser.
    token: String,
    wrong: Mutex<HashMap<IpAddr, (u32, Instant)>>,
}

/// What became of an answer.
#[derive(Debug, PartialEq, Eq)]
pub enum Answer {
    /// It was right: what the cookie is to hold.
    Opens(String),
    /// It was wrong.
    Wrong,
    /// There were too many wrong ones.
    Wait,
}

impl Door {
    /// A door with a fresh passphrase.
    ///
    /// # Errors
    /// A machine that has no random numbers.
    pub fn new() -> Result<Self, getrandom::Error> {
        Ok(Self { passphrase: secret()?, token: secret()?, wrong: Mutex::default() })
    }

    /// What opens it.
    #[must_use]
    pub fn passphrase(&self) -> &str {
        &self.passphrase
    }

    /// Whether a cookie was given here.
    #[must_use]
    pub fn knows(&self, cookie: &str) -> bool {
        is_same(cookie, &self.token)
    }

    /// Somebody at an address says a passphrase; spaces, dashes and case are no part of it.
    pub fn answer(&self, from: IpAddr, said: &str) -> Answer {
        let mut wrong = lock(&self.wrong);
        wrong.retain(|_, (_, since)| since.elapsed() < WITHIN);
        if wrong.get(&from).is_some_and(|(times, _)| *times >= TRIES) {
            return Answer::Wait;
        }
        if is_same(&plain(said), &plain(&self.passphrase)) {
            wrong.remove(&from);
            return Answer::Opens(self.token.clone());
        }
        if wrong.len() < REMEMBERED || wrong.contains_key(&from) {
            wrong.entry(from).or_insert((0, Instant::now())).0 += 1;
            return Answer::Wrong;
        }
        // So many at once are no people.
        Answer::Wait
    }
}

/// A passphrase as it is compared.
fn plain(said: &str) -> String {
    said.chars().filter(char::is_ascii_alphanumeric).map(|c| c.to_ascii_lowercase()).collect()
}

/// Compares in a time that does not tell how much of it is right.
fn is_same(said: &str, secret: &str) -> bool {
    let differ = said.bytes().zip(secret.bytes()).fold(0u8, |differ, (a, b)| differ | (a ^ b));
    said.len() == secret.len() && differ == 0
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    const HERE: IpAddr = IpAddr::V4(std::net::Ipv4Addr::LOCALHOST);

    #[test]
    fn the_passphrase_opens_however_it_is_written_and_its_cookie_is_known() {
        let door = Door::new().unwrap();
        let written = door.passphrase().to_uppercase().replace('-', " ");
        let Answer::Opens(cookie) = door.answer(HERE, &written) else { panic!("it opens") };
        assert!(door.knows(&cookie));
        assert!(!door.knows(door.passphrase()) && !door.knows("") && !door.knows(&cookie[1..]));
        let other = Door::new().unwrap();
        assert!(!other.knows(&cookie) && other.passphrase() != door.passphrase(), "each run has its own");
    }

    #[test]
    fn who_is_wrong_five_times_waits_though_it_were_right_and_others_do_not() {
        let door = Door::new().unwrap();
        for _ in 0..TRIES {
            assert_eq!(door.answer(HERE, "aaaa-aaaa-aaaa-aaaa"), Answer::Wrong);
        }
        assert_eq!(door.answer(HERE, door.passphrase()), Answer::Wait);
        let elsewhere = IpAddr::from([192, 168, 1, 7]);
        assert!(matches!(door.answer(elsewhere, door.passphrase()), Answer::Opens(_)));
        // After a minute it may try again.
        lock(&door.wrong).get_mut(&HERE).unwrap().1 = Instant::now().checked_sub(WITHIN).unwrap();
        assert!(matches!(door.answer(HERE, door.passphrase()), Answer::Opens(_)));
    }

    #[test]
    fn a_crowd_of_addresses_takes_no_memory_and_no_guesses() {
        let door = Door::new().unwrap();
        for n in 0..3000u32 {
            door.answer(IpAddr::from(n.to_be_bytes()), "no");
        }
        assert_eq!(lock(&door.wrong).len(), REMEMBERED);
    }
}
