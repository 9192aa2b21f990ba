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
}

/// A change that is known.
pub struct KnownChange {
    /// The edit as applied.
    pub edit: Edit,
    /// Where it was made.
    pub window: String,
    /// What its request was called.
    pub ident: String,
    /// Windows whose change of the same value it came after.
    pub overtook: Vec<String>,
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
        Ok(Self {
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

/// How an edit meets what its requester did not know of: the windows it comes after on the same
/// value.
///
/// # Errors
/// A collision, in words.
pub(super) fn meetings(
    c: &mut SqliteConnection,
    id: i32,
    edit: &Edit,
    requester: &Requester,
    session: &Session,
) -> Result<Vec<String>, StoreError> {
    let mut overtook: Vec<String> = Vec::new();
    if requester.window.is_empty() {
        return Ok(overtook);
    }
    for known in since(c, id, requester.version)?.into_iter().filter(|known| known.window != requester.window) {
        match edit.meets(&known.edit) {
            Meeting::Apart => {}
            Meeting::Overtakes if !overtook.contains(&known.window) => overtook.push(known.window),
            Meeting::Overtakes => {}
            Meeting::Collides => return Err(StoreError::Collides(known.edit.in_words(session))),
        }
    }
    Ok(overtook)
}

/// Writes a change down, and lets go of the oldest.
pub(super) fn record(
    c: &mut SqliteConnection,
    id: i32,
    version: i32,
    requester: &Requester,
    edit: &Edit,
    overtook: &[String],
) -> Result<(), StoreError> {
    let row = Row {
        session_id: id,
        version,
        edit: serde_json::to_string(edit).map_err(|e| StoreError::Damaged(e.to_string()))?,
        window: requester.window.clone(),
        ident: requester.ident.clone(),
        overtook: overtook.join(" "),
    };
    diesel::insert_into(changes::table).values(&row).execute(c)?;
    if version % 100 == 0 {
        let old = changes::session_id.eq(id).and(changes::version.le(version - KEPT));
        diesel::delete(changes::table.filter(old)).execute(c)?;
    }
    Ok(())
}
