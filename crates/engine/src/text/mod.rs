//! Text as a source: surveyed once, and cut into blocks that can be gone over again on several processors.

mod around;
pub mod blocks;
mod groups;
mod pass;
mod region;
mod shape;
pub mod survey;

pub use around::{After, CarriedDown};
pub use blocks::{BlockSize, Cut};
pub use pass::{BlockText, each_block, over_blocks};
pub use region::lines_of;
pub use survey::{RolledUp, Surveyed, conclude, survey};
