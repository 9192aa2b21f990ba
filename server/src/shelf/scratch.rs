//! A folder of a process's own, for what cannot be written where it belongs.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};

use rustix::fs::Access;

/// A folder that is removed with the value.
pub struct Scratch(PathBuf);

impl Scratch {
    /// Among the system's temporary files, by this process and a number of its own.
    ///
    /// # Errors
    /// When it cannot be made.
    pub fn new() -> io::Result<Self> {
        use std::sync::atomic::{AtomicU64, Ordering};
        static NEXT: AtomicU64 = AtomicU64::new(0);
        let n = NEXT.fetch_add(1, Ordering::Relaxed);
        let folder = std::env::temp_dir().join(format!("zinc-rack-{}-{n}", std::process::id()));
        fs::create_dir_all(&folder)?;
        Ok(Self(folder))
    }
}

impl std::ops::Deref for Scratch {
    type Target = Path;

    fn deref(&self) -> &Path {
        &self.0
    }
}

impl Drop for Scratch {
    fn drop(&mut self) {
        // Nobody else knows of it.
        let _ = fs::remove_dir_all(&self.0);
    }
}

/// Whether this process may write a file or into a folder.
#[must_use]
pub fn can_write(path: &Path) -> bool {
    rustix::fs::access(path, Access::WRITE_OK).is_ok()
}
