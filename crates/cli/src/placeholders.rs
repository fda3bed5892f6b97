//! Placeholders in the names of workbooks and sheets: `{stem}` and the values that a source's headings name.

use crate::failure::{Failure, Result};
use crate::render::sanitize::is_hidden;
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
        let begins = out.is_empty() || out.ends_with(['/', '\\']);
        out.push_str(&match in_path {
            // What begins with a hyphen looks like an option to the next program.
            true if begins => harmless(value).replacen('-', "_", usize::from(value.starts_with('-'))),
            true => harmless(value),
            false => value.to_owned(),
        });
    }
    out.push_str(rest);
    Ok(if in_path { without_devices(out) } else { out })
}

/// Whether the text holds a placeholder.
pub(crate) fn any(template: &str) -> bool {
    template.split_once('{').is_some_and(|(_, after)| after.contains('}'))
}

/// A value that is one part of a path and no more.
fn harmless(value: &str) -> String {
    let clean: String =
        value.chars().map(|c| if "/\\:*?\"<>|".contains(c) || is_hidden(c) { '-' } else { c }).collect();
    let clean = clean.trim_start_matches('.').trim().replace("..", "-");
    if clean.is_empty() { "-".into() } else { clean }
}

/// A path whose file is not called as a device is on some systems: `CON.xlsx` is written as `CON_.xlsx`.
fn without_devices(path: String) -> String {
    let file = path.rfind(['/', '\\']).map_or(0, |at| at + 1);
    let end = file + path[file..].find('.').unwrap_or(path.len() - file);
    let stem = path[file..end].to_ascii_uppercase();
    let is_numbered = |name: &str| {
        stem.strip_prefix(name).is_some_and(|n| n.len() == 1 && n.as_bytes()[0].is_ascii_digit())
    };
    let is_device =
        ["CON", "PRN", "AUX", "NUL"].contains(&stem.as_str()) || is_numbered("COM") || is_numbered("LPT");
    if is_device { format!("{}_{}", &path[..end], &path[end..]) } else { path }
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
        let values = [
            value("Carrier", "Skerry Line"),
            value("Path", "../../etc/x"),
            value("Dots", ".."),
            value("Device", "con"),
            value("Option", "-rf"),
            value("Turned", "a\u{202e}b"),
        ];
        let names = Names { stem: "calls", values: &values };
        for (template, in_path, expected) in [
            ("{stem}", false, "calls"),
            ("{carrier} {STEM}.xlsx", true, "Skerry Line calls.xlsx"),
            ("out/{Path}.xlsx", true, "out/---etc-x.xlsx"),
            ("{Dots}.xlsx", true, "-.xlsx"),
            ("{Device}.xlsx", true, "con_.xlsx"),
            ("a/{Device}x.xlsx", true, "a/conx.xlsx"),
            ("{Option}.xlsx", true, "_rf.xlsx"),
            ("dues {Option}.xlsx", true, "dues -rf.xlsx"),
            ("{Turned}.xlsx", true, "a-b.xlsx"),
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
