//! `incola docket`

use crate::docket::{self, DocketFile, ENDING, draft::draft};
use crate::exit_code::ExitCode;
use crate::failure::{Failure, Result};
use crate::flags::kept::{DocketAction, DocketCheck, Draft};
use crate::io::disk::{self, Temporary};
use crate::io::source::Source;
use crate::output::{print, report};
use crate::render::command::quoted;
use crate::render::text::counted;
use crate::render::{sanitize::line, style};
use crate::state;
use incola_core::settings::docket::Docket;
use incola_engine::feed::Feed;
use incola_engine::text::survey;
use std::io::Write;
use std::path::Path;

/// Writes, lists and checks dockets.
pub(crate) fn run(action: &DocketAction) -> Result<ExitCode> {
    match action {
        DocketAction::Draft(options) => write(options),
        DocketAction::List(options) => list(options.source.as_deref().filter(|s| *s != "-").map(Path::new)),
        DocketAction::Check(options) => check_all(options),
        DocketAction::Schema => {
            print(&crate::render::json_text(&docket::reference::schema()))?;
            Ok(ExitCode::Done)
        }
    }
}

/// Reads dockets, and reports what is wrong with them.
fn check_all(options: &DocketCheck) -> Result<ExitCode> {
    let mut code = ExitCode::Done;
    let mut out = String::new();
    for path in &options.files {
        match DocketFile::read(path) {
            Ok(file) => {
                let files = file.docket.matches.files.join(", ");
                let files = if files.is_empty() { "no files by itself".to_owned() } else { line(&files) };
                let columns = counted(file.docket.columns.len() as u64, "column", "columns");
                let shown = line(&path.display().to_string());
                out.push_str(&format!("{}   sound; for {files}; {columns}\n", style::strong(&shown)));
            }
            Err(failure) => {
                report(&failure);
                code = code.max(failure.status);
            }
        }
    }
    print(&out)?;
    Ok(code)
}

/// Writes how a source is read as a docket.
fn write(options: &Draft) -> Result<ExitCode> {
    let name = &options.source;
    if let Some(output) = &options.output {
        check(options, output)?;
    }
    // A docket that is there already is where the new one begins, so that what was corrected in it is not lost.
    let known = docket::find(&options.read, name, None)?;
    let (choices, lines) = options.read.choices(known.as_ref())?;
    let source = Source::open(name, &std::env::temp_dir())?;
    let surveyed = survey(&source, &choices, lines)?;
    let said = options.read.settings(known.as_ref().map(|file| &file.docket))?;
    let mut text = draft(&source.label(), &surveyed.reading, &said.read);
    if options.csvw {
        let docket = Docket::read(&text).map_err(|bad| Failure::usage(bad.why))?;
        let header = surveyed.reading.layout.header_line;
        let (json, unsaid) = docket::tabular::write(&docket, &source.label(), header);
        for what in unsaid {
            report(&Failure::usage(format!("the standard cannot say: {what}")));
        }
        text = crate::render::json_text(&json);
    }
    let Some(output) = &options.output else {
        print(&text)?;
        return Ok(ExitCode::Done);
    };
    let failed = |e: &std::io::Error| Failure::io(output, "write it", e).leaving("nothing was written");
    let mut file = Temporary::new_in(crate::io::target::folder_of(output)).map_err(|e| failed(&e))?;
    file.write_all(text.as_bytes()).map_err(|e| failed(&e))?;
    docket::open_to_others(&file).map_err(|e| failed(&e))?;
    let persisted = if options.overwrite { file.persist(output) } else { file.persist_if_free(output) };
    persisted.map_err(|e| failed(&e))?;
    if options.csvw {
        let shown = output.display().to_string();
        let read = format!("incola import {} --docket {}", quoted(name), quoted(&shown));
        print(&format!(
            "{}   written\n\nTo read by it:\n  {read} --into {}\n",
            style::strong(&line(&shown)),
            quoted(&format!("{}.xlsx", source.stem))
        ))?;
        return Ok(ExitCode::Done);
    }
    let patterns = DocketFile::read(output)?.docket.matches.files.join(", ");
    print(&format!(
        "{}   written, for {patterns}\n\nLook at it in an editor; then no options are needed:\n  incola import {} --into {}\n",
        style::strong(&line(&output.display().to_string())),
        quoted(name),
        quoted(&format!("{}.xlsx", source.stem))
    ))?;
    Ok(ExitCode::Done)
}

/// Fails if the docket cannot be written there.
fn check(options: &Draft, output: &Path) -> Result<()> {
    let shown = output.display().to_string();
    if options.csvw && output.extension().is_none_or(|ending| ending != "json") {
        return Err(Failure::usage(format!("-o {shown}: the name of such metadata ends in .json")));
    }
    if !options.csvw && !shown.ends_with(ENDING) {
        let stem = shown.strip_suffix(".toml").unwrap_or(&shown);
        return Err(Failure::usage(format!("-o {shown}: a docket's name ends in {ENDING}"))
            .help(format!("-o {}", quoted(&format!("{stem}{ENDING}")))));
    }
    if !disk::is_free(output) && !options.overwrite {
        return Err(Failure::protected(format!("{shown}: the docket exists already"))
            .leaving("it was not changed")
            .help("to replace it: --overwrite"));
    }
    Ok(())
}

/// The dockets beside a source, or here, and the user's own.
fn list(source: Option<&Path>) -> Result<ExitCode> {
    let here = Path::new("./any");
    let folders = docket::folders(Some(source.unwrap_or(here)), None);
    let mut code = ExitCode::Done;
    let mut rows = Vec::new();
    for path in docket::files_in(&folders) {
        match DocketFile::read(&path) {
            Ok(file) => {
                let used = state::last_use(&path).and_then(|t| jiff::Timestamp::try_from(t).ok());
                let used = used.map_or("never".to_owned(), |t| {
                    t.to_zoned(jiff::tz::TimeZone::system()).strftime("%Y-%m-%d %H:%M").to_string()
                });
                let for_files = file.docket.matches.files.join(", ");
                let columns = file.docket.columns.len().to_string();
                rows.push([file.name(), for_files, columns, used, path.display().to_string()]);
            }
            Err(failure) => {
                report(&failure);
                code = code.max(failure.status);
            }
        }
    }
    if rows.is_empty() {
        let places: Vec<String> = folders.iter().map(|f| f.display().to_string()).collect();
        print(&format!("No dockets are in {}.\n", places.join(", ")))?;
        return Ok(code);
    }
    let heads = ["docket", "for", "columns", "last used", "file"];
    let widths: Vec<usize> = (0..heads.len())
        .map(|n| {
            rows.iter().map(|r| crate::render::text::width(&r[n])).max().unwrap_or(0).max(heads[n].len())
        })
        .collect();
    let draw = |row: &[String; 5]| {
        let cells: Vec<String> =
            row.iter().zip(&widths).map(|(cell, w)| crate::render::text::left(&line(cell), *w)).collect();
        format!("  {}\n", cells.join("  ").trim_end())
    };
    let mut out = style::faint(&draw(&heads.map(str::to_owned)));
    for row in &rows {
        out.push_str(&draw(row));
    }
    print(&out)?;
    Ok(code)
}
