//! What all requests share.

use std::path::Path;
use std::sync::{Arc, Mutex, OnceLock};

use tempfile::TempDir;
use zinc_core::session::{Reference, Session};

use crate::failure::Failure;
use crate::jobs::{Job, Jobs, lock};
use crate::owner::Owner;
use crate::prints::Prints;
use crate::responses::Responses;
use crate::services::worked_out::WorkedOut;
use crate::shelf::{Shelf, can_write};
use crate::store::{Store, StoreError};
use crate::windows::Windows;
use zinc_sound::in_words;

/// The running program's parts. Cheap to clone.
#[derive(Clone)]
pub struct App {
    /// The database.
    pub store: Store,
    /// The audio files.
    pub shelf: Shelf,
    /// The print cache.
    pub prints: Prints,
    /// The sounds that units name.
    pub responses: Arc<Responses>,
    /// Long work.
    pub jobs: Arc<Jobs>,
    /// The making of the demo, where it was asked for at the start.
    pub demo: Arc<OnceLock<Arc<Job>>>,
    /// Which windows are open.
    pub windows: Arc<Windows>,
    /// Files worked out for an address.
    pub worked_out: Arc<WorkedOut>,
    /// Held while a file that has been read is given its track.
    pub placing: Arc<Mutex<()>>,
    /// The hold on the data folder; none for commands that only look.
    owner: Option<Arc<Mutex<Owner>>>,
    /// What stands in for a data folder that cannot be written: it goes with the last who works with it.
    _scratch: Option<Arc<TempDir>>,
}

impl App {
    /// Opens a data folder to work in it, making it if there is none. It has one owner at a
    /// time, who clears what interrupted runs have left.
    ///
    /// # Errors
    /// A folder that cannot be used, or that another process works in.
    pub fn open(data: &Path) -> Result<Self, Failure> {
        let refuse = |what: String| refusal(data, &what);
        std::fs::create_dir_all(data).map_err(|e| refuse(in_words(&e)))?;
        if !can_write(data) {
            return Err(refuse(
                "it is read-only; `check`, `sessions`, `graph` and `print` work with it as it is".into(),
            ));
        }
        let owner = Owner::take(data).map_err(|e| refuse(e.to_string()))?;
        let shelf = Shelf::open(data).map_err(|e| refuse(in_words(&e)))?;
        let store = Store::open(&data.join("zinc.sqlite")).map_err(|e| refuse(e.to_string()))?;
        Ok(Self::of(store, shelf, Some(owner)))
    }

    /// Looks into a data folder that may be another's: nothing in it is changed but that what
    /// is printed is kept as anyone's prints are.
    ///
    /// # Errors
    /// A folder that cannot be read, or that was made by an earlier version.
    pub fn look(data: &Path) -> Result<Self, Failure> {
        let refuse = |what: String| refusal(data, &what);
        let file = data.join("zinc.sqlite");
        if can_write(data) && (can_write(&file) || !file.exists()) {
            let store = Store::look(&file).map_err(|e| refuse(e.to_string()))?;
            return Ok(Self::of(store, Shelf::look(data), None));
        }
        let scratch = tempfile::tempdir().map_err(|e| refuse(in_words(&e)))?;
        let store = Store::look_at_copy(&file, scratch.path()).map_err(|e| refuse(e.to_string()))?;
        let shelf = Shelf::look_beside(data, scratch.path()).map_err(|e| refuse(in_words(&e)))?;
        Ok(Self { _scratch: Some(Arc::new(scratch)), ..Self::of(store, shelf, None) })
    }

    fn of(store: Store, shelf: Shelf, owner: Option<Owner>) -> Self {
        let prints = Prints::new(shelf.clone());
        let responses = Arc::new(Responses::new(store.clone(), shelf.clone()));
        let owner = owner.map(|owner| Arc::new(Mutex::new(owner)));
        let (demo, windows, worked_out, placing) = (Arc::default(), Arc::default(), Arc::default(), Arc::default());
        let jobs = Jobs::start();
        Self { store, shelf, prints, responses, jobs, demo, windows, worked_out, placing, owner, _scratch: None }
    }

    /// The document of a session, its units supplied with the sounds they name; with those of the
    /// other side of a comparison where there is one.
    ///
    /// # Errors
    /// Those of the store.
    pub fn session(&self, id: i32, other: Option<&Reference>) -> Result<Session, StoreError> {
        let mut session = self.store.load(id)?.session;
        self.responses.supply(&mut session, other);
        Ok(session)
    }

    /// Tells whoever finds the folder taken what is being done here.
    pub fn say(&self, what: &str) {
        if let Some(owner) = &self.owner {
            // Only a word for people: without it the folder is held all the same.
            let _ = lock(owner).say(what);
        }
    }
}

fn refusal(data: &Path, what: &str) -> Failure {
    Failure::work(format!(
        "The data folder {} cannot be used ({what}). Nothing was started or changed; choose another with --data.",
        data.display()
    ))
}
