//! Measures all common jobs in one run and prints them as a table: `table INCOLA [ROWS [PAIRS]]`.
//!
//! Each job is run in turn with what it is compared with, on the same files: the ordinary program, or a fresh import with a link.

use incola_benches::{Folder, Run, beside, bytes, instructions, median, run};
use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

/// Rows that instructions are counted on: a hundredth of the usual ones, but enough to forget the start.
const COUNTED: usize = 20_000;
/// Small files, and the rows of each.
const FILES: usize = 1000;
const ROWS_A_FILE: usize = 20;
/// Rows that are appended.
const APPENDED: usize = 1000;
/// The workbook that is changed: its link is followed where it was made, until another import makes a new one.
const KEPT: &str = "kept.xlsx";
/// One row of so many is revised before a refresh.
const REVISED: usize = 100;

/// What a job is compared with.
#[derive(Clone, Copy, Debug, PartialEq)]
enum Against {
    /// The ordinary program on the same file.
    Handmade,
    /// A fresh import of the file of calls, with a link.
    Import,
}

/// A job.
#[derive(Debug)]
struct Job {
    what: String,
    against: Against,
    /// The file that it is about, in the folder, and its rows.
    source: &'static str,
    rows: usize,
    /// What Incola is told.
    words: Vec<&'static str>,
    /// Whether it is about a linked workbook, which is put back before each run; else there is none before.
    is_change: bool,
    /// Files that are put in place of others before each run.
    swapped: Option<(&'static str, &'static str)>,
    /// Whether instructions are counted: only where rows can be fewer.
    is_counted: bool,
}

fn jobs(rows: usize) -> Vec<Job> {
    let job = |what: &str, against, source, rows, words: &[&'static str]| Job {
        what: what.to_owned(),
        against,
        source,
        rows,
        words: words.to_vec(),
        is_change: false,
        swapped: None,
        is_counted: true,
    };
    let into = |source: &'static str| vec!["import", source, "--into", "out.xlsx"];
    let unlinked = |source: &'static str| vec!["import", source, "--no-link", "--into", "out.xlsx"];
    let wide = rows / 20;
    let changed = |mode: &'static str, source: &'static str| Job {
        is_change: true,
        is_counted: false,
        words: vec!["import", source, "--into", KEPT, "--sheet", "calls", "--mode", mode],
        ..job("", Against::Import, "calls.csv", rows, &[])
    };
    use Against::{Handmade, Import};
    vec![
        job("import with a link", Handmade, "calls.csv", rows, &into("calls.csv")),
        job("import without a link", Handmade, "calls.csv", rows, &unlinked("calls.csv")),
        job("inspect", Handmade, "calls.csv", rows, &["inspect", "calls.csv"]),
        job(
            "import of 200 columns, a twentieth of the rows",
            Handmade,
            "wide.csv",
            wide,
            &unlinked("wide.csv"),
        ),
        job("import of long quoted text, a fifth", Handmade, "notes.csv", rows / 5, &unlinked("notes.csv")),
        job("import of 10,000 rows with a link", Handmade, "few.csv", 10_000, &into("few.csv")),
        job("import of fixed columns", Import, "calls.txt", rows, &into("calls.txt")),
        job("import of records of four lines", Import, "calls.las", rows, &into("calls.las")),
        job("import of a .gz file", Import, "calls.csv.gz", rows, &into("calls.csv.gz")),
        Job {
            what: format!("refresh, one row of {REVISED} revised"),
            swapped: Some(("revised.csv", "calls.csv")),
            words: vec!["refresh", KEPT, "--no-questions"],
            ..changed("", "calls.csv")
        },
        Job { what: "replace all rows".into(), ..changed("replace", "calls.csv") },
        Job { what: format!("append {APPENDED} rows"), ..changed("append", "more.csv") },
        Job {
            what: format!("import of {FILES} files of {ROWS_A_FILE} rows into one table"),
            is_counted: false,
            ..job(
                "",
                Import,
                "many.csv",
                FILES * ROWS_A_FILE,
                &["import", "many", "--together", "--into", "out.xlsx"],
            )
        },
    ]
}

fn main() -> io::Result<()> {
    let args: Vec<String> = std::env::args().collect();
    let Some(incola) = args.get(1) else {
        eprintln!("table INCOLA [ROWS [PAIRS]]");
        std::process::exit(2);
    };
    let incola = PathBuf::from(incola).canonicalize()?;
    let number = |at: usize, usual: usize| args.get(at).and_then(|n| n.parse().ok()).unwrap_or(usual);
    let (rows, pairs) = (number(2, 1_000_000), number(3, 5));
    let cores = std::thread::available_parallelism().map_or(1, usize::from);
    let folder = Folder::new()?;
    let bench = Bench { folder, incola, handmade: beside("handmade")?, generate: beside("generate")? };
    bench.prepare(rows)?;
    println!("{rows} rows of 12 columns, {pairs} pairs, {cores} cores, medians\n");
    println!("| what | seconds | times as fast | as long as | workbook | peak MiB | instructions a row |");
    println!("|---|---:|---:|---:|---:|---:|---:|");
    for job in jobs(rows) {
        println!("{}", bench.measure(&job, pairs)?);
        io::stdout().flush()?;
    }
    Ok(())
}

/// Where and with what jobs are measured.
struct Bench {
    folder: Folder,
    incola: PathBuf,
    handmade: PathBuf,
    generate: PathBuf,
}

impl Bench {
    /// Makes the files.
    fn prepare(&self, rows: usize) -> io::Result<()> {
        self.generate("calls", rows, "calls.csv")?;
        self.generate("fixed", rows, "calls.txt")?;
        self.generate("labels", rows, "calls.las")?;
        self.generate("wide", rows / 20, "wide.csv")?;
        self.generate("notes", rows / 5, "notes.csv")?;
        self.generate("calls", 10_000, "few.csv")?;
        self.generate("calls", FILES * ROWS_A_FILE, "many.csv")?;
        fs::copy(self.folder.file("calls.csv"), self.folder.file("original.csv"))?;
        self.say("gzip", &["-k", "-6", "calls.csv"])?;
        let text = fs::read_to_string(self.folder.file("calls.csv"))?;
        fs::write(self.folder.file("revised.csv"), revised(&text))?;
        fs::write(self.folder.file("more.csv"), more(&text))?;
        let many = self.folder.file("many");
        fs::create_dir_all(&many)?;
        let text = fs::read_to_string(self.folder.file("many.csv"))?;
        let mut lines = text.lines();
        let names = lines.next().unwrap_or_default();
        let lines: Vec<&str> = lines.collect();
        for (at, lines) in lines.chunks(ROWS_A_FILE).enumerate() {
            fs::write(many.join(format!("calls-{at:04}.csv")), format!("{names}\n{}\n", lines.join("\n")))?;
        }
        // A link is followed where it was made.
        self.incola(&["import", "calls.csv", "--into", KEPT])?;
        fs::copy(self.folder.file(KEPT), self.folder.file("linked.xlsx")).map(drop)
    }

    fn generate(&self, shape: &str, rows: usize, name: &str) -> io::Result<()> {
        let rows = rows.to_string();
        run(&self.generate, &[shape.as_ref(), rows.as_ref(), name.as_ref()], self.folder.path()).map(drop)
    }

    fn say(&self, program: &str, words: &[&str]) -> io::Result<()> {
        let words: Vec<&std::ffi::OsStr> = words.iter().map(AsRef::as_ref).collect();
        run(Path::new(program), &words, self.folder.path()).map(drop)
    }

    fn incola(&self, words: &[&str]) -> io::Result<Run> {
        let words: Vec<&std::ffi::OsStr> = words.iter().map(AsRef::as_ref).collect();
        run(&self.incola, &words, self.folder.path())
    }

    /// Puts all files to where a job begins.
    fn reset(&self, job: &Job) -> io::Result<()> {
        let _ = fs::remove_file(self.folder.file("out.xlsx"));
        let _ = fs::remove_file(self.folder.file("other.xlsx"));
        fs::copy(self.folder.file("original.csv"), self.folder.file("calls.csv"))?;
        if job.is_change {
            fs::copy(self.folder.file("linked.xlsx"), self.folder.file(KEPT))?;
        }
        if let Some((from, to)) = job.swapped {
            fs::copy(self.folder.file(from), self.folder.file(to))?;
        }
        Ok(())
    }

    /// A line of the table.
    fn measure(&self, job: &Job, pairs: usize) -> io::Result<String> {
        let (mut own, mut others, mut peaks) = (Vec::new(), Vec::new(), Vec::new());
        let mut size = 0.0;
        for _ in 0..pairs {
            self.reset(job)?;
            let measured = self.incola(&job.words)?;
            own.push(measured.seconds);
            peaks.push(measured.peak);
            size = bytes(&self.folder.file(if job.is_change { KEPT } else { "out.xlsx" }));
            fs::copy(self.folder.file("original.csv"), self.folder.file("calls.csv"))?;
            others.push(
                match job.against {
                    Against::Handmade => run(
                        &self.handmade,
                        &[job.source.as_ref(), "other.xlsx".as_ref()],
                        self.folder.path(),
                    )?,
                    Against::Import => self.incola(&["import", self.same(job), "--into", "other.xlsx"])?,
                }
                .seconds,
            );
        }
        let share = size / bytes(&self.folder.file("other.xlsx"));
        // Pairs that ran one behind the other are compared, so that a busy machine slows both.
        let ratio = median(own.iter().zip(&others).map(|(own, other)| other / own));
        let counted = job.is_counted.then(|| self.count(job)).flatten();
        Ok(row(job, median(own), ratio, share, median(peaks), counted))
    }

    /// The file whose fresh import a job is compared with.
    fn same(&self, job: &Job) -> &'static str {
        if job.source == "many.csv" { "many.csv" } else { "calls.csv" }
    }

    /// Instructions a row: of the same job with fewer rows.
    fn count(&self, job: &Job) -> Option<f64> {
        let rows = COUNTED.min(job.rows);
        let (shape, is_packed) = match job.source {
            "wide.csv" => ("wide", false),
            "notes.csv" => ("notes", false),
            "calls.txt" => ("fixed", false),
            "calls.las" => ("labels", false),
            source => ("calls", source.ends_with(".gz")),
        };
        let rows = if shape == "wide" { rows / 20 } else { rows };
        let _ = fs::remove_file(self.folder.file("out.xlsx"));
        let name = job.source.trim_end_matches(".gz").replace('.', "-counted.");
        self.generate(shape, rows, &name).ok()?;
        let name = if is_packed {
            self.say("gzip", &["-f", &name]).ok()?;
            format!("{name}.gz")
        } else {
            name
        };
        let words: Vec<&std::ffi::OsStr> = job
            .words
            .iter()
            .map(|word| if *word == job.source { name.as_ref() } else { AsRef::as_ref(*word) })
            .collect();
        Some(instructions(&self.incola, &words, self.folder.path())? * 1e6 / rows as f64)
    }
}

/// The file with one row of so many revised: its last word.
fn revised(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for (at, line) in text.lines().enumerate() {
        match line.rsplit_once(',').filter(|_| at > 0 && at % REVISED == 0) {
            Some((before, "yes")) => out.extend([before, ",no"]),
            Some((before, _)) => out.extend([before, ",yes"]),
            None => out.push_str(line),
        }
        out.push('\n');
    }
    out
}

/// A few rows more, with numbers that none has.
fn more(text: &str) -> String {
    let mut lines = text.lines();
    let mut out = format!("{}\n", lines.next().unwrap_or_default());
    for line in lines.take(APPENDED) {
        out.extend(["9", line.get(1..).unwrap_or_default(), "\n"]);
    }
    out
}

/// A line of the table.
fn row(job: &Job, seconds: f64, ratio: f64, share: f64, peak: f64, counted: Option<f64>) -> String {
    let (faster, longer) = match job.against {
        Against::Handmade => (format!("{ratio:.1}"), String::new()),
        Against::Import => (String::new(), format!("{:.2}", 1.0 / ratio)),
    };
    let share = if share > 0.0 { format!("{share:.2}") } else { String::new() };
    let counted = counted.map_or_else(String::new, |count| format!("{count:.0}"));
    format!("| {} | {seconds:.2} | {faster} | {longer} | {share} | {peak:.0} | {counted} |", job.what)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn revised_rows_are_one_of_so_many() {
        let text: String =
            (0..=300).map(|n| format!("{n},{}\n", if n % 2 == 0 { "yes" } else { "no" })).collect();
        let new = revised(&text);
        let differing: Vec<usize> = text
            .lines()
            .zip(new.lines())
            .enumerate()
            .filter(|(_, (a, b))| a != b)
            .map(|(at, _)| at)
            .collect();
        assert_eq!(differing, [100, 200, 300]);
        assert!(new.contains("\n100,no\n"), "{new}");
        assert_eq!(more("Call,Paid\n00000007,yes\n"), "Call,Paid\n90000007,yes\n");
    }

    #[test]
    fn jobs_are_compared_with_one_thing_each() {
        let all = jobs(1000);
        let ordinary = all.iter().filter(|job| job.against == Against::Handmade).count();
        assert_eq!((all.len(), ordinary), (13, 6));
        assert_eq!(
            row(&all[0], 1.0, 8.5, 1.08, 40.0, Some(31000.4)),
            "| import with a link | 1.00 | 8.5 |  | 1.08 | 40 | 31000 |"
        );
        assert_eq!(
            row(&all[10], 1.0, 0.8, 0.0, 40.0, None),
            "| replace all rows | 1.00 |  | 1.25 |  | 40 |  |"
        );
    }
}
