//! The open database, and why it could not do what was asked.

use diesel::connection::{Connection, SimpleConnection};
use diesel::migration::{Migration, MigrationSource};
use diesel::r2d2::{ConnectionManager, CustomizeConnection, Pool, PooledConnection};
use diesel::sqlite::{Sqlite, SqliteConnection};
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use parking_lot::FairMutex;
use std::path::Path;
use std::sync::Arc;

const MIGRATIONS: EmbeddedMigrations = embed_migrations!("migrations");

/// Why the store could not do it. Nothing was changed.
#[derive(Debug)]
pub enum StoreError {
    /// No such session.
    NoSession(i32),
    /// Nothing to undo or redo.
    NothingThere(&'static str),
    /// The core refused the edit.
    Refused(String),
    /// Another window has changed a part of what would be replaced, or moved what is counted.
    Collides(String),
    /// The step was made in another window.
    Elsewhere {
        /// undo or redo.
        way: &'static str,
        /// What the step changed.
        what: String,
    },
    /// A step that cannot be made.
    Unfit {
        /// undo or redo.
        way: &'static str,
        /// Why not.
        why: String,
    },
    /// Some of the session cannot be read, so that nothing of it may be changed.
    ReadOnly(String),
    /// A stored row that this program cannot read.
    Damaged(String),
    /// The database itself.
    Database(String),
}

impl std::fmt::Display for StoreError {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::NoSession(id) => write!(f, "There is no session {id}; it may have been removed."),
            Self::NothingThere(what) => write!(f, "There is nothing to {what}."),
            Self::Refused(why) => write!(f, "The change was not made: {why}. Everything is as it was."),
            Self::Collides(what) => write!(
                f,
                "The change was not made: another window has just changed {what}, and this would have undone or misplaced it. Everything is as the other window left it; look at it and try again."
            ),
            Self::Elsewhere { way, what } => write!(
                f,
                "The last step was made in another window ({what}). Nothing was changed; {way} once more to {way} it all the same."
            ),
            Self::Unfit { way, why } => write!(
                f,
                "The next step to {way} does not fit what is there ({why}). Nothing was changed; {way} once more to skip it."
            ),
            Self::ReadOnly(what) => write!(
                f,
                "This session is damaged and opens read-only. Not readable: {what}. Nothing stored was changed. To work on, open it and make a copy of what can be read, or go back to the database of an earlier day with `zinc-rack restore-database`."
            ),
            Self::Damaged(what) => {
                write!(f, "The database holds something this program cannot read ({what}). Run `zinc-rack check`.")
            }
            Self::Database(what) => write!(f, "The database refused ({what}). Nothing was changed."),
        }
    }
}

impl std::error::Error for StoreError {}

impl From<diesel::result::Error> for StoreError {
    fn from(e: diesel::result::Error) -> Self {
        Self::Database(e.to_string())
    }
}

/// How every connection works. FULL: an acknowledged edit survives a power cut, not
/// only a crash.
const PRAGMAS: &str = "PRAGMA busy_timeout = 5000; PRAGMA journal_mode = WAL; \
                       PRAGMA foreign_keys = ON; PRAGMA synchronous = FULL;";

#[derive(Debug)]
struct Pragmas;

impl CustomizeConnection<SqliteConnection, diesel::r2d2::Error> for Pragmas {
    fn on_acquire(&self, connection: &mut SqliteConnection) -> Result<(), diesel::r2d2::Error> {
        connection.batch_execute(PRAGMAS).map_err(diesel::r2d2::Error::QueryError)
    }
}

fn connect(file: &Path) -> Result<SqliteConnection, StoreError> {
    SqliteConnection::establish(&file.to_string_lossy()).map_err(|e| StoreError::Database(e.to_string()))
}

/// One connection to a file that is only looked into, of this version or an earlier one.
///
/// # Errors
/// When it cannot be read, or is of a newer version.
pub(super) fn look_once(file: &Path) -> Result<SqliteConnection, StoreError> {
    let mut connection = connect(file)?;
    refuse_newer(&mut connection)?;
    Ok(connection)
}

/// SQLite's own check of a file; the faults it names, none for a sound file.
///
/// # Errors
/// When the check cannot run.
pub(super) fn faults(connection: &mut SqliteConnection) -> Result<Vec<String>, StoreError> {
    use diesel::RunQueryDsl;
    #[derive(diesel::QueryableByName)]
    struct Row {
        #[diesel(sql_type = diesel::sql_types::Text)]
        integrity_check: String,
    }
    let rows: Vec<Row> = diesel::sql_query("PRAGMA integrity_check").load(connection)?;
    Ok(rows.into_iter().map(|r| r.integrity_check).filter(|r| r != "ok").collect())
}

/// A database of no bytes beside recordings has lost its sessions: to make a new one in its place would hide that.
fn refuse_emptied(file: &Path) -> Result<(), StoreError> {
    let is_empty = std::fs::metadata(file).is_ok_and(|about| about.len() == 0);
    let recordings = std::fs::read_dir(file.with_file_name("audio")).map_or(0, Iterator::count);
    if !is_empty || recordings == 0 {
        return Ok(());
    }
    Err(StoreError::Database(format!(
        "zinc.sqlite is empty, so its sessions are lost, but audio/ still has its recordings ({recordings}); go back to one of \
         its daily copies (`zinc-rack restore-database`), or move the empty one away to start with no sessions"
    )))
}

/// A database that a newer version has written holds what this one cannot know.
fn refuse_newer(connection: &mut SqliteConnection) -> Result<(), StoreError> {
    let mut newer = || -> diesel::migration::Result<bool> {
        let known = MigrationSource::<Sqlite>::migrations(&MIGRATIONS)?;
        let known: Vec<String> = known.iter().map(|one| one.name().version().to_string()).collect();
        // None have been applied where there is no table of them yet.
        let applied = connection.applied_migrations().unwrap_or_default();
        Ok(applied.iter().any(|version| !known.contains(&version.to_string())))
    };
    if newer().map_err(|e| StoreError::Database(e.to_string()))? {
        let why = "it was written by a newer version of Zinc Rack; use that one, or another data folder";
        return Err(StoreError::Database(why.into()));
    }
    Ok(())
}

/// The open database.
#[derive(Clone)]
pub struct Store {
    pool: Pool<ConnectionManager<SqliteConnection>>,
    /// Whose turn it is to write. SQLite lets one write at a time and makes others try again until they give up; here they
    /// wait, first come first served.
    pub(super) turn: Arc<FairMutex<()>>,
}

impl Store {
    /// Opens (or makes) the database file and brings its tables up to date.
    ///
    /// # Errors
    /// When the file cannot be opened, written or migrated.
    pub fn open(file: &Path) -> Result<Self, StoreError> {
        // One connection alone first: several that turn a new file to WAL at once, beside
        // a migration, can find it locked.
        refuse_emptied(file)?;
        let mut first = connect(file)?;
        refuse_newer(&mut first)?;
        first.batch_execute(PRAGMAS)?;
        first.run_pending_migrations(MIGRATIONS).map_err(|e| StoreError::Database(e.to_string()))?;
        drop(first);
        Self::pooled(file)
    }

    /// Opens a database file as it is.
    ///
    /// # Errors
    /// When the file is not there, cannot be read, or has tables of an earlier version.
    pub fn look(file: &Path) -> Result<Self, StoreError> {
        if !file.exists() {
            return Err(StoreError::Database("there is no database in it".into()));
        }
        refuse_emptied(file)?;
        let mut first = connect(file)?;
        refuse_newer(&mut first)?;
        let pending = first.has_pending_migration(MIGRATIONS);
        if pending.map_err(|e| StoreError::Database(e.to_string()))? {
            return Err(StoreError::Database(
                "it was made by an earlier version; start `zinc-rack serve` on it once, which brings it up to date"
                    .into(),
            ));
        }
        Self::pooled(file)
    }

    /// Opens a database file that cannot be written, as a copy of it in a folder that can: SQLite writes beside a database even
    /// where it only reads.
    ///
    /// # Errors
    /// As [`Self::look`]; a folder that cannot be written.
    pub fn look_at_copy(file: &Path, folder: &Path) -> Result<Self, StoreError> {
        let failed = |e: std::io::Error| StoreError::Database(zinc_sound::in_words(&e));
        if !file.exists() {
            return Err(StoreError::Database("there is no database in it".into()));
        }
        refuse_emptied(file)?;
        let copy = folder.join("zinc.sqlite");
        std::fs::copy(file, &copy).map_err(failed)?;
        // What was written last may still stand in a file of its own.
        let log = file.with_extension("sqlite-wal");
        if log.exists() {
            std::fs::copy(log, copy.with_extension("sqlite-wal")).map_err(failed)?;
        }
        for made in [copy.clone(), copy.with_extension("sqlite-wal")].iter().filter(|made| made.exists()) {
            let mut may = std::fs::metadata(made).map_err(failed)?.permissions();
            // The copy of a file that may not be written may be.
            std::os::unix::fs::PermissionsExt::set_mode(&mut may, 0o600);
            std::fs::set_permissions(made, may).map_err(failed)?;
        }
        Self::look(&copy)
    }

    fn pooled(file: &Path) -> Result<Self, StoreError> {
        let database = |e: String| StoreError::Database(e);
        let manager = ConnectionManager::new(file.to_string_lossy());
        let pool = Pool::builder()
            .max_size(4)
            .connection_timeout(std::time::Duration::from_secs(5))
            .connection_customizer(Box::new(Pragmas))
            .build(manager)
            .map_err(|e| database(e.to_string()))?;
        Ok(Self { pool, turn: Arc::default() })
    }

    pub(super) fn connection(&self) -> Result<PooledConnection<ConnectionManager<SqliteConnection>>, StoreError> {
        self.pool.get().map_err(|e| StoreError::Database(e.to_string()))
    }

    /// Writes, all of it or nothing, when those who asked before have written.
    pub(super) fn write<T>(
        &self,
        write: impl FnOnce(&mut SqliteConnection) -> Result<T, StoreError>,
    ) -> Result<T, StoreError> {
        let _turn = self.turn.lock();
        self.connection()?.immediate_transaction(write)
    }

    /// SQLite's own check of the file; the faults it names, none for a sound file.
    ///
    /// # Errors
    /// When the check cannot run.
    pub fn integrity(&self) -> Result<Vec<String>, StoreError> {
        faults(&mut *self.connection()?)
    }

    /// Writes a copy of the whole database, as it is at one moment, to a file that is not there yet.
    ///
    /// # Errors
    /// Those of the database and the file system.
    pub fn copy_to(&self, file: &Path) -> Result<(), StoreError> {
        use diesel::RunQueryDsl;
        let into = diesel::sql_query("VACUUM INTO ?").bind::<diesel::sql_types::Text, _>(file.to_string_lossy());
        into.execute(&mut self.connection()?)?;
        Ok(())
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use zinc_core::session::Session;

    fn refused(opened: Result<Store, StoreError>) -> String {
        opened.err().unwrap().to_string()
    }

    #[test]
    fn a_database_of_a_newer_version_is_refused_in_words_and_left_as_it_is() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("zinc.sqlite");
        let store = Store::open(&file).unwrap();
        store.create_session(&Session::new("s", 48_000)).unwrap();
        drop(store);
        let newer = "INSERT INTO __diesel_schema_migrations (version) VALUES ('20991231000000')";
        connect(&file).unwrap().batch_execute(newer).unwrap();
        for opened in [Store::open(&file), Store::look(&file)] {
            let why = refused(opened);
            assert!(why.contains("newer version"), "{why}");
        }
        connect(&file)
            .unwrap()
            .batch_execute("DELETE FROM __diesel_schema_migrations WHERE version LIKE '2099%'")
            .unwrap();
        assert_eq!(Store::open(&file).unwrap().sessions().unwrap().len(), 1);
    }

    #[test]
    fn a_copy_of_a_database_that_is_only_looked_at_has_what_was_written_last_and_leaves_the_folder_as_it_is() {
        let (folder, beside) = (tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap());
        let file = folder.path().join("zinc.sqlite");
        let store = Store::open(&file).unwrap();
        store.create_session(&Session::new("s", 48_000)).unwrap();
        assert!(file.with_extension("sqlite-wal").metadata().unwrap().len() > 0, "it is still in the log");
        let names = || -> Vec<_> {
            std::fs::read_dir(folder.path()).unwrap().map(|entry| entry.unwrap().file_name()).collect()
        };
        let before = names();
        let looked = Store::look_at_copy(&file, beside.path()).unwrap();
        assert_eq!(looked.sessions().unwrap().len(), 1);
        assert_eq!(names(), before);
        assert!(Store::look_at_copy(&folder.path().join("none"), beside.path()).is_err());
    }

    #[test]
    fn an_emptied_database_beside_recordings_is_no_empty_shelf() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("zinc.sqlite");
        std::fs::write(&file, []).unwrap();
        // Without recordings nothing can have been lost.
        drop(Store::open(&file).unwrap());
        std::fs::remove_file(&file).unwrap();
        std::fs::create_dir(folder.path().join("audio")).unwrap();
        std::fs::write(folder.path().join("audio/ab"), [0; 8]).unwrap();
        drop(Store::open(&file).unwrap());
        std::fs::write(&file, []).unwrap();
        for opened in [Store::open(&file), Store::look(&file)] {
            let why = refused(opened);
            assert!(why.contains("still has its recordings (1)"), "{why}");
        }
        assert_eq!(std::fs::metadata(&file).unwrap().len(), 0);
    }
}
