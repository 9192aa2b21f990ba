//! Files that are worked out for whoever asks an address: one at a time, and the same one once.
//!
//! An address costs whoever asks nothing; so many of them must not cost the server much.

use std::sync::Arc;

use rocket::tokio::sync::{Mutex, Semaphore};
use rocket::tokio::task::spawn_blocking;
use serde_json::Value;

use crate::shelf::Temporary;

/// Files that are kept: a few megabytes each.
const KEPT: usize = 16;
/// How many may wait for theirs.
const WAITING: usize = 8;

/// Why there is no file.
#[derive(Debug, PartialEq, Eq)]
pub enum NoFile {
    /// Too many wait.
    Busy,
    /// It could not be made, in words.
    Failed(String),
}

/// The files worked out last, by all that they were made from; the latest at the end.
pub struct WorkedOut {
    places: Semaphore,
    kept: Mutex<Vec<(Value, Arc<Temporary>)>>,
}

impl Default for WorkedOut {
    fn default() -> Self {
        Self { places: Semaphore::new(WAITING), kept: Mutex::default() }
    }
}

impl WorkedOut {
    /// The file that is made `from` something, made if it is not there.
    ///
    /// # Errors
    /// Too many ask, or it cannot be made.
    pub async fn file<F>(&self, from: Value, make: F) -> Result<Arc<Temporary>, NoFile>
    where
        F: FnOnce() -> Result<Temporary, String> + Send + 'static,
    {
        let _place = self.places.try_acquire().map_err(|_| NoFile::Busy)?;
        // Held while it is made: whoever asks for the same waits for it, and others take their turn.
        let mut kept = self.kept.lock().await;
        if let Some((_, file)) = kept.iter().find(|(known, _)| *known == from) {
            return Ok(file.clone());
        }
        let made = spawn_blocking(make).await.map_err(|_| NoFile::Failed("A fault of the program.".into()))?;
        let file = Arc::new(made.map_err(NoFile::Failed)?);
        if kept.len() == KEPT {
            kept.remove(0);
        }
        kept.push((from, file.clone()));
        Ok(file)
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};

    use rocket::tokio::runtime::{Builder, Runtime};
    use rocket::tokio::task::JoinSet;
    use serde_json::json;

    fn clock() -> Runtime {
        Builder::new_current_thread().build().unwrap()
    }

    /// Makes a file of a folder, and counts how often.
    fn making(
        folder: &tempfile::TempDir,
        made: &Arc<AtomicUsize>,
    ) -> impl FnOnce() -> Result<Temporary, String> + Send + 'static {
        let (place, made) = (folder.path().to_path_buf(), made.clone());
        move || {
            let file = Temporary::within(&place);
            std::fs::write(&*file, b"sound").map_err(|e| e.to_string())?;
            made.fetch_add(1, Ordering::Relaxed);
            Ok(file)
        }
    }

    #[test]
    fn the_same_is_made_once_and_others_push_the_oldest_out() {
        let (folder, made) = (tempfile::tempdir().unwrap(), Arc::default());
        let there = || std::fs::read_dir(folder.path()).unwrap().count();
        let worked = WorkedOut::default();
        clock().block_on(async {
            for _ in 0..5 {
                worked.file(json!("one"), making(&folder, &made)).await.unwrap();
            }
            assert_eq!((made.load(Ordering::Relaxed), there()), (1, 1));
            for n in 0..KEPT + 3 {
                worked.file(json!(n), making(&folder, &made)).await.unwrap();
            }
            assert_eq!(there(), KEPT);
            let failed = worked.file(json!("none"), || Err("no".into())).await;
            assert_eq!(failed.err(), Some(NoFile::Failed("no".into())));
        });
        drop(worked);
        assert_eq!(there(), 0);
    }

    #[test]
    fn of_many_at_once_so_many_wait_and_the_others_are_told() {
        let (folder, made) = (tempfile::tempdir().unwrap(), Arc::default());
        let worked = Arc::new(WorkedOut::default());
        let answers = clock().block_on(async {
            let mut asked = JoinSet::new();
            for n in 0..3 * WAITING {
                let (worked, make) = (worked.clone(), making(&folder, &made));
                asked.spawn(async move { worked.file(json!(n), make).await.err() });
            }
            asked.join_all().await
        });
        assert_eq!(answers.iter().filter(|e| e.is_none()).count(), WAITING);
        assert_eq!(answers.iter().filter(|e| **e == Some(NoFile::Busy)).count(), 2 * WAITING);
        assert_eq!(made.load(Ordering::Relaxed), WAITING);
    }
}
