//! Formulas as text (ECMA-376 part 1, 18.17), cut at the rows that they refer to, so that they can be written for another row.
//! Nothing is computed.

use crate::limits;
use crate::reference::{CellRef, Range, column_letters};
use crate::xml;

/// A piece of a formula.
#[derive(Clone, Debug, PartialEq, Eq)]
enum Piece {
    /// Text, escaped as XML.
    Text(Vec<u8>),
    /// The column of a reference, from 1.
    Column {
        column: u32,
        /// Behind a `$`: it stays whatever column the formula stands in.
        is_fixed: bool,
    },
    /// The row of a reference.
    Row {
        row: u32,
        /// Its column, from 1; 0: the reference is to whole rows.
        column: u32,
        /// Behind a `$`: it stays whatever row the formula stands in.
        is_fixed: bool,
        /// Whether the reference names a sheet or workbook of its own.
        is_elsewhere: bool,
        /// Which sheet that is, among those that the formula names; `None`: its own, or none that is one sheet of this workbook.
        sheet: Option<usize>,
        /// Whether it is the second corner of a range.
        is_range_end: bool,
    },
}

/// A formula that was read in some row.
///
/// ```
/// use incola_workbook::Formula;
/// let dues = Formula::parse("ROUND(D2*E2,2)+$H$1", 2);
/// let mut text = Vec::new();
/// dues.write(&mut text, 5);
/// assert_eq!(text, b"ROUND(D5*E5,2)+$H$1");
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Formula {
    pieces: Vec<Piece>,
    /// Sheets of this workbook that references name.
    sheets: Vec<String>,
    origin: u32,
}

/// Rows of a sheet that became more: what referred to all of them does not refer to those that came.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Grown {
    /// The name of the sheet.
    pub sheet: String,
    /// The columns, from 1 and in rising order.
    pub columns: Vec<u32>,
    /// The first row of data, from 1.
    pub first: u32,
    /// The last one, before and now.
    pub last: (u32, u32),
}

impl Grown {
    /// Whether a range of a sheet held all rows of one of the columns, and ended with them.
    pub(crate) fn ended_with(&self, sheet: &str, range: Range) -> bool {
        let columns = range.from.column.min(range.to.column)..=range.from.column.max(range.to.column);
        range.to.row == self.last.0
            && range.from.row <= self.first
            && self.columns.iter().any(|column| columns.contains(column))
            && sheet.to_lowercase() == self.sheet.to_lowercase()
    }
}

impl Formula {
    /// Reads a formula's text (no `=` in front) as it stands in row `origin`, from 1.
    pub fn parse(text: &str, origin: u32) -> Self {
        let mut parser = Parser {
            text,
            at: 0,
            pieces: Vec::new(),
            plain: String::new(),
            is_elsewhere: false,
            sheet: None,
            sheets: Vec::new(),
        };
        parser.run();
        Self { pieces: parser.pieces, sheets: parser.sheets, origin }
    }

    /// Appends the formula, escaped as XML, as it is in row `row`: rows of references without `$` go with it.
    pub fn write(&self, out: &mut Vec<u8>, row: u32) {
        for piece in &self.pieces {
            match piece {
                Piece::Text(text) => out.extend_from_slice(text),
                Piece::Column { column, .. } => out.extend_from_slice(column_letters(*column).as_bytes()),
                Piece::Row { row: to, is_fixed: true, .. } => {
                    out.extend_from_slice(to.to_string().as_bytes());
                }
                Piece::Row { row: to, .. } => {
                    // References go round at the ends of the sheet, as shared formulas have it.
                    let moved = i64::from(*to) + i64::from(row) - i64::from(self.origin) - 1;
                    let moved = moved.rem_euclid(i64::from(limits::ROWS)) + 1;
                    out.extend_from_slice(moved.to_string().as_bytes());
                }
            }
        }
    }

    /// Appends the formula, escaped as XML, as it is when cells of its own sheet have come to other rows: `moved` says where a cell
    /// (row and column, from 1; column 0 for whole rows) stands then.
    pub fn write_moved(&self, out: &mut Vec<u8>, moved: impl Fn(u32, u32) -> u32) {
        for piece in &self.pieces {
            match piece {
                Piece::Text(text) => out.extend_from_slice(text),
                Piece::Column { column, .. } => out.extend_from_slice(column_letters(*column).as_bytes()),
                Piece::Row { row, column, is_elsewhere, .. } => {
                    let row = if *is_elsewhere { *row } else { moved(*row, *column) };
                    out.extend_from_slice(row.to_string().as_bytes());
                }
            }
        }
    }

    /// Whether it refers to a range of its own sheet that ends above its row, in row `first` or below: as sums under data do.
    pub fn looks_up(&self, first: u32) -> bool {
        let rows = first..self.origin;
        self.pieces.iter().any(|piece| match piece {
            Piece::Row { row, is_elsewhere: false, is_range_end: true, .. } => rows.contains(row),
            // Columns of a table by their names.
            Piece::Text(text) => memchr::memchr(b'[', text).is_some(),
            Piece::Row { .. } | Piece::Column { .. } => false,
        })
    }

    /// Where ranges of its own sheet end, whole columns and rows left out.
    ///
    /// ```
    /// use incola_workbook::{CellRef, Formula};
    /// let ends = Formula::parse("SUM(C2:C9)+Rates!B2:B4+D1+SUM(E:E)", 1).range_ends();
    /// assert_eq!(ends, [CellRef { row: 9, column: 3 }]);
    /// ```
    pub fn range_ends(&self) -> Vec<CellRef> {
        let end = |piece: &Piece| match piece {
            Piece::Row { row, column, is_elsewhere: false, is_range_end: true, .. } if *column > 0 => {
                Some(CellRef { row: *row, column: *column })
            }
            _ => None,
        };
        self.pieces.iter().filter_map(end).collect()
    }

    /// The formula's text, escaped as XML, with ranges that ended with rows that became more ending with them again; `None`: there are
    /// none. It stands in sheet `own`. `is_shared`: others derive from it, so that only rows behind a `$` may change.
    ///
    /// ```
    /// use incola_workbook::{Formula, Grown};
    /// let grown = Grown { sheet: "Port calls".into(), columns: vec![2, 3], first: 2, last: (9, 12) };
    /// let text = Formula::parse("SUM('Port calls'!C2:C9)+C9+SUM(C2:C9)", 1).grown("Dues", &grown, false).unwrap();
    /// assert_eq!(text, b"SUM('Port calls'!C2:C12)+C9+SUM(C2:C9)");
    /// ```
    pub fn grown(&self, own: &str, grown: &Grown, is_shared: bool) -> Option<Vec<u8>> {
        let mut pieces = self.pieces.clone();
        let mut from = None;
        let mut has_changed = false;
        for piece in &mut pieces {
            let Piece::Row { row, column, is_fixed, is_elsewhere, sheet, is_range_end } = piece else {
                continue;
            };
            let at = CellRef { row: *row, column: *column };
            if !*is_range_end {
                from = Some(at).filter(|at| at.column > 0);
                continue;
            }
            let Some(from) = from.take() else { continue };
            let name = match (*is_elsewhere, *sheet) {
                (false, _) => own,
                (true, Some(sheet)) => self.sheets[sheet].as_str(),
                (true, None) => continue,
            };
            if grown.ended_with(name, Range { from, to: at }) && (*is_fixed || !is_shared) {
                *row = grown.last.1;
                has_changed = true;
            }
        }
        has_changed.then(|| {
            let mut text = Vec::new();
            Self { pieces, sheets: Vec::new(), origin: self.origin }.write_moved(&mut text, |row, _| row);
            text
        })
    }

    /// The formula as it is so many columns further right: columns of references without `$` go with it.
    ///
    /// ```
    /// use incola_workbook::Formula;
    /// let mut text = Vec::new();
    /// Formula::parse("SUM(D2:D9)+$B$1+SUM(E:E)", 10).aside(1).write(&mut text, 10);
    /// assert_eq!(text, b"SUM(E2:E9)+$B$1+SUM(F:F)");
    /// ```
    #[must_use]
    pub fn aside(mut self, columns: i64) -> Self {
        for piece in &mut self.pieces {
            if let Piece::Column { column, is_fixed: false } = piece {
                // References go round at the ends of the sheet, as shared formulas have it.
                let moved = (i64::from(*column) - 1 + columns).rem_euclid(i64::from(limits::COLUMNS));
                *column = moved as u32 + 1;
            }
        }
        self
    }

    /// The formula with ranges that end in row `from` ending in row `to`: what sums up rows above it takes in those that came. What
    /// refers to rows that move with it, from the first to the last of `moving`, goes with them, where the first of them comes to
    /// stand in the row behind. It stays as it is otherwise, wherever it is written.
    #[must_use]
    pub fn stretched(mut self, (from, to): (u32, u32), (moving, first): ((u32, u32), u32)) -> Self {
        for piece in &mut self.pieces {
            if let Piece::Row { row, is_fixed, is_elsewhere, is_range_end, .. } = piece {
                *is_fixed = true;
                if *is_elsewhere {
                    continue;
                }
                if (moving.0..=moving.1).contains(row) {
                    *row = *row - moving.0 + first;
                } else if *is_range_end && *row == from {
                    *row = to;
                }
            }
        }
        self
    }
}

struct Parser<'t> {
    text: &'t str,
    at: usize,
    pieces: Vec<Piece>,
    plain: String,
    /// Whether what was read last names a sheet; and which, if it is one of this workbook.
    is_elsewhere: bool,
    sheet: Option<usize>,
    sheets: Vec<String>,
}

impl Parser<'_> {
    fn run(&mut self) {
        while let Some(c) = self.text[self.at..].chars().next() {
            let rest = &self.text[self.at..];
            match c {
                '"' => self.take(quoted(rest, '"')),
                '\'' => self.take(quoted(rest, '\'')),
                '[' => self.take(bracketed(rest)),
                c if is_name(c) => self.word(),
                c => {
                    // A colon goes on with the reference before it.
                    if c != ':' && c != '!' {
                        self.is_elsewhere = false;
                    }
                    if c == '!' {
                        self.is_elsewhere = true;
                        self.sheet = self.named_sheet();
                    }
                    self.take(c.len_utf8());
                }
            }
        }
        self.flush();
    }

    /// The sheet whose name ends here; `None`: it is of another workbook, or there are several.
    fn named_sheet(&mut self) -> Option<usize> {
        let before = &self.text[..self.at];
        let name = if let Some(quoted) = before.strip_suffix('\'') {
            // A quote inside the name is doubled.
            let mut from = quoted.rfind('\'')?;
            while quoted[..from].ends_with('\'') {
                from = quoted[..from - 1].rfind('\'')?;
            }
            quoted[from + 1..].replace("''", "'")
        } else {
            let from = before
                .rfind(|c| !is_name(c))
                .map_or(0, |at| at + before[at..].chars().next().map_or(1, char::len_utf8));
            if before[..from].ends_with([']', ':']) {
                return None;
            }
            before[from..].to_owned()
        };
        if name.is_empty() || name.contains(['[', ':']) {
            return None;
        }
        self.sheets.push(name);
        Some(self.sheets.len() - 1)
    }

    fn take(&mut self, length: usize) {
        self.plain.push_str(&self.text[self.at..self.at + length]);
        self.at += length;
    }

    fn flush(&mut self) {
        if !self.plain.is_empty() {
            let mut text = Vec::new();
            xml::escape_content(&mut text, self.plain.as_bytes());
            self.pieces.push(Piece::Text(text));
            self.plain.clear();
        }
    }

    /// A name, number, function or reference.
    fn word(&mut self) {
        let rest = &self.text[self.at..];
        let length = rest.find(|c| !is_name(c)).unwrap_or(rest.len());
        let (word, behind) = rest.split_at(length);
        let is_cell = !behind.starts_with(['(', '!', '[']) && CellRef::parse(word).is_some();
        if is_cell || self.is_row_range(word, behind) {
            let digits = word.rfind(|c: char| !c.is_ascii_digit()).map_or(0, |at| at + 1);
            let is_range_end = self.plain.ends_with(':');
            if is_cell {
                self.column(word[..digits].trim_end_matches('$'));
            }
            if word[..digits].ends_with('$') {
                self.plain.push('$');
            }
            self.flush();
            self.pieces.push(Piece::Row {
                row: word[digits..].parse().unwrap_or(1),
                column: if is_cell { CellRef::parse(word).map_or(0, |cell| cell.column) } else { 0 },
                is_fixed: word[..digits].ends_with('$'),
                is_elsewhere: self.is_elsewhere,
                sheet: self.sheet.filter(|_| self.is_elsewhere),
                is_range_end,
            });
            self.at += length;
        } else if self.is_column_range(word, behind) {
            self.column(word);
            self.at += length;
        } else {
            self.take(length);
        }
    }

    /// The letters of a column, with `$` in front or without.
    fn column(&mut self, letters: &str) {
        let is_fixed = letters.starts_with('$');
        if is_fixed {
            self.plain.push('$');
        }
        let Some(column) = CellRef::parse(&format!("{}1", letters.trim_start_matches('$'))) else { return };
        // As it is spelled.
        if column_letters(column.column) == letters.trim_start_matches('$') {
            self.flush();
            self.pieces.push(Piece::Column { column: column.column, is_fixed });
        } else {
            self.plain.push_str(letters.trim_start_matches('$'));
        }
    }

    /// Whether a word is one side of a range of whole columns, such as `D:$E`.
    fn is_column_range(&self, word: &str, behind: &str) -> bool {
        let is_column = |t: &str| {
            let letters = t.strip_prefix('$').unwrap_or(t);
            (1..=3).contains(&letters.len())
                && letters.bytes().all(|b| b.is_ascii_uppercase())
                && CellRef::parse(&format!("{letters}1")).is_some()
        };
        let next = behind.strip_prefix(':').map(|t| &t[..t.find(|c| !is_name(c)).unwrap_or(t.len())]);
        let before_is_column =
            || matches!(self.pieces.last(), Some(Piece::Column { .. })) && self.plain == ":";
        is_column(word) && (next.is_some_and(is_column) || before_is_column())
    }

    /// Whether a word is one side of a range of whole rows, such as `3:$5`.
    fn is_row_range(&self, word: &str, behind: &str) -> bool {
        let is_row = |t: &str| {
            let digits = t.strip_prefix('$').unwrap_or(t);
            digits.bytes().all(|b| b.is_ascii_digit())
                && digits.parse::<u32>().is_ok_and(|row| (1..=limits::ROWS).contains(&row))
        };
        let next = behind.strip_prefix(':').map(|t| &t[..t.find(|c| !is_name(c)).unwrap_or(t.len())]);
        let before_is_row = || {
            let row_before = matches!(self.pieces.last(), Some(Piece::Row { .. }));
            row_before && self.plain.trim_end_matches('$') == ":"
        };
        is_row(word) && (next.is_some_and(is_row) || before_is_row())
    }
}

/// Whether a character belongs to names, numbers and references.
fn is_name(c: char) -> bool {
    c.is_alphanumeric() || matches!(c, '_' | '.' | '$' | '\\' | '?')
}

/// The length of what stands in quotes, doubled ones inside included.
fn quoted(text: &str, quote: char) -> usize {
    let mut at = 1;
    while let Some(found) = text[at..].find(quote) {
        at += found + 1;
        if !text[at..].starts_with(quote) {
            return at;
        }
        at += 1;
    }
    text.len()
}

/// The length of what stands in brackets; an apostrophe takes the meaning from the character behind it.
fn bracketed(text: &str) -> usize {
    let mut depth = 0;
    let mut chars = text.char_indices();
    while let Some((at, c)) = chars.next() {
        match c {
            '\'' => {
                chars.next();
            }
            '[' => depth += 1,
            ']' => {
                depth -= 1;
                if depth == 0 {
                    return at + 1;
                }
            }
            _ => {}
        }
    }
    text.len()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn moved(text: &str, from: u32, to: u32) -> String {
        let mut out = Vec::new();
        Formula::parse(text, from).write(&mut out, to);
        xml::text(&out)
    }

    #[test]
    fn relative_rows_go_with_the_formula_and_nothing_else_does() {
        for (text, expected) in [
            ("D2*E2", "D5*E5"),
            ("$D$2*E2", "$D$2*E5"),
            ("$D2*E$2", "$D5*E$2"),
            ("SUM(D$2:D2)", "SUM(D$2:D5)"),
            ("F1+D2", "F4+D5"),
            ("LOG10(D2)", "LOG10(D5)"),
            ("Dues2031+tax_1", "Dues2031+tax_1"),
            ("\"D2\"&D2", "\"D2\"&D5"),
            ("'Quay D2'!D2+Calls!D2", "'Quay D2'!D5+Calls!D5"),
            ("'It''s D2'!A1", "'It''s D2'!A4"),
            ("calls[[#This Row],[D2]]*2", "calls[[#This Row],[D2]]*2"),
            ("calls[[D2']]:[E]]+D2", "calls[[D2']]:[E]]+D5"),
            ("[1]Rates!$B$4*D2", "[1]Rates!$B$4*D5"),
            ("1E5+2E2*D2", "1E5+2E2*D5"),
            ("SUM(2:2)+SUM($2:3)", "SUM(5:5)+SUM($2:6)"),
            ("IF(D2>1,\"a\",D2<>3)", "IF(D5>1,\"a\",D5<>3)"),
            ("TRUE&ABD2&XFE2", "TRUE&ABD5&XFE2"),
            ("_xlfn.XLOOKUP(A2,Rates!A:A,Rates!B:B)", "_xlfn.XLOOKUP(A5,Rates!A:A,Rates!B:B)"),
            ("Größe2+D2", "Größe2+D5"),
        ] {
            assert_eq!(moved(text, 2, 5), expected, "{text}");
            assert_eq!(moved(text, 2, 2), text, "{text}");
        }
        assert_eq!(moved("A1", 2, 1), "A1048576");
    }

    #[test]
    fn sums_look_up_over_the_rows_above_them() {
        for (text, looks) in [
            ("SUM(D2:D9)", true),
            ("SUBTOTAL(109,[Dues])", true),
            ("AVERAGE(D$2:D$5)", true),
            ("D10*0.19", false),
            ("C10/B10", false),
            ("SUM(B10:C10)", false),
            ("D9+D8", false),
            ("SUM(Rates!D2:D9)", false),
            ("VLOOKUP(A10,Rates!A1:B9,2)", false),
        ] {
            assert_eq!(Formula::parse(text, 10).looks_up(2), looks, "{text}");
        }
    }

    #[test]
    fn totals_take_in_rows_that_came() {
        for (text, expected) in [
            ("SUM(D2:D9)", "SUM(D2:D20)"),
            // What stands beside it in the same row moves with it.
            ("SUBTOTAL(109,$D$2:$D$9)/D10", "SUBTOTAL(109,$D$2:$D$20)/D21"),
            ("C$10*0.19", "C$21*0.19"),
            // And what stands in another row of totals.
            ("SUM(D10:D11)+D12", "SUM(D21:D22)+D12"),
            ("C7/B10+Other!B10", "C7/B21+Other!B10"),
            ("SUM(Other!D2:D9)+D9", "SUM(Other!D2:D9)+D9"),
            ("SUM(D2:D8)", "SUM(D2:D8)"),
            ("SUBTOTAL(109,[Dues])", "SUBTOTAL(109,[Dues])"),
        ] {
            let mut out = Vec::new();
            Formula::parse(text, 10).stretched((9, 20), ((10, 11), 21)).write(&mut out, 21);
            assert_eq!(String::from_utf8(out).unwrap(), expected);
        }
    }
}
