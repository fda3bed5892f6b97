//! Made-up files from the harbour office, in many layouts.

use incola_core::layout::LayoutKind;
use std::fmt::Write;

/// Numbers that look random and are the same each time.
pub(crate) struct Dice(u64);

impl Dice {
    pub(crate) fn new(seed: u64) -> Self {
        Self(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) ^ 0x51_7C_C1)
    }

    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        z ^ (z >> 31)
    }

    /// A number from `from` to below `to`.
    pub(crate) fn roll(&mut self, from: u64, to: u64) -> u64 {
        from + self.next() % (to - from)
    }

    /// One of several.
    pub(crate) fn pick<'a, T: ?Sized>(&mut self, all: &[&'a T]) -> &'a T {
        all[self.roll(0, all.len() as u64) as usize]
    }

    pub(crate) fn chance(&mut self, percent: u64) -> bool {
        self.roll(0, 100) < percent
    }
}

/// The families of files.
pub(crate) const FAMILIES: [&str; 9] = [
    "delimited",
    "lined up",
    "one blank between",
    "packed",
    "labels",
    "cycles",
    "report",
    "one column",
    "no table",
];

/// A file and what is true of it.
pub(crate) struct File {
    pub(crate) text: String,
    pub(crate) kind: LayoutKind,
    pub(crate) delimiter: Option<&'static str>,
    /// Columns; 1 where nothing divides.
    pub(crate) columns: usize,
    pub(crate) header: Option<u64>,
    /// Lines of the first record, from 1; 0: not asked.
    pub(crate) first: u64,
}

const VESSELS: [&str; 10] = [
    "Saltwind",
    "Grey Heron",
    "Marsh Lantern",
    "Quill",
    "Ada Rowe",
    "Northern Star",
    "Tern",
    "Old Skerry",
    "Halcyon",
    "Finch",
];
const CARGO: [&str; 8] =
    ["frozen herring", "rope", "cement, bulk", "timber", "engine parts", "salt", "barrels of oil", "post"];
const AGENTS: [&str; 6] = ["Lund, Edda", "Marsh, Jon", "Quill, Ada", "Rowe, Cy", "Tarn, Mo", "Fenn, Bea"];

const PROSE: [&str; 40] = [
    "the", "tide", "rose", "and", "a", "boat", "waited,", "at", "gate", "for", "night", "quay", "of", "her",
    "master", "went", "below;", "no", "one", "saw", "light", "until", "morning", "came", "with", "rain",
    "from", "north", "they", "had", "sold", "rope", "to", "old", "friends", "who", "never", "paid", "in",
    "time",
];

/// One sort of value, with its name.
#[derive(Clone, Copy)]
enum Column {
    Call,
    Berth,
    Vessel,
    Cargo,
    Agent,
    Dues,
    Tons,
    Arrived,
    Time,
    Code,
    State,
}

impl Column {
    const ALL: [Self; 11] = [
        Self::Call,
        Self::Vessel,
        Self::Berth,
        Self::Arrived,
        Self::Dues,
        Self::Cargo,
        Self::Tons,
        Self::Agent,
        Self::Time,
        Self::Code,
        Self::State,
    ];

    fn name(self) -> &'static str {
        match self {
            Self::Call => "Call",
            Self::Berth => "Berth",
            Self::Vessel => "Vessel",
            Self::Cargo => "Cargo",
            Self::Agent => "Agent",
            Self::Dues => "Dues",
            Self::Tons => "Tons",
            Self::Arrived => "Arrived",
            Self::Time => "Time",
            Self::Code => "Commodity",
            Self::State => "State",
        }
    }

    fn is_amount(self) -> bool {
        matches!(self, Self::Dues | Self::Tons | Self::Call)
    }

    fn value(self, dice: &mut Dice, row: u64) -> String {
        match self {
            Self::Call => (7000 + row * 3).to_string(),
            Self::Berth => format!("{:03}", dice.roll(1, 40)),
            Self::Vessel => dice.pick(&VESSELS).into(),
            Self::Cargo => dice.pick(&CARGO).into(),
            Self::Agent => dice.pick(&AGENTS).into(),
            Self::Dues => format!("{}.{:02}", dice.roll(1, 9000), dice.roll(0, 100)),
            Self::Tons => dice.roll(1, 60_000).to_string(),
            Self::Arrived => format!("2031-{:02}-{:02}", dice.roll(1, 13), dice.roll(1, 29)),
            Self::Time => format!("{:02}:{:02}", dice.roll(0, 24), dice.roll(0, 60)),
            Self::Code => format!("{:08}", dice.roll(1_000_000, 99_999_999)),
            Self::State => dice.pick(&["open", "paid", "late"]).into(),
        }
    }
}

fn columns(dice: &mut Dice, least: u64, most: u64) -> Vec<Column> {
    let count = dice.roll(least, most + 1) as usize;
    let from = dice.roll(0, 11) as usize;
    (0..count).map(|i| Column::ALL[(from + i) % 11]).collect()
}

fn grid(dice: &mut Dice, columns: &[Column], least: u64, most: u64) -> Vec<Vec<String>> {
    let rows = dice.roll(least, most);
    (0..rows).map(|row| columns.iter().map(|c| c.value(dice, row)).collect()).collect()
}

/// Lines before the table; how many there are.
fn preamble(dice: &mut Dice, text: &mut String) -> u64 {
    if dice.chance(60) {
        return 0;
    }
    text.push_str("HARBOUR OFFICE OF TOLGARTH QUAY\n");
    let _ = writeln!(text, "Printed: {}.03.2031", dice.roll(10, 29));
    text.push('\n');
    3
}

/// A file of a family.
pub(crate) fn file(family: &str, seed: u64) -> File {
    let mut dice = Dice::new(seed);
    let dice = &mut dice;
    match family {
        "delimited" => delimited(dice),
        "lined up" => lined_up(dice, 2),
        "one blank between" => lined_up(dice, 1),
        "packed" => packed(dice),
        "labels" => labels(dice),
        "cycles" => cycles(dice),
        "report" => report(dice),
        "one column" => one_column(dice),
        _ => no_table(dice),
    }
}

fn delimited(dice: &mut Dice) -> File {
    let delimiter = dice.pick(&[";", ",", "\t", "|", "~", "||"]);
    let columns = columns(dice, 3, 9);
    let mut text = String::new();
    let before = preamble(dice, &mut text);
    let always = dice.chance(20);
    let cell = |value: &str| {
        if always || value.contains(delimiter) { format!("\"{value}\"") } else { value.to_owned() }
    };
    let header = dice.chance(80).then_some(before + 1);
    if header.is_some() {
        let names: Vec<String> = columns.iter().map(|c| cell(c.name())).collect();
        let _ = writeln!(text, "{}", names.join(delimiter));
    }
    for row in grid(dice, &columns, 6, 90) {
        let row: Vec<String> =
            row.iter().map(|v| if dice.chance(6) { String::new() } else { cell(v) }).collect();
        let _ = writeln!(text, "{}", row.join(delimiter));
    }
    let first = before + 1 + u64::from(header.is_some());
    File {
        text,
        kind: LayoutKind::Delimited,
        delimiter: Some(delimiter),
        columns: columns.len(),
        header,
        first,
    }
}

/// Values padded to the width of their column, with blanks between columns.
fn padded(columns: &[Column], rows: &[Vec<String>], gap: usize, named: bool) -> (String, Vec<usize>) {
    let widths: Vec<usize> = columns
        .iter()
        .enumerate()
        .map(|(i, c)| {
            rows.iter().map(|r| r[i].len()).max().unwrap_or(0).max(if named { c.name().len() } else { 1 })
        })
        .collect();
    let line = |cells: Vec<&str>| {
        let cells: Vec<String> = cells
            .iter()
            .zip(columns)
            .zip(&widths)
            .map(
                |((cell, column), width)| {
                    if column.is_amount() { format!("{cell:>width$}") } else { format!("{cell:<width$}") }
                },
            )
            .collect();
        cells.join(&" ".repeat(gap)).trim_end().to_owned()
    };
    let mut text = String::new();
    if named {
        let _ = writeln!(text, "{}", line(columns.iter().map(|c| c.name()).collect()));
    }
    for row in rows {
        let _ = writeln!(text, "{}", line(row.iter().map(String::as_str).collect()));
    }
    (text, widths)
}

fn lined_up(dice: &mut Dice, gap: usize) -> File {
    let columns = columns(dice, 3, 8);
    let mut text = String::new();
    let before = preamble(dice, &mut text);
    let mut rows = grid(dice, &columns, 8, 70);
    for row in &mut rows {
        let last = row.len() - 1;
        for value in &mut row[1..last] {
            if dice.chance(8) {
                value.clear();
            }
        }
    }
    let gap = gap + usize::from(gap > 1) * dice.roll(0, 3) as usize;
    let named = dice.chance(85);
    text.push_str(&padded(&columns, &rows, gap, named).0);
    let header = named.then_some(before + 1);
    File {
        text,
        kind: LayoutKind::Fixed,
        delimiter: None,
        columns: columns.len(),
        header,
        first: before + 1 + u64::from(named),
    }
}

fn packed(dice: &mut Dice) -> File {
    // Sorts of values that differ where they touch.
    let columns = [Column::Code, Column::Vessel, Column::Arrived, Column::State, Column::Dues, Column::Agent];
    let from = dice.roll(0, 3) as usize;
    let columns = &columns[from..from + 3 + dice.roll(0, 1) as usize];
    let rows = grid(dice, columns, 20, 80);
    let (text, _) = padded(columns, &rows, 0, false);
    File { text, kind: LayoutKind::Fixed, delimiter: None, columns: columns.len(), header: None, first: 1 }
}

fn labels(dice: &mut Dice) -> File {
    let columns = columns(dice, 3, 7);
    let mut text = String::new();
    preamble(dice, &mut text);
    let between = dice.pick(&["\n", "----------\n", ""]);
    for row in grid(dice, &columns, 5, 30) {
        for (column, value) in columns.iter().zip(&row) {
            // The first value is always there.
            if column.name() == columns[0].name() || !dice.chance(10) {
                let _ = writeln!(text, "{}: {value}", column.name());
            }
        }
        text.push_str(between);
    }
    File {
        text,
        kind: LayoutKind::Multiline,
        delimiter: None,
        columns: columns.len(),
        header: None,
        first: 0,
    }
}

fn cycles(dice: &mut Dice) -> File {
    let between = dice.pick(&["\n", ""]);
    let mut text = String::new();
    for row in 0..dice.roll(8, 40) {
        let (vessel, agent) = (Column::Vessel.value(dice, row), Column::Agent.value(dice, row));
        let (arrived, dues) = (Column::Arrived.value(dice, row), Column::Dues.value(dice, row));
        let _ = write!(text, "{vessel:<16}  {arrived}  {dues:>8}\n    {agent}\n{between}");
    }
    File { text, kind: LayoutKind::Multiline, delimiter: None, columns: 4, header: None, first: 0 }
}

fn report(dice: &mut Dice) -> File {
    let columns = [Column::Call, Column::Vessel, Column::Arrived, Column::Dues];
    let mut text = String::new();
    // One width for all pages.
    let rows = grid(dice, &columns, 30, 60);
    let (all, _) = padded(&columns, &rows, 3, true);
    let mut lines = all.lines();
    let names = lines.next().unwrap_or_default();
    let rule = "-".repeat(names.len());
    let lines: Vec<&str> = lines.collect();
    for (page, part) in lines.chunks(dice.roll(9, 20) as usize).enumerate() {
        let _ = writeln!(text, "TOLGARTH QUAY   DUES BY BERTH                 Page {}\n", page + 1);
        let _ = writeln!(text, "{names}\n{rule}");
        let _ = writeln!(text, "Berth: {:03} North Pier", dice.roll(1, 30));
        for line in part {
            let _ = writeln!(text, "{line}");
        }
        let _ = writeln!(text, "{rule}\nTotal {:>30}.00\n", dice.roll(1000, 90_000));
    }
    File { text, kind: LayoutKind::Report, delimiter: None, columns: 4, header: Some(3), first: 0 }
}

fn one_column(dice: &mut Dice) -> File {
    let column = *dice.pick(&[&Column::Code, &Column::Dues, &Column::Vessel, &Column::Arrived]);
    let rows = grid(dice, &[column], 6, 60);
    let text = rows.iter().map(|r| format!("{}\n", r[0])).collect();
    File { text, kind: LayoutKind::Delimited, delimiter: None, columns: 1, header: None, first: 0 }
}

fn no_table(dice: &mut Dice) -> File {
    let mut text = String::new();
    if dice.chance(40) {
        for section in ["tide", "wind", "gate"] {
            let _ = writeln!(
                text,
                "[{section}]\nstation = {:04}\nunit = m\n{section}_limit = {}\n",
                dice.roll(1, 99),
                dice.roll(1, 9)
            );
        }
        text = text.replace("unit = m\n", "");
    } else {
        for _ in 0..dice.roll(5, 14) {
            let words: Vec<&str> = (0..dice.roll(5, 16)).map(|_| dice.pick(&PROSE)).collect();
            let _ = writeln!(text, "{}.", words.join(" "));
        }
    }
    File { text, kind: LayoutKind::Delimited, delimiter: None, columns: 1, header: None, first: 0 }
}
