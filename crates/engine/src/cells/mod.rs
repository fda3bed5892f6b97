//! Where both libraries meet: values of the source become cells, and each cell is spelled again and compared.

mod date_code;
mod number_code;
mod spell;
mod strings;
mod units;

pub(crate) use spell::result_of;
pub use spell::{CellForm, NotSpelled};
pub(crate) use strings::{Strings, string_prints};
pub(crate) use units::units;

use date_code::{date_code, date_locale};
use incola_core::kind::statistics::{Wrap, trim, unwrap};
use incola_core::kind::{Kind, Rule, Value};
use incola_core::reading::{ColumnReading, Pad};
use incola_core::refresh::fingerprint;
use incola_workbook::number_format::{Locale, NumberFormat};
use incola_workbook::{CellContent, RowEncoder, StyleId, Styles, serial_date, xml};
use number_code::{look_code, number_code, number_locale, unmark, write_number};

/// Why a cell does not give back what the source had.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Loss {
    /// Blanks around the value.
    Blanks,
    /// Bytes that stand for no character.
    Undecodable,
    /// The spelling itself: should never happen, and is told if it does.
    Spelling,
    /// The clerk said that these characters mean empty.
    MeansEmpty,
    /// Marks that kept the value text, which others in the column lack.
    Wrapping,
}

/// What became of a field.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Outcome {
    /// Nothing was written: the field is empty.
    Blank,
    /// A cell that gives back the field character for character.
    Exact,
    /// A cell, or none, that does not.
    Lost(Loss),
}

/// Writes the cells of one column.
#[derive(Debug)]
pub struct ColumnWriter {
    /// The column's cell format by spelling.
    styles: Vec<StyleId>,
    formats: Vec<NumberFormat>,
    locale: Locale,
    percent: Vec<bool>,
    words: [String; 2],
    /// Digits of values whose decimals are implied: their mark is taken out again, zeros put in front.
    picture: Option<u8>,
    pad: Option<Pad>,
    /// How all values are wrapped to stay text.
    wrap: Option<Wrap>,
    /// Whether the workbook counts its days from 1904.
    from_1904: bool,
    /// Whether a number that is missing is written as 0.
    zero_if_blank: bool,
}

/// Buffers that a worker keeps from cell to cell, and what it counted.
#[derive(Debug, Default)]
pub struct Scratch {
    shown: Vec<u8>,
    padded: Vec<u8>,
}

impl ColumnWriter {
    /// A writer for `column`, whose formats are added to `styles`. `from_1904`: whether the workbook counts its days from 1904.
    pub fn new(column: &ColumnReading, styles: &mut Styles, from_1904: bool) -> Self {
        let (mut codes, locale): (Vec<String>, Locale) = match &column.rule {
            Rule::Number(rule) => (
                rule.spellings.iter().map(|s| number_code(&s.spelling(), rule)).collect(),
                number_locale(rule),
            ),
            Rule::Date(rule) => {
                (rule.spellings.iter().map(|s| date_code(s, rule)).collect(), date_locale(rule))
            }
            _ => (Vec::new(), Locale::default()),
        };
        if let Some(shown) = &column.shown {
            codes.fill(look_code(&shown.look));
        }
        let percent = match &column.rule {
            Rule::Number(rule) => rule
                .spellings
                .iter()
                .map(|s| s.spelling().affix.is_some_and(|a| a.symbol.is_percent()))
                .collect(),
            _ => Vec::new(),
        };
        let words = match &column.rule {
            Rule::Boolean(rule) => [rule.no.clone(), rule.yes.clone()],
            _ => Default::default(),
        };
        let picture = match &column.rule {
            Rule::Number(rule) if rule.implied_decimals.is_some() => Some(rule.picture_digits.unwrap_or(0)),
            _ => None,
        };
        Self {
            styles: codes.iter().map(|code| styles.number_format(code)).collect(),
            formats: codes.iter().map(|code| NumberFormat::new(code)).collect(),
            locale,
            percent,
            words,
            picture,
            pad: column.pad,
            wrap: column.stats.wrap(),
            from_1904,
            zero_if_blank: column.zero_if_blank,
        }
    }

    /// A writer that reads cells which come from no source any more.
    pub fn plain(from_1904: bool) -> Self {
        Self {
            styles: Vec::new(),
            formats: Vec::new(),
            locale: Locale::default(),
            percent: Vec::new(),
            words: ["FALSE".into(), "TRUE".into()],
            picture: None,
            pad: None,
            wrap: None,
            from_1904,
            zero_if_blank: false,
        }
    }

    /// Writers for all columns of a source. `from_1904`: whether the workbook counts its days from 1904.
    pub fn for_book(columns: &[ColumnReading], styles: &mut Styles, from_1904: bool) -> Vec<Self> {
        columns.iter().map(|column| Self::new(column, styles, from_1904)).collect()
    }

    /// The format for cells of the column that are still empty.
    pub fn empty_style(&self, column: &ColumnReading) -> StyleId {
        if column.rule.kind() == Kind::Text {
            Styles::TEXT
        } else {
            self.styles.first().copied().unwrap_or_default()
        }
    }

    /// The formats that its cells may have.
    pub fn formats(&self) -> Vec<StyleId> {
        let mut all = self.styles.clone();
        all.extend([Styles::TEXT, StyleId::default()]);
        all
    }

    /// Writes a value, which was read from `field`, as cell `place` (from 0) of the row, and compares what the written
    /// bytes show with the field.
    #[inline]
    pub fn write(
        &self,
        place: usize,
        field: &[u8],
        value: Value<'_>,
        rows: &mut RowEncoder,
        scratch: &mut Scratch,
    ) -> Outcome {
        match value {
            Value::Blank if self.zero_if_blank => {
                let style = self.styles.first().copied().unwrap_or_default();
                rows.number(place, style, |out| out.push(b'0'));
                Outcome::Blank
            }
            Value::Blank => {
                rows.blank(place);
                self.blank(field, scratch)
            }
            Value::Text(text) => {
                let at = rows.text(place, Styles::TEXT, text);
                self.compare_text(text, &rows.xml()[at], field, scratch)
            }
            Value::Misfit(text) => {
                // No text format: the program's own warning mark shows that it is no number.
                let at = rows.text(place, StyleId::default(), text);
                self.compare_text(text, &rows.xml()[at], field, scratch)
            }
            Value::Number(number, spelling) => {
                let spelling = usize::from(spelling);
                let percent = self.percent[spelling];
                let at = rows.number(place, self.styles[spelling], |out| write_number(out, &number, percent));
                scratch.shown.clear();
                self.formats[spelling].show(&rows.xml()[at], &self.locale, &mut scratch.shown);
                if let Some(digits) = self.picture {
                    unmark(&mut scratch.shown, usize::from(digits));
                }
                self.compare(field, scratch)
            }
            Value::Moment(day, millis, spelling) => {
                let spelling = usize::from(spelling);
                let days = day.map(incola_core::kind::Day::since_1970);
                if self.from_1904 {
                    return self.write_from_1904(place, field, (days, millis, spelling), rows, scratch);
                }
                let at =
                    rows.number(place, self.styles[spelling], |out| serial_date::write(out, days, millis));
                scratch.shown.clear();
                self.formats[spelling].show(&rows.xml()[at], &self.locale, &mut scratch.shown);
                self.compare(field, scratch)
            }
            Value::Boolean(value) => {
                rows.boolean(place, StyleId::default(), value);
                scratch.shown.clear();
                scratch.shown.extend_from_slice(self.words[usize::from(value)].as_bytes());
                self.compare(field, scratch)
            }
        }
    }

    /// The fingerprint of the cell that a value becomes.
    #[inline]
    pub fn fingerprint(&self, field: &[u8], value: &Value<'_>) -> u64 {
        match value {
            Value::Blank if self.zero_if_blank => fingerprint::number(false, 0, 0),
            Value::Blank => fingerprint::BLANK,
            Value::Text(text) | Value::Misfit(text) => fingerprint::text(text),
            Value::Number(number, spelling) => {
                let percent = self.percent[usize::from(*spelling)];
                let scale = i32::from(number.scale) + if percent { 2 } else { 0 };
                fingerprint::number(number.negative, number.digits, scale)
            }
            Value::Moment(day, millis, _) => match serial_millis(*day, *millis) {
                before if self.from_1904 && before < DAYS_TO_1904 && day.is_some() => {
                    fingerprint::text(field)
                }
                millis => fingerprint::moment(millis),
            },
            Value::Boolean(value) => fingerprint::boolean(*value),
        }
    }

    /// The fingerprint of what a cell of the sheet holds in the column. `string` gives that of a text in the table of strings.
    #[inline]
    pub fn fingerprint_of_cell(
        &self,
        content: &CellContent<'_>,
        kind: Kind,
        string: &impl Fn(usize) -> u64,
    ) -> u64 {
        match content {
            CellContent::Blank => fingerprint::BLANK,
            CellContent::Text(text) => fingerprint::text(text),
            CellContent::Shared(place) => string(*place),
            CellContent::Boolean(value) => fingerprint::boolean(*value),
            CellContent::Error(text) => fingerprint::error(text),
            CellContent::Formula(text, _) => fingerprint::formula(text),
            CellContent::Number(digits) => {
                let moment = matches!(kind, Kind::Date | Kind::Time | Kind::DateTime)
                    .then(|| self.moment_of(digits, kind))
                    .flatten();
                moment
                    .map(fingerprint::moment)
                    .or_else(|| fingerprint::number_text(digits))
                    .unwrap_or_else(|| fingerprint::text(digits))
            }
        }
    }

    /// What a serial number in the sheet stands for, as milliseconds since day 0 of the 1900 system.
    fn moment_of(&self, digits: &[u8], kind: Kind) -> Option<i64> {
        let (days, millis) = serial_date::read_digits(digits)?;
        let from_1904 = i64::from(self.from_1904 && kind != Kind::Time) * DAYS_TO_1904;
        Some((i64::from(days) + i64::from(serial_date::DAYS_1970)) * DAY + i64::from(millis) + from_1904)
    }

    /// What a cell of the sheet shows in the column, as the source would spell it.
    pub fn shown(&self, content: &CellContent<'_>, kind: Kind) -> String {
        let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
        match content {
            // Of a text in the table of strings, only its place is known here.
            CellContent::Blank | CellContent::Shared(_) => String::new(),
            CellContent::Text(bytes) | CellContent::Error(bytes) => text(bytes),
            CellContent::Boolean(value) => self.words[usize::from(*value)].clone(),
            CellContent::Formula(xml, _) => {
                let tags = text(xml);
                let inside = tags.split_once('>').and_then(|(_, rest)| rest.rsplit_once("</"));
                let mut formula = b"=".to_vec();
                xml::unescape(&mut formula, inside.map_or("\u{2026}", |(inside, _)| inside).as_bytes());
                text(&formula)
            }
            CellContent::Number(digits) => {
                let Some(first) = self.formats.first() else { return text(digits) };
                let format = self.grouping_format(digits).unwrap_or(first);
                let mut shifted = Vec::new();
                if let Some(millis) = format.is_date().then(|| self.moment_of(digits, kind)).flatten() {
                    let days = (millis.div_euclid(DAY) - i64::from(serial_date::DAYS_1970)) as i32;
                    let time_only = kind == Kind::Time;
                    let millis = millis.rem_euclid(DAY) as u32;
                    serial_date::write(&mut shifted, (!time_only).then_some(days), millis);
                } else {
                    shifted.extend_from_slice(digits);
                }
                let mut out = Vec::new();
                format.show(&shifted, &self.locale, &mut out);
                // A format made for other digits may hide some.
                let back = fingerprint::number_text(digits);
                if !format.is_date() && shows_fewer(&out, digits) && back.is_some() {
                    text(digits)
                } else {
                    text(&out)
                }
            }
        }
    }

    /// For a number that is long enough to be grouped: the format that does, if the column has one.
    fn grouping_format(&self, digits: &[u8]) -> Option<&NumberFormat> {
        let whole = digits.iter().take_while(|b| **b != b'.').filter(|b| b.is_ascii_digit()).count();
        self.formats.iter().find(|format| whole > 3 && format.code().contains("#,##0"))
    }

    /// Writes a day as its count from 1904; one before that, which such a workbook cannot hold, as text.
    fn write_from_1904(
        &self,
        place: usize,
        field: &[u8],
        (days, millis, spelling): (Option<i32>, u32, usize),
        rows: &mut RowEncoder,
        scratch: &mut Scratch,
    ) -> Outcome {
        let shifted = days.map(|d| d - serial_date::DAYS_TO_1904);
        let mut serial = Vec::new();
        serial_date::write(&mut serial, shifted, millis);
        if serial.starts_with(b"-") {
            let at = rows.text(place, StyleId::default(), field);
            return self.compare_text(field, &rows.xml()[at], field, scratch);
        }
        rows.number(place, self.styles[spelling], |out| out.extend_from_slice(&serial));
        serial.clear();
        serial_date::write(&mut serial, days, millis);
        scratch.shown.clear();
        self.formats[spelling].show(&serial, &self.locale, &mut scratch.shown);
        self.compare(field, scratch)
    }

    fn blank(&self, field: &[u8], scratch: &mut Scratch) -> Outcome {
        if field.is_empty() {
            return Outcome::Blank;
        }
        scratch.shown.clear();
        if trim(field).0.is_empty() { self.compare(field, scratch) } else { Outcome::Lost(Loss::MeansEmpty) }
    }

    /// Compares text as it was written with the field.
    #[inline]
    fn compare_text(&self, text: &[u8], written: &[u8], field: &[u8], scratch: &mut Scratch) -> Outcome {
        if written == field {
            return Outcome::Exact;
        }
        scratch.shown.clear();
        xml::unescape(&mut scratch.shown, written);
        if scratch.shown != text {
            return Outcome::Lost(Loss::Undecodable);
        }
        self.compare(field, scratch)
    }

    /// Compares what is shown, with the column's padding, with the field.
    #[inline]
    fn compare(&self, field: &[u8], scratch: &mut Scratch) -> Outcome {
        if scratch.shown == field {
            return Outcome::Exact;
        }
        if let Some(pad) = self.pad
            && pad.is_around(&scratch.shown, field, &mut scratch.padded)
        {
            return Outcome::Exact;
        }
        self.compare_otherwise(field, scratch)
    }

    /// The same for fields that are neither spelled as they are shown nor padded.
    #[cold]
    fn compare_otherwise(&self, field: &[u8], scratch: &mut Scratch) -> Outcome {
        if let Some(wrap) = self.wrap {
            scratch.padded.clear();
            wrap.restore(&scratch.shown, &mut scratch.padded);
            if scratch.padded == field {
                return Outcome::Exact;
            }
        }
        let value = trim(field).0;
        let shown = trim(&scratch.shown).0;
        Outcome::Lost(if value == shown {
            Loss::Blanks
        } else if unwrap(value).is_some_and(|(inner, _)| inner == shown) {
            Loss::Wrapping
        } else {
            Loss::Spelling
        })
    }
}

/// Milliseconds of a day.
const DAY: i64 = serial_date::DAY_MILLIS as i64;

/// Milliseconds from day 0 of the 1900 system to that of the 1904 system.
const DAYS_TO_1904: i64 = serial_date::DAYS_TO_1904 as i64 * DAY;

/// A date or time as milliseconds since day 0 of the 1900 system.
fn serial_millis(day: Option<incola_core::kind::Day>, millis: u32) -> i64 {
    let days = day.map_or(0, |day| i64::from(day.since_1970()) + i64::from(serial_date::DAYS_1970));
    days * DAY + i64::from(millis)
}

/// Whether digits that a number has are not shown.
fn shows_fewer(shown: &[u8], digits: &[u8]) -> bool {
    let significant = |text: &[u8]| {
        // The digits of an exponent are none of the number's own.
        let is_exponent = |pair: &[u8]| pair[0].is_ascii_digit() && matches!(pair[1], b'E' | b'e');
        let text = text.windows(2).position(is_exponent).map_or(text, |at| &text[..=at]);
        let digits: Vec<u8> = text.iter().copied().filter(u8::is_ascii_digit).collect();
        let from = digits.iter().position(|d| *d != b'0').unwrap_or(digits.len());
        let to = digits.iter().rposition(|d| *d != b'0').map_or(from, |at| at + 1);
        to.saturating_sub(from)
    };
    significant(shown) < significant(digits)
}

#[cfg(test)]
mod tests {
    use super::*;
    use incola_core::kind::ColumnStats;
    use incola_core::kind::decide::{Surroundings, decide};

    /// Reads, writes and spells again the values of a column; gives the codes that were used.
    fn round(values: &[&str]) -> Vec<String> {
        let mut stats = ColumnStats::default();
        for value in values {
            stats.observe(value.as_bytes(), 1);
        }
        let verdict = decide(&stats, "Dues", &Surroundings::default());
        let column = ColumnReading {
            number: 1,
            name: "Dues".into(),
            unit: None,
            rule: verdict.rule,
            decided_by: incola_core::evidence::DecidedBy::Detected,
            why: verdict.why,
            doubt: None,
            misfits: verdict.misfits,
            pad: None,
            zero_if_blank: false,
            is_made: false,
            shown: None,
            stats,
        };
        let writer = ColumnWriter::new(&column, &mut Styles::new(), false);
        let mut rows = RowEncoder::new(1, 1);
        let mut scratch = Scratch::default();
        rows.begin_row(1);
        for value in values {
            let read = column.read(value.as_bytes());
            assert!(
                !matches!(read, Value::Misfit(_) | Value::Text(_)),
                "{value} is no {}: {}",
                column.rule.kind().word(),
                column.why
            );
            let outcome = writer.write(0, value.as_bytes(), read, &mut rows, &mut scratch);
            assert_eq!(
                outcome,
                Outcome::Exact,
                "{value} shown as {}",
                String::from_utf8_lossy(&scratch.shown)
            );
        }
        writer.formats.iter().map(|f| f.code().to_owned()).collect()
    }

    #[test]
    fn numbers_are_spelled_again_character_for_character() {
        for values in [
            &["12", "-5", "0"][..],
            &["12.5", "3.00", "0.125", "-0.50"],
            &["1,234.50", "12.5", "1,234,567.00"],
            &["1.234,50", "12,5"],
            &["1 234,50", "-12,5"],
            &[".5", "5.", "-.25"],
            &["(5.00)", "12.00"],
            &["5.00-", "12.00"],
            &["+5.00", "-3.00", "1.00"],
            &["$5.00", "-$3.00", "$-1.00"],
            &["12,50 €", "-3,00 €"],
            &["EUR 12.50", "USD 3.00"],
            &["12%", "3.5%", "-1 %"],
            &["5.00 CR", "3.00 DR", "1.00"],
            &["4.7309E-23", "1.2E+05", "1.5e3"],
            &["-0", "-0.00", "1"],
            &["0.000000000000000123", "1.0"],
            &["\u{2212}5.0", "3.0"],
            &["999999999999999", "0.1"],
        ] {
            round(values);
        }
        assert_eq!(round(&["1,234.50", "12.5"]), ["0.0", "#,##0.00"]);
    }

    #[test]
    fn dates_and_times_are_spelled_again_character_for_character() {
        for values in [
            &["2031-08-17", "2031-12-01"][..],
            &["17.08.2031", "1.9.2031"],
            &["8/17/2031", "12/1/2031"],
            &["20310817", "20311201"],
            &["2031-08-17T09:30:00Z", "2031-08-17T23:59:59Z"],
            &["2031-08-17 09:30:00.125", "2031-08-17 09:30:00.999"],
            &["17 Aug 2031", "1 Dec 2031"],
            &["4. März 2031", "17. Oktober 2031"],
            &["AUG 17, 2031", "DEC 1, 2031"],
            &["17-aug-31", "01-dec-31"],
            &["9:05", "23:59"],
            &["1:30 pm", "12:00 am"],
            &["20310817093000", "20310817235959"],
            &["17.08.2031 09:30", "17.08.2031"],
        ] {
            round(values);
        }
        assert_eq!(round(&["17/08/2031"]), ["dd\\/mm\\/yyyy"]);
    }
}
