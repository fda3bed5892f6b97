//! Rows shaped: a source whose columns are known is gone over again, and what is left is what everything else sees.

use super::survey::{RolledUp, Surveyed, survey_in_blocks};
use super::{BlockSize, Cut, groups, over_blocks};
use crate::feed::{Doing, Feed};
use crate::stop::{Result, Stop};
use incola_core::encoding::Encoding;
use incola_core::evidence::DecidedBy;
use incola_core::kind::Decimal;
use incola_core::kind::statistics::trim;
use incola_core::notice::{Notice, NoticeCode};
use incola_core::reading::{self, Choices, Reading};
use incola_core::rows::{Each, Flow, Record};
use incola_core::settings::selector::{AsChoice, Selector};
use incola_core::shape::{Distinct, GroupColumn, Grouping, Groups, RowsText, Shaping, made_format};
use incola_core::survey::Survey;
use incola_core::words::counted;
use rustc_hash::FxHashMap;
use std::sync::Arc;
use xxhash_rust::xxh3::Xxh3;

/// Values of a column that are looked at for the parts that it has.
const LOOKED_AT: usize = 1000;

/// Surveys a source again, whose rows are shaped as the choices say. `first`: what it is without that.
pub(super) fn shape(
    source: &dyn Feed,
    mut first: Surveyed,
    choices: &Choices,
    size: BlockSize,
) -> Result<Surveyed> {
    let values = |column: usize| {
        let mut values: Vec<Vec<u8>> = Vec::new();
        let mut look = Each(|record: &Record<'_>| {
            values.push(trim(record.field(column)).0.to_vec());
            if values.len() < LOOKED_AT { Flow::Continue(()) } else { Flow::Break(()) }
        });
        first.each_in_head(&mut look);
        values
    };
    let shaping = Shaping::bind(&choices.shaping, &first.reading.columns, &first.plan.blank, values)
        .map_err(Stop::BadSetting)?;
    let mut shaping = Arc::new(shaping);
    if let Some(distinct) = shaping.distinct().cloned() {
        first.plan.repeats = first.plan.repeats.shaping_by(Some(shaping.for_repeats()));
        shaping = shaping.dropping(repeats(source, &first, &distinct)?);
    }
    first.plan.repeats = first.plan.repeats.shaping_by(Some(Arc::clone(&shaping)));
    let (survey, cuts) = if shaping.leaves_out() {
        all_counted(source, &first)?
    } else {
        with_made(source, &first, &shaping)?
    };
    let grouping = shaping.grouping().cloned();
    let Reading { encoding, bom_bytes, line_end, mut layout, .. } = first.reading;
    layout.shaping = Some(shaping);
    // What is wanted of rolled-up rows is not there before.
    let own = match grouping {
        Some(_) => Choices { kinds: Vec::new(), ..choices.before_shaping() },
        None => choices.clone(),
    };
    let reading = reading::conclude(encoding, bom_bytes, line_end, layout, &survey, &own, &first.head)
        .map_err(Stop::BadSetting)?;
    let shaped = Surveyed { reading, cuts, survey, ..first };
    match grouping {
        Some(grouping) => roll_up(source, shaped, &grouping, choices, size),
        None => Ok(shaped),
    }
}

/// Rolls records up: the rows stand for the source from then on.
fn roll_up(
    source: &dyn Feed,
    shaped: Surveyed,
    grouping: &Grouping,
    choices: &Choices,
    size: BlockSize,
) -> Result<Surveyed> {
    let Some(shaping) = shaped.reading.layout.shaping.clone() else { return Ok(shaped) };
    let rolled = groups::rolled_up(source, &shaped, (&shaping, grouping), groups::ROOM)?;
    let rows = survey_in_blocks(&*rolled.rows, &choices_of_rows(grouping, choices), None, size)?;
    let mut reading =
        Reading { records: rows.reading.records, columns: rows.reading.columns, ..shaped.reading };
    for (column, own) in reading.columns.iter_mut().zip(grouping.columns()) {
        if column.decided_by == DecidedBy::Detected {
            column.why.clone_from(&own.why);
        }
    }
    reading.notices.retain(|notice| notice.column.is_none());
    tell(&mut reading, &rolled.counted, rolled.faults);
    let mut survey = rows.survey;
    survey.facts.shaped = shaped.survey.facts.shaped;
    Ok(Surveyed {
        reading,
        plan: rows.plan,
        cuts: rows.cuts,
        carries: rows.carries,
        printed: None,
        head: rows.head,
        survey,
        rolled_up: Some(RolledUp { rows: rolled.rows, records: rolled.counted.records }),
        ..shaped
    })
}

/// Says how records were rolled up, and what could not be computed.
fn tell(reading: &mut Reading, all: &Groups, faults: u64) {
    let message = format!(
        "{} rolled up into {}",
        counted(all.records, "record is", "records are"),
        counted(reading.records, "row", "rows")
    );
    reading.notices.push(Notice::new(NoticeCode::RolledUp, message));
    let unmade: u64 = all.unmade.iter().map(|(count, _)| count.count).sum();
    if let Some((count, Some(fault))) = all.unmade.iter().find(|(count, _)| count.count > 0) {
        let message = format!(
            "{} not be computed and are left out of their groups, the first one because of: {}",
            counted(unmade, "value can", "values can"),
            fault.words()
        );
        reading.notices.push(Notice::new(NoticeCode::NotComputed, message).at_line(count.line));
    }
    if faults > 0 {
        let message =
            format!("{} more than 28 digits and stay empty", counted(faults, "result has", "results have"));
        reading.notices.push(Notice::new(NoticeCode::NotComputed, message));
    }
}

/// How rolled-up rows are read: as they were written, but for what was said of their columns.
fn choices_of_rows(grouping: &Grouping, choices: &Choices) -> Choices {
    let kind = |(n, column): (usize, &GroupColumn)| AsChoice {
        selector: Selector::new(&(n + 1).to_string()),
        kind: column.kind,
        format: made_format(column.kind).map(str::to_owned),
        by: DecidedBy::Detected,
    };
    let mut kinds: Vec<AsChoice> = grouping.columns().iter().enumerate().map(kind).collect();
    let is_of_rows = |choice: &&AsChoice| {
        grouping.columns().iter().any(|c| c.name.to_lowercase() == choice.selector.text().to_lowercase())
    };
    kinds.extend(choices.kinds.iter().filter(is_of_rows).cloned());
    Choices {
        encoding: Some(Encoding::Utf8),
        layout: RowsText::layout(),
        decimal: Some(Decimal::Point),
        kinds,
        only: choices.only.clone(),
        rolled_up: grouping.columns().iter().map(|column| column.kind).collect(),
        ..Choices::default()
    }
}

/// The lines of records that repeat others, in rising order. Of each different record 24 bytes are kept.
fn repeats(source: &dyn Feed, surveyed: &Surveyed, distinct: &Distinct) -> Result<Vec<u64>> {
    let mut seen: FxHashMap<u128, u64> = FxHashMap::default();
    let mut dropped = Vec::new();
    over_blocks(
        source,
        surveyed,
        Doing::Reading,
        |_, _| Ok(()),
        || (),
        |(), mut block, ()| {
            let mut found: Vec<(u64, u128)> = Vec::new();
            block.each(&mut Each(|record: &Record<'_>| {
                let mut digest = Xxh3::new();
                for place in &distinct.columns {
                    let value = trim(record.field(*place)).0;
                    digest.update(&(value.len() as u64).to_le_bytes());
                    digest.update(value);
                }
                found.push((record.line(), digest.digest128()));
                Flow::Continue(())
            }));
            found
        },
        |found| {
            for (line, digest) in found {
                match seen.get_mut(&digest) {
                    Some(before) if distinct.last_stays => dropped.push(std::mem::replace(before, line)),
                    Some(_) => dropped.push(line),
                    None => {
                        seen.insert(digest, line);
                    }
                }
            }
            Ok(())
        },
    )?;
    dropped.sort_unstable();
    Ok(dropped)
}

/// What is counted of records none of which is left out: what is made of them is added to what is known.
fn with_made(source: &dyn Feed, first: &Surveyed, shaping: &Shaping) -> Result<(Survey, Vec<Cut>)> {
    let mut survey = first.survey.clone();
    over_blocks(
        source,
        first,
        Doing::Reading,
        |_, _| Ok(()),
        || (),
        |(), block, ()| (block.cut.lines, block.survey_made()),
        |(lines, made)| {
            survey.add_made(made, shaping.base(), lines);
            Ok(())
        },
    )?;
    Ok((survey, first.cuts.clone()))
}

/// What is counted of shaped records, and where the blocks are among them.
fn all_counted(source: &dyn Feed, first: &Surveyed) -> Result<(Survey, Vec<Cut>)> {
    let lines_before = first.cuts.first().map_or(0, |cut| cut.lines);
    let mut survey = Survey::new(&first.plan, lines_before);
    let mut cuts = Vec::with_capacity(first.cuts.len());
    over_blocks(
        source,
        first,
        Doing::Reading,
        |_, _| Ok(()),
        || (),
        |(), block, ()| (block.cut, block.carry().clone(), block.survey()),
        |(cut, carry, block)| {
            cuts.push(Cut { records: survey.records, ..cut });
            survey.merge(block, &carry, &first.plan.blank);
            Ok(())
        },
    )?;
    // Bytes that stand for no character were counted where they were decoded.
    let facts = &first.survey.facts;
    survey.facts.undecodable = facts.undecodable;
    survey.facts.undecodable_places.clone_from(&facts.undecodable_places);
    survey.facts.controls = facts.controls;
    survey.lines = first.survey.lines;
    Ok((survey, cuts))
}
