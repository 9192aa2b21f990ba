//! What all requests share.

use std::path::Path;
use std::sync::Arc;

use crate::commands::Failure;
use crate::jobs::Jobs;
use crate::prints::Prints;
use crate::shelf::Shelf;
use crate::store::Store;

/// The running program's parts. Cheap to clone.
#[derive(Clone)]
pub struct App {
    /// The database.
    pub store: Store,
    /// The audio files.
    pub shelf: Shelf,
    /// The print cache.
    pub prints: Arc<Prints>,
    /// Long work.
    pub jobs: Arc<Jobs>,
}

impl App {
    /// Opens a data folder, making it if there is none.
    pub fn open(data: &Path) -> Result<Self, Failure> {
        let shown = data.display();
        let refuse = |what: String| {
            Failure::work(format!(
                "The data folder {shown} cannot be used ({what}). Nothing was started or changed; choose another with --data."
            ))
        };
        let shelf = Shelf::open(data).map_err(|e| refuse(e.to_string()))?;
        let store = Store::open(&data.join("zinc.sqlite")).map_err(|e| refuse(e.to_string()))?;
        let prints = Arc::new(Prints::new(shelf.clone()));
        Ok(Self { store, shelf, prints, jobs: Jobs::start() })
    }
}
