//! Ties between parts, and what parts are: read, and added to.

use super::Part;
use super::edit::{append, edited};
use crate::error::{Error, Result};
use crate::family::Family;
use crate::markup::{Tag, TagKind, tags};
use crate::xml;
use std::borrow::Cow;
use std::fmt::Write as _;

/// A tie between parts.
pub(crate) struct Tie {
    pub(crate) id: String,
    pub(crate) kind: String,
    pub(crate) target: String,
}

impl Tie {
    /// The name of the part, for a tie of a part in `folder`.
    pub(crate) fn target_from(&self, folder: &str) -> String {
        let target = self.target.replace('\\', "/");
        let mut steps: Vec<&str> =
            if target.starts_with('/') { Vec::new() } else { folder.split('/').collect() };
        for step in target.split('/') {
            match step {
                "" | "." => {}
                ".." => {
                    steps.pop();
                }
                step => steps.push(step),
            }
        }
        steps.retain(|s| !s.is_empty());
        steps.join("/")
    }
}

pub(crate) fn ties_name(part: &str) -> String {
    match part.rsplit_once('/') {
        Some((folder, file)) => format!("{folder}/_rels/{file}.rels"),
        None => format!("_rels/{part}.rels"),
    }
}

/// Most ties of a part: more than a package has parts.
const MOST_TIES: usize = 100_000;

pub(crate) fn ties_of(part: &Part) -> Result<Vec<Tie>> {
    let text = |tag: &Tag<'_>, name: &str| tag.attribute(name).map(Cow::into_owned).unwrap_or_default();
    let all = tags(&part.name, &part.content)?;
    if all.len() > MOST_TIES {
        return Err(Error::Refused(format!("{}: it has more than {MOST_TIES} relationships", part.name)));
    }
    Ok(all
        .iter()
        .filter(|t| t.opens("Relationship"))
        .map(|t| Tie { id: text(t, "Id"), kind: text(t, "Type"), target: text(t, "Target") })
        .collect())
}

/// The highest number behind letters: 7 in `rId7`.
pub(crate) fn highest_number<'i>(ids: impl Iterator<Item = &'i str>) -> u32 {
    ids.filter_map(|id| id.trim_start_matches(|c: char| !c.is_ascii_digit()).parse::<u32>().ok())
        .filter(|n| *n < 1_000_000)
        .max()
        .unwrap_or(0)
}

/// What a part is that holds ties.
pub(crate) const TIES: &str = "ties";

pub(crate) fn types_added(part: &Part, overrides: &[(String, &str)]) -> Result<Vec<u8>> {
    let all = tags(&part.name, &part.content)?;
    let prefix = all.first().map_or("", Tag::prefix);
    let mut text = String::new();
    // Most packages say once what all relationship parts are; the others say it of each.
    let says_once = all.iter().any(|t| {
        t.opens("Default") && t.attribute("Extension").is_some_and(|e| e.eq_ignore_ascii_case("rels"))
    });
    for (name, kind) in overrides {
        if *kind == TIES {
            if !says_once {
                let _ = write!(
                    text,
                    "<{prefix}Override PartName=\"/{name}\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/>"
                );
            }
            continue;
        }
        let kind = if kind.contains('/') {
            (*kind).to_owned()
        } else {
            format!("application/vnd.openxmlformats-officedocument.spreadsheetml.{kind}+xml")
        };
        let _ = write!(text, "<{prefix}Override PartName=\"/{name}\" ContentType=\"{kind}\"/>");
    }
    let edits = append(&part.content, &all, "Types", &text);
    edits
        .map(|e| edited(&part.content, e))
        .ok_or_else(|| Error::Damaged(format!("{}: it names no types", part.name)))
}

pub(crate) fn ties_added(part: &Part, ties: &[(u32, &str, String)], family: Family) -> Result<Vec<u8>> {
    let all = tags(&part.name, &part.content)?;
    let prefix = all.first().map_or("", Tag::prefix);
    let mut text = String::new();
    for (id, kind, target) in ties {
        let _ = write!(
            text,
            "<{prefix}Relationship Id=\"rId{id}\" Type=\"{}/{kind}\" Target=\"{}\"/>",
            family.relationships(),
            xml::escaped(target)
        );
    }
    let edits = append(&part.content, &all, "Relationships", &text);
    edits
        .map(|e| edited(&part.content, e))
        .ok_or_else(|| Error::Damaged(format!("{}: it holds no ties", part.name)))
}

/// A part without elements of that name that are told apart by `goes`.
pub(crate) fn without(part: &Part, element: &str, goes: impl Fn(&Tag<'_>) -> bool) -> Result<Vec<u8>> {
    let all = tags(&part.name, &part.content)?;
    let mut edits = Vec::new();
    for (n, tag) in all.iter().enumerate().filter(|(_, t)| t.opens(element) && goes(t)) {
        let end = match tag.kind {
            TagKind::Empty => tag.end,
            _ => all.get(n + 1).map_or(tag.end, |close| close.end),
        };
        edits.push((tag.start..end, String::new()));
    }
    Ok(edited(&part.content, edits))
}
