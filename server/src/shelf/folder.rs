//! The folders of a data directory: payloads, prints, printed files, and what is being written.

use std::fs::{self, File};
use std::io;
use std::path::{Path, PathBuf};
use std::time::{Duration, SystemTime};

use super::checksum::Checksum;
use super::space::Space;
use super::temporary::{Temporary, is_at_work};

/// Where files lie that are kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Place {
    /// Recordings and sounds.
    Audio,
    /// Prints, with the sums over them.
    Prints,
    /// Printed files.
    Printed,
}

/// A file that is kept.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Kept {
    /// Its name without ending.
    pub name: String,
    /// Its length in bytes.
    pub bytes: u64,
    /// How long ago it was used last, or written.
    pub unused_for: Duration,
}

/// The folders of a data directory.
#[derive(Clone)]
pub struct Shelf {
    audio: PathBuf,
    prints: PathBuf,
    printed: PathBuf,
    temporary: PathBuf,
    /// Whether this process owns the folder, and so may clean it.
    owned: bool,
}

impl Shelf {
    /// Opens (or makes) the folders under `data` for their owner and clears what interrupted
    /// runs left in the temporary one.
    ///
    /// # Errors
    /// When a folder cannot be made or written.
    pub fn open(data: &Path) -> io::Result<Self> {
        let shelf = Self { owned: true, ..Self::look(data) };
        // Data folders made before the page of prints had its name call this otherwise.
        let former = data.join("delivered");
        if former.exists() && !shelf.printed.exists() {
            fs::rename(former, &shelf.printed)?;
        }
        for folder in [&shelf.audio, &shelf.prints, &shelf.printed, &shelf.temporary] {
            fs::create_dir_all(folder)?;
        }
        for leftover in fs::read_dir(&shelf.temporary)?.flatten() {
            if !is_at_work(&leftover.path()) {
                let _ = fs::remove_file(leftover.path());
            }
        }
        Ok(shelf)
    }

    /// The folders under `data`, changing nothing.
    #[must_use]
    pub fn look(data: &Path) -> Self {
        Self {
            audio: data.join("audio"),
            prints: data.join("prints"),
            printed: data.join("printed"),
            temporary: data.join("temporary"),
            owned: false,
        }
    }

    /// The same of a folder that cannot be written: what is printed lies in another.
    ///
    /// # Errors
    /// When the other cannot be written.
    pub fn look_beside(data: &Path, scratch: &Path) -> io::Result<Self> {
        let shelf = Self { audio: data.join("audio"), ..Self::look(scratch) };
        for folder in [&shelf.prints, &shelf.printed, &shelf.temporary] {
            fs::create_dir_all(folder)?;
        }
        Ok(shelf)
    }

    /// The disk it is on; none where the system does not say.
    #[must_use]
    pub fn space(&self) -> Option<Space> {
        Space::of(&self.temporary)
    }

    /// Where a payload lies. `hash` must be checked by [`is_key`] when it comes
    /// from outside.
    #[must_use]
    pub fn audio_file(&self, hash: &str) -> PathBuf {
        self.audio.join(format!("{hash}.f32"))
    }

    /// Where a print lies.
    #[must_use]
    pub fn print_file(&self, key: &str) -> PathBuf {
        self.prints.join(format!("{key}.f32"))
    }

    /// Where the sum over a print lies.
    #[must_use]
    pub fn sum_file(&self, key: &str) -> PathBuf {
        self.prints.join(format!("{key}.sum"))
    }

    /// Where the figures of a treatment lie.
    #[must_use]
    pub fn figures_file(&self, key: &str) -> PathBuf {
        self.prints.join(format!("{key}.json"))
    }

    /// Where a file of some kind lies.
    #[must_use]
    pub fn file_in(&self, place: Place, name: &str) -> PathBuf {
        match place {
            Place::Audio => self.audio_file(name),
            Place::Prints => self.print_file(name),
            Place::Printed => self.wav_file(name),
        }
    }

    /// All files of a kind, in the order of their names.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn files(&self, place: Place) -> io::Result<Vec<Kept>> {
        let (folder, ending) = match place {
            Place::Audio => (&self.audio, "f32"),
            Place::Prints => (&self.prints, "f32"),
            Place::Printed => (&self.printed, "wav"),
        };
        let read = |entry: fs::DirEntry| {
            let path = entry.path();
            let name =
                path.file_stem().filter(|_| path.extension().is_some_and(|e| e == ending))?.to_str()?.to_string();
            // One that has just been removed by somebody else is not there.
            let about = entry.metadata().ok()?;
            let unused_for = about.modified().ok()?.elapsed().unwrap_or_default();
            Some(Kept { name, bytes: about.len(), unused_for })
        };
        let mut all: Vec<Kept> = fs::read_dir(folder)?.flatten().filter_map(read).collect();
        all.sort_by(|a, b| a.name.cmp(&b.name));
        Ok(all)
    }

    /// Removes a file of some kind, with what belongs to it. Only its owner cleans a folder.
    ///
    /// # Errors
    /// When it cannot be removed.
    pub fn remove_file(&self, place: Place, name: &str) -> io::Result<()> {
        match place {
            Place::Prints => self.remove(&[self.print_file(name), self.sum_file(name)]),
            Place::Audio | Place::Printed => self.remove(&[self.file_in(place, name)]),
        }
    }

    /// Where a printed WAV file lies.
    #[must_use]
    pub fn wav_file(&self, key: &str) -> PathBuf {
        self.printed.join(format!("{key}.wav"))
    }

    /// A name in the temporary folder that nobody else uses; what lies there is removed
    /// with the value, unless it was moved away by [`settle`].
    #[must_use]
    pub fn temporary_file(&self) -> Temporary {
        Temporary::within(&self.temporary)
    }

    /// Names (without ending) of the payloads on the shelf.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn payloads(&self) -> io::Result<Vec<String>> {
        let mut names: Vec<String> = fs::read_dir(&self.audio)?
            .flatten()
            .filter_map(|e| e.path().file_stem().map(|s| s.to_string_lossy().into_owned()))
            .collect();
        names.sort();
        Ok(names)
    }

    /// Keys of the prints that are not what was written of them, or whose sum is gone: whoever needs one has it made again.
    ///
    /// # Errors
    /// When one cannot be read.
    pub fn damaged_prints(&self) -> io::Result<Vec<String>> {
        let mut damaged = Vec::new();
        for entry in fs::read_dir(&self.prints).into_iter().flatten().flatten() {
            let path = entry.path();
            let Some(key) = path.file_stem().map(|s| s.to_string_lossy().into_owned()) else { continue };
            if path.extension().is_none_or(|ending| ending != "f32") {
                continue;
            }
            let said = fs::read_to_string(self.sum_file(&key)).unwrap_or_default();
            if Checksum::of_file(&path)?.to_text() != said {
                damaged.push(key);
            }
        }
        damaged.sort();
        Ok(damaged)
    }

    fn remove(&self, files: &[PathBuf]) -> io::Result<()> {
        if !self.owned {
            return Err(io::Error::other("only its owner cleans a data folder"));
        }
        files.iter().try_for_each(|file| match fs::remove_file(file) {
            Err(e) if e.kind() != io::ErrorKind::NotFound => Err(e),
            _ => Ok(()),
        })
    }

    /// Files left in the temporary folder.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn leftovers(&self) -> io::Result<usize> {
        Ok(fs::read_dir(&self.temporary)?.flatten().count())
    }

    /// Removes the prints that were used longest ago until at most `limit` bytes remain, but
    /// none that was used within `rest`: somebody may be about to read it.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn trim_prints(&self, limit: u64, rest: Duration) -> io::Result<()> {
        self.trim(&self.prints, limit, rest)
    }

    /// The same of files that were printed to be fetched.
    ///
    /// # Errors
    /// When the folder cannot be read.
    pub fn trim_printed(&self, limit: u64, rest: Duration) -> io::Result<()> {
        self.trim(&self.printed, limit, rest)
    }

    fn trim(&self, folder: &Path, limit: u64, rest: Duration) -> io::Result<()> {
        if !self.owned {
            return Ok(());
        }
        let mut files: Vec<_> = fs::read_dir(folder)?
            .flatten()
            .filter_map(|e| e.metadata().ok().and_then(|m| Some((m.modified().ok()?, m.len(), e.path()))))
            .collect();
        files.sort();
        let mut total: u64 = files.iter().map(|f| f.1).sum();
        for (used, size, path) in files {
            if total <= limit || used.elapsed().is_ok_and(|ago| ago < rest) {
                break;
            }
            match fs::remove_file(path) {
                // Another trim was there first.
                Err(e) if e.kind() != io::ErrorKind::NotFound => return Err(e),
                _ => total -= size,
            }
        }
        Ok(())
    }
}

/// Whether this process may write a file or into a folder.
#[must_use]
pub fn can_write(path: &Path) -> bool {
    rustix::fs::access(path, rustix::fs::Access::WRITE_OK).is_ok()
}

/// Notes that a print is used now, so that it is not the next to be trimmed.
pub fn touch(path: &Path) {
    // A folder that cannot be written keeps its order; nothing else depends on it.
    let _ = File::open(path).and_then(|file| file.set_modified(SystemTime::now()));
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::shelf::temporary::settle;

    #[test]
    fn prints_give_way_in_the_order_of_their_use_and_none_that_may_be_about_to_be_read() {
        let folder = tempfile::tempdir().unwrap();
        let shelf = Shelf::open(folder.path()).unwrap();
        let files: Vec<PathBuf> = (0..4).map(|n| shelf.print_file(&format!("{n}"))).collect();
        for file in &files {
            fs::write(file, [0; 100]).unwrap();
            std::thread::sleep(Duration::from_millis(15));
        }
        let there = || files.iter().map(|f| f.exists()).collect::<Vec<_>>();
        shelf.trim_prints(250, Duration::from_secs(60)).unwrap();
        assert_eq!(there(), [true; 4], "all were used just now");
        touch(&files[0]);
        Shelf::look(folder.path()).trim_prints(250, Duration::ZERO).unwrap();
        assert_eq!(there(), [true; 4], "only the owner cleans");
        std::thread::scope(|both| {
            for _ in 0..2 {
                both.spawn(|| shelf.trim_prints(250, Duration::ZERO).unwrap());
            }
        });
        assert!(files[0].exists() && !files[1].exists() && !files[2].exists());
    }

    #[test]
    fn an_owner_clears_what_is_left_and_not_what_a_living_process_writes() {
        let folder = tempfile::tempdir().unwrap();
        drop(Shelf::open(folder.path()).unwrap());
        let temporary = |name: &str| folder.path().join("temporary").join(name);
        let mut living = std::process::Command::new("sleep").arg("30").spawn().unwrap();
        // Killed, and its parent has not heard of it yet.
        let mut killed = std::process::Command::new("sleep").arg("30").spawn().unwrap();
        killed.kill().unwrap();
        let [dead, alive] = [killed.id(), living.id()].map(|id| format!("{id}-0.tmp"));
        let half = |name: &str| fs::write(temporary(name), b"half").unwrap();
        half(&alive);
        let until = SystemTime::now() + Duration::from_secs(10);
        loop {
            // A number no process has, and one that is about to have none.
            ["4194305-0.tmp", &dead].iter().for_each(|name| half(name));
            drop(Shelf::open(folder.path()).unwrap());
            assert!(!temporary("4194305-0.tmp").exists() && temporary(&alive).exists());
            if !temporary(&dead).exists() || SystemTime::now() > until {
                break;
            }
        }
        assert!(!temporary(&dead).exists());
        living.kill().unwrap();
        for mut child in [living, killed] {
            child.wait().unwrap();
        }
    }

    #[test]
    fn what_is_half_written_is_gone_with_its_value_and_what_is_settled_stays() {
        let folder = tempfile::tempdir().unwrap();
        let shelf = Shelf::open(folder.path()).unwrap();
        let kept = shelf.audio_file("kept");
        let (first, second) = (shelf.temporary_file(), shelf.temporary_file());
        for file in [&first, &second] {
            fs::write(&**file, b"sound").unwrap();
        }
        settle(&first, &kept).unwrap();
        drop((first, second));
        assert_eq!((shelf.leftovers().unwrap(), fs::read(kept).unwrap()), (0, b"sound".to_vec()));
    }
}
