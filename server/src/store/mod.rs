//! SQLite through Diesel: everything but audio payloads.
//!
//! One module per family of tables. Every change of a session is an edit,
//! applied by the core and written here in one transaction with its journal
//! entry, synced before it is acknowledged.

mod audio;
mod journal;
mod schema;
mod sessions;

use diesel::connection::{Connection, SimpleConnection};
use diesel::r2d2::{ConnectionManager, CustomizeConnection, Pool, PooledConnection};
use diesel::sqlite::SqliteConnection;
use diesel_migrations::{EmbeddedMigrations, MigrationHarness, embed_migrations};
use std::path::Path;

pub use audio::AudioRow;
pub use journal::{Change, Direction};
pub use sessions::{SessionRow, Stored};

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

/// The open database.
#[derive(Clone)]
pub struct Store {
    pool: Pool<ConnectionManager<SqliteConnection>>,
}

impl Store {
    /// Opens (or makes) the database file and brings its tables up to date.
    ///
    /// # Errors
    /// When the file cannot be opened, written or migrated.
    pub fn open(file: &Path) -> Result<Self, StoreError> {
        let database = |e: String| StoreError::Database(e);
        // One connection alone first: several that turn a new file to WAL at once, beside
        // a migration, can find it locked.
        let mut first = SqliteConnection::establish(&file.to_string_lossy()).map_err(|e| database(e.to_string()))?;
        first.batch_execute(PRAGMAS).map_err(|e| database(e.to_string()))?;
        first.run_pending_migrations(MIGRATIONS).map_err(|e| database(e.to_string()))?;
        drop(first);
        let manager = ConnectionManager::new(file.to_string_lossy());
        let pool = Pool::builder()
            .max_size(4)
            .connection_timeout(std::time::Duration::from_secs(5))
            .connection_customizer(Box::new(Pragmas))
            .build(manager)
            .map_err(|e| database(e.to_string()))?;
        Ok(Self { pool })
    }

    fn connection(&self) -> Result<PooledConnection<ConnectionManager<SqliteConnection>>, StoreError> {
        self.pool.get().map_err(|e| StoreError::Database(e.to_string()))
    }

    /// SQLite's own check of the file; the faults it names, none for a sound file.
    ///
    /// # Errors
    /// When the check cannot run.
    pub fn integrity(&self) -> Result<Vec<String>, StoreError> {
        use diesel::RunQueryDsl;
        #[derive(diesel::QueryableByName)]
        struct Row {
            #[diesel(sql_type = diesel::sql_types::Text)]
            integrity_check: String,
        }
        let rows: Vec<Row> = diesel::sql_query("PRAGMA integrity_check").load(&mut self.connection()?)?;
        Ok(rows.into_iter().map(|r| r.integrity_check).filter(|r| r != "ok").collect())
    }
}
