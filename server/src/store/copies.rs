//! Daily copies of the database: what to go back to when it is damaged, lost, or a session was removed by mistake. Recordings
//! are not copied: they are never changed.

use std::fs;
use std::io;
use std::path::{Path, PathBuf};
use std::time::SystemTime;

use diesel::prelude::*;

use super::database::{Store, StoreError, faults, look_once};
use super::schema::sessions;
use crate::shelf::{Temporary, settle};

/// Copies that are kept, one of a day.
const KEPT: usize = 7;

/// The copies of a data folder's database.
pub struct Copies {
    database: PathBuf,
    folder: PathBuf,
    temporary: PathBuf,
}

/// One of them.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Copy {
    /// The day it was made, as 2026-12-02, in UTC.
    pub day: String,
    /// Where it lies.
    pub file: PathBuf,
    /// Its length in bytes.
    pub bytes: u64,
}

impl Copies {
    /// Those of a data folder.
    #[must_use]
    pub fn of(data: &Path) -> Self {
        Self { database: data.join("zinc.sqlite"), folder: data.join("copies"), temporary: data.join("temporary") }
    }

    /// All copies, the oldest first.
    #[must_use]
    pub fn all(&self) -> Vec<Copy> {
        let read = |entry: fs::DirEntry| {
            let file = entry.path();
            let day = file.file_name()?.to_str()?.strip_suffix(".sqlite")?.to_string();
            let bytes = entry.metadata().ok().filter(fs::Metadata::is_file)?.len();
            Some(Copy { day, file, bytes })
        };
        let mut all: Vec<Copy> = fs::read_dir(&self.folder).into_iter().flatten().flatten().filter_map(read).collect();
        all.sort_by(|a, b| a.day.cmp(&b.day));
        all
    }

    /// Makes the copy of a day, unless it is there, nothing has been changed since the last one, or there are no sessions;
    /// whether it was made. Only the last seven stay, and as few of them as `room_bytes` hold.
    ///
    /// # Errors
    /// A database that is damaged or larger than the room: those there are stay. Those of the file system.
    pub fn make(&self, store: &Store, day: &str, room_bytes: u64) -> Result<bool, StoreError> {
        let failed = |e: io::Error| StoreError::Database(zinc_sound::in_words(&e));
        let all = self.all();
        let is_made =
            all.iter().any(|copy| copy.day == day) || all.last().is_some_and(|last| !self.is_newer_than(last));
        if is_made || store.sessions()?.is_empty() {
            return Ok(false);
        }
        fs::create_dir_all(&self.folder).map_err(failed)?;
        let half = Temporary::within(&self.temporary);
        store.copy_to(&half)?;
        let found = faults(&mut look_once(&half)?)?;
        if let Some(fault) = found.first() {
            return Err(StoreError::Damaged(fault.clone()));
        }
        let bytes = fs::metadata(&*half).map_err(failed)?.len();
        if bytes > room_bytes {
            let why = "a copy of it would take more than a hundredth of the disk, so none was made";
            return Err(StoreError::Database(why.into()));
        }
        settle(&half, &self.folder.join(format!("{day}.sqlite"))).map_err(failed)?;
        self.trim(room_bytes).map_err(failed)?;
        Ok(true)
    }

    fn is_newer_than(&self, copy: &Copy) -> bool {
        let written =
            |file: &Path| fs::metadata(file).and_then(|about| about.modified()).unwrap_or(SystemTime::UNIX_EPOCH);
        let last = written(&copy.file);
        let log = self.database.with_extension("sqlite-wal");
        written(&self.database) > last || written(&log) > last
    }

    fn trim(&self, room_bytes: u64) -> io::Result<()> {
        let all = self.all();
        let mut total: u64 = all.iter().map(|copy| copy.bytes).sum();
        for (at, copy) in all.iter().enumerate() {
            let left = all.len() - at;
            if left <= 1 || (left <= KEPT && total <= room_bytes) {
                break;
            }
            fs::remove_file(&copy.file)?;
            total -= copy.bytes;
        }
        Ok(())
    }

    /// Puts a copy in the database's place, whole or not at all; the database there was is set aside, and where is returned.
    /// Whoever calls owns the folder.
    ///
    /// # Errors
    /// A copy that is damaged or of a newer version, and those of the file system: the database is as it was.
    pub fn restore(&self, copy: &Copy, aside: &str) -> Result<PathBuf, StoreError> {
        let failed = |e: io::Error| StoreError::Database(zinc_sound::in_words(&e));
        names(copy)?;
        fs::create_dir_all(&self.temporary).map_err(failed)?;
        let half = Temporary::within(&self.temporary);
        fs::copy(&copy.file, &*half).map_err(failed)?;
        let aside = self.folder.join(format!("before-{aside}"));
        fs::create_dir_all(&aside).map_err(failed)?;
        if self.database.exists() {
            fs::copy(&self.database, aside.join("zinc.sqlite")).map_err(failed)?;
        }
        // What was written last is in files of their own, which belong to that database alone.
        for ending in ["sqlite-wal", "sqlite-shm"] {
            let file = self.database.with_extension(ending);
            if file.exists() {
                fs::rename(&file, aside.join(format!("zinc.{ending}"))).map_err(failed)?;
            }
        }
        settle(&half, &self.database).map_err(failed)?;
        Ok(aside)
    }
}

/// The names of the sessions in a copy, the newest first.
///
/// # Errors
/// A copy that is damaged, or of a newer version.
pub fn names(copy: &Copy) -> Result<Vec<String>, StoreError> {
    let mut connection = look_once(&copy.file)?;
    match faults(&mut connection)?.first() {
        Some(fault) => Err(StoreError::Damaged(fault.clone())),
        None => Ok(sessions::table.order(sessions::id.desc()).select(sessions::name).load(&mut connection)?),
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use zinc_core::session::Session;

    const ROOM: u64 = 1 << 30;

    /// A data folder with a database of one session.
    fn folder() -> (tempfile::TempDir, Store, Copies) {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir(folder.path().join("temporary")).unwrap();
        let store = Store::open(&folder.path().join("zinc.sqlite")).unwrap();
        let copies = Copies::of(folder.path());
        assert!(!copies.make(&store, "2026-11-01", ROOM).unwrap(), "of no sessions there is nothing to keep");
        store.create_session(&Session::new("first", 48_000)).unwrap();
        (folder, store, copies)
    }

    fn days(copies: &Copies) -> Vec<String> {
        copies.all().into_iter().map(|copy| copy.day).collect()
    }

    #[test]
    fn a_copy_is_made_once_a_day_where_something_was_changed_and_seven_stay() {
        let (_folder, store, copies) = folder();
        assert!(copies.make(&store, "2026-11-01", ROOM).unwrap());
        assert!(!copies.make(&store, "2026-11-01", ROOM).unwrap(), "it is there");
        assert!(!copies.make(&store, "2026-11-02", ROOM).unwrap(), "nothing has been changed");
        for day in 2..=9 {
            std::thread::sleep(std::time::Duration::from_millis(15));
            store.create_session(&Session::new("more", 48_000)).unwrap();
            assert!(copies.make(&store, &format!("2026-11-0{day}"), ROOM).unwrap());
        }
        assert_eq!(days(&copies), (3..=9).map(|day| format!("2026-11-0{day}")).collect::<Vec<_>>());
        assert_eq!(names(copies.all().last().unwrap()).unwrap().len(), 9);
    }

    #[test]
    fn copies_take_no_more_than_their_room_and_a_database_larger_than_it_keeps_the_ones_there_are() {
        let (_folder, store, copies) = folder();
        copies.make(&store, "2026-11-01", ROOM).unwrap();
        let one = copies.all()[0].bytes;
        store.create_session(&Session::new("more", 48_000)).unwrap();
        copies.make(&store, "2026-11-02", one + one / 2).unwrap();
        assert_eq!(days(&copies), ["2026-11-02"]);
        store.create_session(&Session::new("more", 48_000)).unwrap();
        let why = copies.make(&store, "2026-11-03", one / 2).unwrap_err().to_string();
        assert!(why.contains("hundredth of the disk") && days(&copies) == ["2026-11-02"], "{why}");
    }

    #[test]
    fn a_lost_database_comes_back_from_a_copy_and_what_stood_there_is_set_aside() {
        let (folder, store, copies) = folder();
        copies.make(&store, "2026-11-01", ROOM).unwrap();
        // Written since, and still in the log beside the database.
        store.create_session(&Session::new("second", 48_000)).unwrap();
        let file = folder.path().join("zinc.sqlite");
        let copy = copies.all().remove(0);
        drop(store);
        let aside = copies.restore(&copy, "now").unwrap();
        let names_of = |file: &Path| -> Vec<String> {
            Store::look(file).unwrap().sessions().unwrap().into_iter().map(|row| row.name).collect()
        };
        assert_eq!(names_of(&file), ["first"]);
        assert_eq!(names_of(&aside.join("zinc.sqlite")), ["second", "first"]);
        // Emptied, damaged or gone, it comes back as well.
        for spoil in [
            |file: &Path| fs::write(file, []),
            |file: &Path| fs::write(file, [7; 5000]),
            |file: &Path| fs::remove_file(file),
        ] {
            spoil(&file).unwrap();
            copies.restore(&copy, "again").unwrap();
            assert_eq!(names_of(&file), ["first"]);
        }
        // A copy that is damaged itself changes nothing.
        fs::write(&copy.file, [7; 5000]).unwrap();
        assert!(copies.restore(&copy, "third").is_err());
        assert_eq!(names_of(&file), ["first"]);
    }
}
