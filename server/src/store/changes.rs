//! The latest changes in order: what a window has missed, how an edit meets what it did not
//! know of, and what was answered already.

use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;
use zinc_core::session::{Edit, Meeting, Session};

use super::database::{Store, StoreError};
use super::requester::Requester;
use super::schema::changes;
use super::sessions::load;

/// Changes that are kept; whoever has missed more reads the whole document.
const KEPT: i32 = 2000;

#[derive(Queryable, Insertable)]
#[diesel(table_name = changes)]
struct Row {
    session_id: i32,
    version: i32,
    edit: String,
    window: String,
    ident: String,
    overtook: String,
    back: String,
}

/// A change that is known.
pub struct KnownChange {
    /// The session's version after it.
    pub version: i32,
    /// The edit as applied.
    pub edit: Edit,
    /// Where it was made.
    pub window: String,
    /// What its request was called.
    pub ident: String,
    /// Windows whose change of the same value, or of what it removed, it came after.
    pub overtook: Vec<String>,
    /// What brings back what it removed, where another window had just set something of that.
    pub back: Option<Edit>,
}

/// How a change met those of other windows.
#[derive(Default)]
pub(super) struct Met {
    /// The windows whose change it came after.
    pub overtook: Vec<String>,
    /// Whether it removes what one of them had set something of.
    pub removes: bool,
}

/// What has become of a session since a version of it.
pub struct Since {
    /// The document as it is.
    pub session: Session,
    /// Its version.
    pub version: i32,
    /// Edits that can be undone now.
    pub undo: i32,
    /// Edits that can be redone now.
    pub redo: i32,
    /// All changes in order, of whichever window; none where there were more than are kept.
    pub changes: Option<Vec<KnownChange>>,
}

impl Store {
    /// All that was done since a version.
    ///
    /// # Errors
    /// No such session, or the database.
    pub fn since(&self, id: i32, version: i32) -> Result<Since, StoreError> {
        let connection = &mut self.connection()?;
        connection.transaction(|c| {
            let stored = load(c, id)?;
            let since = since(c, id, version)?;
            let whole = stored.version - version == since.len() as i32;
            Ok(Since {
                changes: whole.then_some(since),
                session: stored.session,
                version: stored.version,
                undo: stored.undo,
                redo: stored.redo,
            })
        })
    }
}

/// Changes after a version, in order.
fn since(c: &mut SqliteConnection, id: i32, version: i32) -> Result<Vec<KnownChange>, StoreError> {
    let later = changes::session_id.eq(id).and(changes::version.gt(version));
    let rows: Vec<Row> = changes::table.filter(later).order(changes::version).load(c)?;
    rows.into_iter().map(KnownChange::read).collect()
}

impl KnownChange {
    fn read(row: Row) -> Result<Self, StoreError> {
        let back = (!row.back.is_empty()).then(|| serde_json::from_str(&row.back)).transpose();
        Ok(Self {
            version: row.version,
            back: back.map_err(|e| StoreError::Damaged(e.to_string()))?,
            edit: serde_json::from_str(&row.edit).map_err(|e| StoreError::Damaged(e.to_string()))?,
            window: row.window,
            ident: row.ident,
            overtook: row.overtook.split_whitespace().map(str::to_string).collect(),
        })
    }
}

/// The change a request by this name made, if it has come before.
pub(super) fn answered(c: &mut SqliteConnection, id: i32, ident: &str) -> Result<Option<KnownChange>, StoreError> {
    if ident.is_empty() {
        return Ok(None);
    }
    let named = changes::session_id.eq(id).and(changes::ident.eq(ident));
    let row: Option<Row> = changes::table.filter(named).first(c).optional()?;
    row.map(KnownChange::read).transpose()
}

/// The edit that brings back what a change has removed.
pub(super) fn back(c: &mut SqliteConnection, id: i32, version: i32) -> Result<Edit, StoreError> {
    let row: Option<Row> = changes::table.find((id, version)).first(c).optional()?;
    let known = row.map(KnownChange::read).transpose()?;
    known.and_then(|known| known.back).ok_or(StoreError::NothingThere("bring back"))
}

/// How an edit meets what its requester did not know of.
///
/// # Errors
/// A collision, in words.
pub(super) fn meetings(
    c: &mut SqliteConnection,
    id: i32,
    edit: &Edit,
    requester: &Requester,
    session: &Session,
) -> Result<Met, StoreError> {
    let mut met = Met::default();
    if requester.window.is_empty() {
        return Ok(met);
    }
    for known in since(c, id, requester.version)?.into_iter().filter(|known| known.window != requester.window) {
        let meeting = edit.meets(&known.edit);
        match meeting {
            Meeting::Apart => continue,
            Meeting::Overtakes | Meeting::Removes => {}
            Meeting::Collides => return Err(StoreError::Collides(known.edit.in_words(session))),
        }
        met.removes |= meeting == Meeting::Removes;
        if !met.overtook.contains(&known.window) {
            met.overtook.push(known.window);
        }
    }
    Ok(met)
}

/// Writes a change down, and lets go of the oldest.
pub(super) fn record(
    c: &mut SqliteConnection,
    id: i32,
    version: i32,
    requester: &Requester,
    edit: &Edit,
    (overtook, back): (&[String], Option<&Edit>),
) -> Result<(), StoreError> {
    let text = |edit: &Edit| serde_json::to_string(edit).map_err(|e| StoreError::Damaged(e.to_string()));
    let row = Row {
        session_id: id,
        version,
        edit: text(edit)?,
        window: requester.window.clone(),
        ident: requester.ident.clone(),
        overtook: overtook.join(" "),
        back: back.map(text).transpose()?.unwrap_or_default(),
    };
    diesel::insert_into(changes::table).values(&row).execute(c)?;
    if version % 100 == 0 {
        let old = changes::session_id.eq(id).and(changes::version.le(version - KEPT));
        diesel::delete(changes::table.filter(old)).execute(c)?;
    }
    Ok(())
}
