//! Cells spelled as the source spelled them: the way back.

use super::number_code::unmark;
use super::{ColumnWriter, DAY, shows_fewer};
use incola_core::kind::Kind;
use incola_core::kind::statistics::{Wrap, trim};
use incola_core::reading::Pad;
use incola_workbook::number_format::{Locale, NumberFormat};
use incola_workbook::{CellContent, serial_date, xml};
use serde::{Deserialize, Serialize};

/// How a column spells its values, as a link keeps it.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
pub struct CellForm {
    /// Its name in the source.
    pub name: String,
    /// Its kind, in the docket's word.
    pub kind: String,
    /// The codes of its number formats.
    #[serde(default)]
    pub codes: Vec<String>,
    /// Before the decimals, and between groups of digits.
    #[serde(default)]
    pub marks: Vec<String>,
    /// Names of months, short and then long; where it has them.
    #[serde(default)]
    pub months: Vec<String>,
    /// What stands for the halves of a day.
    #[serde(default)]
    pub halves: Vec<String>,
    /// What stands for no and yes.
    #[serde(default)]
    pub words: Vec<String>,
    /// Digits of values whose decimals are implied.
    pub picture: Option<u8>,
    /// Blanks around its values.
    pub pad: Option<Pad>,
    /// How its values are wrapped.
    pub wrap: Option<Wrap>,
    /// Whether it has no values at all.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub is_empty: bool,
}

/// Why a cell cannot be spelled.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NotSpelled {
    /// It holds a formula: what it computed last is spelled.
    Formula,
    /// It holds an error value.
    Error,
}

/// What a formula came to: what stands in `<v>` behind it, whatever its prefix.
pub(crate) fn result_of(behind: &[u8]) -> Option<&[u8]> {
    let from = memchr::memmem::find(behind, b"v>")? + 2;
    let length = memchr::memchr(b'<', &behind[from..])?;
    Some(&behind[from..from + length])
}

impl ColumnWriter {
    /// What the link has to know of the column to spell its cells again.
    pub fn form(&self, name: &str, kind: Kind) -> CellForm {
        let plain = Locale::default();
        let own = |list: &[String], usual: &[String]| if list == usual { Vec::new() } else { list.to_vec() };
        let has_words = self.words.iter().any(|word| !word.is_empty());
        let is_typed = !self.formats.is_empty();
        CellForm {
            name: name.to_owned(),
            kind: kind.word().to_owned(),
            codes: self.formats.iter().map(|format| format.code().to_owned()).collect(),
            marks: if is_typed {
                vec![self.locale.decimal.clone(), self.locale.group.clone()]
            } else {
                Vec::new()
            },
            months: own(&self.locale.months.concat(), &plain.months.concat()),
            halves: own(&self.locale.halves, &plain.halves),
            words: if has_words { self.words.to_vec() } else { Vec::new() },
            picture: self.picture,
            pad: self.pad,
            wrap: self.wrap,
            is_empty: false,
        }
    }

    /// The column of which that was known.
    pub fn of_form(form: &CellForm, from_1904: bool) -> Self {
        let mut locale = Locale::default();
        if let [decimal, group] = &form.marks[..] {
            (locale.decimal, locale.group) = (decimal.clone(), group.clone());
        }
        if let [first, second] = &form.halves[..] {
            locale.halves = [first.clone(), second.clone()];
        }
        if form.months.len() == 24 {
            locale.months = [0, 12].map(|from| std::array::from_fn(|n| form.months[from + n].clone()));
        }
        let mut words = ["FALSE".to_owned(), "TRUE".to_owned()];
        if let [no, yes] = &form.words[..] {
            words = [no.clone(), yes.clone()];
        }
        Self {
            formats: form.codes.iter().map(|code| NumberFormat::new(code)).collect(),
            locale,
            words,
            picture: form.picture,
            pad: form.pad,
            wrap: form.wrap,
            ..Self::plain(from_1904)
        }
    }

    /// Appends what a cell holds, as the source would spell it. `format`: that of the cell; `text`: gives a text of the table of strings.
    ///
    /// # Errors
    /// [`NotSpelled`] for what is no value; something stands in for it all the same.
    pub fn spell<'s>(
        &self,
        content: &CellContent<'_>,
        kind: Kind,
        format: Option<&NumberFormat>,
        string: impl Fn(usize) -> &'s [u8],
        out: &mut Vec<u8>,
    ) -> Result<(), NotSpelled> {
        let begin = out.len();
        let mut result = Ok(());
        match content {
            CellContent::Blank => return Ok(()),
            CellContent::Text(text) => out.extend_from_slice(text),
            CellContent::Shared(place) => out.extend_from_slice(string(*place)),
            CellContent::Boolean(value) => out.extend_from_slice(self.words[usize::from(*value)].as_bytes()),
            CellContent::Error(text) => {
                out.extend_from_slice(text);
                result = Err(NotSpelled::Error);
            }
            CellContent::Formula(_, behind) => {
                let value = result_of(behind).unwrap_or_default();
                if value.iter().all(|b| b.is_ascii_digit() || matches!(b, b'.' | b'-')) && !value.is_empty() {
                    self.spell_number(value, kind, format, out);
                } else {
                    xml::unescape(out, value);
                }
                result = Err(NotSpelled::Formula);
            }
            CellContent::Number(digits) => self.spell_number(digits, kind, format, out),
        }
        // What does not fit its column was kept with the blanks around it.
        let has_blanks = trim(&out[begin..]).0.len() < out.len() - begin;
        if out.len() == begin || has_blanks || (self.wrap.is_none() && self.pad.is_none()) {
            return result;
        }
        let value = out.split_off(begin);
        match (self.wrap, self.pad) {
            (Some(wrap), _) if matches!(content, CellContent::Text(_) | CellContent::Shared(_)) => {
                wrap.restore(&value, out);
            }
            (_, Some(pad)) => pad.restore(&value, out),
            _ => out.extend_from_slice(&value),
        }
        result
    }

    fn spell_number(&self, digits: &[u8], kind: Kind, format: Option<&NumberFormat>, out: &mut Vec<u8>) {
        let begin = out.len();
        let is_moment = matches!(kind, Kind::Date | Kind::Time | Kind::DateTime);
        let own = format.and_then(|format| self.formats.iter().find(|own| own.code() == format.code()));
        let is_date = format.is_some_and(NumberFormat::is_date);
        // What was typed gets the column's format; a number among dates, or a date among numbers, keeps its own.
        let usual = || {
            let first = self.grouping_format(digits).or(self.formats.first());
            if is_moment == is_date { first } else { None }
        };
        let foreign = format.filter(|format| is_date && !matches!(format.code(), "General" | "@" | ""));
        let plain = |out: &mut Vec<u8>| {
            out.truncate(begin);
            let decimal = self.locale.decimal.as_bytes();
            for b in digits {
                if *b == b'.' {
                    out.extend_from_slice(decimal);
                } else {
                    out.push(*b);
                }
            }
        };
        let Some(format) = own.or_else(usual).or(foreign) else { return plain(out) };
        if format.is_date() {
            let Some(millis) = self.moment_of(digits, kind) else { return plain(out) };
            let days = (millis.div_euclid(DAY) - i64::from(serial_date::DAYS_1970)) as i32;
            let mut serial = Vec::new();
            serial_date::write(
                &mut serial,
                (kind != Kind::Time).then_some(days),
                millis.rem_euclid(DAY) as u32,
            );
            format.show(&serial, &self.locale, out);
            return;
        }
        format.show(digits, &self.locale, out);
        if let Some(digits) = self.picture {
            let mut shown = out.split_off(begin);
            unmark(&mut shown, usize::from(digits));
            out.extend_from_slice(&shown);
        } else if shows_fewer(&out[begin..], digits) {
            // A format made for other digits hides some.
            plain(out);
        }
    }
}
