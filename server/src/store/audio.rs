//! Rows of audio payloads.

use diesel::prelude::*;

use super::schema::audio;
use super::{Store, StoreError};

/// What is known of a payload on the shelf.
#[derive(Clone, Debug, Queryable, Insertable)]
#[diesel(table_name = audio)]
pub struct AudioRow {
    /// Content hash, the payload's name on the shelf.
    pub hash: String,
    /// Name of the file it came from.
    pub name: String,
    /// 1 or 2.
    pub channels: i32,
    /// Sample rate in Hz.
    pub rate: i32,
    /// Length in frames.
    pub frames: i64,
}

impl Store {
    /// Remembers a payload; one already known stays as it is.
    ///
    /// # Errors
    /// Those of the database.
    pub fn put_audio(&self, row: &AudioRow) -> Result<(), StoreError> {
        diesel::insert_or_ignore_into(audio::table).values(row).execute(&mut self.connection()?)?;
        Ok(())
    }

    /// All payloads.
    ///
    /// # Errors
    /// Those of the database.
    pub fn all_audio(&self) -> Result<Vec<AudioRow>, StoreError> {
        Ok(audio::table.order(audio::hash).load(&mut self.connection()?)?)
    }
}
