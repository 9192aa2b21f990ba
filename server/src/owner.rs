//! One owner of a data folder: the process that may clean it, and that others are told of.
//!
//! The lock is the operating system's, on a file in the folder: it is gone with the process,
//! however that ends. What stands in the file is for people.

use std::fs::{File, OpenOptions, TryLockError};
use std::io::{Read, Seek, SeekFrom, Write};
use std::path::Path;

/// Name of the file in the data folder.
const FILE: &str = "owner";

/// A data folder held for as long as the value lives.
pub struct Owner {
    file: File,
}

/// Why a folder could not be taken.
#[derive(Debug)]
pub enum Taken {
    /// Another process holds it; who, as it wrote down itself.
    By(String),
    /// The file cannot be made or read.
    Unusable(std::io::Error),
}

impl std::fmt::Display for Taken {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self {
            Self::By(who) if who.is_empty() => f.write_str("another zinc-rack works in it"),
            Self::By(who) => write!(f, "another zinc-rack works in it: {who}"),
            Self::Unusable(e) => f.write_str(&zinc_sound::in_words(e)),
        }
    }
}

impl Owner {
    /// Takes a folder that is there.
    ///
    /// # Errors
    /// Another holds it, or its file cannot be used.
    pub fn take(data: &Path) -> Result<Self, Taken> {
        let file = OpenOptions::new().read(true).write(true).create(true).truncate(false).open(data.join(FILE));
        let mut file = file.map_err(Taken::Unusable)?;
        match file.try_lock() {
            Ok(()) => {}
            Err(TryLockError::WouldBlock) => {
                let mut who = String::new();
                let _ = file.read_to_string(&mut who);
                return Err(Taken::By(who.trim().to_string()));
            }
            Err(TryLockError::Error(e)) => return Err(Taken::Unusable(e)),
        }
        let mut owner = Self { file };
        owner.say("at work from the shell").map_err(Taken::Unusable)?;
        Ok(owner)
    }

    /// Writes down what the owner does, for whoever finds the folder taken.
    ///
    /// # Errors
    /// Those of the file system.
    pub fn say(&mut self, what: &str) -> std::io::Result<()> {
        self.file.set_len(0)?;
        self.file.seek(SeekFrom::Start(0))?;
        write!(self.file, "process {}, {what}", std::process::id())?;
        self.file.flush()
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    #[test]
    fn a_folder_has_one_owner_who_is_named_and_it_is_free_once_that_is_gone() {
        let folder = tempfile::tempdir().unwrap();
        let mut first = Owner::take(folder.path()).unwrap();
        first.say("serving http://127.0.0.1:8000/").unwrap();
        let refused = Owner::take(folder.path()).err().unwrap().to_string();
        assert!(
            refused.contains(&format!("process {}, serving http://127.0.0.1:8000/", std::process::id())),
            "{refused}"
        );
        drop(first);
        assert!(Owner::take(folder.path()).is_ok());
    }
}
