//! What a service works with: the print cache, a session as it is, and the job it works for.

use serde::Serialize;
use serde::de::DeserializeOwned;
use sha2::{Digest, Sha256};
use zinc_core::render::{Plan, Source};
use zinc_core::session::{Session, Strip};

use crate::jobs::{Job, JobError};
use crate::prints::cache::{Cache, VERSION};
use crate::prints::{Prints, render};
use crate::shelf::{PayloadReader, hex, settle};
use zinc_core::signal::StereoBlock;

/// Sound of a session, for as long as a job is wanted.
#[derive(Clone, Copy)]
pub struct Work<'a> {
    pub prints: &'a Prints,
    pub session: &'a Session,
    pub job: &'a Job,
}

impl<'a> Work<'a> {
    /// The same on another session: this one changed for a trial.
    #[must_use]
    pub fn on(self, session: &'a Session) -> Self {
        Self { session, ..self }
    }

    /// A strip of the session.
    ///
    /// # Errors
    /// Where there is none.
    pub fn strip(&self, id: u32) -> Result<&'a Strip, JobError> {
        self.session.strip(id).ok_or_else(|| JobError::Failed(format!("There is no strip {id} in this session.")))
    }

    /// Sources, printed where they have not been, and opened.
    ///
    /// # Errors
    /// As [`Prints::ensure`].
    pub fn read(&self, sources: &[Source]) -> Result<Vec<PayloadReader>, JobError> {
        self.prints.read(self.session, sources, self.job)
    }

    /// What a plan reads, in the order of its lanes.
    ///
    /// # Errors
    /// As [`Prints::ensure`].
    pub fn read_for(&self, plan: &Plan) -> Result<Vec<PayloadReader>, JobError> {
        let sources: Vec<Source> = plan.lanes().map(|(_, source)| source.clone()).collect();
        self.read(&sources)
    }

    /// Runs a plan from the start of the song for as long as `sink` wants more.
    ///
    /// # Errors
    /// As [`Prints::ensure`].
    pub fn run(
        &self,
        plan: &Plan,
        sink: impl FnMut(&StereoBlock, usize) -> Result<bool, std::io::Error>,
    ) -> Result<(), JobError> {
        render::run(plan, self.session, &mut self.read_for(plan)?, self.job, sink)
    }

    /// Key of a source: all that determines its sound.
    #[must_use]
    pub fn key(&self, source: &Source) -> String {
        Cache::key(self.session, source)
    }

    /// Figures known already under what determines them, or made now and kept.
    ///
    /// # Errors
    /// Those of making them, and of the shelf.
    pub fn remembered<T: Serialize + DeserializeOwned>(
        &self,
        what: &str,
        make: impl FnOnce() -> Result<T, JobError>,
    ) -> Result<T, JobError> {
        let mut hasher = Sha256::new();
        hasher.update(VERSION);
        hasher.update(what);
        let shelf = &self.prints.cache.shelf;
        let file = shelf.figures_file(&hex(&hasher.finalize()));
        if let Some(known) = std::fs::read(&file).ok().and_then(|b| serde_json::from_slice(&b).ok()) {
            return Ok(known);
        }
        let made = make()?;
        let temporary = shelf.temporary_file();
        std::fs::write(&*temporary, serde_json::to_vec(&made)?)?;
        settle(&temporary, &file)?;
        Ok(made)
    }
}
