//! A copy of what can be read of a damaged session, to work on.

use diesel::prelude::*;
use zinc_core::session::Session;

use super::database::{Store, StoreError};
use super::schema::{journal, sessions};
use super::sessions::{create, load};

impl Store {
    /// A session of its own of what can be read of one, with its journal; its identity.
    ///
    /// # Errors
    /// Those of the database, or no such session.
    pub fn copy_readable(&self, id: i32) -> Result<i32, StoreError> {
        self.write(|c| {
            let stored = load(c, id)?;
            let name: String = stored.session.name.chars().take(100).collect();
            let session = Session { name: format!("{name} (what can be read)"), ..stored.session };
            let copy = create(c, &session)?;
            let rows = journal::table.filter(journal::session_id.eq(id)).select((
                copy.into_sql::<diesel::sql_types::Integer>(),
                journal::seq,
                journal::edit,
                journal::inverse,
                journal::gesture,
                journal::window,
            ));
            let columns =
                (journal::session_id, journal::seq, journal::edit, journal::inverse, journal::gesture, journal::window);
            diesel::insert_into(journal::table).values(rows).into_columns(columns).execute(c)?;
            diesel::update(sessions::table.find(copy)).set(sessions::journal_at.eq(stored.undo)).execute(c)?;
            Ok(copy)
        })
    }
}
