//! Rows shaped: a source whose columns are known is gone over again, and what is left is what everything else sees.

use super::survey::Surveyed;
use super::{Cut, over_blocks};
use crate::feed::{Doing, Feed};
use crate::stop::{Result, Stop};
use incola_core::kind::statistics::trim;
use incola_core::reading::{self, Choices, Reading};
use incola_core::rows::{Each, Flow, Record};
use incola_core::shape::{Distinct, Shaping};
use incola_core::survey::Survey;
use rustc_hash::FxHashMap;
use std::sync::Arc;
use xxhash_rust::xxh3::Xxh3;

/// Values of a column that are looked at for the parts that it has.
const LOOKED_AT: usize = 1000;

/// Surveys a source again, whose rows are shaped as the choices say. `first`: what it is without that.
pub(super) fn shape(source: &dyn Feed, mut first: Surveyed, choices: &Choices) -> Result<Surveyed> {
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
    first.plan.repeats = first.plan.repeats.shaping_by(Some(Arc::clone(&shaping)));
    if let Some(distinct) = shaping.distinct().cloned() {
        let dropped = repeats(source, &first, &distinct)?;
        shaping = shaping.dropping(dropped);
        first.plan.repeats = first.plan.repeats.shaping_by(Some(Arc::clone(&shaping)));
    }
    let (survey, cuts) =
        if shaping.leaves_out() { counted(source, &first)? } else { with_made(source, &first, &shaping)? };
    let Reading { encoding, bom_bytes, line_end, mut layout, .. } = first.reading;
    layout.shaping = Some(shaping);
    let reading = reading::conclude(encoding, bom_bytes, line_end, layout, &survey, choices, &first.head)
        .map_err(Stop::BadSetting)?;
    Ok(Surveyed { reading, survey, cuts, ..first })
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
                    Some(before) if distinct.keeps_last => dropped.push(std::mem::replace(before, line)),
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
fn counted(source: &dyn Feed, first: &Surveyed) -> Result<(Survey, Vec<Cut>)> {
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
