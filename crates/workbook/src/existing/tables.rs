//! The tables of a sheet: where they are, and what becomes of their parts when rows come or go.

use super::edit::{Edit, append, attribute_edit, edited};
use super::{ExistingBook, PART_BYTES, part};
use crate::error::{Error, Result};
use crate::markup::{Tag, tags};
use crate::reference::Range;
use crate::xml;
use std::borrow::Cow;
use std::fmt::Write as _;

/// A table that is there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ExistingTable {
    /// The name by which formulas know it.
    pub name: String,
    /// Its cells, headings and totals included.
    pub range: Range,
    /// Whether its first row holds headings.
    pub has_header: bool,
    /// Whether its last row holds totals.
    pub has_totals: bool,
    /// The names of its columns.
    pub columns: Vec<String>,
    /// Columns whose cells are computed by one formula, from 0.
    pub computed: Vec<usize>,
    /// Whether it is filled from outside by something else.
    pub is_fed: bool,
    /// Its part.
    pub(crate) place: usize,
}

impl ExistingBook {
    /// The tables of sheet `n` (from 0).
    ///
    /// # Errors
    /// [`Error::Damaged`] if a part cannot be read.
    pub fn tables(&mut self, n: usize) -> Result<Vec<ExistingTable>> {
        let mut tables = Vec::new();
        for name in self.tied(n, "/table")? {
            let table = part(&mut self.zip, &name)?;
            let all = tags(&table.name, &table.content)?;
            let broken = || Error::Damaged(format!("{}: it is not a table part", table.name));
            let root = all.first().filter(|t| t.opens("table")).ok_or_else(broken)?;
            let number = |name: &str, other: u32| {
                root.attribute(name).and_then(|v| v.parse::<u32>().ok()).unwrap_or(other)
            };
            let text = |tag: &Tag<'_>| {
                let mut out = Vec::new();
                xml::unescape(&mut out, tag.attribute("name").unwrap_or_default().as_bytes());
                String::from_utf8_lossy(&out).into_owned()
            };
            tables.push(ExistingTable {
                name: root.attribute("displayName").map(Cow::into_owned).unwrap_or_default(),
                range: root.attribute("ref").and_then(|r| Range::parse(&r)).ok_or_else(broken)?,
                has_header: number("headerRowCount", 1) > 0,
                has_totals: number("totalsRowCount", 0) > 0,
                columns: all.iter().filter(|t| t.opens("tableColumn")).map(text).collect(),
                computed: computed_columns(&all),
                is_fed: root.attribute("tableType").is_some_and(|t| t != "worksheet"),
                place: table.place,
            });
        }
        Ok(tables)
    }

    /// The part of a table that ends in another row, with more columns behind its own.
    pub(crate) fn table_resized(
        &mut self,
        table: &ExistingTable,
        last_row: u32,
        added: &[String],
    ) -> Result<(usize, Vec<u8>)> {
        let content = self.zip.read(table.place, PART_BYTES)?;
        let all = tags("table", &content)?;
        let mut edits: Vec<Edit> = Vec::new();
        for tag in all.iter().filter(|t| t.opens("table") || t.opens("autoFilter")).take(2) {
            let Some(mut range) = tag.attribute("ref").and_then(|r| Range::parse(&r)) else { continue };
            // Filters end above the totals.
            range.to.row = last_row - u32::from(table.has_totals && tag.opens("autoFilter"));
            range.to.column += added.len() as u32;
            edits.extend(attribute_edit(&content, tag, "ref", &range.to_string()));
        }
        if !added.is_empty() {
            let p = all.first().map_or("", Tag::prefix);
            let columns = || all.iter().filter(|t| t.opens("tableColumn"));
            let ids = columns().filter_map(|t| t.attribute("id")?.parse::<u32>().ok());
            let next = ids.max().unwrap_or(0) + 1;
            let mut text = String::new();
            for (name, id) in added.iter().zip(next..) {
                let _ = write!(
                    text,
                    "<{p}tableColumn id=\"{id}\" name=\"{}\"/>",
                    crate::parts::column_name(name)
                );
            }
            edits.extend(append(&content, &all, "tableColumns", &text).unwrap_or_default());
            if let Some(list) = all.iter().find(|t| t.opens("tableColumns")) {
                let count = columns().count() + added.len();
                edits.extend(attribute_edit(&content, list, "count", &count.to_string()));
            }
        }
        Ok((table.place, edited(&content, edits)))
    }
}

/// The columns of a table that are computed by a formula, from 0.
fn computed_columns(all: &[Tag<'_>]) -> Vec<usize> {
    let mut columns = Vec::new();
    let mut next = 0;
    for tag in all {
        if tag.opens("tableColumn") {
            next += 1;
        } else if tag.opens("calculatedColumnFormula") && next > 0 {
            columns.push(next - 1);
        }
    }
    columns
}
