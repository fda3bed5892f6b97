//! What speaks for a layout, and why another one lost, in words: never the price itself.

use super::candidates::{Candidate, Form};
use super::{fixed, multiline};
use crate::record::{Division, Multiline};

/// What speaks for a layout.
pub(super) fn of(candidate: &Candidate) -> String {
    match &candidate.dialect.division {
        Division::Fixed(layout) => {
            let starts: Vec<String> = fixed::from_one(&layout.starts).iter().map(usize::to_string).collect();
            let crossed = candidate.records - candidate.even;
            if crossed > 0 {
                return format!(
                    "{} of {} lines looked at have characters across the starts {}",
                    crossed,
                    candidate.records,
                    starts.join(", ")
                );
            }
            format!(
                "{} of {} lines looked at have no character across the starts {}",
                candidate.even,
                candidate.records,
                starts.join(", ")
            )
        }
        Division::Multiline(multiline) => multiline_evidence(multiline, candidate.records),
        Division::Delimited if candidate.dialect.delimiter.is_empty() => {
            "no mark divides the lines evenly: each line is one value".into()
        }
        Division::Delimited => {
            // Lines set aside are no records.
            let records = candidate.records.saturating_sub(candidate.aside).max(candidate.even);
            let looked = if records == 1 {
                "the record has".to_owned()
            } else if candidate.even == records {
                format!("all {records} records looked at have")
            } else {
                format!("{} of {records} records looked at have", candidate.even)
            };
            let quoted = match candidate.quoted {
                0 => String::new(),
                quoted => format!(", {quoted} of them in quotes"),
            };
            format!("{looked} {} fields{quoted}", candidate.width)
        }
    }
}

/// Why `rival` lost against `best`.
pub(super) fn weakness(rival: &Candidate, best: &Candidate) -> String {
    match (best.form, rival.form) {
        (Form::Multiline, Form::Multiline) => {
            return format!(
                "it makes {} columns of the lines of a record, whose values are less alike",
                rival.width
            );
        }
        (Form::Multiline, _) => return "it takes each line for a record".into(),
        _ => {}
    }
    let crossed = rival.records - rival.even;
    match &rival.dialect.division {
        Division::Multiline(_) => "it puts lines together that make records of their own".into(),
        Division::Fixed(_) if crossed * 20 > rival.records => {
            format!("{crossed} of {} lines have characters across its starts", rival.records)
        }
        Division::Fixed(_) if rival.aside > best.aside + 2 => {
            format!("it sets {} lines aside, not {}", rival.aside, best.aside)
        }
        Division::Fixed(_) => format!("it makes {} columns, whose values are less alike", rival.width),
        Division::Delimited if rival.dialect.delimiter.is_empty() => {
            "it does not divide what repeats in each line at the same place".into()
        }
        Division::Delimited if rival.evenness() + 0.05 < best.evenness() || best.width < 2 => format!(
            "it divides {} of {} records into {} fields, the others differently",
            rival.even, rival.records, rival.width
        ),
        Division::Delimited if rival.bad_quotes > best.bad_quotes => {
            format!("{} quotes would be where no field begins or ends", rival.bad_quotes)
        }
        Division::Delimited if rival.width < best.width => {
            format!("it makes only {} fields, whose values hold marks that divide", rival.width)
        }
        Division::Delimited => {
            format!("it makes {} fields, whose values are less alike in their columns", rival.width)
        }
    }
}

/// What speaks for records of several lines.
fn multiline_evidence(multiline: &Multiline, records: usize) -> String {
    match multiline {
        Multiline::Cycle { lines, first: Some(first), .. } => format!(
            "every {} lines one begins with {}; {records} such records looked at",
            lines.len(),
            multiline::shape_word(first)
        ),
        Multiline::Cycle { lines, first: None, .. } => {
            format!("blocks of {} lines; {records} such records looked at", lines.len())
        }
        Multiline::Labelled { labels, .. } => format!(
            "there is a label before each value ({} different ones), {records} records looked at",
            labels.len()
        ),
        Multiline::Continued(_) => {
            format!("lines with an empty first column continue the value above; {records} records looked at")
        }
    }
}
