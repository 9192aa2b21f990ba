//! What the database speaks of: which recordings and sounds anything kept still names.

use std::collections::HashSet;

use diesel::connection::DefaultLoadingMode;
use diesel::prelude::*;
use diesel::sqlite::SqliteConnection;

use super::database::{Store, StoreError};
use super::schema::{audio, changes, intakes, journal, sessions, sounds, strips, units};

/// Characters of a content hash.
const HASH: usize = 64;

impl Store {
    /// The content hashes that anything names: tracks, units, the notebook, and every change that can be undone, done again or
    /// brought back, those of sessions in the bin among them.
    ///
    /// # Errors
    /// Those of the database.
    pub fn named(&self) -> Result<HashSet<String>, StoreError> {
        self.connection()?.transaction(|c| named(c))
    }

    /// Forgets those of some payloads that nothing names, and says which: no edit that names one falls between.
    ///
    /// # Errors
    /// Those of the database; all are known then.
    pub fn forget_unnamed(&self, hashes: impl Iterator<Item = String>) -> Result<HashSet<String>, StoreError> {
        self.write(|c| {
            let named = named(c)?;
            let gone: HashSet<String> = hashes.filter(|hash| !named.contains(hash)).collect();
            diesel::delete(intakes::table.filter(intakes::hash.eq_any(&gone))).execute(c)?;
            diesel::delete(sounds::table.filter(sounds::hash.eq_any(&gone))).execute(c)?;
            diesel::delete(audio::table.filter(audio::hash.eq_any(&gone))).execute(c)?;
            Ok(gone)
        })
    }
}

fn named(c: &mut SqliteConnection) -> Result<HashSet<String>, StoreError> {
    let recorded: Vec<Option<String>> = strips::table.select(strips::audio_hash).load(c)?;
    let mut named: HashSet<String> = recorded.into_iter().flatten().collect();
    scan(c, units::table.select(units::body), &mut named)?;
    scan(c, sessions::table.select(sessions::notebook), &mut named)?;
    scan(c, journal::table.select(journal::edit), &mut named)?;
    scan(c, journal::table.select(journal::inverse), &mut named)?;
    scan(c, changes::table.select(changes::edit), &mut named)?;
    scan(c, changes::table.select(changes::back), &mut named)?;
    Ok(named)
}

/// Adds the hashes that stand in a column of texts.
fn scan<'q, Q>(c: &mut SqliteConnection, texts: Q, named: &mut HashSet<String>) -> Result<(), StoreError>
where
    Q: diesel::query_dsl::methods::LoadQuery<'q, SqliteConnection, String>,
{
    // One at a time: all texts of a journal together may be long.
    for text in texts.load_iter::<String, DefaultLoadingMode>(c)? {
        named.extend(hashes_in(&text?).map(str::to_string));
    }
    Ok(())
}

/// The words of a text that have the form of a hash.
fn hashes_in(text: &str) -> impl Iterator<Item = &str> {
    let is_digit = |c: char| c.is_ascii_digit() || ('a'..='f').contains(&c);
    text.split(move |c: char| !is_digit(c)).filter(|word| word.len() == HASH)
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use crate::store::{AudioRow, Requester};
    use zinc_core::session::{AudioRef, Edit, Family, Role, Session, Strip};

    fn hash(n: u8) -> String {
        format!("{n:02x}").repeat(32)
    }

    #[test]
    fn hashes_are_found_in_texts_and_nothing_that_only_looks_like_them() {
        let text = format!("{{\"hash\":\"{}\",\"long\":\"{}\",\"short\":\"abc\"}}", hash(7), "a".repeat(65));
        assert_eq!(hashes_in(&text).collect::<Vec<_>>(), [hash(7)]);
    }

    #[test]
    fn a_recording_is_named_while_its_track_can_come_back_and_no_more_once_the_session_is_gone_for_good() {
        let folder = tempfile::tempdir().unwrap();
        let store = Store::open(&folder.path().join("zinc.sqlite")).unwrap();
        let id = store.create_session(&Session::new("s", 48_000)).unwrap();
        for n in [1, 2] {
            let name = format!("take {n}");
            let (rate, frames) = (48_000, 10);
            store
                .put_audio(&AudioRow { hash: hash(n), name, channels: 1, rate, frames, time_reference: None })
                .unwrap();
        }
        let audio = AudioRef { hash: hash(1), channels: 1, frames: 10, start: 0, stamp: None };
        let strip = Box::new(Strip::new(0, "take 1", Family::Bs, Role::Track(audio), Some(1)));
        let nobody = Requester::default();
        let change = store.apply(id, &Edit::AddStrip { at: 0, strip }, "", &nobody).unwrap();
        let strip = change.session.strips[0].id;
        store.apply(id, &Edit::RemoveStrip { strip }, "", &nobody).unwrap();
        assert_eq!(store.named().unwrap(), HashSet::from([hash(1)]), "undo brings it back");
        store.remove_session(id, 1000).unwrap();
        assert_eq!(store.named().unwrap(), HashSet::from([hash(1)]), "it lies in the bin");
        assert!(store.forget_unnamed([hash(1)].into_iter()).unwrap().is_empty(), "whoever asks");
        store.remove_for_good(id).unwrap();
        assert!(store.named().unwrap().is_empty());
        assert_eq!(store.forget_unnamed([hash(1)].into_iter()).unwrap(), HashSet::from([hash(1)]));
        assert_eq!(store.all_audio().unwrap().into_iter().map(|row| row.hash).collect::<Vec<_>>(), [hash(2)]);
    }
}
