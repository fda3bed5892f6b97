//! The sheet's side: where the table of a link is now, and what it holds, seen in one pass.

use super::Wishes;
use super::source_now::SourceNow;
use crate::cells::{ColumnWriter, string_prints};
use crate::fingerprints::{RowStore, key_of, push_text};
use crate::import::Slot;
use crate::link::Link;
use crate::place::headings::{Offer, Rules, by_name};
use crate::place::spot::Spot;
use crate::place::{self, Mode, Place, Wish};
use crate::stop::{LinkStop, Result, Stop};
use incola_core::kind::Kind;
use incola_core::refresh::fingerprint;
use incola_core::settings::model::{ExtraColumns, MatchBy};
use incola_workbook::{CellContent, CellRef, DefinedName, ExistingBook, ExistingTable, Range, Scan, Scanner};

/// Where the table of a link is.
#[derive(Clone, Debug)]
pub struct Located {
    /// The sheet, from 0.
    pub sheet: usize,
    /// Its name.
    pub sheet_name: String,
    /// The table; `None`: a plain range.
    pub table: Option<String>,
    /// Its cells, headings included.
    pub range: Range,
    /// Headings and their columns, from 1.
    pub headings: Vec<(u32, String)>,
}

/// Finds the table of a link: by its hidden name, wherever the cells went; by the table's name if that is gone.
///
/// # Errors
/// [`LinkStop::TableGone`] if it is nowhere.
pub fn locate(book: &mut ExistingBook, link: &Link) -> Result<Located> {
    let gone = || Stop::link(&link.name, LinkStop::TableGone);
    let sheets = book.sheet_names();
    let sheet_of = |name: &str| sheets.iter().position(|s| s.to_lowercase() == name.to_lowercase());
    let anchor = link.anchor();
    let named = book.defined_names().iter().find(|n| n.name == anchor).and_then(DefinedName::range);
    let mut found = named.and_then(|(sheet, range)| Some((sheet_of(&sheet)?, range)));
    let mut table: Option<ExistingTable> = None;
    if let Some((sheet, range)) = found {
        let tables = book.tables(sheet).map_err(Stop::Book)?;
        let meeting = || tables.iter().filter(|t| t.range.meets(range));
        table = meeting()
            .find(|t| Some(&t.name) == link.table.table.as_ref())
            .or_else(|| meeting().next())
            .cloned();
    } else if let Some(name) = &link.table.table {
        for sheet in 0..sheets.len() {
            // A sheet without cells has no tables either.
            let Ok(tables) = book.tables(sheet) else { continue };
            if let Some(own) = tables.into_iter().find(|t| t.name == *name) {
                found = Some((sheet, own.range));
                table = Some(own);
            }
        }
    }
    let Some((sheet, mut range)) = found else { return Err(gone()) };
    let headings: Vec<(u32, String)> = if let Some(table) = &table {
        range = table.range;
        (table.range.from.column..).zip(table.columns.iter().cloned()).collect()
    } else {
        let row = range.from.row;
        let cells = book.cells(sheet, row, row, 16_384).map_err(Stop::Book)?;
        let from = range.from.column;
        let own = cells.into_iter().filter(|c| c.at.column >= from && c.is_text && !c.text.trim().is_empty());
        // As long as they follow each other.
        (from..)
            .zip(own)
            .take_while(|(column, cell)| cell.at.column == *column)
            .map(|(c, cell)| (c, cell.text))
            .collect()
    };
    if headings.is_empty() {
        return Err(gone());
    }
    Ok(Located {
        sheet,
        sheet_name: sheets.get(sheet).cloned().unwrap_or_default(),
        table: table.map(|t| t.name),
        range,
        headings,
    })
}

/// The columns of the sheet that the columns of a link are now: by their headings, and where those were changed, by what stands
/// on both sides.
///
/// # Errors
/// [`LinkStop::ColumnsLost`] if one is not found.
pub(crate) fn columns_of(link: &Link, located: &Located) -> Result<Vec<usize>> {
    let wanted: Vec<&str> = link.columns.iter().map(|c| c.heading.as_str()).collect();
    let there: Vec<&str> = located.headings.iter().map(|(_, name)| name.as_str()).collect();
    let mut found = by_name(&wanted, &there);
    let mut taken = vec![false; there.len()];
    found.iter().flatten().for_each(|at| taken[*at] = true);
    // Called otherwise by hand: as many as are missing between two that are known.
    let mut place = 0;
    while place < wanted.len() {
        if found[place].is_some() {
            place += 1;
            continue;
        }
        let missing = found[place..].iter().take_while(|f| f.is_none()).count();
        let from = place.checked_sub(1).and_then(|before| found[before]).map_or(0, |at| at + 1);
        let to = found.get(place + missing).copied().flatten().unwrap_or(there.len());
        let free: Vec<usize> = (from..to.max(from)).filter(|at| !taken[*at]).collect();
        let is_end = place + missing == wanted.len();
        if free.len() == missing || (is_end && free.len() >= missing) {
            for (n, at) in free.into_iter().take(missing).enumerate() {
                found[place + n] = Some(at);
                taken[at] = true;
            }
        }
        place += missing;
    }
    let missing: Vec<&str> =
        wanted.iter().zip(&found).filter(|(_, f)| f.is_none()).map(|(name, _)| *name).collect();
    if !missing.is_empty() {
        let unknown = located.headings.iter().zip(&taken).filter(|(_, taken)| !**taken);
        let why = LinkStop::ColumnsLost {
            sheet: located.sheet_name.clone(),
            missing: missing.into_iter().map(str::to_owned).collect(),
            unknown: unknown.map(|((column, name), _)| (name.clone(), *column)).collect(),
        };
        return Err(Stop::link(&link.name, why));
    }
    Ok(found.into_iter().flatten().collect())
}

/// The sheet as it is, seen in one pass.
pub(super) struct SheetSnapshot {
    pub(super) place: Place,
    pub(super) wish: Wish,
    /// By row that is there, in order: its number.
    pub(super) rows: Vec<u32>,
    /// Fingerprints by the columns of the link.
    pub(super) wholes: Vec<u64>,
    /// The same by the columns that link and source have in common.
    pub(super) commons: Vec<u64>,
    pub(super) keys: Vec<u64>,
    /// Cells of rows that are not the source's: by row, for each column of the link its fingerprint and what it shows.
    pub(super) cells: RowStore,
    /// The first thing of the clerk's own in each row that has one, in order.
    pub(super) remarks: Vec<Remark>,
}

/// Something in a row that is the clerk's own.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Remark {
    pub(super) at: CellRef,
    /// Whether it is a comment on the cell, and not what was typed into it.
    pub(super) is_comment: bool,
}

/// What one thread saw.
#[derive(Default)]
struct Found {
    rows: Vec<u32>,
    wholes: Vec<u64>,
    commons: Vec<u64>,
    keys: Vec<u64>,
    cells: Vec<(u32, Vec<u8>)>,
    remarks: Vec<Remark>,
}

/// What a scanner needs to know.
#[derive(Clone, Copy)]
struct Looking<'l> {
    /// Columns of the sheet in their order, and the place in the link of each; none: the clerk's own.
    by_column: &'l [(u32, Option<usize>)],
    /// By place in the link.
    writers: &'l Writers<'l>,
    kinds: &'l [Kind],
    plain: &'l ColumnWriter,
    strings: &'l [u64],
    /// Places in the link that the source has too.
    common: &'l [usize],
    /// Whether those are all, in the same order.
    is_whole: bool,
    key: &'l [usize],
    /// Fingerprints of all records, sorted.
    source: &'l [u64],
}

/// Looks at the rows of one block.
struct Look<'l> {
    looking: &'l Looking<'l>,
    found: Found,
    prints: Vec<u64>,
    shared: Vec<u64>,
}

impl Scanner for Look<'_> {
    fn row(&mut self, number: u32, contents: &[CellContent<'_>]) {
        let Looking { by_column, writers, kinds, plain, strings, common, is_whole, key, source } =
            self.looking;
        let string = |n: usize| strings.get(n).copied().unwrap_or(fingerprint::BLANK);
        let mut remark = None;
        for ((column, place), content) in by_column.iter().zip(contents) {
            let Some(place) = *place else {
                if !matches!(content, CellContent::Blank | CellContent::Formula(..)) {
                    remark = remark.or(Some(*column));
                }
                continue;
            };
            self.prints[place] = match writers[place] {
                Some((writer, kind)) => writer.fingerprint_of_cell(content, kind, &string),
                None => plain.fingerprint_of_cell(content, kinds[place], &string),
            };
        }
        let remark = remark.map(|column| CellRef { row: number, column });
        self.found.remarks.extend(remark.map(|at| Remark { at, is_comment: false }));
        let whole = fingerprint::row(&self.prints);
        let mut print = whole;
        let mut cells = &self.prints;
        if !is_whole {
            self.shared.clear();
            self.shared.extend(common.iter().map(|place| self.prints[*place]));
            print = fingerprint::row(&self.shared);
            cells = &self.shared;
        }
        if !key.is_empty() {
            self.found.keys.push(key_of(cells, key));
        }
        self.found.rows.push(number);
        self.found.commons.push(print);
        self.found.wholes.push(whole);
        if source.binary_search(&print).is_err() {
            let bytes = packed(&self.prints, by_column, contents, writers, kinds, plain);
            self.found.cells.push((number, bytes));
        }
    }
}

/// Looks at the sheet, in the pass that also tells what new rows have to know of it. `source`: fingerprints of all records, sorted;
/// cells are kept of rows that are not among them. `key`: places among the columns in common.
pub(super) fn see(
    book: &mut ExistingBook,
    (link, located): (&Link, &Located),
    source_now: &SourceNow,
    source: &[u64],
    (key, wishes): (&[usize], Wishes<'_>),
) -> Result<SheetSnapshot> {
    let places = columns_of(link, located)?;
    let column_of = |place: usize| located.headings[places[place]].0;
    let name_of = |place: usize| located.headings[places[place]].1.clone();
    let mut offers: Vec<Offer> = Vec::new();
    for (place, slot) in source_now.slots.iter().enumerate() {
        if let Some(slot) = slot {
            offers.push(Offer::new(*slot, name_of(place)));
        }
    }
    let number_rows = source_now.docket.place.number_column.clone();
    let is_heading = |name: &String| located.headings.iter().any(|(_, heading)| heading == name);
    if let Some(name) = number_rows.filter(|name| is_heading(name)) {
        offers.push(Offer::new(Slot::RecordNumber, name));
    }
    for n in &source_now.added {
        let name = free_name(&source_now.reading.columns[*n].name, located);
        offers.push(Offer::new(Slot::Field(*n), name));
    }
    let wish = Wish {
        spot: Spot {
            sheet: Some(located.sheet),
            cell: Some(located.range.from),
            table: located.table.clone(),
            range: None,
        },
        mode: Mode::Append,
        rules: Rules { matching: MatchBy::Name, missing_is_blank: true, surplus: Some(ExtraColumns::Add) },
        new_table: None,
        takes_rows_below: true,
        even_protected: wishes.even_protected,
        known_last: located.table.is_none().then_some(located.range.to.row),
        last_is_said: false,
    };
    let linked: Vec<u32> = (0..places.len()).map(column_of).collect();
    let strings = string_prints(book)?;
    let common: Vec<usize> = source_now.common().iter().map(|(place, _)| *place).collect();
    let writer = |place: usize| match source_now.slots[place] {
        Some(Slot::Field(n)) => Some((&source_now.writers[n], source_now.reading.columns[n].rule.kind())),
        _ => None,
    };
    let writers: Vec<_> = (0..places.len()).map(writer).collect();
    let kinds: Vec<Kind> =
        link.columns.iter().map(|c| Kind::from_word(&c.kind).unwrap_or(Kind::Text)).collect();
    let plain = ColumnWriter::plain(book.is_1904());
    let first_row = located.range.from.row + 1;
    let looking = Looking {
        by_column: &[],
        writers: &writers,
        kinds: &kinds,
        plain: &plain,
        strings: &strings,
        common: &common,
        is_whole: common.len() == places.len(),
        key,
        source,
    };
    let mut found = Found::default();
    let mut cells = RowStore::default();
    let mut failure = None;
    let mut ask = |book: &mut ExistingBook, question: &incola_workbook::Question| {
        // The question is asked again where a row of totals was found.
        (found, cells) = (Found::default(), RowStore::default());
        // In the order of the sheet, for the scan; each with its place in the link.
        let mut by_column: Vec<(u32, Option<usize>)> =
            linked.iter().enumerate().map(|(place, column)| (*column, Some(place))).collect();
        let own = question.columns.iter().chain(&question.beside).filter(|c| !linked.contains(c));
        by_column.extend(own.map(|column| (*column, None)));
        by_column.sort_unstable();
        let columns: Vec<u32> = by_column.iter().map(|(column, _)| *column).collect();
        let scan = Scan { columns: &columns, from: first_row, to: u32::MAX };
        let looking = Looking { by_column: &by_column, ..looking };
        let start = || Look {
            looking: &looking,
            found: Found::default(),
            prints: vec![fingerprint::BLANK; places.len()],
            shared: Vec::new(),
        };
        let take = |look: Look<'_>| {
            let more = look.found;
            found.rows.extend(more.rows);
            found.wholes.extend(more.wholes);
            found.commons.extend(more.commons);
            found.keys.extend(more.keys);
            found.remarks.extend(more.remarks);
            for (row, bytes) in more.cells {
                if let Err(error) = cells.add(row, &bytes) {
                    failure.get_or_insert(error);
                }
            }
        };
        book.facts_and(located.sheet, question, &scan, start, take)
    };
    let place = place::look(book, (located.sheet, &located.sheet_name), &wish, &offers, &mut ask)?;
    if let Some(failure) = failure {
        return Err(failure);
    }
    // Nothing of what stands below the table.
    let (first, last) = place.data_rows();
    let end = found.rows.partition_point(|row| *row <= last);
    let start = found.rows.partition_point(|row| *row < first);
    let part = |list: &mut Vec<u64>| {
        list.truncate(end);
        list.drain(..start.min(list.len()));
    };
    part(&mut found.wholes);
    part(&mut found.commons);
    part(&mut found.keys);
    found.remarks.retain(|remark| (first..=last).contains(&remark.at.row));
    // Comments that cannot be read stand in the way once rows move.
    let comments = comments_on_rows(book, &place, located.sheet).unwrap_or_default();
    found.remarks.extend(comments.into_iter().map(|at| Remark { at, is_comment: true }));
    found.remarks.sort_unstable_by_key(|remark| (remark.at.row, remark.is_comment));
    found.remarks.dedup_by_key(|remark| remark.at.row);
    found.rows.truncate(end);
    found.rows.drain(..start.min(end));
    Ok(SheetSnapshot {
        place,
        wish,
        rows: found.rows,
        wholes: found.wholes,
        commons: found.commons,
        keys: found.keys,
        cells,
        remarks: found.remarks,
    })
}

/// The comments on rows of data, in cells that go with their rows.
pub(super) fn comments_on_rows(book: &mut ExistingBook, place: &Place, sheet: usize) -> Result<Vec<CellRef>> {
    let ((first, last), columns) = (place.data_rows(), place.all_columns());
    let mut comments = book.comments(sheet).map_err(Stop::Book)?;
    comments.retain(|at| {
        let goes_along = !place.facts.has_cells_beside || columns.contains(&at.column);
        (first..=last).contains(&at.row) && goes_along
    });
    comments.sort_unstable();
    Ok(comments)
}

/// A name that no heading has.
fn free_name(name: &str, located: &Located) -> String {
    let mut own = name.to_owned();
    while located.headings.iter().any(|(_, heading)| heading.to_lowercase() == own.to_lowercase()) {
        own.push('_');
    }
    own
}

type Writers<'w> = [Option<(&'w ColumnWriter, Kind)>];

/// What a cell shows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) enum CellText {
    /// It is known.
    Own(String),
    /// It stands in the table of strings, at this place.
    Shared(usize),
}

impl CellText {
    /// As bytes: a first one says which of both it is.
    fn push(&self, out: &mut Vec<u8>) {
        match self {
            Self::Own(text) => push_text(out, &[b"=", text.as_bytes()].concat()),
            Self::Shared(place) => push_text(out, &[b"#", &place.to_le_bytes()[..]].concat()),
        }
    }

    fn read(bytes: &[u8]) -> Self {
        match bytes.split_first() {
            Some((b'#', place)) => Self::Shared(place.try_into().map_or(0, usize::from_le_bytes)),
            Some((_, text)) => Self::Own(String::from_utf8_lossy(text).into_owned()),
            None => Self::Own(String::new()),
        }
    }
}

/// A row's cells as bytes: for each column of the link its fingerprint, and what it shows.
fn packed(
    prints: &[u64],
    by_column: &[(u32, Option<usize>)],
    contents: &[CellContent<'_>],
    writers: &Writers<'_>,
    kinds: &[Kind],
    plain: &ColumnWriter,
) -> Vec<u8> {
    let mut shown = vec![CellText::Own(String::new()); prints.len()];
    for ((_, place), content) in by_column.iter().zip(contents) {
        let Some(place) = *place else { continue };
        shown[place] = match content {
            CellContent::Shared(n) => CellText::Shared(*n),
            content => match writers[place] {
                Some((writer, kind)) => CellText::Own(writer.shown(content, kind)),
                None => CellText::Own(plain.shown(content, kinds[place])),
            },
        };
    }
    let mut out = Vec::new();
    for (print, shown) in prints.iter().zip(shown) {
        push_text(&mut out, &print.to_le_bytes());
        shown.push(&mut out);
    }
    out
}

/// A row's cells, from their bytes: fingerprints, and what they show.
pub(super) fn unpacked(bytes: &[u8]) -> (Vec<u64>, Vec<CellText>) {
    let mut texts = crate::fingerprints::texts(bytes);
    let (mut prints, mut shown) = (Vec::new(), Vec::new());
    while let (Some(print), Some(text)) = (texts.next(), texts.next()) {
        prints.push(print.try_into().map_or(0, u64::from_le_bytes));
        shown.push(CellText::read(text));
    }
    (prints, shown)
}

/// The cells of the table, to be found again.
pub(super) fn range_of(located: &Located, place: &Place, last: u32) -> Range {
    let (first_row, _) = place.data_rows();
    let added = place.pairs.added.iter().map(|(column, _)| *column).max();
    let (from, to) = (located.range.from.column, located.range.to.column);
    Range {
        from: CellRef { row: first_row - 1, column: from },
        to: CellRef { row: last.max(first_row), column: to.max(added.unwrap_or(to)) },
    }
}
