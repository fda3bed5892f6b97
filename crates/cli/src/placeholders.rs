//! Placeholders in the names of workbooks and sheets: `{stem}` and the values that a source's headings name.

use crate::failure::{Failure, Result};
use incola_core::layout::NamedValue;

/// What may stand for the placeholders of one source.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Names<'s> {
    /// The source's file name without its ending.
    pub(crate) stem: &'s str,
    /// The values that its headings name.
    pub(crate) values: &'s [NamedValue],
}

/// Fills in the placeholders of `template`, which `option` gave. With `in_path`, values never contribute separators of
/// folders, nor names that begin with a full stop.
///
/// # Errors
/// Status 2 if a placeholder stands for nothing.
pub(crate) fn fill(template: &str, option: &str, names: Names<'_>, in_path: bool) -> Result<String> {
    let mut out = String::new();
    let mut rest = template;
    while let Some((before, after)) = rest.split_once('{') {
        out.push_str(before);
        let Some((name, behind)) = after.split_once('}') else {
            out.push('{');
            rest = after;
            continue;
        };
        rest = behind;
        let value = if name.eq_ignore_ascii_case("stem") {
            names.stem
        } else {
            let found = names.values.iter().find(|v| v.name.to_lowercase() == name.to_lowercase());
            &found.ok_or_else(|| unknown(option, template, name, names.values))?.value
        };
        out.push_str(&if in_path { harmless(value) } else { value.to_owned() });
    }
    out.push_str(rest);
    Ok(out)
}

/// Whether the text holds a placeholder.
pub(crate) fn any(template: &str) -> bool {
    template.split_once('{').is_some_and(|(_, after)| after.contains('}'))
}

/// A value that is one part of a path and no more.
fn harmless(value: &str) -> String {
    let clean: String =
        value.chars().map(|c| if "/\\:*?\"<>|".contains(c) || c.is_control() { '-' } else { c }).collect();
    let clean = clean.trim_start_matches('.').trim().replace("..", "-");
    if clean.is_empty() { "-".into() } else { clean }
}

fn unknown(option: &str, template: &str, name: &str, values: &[NamedValue]) -> Failure {
    let known: Vec<String> = std::iter::once("{stem}".to_owned())
        .chain(values.iter().map(|v| format!("{{{}}}", v.name)))
        .collect();
    Failure::usage(format!(
        "{option} {template}: the lines above the header name no \u{201c}{name}\u{201d}; there is {}",
        known.join(", ")
    ))
    .leaving("nothing was written")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_fill_placeholders_and_stay_inside_the_folder() {
        let value = |name: &str, value: &str| NamedValue { name: name.into(), value: value.into(), line: 1 };
        let values = [value("Carrier", "Northern Line"), value("Path", "../../etc/x"), value("Dots", "..")];
        let names = Names { stem: "calls", values: &values };
        for (template, in_path, expected) in [
            ("{stem}", false, "calls"),
            ("{carrier} {STEM}.xlsx", true, "Northern Line calls.xlsx"),
            ("out/{Path}.xlsx", true, "out/---etc-x.xlsx"),
            ("{Dots}.xlsx", true, "-.xlsx"),
            ("{Path}", false, "../../etc/x"),
            ("a{b", false, "a{b"),
        ] {
            assert_eq!(fill(template, "--into", names, in_path).unwrap(), expected, "{template}");
        }
        let failure = fill("{Agent}", "--sheet", names, false).unwrap_err();
        assert!(
            failure.what.contains("\u{201c}Agent\u{201d}; there is {stem}, {Carrier}"),
            "{}",
            failure.what
        );
    }
}
