//! What is imported: sources that were read as far as is needed before something is written, and the workbook that they go into.

use crate::docket::DocketFile;
use crate::docket::shape::Shape;
use crate::failure::{Failure, Result};
use crate::flags::defaults;
use crate::flags::definitions::Import;
use crate::io::source::Source;
use crate::placeholders::Names;
use crate::render;
use crate::render::text::grouped;
use incola_core::reading::{self, ColumnReading};
use incola_core::settings::model::Mode;
use incola_core::settings::{self, Settings};
use incola_core::words::counted;
use incola_engine::feed::Feed;
use incola_engine::text::Surveyed;
use incola_workbook::limits;
use std::path::PathBuf;
use std::sync::Arc;

/// A workbook to be written, and what goes into it.
pub(super) struct Book {
    pub(super) path: PathBuf,
    pub(super) items: Vec<Item>,
}

/// Bytes of sources that are worked on side by side, at most.
pub(super) const SMALL: u64 = 1 << 20;

impl Book {
    /// Adds a source. What was counted of it goes into the first one's counts, if there are many that become one table: then it has to
    /// have the same columns.
    ///
    /// # Errors
    /// Status 4 if it has others.
    pub(super) fn add(&mut self, mut item: Item, are_many: bool) -> Result<()> {
        if let Some(first) = self.items.first_mut().filter(|first| are_many && first.options.is_together()) {
            check_same_columns(first, &item)?;
            first.surveyed.take_over(&mut item.surveyed);
            // The first one says how all of them are read and where they go.
            (item.docket, item.shape, item.choices) = (None, Shape::default(), Arc::clone(&first.choices));
        }
        self.items.push(item);
        Ok(())
    }

    /// Whether it is written beside others: it gets one small source.
    pub(super) fn is_small(&self) -> bool {
        matches!(self.items.as_slice(), [only] if only.surveyed.bytes <= SMALL)
    }
}

/// What was typed, and what a docket says, put together.
#[derive(Debug)]
pub(crate) struct Options {
    /// What was typed.
    pub(crate) typed: Arc<Import>,
    /// How the source is read.
    pub(crate) read: settings::Reading,
    /// Where its rows go.
    pub(crate) place: settings::Place,
}

impl Options {
    /// What was typed, over what a docket says.
    ///
    /// # Errors
    /// Status 2 if a list is none.
    pub(crate) fn new(typed: &Arc<Import>, docket: Option<&DocketFile>) -> Result<Self> {
        let said = docket.map(|file| &file.docket);
        let Settings { read, mut place, .. } = Settings::new(&typed.read.reading()?, &typed.place()?, said);
        place.link = place.link.or(defaults::read()?.link);
        Ok(Self { typed: Arc::clone(typed), read, place })
    }

    /// What becomes of what stands where rows go.
    pub(crate) fn mode(&self) -> Mode {
        self.place.mode.unwrap_or(Mode::Fresh)
    }

    /// Whether the place is stated.
    pub(crate) fn states_place(&self) -> bool {
        self.place.at.is_some() || self.mode() != Mode::Fresh || self.place.sheet.is_some()
    }

    /// Whether rows are a plain range instead of a table.
    pub(crate) fn is_plain(&self) -> bool {
        self.place.plain == Some(true)
    }

    /// Whether all sources go into one table.
    pub(crate) fn is_together(&self) -> bool {
        self.place.together == Some(true)
    }
}

/// A source, and what was typed and what its docket says of it.
pub(crate) struct Item {
    pub(crate) source: Source,
    pub(crate) surveyed: Surveyed,
    pub(crate) options: Arc<Options>,
    pub(super) choices: Arc<reading::Choices>,
    pub(crate) shape: Shape,
    pub(crate) docket: Option<Box<DocketFile>>,
    /// Options that answer what was asked of it.
    pub(super) answers: Vec<String>,
}

/// The values of a source that names may hold.
pub(super) fn names_of<'s>(source: &'s Source, surveyed: &'s Surveyed) -> Names<'s> {
    Names { stem: &source.stem, values: &surveyed.reading.values }
}

/// Fails if the rows do not fit into a sheet: before anything is written.
pub(super) fn check_limits(
    source: &Source,
    columns: &[ColumnReading],
    rows: u64,
    is_rolled_up: bool,
) -> Result<()> {
    let most = u64::from(limits::ROWS) - 1;
    if rows > most {
        let failure = Failure::protected(format!(
            "{}: {}; a worksheet holds {} below its headings",
            source.shown(),
            counted(rows, "row", "rows"),
            grouped(most)
        ));
        let help = if is_rolled_up {
            "make fewer groups: by fewer columns, or by longer times, such as --by Arrived/month".to_owned()
        } else {
            let name = render::command::quoted(&source.name);
            format!("import it in parts: incola import {name} --lines 1..{most} --into part1.xlsx")
        };
        return Err(failure.leaving("nothing was written").help(help));
    }
    for column in columns.iter().filter(|c| c.is_wanted()) {
        if column.stats.longest > limits::CELL_UNITS {
            return Err(Failure::protected(format!(
                "{}: line {}: \u{201c}{}\u{201d} has a value of {} characters; a cell holds {}",
                source.shown(),
                column.stats.longest_line,
                column.name,
                column.stats.longest,
                limits::CELL_UNITS
            ))
            .leaving("nothing was written")
            .help(format!("leave the column out: --as '{}=skip'", column.name))
            .help(
                "or look at the line: a quote may never be closed, and --quote none reads it differently",
            ));
        }
    }
    Ok(())
}

/// Fails if two sources that become one table have different columns.
pub(super) fn check_same_columns(first: &Item, other: &Item) -> Result<()> {
    let (own, others) = (&first.surveyed.reading.columns, &other.surveyed.reading.columns);
    let is_same = |(a, b): (&ColumnReading, &ColumnReading)| a.name.to_lowercase() == b.name.to_lowercase();
    if other.surveyed.is_taken_over() || (own.len() == others.len() && own.iter().zip(others).all(is_same)) {
        return Ok(());
    }
    let names = |item: &Item| {
        let names: Vec<&str> = item.surveyed.reading.columns.iter().map(|c| c.name.as_str()).collect();
        format!("{}: {}", item.source.shown(), names.join(", "))
    };
    Err(Failure::protected(format!(
        "{} and {} have different columns\n  {}\n  {}",
        first.source.shown(),
        other.source.shown(),
        names(first),
        names(other)
    ))
    .leaving("nothing was written")
    .help("import them without --together: each gets a sheet of its own"))
}
