//! Names of columns, and the kinds that someone stated for them.

use super::Choices;
use crate::evidence::DecidedBy;
use crate::kind::Kind;
use crate::layout::Layout;
use crate::notice::{Notice, NoticeCode};
use crate::record::Division;
use crate::settings::BadSetting;
use crate::settings::selector::Selector;
use crate::survey::Survey;

/// Why a column (from 0) is none: lines begin or end with a delimiter, and nothing is outside it.
pub(super) fn outside(layout: &Layout, survey: &Survey, place: usize) -> Option<&'static str> {
    let is_void = |at: usize| {
        survey.columns.get(at).is_some_and(|column| column.filled == 0)
            && layout.names.get(at).is_none_or(String::is_empty)
    };
    let last = survey.columns.len().saturating_sub(1);
    let divided = layout.dialect.value.division == Division::Delimited
        && layout.shaping.as_ref().is_none_or(|shaping| shaping.columns().is_empty());
    if !divided || last == 0 || survey.records == 0 || !is_void(last) {
        return None;
    }
    if place == last {
        return Some("lines end with a delimiter; there is nothing after it");
    }
    (place == 0 && last > 1 && is_void(0))
        .then_some("lines begin with a delimiter; there is nothing before it")
}

/// Names of all columns, unique and not empty.
pub(super) fn names(
    layout: &Layout,
    survey: &Survey,
    choices: &Choices,
    notices: &mut Vec<Notice>,
) -> Result<Vec<String>, BadSetting> {
    let count = survey.columns.len();
    let mut names: Vec<String> = layout.names.clone();
    let made = layout.shaping.as_ref().map_or(&[][..], |shaping| shaping.columns());
    let own = count.saturating_sub(made.len());
    if !layout.headings.is_empty() {
        names.resize(own.saturating_sub(layout.headings.len()), String::new());
        names.extend(layout.headings.names().map(str::to_owned));
    }
    if let Some(stated) = &choices.names {
        if stated.len() != own {
            let found: Vec<String> = (0..own).map(|i| names.get(i).cloned().unwrap_or_default()).collect();
            let why = format!(
                "{} names are given for {own} columns\n  given:  {}\n  source: {}",
                stated.len(),
                stated.join(", "),
                found.join(", ")
            );
            return Err(BadSetting::new("names", "", why));
        }
        names.clone_from(stated);
    }
    names.resize(own, String::new());
    names.extend(made.iter().map(|column| column.name.clone()));
    names.resize(count, String::new());
    let has_header = layout.header_line.is_some() || choices.names.is_some();
    let mut mended = Vec::new();
    let mut taken: std::collections::HashSet<String> = std::collections::HashSet::new();
    for (place, name) in names.iter_mut().enumerate() {
        // No cell, and no table column, has a name of more than 255 characters.
        let wanted: String = name.chars().take(255).collect();
        let base = if wanted.is_empty() { format!("Column {}", place + 1) } else { wanted.clone() };
        let mut unique = base.clone();
        let mut n = 2;
        while !taken.insert(unique.to_lowercase()) {
            unique = format!("{base} ({n})");
            n += 1;
        }
        let is_told = wanted.is_empty() && outside(layout, survey, place).is_some();
        if has_header && unique != *name && !is_told {
            mended.push(format!("{} is called \u{201c}{unique}\u{201d}", place + 1));
        }
        *name = unique;
    }
    if !mended.is_empty() {
        let shown = mended.iter().take(5).cloned().collect::<Vec<_>>().join(", column ");
        let more = if mended.len() > 5 { format!(", and {} more", mended.len() - 5) } else { String::new() };
        let message = format!("names repeat or are missing: column {shown}{more}");
        let mut notice = Notice::new(NoticeCode::NamesMended, message);
        notice.line = layout.header_line;
        notices.push(notice);
    }
    Ok(names)
}

/// A kind that was stated for a column, and by whom.
#[derive(Clone, Debug)]
pub(super) struct Stated {
    pub(super) kind: Kind,
    pub(super) format: Option<String>,
    pub(super) decided_by: DecidedBy,
}

pub(super) fn stated_kinds(
    names: &[String],
    choices: &Choices,
) -> Result<Vec<Option<(Stated, String)>>, BadSetting> {
    let mut kinds: Vec<Option<(Stated, String)>> = vec![None; names.len()];
    let missing = |key: &'static str, value: &str, selector: &Selector| {
        BadSetting::no_such_column(key, value, selector, names)
    };
    if !choices.only.is_empty() {
        let skip = Stated { kind: Kind::Skip, format: None, decided_by: DecidedBy::Given };
        kinds.fill(Some((skip, String::new())));
        for selector in &choices.only {
            let places = selector.places(names);
            if places.is_empty() {
                return Err(missing("only", "", selector));
            }
            for place in places {
                kinds[place] = None;
            }
        }
    }
    for choice in &choices.kinds {
        let places = choice.selector.places(names);
        let format = choice.format.as_ref().map(|f| format!(":{f}")).unwrap_or_default();
        let option = format!("{}={}{format}", choice.selector.text(), choice.kind.word());
        if places.is_empty() {
            // What a docket describes and the source lacks is told by whoever found the docket.
            if choice.by == DecidedBy::Docket {
                continue;
            }
            return Err(missing("as", &option, &choice.selector));
        }
        for place in places {
            // What is not wanted stays out, unless it is named on its own.
            if kinds[place].as_ref().is_some_and(|(_, option)| option.is_empty()) {
                continue;
            }
            let stated = Stated { kind: choice.kind, format: choice.format.clone(), decided_by: choice.by };
            kinds[place] = Some((stated, option.clone()));
        }
    }
    Ok(kinds)
}
