//! A column of a sheet that is there, divided into several.

use incola_core::encoding::Encoding;
use incola_core::kind::statistics::trim;
use incola_core::layout::{LayoutChoices, LineChoice, LinesMeant, Pattern};
use incola_core::reading::Choices;
use incola_core::rows::Role;
use incola_core::settings::nearest;
use incola_core::settings::selector::AsChoice;
use incola_core::shape::{How, RowsText};
use incola_workbook::{CellRef, ExistingCell, ExistingTable};

/// Rows in which headings are looked for.
const HEADING_ROWS: u32 = 50;

/// Values that decide how many parts there are.
const LOOKED_AT: usize = 1000;

/// A column of a sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Column {
    /// The cell of its heading.
    pub heading: CellRef,
    /// What it says.
    pub name: String,
    /// Values by row, from the first one below the heading to the last one that is not empty.
    pub values: Vec<String>,
}

/// Why no column is meant.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum NoColumn {
    /// No cell near the top says so; what says nearly so.
    Nowhere(Option<String>),
    /// Two cells say so.
    Twice(CellRef, CellRef),
    /// It holds no values.
    Empty,
}

impl Column {
    /// The column that is meant: by letters in capitals, or by the text of its heading. A table ends where it says; elsewhere the last
    /// value ends a column.
    ///
    /// # Errors
    /// [`NoColumn`] if none is, or several are.
    pub fn find(wanted: &str, cells: &[ExistingCell], tables: &[ExistingTable]) -> Result<Self, NoColumn> {
        let heading = heading(wanted.trim(), cells)?;
        let own = tables.iter().find(|table| {
            let (from, to) = (table.range.from, table.range.to);
            (from.row..=to.row).contains(&heading.row) && (from.column..=to.column).contains(&heading.column)
        });
        let last = own.map_or(u32::MAX, |table| table.range.to.row - u32::from(table.has_totals));
        let mut values: Vec<String> = Vec::new();
        for cell in cells.iter().filter(|cell| cell.at.column == heading.column && !cell.text.is_empty()) {
            if cell.at.row > heading.row && cell.at.row <= last {
                values.resize((cell.at.row - heading.row - 1) as usize, String::new());
                values.push(cell.text.clone());
            }
        }
        if values.is_empty() {
            return Err(NoColumn::Empty);
        }
        let name = cells.iter().find(|cell| cell.at == heading);
        let name = name.map_or_else(String::new, |cell| cell.text.trim().to_owned());
        Ok(Self { heading, name, values })
    }

    /// The last row that holds a value.
    pub fn last_row(&self) -> u32 {
        self.heading.row + self.values.len() as u32
    }
}

/// The cell of the heading that is meant; of a column that is meant by its letters, the first one.
fn heading(wanted: &str, cells: &[ExistingCell]) -> Result<CellRef, NoColumn> {
    let is_letters = (1..=3).contains(&wanted.len()) && wanted.bytes().all(|b| b.is_ascii_uppercase());
    if let Some(cell) = CellRef::parse(&format!("{wanted}1")).filter(|_| is_letters)
        && let Some(first) = cells.iter().find(|own| own.at.column == cell.column)
    {
        return Ok(first.at);
    }
    let headings = || cells.iter().filter(|cell| cell.at.row <= HEADING_ROWS && cell.is_text);
    let named = headings().filter(|cell| cell.text.trim().to_lowercase() == wanted.to_lowercase());
    match named.map(|cell| cell.at).collect::<Vec<_>>()[..] {
        [] => {
            let near = nearest(wanted, headings().map(|cell| cell.text.as_str()));
            Err(NoColumn::Nowhere(near.map(str::to_owned)))
        }
        [cell] => Ok(cell),
        [first, second, ..] => Err(NoColumn::Twice(first, second)),
    }
}

/// What a column is divided into.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Parts {
    /// The names of the new columns.
    pub names: Vec<String>,
    /// Their values, by row.
    pub rows: Vec<Vec<String>>,
    /// Rows of the sheet whose value has other parts than the rest.
    pub odd: Vec<u32>,
}

impl Parts {
    /// Divides a column.
    pub fn of(column: &Column, how: &How) -> Self {
        let values = || column.values.iter().map(|value| trim(value.as_bytes()).0);
        let divider = how.divider(values().filter(|value| !value.is_empty()).take(LOOKED_AT));
        let own = if column.name.is_empty() { "Part" } else { &column.name };
        let names = divider.names().iter().enumerate();
        let names = names.map(|(n, name)| name.clone().unwrap_or_else(|| format!("{own} {}", n + 1)));
        let mut parts = Self { names: names.collect(), rows: Vec::new(), odd: Vec::new() };
        for (row, value) in (column.heading.row + 1..).zip(values()) {
            let mut fields = Vec::new();
            if !divider.divide(value, |part| fields.push(String::from_utf8_lossy(part).into_owned())) {
                parts.odd.push(row);
            }
            parts.rows.push(fields);
        }
        parts
    }

    /// The parts as a source.
    pub fn text(&self) -> Vec<u8> {
        let mut rows = RowsText::default();
        std::iter::once(&self.names).chain(&self.rows).for_each(|row| rows.push(row));
        rows.into_text()
    }

    /// How that source is read: every line is a record, whatever it says, for rows must stay beside those that they are of. `kinds`: what
    /// columns must be.
    ///
    /// # Errors
    /// None that can be seen: the pattern is a plain one.
    pub fn choices(kinds: Vec<AsChoice>) -> Result<Choices, String> {
        let every = LineChoice { role: Role::Detail, lines: LinesMeant::Match(Pattern::read("")?) };
        Ok(Choices {
            encoding: Some(Encoding::Utf8),
            layout: LayoutChoices { lines: vec![every], ..RowsText::layout() },
            keeps_blank_rows: true,
            kinds,
            ..Choices::default()
        })
    }

    /// The cells that stand where the parts of a column would go, the first one in column `first` (from 1).
    pub fn in_the_way<'c>(
        &self,
        column: &Column,
        first: u32,
        cells: &'c [ExistingCell],
    ) -> Vec<&'c ExistingCell> {
        let last = first + self.names.len() as u32 - 1;
        let is_there = |cell: &&ExistingCell| {
            (first..=last).contains(&cell.at.column)
                && (column.heading.row..=column.last_row()).contains(&cell.at.row)
                && !cell.text.is_empty()
        };
        cells.iter().filter(is_there).collect()
    }
}
