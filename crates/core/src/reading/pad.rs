//! Blanks around the values of a column.

use crate::kind::statistics::{self, Padding};
use crate::kind::{ColumnStats, Kind, Rule};

/// Blanks around the values of a column that are the same everywhere, so that they can be written back.
#[derive(Clone, Copy, Debug, PartialEq, Eq, serde::Serialize, serde::Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Pad {
    /// So many blanks in front and behind.
    Fixed(u32, u32),
    /// Filled with blanks in front up to so many characters.
    Right(u32),
    /// Filled with blanks behind up to so many characters.
    Left(u32),
    /// Filled with blanks in front up to so many characters, the second number of which are blanks behind.
    RightOf(u32, u32),
    /// Filled with blanks behind up to so many characters, the second number of which are blanks in front.
    LeftOf(u32, u32),
    /// As many as a fixed layout needs to put a number or a date at its place.
    Layout,
}

impl Pad {
    fn of(padding: Padding) -> Option<Self> {
        let Padding { front, behind, width } = padding;
        if front.1 == 0 && behind.1 == 0 {
            None
        } else if front.0 == front.1 && behind.0 == behind.1 {
            Some(Self::Fixed(front.0, behind.0))
        } else if width.0 == width.1 && behind.1 == 0 {
            Some(Self::Right(width.0))
        } else if width.0 == width.1 && front.1 == 0 {
            Some(Self::Left(width.0))
        } else if width.0 == width.1 && behind.0 == behind.1 {
            Some(Self::RightOf(width.0, behind.0))
        } else if width.0 == width.1 && front.0 == front.1 {
            Some(Self::LeftOf(width.0, front.0))
        } else {
            None
        }
    }

    /// The blanks around the values of a column, by its rule and its layout.
    pub(super) fn around(stats: &ColumnStats, rule: &Rule, is_fixed: bool) -> Option<Self> {
        let padding = stats.padding?;
        let by_layout = is_fixed && rule.kind() != Kind::Text && padding.front.1 > 0;
        Self::of(padding).or(by_layout.then_some(Self::Layout))
    }

    /// Whether `field` is `value` with these blanks around. `scratch`: room for the field that the value would have had.
    pub fn is_around(self, value: &[u8], field: &[u8], scratch: &mut Vec<u8>) -> bool {
        if self == Self::Layout {
            return statistics::trim(field).0 == value;
        }
        scratch.clear();
        self.restore(value, scratch);
        scratch == field
    }

    /// The field that `value` had, appended to `out`. What the layout puts around it is not.
    pub fn restore(self, value: &[u8], out: &mut Vec<u8>) {
        let blanks = |out: &mut Vec<u8>, n: usize| out.resize(out.len() + n, b' ');
        let missing = |width: u32| {
            let own =
                if value.is_ascii() { value.len() } else { String::from_utf8_lossy(value).chars().count() };
            (width as usize).saturating_sub(own)
        };
        match self {
            Self::Fixed(front, behind) => {
                blanks(out, front as usize);
                out.extend_from_slice(value);
                blanks(out, behind as usize);
            }
            Self::Right(width) => {
                blanks(out, missing(width));
                out.extend_from_slice(value);
            }
            Self::Left(width) => {
                out.extend_from_slice(value);
                blanks(out, missing(width));
            }
            Self::RightOf(width, behind) => {
                blanks(out, missing(width.saturating_sub(behind)));
                out.extend_from_slice(value);
                blanks(out, behind as usize);
            }
            Self::LeftOf(width, front) => {
                blanks(out, front as usize);
                out.extend_from_slice(value);
                blanks(out, missing(width.saturating_sub(front)));
            }
            Self::Layout => out.extend_from_slice(value),
        }
    }
}
