//! How many connections are open, of all and of each address.

use std::collections::HashMap;
use std::net::{IpAddr, Ipv6Addr};
use std::sync::{Arc, Mutex};

use crate::jobs::lock;

/// Connections of one address: a browser opens six at a time, so these are many windows, or many people behind a proxy.
const OF_ONE: usize = 100;
/// Connections in all. Each takes three files, of the 1024 that a process may commonly have open.
const IN_ALL: usize = 250;
/// Bits of an address of version 6 that its owner chooses.
const CHOSEN: u32 = 64;

/// Who holds how many connections.
#[derive(Default)]
pub struct Crowd(Mutex<HashMap<IpAddr, usize>>);

/// A place of one connection, free again when this goes.
pub struct Place {
    crowd: Arc<Crowd>,
    whose: IpAddr,
}

impl Crowd {
    /// A place for a connection from an address, if it has not taken all of its own and there is one.
    pub fn place(self: &Arc<Self>, from: IpAddr) -> Option<Place> {
        let whose = network(from);
        let mut held = lock(&self.0);
        if held.values().sum::<usize>() >= IN_ALL || held.get(&whose).is_some_and(|own| *own >= OF_ONE) {
            return None;
        }
        *held.entry(whose).or_insert(0) += 1;
        Some(Place { crowd: self.clone(), whose })
    }
}

impl Drop for Place {
    fn drop(&mut self) {
        let mut held = lock(&self.crowd.0);
        if let Some(own) = held.get_mut(&self.whose) {
            *own -= 1;
            if *own == 0 {
                held.remove(&self.whose);
            }
        }
    }
}

/// What one who asks cannot change of his address (RFC 4291: of version 6 the first half); however it is written.
fn network(from: IpAddr) -> IpAddr {
    match from.to_canonical() {
        IpAddr::V6(ip) => Ipv6Addr::from_bits(ip.to_bits() >> CHOSEN << CHOSEN).into(),
        ip @ IpAddr::V4(_) => ip,
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn one_address_takes_its_own_places_and_gives_them_back() {
        let crowd = Arc::new(Crowd::default());
        let from = IpAddr::from([192, 168, 1, 7]);
        let mut held: Vec<Place> = (0..OF_ONE).map(|_| crowd.place(from).unwrap()).collect();
        assert!(crowd.place(from).is_none());
        // As a socket of version 6 says the same address.
        assert!(crowd.place("::ffff:192.168.1.7".parse().unwrap()).is_none());
        assert!(crowd.place(IpAddr::from([192, 168, 1, 8])).is_some(), "others have theirs");
        held.pop();
        assert!(crowd.place(from).is_some());
        drop(held);
        assert!(lock(&crowd.0).is_empty(), "nobody is remembered");
    }

    #[test]
    fn who_has_many_addresses_of_version_six_counts_as_one() {
        let crowd = Arc::new(Crowd::default());
        let held: Vec<Place> = (0..2 * OF_ONE as u128)
            .filter_map(|n| crowd.place(Ipv6Addr::from_bits((0x2001_0db8 << 96) + n).into()))
            .collect();
        assert_eq!(held.len(), OF_ONE);
    }

    #[test]
    fn all_together_take_no_more_than_there_are() {
        let crowd = Arc::new(Crowd::default());
        let held: Vec<Place> = (0..=255).filter_map(|n| crowd.place(IpAddr::from([10, 0, 0, n]))).collect();
        assert_eq!(held.len(), IN_ALL);
    }
}
