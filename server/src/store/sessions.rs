//! Rows of sessions: read into a document, written back part by part.

use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;
use serde_json::{Map, Value as Json, json};
use zinc_core::session::{Edit, Section, Session, Strip, Touch};
use zinc_core::unit::Sounds;

use super::database::{Store, StoreError};
use super::salvage::Lost;
use super::schema::{audio, journal, sections, sends, sessions, strips, units};

/// A session's own row.
#[derive(Clone, Debug, Queryable)]
pub struct SessionRow {
    /// Identity.
    pub id: i32,
    /// Name on the page.
    pub name: String,
    /// Sample rate in Hz.
    pub rate: i32,
    /// Quarter notes per minute.
    pub tempo_bpm: f64,
    /// Quarter notes per bar.
    pub beats_per_bar: i32,
    /// Next unused identity.
    pub next_id: i32,
    /// Number of changes so far.
    pub version: i32,
    /// Last applied journal entry.
    pub journal_at: i32,
    /// What is kept beside the sound, as JSON.
    pub notebook: String,
    /// Whether points of lanes stay on their beats when the tempo changes.
    pub points_on_beats: bool,
    /// When it was removed, in seconds since 1970; none for one that is there.
    pub removed_at: Option<i64>,
}

/// A document with its version.
pub struct Stored {
    /// The document.
    pub session: Session,
    /// Number of changes so far.
    pub version: i32,
    /// Edits that can be undone.
    pub undo: i32,
    /// Edits that can be redone.
    pub redo: i32,
    /// What of it could not be read. Unless that is nothing, it can only be looked at and heard.
    pub lost: Lost,
}

impl Stored {
    /// What of it could not be read and what to do, if anything.
    #[must_use]
    pub fn trouble(&self) -> Option<String> {
        (!self.lost.is_empty()).then(|| StoreError::ReadOnly(self.lost.words()).to_string())
    }
}

#[derive(Queryable, Insertable)]
#[diesel(table_name = sections)]
struct SectionRow {
    session_id: i32,
    position: i32,
    name: String,
    start_frame: i64,
    end_frame: i64,
    id: i32,
}

#[derive(Queryable, Insertable)]
#[diesel(table_name = strips)]
struct StripRow {
    session_id: i32,
    id: i32,
    position: i32,
    name: String,
    family: String,
    note: String,
    role: String,
    audio_hash: Option<String>,
    feeds: Option<i32>,
    controls: String,
    part: String,
    guessed: bool,
    take_set: i32,
    audio_start: i64,
    over_time: String,
    kept: String,
    audio_stamp: Option<i64>,
}

#[derive(Queryable, Insertable)]
#[diesel(table_name = sends)]
struct SendRow {
    session_id: i32,
    strip_id: i32,
    position: i32,
    to_strip: i32,
    level_db: f64,
    before_fader: bool,
}

#[derive(Queryable, Insertable)]
#[diesel(table_name = units)]
struct UnitRow {
    session_id: i32,
    strip_id: i32,
    id: i32,
    position: i32,
    kind: String,
    body: String,
}

impl Store {
    /// All sessions, newest first.
    ///
    /// # Errors
    /// Those of the database.
    pub fn sessions(&self) -> Result<Vec<SessionRow>, StoreError> {
        let there = sessions::table.filter(sessions::removed_at.is_null());
        Ok(there.order(sessions::id.desc()).load(&mut self.connection()?)?)
    }

    /// Whether a session has this rate in Hz.
    ///
    /// # Errors
    /// Those of the database.
    pub fn has_rate(&self, rate: u32) -> Result<bool, StoreError> {
        let Ok(rate) = i32::try_from(rate) else { return Ok(false) };
        let of_it = sessions::table.filter(sessions::rate.eq(rate));
        Ok(diesel::select(diesel::dsl::exists(of_it)).get_result(&mut self.connection()?)?)
    }

    /// Sessions that were removed and can be put back, the latest first.
    ///
    /// # Errors
    /// Those of the database.
    pub fn removed_sessions(&self) -> Result<Vec<SessionRow>, StoreError> {
        let removed = sessions::table.filter(sessions::removed_at.is_not_null());
        Ok(removed.order((sessions::removed_at.desc(), sessions::id.desc())).load(&mut self.connection()?)?)
    }

    /// Stores a new session and returns its identity.
    ///
    /// # Errors
    /// Those of the database.
    pub fn create_session(&self, session: &Session) -> Result<i32, StoreError> {
        self.write(|c| create(c, session))
    }

    /// Puts a session into the bin: it is there no more, and can be put back. `now` is in seconds since 1970.
    ///
    /// # Errors
    /// Those of the database, or no such session.
    pub fn remove_session(&self, id: i32, now: i64) -> Result<(), StoreError> {
        let found = sessions::table.filter(sessions::id.eq(id)).filter(sessions::removed_at.is_null());
        let marked = self.write(|c| Ok(diesel::update(found).set(sessions::removed_at.eq(Some(now))).execute(c)?))?;
        if marked == 0 { Err(StoreError::NoSession(id)) } else { Ok(()) }
    }

    /// Takes a session out of the bin.
    ///
    /// # Errors
    /// Those of the database, or no such session in it.
    pub fn put_back(&self, id: i32) -> Result<(), StoreError> {
        let found = sessions::table.filter(sessions::id.eq(id)).filter(sessions::removed_at.is_not_null());
        let marked =
            self.write(|c| Ok(diesel::update(found).set(sessions::removed_at.eq(None::<i64>)).execute(c)?))?;
        if marked == 0 { Err(StoreError::NoSession(id)) } else { Ok(()) }
    }

    /// Removes a session that lies in the bin, with its journal, for good; its recordings stay on the shelf.
    ///
    /// # Errors
    /// Those of the database, or no such session in it.
    pub fn remove_for_good(&self, id: i32) -> Result<(), StoreError> {
        let found = sessions::table.filter(sessions::id.eq(id)).filter(sessions::removed_at.is_not_null());
        let removed = self.write(|c| Ok(diesel::delete(found).execute(c)?))?;
        if removed == 0 { Err(StoreError::NoSession(id)) } else { Ok(()) }
    }

    /// Removes what has lain in the bin since before a time (seconds since 1970) for good; how many sessions those were.
    ///
    /// # Errors
    /// Those of the database.
    pub fn empty_bin(&self, before: i64) -> Result<usize, StoreError> {
        let old = sessions::table.filter(sessions::removed_at.lt(before));
        self.write(|c| Ok(diesel::delete(old).execute(c)?))
    }

    /// Reads a session; what of it cannot be read is named.
    ///
    /// # Errors
    /// Those of the database, or no such session.
    pub fn load(&self, id: i32) -> Result<Stored, StoreError> {
        let connection = &mut self.connection()?;
        // One transaction, so that no edit of another page falls between the reads.
        connection.transaction(|c| load(c, id))
    }
}

/// Writes a new session within a transaction.
pub(super) fn create(c: &mut SqliteConnection, session: &Session) -> Result<i32, StoreError> {
    let id: i32 = diesel::insert_into(sessions::table)
        .values((
            sessions::name.eq(&session.name),
            sessions::rate.eq(session.rate as i32),
            sessions::tempo_bpm.eq(session.tempo_bpm),
            sessions::beats_per_bar.eq(session.beats_per_bar as i32),
            sessions::next_id.eq(session.next_id as i32),
            sessions::notebook.eq(notebook_text(session)?),
            sessions::points_on_beats.eq(session.points_on_beats),
        ))
        .returning(sessions::id)
        .get_result(c)?;
    write_sections(c, id, session)?;
    write_strips(c, id, session)?;
    Ok(id)
}

/// Reads a session that is to be changed.
///
/// # Errors
/// Beside those of [`load`] that something of it cannot be read.
pub(super) fn load_whole(c: &mut SqliteConnection, id: i32) -> Result<Stored, StoreError> {
    let stored = load(c, id)?;
    if stored.lost.is_empty() { Ok(stored) } else { Err(StoreError::ReadOnly(stored.lost.words())) }
}

/// Reads a session within a transaction.
pub(super) fn load(c: &mut SqliteConnection, id: i32) -> Result<Stored, StoreError> {
    let there = sessions::table.filter(sessions::id.eq(id)).filter(sessions::removed_at.is_null());
    let row: SessionRow = there.first(c).optional()?.ok_or(StoreError::NoSession(id))?;
    let section_rows: Vec<SectionRow> =
        sections::table.filter(sections::session_id.eq(id)).order(sections::position).load(c)?;
    let strip_rows: Vec<StripRow> = strips::table.filter(strips::session_id.eq(id)).order(strips::position).load(c)?;
    let unit_rows: Vec<UnitRow> =
        units::table.filter(units::session_id.eq(id)).order((units::strip_id, units::position)).load(c)?;
    let send_rows: Vec<SendRow> =
        sends::table.filter(sends::session_id.eq(id)).order((sends::strip_id, sends::position)).load(c)?;
    let payloads: Vec<(String, i32, i64)> = audio::table
        .filter(audio::hash.eq_any(strip_rows.iter().filter_map(|s| s.audio_hash.clone())))
        .select((audio::hash, audio::channels, audio::frames))
        .load(c)?;
    let mut lost = Lost::default();
    let strips =
        strip_rows.iter().filter_map(|row| read_strip(row, &unit_rows, &send_rows, &payloads, &mut lost)).collect();
    let notebook = lost.read(&row.notebook, || "the notebook".into()).unwrap_or_default();
    let section =
        |s: SectionRow| Section { id: s.id as u32, name: s.name, start: s.start_frame as u64, end: s.end_frame as u64 };
    let mut session = Session {
        name: row.name,
        rate: row.rate as u32,
        tempo_bpm: row.tempo_bpm,
        beats_per_bar: row.beats_per_bar as u32,
        points_on_beats: row.points_on_beats,
        sections: section_rows.into_iter().map(section).collect(),
        strips,
        notebook,
        next_id: row.next_id as u32,
        sounds: Sounds::default(),
    };
    lost.mend(&mut session);
    session.supply();
    let redo = entries_after(c, id, row.journal_at)?;
    Ok(Stored { session, version: row.version, undo: row.journal_at, redo, lost })
}

/// Number of entries after `seq`.
pub(super) fn entries_after(c: &mut SqliteConnection, id: i32, seq: i32) -> Result<i32, StoreError> {
    let count: i64 =
        journal::table.filter(journal::session_id.eq(id).and(journal::seq.gt(seq))).count().get_result(c)?;
    Ok(count as i32)
}

fn read_strip(
    row: &StripRow,
    units: &[UnitRow],
    sends: &[SendRow],
    payloads: &[(String, i32, i64)],
    lost: &mut Lost,
) -> Option<Strip> {
    let of = |what: &str| format!("{what} of \"{}\"", row.name);
    let own = units.iter().filter(|u| u.strip_id == row.id);
    let units: Vec<Map<String, Json>> = own.filter_map(|u| lost.read(&u.body, || of("a unit"))).collect();
    let over_time: Option<Vec<Json>> = lost.read(&row.over_time, || of("the automation"));
    let kept: Option<Map<String, Json>> = lost.read(&row.kept, || of("what another version kept"));
    let controls: Option<Map<String, Json>> = lost.read(&row.controls, || of("the settings"));
    let payload = payloads.iter().find(|p| Some(&p.0) == row.audio_hash.as_ref());
    let audio = payload.map(|(hash, channels, frames)| {
        json!({"hash": hash, "channels": channels, "frames": frames, "start": row.audio_start, "stamp": row.audio_stamp})
    });
    let send = |s: &SendRow| json!({"to": s.to_strip, "level_db": s.level_db, "before_fader": s.before_fader});
    let sends: Vec<Json> = sends.iter().filter(|s| s.strip_id == row.id).map(send).collect();
    let whole = json!({
        "id": row.id, "name": row.name, "family": row.family, "note": row.note, "role": row.role,
        "part": row.part, "guessed": row.guessed, "take_set": row.take_set,
        "over_time": over_time, "kept": kept,
        "audio": audio, "feeds": row.feeds, "sends": sends, "controls": controls,
        "rack": { "zinc_rack": zinc_core::rack::spec::RACK_VERSION, "units": units },
    });
    lost.strip(whole)
}

/// Writes the parts of a document that an edit touched.
pub(super) fn write_edited(
    c: &mut SqliteConnection,
    id: i32,
    session: &Session,
    edit: &Edit,
) -> Result<(), StoreError> {
    least(&edit.parts()).into_iter().try_for_each(|part| write_touched(c, id, session, part))
}

/// The least that is to be written: what another part holds is written with that, and a rack once, however many of its units
/// are other than before.
fn least(parts: &[Touch]) -> Vec<Touch> {
    let strips = parts.contains(&Touch::Strips);
    let everything = parts.contains(&Touch::Everything);
    let mut out = Vec::new();
    for part in parts {
        let part = match *part {
            Touch::Everything => Touch::Everything,
            _ if everything => continue,
            Touch::Strip(_) | Touch::Rack(_) | Touch::Unit(..) | Touch::Paths(_) if strips => continue,
            Touch::Unit(strip, _) => Touch::Rack(strip),
            Touch::Strip(strip) if parts.contains(&Touch::Paths(strip)) => continue,
            part => part,
        };
        if !out.contains(&part) {
            out.push(part);
        }
    }
    out
}

fn write_touched(c: &mut SqliteConnection, id: i32, session: &Session, touch: Touch) -> Result<(), StoreError> {
    match touch {
        Touch::Strip(strip) => update_strip(c, id, session, strip)?,
        Touch::Paths(strip) => {
            update_strip(c, id, session, strip)?;
            let of_strip = sends::session_id.eq(id).and(sends::strip_id.eq(strip as i32));
            diesel::delete(sends::table.filter(of_strip)).execute(c)?;
            if let Some(strip) = session.strip(strip) {
                write_sends(c, id, strip)?;
            }
        }
        Touch::Rack(strip) | Touch::Unit(strip, _) => {
            let of_strip = units::session_id.eq(id).and(units::strip_id.eq(strip as i32));
            diesel::delete(units::table.filter(of_strip)).execute(c)?;
            if let Some(strip) = session.strip(strip) {
                write_units(c, id, strip)?;
            }
        }
        Touch::Strips => {
            diesel::delete(strips::table.filter(strips::session_id.eq(id))).execute(c)?;
            write_strips(c, id, session)?;
        }
        Touch::Frame => write_frame(c, id, session)?,
        Touch::Notebook => write_notebook(c, id, session)?,
        Touch::Everything => {
            write_frame(c, id, session)?;
            write_notebook(c, id, session)?;
            diesel::delete(strips::table.filter(strips::session_id.eq(id))).execute(c)?;
            write_strips(c, id, session)?;
        }
    }
    Ok(())
}

fn update_strip(c: &mut SqliteConnection, id: i32, session: &Session, strip: u32) -> Result<(), StoreError> {
    let found = session.strips.iter().enumerate().find(|(_, s)| s.id == strip);
    if let Some((position, strip)) = found {
        let row = strip_row(id, position, strip);
        diesel::update(strips::table.find((id, row.id)))
            .set((
                strips::name.eq(row.name),
                strips::note.eq(row.note),
                strips::family.eq(row.family),
                strips::feeds.eq(row.feeds),
                strips::controls.eq(row.controls),
                strips::part.eq(row.part),
                strips::guessed.eq(row.guessed),
                strips::take_set.eq(row.take_set),
                strips::audio_start.eq(row.audio_start),
                strips::audio_stamp.eq(row.audio_stamp),
                strips::over_time.eq(row.over_time),
                strips::kept.eq(row.kept),
            ))
            .execute(c)?;
    }
    Ok(())
}

fn write_frame(c: &mut SqliteConnection, id: i32, session: &Session) -> Result<(), StoreError> {
    diesel::update(sessions::table.find(id))
        .set((
            sessions::tempo_bpm.eq(session.tempo_bpm),
            sessions::beats_per_bar.eq(session.beats_per_bar as i32),
            sessions::points_on_beats.eq(session.points_on_beats),
        ))
        .execute(c)?;
    diesel::delete(sections::table.filter(sections::session_id.eq(id))).execute(c)?;
    write_sections(c, id, session)
}

fn write_notebook(c: &mut SqliteConnection, id: i32, session: &Session) -> Result<(), StoreError> {
    diesel::update(sessions::table.find(id)).set(sessions::notebook.eq(notebook_text(session)?)).execute(c)?;
    Ok(())
}

fn notebook_text(session: &Session) -> Result<String, StoreError> {
    serde_json::to_string(&session.notebook).map_err(|e| StoreError::Damaged(e.to_string()))
}

fn write_sections(c: &mut SqliteConnection, id: i32, session: &Session) -> Result<(), StoreError> {
    let row = |(i, s): (usize, &Section)| SectionRow {
        session_id: id,
        position: i as i32,
        name: s.name.clone(),
        start_frame: s.start as i64,
        end_frame: s.end as i64,
        id: s.id as i32,
    };
    let rows: Vec<SectionRow> = session.sections.iter().enumerate().map(row).collect();
    diesel::insert_into(sections::table).values(&rows).execute(c)?;
    Ok(())
}

fn write_strips(c: &mut SqliteConnection, id: i32, session: &Session) -> Result<(), StoreError> {
    let rows: Vec<StripRow> = session.strips.iter().enumerate().map(|(i, s)| strip_row(id, i, s)).collect();
    diesel::insert_into(strips::table).values(&rows).execute(c)?;
    session.strips.iter().try_for_each(|strip| {
        write_sends(c, id, strip)?;
        write_units(c, id, strip)
    })
}

fn strip_row(id: i32, position: usize, strip: &Strip) -> StripRow {
    let json = strip.to_json();
    StripRow {
        session_id: id,
        id: strip.id as i32,
        position: position as i32,
        name: strip.name.clone(),
        family: strip.family.mark().to_string(),
        note: strip.note.clone(),
        role: json["role"].as_str().unwrap_or_default().to_string(),
        audio_hash: strip.audio().map(|a| a.hash.clone()),
        feeds: strip.feeds.map(|f| f as i32),
        controls: json["controls"].to_string(),
        part: strip.part.id().to_string(),
        guessed: strip.guessed,
        take_set: strip.take_set as i32,
        audio_start: strip.audio().map_or(0, |a| a.start as i64),
        over_time: json.get("over_time").map_or_else(|| "[]".to_string(), Json::to_string),
        kept: json!(strip.kept).to_string(),
        audio_stamp: strip.audio().and_then(|a| a.stamp).map(|at| at as i64),
    }
}

fn write_sends(c: &mut SqliteConnection, id: i32, strip: &Strip) -> Result<(), StoreError> {
    let row = |(i, s): (usize, &zinc_core::session::AuxSend)| SendRow {
        session_id: id,
        strip_id: strip.id as i32,
        position: i as i32,
        to_strip: s.to as i32,
        level_db: s.level_db,
        before_fader: s.before_fader,
    };
    let rows: Vec<SendRow> = strip.sends.iter().enumerate().map(row).collect();
    diesel::insert_into(sends::table).values(&rows).execute(c)?;
    Ok(())
}

fn write_units(c: &mut SqliteConnection, id: i32, strip: &Strip) -> Result<(), StoreError> {
    let row = |(i, u): (usize, &zinc_core::rack::UnitSpec)| UnitRow {
        session_id: id,
        strip_id: strip.id as i32,
        id: u.id as i32,
        position: i as i32,
        kind: u.kind.id.to_string(),
        body: u.to_json().to_string(),
    };
    let rows: Vec<UnitRow> = strip.rack.units.iter().enumerate().map(row).collect();
    diesel::insert_into(units::table).values(&rows).execute(c)?;
    Ok(())
}
