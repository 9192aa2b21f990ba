//! Files that are being written: gone with whoever writes them unless they are settled, whole, in their place.

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};

/// The place of a file that is being written. An error or a cancel on the way leaves
/// nothing behind.
pub struct Temporary(PathBuf);

impl Temporary {
    /// In a folder of such files, by this process and a number of its own.
    #[must_use]
    pub fn within(folder: &Path) -> Self {
        use std::sync::atomic::{AtomicU64, Ordering};
        static NEXT: AtomicU64 = AtomicU64::new(0);
        let n = NEXT.fetch_add(1, Ordering::Relaxed);
        Self(folder.join(format!("{}-{n}.tmp", std::process::id())))
    }
}

impl std::ops::Deref for Temporary {
    type Target = Path;

    fn deref(&self) -> &Path {
        &self.0
    }
}

impl Drop for Temporary {
    fn drop(&mut self) {
        // After a rename there is nothing left to remove.
        let _ = fs::remove_file(&self.0);
    }
}

/// Whether the process that a temporary file is named after still runs.
#[must_use]
pub fn is_at_work(path: &Path) -> bool {
    let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
    let process = name.split('-').next().and_then(|n| n.parse::<u32>().ok());
    process.is_some_and(|n| n != std::process::id() && runs(n))
}

/// Whether a process runs. One that was killed stays listed until its parent has heard of it (`proc_pid_stat(5)`: Z, X).
fn runs(process: u32) -> bool {
    let stat = fs::read_to_string(Path::new("/proc").join(process.to_string()).join("stat"));
    stat.is_ok_and(|stat| {
        let state = stat.rsplit(')').next().and_then(|rest| rest.trim_start().chars().next());
        state.is_some_and(|state| !matches!(state, 'Z' | 'X'))
    })
}

/// Syncs `from` and gives it its final name, whole or not at all.
///
/// # Errors
/// Those of the file system.
pub fn settle(from: &Path, to: &Path) -> io::Result<()> {
    File::open(from)?.sync_all()?;
    fs::rename(from, to)?;
    if let Some(folder) = to.parent() {
        File::open(folder)?.sync_all()?;
    }
    Ok(())
}
