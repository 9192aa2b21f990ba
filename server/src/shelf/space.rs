//! How much room there is on a disk.

use std::path::Path;

/// What stays free, so that the database can go on being written.
const MARGIN_BYTES: u64 = 64 << 20;

/// The disk that a folder is on.
#[derive(Clone, Copy, Debug)]
pub struct Space {
    /// All of it, in bytes.
    pub total_bytes: u64,
    /// What can still be written, in bytes.
    pub free_bytes: u64,
}

impl Space {
    /// As it is now; none where the system does not say.
    #[must_use]
    pub fn of(folder: &Path) -> Option<Self> {
        let about = rustix::fs::statvfs(folder).ok()?;
        Some(Self { total_bytes: about.f_blocks * about.f_frsize, free_bytes: about.f_bavail * about.f_frsize })
    }

    /// Whether so much can be written and something stays free.
    ///
    /// # Errors
    /// What there is not enough of, in words.
    pub fn fits(self, bytes: u64, what: &str) -> Result<(), String> {
        if bytes.saturating_add(MARGIN_BYTES) <= self.free_bytes {
            return Ok(());
        }
        Err(format!(
            "The disk has too little room: {what} needs about {} and {} are free. Nothing was begun, everything is as it was; \
             make room and try again.",
            size(bytes.saturating_add(MARGIN_BYTES)),
            size(self.free_bytes)
        ))
    }
}

/// A number of bytes for people.
#[must_use]
pub fn size(bytes: u64) -> String {
    match bytes as f64 {
        b if b < 1e6 => format!("{:.0} kB", b / 1e3),
        b if b < 1e9 => format!("{:.0} MB", b / 1e6),
        b => format!("{:.1} GB", b / 1e9),
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn what_would_leave_nothing_free_does_not_fit_and_both_sizes_are_said() {
        let disk = Space { total_bytes: 10_000_000_000, free_bytes: 1_000_000_000 };
        assert!(disk.fits(900_000_000, "this print").is_ok());
        let why = disk.fits(3_400_000_000, "this print").unwrap_err();
        assert!(why.contains("this print needs about 3.5 GB and 1.0 GB are free"), "{why}");
        assert!(disk.fits(u64::MAX, "all").is_err());
    }

    #[test]
    fn the_disk_of_a_folder_says_how_large_it_is() {
        let disk = Space::of(&std::env::temp_dir()).unwrap();
        assert!(disk.free_bytes <= disk.total_bytes && disk.total_bytes > 0);
        assert!(Space::of(Path::new("/nowhere/at/all")).is_none());
    }
}
