//! What is done once a day while the server runs: a copy of the database, and the bin emptied of what has lain there long enough.

use std::path::Path;
use std::time::{Duration, SystemTime, UNIX_EPOCH};

use super::space;
use crate::app::App;
use crate::shelf::Space;
use crate::store::StoreError;
use crate::store::copies::Copies;

/// How often it is looked whether something is due.
const LOOKS_EVERY: Duration = Duration::from_secs(3600);
/// The part of the disk that copies may take.
const COPIES_SHARE: u64 = 100;
/// How long a removed session lies in the bin.
pub const BIN_DAYS: i64 = 30;

/// Seconds since 1970.
#[must_use]
pub fn now_s() -> i64 {
    SystemTime::now().duration_since(UNIX_EPOCH).map_or(0, |since| since.as_secs() as i64)
}

/// Begins to look after a data folder, for as long as the program runs.
pub fn begin(app: &App, data: &Path) {
    let (app, data) = (app.clone(), data.to_path_buf());
    std::thread::spawn(move || {
        let mut told = String::new();
        loop {
            let failed = [copy(&app, &data), empty_bin(&app)].into_iter().filter_map(Result::err);
            let failed: Vec<String> = failed.map(|e| e.to_string()).collect();
            let failed = failed.join(" ");
            // Once, not every hour.
            if !failed.is_empty() && failed != told {
                eprintln!(
                    "zinc-rack: the daily care of {} was not all done. {failed} What is there stays.",
                    data.display()
                );
            }
            told = failed;
            std::thread::sleep(LOOKS_EVERY);
        }
    });
}

fn copy(app: &App, data: &Path) -> Result<(), StoreError> {
    let day = time::OffsetDateTime::now_utc().date().to_string();
    let room = Space::of(data).map_or(u64::MAX, |disk| disk.total_bytes / COPIES_SHARE);
    Copies::of(data).make(&app.store, &day, room).map(|_| ())
}

fn empty_bin(app: &App) -> Result<(), StoreError> {
    if app.store.empty_bin(now_s() - BIN_DAYS * 24 * 3600)? > 0 {
        space::give_back(app)?;
    }
    Ok(())
}
