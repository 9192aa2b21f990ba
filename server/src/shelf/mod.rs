//! The audio shelf: payloads as files named by their content hash.
//!
//! A payload's hash covers channels, rate and samples. Files are written under a temporary name, synced and renamed, so
//! that a name that exists is a whole file.
//!
//! `temporary, hash, checksum, space <- payload, folder`.

pub mod checksum;
pub mod folder;
pub mod hash;
pub mod payload;
pub mod space;
pub mod temporary;

pub use checksum::Checksum;
pub use folder::{Kept, Place, Shelf, can_write, touch};
pub use hash::{hash_payload, hash_samples, hash_text, hex, is_key};
pub use payload::{PayloadReader, SampleWriter, read_range};
pub use space::{Space, size};
pub use temporary::{Temporary, settle};
