//! What a docket can say, for people and for editors: both from one table.

use incola_core::settings::docket::VERSION;
use incola_core::settings::{KEYS, Key, KeyKind};
use serde_json::{Map, Value, json};

/// The parts of a docket, and what they say.
const PARTS: [(&str, &str, &str); 7] = [
    ("", "", "At the top stands one key."),
    ("match", "[match]", "Which files the docket is for."),
    ("request", "[request]", "How a web address is asked for."),
    ("read", "[read]", "How they are read. Each key means what the option of that name means."),
    ("place", "[place]", "Where their rows go. Each key means what the option of that name means."),
    (
        "line",
        "[[line]]",
        "One for each sort of line of a report of which something is to be said; the first that is about a line counts.",
    ),
    (
        "column",
        "[[column]]",
        "One for each column; their order is the order in the sheet. Columns that are not described are after them.",
    ),
];

/// The JSON Schema (draft 2020-12) that completes and checks dockets in editors.
pub(crate) fn schema() -> Value {
    let mut properties = Map::new();
    for (part, _, about) in PARTS {
        let mut keys = Map::new();
        for key in KEYS.iter().filter(|k| k.part == part) {
            keys.insert(key.name.to_owned(), value_schema(key));
        }
        match part {
            "" => properties.extend(keys),
            "line" | "column" => {
                let required = if part == "line" { "role" } else { "name" };
                let item = json!({
                    "type": "object", "properties": keys, "required": [required], "additionalProperties": false
                });
                properties
                    .insert(part.to_owned(), json!({ "description": about, "type": "array", "items": item }));
            }
            _ => {
                let table = json!({
                    "description": about, "type": "object", "properties": keys, "additionalProperties": false
                });
                properties.insert(part.to_owned(), table);
            }
        }
    }
    json!({
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": format!("Docket, version {VERSION}"),
        "type": "object",
        "properties": properties,
        "required": ["docket"],
        "additionalProperties": false
    })
}

fn value_schema(key: &Key) -> Value {
    let mut schema = match key.kind {
        KeyKind::Text => json!({ "type": "string" }),
        KeyKind::Number => json!({ "type": "integer", "minimum": 1 }),
        KeyKind::NumberOrWord => json!({ "type": ["integer", "string"] }),
        KeyKind::YesNo => json!({ "type": "boolean" }),
        KeyKind::Texts => json!({ "type": "array", "items": { "type": "string" } }),
        KeyKind::Pairs => json!({ "type": "object", "additionalProperties": { "type": "string" } }),
        KeyKind::OneOf(words) => json!({ "enum": words }),
    };
    schema["description"] = key.about.into();
    schema
}

/// The reference page.
#[cfg(test)]
fn page() -> String {
    let mut out = String::from(
        "# Dockets\n\n\
         A docket is a reading written down: a file `NAME.docket.toml` that says how a sort of file is read, forced and placed. What it\n\
         leaves out is detected. Options that are typed win over it.\n\n\
         `incola docket draft dues-03.txt -o dues.docket.toml` writes one from what was found in a file, with the reasons as comments. A docket is\n\
         found by itself when it lies in the folder of the source, in that of the workbook, or in `incola/dockets` in the user's folder for\n\
         settings (`XDG_CONFIG_HOME`), and one of its patterns fits the name of the file. Two that fit stop the import, and so does a file that\n\
         lacks a column that is described. `--docket NAME` names one, `--no-docket` obeys none, `incola docket list` lists those that are known.\n\n\
         `incola docket check` reads one without a file. `incola docket schema` prints the JSON Schema by which editors complete and check dockets.\n",
    );
    for (part, head, about) in PARTS {
        if head.is_empty() {
            out.push_str(&format!("\n{about}\n\n"));
        } else {
            out.push_str(&format!("\n## `{head}`\n\n{about}\n\n"));
        }
        out.push_str("| key | value | says |\n|---|---|---|\n");
        for key in KEYS.iter().filter(|k| k.part == part) {
            let value = match key.kind {
                KeyKind::OneOf(words) => words.join(", "),
                _ => format!("such as `{}`", key.example),
            };
            out.push_str(&format!("| `{}` | {value} | {} |\n", key.name, key.about));
        }
    }
    out
}

#[cfg(test)]
#[allow(clippy::disallowed_methods, reason = "a test makes its own files")]
mod tests {
    use super::*;

    #[test]
    fn the_page_says_what_the_table_says() {
        let place = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/dockets.md");
        if std::env::var_os("INCOLA_WRITE_DOCS").is_some() {
            std::fs::write(place, page()).unwrap();
        }
        assert_eq!(std::fs::read_to_string(place).unwrap(), page());
    }

    #[test]
    fn the_schema_knows_every_key() {
        let schema = schema();
        for key in KEYS {
            let properties = match key.part {
                "" => &schema["properties"],
                part @ ("line" | "column") => &schema["properties"][part]["items"]["properties"],
                part => &schema["properties"][part]["properties"],
            };
            assert!(properties[key.name]["description"].is_string(), "{}", key.name);
        }
    }
}
