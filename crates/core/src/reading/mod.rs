//! The reading: everything that was decided about a source, each part with its reason.

mod names;
mod notices;
mod pad;

pub use pad::Pad;

use crate::encoding::Encoding;
use crate::evidence::{DecidedBy, Decision};
use crate::kind::date::DateOrder;
use crate::kind::decide::{Doubt, Surroundings, Verdict, decide};
use crate::kind::force::force;
use crate::kind::shown::Shown;
use crate::kind::{ColumnStats, Count, Decimal, Kind, Rule, Value, number, pattern, statistics};
use crate::layout::{Layout, LayoutChoices, LayoutDoubt, NamedValue, SetAside, Total, named_values};
use crate::notice::{Notice, NoticeCode};
use crate::record::Multiline;
use crate::rows::{Aside, Role};
use crate::settings::BadSetting;
use crate::settings::selector::{AsChoice, Selector};
use crate::shape::{DerivedColumn, ShapingChoices, made_format};
use crate::survey::Survey;
use crate::words::counted;
use names::{names, outside, stated_kinds};
use notices::{
    breach, column_notices, first_rows_notice, fixed_notices, line_notices, shaping_notices, total_notices,
};

/// How many records are surveyed.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Scan {
    /// All of them.
    #[default]
    All,
    /// The first so many.
    First(u64),
}

/// What the clerk or a docket says about reading a source; everything left open is detected.
#[derive(Clone, Debug, Default)]
pub struct Choices {
    /// The encoding.
    pub encoding: Option<Encoding>,
    /// Who says what the encoding is; nobody else than the clerk if this is open.
    pub encoding_by: Option<DecidedBy>,
    /// How records are cut and where they stand.
    pub layout: LayoutChoices,
    /// The decimal character of all columns.
    pub decimal: Option<Decimal>,
    /// Spellings that mean empty.
    pub blank: Vec<String>,
    /// The same for single columns, by name.
    pub blank_in: Vec<(String, Vec<String>)>,
    /// Whether blank lines among the records are records.
    pub keeps_blank_rows: bool,
    /// Kinds that columns must have; later ones win.
    pub kinds: Vec<AsChoice>,
    /// The columns that are wanted; empty: all.
    pub only: Vec<Selector>,
    /// Names for all columns, instead of those in the source.
    pub names: Option<Vec<String>>,
    /// How many records are surveyed.
    pub scan: Scan,
    /// What becomes of rows on the way in.
    pub shaping: ShapingChoices,
    /// The kinds of the columns, where all of them are made of others: rows that were rolled up.
    pub rolled_up: Vec<Kind>,
}

impl Choices {
    /// The same for a first look at a source whose rows are shaped: all columns are wanted, and those that are made are not there yet.
    #[must_use]
    pub fn before_shaping(&self) -> Self {
        let mut choices = Self { shaping: ShapingChoices::default(), only: Vec::new(), ..self.clone() };
        choices.kinds.retain(|choice| choice.kind != Kind::Skip);
        for choice in &mut choices.kinds {
            choice.by = DecidedBy::Docket;
        }
        choices
    }
}

/// How lines end.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LineEnd {
    /// Line feed.
    Lf,
    /// Carriage return and line feed.
    Crlf,
    /// Carriage return.
    Cr,
    /// Several of them.
    Mixed,
    /// There is no line end.
    None,
}

impl LineEnd {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Lf => "lf",
            Self::Crlf => "crlf",
            Self::Cr => "cr",
            Self::Mixed => "mixed",
            Self::None => "none",
        }
    }

    /// How the lines of decoded samples end. `lone_cr`: a carriage return alone ends a line.
    pub fn of(samples: &[&[u8]], lone_cr: bool) -> Self {
        let (mut lf, mut crlf, mut cr) = (0, 0, 0);
        for sample in samples {
            for at in memchr::memchr2_iter(b'\n', b'\r', sample) {
                match (sample[at], at.checked_sub(1).map(|b| sample[b]), sample.get(at + 1)) {
                    (b'\n', Some(b'\r'), _) => crlf += 1,
                    (b'\n', ..) => lf += 1,
                    (_, _, Some(b'\n')) => {}
                    _ => cr += usize::from(lone_cr),
                }
            }
        }
        match (lf > 0, crlf > 0, cr > 0) {
            (false, false, false) => Self::None,
            (true, false, false) => Self::Lf,
            (false, true, false) => Self::Crlf,
            (false, false, true) => Self::Cr,
            _ => Self::Mixed,
        }
    }
}

/// A column as it is read.
#[derive(Clone, Debug)]
pub struct ColumnReading {
    /// From 1, in the source.
    pub number: usize,
    /// Unique and not empty.
    pub name: String,
    /// The unit that stands below the name.
    pub unit: Option<String>,
    /// How its fields are read.
    pub rule: Rule,
    /// Who says so.
    pub decided_by: DecidedBy,
    /// Why.
    pub why: String,
    /// What cannot be told.
    pub doubt: Option<Doubt>,
    /// Values that do not fit, as far as the survey tells.
    pub misfits: Count,
    /// Blanks around its values.
    pub pad: Option<Pad>,
    /// Whether a number that is missing is written as 0.
    pub zero_if_blank: bool,
    /// Whether its values are made of others, and not what the source holds.
    pub is_made: bool,
    /// How the sheet shows values that are made, where that is stated.
    pub shown: Option<Shown>,
    /// What was seen of it.
    pub stats: ColumnStats,
}

impl ColumnReading {
    /// Whether the column is written.
    pub fn is_wanted(&self) -> bool {
        self.rule != Rule::Skip
    }

    /// Reads one of its fields.
    #[inline]
    pub fn read<'f>(&self, field: &'f [u8]) -> Value<'f> {
        match self.rule.read(field) {
            Value::Text(text) if self.pad.is_some() => Value::Text(statistics::trim(text).0),
            value => value,
        }
    }

    /// The format in words: a date pattern or a sample of a number.
    pub fn format(&self) -> Option<String> {
        if let Some(shown) = &self.shown {
            return Some(shown.format.clone());
        }
        match &self.rule {
            Rule::Date(rule) => Some(pattern::of_date_rule(rule)),
            Rule::Number(rule) => Some(pattern::of_number_rule(rule)),
            Rule::Boolean(rule) => Some(format!("{}/{}", rule.yes, rule.no)),
            Rule::Text | Rule::Skip => None,
        }
    }

    /// The orders of day and month that its values allow, with the pattern of each.
    pub fn date_patterns(&self) -> Vec<(DateOrder, String)> {
        both_patterns(&self.stats)
    }

    /// The column's decimal and group characters, where its numbers show them.
    pub fn marks(&self) -> (Option<char>, Option<&'static str>) {
        match &self.rule {
            Rule::Number(rule) => {
                let marked = rule.spellings.iter().any(|s| s.has_mark());
                let group = Some(rule.group.text()).filter(|g| !g.is_empty());
                (marked.then_some(rule.decimal.char()), group)
            }
            _ => (None, None),
        }
    }
}

/// Everything that was decided about a source.
#[derive(Clone, Debug)]
pub struct Reading {
    /// The encoding.
    pub encoding: Decision<Encoding>,
    /// Length of the byte order mark in bytes.
    pub bom_bytes: usize,
    /// How lines end.
    pub line_end: LineEnd,
    /// The layout.
    pub layout: Layout,
    /// Values named in the lines above the header.
    pub values: Vec<NamedValue>,
    /// Records.
    pub records: u64,
    /// The columns.
    pub columns: Vec<ColumnReading>,
    /// Lines that are no records, in their order.
    pub set_aside: Vec<SetAside>,
    /// What the clerk should know.
    pub notices: Vec<Notice>,
}

/// Puts together what was found: kinds, names, notices. `head`: the first lines, decoded.
///
/// # Errors
/// [`BadSetting`] if the choices do not fit the source: a column that is not there, a pattern that is none.
pub fn conclude(
    encoding: Decision<Encoding>,
    bom_bytes: usize,
    line_end: LineEnd,
    layout: Layout,
    survey: &Survey,
    choices: &Choices,
    head: &[u8],
) -> Result<Reading, BadSetting> {
    let mut notices = Vec::new();
    let names = names(&layout, survey, choices, &mut notices)?;
    let kinds = stated_kinds(&names, choices)?;
    let made = layout.shaping.as_ref().map_or(&[][..], |shaping| shaping.columns());
    let own = survey.columns.len().saturating_sub(made.len());
    let file_decimal = choices
        .decimal
        .map(|d| (d, "stated".to_owned()))
        .or_else(|| decimal_of_file(&survey.columns, &names));
    let mut columns = Vec::new();
    for (place, stats) in survey.columns.iter().enumerate() {
        let multiline = layout.dialect.value.division.multiline();
        let around = Surroundings {
            begins_records: place == 0 && matches!(multiline, Some(Multiline::Continued(_))),
            decimal: file_decimal.clone(),
            unique: survey.is_unique(place),
            total_agrees: layout.footer.total.as_ref().is_some_and(|t| total_agrees(t, place, stats)),
        };
        let name = &names[place];
        let of_expression = place.checked_sub(own).and_then(|n| made.get(n)).and_then(|column| column.kind);
        let made_kind = of_expression.or_else(|| choices.rolled_up.get(place).copied());
        let mut shown = None;
        let (mut verdict, decided_by) = if let Some((stated, option)) = &kinds[place] {
            let by = stated.decided_by;
            let bad = |why: String| BadSetting::new("as", option, format!("{name}: {why}"));
            let mut format = stated.format.as_deref();
            let mut decimal = choices.decimal;
            if made_kind == Some(stated.kind) {
                // Its values are spelled as expressions spell them; the format says how they look.
                decimal = Some(Decimal::Point);
                if by != DecidedBy::Detected {
                    let read = |format| Shown::read(stated.kind, format, choices.decimal).map_err(bad);
                    shown = format.map(read).transpose()?;
                    format = made_format(stated.kind);
                }
            }
            let mut verdict = force(stats, stated.kind, format, &around, decimal).map_err(bad)?;
            verdict.why = if option.is_empty() {
                "not among the columns wanted".into()
            } else {
                match by {
                    DecidedBy::Docket => "from the docket".to_owned(),
                    _ => format!("stated: --as {option}"),
                }
            };
            (verdict, by)
        } else {
            let verdict = match place.checked_sub(own).and_then(|n| made.get(n)) {
                Some(column) => made_verdict(column, stats, name, &around),
                None => judged(stats, name, &around, choices.decimal),
            };
            (verdict, DecidedBy::Detected)
        };
        if let Some(start) = layout.dialect.value.division.fixed().and_then(|f| f.starts.get(place))
            && kinds[place].is_none()
            && stats.filled == 0
            && survey.records > 0
        {
            verdict.why = format!("always empty: no line has a value at position {} or after it", start + 1);
        }
        if let Some(why) = outside(&layout, survey, place).filter(|_| kinds[place].is_none()) {
            verdict = Verdict { rule: Rule::Skip, why: why.into(), ..verdict };
        }
        if let Scan::First(_) = choices.scan {
            widen(&mut verdict.rule);
        }
        columns.push(ColumnReading {
            number: place + 1,
            name: name.clone(),
            unit: layout.units.get(place).filter(|u| !u.is_empty()).cloned(),
            pad: Pad::around(stats, &verdict.rule, layout.dialect.value.division.fixed().is_some()),
            rule: verdict.rule,
            decided_by,
            why: verdict.why,
            doubt: verdict.doubt,
            misfits: verdict.misfits,
            zero_if_blank: false,
            is_made: made_kind.is_some(),
            shown,
            stats: stats.clone(),
        });
    }
    if let Some(both) = encoding.runner_up.as_ref().filter(|r| matches!(r.value, Encoding::Utf8Or(_))) {
        let message = format!(
            "some characters are UTF-8, others are not ({}); read as {} throughout: --encoding {} reads both",
            encoding.why,
            encoding.value.name(),
            both.value.name()
        );
        notices.push(Notice::new(NoticeCode::MixedEncodings, message));
    }
    if let Some(rival) = encoding.runner_up.as_ref().filter(|r| r.is_close) {
        let message = format!(
            "the words are nearly as likely in {0}, which {1}: look at them in the preview; if they are wrong, use --encoding {0}",
            rival.value.name(),
            rival.why
        );
        notices.push(Notice::new(NoticeCode::EncodingUnsure, message));
    }
    column_notices(&columns, &mut notices);
    line_notices(survey, &layout, &mut notices);
    if let Some(doubt) = &layout.doubt {
        let code = match doubt {
            LayoutDoubt::ColumnsTouch(_) | LayoutDoubt::MayTouch(_) | LayoutDoubt::DateTouches(_) => {
                NoticeCode::ColumnsTouch
            }
            LayoutDoubt::Report => NoticeCode::Report,
            LayoutDoubt::NoTable(_) => NoticeCode::NoTable,
            LayoutDoubt::FewRecords(_) => NoticeCode::FewRecords,
            LayoutDoubt::RecordTypes(_) => NoticeCode::RecordTypes,
            LayoutDoubt::RunnerUp
            | LayoutDoubt::Unnamed
            | LayoutDoubt::RunsOfBlanks
            | LayoutDoubt::Uneven(..)
            | LayoutDoubt::TwoWidths(..)
            | LayoutDoubt::NameCut(..)
            | LayoutDoubt::SeveralNames(..)
            | LayoutDoubt::SeveralValues(..)
            | LayoutDoubt::NameBehind(..)
            | LayoutDoubt::LabelsKept(..)
            | LayoutDoubt::Cycle(_)
            | LayoutDoubt::NamesAbove(_) => NoticeCode::LayoutUnsure,
        };
        notices.push(Notice::new(code, doubt.message(&layout)));
    } else {
        notices.extend(breach(survey, &layout));
    }
    if let Some(change) = survey.facts.change {
        let message = format!(
            "from here on records have {} fields instead of {}: the layout changes; --lines 1..{} and --lines {}..{} read the parts",
            change.fields,
            layout.width,
            change.line - 1,
            change.line,
            survey.lines
        );
        notices.push(Notice::new(NoticeCode::LayoutChanges, message).at_line(change.line));
    }
    fixed_notices(survey, &layout, &columns, head, &mut notices);
    shaping_notices(survey, &layout, &mut notices);
    for (rule, count) in layout.line_rules.iter().zip(&survey.facts.stated) {
        if count.count == 0 && rule.role != Role::Heading {
            let message =
                format!("no line is like the {} that was stated: {}", rule.role.word(), rule.said());
            notices.push(Notice::new(NoticeCode::NothingLike, message));
        }
    }
    notices.extend(first_rows_notice(&layout, &columns, choices));
    if let Some(total) = &layout.footer.total {
        total_notices(total, survey.lines, &layout, &columns, &mut notices);
    }
    let mut set_aside = layout.set_aside.clone();
    if let Some(units) = layout.units_line {
        let lines = layout.lines_before_data + 1 - units;
        set_aside.push(SetAside { line: units, lines, why: Aside::Units });
    }
    set_aside.extend(survey.facts.set_aside.iter().cloned());
    let footer_shift = survey.lines - layout.footer.lines_before.min(survey.lines);
    set_aside.extend(
        layout.footer.set_aside.iter().map(|s| SetAside { line: s.line + footer_shift, ..s.clone() }),
    );
    let strange = || set_aside.iter().filter(|aside| aside.why == Aside::Heading);
    if let Some(first) = strange().next().filter(|_| notices.iter().all(|n| n.code != NoticeCode::Report)) {
        let lines = strange().map(|aside| aside.lines).sum();
        let message = format!(
            "{} read as no record: look at it, or say --layout fixed to keep every line",
            counted(lines, "line among the records is", "lines among the records are")
        );
        notices.push(Notice::new(NoticeCode::LinesSetAside, message).at_line(first.line));
    }
    notices.sort_by_key(|n| !n.code.needs_a_look());
    Ok(Reading {
        encoding,
        bom_bytes,
        line_end,
        values: named_values(head, &layout),
        layout,
        records: survey.records,
        columns,
        set_aside,
        notices,
    })
}

/// The verdict on a column that is made of others: what its expression says, or, for a part of one, what it holds.
fn made_verdict(column: &DerivedColumn, stats: &ColumnStats, name: &str, around: &Surroundings) -> Verdict {
    let format = column.kind.filter(|kind| *kind == Kind::Boolean).and_then(made_format);
    let plain = Surroundings { decimal: Some((Decimal::Point, String::new())), ..around.clone() };
    let stated = column.kind.filter(|_| stats.filled > 0);
    let verdict = match stated {
        Some(kind) => force(stats, kind, format, &plain, Some(Decimal::Point)).ok(),
        None if column.kind.is_some() => force(stats, Kind::Text, None, &plain, None).ok(),
        None => None,
    };
    let mut verdict = verdict.unwrap_or_else(|| decide(stats, name, around));
    let short: String = column.why.chars().take(80).collect();
    verdict.why = match column.kind {
        Some(_) => format!("computed: {short}"),
        None => format!("{short}; {}", verdict.why),
    };
    verdict
}

/// The verdict on a column whose decimal character may be stated.
fn judged(stats: &ColumnStats, name: &str, around: &Surroundings, stated: Option<Decimal>) -> Verdict {
    let verdict = decide(stats, name, around);
    match (&verdict.rule, stated) {
        // What was stated wins over what the column shows.
        (Rule::Number(rule), Some(decimal))
            if rule.decimal != decimal && stats.point.is_some() | stats.comma.is_some() =>
        {
            let numbers = stats.numbers(decimal);
            if numbers.count + stats.words.seen.count == stats.filled {
                force(stats, Kind::Number, None, around, Some(decimal)).unwrap_or(verdict)
            } else {
                verdict
            }
        }
        _ => verdict,
    }
}

/// The decimal character that the columns prove, if they agree.
fn decimal_of_file(columns: &[ColumnStats], names: &[String]) -> Option<(Decimal, String)> {
    let mut found: Option<(Decimal, String)> = None;
    for (stats, name) in columns.iter().zip(names) {
        // Columns of numbers only: a word with a comma proves nothing.
        let numbers =
            [&stats.point, &stats.comma].map(|n| n.as_ref().map_or(0, |n| n.count)).into_iter().max()?;
        let total = numbers + stats.neutral.count + stats.words.seen.count;
        if total < stats.filled || stats.filled == 0 {
            continue;
        }
        let proof =
            |n: &Option<Box<statistics::Numbers>>| n.as_ref().map(|n| n.decisive).filter(|d| d.count > 0);
        let decimal = match (proof(&stats.point), proof(&stats.comma)) {
            (Some(d), None) => (Decimal::Point, d),
            (None, Some(d)) => (Decimal::Comma, d),
            _ => continue,
        };
        match &found {
            Some((known, _)) if *known != decimal.0 => return None,
            Some(_) => {}
            None => {
                found = Some((
                    decimal.0,
                    format!("column \u{201c}{name}\u{201d} shows in line {}", decimal.1.line),
                ));
            }
        }
    }
    found
}

/// Spellings that a limited survey may have missed.
fn widen(rule: &mut Rule) {
    if let Rule::Number(rule) = rule {
        let mut more = Vec::new();
        for spelling in rule.spellings.iter().map(|s| s.spelling()) {
            for decimals in 0..=6_u8 {
                for sign in [spelling.sign, number::Sign::None, number::Sign::Minus] {
                    let wider = number::NumberSpelling { decimals, mark: decimals > 0, sign, ..spelling };
                    more.push(wider.code());
                }
            }
        }
        rule.spellings.extend(more);
        rule.spellings.sort_unstable();
        rule.spellings.dedup();
    }
}

/// The sum that a total line states for a column, under a decimal character.
fn stated_total(total: &Total, place: usize, decimal: Decimal) -> Option<number::Number> {
    let field = statistics::trim(total.fields.get(place)?).0;
    number::parse(field, decimal).ok()
}

fn total_agrees(total: &Total, place: usize, stats: &ColumnStats) -> bool {
    [Decimal::Point, Decimal::Comma].into_iter().any(|decimal| {
        let numbers = stats.numbers(decimal);
        let stated = stated_total(total, place, decimal).and_then(|n| number::in_units(&n));
        numbers.count > 1 && numbers.sum.is_exact() && stated == Some(numbers.sum.units())
    })
}

fn both_patterns(stats: &ColumnStats) -> Vec<(DateOrder, String)> {
    let Some(dates) = stats.dates.iter().max_by_key(|d| d.count) else { return Vec::new() };
    let spelling = dates.spellings.sorted().last().copied().unwrap_or_default();
    (0..3)
        .filter(|i| dates.orders[*i].count > 0)
        .map(|i| statistics::ORDERS[i])
        .map(|order| (order, pattern::date_text(&dates.shape, order, &spelling, dates.zone.text())))
        .collect()
}
