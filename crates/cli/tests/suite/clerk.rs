//! A model of refreshing: what the clerk owns, what the source says, and what must stand in the sheet after each step. Random
//! stories are told to the program and to the model; `INCOLA_STORIES` asks for more of them than the suite tells.

use crate::grid::{BOXES, COMMENTS, Grid, Looks, SHEET, Typed, hang};
use crate::support::{Folder, Run};
use std::fmt::Write as _;

/// Random numbers that are the same everywhere.
struct Dice(u64);

impl Dice {
    fn next(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9E37_79B9_7F4A_7C15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
        z ^ (z >> 31)
    }

    fn below(&mut self, n: usize) -> usize {
        (self.next() % n.max(1) as u64) as usize
    }

    fn chance(&mut self, percent: u64) -> bool {
        self.next() % 100 < percent
    }
}

/// How formulas beside are written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Beside {
    Plain,
    Shared,
    Array,
}

/// How the source is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Form {
    Commas,
    Tabs,
    Fixed,
    /// A line for each value, with its name in front.
    Labels,
}

impl Form {
    fn line(self, [key, berth, dues]: &Record) -> String {
        match self {
            Self::Commas => format!("{key},{berth},{dues}\n"),
            Self::Tabs => format!("{key}\t{berth}\t{dues}\n"),
            Self::Fixed => format!("{key:<10}{berth:<10}{dues:>9}\n"),
            Self::Labels => format!("Call: {key}\nBerth: {berth}\nDues: {dues}\n\n"),
        }
    }

    /// The options that say so: files of three records show little.
    fn options(self) -> &'static str {
        match self {
            Self::Commas | Self::Tabs => "--header 1",
            Self::Fixed => "--header 1 --layout fixed --starts 1,11,21",
            Self::Labels => "",
        }
    }
}

/// What the sheet looks like around the rows.
#[derive(Clone, Copy, Debug)]
struct World {
    form: Form,
    /// Records are known by their key; else by what they hold.
    has_key: bool,
    is_table: bool,
    /// A filter stands over the plain range.
    filter: bool,
    /// The table has the clerk's columns among its own; else they stand right beside.
    owns: bool,
    tax: Option<Beside>,
    totals: u32,
    /// Notes right of an empty column.
    side: bool,
    /// Blank rows between the rows and a note below.
    note: Option<u32>,
}

/// A record as the source has it: key, berth, dues.
type Record = [String; 3];

/// A row of the sheet.
#[derive(Clone, Debug, PartialEq, Eq)]
struct Row {
    cells: [Option<Typed>; 3],
    /// Typed over the formula beside.
    tax: Option<String>,
    /// Whether the formula stands there.
    taxed: bool,
    remark: Option<String>,
    /// On the key.
    comment: Option<String>,
    /// From the berth.
    link: Option<String>,
    looks: Looks,
}

impl Row {
    fn of(record: &Record, taxed: bool) -> Self {
        let [key, berth, dues] = record.clone();
        let cells = [Some(Typed::Text(key)), Some(Typed::Text(berth)), Some(Typed::Number(dues))];
        Self { cells, tax: None, taxed, remark: None, comment: None, link: None, looks: Looks::default() }
    }

    fn key(&self) -> Option<&str> {
        match &self.cells[0] {
            Some(Typed::Text(text)) => Some(text),
            _ => None,
        }
    }

    /// Whether the clerk typed something into columns of his own.
    fn has_own(&self) -> bool {
        self.remark.is_some() || self.tax.is_some() || self.comment.is_some()
    }
}

fn typed(record: &Record) -> [Option<Typed>; 3] {
    Row::of(record, false).cells
}

struct Story {
    dice: Dice,
    world: World,
    rows: Vec<Row>,
    /// What was imported last, and what the source says now.
    base: Vec<Record>,
    source: Vec<Record>,
    /// Rows that the range is known to have.
    known: usize,
    count: u32,
    note_row: Option<u32>,
    log: String,
}

const TAX: u32 = 4;

impl Story {
    fn new(seed: u64) -> Self {
        let mut dice = Dice(seed);
        let is_table = dice.chance(50);
        let tax = dice.chance(70).then(|| [Beside::Plain, Beside::Shared, Beside::Array][dice.below(3)]);
        let world = World {
            form: [Form::Commas, Form::Tabs, Form::Fixed, Form::Labels][dice.below(4)],
            has_key: dice.chance(70),
            is_table,
            filter: !is_table && dice.chance(40),
            owns: dice.chance(50),
            tax,
            totals: if is_table { 0 } else { dice.below(3) as u32 },
            side: dice.chance(40),
            note: dice.chance(40).then(|| 3 + dice.below(6) as u32),
        };
        let mut story = Self {
            dice,
            world,
            rows: Vec::new(),
            base: Vec::new(),
            source: Vec::new(),
            known: 0,
            count: 0,
            note_row: None,
            log: String::new(),
        };
        for _ in 0..3 + story.dice.below(6) {
            let record = story.record();
            story.source.push(record);
        }
        story.base.clone_from(&story.source);
        story.rows = story.source.iter().map(|record| Row::of(record, tax.is_some())).collect();
        story.known = story.rows.len();
        story.note_row = story.world.note.map(|blank| story.end() + blank + 1);
        let _ = writeln!(story.log, "seed {seed}: {world:?}, {} records", story.source.len());
        story
    }

    fn record(&mut self) -> Record {
        self.count += 1;
        let n = self.count;
        if !self.world.has_key {
            // Only amounts do not repeat, and those are no key.
            return [
                format!("A-{}", n % 2),
                format!("{:03}", 1 + self.dice.below(2)),
                format!("{}.25", 10 + n),
            ];
        }
        [format!("A-{n}"), format!("{:03}", self.dice.below(40)), format!("{}.25", 10 + self.dice.below(90))]
    }

    /// Remarks stand right beside the others.
    fn remark_column(&self) -> u32 {
        if self.world.owns || self.world.tax.is_some() { TAX + 1 } else { TAX }
    }

    /// The last row of data and totals.
    fn end(&self) -> u32 {
        1 + self.rows.len() as u32 + self.world.totals
    }

    /// The sheet as it must be.
    fn grid(&self) -> Grid {
        let mut grid = Grid::default();
        for (column, name) in (1..).zip(["Call", "Berth", "Dues"]) {
            grid.text(1, column, name);
        }
        if self.world.owns {
            grid.text(1, TAX, "Tax");
            grid.text(1, self.remark_column(), "Remark");
        }
        for (row, own) in (2..).zip(&self.rows) {
            for (column, typed) in (1..).zip(&own.cells) {
                if let Some(typed) = typed {
                    grid.set(row, column, typed.clone());
                }
            }
            let formula = format!("C{row}*2");
            match (&own.tax, self.world.tax) {
                (Some(text), _) => grid.text(row, TAX, text),
                (None, Some(Beside::Array)) if own.taxed => grid.set(row, TAX, Typed::Array(formula)),
                (None, Some(_)) if own.taxed => grid.set(row, TAX, Typed::Formula(formula)),
                _ => {}
            }
            if let Some(remark) = &own.remark {
                grid.text(row, self.remark_column(), remark);
            }
            let hung = [(1, &own.comment, &mut grid.comments), (2, &own.link, &mut grid.links)];
            for (column, text, list) in hung {
                list.extend(text.clone().map(|text| ((row, column), text)));
            }
            if own.looks != Looks::default() {
                grid.looks.insert(row, own.looks);
            }
        }
        // One row is left for records.
        let last = 1 + self.rows.len().max(1) as u32;
        if self.world.totals > 0 {
            grid.text(last + 1, 1, "Total");
            grid.set(last + 1, 3, Typed::Formula(format!("SUM(C2:C{last})")));
        }
        if self.world.totals > 1 {
            grid.text(last + 2, 1, "Levy");
            grid.set(last + 2, 3, Typed::Formula(format!("C{}*0.2", last + 1)));
        }
        grid.filter = self.world.filter.then(|| format!("A1:C{last}"));
        if self.world.side {
            for row in 2..5 {
                grid.text(row, 8, &format!("beside {row}"));
            }
        }
        if let Some(row) = self.note_row {
            grid.text(row, 2, "a note below");
        }
        grid
    }

    fn source_text(&self) -> String {
        let form = self.world.form;
        let names = ["Call", "Berth", "Dues"].map(String::from);
        let head = if form == Form::Labels { String::new() } else { form.line(&names) };
        head + &self.source.iter().map(|record| form.line(record)).collect::<String>()
    }

    /// Types the sheet as the model has it into the workbook, as a spreadsheet program would keep it.
    fn type_in(&self, folder: &Folder) {
        let shares = (self.world.tax == Some(Beside::Shared)).then_some(TAX);
        let grid = self.grid();
        folder.change_part("book.xlsx", SHEET, |part| grid.hung_on(&grid.put_into(&part, shares)));
        folder.change_part("book.xlsx", COMMENTS, |_| grid.comment_texts());
        folder.change_part("book.xlsx", BOXES, |_| grid.comment_boxes());
        let last = 1 + self.known.max(1) as u32;
        // Everything from a beginning to a mark.
        let moved = |text: &str, from: &str, to: char, now: &str| {
            let mut parts = text.split(from);
            let mut out = parts.next().unwrap_or_default().to_owned();
            for part in parts {
                out += &format!("{from}{now}{}", &part[part.find(to).unwrap()..]);
            }
            out
        };
        // The filter's hidden name stands there too.
        let name = |text: String| moved(&text, "$A$1:$C$", '<', &last.to_string());
        folder.change_part("book.xlsx", "xl/workbook.xml", name);
        if self.world.is_table {
            let column = if self.world.owns { "E" } else { "C" };
            folder.change_part("book.xlsx", "xl/tables/table1.xml", |mut text| {
                if self.world.owns && !text.contains("Remark") {
                    let more = "<tableColumn id=\"8\" name=\"Tax\"/><tableColumn id=\"9\" name=\"Remark\"/></tableColumns>";
                    text = text.replace("</tableColumns>", more).replace("count=\"3\"", "count=\"5\"");
                }
                moved(&text, "ref=\"A1:", '"', &format!("{column}{last}"))
            });
        }
    }

    /// Something that the clerk does.
    fn clerk(&mut self) {
        self.count += 1;
        let n = self.count;
        let at = self.dice.below(self.rows.len());
        let what = self.dice.below(13);
        let _ = writeln!(self.log, "clerk: {what} at row {}", at + 2);
        if self.rows.is_empty() && what != 3 {
            return;
        }
        match what {
            0 => self.rows[at].cells[1] = Some(Typed::Text(format!("by hand {n}"))),
            1 => self.rows[at].cells[2] = Some(Typed::Number(format!("{}.5", 500 + n))),
            2 => self.rows[at].cells[0] = Some(Typed::Text(format!("mine {n}"))),
            3 => {
                let mut own = Row::of(
                    &[format!("own {n}"), format!("own {n}"), "1.5".into()],
                    self.world.tax.is_some(),
                );
                if self.dice.chance(40) {
                    own.cells[0] = None;
                }
                self.rows.insert(at, own);
                self.known += 1;
                self.note_row = self.note_row.map(|row| row + 1);
            }
            4 if self.rows.len() > 1 => {
                self.rows.remove(at);
                self.known -= 1;
                self.note_row = self.note_row.map(|row| row - 1);
            }
            5 => self.rows[at].remark = Some(format!("remark {n}")),
            6 => self.rows[at].looks.hidden = !self.rows[at].looks.hidden,
            7 => self.rows[at].looks.high = !self.rows[at].looks.high,
            8 => {
                let other = self.dice.below(self.rows.len());
                self.rows.swap(at, other);
            }
            9 => self.rows[at].cells[2] = Some(Typed::Formula("1+2".into())),
            10 if self.world.tax.is_some() => self.rows[at].tax = Some(format!("typed {n}")),
            11 => self.rows[at].comment = Some(format!("comment {n}")),
            12 => self.rows[at].link = Some(format!("Other!A{n}")),
            _ => {}
        }
    }

    /// Something that the source does.
    fn change_source(&mut self) {
        let at = self.dice.below(self.source.len());
        let what = self.dice.below(5);
        let _ = writeln!(self.log, "source: {what} at record {}", at + 1);
        match what {
            0 if !self.source.is_empty() => self.source[at][2] = format!("{}.75", 200 + self.dice.below(90)),
            1 if !self.source.is_empty() => self.source[at][1] = format!("{:03}", 100 + self.dice.below(90)),
            2 => {
                let record = self.record();
                self.source.insert(at, record);
            }
            3 if self.source.len() > 1 => {
                self.source.remove(at);
            }
            4 if !self.source.is_empty() => {
                let other = self.dice.below(self.source.len());
                self.source.swap(at, other);
            }
            _ => {}
        }
    }

    /// The rows after a refresh, and whether someone must say who wins; `winner`: who does.
    fn refreshed(&self, winner: Option<bool>) -> (Vec<Row>, bool) {
        let mut rows = Vec::new();
        let mut has_conflicts = false;
        let record = |list: &[Record], key: &str| list.iter().find(|r| r[0] == key).cloned();
        for row in &self.rows {
            let key = row.key();
            let was = key.and_then(|key| record(&self.base, key));
            let is = key.and_then(|key| record(&self.source, key));
            let Some(was) = was else {
                rows.push(row.clone());
                continue;
            };
            let Some(is) = is else {
                if row.cells == typed(&was) && !row.has_own() {
                    continue;
                }
                has_conflicts = true;
                if winner != Some(true) {
                    rows.push(row.clone());
                }
                continue;
            };
            let mut row = row.clone();
            for (n, (was, is)) in typed(&was).into_iter().zip(typed(&is)).enumerate() {
                let own = row.cells[n].clone();
                if own == was {
                    row.cells[n] = is;
                } else if was != is && own != is {
                    has_conflicts = true;
                    if winner == Some(true) {
                        row.cells[n] = is;
                    }
                }
            }
            rows.push(row);
        }
        let taxed =
            self.rows.iter().filter(|row| row.taxed && row.tax.is_none()).count() * 2 > self.rows.len();
        for is in &self.source {
            let in_sheet = self.rows.iter().any(|row| row.key() == Some(&is[0]));
            let was = record(&self.base, &is[0]);
            if !in_sheet && was.as_ref() != Some(is) {
                rows.push(Row::of(is, taxed));
            }
        }
        (rows, has_conflicts)
    }

    /// Tells the whole story; `Err`: where the program and the model differ.
    fn tell(mut self, folder: &Folder) -> Result<Self, String> {
        folder.write_old("calls.csv", self.source_text());
        let plain = if self.world.is_table { "" } else { "--plain" };
        folder
            .run(&format!(
                "import calls.csv --into book.xlsx {} {} --as Berth=text {plain}",
                if self.world.has_key { "--key Call" } else { "" },
                self.world.form.options()
            ))
            .expect(0);
        hang(folder, self.world.is_table);
        self.type_in(folder);
        for _ in 0..3 + self.dice.below(3) {
            for _ in 0..self.dice.below(4) {
                self.clerk();
            }
            self.type_in(folder);
            for _ in 0..self.dice.below(4) {
                self.change_source();
            }
            folder.write_old("calls.csv", self.source_text());
            if !self.step(folder)? {
                return Ok(self);
            }
        }
        Ok(self)
    }

    /// The rows that stand in the sheet.
    fn rows_of(&self, is: &Grid) -> Vec<Row> {
        let last = is.cells.keys().filter(|(_, column)| *column <= 3).map(|(row, _)| *row);
        // The note and the totals stand below.
        let last = last.filter(|row| self.note_row.is_none_or(|note| *row < note)).max().unwrap_or(1);
        let row = |n: u32| {
            let cell = |column: u32| is.cells.get(&(n, column)).cloned();
            let text = |column: u32| match cell(column) {
                Some(Typed::Text(text)) => Some(text),
                _ => None,
            };
            let tax = self.world.tax.and(cell(TAX));
            let typed_over = self.world.tax.and(text(TAX));
            Row {
                cells: [cell(1), cell(2), cell(3)],
                taxed: typed_over.is_some() || matches!(tax, Some(Typed::Formula(_) | Typed::Array(_))),
                tax: typed_over,
                remark: text(self.remark_column()),
                comment: is.comments.get(&(n, 1)).cloned(),
                link: is.links.get(&(n, 2)).cloned(),
                looks: is.looks.get(&n).copied().unwrap_or_default(),
            }
        };
        (2..=last.saturating_sub(self.world.totals)).map(row).collect()
    }

    /// One refresh without a key, where what belongs together is for the program to find: nothing of the clerk's is lost, nothing of
    /// the source is missing, and nothing else stands there.
    fn step_by_content(&mut self, folder: &Folder) -> Result<bool, String> {
        for row in &mut self.rows {
            row.taxed |= row.tax.is_some();
        }
        let before = std::fs::read(folder.path("book.xlsx")).unwrap();
        let run = folder.run("refresh book.xlsx --accept shorter --conflicts sheet");
        let _ = writeln!(self.log, "refresh: status {}", run.status);
        let failed = |story: &Self, why: &str| Err(format!("{}\n{why}\n{}{}", story.log, run.out, run.err));
        let is_full = self.note_row.is_some() && run.err.contains("the cells for the rows are not empty");
        if run.status == 4 && is_full && std::fs::read(folder.path("book.xlsx")).unwrap() == before {
            return Ok(false);
        }
        if run.status != 0 {
            return failed(self, "a refresh without a key");
        }
        let now = self.rows_of(&Grid::read(folder));
        let is_in = |list: &[Record], row: &Row| list.iter().any(|record| row.cells == typed(record));
        // A formula of the clerk's is his, if it gives what it may.
        let is_own = |row: &Row| !is_in(&self.base, row);
        for row in self.rows.iter().filter(|row| is_own(row) && !is_in(&self.source, row)) {
            if !now.contains(row) {
                return failed(self, &format!("a row of the clerk's went: {row:?}"));
            }
        }
        let hung =
            |row: &Row| (row.cells[0].clone(), row.remark.clone(), row.tax.clone(), row.comment.clone());
        for row in self.rows.iter().filter(|row| row.has_own()) {
            if !now.iter().any(|n| hung(n) == hung(row)) {
                return failed(self, &format!("what was beside a row went: {row:?}"));
            }
        }
        // Where both sides changed, the sheet wins.
        let conflicts = run.out.lines().filter(|line| line.starts_with("  conflict  ")).count();
        let new = self.source.iter().filter(|record| !self.base.contains(record));
        let stands = |record: &Record| now.iter().filter(|row| row.cells == typed(record)).count();
        // Two that became the same stand there twice.
        let wanted = |record: &Record| self.source.iter().filter(|other| *other == record).count();
        let missing = new.filter(|record| stands(record) != wanted(record));
        let missing: Vec<&Record> = missing.collect();
        if missing.len() > conflicts {
            return failed(self, &format!("new records do not stand there, each once: {missing:?}"));
        }
        for row in &now {
            let stays = self
                .rows
                .iter()
                .any(|before| before.cells == row.cells && (is_own(before) || before.has_own()));
            if !stays && !is_in(&self.source, row) {
                return failed(self, &format!("this is neither the clerk's nor the source's: {row:?}"));
            }
        }
        self.rows = now;
        self.is_as_it_must_be(folder, &run)
    }

    /// One refresh; `false`: something stood in the way, and nothing was changed.
    fn step(&mut self, folder: &Folder) -> Result<bool, String> {
        if !self.world.has_key {
            return self.step_by_content(folder);
        }
        let before = std::fs::read(folder.path("book.xlsx")).unwrap();
        let is_untouched = || std::fs::read(folder.path("book.xlsx")).unwrap() == before;
        let (mut rows, has_conflicts) = self.refreshed(None);
        let mut run = folder.run("refresh book.xlsx --accept shorter");
        let _ = writeln!(self.log, "refresh: status {}", run.status);
        let has_room = |rows: &[Row]| {
            let end = 1 + rows.len() as u32 + self.world.totals;
            self.note_row.is_none_or(|note| end + 1 < note) || rows.len() <= self.rows.len()
        };
        if has_conflicts {
            if run.status == 4 && !run.out.contains("conflict") && !has_room(&rows) && is_untouched() {
                return Ok(false);
            }
            if run.status != 4 || !is_untouched() {
                return Err(format!("{}\na conflict is not asked about\n{}{}", self.log, run.out, run.err));
            }
            let is_source = self.dice.chance(50);
            rows = self.refreshed(Some(is_source)).0;
            let words = if is_source { "source" } else { "sheet" };
            run = folder.run(&format!("refresh book.xlsx --accept shorter --conflicts {words}"));
            let _ = writeln!(self.log, "refresh --conflicts {words}: status {}", run.status);
        }
        if run.status == 4
            && !has_room(&rows)
            && run.err.contains("the cells for the rows are not empty")
            && is_untouched()
        {
            return Ok(false);
        }
        if run.status != 0 {
            return Err(format!("{}\nstatus {}\n{}{}", self.log, run.status, run.out, run.err));
        }
        self.rows = rows;
        self.is_as_it_must_be(folder, &run)
    }

    /// Compares the sheet with the model, of which the next step goes out.
    fn is_as_it_must_be(&mut self, folder: &Folder, run: &Run) -> Result<bool, String> {
        self.known = self.rows.len();
        self.base.clone_from(&self.source);
        let is = Grid::read(folder);
        let must = self.grid();
        if is == must {
            return Ok(true);
        }
        let mut text = format!("{}\nthe sheet is not as it must be\n", self.log);
        let places: std::collections::BTreeSet<_> = is.cells.keys().chain(must.cells.keys()).collect();
        for place in places {
            let (is, must) = (is.cells.get(place), must.cells.get(place));
            if is != must {
                let _ = writeln!(text, "{place:?}: is {is:?}, must be {must:?}");
            }
        }
        let around =
            |grid: &Grid| format!("{:?} {:?} {:?} {:?}", grid.looks, grid.comments, grid.links, grid.filter);
        let _ = writeln!(text, "around: is {}, must be {}\n{}", around(&is), around(&must), run.out);
        Err(text)
    }
}

fn stories(part: u64) {
    let count: u64 = std::env::var("INCOLA_STORIES").ok().and_then(|n| n.parse().ok()).unwrap_or(320);
    let mut failures = Vec::new();
    for seed in (0..count).filter(|seed| seed % 4 == part) {
        let folder = Folder::new();
        if let Err(text) = Story::new(seed).tell(&folder) {
            failures.push(text);
        }
    }
    assert!(failures.is_empty(), "{} stories of {}\n{}", failures.len(), count / 4, failures[0]);
}

#[test]
fn what_the_clerk_owns_is_as_the_model_has_it_first_part() {
    stories(0);
}

#[test]
fn what_the_clerk_owns_is_as_the_model_has_it_second_part() {
    stories(1);
}

#[test]
fn what_the_clerk_owns_is_as_the_model_has_it_third_part() {
    stories(2);
}

#[test]
fn what_the_clerk_owns_is_as_the_model_has_it_fourth_part() {
    stories(3);
}
