//! What the program finds out for a page or a command: each service supplies the core with sound and threads, the rules
//! are the core's.

pub mod advice;
pub mod figures;
pub mod listening;
pub mod making;
pub mod matching;
pub mod passages;
pub mod path_reduction;
pub mod trials;
pub mod watching;
pub mod work;
pub mod worked_out;

pub use work::Work;
