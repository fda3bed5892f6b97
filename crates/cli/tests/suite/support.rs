//! A test runs the program in a fresh folder and compares status and output in full.

use calamine::{Data, Reader, Xlsx, open_workbook};
use incola_workbook::package::rewrite::with_part_changed;
use incola_workbook::package::zip_reader::ZipReader;
use incola_workbook::package::zip_writer::ZipWriter;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use tempfile::TempDir;

/// A folder with files, in which the program is run.
pub(crate) struct Folder {
    dir: TempDir,
    /// What the program remembers of the test.
    state: TempDir,
}

/// How the program ended.
pub(crate) struct Run {
    pub(crate) status: i32,
    pub(crate) out: String,
    pub(crate) err: String,
}

impl Folder {
    pub(crate) fn new() -> Self {
        Self { dir: TempDir::new().unwrap(), state: TempDir::new().unwrap() }
    }

    /// The same folder with one more file.
    pub(crate) fn with(self, name: &str, content: impl AsRef<[u8]>) -> Self {
        std::fs::write(self.path(name), content).unwrap();
        self
    }

    pub(crate) fn path(&self, name: &str) -> PathBuf {
        self.dir.path().join(name)
    }

    /// A place in what the program remembers.
    pub(crate) fn state(&self, name: &str) -> PathBuf {
        self.state.path().join(name)
    }

    /// The names of all files, in order.
    pub(crate) fn files(&self) -> Vec<String> {
        let mut names: Vec<String> = std::fs::read_dir(self.dir.path())
            .unwrap()
            .map(|e| e.unwrap().file_name().to_string_lossy().into_owned())
            .collect();
        names.sort();
        names
    }

    /// Takes files of what the program remembers of links away, by their endings.
    pub(crate) fn forget(&self, endings: &[&str]) {
        let books = std::fs::read_dir(self.state.path().join("incola/links")).unwrap();
        for file in books.flat_map(|book| std::fs::read_dir(book.unwrap().path()).unwrap()) {
            let path = file.unwrap().path();
            if path.extension().is_some_and(|e| endings.iter().any(|ending| e == *ending)) {
                std::fs::remove_file(path).unwrap();
            }
        }
    }

    /// Runs the program with words as they are typed, divided at blanks; apostrophes keep words together.
    pub(crate) fn run(&self, words: &str) -> Run {
        self.run_with(words, b"")
    }

    /// As [`Self::run`], with something on standard input.
    pub(crate) fn run_with(&self, words: &str, input: &[u8]) -> Run {
        let mut child = self.command(words).stdin(Stdio::piped()).spawn().unwrap();
        let mut stdin = child.stdin.take().unwrap();
        let input = input.to_vec();
        let feeder = std::thread::spawn(move || {
            let _ = std::io::Write::write_all(&mut stdin, &input);
        });
        let done = child.wait_with_output().unwrap();
        feeder.join().unwrap();
        Run {
            status: done.status.code().unwrap_or(-1),
            out: String::from_utf8(done.stdout).unwrap(),
            err: String::from_utf8(done.stderr).unwrap(),
        }
    }

    /// The command itself, its output caught.
    pub(crate) fn command(&self, words: &str) -> Command {
        let mut command = command_in(self.dir.path(), words);
        command.env("XDG_STATE_HOME", self.state.path()).env("XDG_CONFIG_HOME", self.state.path());
        command
    }

    /// The cells of a sheet as a general reader sees them: text in quotation marks, numbers and dates as serials.
    pub(crate) fn cells(&self, book: &str, sheet: &str) -> Vec<Vec<String>> {
        let mut book: Xlsx<_> = open_workbook(self.path(book)).unwrap();
        let range = book.worksheet_range(sheet).unwrap();
        let shown = |cell: &Data| match cell {
            Data::Empty => String::new(),
            Data::String(text) => format!("{text:?}"),
            Data::DateTime(moment) => format!("{}", moment.as_f64()),
            other => other.to_string(),
        };
        range.rows().map(|row| row.iter().map(shown).collect()).collect()
    }

    /// Writes a file that is not so new that it might still be written.
    pub(crate) fn write_old(&self, name: &str, text: impl AsRef<[u8]>) {
        let path = self.path(name);
        std::fs::write(&path, text).unwrap();
        let before = std::time::SystemTime::now() - std::time::Duration::from_mins(1);
        std::fs::File::options().write(true).open(&path).unwrap().set_modified(before).unwrap();
    }

    /// Changes a part of a workbook, as another program might.
    pub(crate) fn change_part(&self, book: &str, part: &str, change: impl FnOnce(String) -> String) {
        let input = std::fs::File::open(self.path(book)).unwrap();
        let out = std::io::Cursor::new(Vec::new());
        let change = |content| change(String::from_utf8(content).unwrap()).into_bytes();
        let out = with_part_changed(Box::new(input), part, out, change).unwrap();
        std::fs::write(self.path(book), out.into_inner()).unwrap();
    }

    /// Puts a part into a workbook, as another program might; what ties it to others is another part's matter.
    pub(crate) fn add_part(&self, book: &str, part: &str, content: &str) {
        let mut zip = ZipReader::open(std::fs::File::open(self.path(book)).unwrap()).unwrap();
        let mut more = ZipWriter::new(std::io::Cursor::new(Vec::new()));
        for place in 0..zip.entries().len() {
            more.copy(&mut zip, place).unwrap();
        }
        more.entry(part, content.as_bytes()).unwrap();
        std::fs::write(self.path(book), more.finish().unwrap().into_inner()).unwrap();
    }

    /// A part of a package as text.
    pub(crate) fn part(&self, book: &str, name: &str) -> String {
        part(&self.path(book), name)
    }
}

/// The command in a folder, its output caught; what the program remembers goes into that folder too.
fn command_in(folder: &Path, words: &str) -> Command {
    let mut command = Command::new(env!("CARGO_BIN_EXE_incola"));
    command
        .args(split(words))
        .current_dir(folder)
        .env("COLUMNS", "100")
        .env("XDG_STATE_HOME", folder.join("state"))
        .env("XDG_CONFIG_HOME", folder.join("state"))
        .env("SOURCE_DATE_EPOCH", "1930000000")
        .env_remove("NO_COLOR")
        .stdout(Stdio::piped())
        .stderr(Stdio::piped());
    command
}

/// Runs the program in a folder.
pub(crate) fn run_in(folder: &Path, words: &str) -> Run {
    let done = command_in(folder, words).stdin(Stdio::null()).output().unwrap();
    Run {
        status: done.status.code().unwrap_or(-1),
        out: String::from_utf8(done.stdout).unwrap(),
        err: String::from_utf8(done.stderr).unwrap(),
    }
}

/// A part of the package at `path`, found by its local header: entries are written one behind the other.
pub(crate) fn part(path: &Path, name: &str) -> String {
    use std::io::Read;
    let bytes = std::fs::read(path).unwrap();
    let header = memchr::memmem::find_iter(&bytes, b"PK\x03\x04")
        .find(|at| bytes[at + 30..].starts_with(name.as_bytes()))
        .unwrap_or_else(|| panic!("{name} is not in the package"));
    let length = |at: usize| usize::from(u16::from_le_bytes([bytes[header + at], bytes[header + at + 1]]));
    let start = header + 30 + length(26) + length(28);
    let mut text = String::new();
    flate2::read::DeflateDecoder::new(&bytes[start..]).read_to_string(&mut text).unwrap();
    text
}

fn split(words: &str) -> Vec<String> {
    let mut list = vec![String::new()];
    let mut inside = false;
    for c in words.chars() {
        match c {
            '\'' => inside = !inside,
            ' ' if !inside => list.push(String::new()),
            c => list.last_mut().unwrap().push(c),
        }
    }
    list.retain(|w| !w.is_empty());
    list
}

impl Run {
    /// The same run, having checked its status.
    #[track_caller]
    pub(crate) fn expect(self, status: i32) -> Self {
        assert_eq!(self.status, status, "out: {}\nerr: {}", self.out, self.err);
        self
    }
}
