//! Worksheets.
