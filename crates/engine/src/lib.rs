//! What an import and a refresh do, over anything that can be read and written.
//!
//! The engine opens no path, asks no clock, prints nothing and names no option: bytes come from a [`feed::Feed`], sheets go into
//! anything that can be written and sought, and whatever stands in the way is a [`stop::Stop`] made of facts.
//!
//! Bytes imported into a workbook in memory, with no file touched:
//!
//! ```
//! use incola_core::reading::Choices;
//! use incola_engine::feed::{Feed, InMemory};
//! use incola_engine::import::NewSheet;
//! use incola_engine::text::survey;
//! use incola_workbook::{BookWriter, ExistingBook, Styles};
//! use std::io::Cursor;
//!
//! let calls = InMemory::new("calls.csv", b"Call,Berth,Dues\nA-1,007,12.50\nA-2,012,3.25\n");
//! let surveyed = survey(&calls, &Choices::default(), None)?;
//! let columns = &surveyed.reading.columns;
//! let (mut book, mut styles) = (BookWriter::new(Cursor::new(Vec::new())), Styles::new());
//! let sources = [(&calls as &dyn Feed, &surveyed)];
//! let sheet = NewSheet::of("calls", columns);
//! let written = sheet.write(&sources, columns, (&mut book, &mut styles, false), |_, _| Ok(()))?;
//! assert_eq!((written.rows, written.exact), (2, 6));
//!
//! let bytes = book.finish(&styles, "calls", "2031-03-04T05:06:07Z").unwrap();
//! let mut book = ExistingBook::open(Box::new(bytes)).unwrap();
//! assert_eq!(book.cells(0, 2, 2, 100).unwrap()[1].text, "007");
//! # Ok::<(), incola_engine::stop::Stop>(())
//! ```

pub mod cells;
pub mod divide;
pub mod export;
pub mod feed;
pub mod fingerprints;
pub mod import;
pub mod link;
pub mod place;
pub mod refresh;
pub mod spool;
pub mod stop;
pub mod tally;
pub mod text;
pub mod totals;
