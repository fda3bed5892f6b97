//! Names that programs keep but do not list (ECMA-376 part 1, 18.2.5): they find cells again wherever those went.

use super::Part;
use super::edit::{Edit, append, edited};
use crate::error::Result;
use crate::markup::{Tag, TagKind, tags};
use crate::parts;
use crate::xml;

/// The workbook part with names that stand for these cells; `None`: the name goes.
pub(super) fn put(workbook: &Part, names: &[(String, Option<String>)]) -> Result<Vec<u8>> {
    let mut content = workbook.content.clone();
    for (name, refers_to) in names {
        content = put_one(&Part { content, ..workbook.clone() }, name, refers_to.as_deref())?;
    }
    Ok(content)
}

fn put_one(workbook: &Part, name: &str, refers_to: Option<&str>) -> Result<Vec<u8>> {
    let content = &workbook.content;
    let all = tags(&workbook.name, content)?;
    let prefix = all.first().map_or("", Tag::prefix);
    let known =
        all.iter().position(|t| t.opens("definedName") && t.attribute("name").is_some_and(|n| n == name));
    let mut edits: Vec<Edit> = Vec::new();
    match (known, refers_to) {
        (Some(at), Some(refers_to)) => {
            let end = all.get(at + 1).map_or(all[at].end, |t| t.start);
            edits.push((all[at].end..end, xml::escaped(refers_to)));
        }
        (Some(at), None) => {
            let others = all.iter().filter(|t| t.opens("definedName")).count() > 1;
            let around = |name: &str| {
                let open = all.iter().find(|t| t.opens(name))?;
                let close = all.iter().find(|t| t.start > open.start && t.closes(name))?;
                Some(open.start..close.end)
            };
            // An empty list is none.
            let own = all[at].start..all.get(at + 1).map_or(all[at].end, |t| t.end);
            let gone = if others { own } else { around("definedNames").unwrap_or(own) };
            edits.push((gone, String::new()));
        }
        (None, None) => {}
        (None, Some(refers_to)) => {
            let text = parts::hidden_name(prefix, name, refers_to);
            if let Some(added) = append(content, &all, "definedNames", &text) {
                edits = added;
            } else {
                let before = ["externalReferences", "functionGroups", "sheets"];
                let behind = before.iter().filter_map(|name| {
                    let open = all.iter().find(|t| t.opens(name))?;
                    let closing =
                        || all.iter().find(|t| t.start > open.start && t.closes(name)).map(|t| t.end);
                    if open.kind == TagKind::Empty { Some(open.end) } else { closing() }
                });
                if let Some(at) = behind.max() {
                    edits.push((at..at, format!("<{prefix}definedNames>{text}</{prefix}definedNames>")));
                }
            }
        }
    }
    Ok(edited(content, edits))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_are_put_and_taken_out() {
        let book = |inside: &str| {
            format!(
                "<x:workbook xmlns:x=\"m\"><x:sheets><x:sheet/></x:sheets>{inside}<x:calcPr/></x:workbook>"
            )
        };
        let one = "<x:definedNames><x:definedName name=\"_incola_a\" hidden=\"1\">'Port calls'!$A$1</x:definedName></x:definedNames>";
        let both = one.replace(
            "</x:definedNames>",
            "<x:definedName name=\"b\" hidden=\"1\">S!$B$2</x:definedName></x:definedNames>",
        );
        for (before, name, to, after) in [
            ("", "_incola_a", Some("'Port calls'!$A$1"), one),
            (one, "b", Some("S!$B$2"), &both),
            (one, "_incola_a", Some("'Port calls'!$A$1"), one),
            (one, "_incola_a", None, ""),
            (&both, "b", None, one),
            (one, "c", None, one),
        ] {
            let part = Part { place: 0, name: "w".into(), content: book(before).into_bytes() };
            let done = put(&part, &[(name.to_owned(), to.map(str::to_owned))]).unwrap();
            assert_eq!(String::from_utf8(done).unwrap(), book(after), "{name} {to:?}");
        }
    }
}
