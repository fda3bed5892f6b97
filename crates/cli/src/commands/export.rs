//! `incola export`

use super::link::untrusted;
use super::refresh::chosen;
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::definitions::Export;
use crate::interrupt;
use crate::io::book_file::{read_book, rows_meant, several_tables};
use crate::io::identity::Identity;
use crate::io::source::Source;
use crate::io::target::Target;
use crate::links::{self, Kept, origin};
use crate::output::{print, print_receipt};
use crate::render;
use crate::render::command::quoted;
use crate::wording;
use flate2::Compression;
use flate2::write::GzEncoder;
use incola_core::encoding::Encoding;
use incola_core::settings::delimiter;
use incola_engine::export::{Exported, Fields, PlainForm, SourceForm, export, export_plain, plain_form};
use incola_engine::feed::Feed;
use incola_engine::refresh::{self, Located};
use incola_engine::stop::Stop;
use incola_workbook::ExistingBook;
use std::io::{self, BufWriter, Write};
use std::path::Path;

/// Bytes of a difference that are shown.
const SHOWN: usize = 60;

/// Bytes of a source that are compared at once.
const BLOCK: usize = 1 << 16;

/// What was written, for a page.
pub(crate) struct Receipt<'r> {
    pub(crate) book: &'r Path,
    pub(crate) sheet: &'r str,
    /// The link; nothing: a form was chosen.
    pub(crate) link: &'r str,
    /// Where it went; nothing: it was only compared.
    pub(crate) to: Option<&'r Path>,
    pub(crate) exported: &'r Exported,
    pub(crate) form: &'r incola_engine::export::SourceForm,
    /// Where it differs from the source.
    pub(crate) compared: Option<Compared>,
}

/// What is written.
#[derive(Clone, Copy)]
struct Of<'r> {
    book: &'r Path,
    sheet: &'r str,
    /// The link; nothing: a form was chosen.
    link: &'r str,
    form: &'r SourceForm,
}

impl<'r> Of<'r> {
    fn receipt(
        self,
        exported: &'r Exported,
        to: Option<&'r Path>,
        compared: Option<Compared>,
    ) -> Receipt<'r> {
        let Self { book, sheet, link, form } = self;
        Receipt { book, sheet, link, to, exported, form, compared }
    }
}

/// How what would be written compares with the source.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(crate) enum Compared {
    /// Byte for byte the same.
    Same,
    /// The first difference: line and byte, from 1; what the source has from there on, and what would be written.
    Differs { line: u64, byte: u64, source: String, export: String },
}

/// Writes a linked table the way its source was written.
pub(crate) fn run(options: &Export) -> Result<ExitCode> {
    let path = &options.book;
    let mut book = read_book(path)?;
    let linked = if options.to.is_some() { None } else { linked_table(options, path, &mut book)? };
    let Some((kept, located)) = linked else { return in_own_form(options, &mut book) };
    if let Some(option) = form_option(options) {
        return Err(Failure::usage(format!("{option}: a linked table is written as its source was"))
            .leaving("nothing was written")
            .help("for a form of its own: --to delimited, or --to fixed"));
    }
    let link = kept.link();
    let Some(form) = &link.form else {
        return Err(wording::links::link(&link.name, &incola_engine::stop::LinkStop::NoForm, Some(path)));
    };
    let mut made = |out: &mut dyn Write, to: &Path| {
        export(&mut book, link, &located, &mut Watched(out)).map_err(|stop| match stop {
            Stop::Outside(error) => not_written(error, to),
            stop => wording::stop::in_table(stop, path),
        })
    };
    let of = Of { book: path, sheet: &located.sheet_name, link: &link.name, form };
    if options.check {
        let source = source_of(&kept, path)?;
        let mut against = Against::new(&source)?;
        let exported = made(&mut against, path)?;
        let compared = against.outcome()?;
        let is_same = compared == Compared::Same && exported.lost == 0;
        show(options, &of.receipt(&exported, None, Some(compared)))?;
        return Ok(if is_same { ExitCode::Done } else { ExitCode::NeedsALook });
    }
    deliver(options, &mut made, of)
}

/// Writes the text where it is wanted: `made` writes it once.
fn deliver(
    options: &Export,
    made: &mut dyn FnMut(&mut dyn Write, &Path) -> Result<Exported>,
    of: Of<'_>,
) -> Result<ExitCode> {
    let Some(to) = &options.output else {
        return Err(Failure::usage("export needs a file to write: -o FILE")
            .help("-o - writes to standard output; --check compares with the source and writes nothing"));
    };
    if to.as_os_str() == "-" {
        // What is lost must be known before anything is out.
        let exported = made(&mut io::sink(), to)?;
        refuse(options, &of.receipt(&exported, None, None))?;
        let mut out = BufWriter::with_capacity(1 << 20, io::stdout().lock());
        made(&mut out, Path::new("standard output")).or_else(|failure| match out.flush() {
            // A reader that went away is no failure.
            Err(error) if error.kind() == io::ErrorKind::BrokenPipe => Ok(Exported::default()),
            _ => Err(failure),
        })?;
        return Ok(status(&exported));
    }
    let mut target = target(options, to)?;
    let exported = if to.extension().is_some_and(|ending| ending.eq_ignore_ascii_case("gz")) {
        let mut packed = GzEncoder::new(&mut target, Compression::default());
        let exported = made(&mut packed, to)?;
        packed.finish().map_err(|error| not_written(Box::new(error), to))?;
        exported
    } else {
        made(&mut target, to)?
    };
    refuse(options, &of.receipt(&exported, Some(to), None))?;
    target.commit()?;
    show(options, &of.receipt(&exported, Some(to), None))?;
    Ok(status(&exported))
}

/// The first option that says how text of its own form looks.
fn form_option(options: &Export) -> Option<&'static str> {
    let given = [
        ("--delimiter", options.delimiter.is_some()),
        ("--encoding", options.encoding.is_some()),
        ("--decimal-char", options.decimal_char.is_some()),
        ("--line-end", options.line_end.is_some()),
        ("--header", options.header.is_some()),
        ("--wrapped", options.wrapped),
    ];
    given.into_iter().find(|(_, is_given)| *is_given).map(|(option, _)| option)
}

/// Writes a table, or the rows of a sheet, in a form that is chosen.
fn in_own_form(options: &Export, book: &mut ExistingBook) -> Result<ExitCode> {
    let path = &options.book;
    if options.check {
        return Err(Failure::usage("--check: the table has no link, so there is no source to compare with"));
    }
    let mut found = rows_meant(path, book, options.sheet.as_deref())?;
    if let Some(link) = &options.link {
        found.retain(|rows| rows.table.as_ref() == Some(link));
    }
    let rows = match &found[..] {
        [rows] => rows,
        [] => {
            return Err(Failure::usage(format!("{}: there is nothing to write", path.display()))
                .leaving("nothing was written"));
        }
        several => {
            return Err(several_tables(path, book, several).leaving("nothing was written").help(
                "say which sheet is meant: --sheet S; or name the table: incola export WORKBOOK TABLE",
            ));
        }
    };
    let wanted = own_form(options)?;
    let sheet = book.sheet_names()[rows.sheet].clone();
    let form = plain_form(book, rows, &wanted)?;
    let mut made = |out: &mut dyn Write, to: &Path| {
        let written = export_plain(book, rows, (&form, &wanted), &mut Watched(out));
        written.map_err(|stop| match stop {
            Stop::Outside(error) => not_written(error, to),
            stop => wording::stop::in_table(stop, path),
        })
    };
    deliver(options, &mut made, Of { book: path, sheet: &sheet, link: "", form: &form })
}

/// The form that the options say.
fn own_form(options: &Export) -> Result<PlainForm> {
    let usual = PlainForm::default();
    let encoding = match &options.encoding {
        None => usual.encoding,
        Some(name) => Encoding::for_label(name).ok_or_else(|| Stop::NoEncoding { name: name.clone() })?,
    };
    let fields = match (options.to.as_deref(), &options.delimiter) {
        (Some("fixed"), Some(_)) => {
            return Err(Failure::usage("--delimiter: nothing stands between fields at fixed places"));
        }
        (Some("fixed"), None) => Fields::Fixed,
        (_, Some(word)) => {
            let own = delimiter(word);
            if own.is_empty() || own.contains(['"', '\r', '\n']) {
                let what = format!("--delimiter {}: it would not divide fields", quoted(word));
                return Err(Failure::usage(what));
            }
            Fields::Delimited(own)
        }
        _ => usual.fields,
    };
    Ok(PlainForm {
        fields,
        encoding,
        decimal: options.decimal_char.as_ref().and_then(|c| c.chars().next()).unwrap_or(usual.decimal),
        line_end: if options.line_end.as_deref() == Some("crlf") { "\r\n".into() } else { usual.line_end },
        has_heading: options.header.is_none(),
        wraps_digits: options.wrapped,
    })
}

/// The file that is written: a new one, or one that is replaced as was said. The workbook itself never is.
fn target(options: &Export, to: &Path) -> Result<Target> {
    let Ok(stood) = Identity::at(to) else { return Target::create(to) };
    if Identity::at(&options.book).is_ok_and(|book| book == stood) {
        return Err(Failure::usage(format!("{}: this is the workbook", to.display()))
            .leaving("it was not changed")
            .help("choose another name with -o"));
    }
    if !options.overwrite {
        return Err(Failure::protected(format!("{}: the file is there already", to.display()))
            .leaving("it was not changed")
            .help("to write over it: --overwrite"));
    }
    Target::back(to, stood)
}

/// What is written, as long as nobody interrupts it.
struct Watched<'w>(&'w mut dyn Write);

impl Write for Watched<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        interrupt::check().map_err(io::Error::other)?;
        self.0.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}

/// Why the text could not be written.
fn not_written(error: Box<dyn std::error::Error + Send + Sync>, to: &Path) -> Failure {
    let error = match error.downcast::<io::Error>().map(|error| error.downcast::<Failure>()) {
        Ok(Ok(failure)) => return failure,
        Ok(Err(error)) => error,
        Err(error) => return Failure::unreadable(error.to_string()),
    };
    Failure::io(to, "write it", &error).leaving("nothing that was there before was changed")
}

fn status(exported: &Exported) -> ExitCode {
    let is_whole = exported.lost == 0 && exported.left_out.is_empty();
    if is_whole { ExitCode::Done } else { ExitCode::NeedsALook }
}

/// Stops where the text would not hold what the sheet does.
fn refuse(options: &Export, receipt: &Receipt<'_>) -> Result<()> {
    if options.even_lossy || status(receipt.exported) == ExitCode::Done {
        return Ok(());
    }
    Err(Failure::protected(render::export::losses(receipt))
        .leaving("nothing was written")
        .help("to write it all the same, with what stands in for such values: --even-lossy"))
}

fn show(options: &Export, receipt: &Receipt<'_>) -> Result<()> {
    if options.json {
        return print(&render::export::json(receipt));
    }
    print_receipt(&render::export::page(receipt))
}

/// The link that is meant, and where its table is.
fn linked_table(options: &Export, path: &Path, book: &mut ExistingBook) -> Result<Option<(Kept, Located)>> {
    let (all, _) = links::find(path, book)?;
    if all.is_empty() {
        return Ok(None);
    }
    let all = chosen(path, all, options.link.as_slice())?;
    let mut found = Vec::new();
    for kept in all {
        let located = refresh::locate(book, kept.link());
        match &options.sheet {
            Some(sheet) => match located {
                Ok(at) if at.sheet_name.to_lowercase() == sheet.to_lowercase() => found.push((kept, at)),
                // Where its table is gone it is not in that sheet.
                Ok(_) | Err(Stop::Link { .. }) => {}
                Err(stop) => return Err(wording::stop::in_book(stop, path)),
            },
            None => found.push((kept, located.map_err(|stop| wording::stop::in_book(stop, path))?)),
        }
    }
    let names: Vec<String> = found.iter().map(|(kept, _)| quoted(&kept.link().name)).collect();
    let mut found = found.into_iter();
    match (found.next(), found.next()) {
        (Some(one), None) => Ok(Some(one)),
        (None, _) if options.sheet.is_some() => Ok(None),
        (None, _) => {
            let of = options
                .sheet
                .as_ref()
                .map_or_else(String::new, |sheet| format!(" in sheet \u{201c}{sheet}\u{201d}"));
            Err(Failure::usage(format!("{}: it has no linked table{of}", path.display()))
                .leaving("nothing was written")
                .help("the links of a workbook: incola link list WORKBOOK; import makes them"))
        }
        _ => Err(Failure::usage(format!("{}: it has several linked tables", path.display()))
            .leaving("nothing was written")
            .help(format!("name one: {}", names.join(", ")))),
    }
}

/// Compares what is written to it with a source.
struct Against<'s> {
    bytes: Box<dyn incola_engine::feed::Bytes + 's>,
    waiting: Vec<u8>,
    byte: u64,
    line: u64,
    /// The end of what is the same in the line.
    same: Vec<u8>,
    differs: Option<Compared>,
    failure: Option<Stop>,
}

/// The source of a link that has one, trusted.
fn source_of(kept: &Kept, path: &Path) -> Result<Source> {
    let link = kept.link();
    if !kept.mirror.trusts(&origin::reads(link, path)) {
        return Err(untrusted(kept, path));
    }
    let [part] = link.parts.as_slice() else {
        return Err(Failure::usage(format!("link {} has several sources", quoted(&link.name))));
    };
    Source::open(&origin::here(&part.at, path), &std::env::temp_dir())
}

impl<'s> Against<'s> {
    fn new(source: &'s Source) -> Result<Self> {
        let bytes = source.bytes_from(0)?;
        Ok(Self {
            bytes,
            waiting: Vec::new(),
            byte: 0,
            line: 1,
            same: Vec::new(),
            differs: None,
            failure: None,
        })
    }
    /// The difference that begins here.
    fn difference(&self, new: &[u8]) -> Compared {
        let shown = |bytes: &[u8]| {
            let line = bytes.split(|b| matches!(b, b'\r' | b'\n')).next().unwrap_or_default();
            String::from_utf8_lossy(&[&self.same, &line[..line.len().min(SHOWN)]].concat()).into_owned()
        };
        Compared::Differs {
            line: self.line,
            byte: self.byte + 1,
            source: shown(&self.waiting),
            export: shown(new),
        }
    }

    fn outcome(mut self) -> Result<Compared> {
        // What the source has besides.
        if self.differs.is_none() && self.waiting.is_empty() {
            self.bytes.fill(&mut self.waiting, BLOCK)?;
        }
        if let Some(stop) = self.failure {
            return Err(stop.into());
        }
        if self.differs.is_none() && !self.waiting.is_empty() {
            self.differs = Some(self.difference(b""));
        }
        Ok(self.differs.unwrap_or(Compared::Same))
    }
}

impl Write for Against<'_> {
    fn write(&mut self, new: &[u8]) -> io::Result<usize> {
        while self.differs.is_none() && self.failure.is_none() && self.waiting.len() < new.len() {
            match self.bytes.fill(&mut self.waiting, new.len().max(BLOCK)) {
                Ok(0) => break,
                Ok(_) => {}
                Err(stop) => self.failure = Some(stop),
            }
        }
        if self.differs.is_none() {
            let same = new.iter().zip(&self.waiting).take_while(|(a, b)| a == b).count();
            self.line += memchr::memchr_iter(b'\n', &new[..same]).count() as u64;
            self.byte += same as u64;
            self.waiting.drain(..same);
            let of_line = new[..same].rsplit(|b| *b == b'\n').next().unwrap_or_default();
            if of_line.len() < same {
                self.same.clear();
            }
            self.same.extend_from_slice(of_line);
            self.same.drain(..self.same.len().saturating_sub(SHOWN / 3));
            if same < new.len() {
                self.differs = Some(self.difference(&new[same..]));
            }
        }
        Ok(new.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}
