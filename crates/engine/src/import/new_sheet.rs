//! Sources written into a new sheet, one under the other.

use super::{Placing, Slot, Written, write};
use crate::cells::ColumnWriter;
use crate::feed::Feed;
use crate::place::OwnNames;
use crate::stop::{Result, Stop};
use crate::text::Surveyed;
use incola_core::kind::{Kind, Rule};
use incola_core::reading::ColumnReading;
use incola_workbook::{BookWriter, SheetColumn, SheetLayout, StyleId, Styles, TotalOf};
use std::io::{Seek, Write};

/// A sheet that is to be made.
#[derive(Clone, Debug)]
pub struct NewSheet<'n> {
    /// Its name.
    pub name: String,
    /// The name of its table; `None`: a plain range.
    pub table: Option<String>,
    /// Whether it begins with a row of headings.
    pub has_heading: bool,
    /// What its columns are made of, in their order.
    pub slots: Vec<Slot>,
    /// By column of the source: what is shown when its heading is selected.
    pub descriptions: &'n [Option<String>],
    /// The headings of columns that are not the source's.
    pub names: OwnNames<'n>,
    /// Whether fingerprints of rows are wanted, for the table's link.
    pub is_linked: bool,
    /// Places in the slots whose columns may be a key.
    pub candidates: Vec<usize>,
    /// Whether the table gets a row of totals.
    pub has_totals: bool,
}

impl NewSheet<'_> {
    /// A sheet with all columns of a source, in a table of the same name.
    pub fn of(name: &str, columns: &[ColumnReading]) -> Self {
        let wanted = (0..columns.len()).filter(|n| columns[*n].is_wanted());
        Self {
            name: name.to_owned(),
            table: Some(name.to_owned()),
            has_heading: true,
            slots: wanted.map(Slot::Field).collect(),
            descriptions: &[],
            names: OwnNames::default(),
            is_linked: false,
            candidates: Vec::new(),
            has_totals: false,
        }
    }

    /// What the row of totals says, by column: the sum of numbers, the mean of percentages, and a label in front of them.
    pub fn totals(&self, columns: &[ColumnReading]) -> Vec<TotalOf> {
        let of = |slot: &Slot| match slot {
            Slot::Field(n) => match &columns[*n].rule {
                Rule::Number(rule) => {
                    let affix = rule.spellings.first().and_then(|s| s.spelling().affix);
                    let is_share = affix.is_some_and(|affix| affix.symbol.is_percent());
                    if is_share { TotalOf::Average } else { TotalOf::Sum }
                }
                _ => TotalOf::Nothing,
            },
            _ => TotalOf::Nothing,
        };
        let mut totals: Vec<TotalOf> = self.slots.iter().map(of).collect();
        if let Some(first) = totals.first_mut().filter(|first| **first == TotalOf::Nothing) {
            *first = TotalOf::Label("Total".into());
        }
        totals
    }

    /// What the formulas of the totals come to.
    fn come_to(&self, totals: &[TotalOf], written: &Written) -> Vec<String> {
        let value = |(slot, total): (&Slot, &TotalOf)| {
            let Slot::Field(n) = slot else { return String::new() };
            let tally = &written.columns[*n];
            let sum = tally.sum.text(tally.decimals);
            match total {
                TotalOf::Sum => sum,
                TotalOf::Average => {
                    let numbers = tally.cells.saturating_sub(tally.misfits).max(1);
                    // A percentage is a hundredth in the sheet.
                    let mean = sum.parse::<f64>().unwrap_or_default() / 100.0 / numbers as f64;
                    mean.to_string()
                }
                TotalOf::Nothing | TotalOf::Label(_) => String::new(),
            }
        };
        self.slots.iter().zip(totals).map(value).collect()
    }

    /// The row of the first record, from 1.
    pub fn first_row(&self) -> u32 {
        1 + u32::from(self.has_heading)
    }

    /// Writes the records of all sources. `columns`: of all of them together; `check`: asked after each source.
    ///
    /// # Errors
    /// If a source cannot be read or was changed, if the workbook cannot be written, or what `check` fails with.
    pub fn write<'s, W: Write + Seek>(
        &self,
        sources: &[(&'s dyn Feed, &'s Surveyed)],
        columns: &[ColumnReading],
        (book, styles, from_1904): (&mut BookWriter<W>, &mut Styles, bool),
        mut check: impl FnMut(&dyn Feed, &Written) -> Result<()>,
    ) -> Result<Written> {
        let writers = ColumnWriter::for_book(columns, styles, from_1904);
        let counts = self.slots.contains(&Slot::RecordNumber);
        let number_style = if counts { styles.number_format("0") } else { StyleId::default() };
        let longest = sources.iter().map(|(s, _)| s.label().encode_utf16().count()).max().unwrap_or(0);
        let wants_totals = self.has_totals && self.table.is_some();
        let totals = if wants_totals { self.totals(columns) } else { Vec::new() };
        let layout = SheetLayout {
            name: self.name.clone(),
            columns: self.columns(columns, &writers, (longest as u32, number_style)),
            rows: sources.iter().map(|(_, s)| s.reading.records).sum(),
            header: self.has_heading,
            table: self.table.clone(),
            totals: totals.clone(),
        };
        let mut written = Written::default();
        let mut row = self.first_row();
        book.begin_sheet(layout, styles).map_err(Stop::NotWritten)?;
        for (source, surveyed) in sources {
            let label = source.label();
            let placing = Placing {
                first_record: row - self.first_row() + 1,
                ..Placing::new((columns, &writers), self.slots.clone(), row, &label, number_style)
                    .linked(self.is_linked, self.candidates.clone())
            };
            let part = write(*source, surveyed, &placing, book)?;
            check(*source, &part)?;
            row += part.rows as u32;
            written.merge(part);
        }
        if wants_totals {
            book.totals_row(&self.come_to(&totals, &written)).map_err(Stop::NotWritten)?;
        }
        book.end_sheet().map_err(Stop::NotWritten)?;
        Ok(written)
    }

    /// Its columns.
    fn columns(
        &self,
        columns: &[ColumnReading],
        writers: &[ColumnWriter],
        (longest_source, number_style): (u32, StyleId),
    ) -> Vec<SheetColumn> {
        let column = |slot: &Slot| match slot {
            Slot::Field(n) => SheetColumn {
                name: columns[*n].name.clone(),
                longest: columns[*n].stats.longest,
                style: writers[*n].empty_style(&columns[*n]),
                is_text: columns[*n].rule.kind() == Kind::Text,
                description: self.descriptions.get(*n).cloned().flatten(),
            },
            Slot::RecordNumber => SheetColumn {
                name: self.names.number_rows.unwrap_or_default().to_owned(),
                longest: 6,
                style: number_style,
                is_text: false,
                description: None,
            },
            Slot::SourceName | Slot::Nothing => SheetColumn {
                name: self.names.source_column.unwrap_or_default().to_owned(),
                longest: longest_source,
                style: Styles::TEXT,
                is_text: true,
                description: None,
            },
        };
        self.slots.iter().map(column).collect()
    }
}
