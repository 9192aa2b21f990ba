//! SQLite through Diesel: everything but audio payloads.
//!
//! One module per family of tables. Every change of a session is an edit,
//! applied by the core and written here in one transaction with its journal
//! entry, synced before it is acknowledged.

mod audio;
mod changes;
pub mod copies;
mod database;
mod demos;
mod journal;
mod named;
mod readable_copy;
mod requester;
mod salvage;
mod schema;
mod sessions;

pub use audio::AudioRow;
pub use changes::{KnownChange, Since};
pub use database::{Store, StoreError};
pub use journal::{Change, Consent, Direction};
pub use requester::Requester;
pub use sessions::{SessionRow, Stored};

#[cfg(test)]
mod tests;
#[cfg(test)]
#[allow(clippy::unwrap_used, clippy::expect_used)] // a test may say what must hold by failing
mod versions;
