//! Cells of an existing sheet as they are told: their text, number or formula.

use crate::error::Result;
use crate::formula::Formula;
use crate::markup::{TagKind, tags};
use crate::package::zip_reader::Input;
use crate::package::zip_reader::ZipReader;
use crate::reference::{CellRef, Range};
use crate::sheet::facts::{BLOCK, ExistingCell};
use crate::sheet::raw::{Attributes, CellKind, Cells, RawCell, number};
use crate::sheet::source::SheetSource;
use crate::xml;
/// The text of a formula.
pub(super) enum FormulaText {
    Own(Formula),
    /// Others share it: its number, their cells, its text.
    Master(u32, Range, String),
    /// Another cell has its text: its number.
    Child(u32),
    /// It fills a range in one piece.
    Array(Range),
    /// The same, where the range is its own cell.
    Lone(Formula),
}

/// The place of a cell's metadata, from 1; 0: it has none.
pub(super) fn metadata_of(cell: &RawCell<'_>) -> u32 {
    let end = crate::markup::tag_end(cell.whole).unwrap_or(0);
    let mut attributes = Attributes::of(&cell.whole[..end]);
    attributes.find(|(name, _)| *name == b"cm").and_then(|(_, value)| number(value)).unwrap_or(0)
}

pub(super) fn formula_of(cell: &RawCell<'_>, at: CellRef) -> FormulaText {
    let mut text = String::new();
    let (mut kind, mut id, mut range) = (Vec::new(), 0, None);
    if let Ok(all) = tags("", cell.inside)
        && let Some(n) = all.iter().position(|t| t.opens("f"))
    {
        for (name, value) in Attributes::of(&cell.inside[all[n].start..all[n].end]) {
            match name {
                b"t" => kind = value.to_vec(),
                b"si" => id = number(value).unwrap_or(0),
                b"ref" => range = std::str::from_utf8(value).ok().and_then(Range::parse),
                _ => {}
            }
        }
        if all[n].kind == TagKind::Open
            && let Some(close) = all.get(n + 1)
        {
            text = xml::text(&cell.inside[all[n].end..close.start]);
        }
    }
    let alone = Range { from: at, to: at };
    match kind.as_slice() {
        b"array" if range.is_none_or(|r| r == alone) && !text.is_empty() => {
            FormulaText::Lone(Formula::parse(&text, at.row))
        }
        b"array" | b"dataTable" => FormulaText::Array(range.unwrap_or(alone)),
        b"shared" if text.is_empty() => FormulaText::Child(id),
        b"shared" => FormulaText::Master(id, range.unwrap_or(alone), text),
        _ => FormulaText::Own(Formula::parse(&text, at.row)),
    }
}

/// A cell as it is told.
pub(crate) fn existing(cell: &RawCell<'_>, at: CellRef) -> ExistingCell {
    let mut text = String::new();
    let mut is_phonetic = false;
    let all = tags("", cell.inside).unwrap_or_default();
    for (n, tag) in all.iter().enumerate() {
        match (tag.local(), tag.kind) {
            (b"rPh", kind) => is_phonetic = kind == TagKind::Open,
            (b"v" | b"t", TagKind::Open) if !is_phonetic => {
                let end = all.get(n + 1).map_or(cell.inside.len(), |t| t.start);
                text.push_str(&xml::text(&cell.inside[tag.end..end]));
            }
            _ => {}
        }
    }
    ExistingCell {
        at,
        format: cell.style,
        shared: (cell.kind == CellKind::Shared).then(|| text.trim().parse().ok()).flatten(),
        is_text: matches!(cell.kind, CellKind::Shared | CellKind::Inline | CellKind::Text),
        has_formula: cell.has_formula(),
        text,
    }
}

/// The cells that hold something in rows `from` to `to`. Nothing behind them is read.
pub(crate) fn cells(
    zip: &mut ZipReader<Box<dyn Input>>,
    place: usize,
    (from, to): (u32, u32),
    most: usize,
) -> Result<Vec<ExistingCell>> {
    let mut source = SheetSource::open(zip, place)?;
    source.head(zip)?;
    let mut cells = Vec::new();
    while let Some(rows) = source.rows(zip, to, BLOCK)? {
        for (row_number, row) in rows.rows() {
            if row_number < from {
                continue;
            }
            for cell in Cells::of(&row) {
                if cell.is_filled() && cells.len() < most {
                    cells.push(existing(&cell, CellRef { row: row_number, column: cell.column }));
                }
            }
        }
    }
    Ok(cells)
}
