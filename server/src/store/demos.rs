//! Which sessions are the demo's, and of which layout of it.

use diesel::prelude::*;
use zinc_core::session::Session;

use super::database::{Store, StoreError};
use super::schema::{demos, sessions};
use super::sessions::create;

/// What stands behind the name of a session of an earlier demo.
const EARLIER: &str = " (earlier)";

impl Store {
    /// Whether a session of this layout of the demo is there.
    ///
    /// # Errors
    /// Those of the database.
    pub fn has_demo(&self, layout: &str) -> Result<bool, StoreError> {
        let there = demos::table.inner_join(sessions::table).filter(sessions::removed_at.is_null());
        let of_it = there.filter(demos::layout.eq(layout));
        Ok(diesel::select(diesel::dsl::exists(of_it)).get_result(&mut self.connection()?)?)
    }

    /// Stores the sessions of a layout of the demo, all of them or none. Sessions that have their names stay as they are, and
    /// are called earlier ones.
    ///
    /// # Errors
    /// Those of the database.
    pub fn create_demo(&self, all: &[Session], layout: &str) -> Result<(), StoreError> {
        self.write(|c| {
            for session in all {
                let namesakes = sessions::table.filter(sessions::name.eq(&session.name));
                let earlier = format!("{}{EARLIER}", session.name);
                diesel::update(namesakes).set(sessions::name.eq(earlier)).execute(c)?;
            }
            for session in all {
                let id = create(c, session)?;
                let row = (demos::session_id.eq(id), demos::layout.eq(layout));
                diesel::insert_into(demos::table).values(row).execute(c)?;
            }
            Ok(())
        })
    }
}
