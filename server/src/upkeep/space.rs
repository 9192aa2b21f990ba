//! What a data folder takes of the disk, and giving back what nothing uses any more.

use std::collections::HashSet;
use std::time::Duration;

use crate::app::App;
use crate::jobs::lock;
use crate::shelf::{Kept, Place, size};
use crate::store::{StoreError, Stored};
use zinc_sound::in_words;

/// What was written or used more lately may be about to be named: a file whose track is yet to be made, a print that plays.
const REST: Duration = Duration::from_secs(3600);
/// Prints of racks that are not set any more are heard again when one goes back to them: within a day they stay.
const PRINTS_REST: Duration = Duration::from_secs(24 * 3600);

/// Bytes of each kind of file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Sizes {
    /// Recordings, and sounds that units name.
    pub recordings_bytes: u64,
    /// Prints, which are made again when they are needed.
    pub prints_bytes: u64,
    /// Printed files.
    pub printed_bytes: u64,
}

impl Sizes {
    fn of(files: &[(Place, Kept)]) -> Self {
        let mut sizes = Self::default();
        for (place, file) in files {
            *match place {
                Place::Audio => &mut sizes.recordings_bytes,
                Place::Prints => &mut sizes.prints_bytes,
                Place::Printed => &mut sizes.printed_bytes,
            } += file.bytes;
        }
        sizes
    }

    /// All of them.
    #[must_use]
    pub fn total_bytes(&self) -> u64 {
        self.recordings_bytes + self.prints_bytes + self.printed_bytes
    }
}

/// What a data folder takes, and how much of it nothing uses.
#[derive(Clone, Copy, Debug)]
pub struct Taken {
    /// All that is there.
    pub all: Sizes,
    /// What nothing uses any more.
    pub unused: Sizes,
    /// What is free on its disk; none where the system does not say.
    pub free_bytes: Option<u64>,
}

impl Taken {
    /// All that is there, and what is free, in words.
    #[must_use]
    pub fn words(&self) -> String {
        let Sizes { recordings_bytes, prints_bytes, printed_bytes } = self.all;
        let free = self.free_bytes.map_or_else(String::new, |free| format!(" \u{b7} {} free", size(free)));
        let [recordings, prints, printed] = [recordings_bytes, prints_bytes, printed_bytes].map(size);
        format!("recordings {recordings} \u{b7} prints {prints} \u{b7} printed files {printed}{free}")
    }
}

/// Looks what there is.
///
/// # Errors
/// Those of the database and the file system.
pub fn taken(app: &App) -> Result<Taken, StoreError> {
    let all = files(app)?;
    let unused = unused(app, &all)?;
    let free_bytes = app.shelf.space().map(|disk| disk.free_bytes);
    Ok(Taken { all: Sizes::of(&all), unused: Sizes::of(&unused), free_bytes })
}

/// Removes what nothing uses any more; what it was, by name and size.
///
/// # Errors
/// Those of the database and the file system; what was removed until then is gone, and nothing else.
pub fn give_back(app: &App) -> Result<Vec<(Place, Kept)>, StoreError> {
    // No file gets its track meanwhile.
    let _turn = lock(&app.placing);
    let all = files(app)?;
    let mut unused = unused(app, &all)?;
    let recordings = unused.iter().filter(|(place, _)| *place == Place::Audio);
    // A row without its file would be a recording that is missing; a file without its row is only not used.
    let forgotten = app.store.forget_unnamed(recordings.map(|(_, file)| file.name.clone()))?;
    unused.retain(|(place, file)| *place != Place::Audio || forgotten.contains(&file.name));
    for (place, file) in &unused {
        app.shelf.remove_file(*place, &file.name).map_err(|e| StoreError::Database(in_words(&e)))?;
    }
    Ok(unused)
}

fn files(app: &App) -> Result<Vec<(Place, Kept)>, StoreError> {
    let mut all = Vec::new();
    for place in [Place::Audio, Place::Prints, Place::Printed] {
        let there = app.shelf.files(place).map_err(|e| StoreError::Database(in_words(&e)))?;
        all.extend(there.into_iter().map(|file| (place, file)));
    }
    Ok(all)
}

fn unused(app: &App, all: &[(Place, Kept)]) -> Result<Vec<(Place, Kept)>, StoreError> {
    let named = app.store.named()?;
    let mut printed = HashSet::new();
    let mut all_are_known = true;
    for row in app.store.sessions()? {
        match app.store.load(row.id) {
            Ok(Stored { mut session, lost, .. }) if lost.is_empty() => {
                app.responses.supply(&mut session, None);
                printed.extend(app.prints.cache.keys(&session));
            }
            // Nobody knows which prints are those of a session that cannot be read: all stay.
            _ => all_are_known = false,
        }
    }
    let is_unused = |(place, file): &&(Place, Kept)| match place {
        Place::Audio => file.unused_for >= REST && !named.contains(&file.name),
        Place::Prints => all_are_known && file.unused_for >= PRINTS_REST && !printed.contains(&file.name),
        Place::Printed => file.unused_for >= REST,
    };
    Ok(all.iter().filter(is_unused).cloned().collect())
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::import::shelve;
    use crate::store::Requester;
    use std::fs::File;
    use std::time::SystemTime;
    use zinc_core::rack::UnitSpec;
    use zinc_core::session::{AudioRef, Edit, Family, Role, Session, Strip};
    use zinc_core::unit::catalogue::kind;
    use zinc_sound::{Decoded, Remarks};

    fn sound(app: &App, n: usize) -> AudioRef {
        let samples = (0..480).map(|i| ((i * n) % 17) as f32 / 40.0).collect();
        let sound = Decoded { channels: 1, rate: 48_000, samples, remarks: Remarks::default() };
        shelve(app, "take", &sound).unwrap()
    }

    /// As if all files had last been used so long ago.
    fn grow_old(app: &App, ago: Duration) {
        for (place, file) in files(app).unwrap() {
            let path = app.shelf.file_in(place, &file.name);
            File::open(path).unwrap().set_modified(SystemTime::now() - ago).unwrap();
        }
    }

    #[test]
    fn what_nothing_names_is_given_back_once_it_is_old_enough_and_what_undo_brings_back_is_not() {
        let folder = tempfile::tempdir().unwrap();
        let app = App::open(folder.path()).unwrap();
        let id = app.store.create_session(&Session::new("s", 48_000)).unwrap();
        let (named, undone, alone) = (sound(&app, 3), sound(&app, 5), sound(&app, 7));
        let nobody = Requester::default();
        let add = |audio: &AudioRef| {
            let strip = Box::new(Strip::new(0, "take", Family::Bs, Role::Track(audio.clone()), Some(1)));
            app.store.apply(id, &Edit::AddStrip { at: 0, strip }, "", &nobody).unwrap()
        };
        add(&named);
        let strip = add(&undone).session.strips[0].id;
        app.store.apply(id, &Edit::RemoveStrip { strip }, "", &nobody).unwrap();
        std::fs::write(app.shelf.file_in(Place::Printed, "file"), [0; 100]).unwrap();
        assert!(give_back(&app).unwrap().is_empty(), "all of it is new");
        grow_old(&app, REST + Duration::from_secs(60));
        let Taken { all, unused, free_bytes } = taken(&app).unwrap();
        assert_eq!((all.recordings_bytes, all.printed_bytes), (3 * 480 * 4, 100));
        assert_eq!(unused, Sizes { recordings_bytes: 480 * 4, printed_bytes: 100, prints_bytes: 0 });
        assert!(free_bytes.is_some());
        let gone: Vec<String> = give_back(&app).unwrap().into_iter().map(|(_, file)| file.name).collect();
        assert_eq!(gone, [alone.hash.as_str(), "file"]);
        assert_eq!(taken(&app).unwrap().unused, Sizes::default());
        let known: HashSet<String> = app.store.all_audio().unwrap().into_iter().map(|row| row.hash).collect();
        assert_eq!(known, HashSet::from([named.hash, undone.hash]), "no row speaks of what is gone");
        app.store.remove_session(id, 0).unwrap();
        assert!(give_back(&app).unwrap().is_empty(), "it lies in the bin");
        app.store.remove_for_good(id).unwrap();
        assert_eq!(give_back(&app).unwrap().len(), 2);
        assert_eq!(taken(&app).unwrap().all, Sizes::default());
    }

    #[test]
    fn the_prints_of_a_session_that_cannot_be_read_stay_as_nobody_knows_which_they_are() {
        use diesel::Connection;
        use diesel::connection::SimpleConnection;
        let folder = tempfile::tempdir().unwrap();
        let app = App::open(folder.path()).unwrap();
        app.store.create_session(&Session::new("s", 48_000)).unwrap();
        std::fs::write(app.shelf.print_file(&"ab".repeat(32)), [0; 64]).unwrap();
        grow_old(&app, PRINTS_REST + Duration::from_secs(60));
        assert_eq!(taken(&app).unwrap().unused.prints_bytes, 64);
        let file = folder.path().join("zinc.sqlite");
        let mut database = diesel::sqlite::SqliteConnection::establish(&file.to_string_lossy()).unwrap();
        database.batch_execute("UPDATE strips SET controls = '{'").unwrap();
        assert!(app.store.load(1).unwrap().trouble().is_some(), "it cannot be read");
        assert!(give_back(&app).unwrap().is_empty());
    }

    #[test]
    fn prints_of_a_session_stay_however_old_and_those_of_nothing_go_after_a_day() {
        let folder = tempfile::tempdir().unwrap();
        let app = App::open(folder.path()).unwrap();
        let mut session = Session::new("s", 48_000);
        let main = session.main_id();
        let strip = session.add_strip("take", Family::Bs, Role::Track(sound(&app, 3)), main);
        session.add_unit(strip, UnitSpec::new(kind("compressor").unwrap()));
        app.store.create_session(&session).unwrap();
        let source = zinc_core::render::Source::Racked { strip };
        app.prints.ensure(&session, &[source], &crate::jobs::Job::alone()).unwrap();
        let own = taken(&app).unwrap().all.prints_bytes;
        assert!(own > 0);
        for ending in ["f32", "sum"] {
            std::fs::write(folder.path().join(format!("prints/{}.{ending}", "ab".repeat(32))), [0; 64]).unwrap();
        }
        grow_old(&app, PRINTS_REST - Duration::from_secs(60));
        assert!(give_back(&app).unwrap().is_empty());
        grow_old(&app, PRINTS_REST + Duration::from_secs(60));
        assert_eq!(give_back(&app).unwrap().len(), 1);
        assert_eq!(taken(&app).unwrap().all.prints_bytes, own);
        assert!(!folder.path().join(format!("prints/{}.sum", "ab".repeat(32))).exists());
    }
}
