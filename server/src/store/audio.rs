//! Rows of audio payloads.

use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;

use zinc_core::measure::intake::Intake;
use zinc_core::session::{Edit, Part};

use super::database::{Store, StoreError};
use super::schema::{audio, intakes, remembered_parts, sounds};

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
    /// Where the file says that it began, in frames since midnight.
    pub time_reference: Option<i64>,
}

/// Whether every track that an edit adds plays a recording of the shelf, as it lies there and at a session's rate in Hz.
///
/// # Errors
/// The first that does not, in words.
pub(super) fn known_audio(c: &mut SqliteConnection, edit: &Edit, rate: u32) -> Result<(), StoreError> {
    for part in edit.clone().into_parts() {
        let Edit::AddStrip { strip, .. } = part else { continue };
        let Some(asked) = strip.audio() else { continue };
        let known: Option<AudioRow> = audio::table.find(&asked.hash).first(c).optional()?;
        let fits = known.is_some_and(|row| {
            (row.channels, row.frames) == (i32::from(asked.channels), asked.frames as i64) && row.rate == rate as i32
        });
        if !fits {
            let why = format!("\"{}\" names no recording at the session's sample rate; import its file", strip.name);
            return Err(StoreError::Refused(why));
        }
    }
    Ok(())
}

impl Store {
    /// Remembers a payload; one already known stays as it is.
    ///
    /// # Errors
    /// Those of the database.
    pub fn put_audio(&self, row: &AudioRow) -> Result<(), StoreError> {
        self.write(|c| Ok(diesel::insert_or_ignore_into(audio::table).values(row).execute(c)?))?;
        Ok(())
    }

    /// Remembers a payload that was brought in as a sound of units.
    ///
    /// # Errors
    /// Those of the database; nothing was remembered then.
    pub fn put_sound(&self, row: &AudioRow) -> Result<(), StoreError> {
        self.write(|c| {
            diesel::insert_or_ignore_into(audio::table).values(row).execute(c)?;
            diesel::insert_or_ignore_into(sounds::table).values(sounds::hash.eq(&row.hash)).execute(c)?;
            Ok(())
        })
    }

    /// Payloads that were brought in as sounds of units, by name.
    ///
    /// # Errors
    /// Those of the database.
    pub fn sounds(&self) -> Result<Vec<AudioRow>, StoreError> {
        let connection = &mut self.connection()?;
        let brought_in: Vec<String> = sounds::table.select(sounds::hash).load(connection)?;
        let rows = audio::table.filter(audio::hash.eq_any(brought_in)).order((audio::name, audio::hash));
        Ok(rows.load(connection)?)
    }

    /// What is known of a payload.
    ///
    /// # Errors
    /// Those of the database.
    pub fn audio(&self, hash: &str) -> Result<Option<AudioRow>, StoreError> {
        Ok(audio::table.find(hash).first(&mut self.connection()?).optional()?)
    }

    /// Payloads that know when they began, with that time in frames since midnight.
    ///
    /// # Errors
    /// Those of the database.
    pub fn time_references(&self) -> Result<Vec<(String, i64)>, StoreError> {
        let rows: Vec<(String, Option<i64>)> =
            audio::table.select((audio::hash, audio::time_reference)).load(&mut self.connection()?)?;
        Ok(rows.into_iter().filter_map(|(hash, at)| Some((hash, at?))).collect())
    }

    /// Remembers what the import check found in a recording.
    ///
    /// # Errors
    /// Those of the database.
    pub fn put_intake(&self, hash: &str, intake: &Intake) -> Result<(), StoreError> {
        let body = serde_json::to_string(intake).map_err(|e| StoreError::Damaged(e.to_string()))?;
        let row = (intakes::hash.eq(hash), intakes::body.eq(body));
        self.write(|c| Ok(diesel::insert_or_ignore_into(intakes::table).values(row).execute(c)?))?;
        Ok(())
    }

    /// What the import check found in a recording; none for one that never went
    /// through it.
    ///
    /// # Errors
    /// Those of the database.
    pub fn intake(&self, hash: &str) -> Result<Option<Intake>, StoreError> {
        let body: Option<String> =
            intakes::table.find(hash).select(intakes::body).first(&mut self.connection()?).optional()?;
        Ok(body.and_then(|b| serde_json::from_str(&b).ok()))
    }

    /// Remembers what an engineer said a track of this name is.
    ///
    /// # Errors
    /// Those of the database.
    pub fn remember_part(&self, name: &str, part: Part) -> Result<(), StoreError> {
        let row = (remembered_parts::name.eq(plain(name)), remembered_parts::part.eq(part.id()));
        self.write(|c| Ok(diesel::replace_into(remembered_parts::table).values(row).execute(c)?))?;
        Ok(())
    }

    /// What an engineer said a track of this name is.
    ///
    /// # Errors
    /// Those of the database.
    pub fn remembered_part(&self, name: &str) -> Result<Option<Part>, StoreError> {
        let id: Option<String> = remembered_parts::table
            .find(plain(name))
            .select(remembered_parts::part)
            .first(&mut self.connection()?)
            .optional()?;
        Ok(id.and_then(|id| Part::from_id(&id)))
    }

    /// All payloads.
    ///
    /// # Errors
    /// Those of the database.
    pub fn all_audio(&self) -> Result<Vec<AudioRow>, StoreError> {
        Ok(audio::table.order(audio::hash).load(&mut self.connection()?)?)
    }
}

/// A name without what changes from take to take: case, digits and signs.
fn plain(name: &str) -> String {
    name.to_lowercase().chars().filter(|c| c.is_alphabetic()).collect()
}
