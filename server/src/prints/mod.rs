//! Sound rendered by the core: the cache of what has been printed, what runs plans, files to be fetched.

pub mod cache;
pub mod file;
pub mod growth;
mod hearing;
pub mod making;
pub mod parallel;
pub mod pool;
pub mod process;
mod queue;
pub mod render;
pub mod source;
pub mod supply;

pub use supply::Prints;
