//! What there is to tell of a job: before, while and after it is run.
//!
//! - `answers` is what rules ask of the outside world.
//! - `status` (with `at_work` and `progress`) and `audit` count files by their states, `why` explains one file.
//! - `pictures` are those that sheets and reports show, with what `looked_back` reads of ledgers and logs; `times` sums up
//!   what processes took.
//!
//! It reads `record` and asks `look`; it starts and changes nothing.

pub mod answers;
pub(crate) mod at_work;
pub mod audit;
pub mod looked_back;
pub mod pictures;
pub mod progress;
pub mod status;
pub mod times;
pub mod why;
