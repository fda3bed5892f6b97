//! A trial: samples read with one dialect, and what it explains.

use super::Samples;
use super::fixed;
use crate::kind::statistics::trim;
use crate::kind::{Decimal, date, number};
use crate::record::{Dialect, Division, Machine, Multiline, Step};

/// Records of a sample that are read in a trial.
const RECORDS: usize = 1000;

/// Columns whose values are looked at.
const COLUMNS: usize = 64;

/// What a value looks like.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Class {
    Blank,
    Number,
    /// Digits that are better kept as text: zeros in front, too long.
    Digits,
    Moment,
    /// No digit.
    Word,
    /// Letters and digits.
    Mixed,
}

impl Class {
    pub(super) fn of(field: &[u8]) -> Self {
        let (value, _) = trim(field);
        if value.is_empty() {
            return Self::Blank;
        }
        if !value.iter().any(u8::is_ascii_digit) {
            return Self::Word;
        }
        if date::scan(value).is_some_and(|s| !matches!(s.shape.date, Some(date::DatePart::Compact))) {
            return Self::Moment;
        }
        match (number::parse(value, Decimal::Point), number::parse(value, Decimal::Comma)) {
            (Ok(_), _) | (_, Ok(_)) => Self::Number,
            (Err(number::NoNumber::Other), Err(number::NoNumber::Other)) => Self::Mixed,
            _ => Self::Digits,
        }
    }

    /// Whether values of this class are more than characters.
    pub(super) fn is_typed(self) -> bool {
        matches!(self, Self::Number | Self::Moment | Self::Digits)
    }
}

/// One record of a sample.
#[derive(Clone, Copy, Debug)]
pub(super) struct Row {
    /// Line of the sample, from 1.
    pub(super) line: u64,
    /// Lines it spans.
    pub(super) lines: u64,
    /// Where it starts in the sample.
    pub(super) start: usize,
    /// Where the next one starts.
    pub(super) next: usize,
    /// Fields.
    pub(super) fields: usize,
    /// Fields that are not blank.
    pub(super) filled: usize,
    /// Blank lines right before it.
    pub(super) gap: u64,
    /// Rule lines between it and the record before it.
    pub(super) rules: u64,
    /// Whether a start stands inside a value.
    pub(super) is_cut: bool,
    /// Whether it is one of several that keep to no column and are alike but for their digits: the head of a page.
    pub(super) is_page_head: bool,
}

/// Reads up to `most` records of `text`, which starts at a record.
pub(super) fn rows(text: &[u8], dialect: &Dialect, most: usize) -> (Vec<Row>, Quoting) {
    let mut machine = Machine::new(dialect);
    let mut rows = Vec::new();
    let mut quoting = Quoting::default();
    let (mut at, mut line, mut gap, mut rules) = (0, 1, 0, 0);
    while rows.len() < most {
        let step = machine.step(text, at, true);
        match step {
            Step::End | Step::NeedMore => break,
            Step::Blank => gap += 1,
            Step::Comment | Step::Stray => gap = 0,
            Step::Rule => {
                gap = 0;
                rules += 1;
            }
            Step::Record => {
                let fields = machine.field_count();
                let filled = machine.fields(text).filter(|f| !trim(f).0.is_empty()).count();
                quoting.quoted += (0..fields).filter(|i| machine.is_quoted(*i)).count();
                let oddities = machine.oddities();
                quoting.stray += oddities.stray_quotes as usize;
                quoting.unclosed += oddities.unclosed_quotes as usize;
                rows.push(Row {
                    line,
                    lines: u64::from(machine.lines()),
                    start: machine.start(),
                    next: machine.next_start(),
                    fields,
                    filled,
                    gap,
                    rules,
                    is_cut: is_cut(dialect, &text[machine.start()..machine.end()]),
                    is_page_head: false,
                });
                (gap, rules) = (0, 0);
            }
        }
        line += u64::from(machine.lines());
        at = machine.next_start();
    }
    mark_page_heads(text, &mut rows);
    // Starts that cut most lines were stated, and tell nothing of which lines are records: how many columns they fill does.
    let cut = rows.iter().filter(|r| r.is_cut).count();
    if cut * 5 > rows.len() * 2 {
        let mut filled: Vec<usize> = rows.iter().map(|r| r.filled).collect();
        filled.sort_unstable();
        let typical = filled[filled.len() / 2];
        for row in &mut rows {
            row.is_cut = row.filled * 2 < typical;
        }
        quoting.cut = cut;
    }
    (rows, quoting)
}

/// Marks rows that are cut and come back.
fn mark_page_heads(text: &[u8], rows: &mut [Row]) {
    let mut seen: std::collections::HashMap<Vec<u8>, usize> = std::collections::HashMap::new();
    let alike = |row: &Row| super::repeats::alike_line(&text[row.start..row.next]);
    for row in rows.iter().filter(|r| r.is_cut) {
        *seen.entry(alike(row)).or_default() += 1;
    }
    for row in rows.iter_mut().filter(|r| r.is_cut) {
        row.is_page_head = seen.get(&alike(row)).is_some_and(|count| *count > 1);
    }
}

/// Whether a start of a fixed layout stands inside a value of the line.
fn is_cut(dialect: &Dialect, line: &[u8]) -> bool {
    let Division::Fixed(layout) = &dialect.division else { return false };
    let line: Vec<char> = String::from_utf8_lossy(line).chars().collect();
    fixed::cuts(&line, &layout.starts) > 0
}

/// How quotes worked.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Quoting {
    quoted: usize,
    stray: usize,
    unclosed: usize,
    /// Lines with a character on both sides of a start, where most lines have one.
    cut: usize,
}

/// Samples read with one dialect.
#[derive(Clone, Debug)]
pub(super) struct Trial {
    pub(super) dialect: Dialect,
    /// The records of the head.
    pub(super) rows: Vec<Row>,
    /// Fields of most records.
    pub(super) width: usize,
    /// The first record (its place in `rows`) from which on most records have that width.
    pub(super) first: usize,
    /// Share of records of that width, from the first on, in all samples.
    pub(super) evenness: f64,
    even_records: usize,
    all_records: usize,
    /// Share of the filled fields whose column is mostly of the same class.
    coherence: f64,
    /// Fields of the most common width that begin with a blank, and columns between others that are always blank.
    led_by_blanks: usize,
    pub(super) blank_columns: usize,
    /// Which columns are mostly numbers, dates or codes of digits.
    pub(super) typed_columns: Vec<bool>,
    /// Share of fields that hold marks which other candidates would divide at.
    undivided: f64,
    /// How much is explained; only to rank trials of one source.
    pub(super) score: f64,
    quoting: Quoting,
}

impl Trial {
    pub(super) fn new(samples: Samples<'_>, dialect: Dialect) -> Self {
        let (rows, mut quoting) = rows(samples.head, &dialect, RECORDS);
        let mut trial = Self {
            width: 1,
            first: 0,
            evenness: 0.0,
            even_records: 0,
            all_records: rows.len(),
            coherence: 0.0,
            led_by_blanks: 0,
            blank_columns: 0,
            typed_columns: Vec::new(),
            undivided: 0.0,
            score: 0.0,
            quoting,
            rows,
            dialect,
        };
        if trial.dialect.delimiter.is_empty() && trial.dialect.division == Division::Delimited {
            return trial;
        }
        // Samples from further on begin inside the file: their first record is no evidence.
        let more: Vec<(Vec<Row>, &[u8])> = [samples.middle, samples.tail]
            .into_iter()
            .filter(|s| !s.is_empty())
            .map(|sample| {
                let (mut rows, more) = self::rows(sample, &trial.dialect, RECORDS / 4);
                quoting.quoted += more.quoted;
                quoting.stray += more.stray;
                quoting.unclosed += more.unclosed;
                rows.truncate(rows.len().saturating_sub(1));
                (rows.split_off(rows.len().min(1)), sample)
            })
            .collect();
        trial.quoting = quoting;
        trial.find_width(&more);
        trial.judge(samples.head, &more);
        trial
    }

    /// The width that most records have, and from where on.
    fn find_width(&mut self, more: &[(Vec<Row>, &[u8])]) {
        let width = match &self.dialect.division {
            Division::Fixed(layout) => layout.starts.len(),
            Division::Multiline(multiline) => multiline.width(),
            Division::Delimited => self.most_common_width(more),
        };
        self.width = width;
        let fixed = self.dialect.division != Division::Delimited;
        let agrees = |row: &&Row| {
            if fixed { !row.is_cut } else { row.fields == width }
        };
        self.first = (0..self.rows.len())
            .find(|&i| {
                let ahead = &self.rows[i..self.rows.len().min(i + 10)];
                agrees(&&self.rows[i]) && ahead.iter().filter(agrees).count() * 10 >= ahead.len() * 7
            })
            .or_else(|| self.rows.iter().position(|r| agrees(&r)))
            .unwrap_or(0);
        let inside = self.rows[self.first..].iter().chain(more.iter().flat_map(|(r, _)| r));
        let inside = inside.filter(|r| !r.is_page_head);
        self.all_records = inside.clone().count();
        self.even_records = inside.filter(agrees).count();
        self.evenness = self.even_records as f64 / self.all_records.max(1) as f64;
        if self.even_records < 2 {
            // One record that differs from those before it is no table behind a preamble.
            self.evenness = self.even_records as f64 / self.rows.len().max(1) as f64;
        }
        self.settle_on_a_run();
        // Where records are of several widths, the first ones need not be of the most common one.
        let ragged = self.evenness < 0.98 && self.even_records >= 2;
        while ragged && self.first > 0 {
            let before = &self.rows[self.first - 1];
            let alike = before.fields * 2 >= width && before.fields > 2;
            let enough = before.fields >= 2 && (alike || self.evenness < 0.9);
            if !enough || self.rows[self.first].gap > 0 {
                break;
            }
            self.first -= 1;
        }
    }

    /// Fields of most records, in all samples.
    fn most_common_width(&self, more: &[(Vec<Row>, &[u8])]) -> usize {
        let mut counts: Vec<(usize, usize)> = Vec::new();
        for row in self.rows.iter().chain(more.iter().flat_map(|(r, _)| r)) {
            match counts.iter_mut().find(|(w, _)| *w == row.fields) {
                Some((_, n)) => *n += 1,
                None => counts.push((row.fields, 1)),
            }
        }
        // One field is no division; of two widths equally common, the wider one says more.
        counts.sort_by_key(|(w, n)| (*w < 2, std::cmp::Reverse(*n), std::cmp::Reverse(*w)));
        counts.first().map_or(1, |(width, _)| *width)
    }

    /// Where runs of blanks divide and no width prevails, a small table may stand at the end of much else: the last run of
    /// records of one width, if they go on to the end.
    fn settle_on_a_run(&mut self) {
        let last = self.rows.last().map_or(0, |r| r.fields);
        let runs = self.dialect.runs_as_one && self.dialect.is_blank_delimited();
        if !runs || self.evenness >= 0.5 || last < 3 {
            return;
        }
        let first = self.rows.iter().rposition(|r| r.fields != last).map_or(0, |p| p + 1);
        if self.rows.len() - first >= 3 {
            self.width = last;
            self.first = first;
            self.all_records = self.rows.len() - first;
            self.even_records = self.all_records;
            self.evenness = 1.0;
        }
    }

    /// The same with the last column taking the rest of each line, where runs of blanks divide lines unevenly although all
    /// have the first columns.
    pub(super) fn with_rest_in_last(&self, samples: Samples<'_>) -> Option<Self> {
        let blanks = self.dialect.runs_as_one && self.dialect.delimiter == b" ";
        if !blanks || self.evenness > 0.97 || self.rows.len() < 4 {
            return None;
        }
        // The most fields that nearly all records have.
        let mut fields: Vec<usize> =
            self.rows[self.first.min(self.rows.len())..].iter().map(|r| r.fields).collect();
        fields.sort_unstable();
        let most = *fields.get(fields.len() / 20)?;
        if most < 2 {
            return None;
        }
        let trial = Self::new(samples, Dialect { most_fields: Some(most), ..self.dialect.clone() });
        // Words before a remark are prose as well; numbers, dates and codes before it are columns.
        let before = &trial.typed_columns[..trial.typed_columns.len().saturating_sub(1)];
        let typed = before.iter().filter(|typed| **typed).count();
        (typed * 2 >= before.len() && typed > 0).then_some(trial)
    }

    fn judge(&mut self, head: &[u8], more: &[(Vec<Row>, &[u8])]) {
        if self.width < 2 {
            return;
        }
        let mut classes: Vec<[usize; 6]> = vec![[0; 6]; self.width.min(COLUMNS)];
        let (mut seen, mut undivided) = (0, 0);
        let mut machine = Machine::new(&self.dialect);
        let samples =
            [(&self.rows[self.first..], head)].into_iter().chain(more.iter().map(|(r, s)| (&r[..], *s)));
        let fixed = self.dialect.division != Division::Delimited;
        let width = self.width;
        let of_table = |r: &&Row| if fixed { !r.is_cut } else { r.fields == width };
        for (rows, text) in samples {
            // The first record may be the header.
            for row in rows.iter().filter(of_table).skip(usize::from(rows.len() > 2)).take(300) {
                machine.step(text, row.start, true);
                for (column, counts) in classes.iter_mut().enumerate() {
                    let field = machine.field(text, column);
                    let class = Class::of(field);
                    counts[class as usize] += 1;
                    self.led_by_blanks += usize::from(field.first() == Some(&b' '));
                    if class != Class::Blank {
                        seen += 1;
                        let plain = !machine.is_quoted(column) && matches!(class, Class::Word | Class::Mixed);
                        undivided += usize::from(plain && self.could_divide(field));
                    }
                }
            }
        }
        let coherent: usize = classes.iter().map(|c| c.iter().skip(1).max().copied().unwrap_or(0)).sum();
        let typed = |c: &[usize; 6]| {
            let typed = c[Class::Number as usize] + c[Class::Moment as usize] + c[Class::Digits as usize];
            typed * 10 >= c[1..].iter().sum::<usize>() * 8 && typed > 0
        };
        self.typed_columns = classes.iter().map(typed).collect();
        let inner = 1..classes.len().saturating_sub(1).max(1);
        self.blank_columns = classes[inner].iter().filter(|c| c[1..].iter().sum::<usize>() == 0).count();
        self.coherence = coherent as f64 / f64::from(seen.max(1));
        self.undivided = undivided as f64 / f64::from(seen.max(1));
        let columns = 1.0 - 1.0 / (self.width as f64 + 0.5);
        // Lines before the table are common, but a table is more than its preamble.
        let inside = (self.rows.len() - self.first) as f64 / self.rows.len().max(1) as f64;
        // One slip proves nothing; several do.
        let slips = self.quoting.stray + self.quoting.unclosed;
        let broken = if slips > 1 { (slips + 2 * self.quoting.unclosed) as f64 } else { 0.0 };
        let quotes = if self.quoting.quoted + self.quoting.stray + self.quoting.unclosed == 0 {
            1.0
        } else {
            let quoted = self.quoting.quoted as f64;
            (quoted + 1.0) / (quoted + broken + 1.0)
        };
        let quoted_fields = 1.0 + 0.2 * (self.quoting.quoted as f64 / f64::from(seen.max(1))).min(1.0);
        self.score = self.evenness.powi(2)
            * columns
            * (0.5 + 0.5 * self.coherence)
            * (1.0 - 0.8 * self.undivided)
            * (0.7 + 0.3 * inside)
            * (0.4 + 0.6 * quotes)
            * quoted_fields
            * self.habit();
    }

    /// Whether `field`, which is neither number nor date, holds a mark that divides fields in other files.
    fn could_divide(&self, field: &[u8]) -> bool {
        let own = self.dialect.delimiter.first();
        let field = trim(field).0;
        // Two blanks in a row beside a digit line something up.
        if field.windows(3).any(|w| w[0] == b' ' && w[1] == b' ' && w[2].is_ascii_digit()) {
            return true;
        }
        field.iter().any(|b| matches!(b, b'\t' | b';' | b'|' | b',') && own != Some(b))
            || (self.dialect.quote.is_none() && field.len() > 1 && field[0] == b'"' && field.ends_with(b"\""))
    }

    /// How often the delimiter is one in files at large: marks of language and time have to show more.
    fn habit(&self) -> f64 {
        if self.dialect.division != Division::Delimited {
            return 0.78;
        }
        // Two tabs in a row mean an empty field, unless nothing else makes the lines even.
        if self.dialect.delimiter == b"\t" && self.dialect.runs_as_one {
            return 0.8;
        }
        match self.dialect.delimiter.as_slice() {
            b"\t" | b";" | b"|" | b"^" | b"\x1f" | b"\x01" => 1.0,
            b"," => 0.98,
            // Two blanks in a row line columns up; they are no empty field.
            b" " if !self.dialect.runs_as_one && self.blank_columns > 0 => 0.3,
            b" " | b":" => 0.75,
            d if d.len() > 1 && d.iter().all(|b| *b == d[0]) => 1.02,
            d if d.len() > 1 => 0.95,
            _ => 0.85,
        }
    }

    /// Whether the delimiter is a mark that neither prose nor numbers hold.
    fn has_rare_delimiter(&self) -> bool {
        matches!(self.dialect.delimiter.as_slice(), b"\t" | b";" | b"|" | b"^" | b"\x1f" | b"\x01")
            || self.dialect.delimiter.len() > 1
    }

    /// Whether a mark that nothing else explains divides every line: no accident, whatever else is lined up.
    pub(super) fn leaves_no_doubt(&self) -> bool {
        self.dialect.division == Division::Delimited
            && self.has_rare_delimiter()
            && self.even_records > 3
            && self.evenness >= 0.98
            && self.is_convincing()
    }

    /// Whether a table is there at all. Marks that prose, code and lists of names hold as well must divide more evenly,
    /// and into more than two.
    pub(super) fn is_convincing(&self) -> bool {
        let records = self.all_records;
        // A few lines far down that divide by chance are no table behind a long preamble.
        if self.first > 200 && (self.rows.len() - self.first) * 20 < self.rows.len() {
            return false;
        }
        if self.dialect.division.multiline().is_some() {
            return self.width >= 2 && self.even_records >= 2;
        }
        if self.dialect.division != Division::Delimited {
            let several = self.rows[self.first..].iter().filter(|r| r.filled > 1).count();
            let table = self.rows.len() - self.first;
            return self.width >= 2
                && self.quoting.cut == 0
                && self.even_records >= 2
                && self.evenness >= 0.9
                && self.undivided < 0.3
                && several * 2 >= table;
        }
        let rare = self.has_rare_delimiter();
        let weak = matches!(self.dialect.delimiter.as_slice(), b":" | b" ");
        let needed = match (self.width, rare, weak) {
            (..2, ..) => return false,
            (2, _, true) => {
                return self.dialect.delimiter == b" "
                    && self.evenness >= 0.98
                    && self.coherence >= 0.98
                    && records >= 4;
            }
            (_, _, true) => 0.95,
            (2, true, _) => 0.7,
            (2, false, _) => 0.9,
            (_, true, _) => 0.5,
            (_, false, _) => 0.6,
        };
        if weak && self.coherence < 0.9 {
            return false;
        }
        // One line alone may be a sentence; one even record below others is chance, unless it has so many fields, few
        // of which begin with a blank, that no sentence could be meant.
        if self.even_records < 2 {
            let many = !weak && self.width >= 8 && self.led_by_blanks * 8 <= self.width;
            return many || (self.rows.len() == 1 && (self.width >= 3 || rare));
        }
        self.evenness >= needed
    }

    /// What speaks for it.
    pub(super) fn evidence(&self) -> String {
        if let Division::Fixed(layout) = &self.dialect.division {
            let starts: Vec<String> = fixed::from_one(&layout.starts).iter().map(usize::to_string).collect();
            if self.quoting.cut > 0 {
                return format!(
                    "{} of {} lines looked at have characters across the starts {}",
                    self.quoting.cut,
                    self.rows.len(),
                    starts.join(", ")
                );
            }
            return format!(
                "{} of {} lines looked at have no character across the starts {}",
                self.even_records,
                self.all_records,
                starts.join(", ")
            );
        }
        if let Division::Multiline(multiline) = &self.dialect.division {
            return multiline_evidence(multiline, self.all_records);
        }
        if self.dialect.delimiter.is_empty() {
            return "no mark divides the lines evenly: each line is one value".into();
        }
        let looked = if self.all_records == 1 {
            "the record has".to_owned()
        } else if self.even_records == self.all_records {
            format!("all {} records looked at have", self.all_records)
        } else {
            format!("{} of {} records looked at have", self.even_records, self.all_records)
        };
        let mut why = format!("{looked} {} fields", self.width);
        if self.quoting.quoted > 0 {
            why.push_str(&format!(", {} of them in quotes", self.quoting.quoted));
        }
        why
    }

    /// Why it lost against `best`.
    pub(super) fn weakness(&self, best: &Self) -> String {
        if best.dialect.division.multiline().is_some() {
            return "it takes each line for a record".into();
        }
        if self.dialect.division != Division::Delimited {
            return if self.evenness < 0.9 {
                format!(
                    "{} of {} lines have characters across its starts",
                    self.all_records - self.even_records,
                    self.all_records
                )
            } else {
                format!("it makes {} columns, whose values are less alike", self.width)
            };
        }
        if self.evenness + 0.05 < best.evenness || best.dialect.delimiter.is_empty() {
            format!(
                "it divides {} of {} records into {} fields, the others differently",
                self.even_records, self.all_records, self.width
            )
        } else if self.undivided > best.undivided + 0.05 {
            format!("it leaves marks of the other kind inside its {} fields", self.width)
        } else if self.width < best.width {
            format!("it makes only {} fields", self.width)
        } else {
            format!("it makes {} fields, whose values are less alike in their columns", self.width)
        }
    }
}

/// What speaks for records of several lines.
fn multiline_evidence(multiline: &Multiline, records: usize) -> String {
    match multiline {
        Multiline::Cycle { lines, first: Some(first) } if first.is_literal => format!(
            "every {} lines one begins with \u{201c}{}\u{201d}; {records} such records looked at",
            lines.len(),
            String::from_utf8_lossy(&first.start)
        ),
        Multiline::Cycle { lines, first: Some(first) } => {
            let sort = match first.start.first() {
                Some(b'9') => "a digit".to_owned(),
                Some(b'A') => "a letter".to_owned(),
                Some(b' ') => "a blank".to_owned(),
                Some(b) => format!("\u{201c}{}\u{201d}", char::from(*b)),
                None => "something else".to_owned(),
            };
            format!("every {} lines one begins with {sort}; {records} such records looked at", lines.len())
        }
        Multiline::Cycle { lines, first: None } => {
            format!("blocks of {} lines; {records} such records looked at", lines.len())
        }
        Multiline::Labelled { labels } => format!(
            "a label stands before each value ({} different ones), blank lines between {records} records looked at",
            labels.len()
        ),
        Multiline::Continued(_) => {
            format!("lines with a blank first column go on with the value above; {records} records looked at")
        }
    }
}
