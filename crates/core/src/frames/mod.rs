//! Sets of frames: `1-96`, `1-96/4`, `1-10,20,30-40`, `1-96 not 5-7`, `-10--1`.
//!
//! A set stays a short list of ranges, however many frames it has.
//!
//! ```
//! use truepath_core::frames::FrameSet;
//!
//! let wanted: FrameSet = "1-1000000/2 not 5".parse()?;
//! assert_eq!(wanted.count(), 499_999);
//! assert!(wanted.contains(7) && !wanted.contains(5));
//! let done = FrameSet::range(1, 9);
//! assert_eq!(wanted.count_shared(&done), 4);
//! # Ok::<(), truepath_core::frames::FramesError>(())
//! ```

mod parse;
mod set;
mod step_range;

pub use parse::FramesError;
pub use set::{FrameSet, TooIntricate};
pub use step_range::StepRange;

/// A frame number.
pub type Frame = i64;

/// No frame number is further from zero than this.
pub(crate) const FARTHEST: Frame = 999_999_999_999;
