//! Why cells are listed.

use incola_core::kind::Kind;
use incola_engine::cells::Loss;
use incola_engine::import::Note;

/// Why a cell is listed.
pub(crate) fn note(note: Note) -> &'static str {
    match note {
        Note::Misfit(kind) => match kind {
            Kind::Number => "is not a number",
            Kind::Date => "is not a date",
            Kind::Time => "is not a time",
            Kind::DateTime => "is not a date with time",
            _ => "is neither yes nor no",
        },
        Note::Lost(loss) => match loss {
            Loss::Blanks => "the spaces around it are not kept",
            Loss::Undecodable => "it holds bytes that are no character",
            Loss::Spelling => "it would be spelled differently",
            Loss::MeansEmpty => "it means empty",
            Loss::Wrapping => "it is wrapped to stay text, and others in the column are not",
        },
    }
}
