//! Text as a source: surveyed once, and cut into blocks that can be gone over again on several processors.

pub mod blocks;
mod pass;
mod region;
pub mod survey;

pub use blocks::{BlockSize, Cut};
pub use pass::over_blocks;
pub use survey::{Surveyed, conclude, survey};
