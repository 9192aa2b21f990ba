//! What keeps a data folder in order: the daily copy of its database, the bin, and what nothing uses any more.

pub mod daily;
pub mod space;
