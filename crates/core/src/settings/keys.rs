//! One catalogue of settings: dockets, options, the schema, the reference page and printed commands are made from it.

/// What a key's value is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum KeyKind {
    /// Text.
    Text,
    /// A whole number.
    Number,
    /// A whole number or a word.
    NumberOrWord,
    /// `true` or `false`.
    YesNo,
    /// A list of texts.
    Texts,
    /// Texts by name.
    Pairs,
    /// One of these words.
    OneOf(&'static [&'static str]),
}

/// A key of a docket, described: the reference page and the schema come from here.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Key {
    /// The part that it stands in; empty: at the top.
    pub part: &'static str,
    /// The key.
    pub name: &'static str,
    /// What its value is.
    pub kind: KeyKind,
    /// What it says.
    pub about: &'static str,
    /// A value, as TOML spells it.
    pub example: &'static str,
}

const fn key(
    part: &'static str,
    name: &'static str,
    kind: KeyKind,
    example: &'static str,
    about: &'static str,
) -> Key {
    Key { part, name, kind, about, example }
}

/// The kinds of columns.
const KINDS: &[&str] = &["text", "number", "date", "time", "datetime", "boolean", "skip"];

/// All keys, in the order of the page.
pub const KEYS: &[Key] = &[
    key("", "docket", KeyKind::Number, "1", "The version of the format. Required."),
    key(
        "match",
        "files",
        KeyKind::Texts,
        "[\"dues-*.txt\"]",
        "Names of files, without folders, that the docket is for: `*` means any characters, `?` means one; case does not matter.",
    ),
    key(
        "request",
        "headers",
        KeyKind::Pairs,
        "{ Accept = \"text/csv\" }",
        "Header fields of a request to a web address. `${NAME}` stands for the environment variable of that name; secrets are given in no other way.",
    ),
    key(
        "request",
        "query",
        KeyKind::Pairs,
        "{ port = \"TGQ\", key = \"${QUAY_KEY}\" }",
        "Values after the `?` of the address.",
    ),
    key("read", "encoding", KeyKind::Text, "\"windows-1252\"", "The encoding, by any of its usual names."),
    key(
        "read",
        "layout",
        KeyKind::OneOf(&["delimited", "fixed", "multiline", "report"]),
        "\"delimited\"",
        "How lines are laid out.",
    ),
    key(
        "read",
        "delimiter",
        KeyKind::Text,
        "\";\"",
        "What is between fields: characters, or tab, space, comma, semicolon, pipe, caret, colon, none.",
    ),
    key("read", "runs_as_one", KeyKind::YesNo, "false", "Whether a run of delimiters counts as one."),
    key("read", "quote", KeyKind::Text, "'\"'", "The quote character, or none."),
    key(
        "read",
        "double_quote",
        KeyKind::YesNo,
        "true",
        "Whether a quote inside quotes is doubled; if not, a backslash is in front of it.",
    ),
    key("read", "header", KeyKind::NumberOrWord, "4", "The line of the names, from 1, or none, or auto."),
    key("read", "lines", KeyKind::Text, "\"5..120\"", "Physical lines that are read, both included."),
    key(
        "read",
        "starts",
        KeyKind::Text,
        "\"1,9,20\"",
        "Where columns of a fixed layout start, from 1; for records of several lines one list per line, divided by `/`.",
    ),
    key(
        "read",
        "starts_in",
        KeyKind::OneOf(&["characters", "bytes"]),
        "\"characters\"",
        "What starts count.",
    ),
    key("read", "lines_per_record", KeyKind::Number, "3", "Lines of a record."),
    key(
        "read",
        "headings",
        KeyKind::Texts,
        "[\"Quay\", \"Pilot\"]",
        "Labels of the headings of groups in a report, the outermost first: their values are in a column each.",
    ),
    key(
        "read",
        "carried",
        KeyKind::OneOf(&["first", "last", "none"]),
        "\"last\"",
        "Where the columns of headings are: before the others, after them, or nowhere.",
    ),
    key(
        "read",
        "carry",
        KeyKind::Texts,
        "[\"Quay\"]",
        "Columns whose empty cells take the value above them: names, numbers, ranges or patterns; an empty list: none.",
    ),
    key(
        "read",
        "divide",
        KeyKind::Texts,
        "[\"Master=, \"]",
        "Columns divided into several, `COLUMN=HOW`: a delimiter, `starts:1,3,7`, or `pattern:` and a regular expression with groups.",
    ),
    key(
        "read",
        "where",
        KeyKind::Text,
        "\"Berth = '007' AND Dues > 100\"",
        "The condition that records meet to become rows.",
    ),
    key(
        "read",
        "compute",
        KeyKind::Texts,
        "[\"Gross=ROUND(Dues * 1.19, 2)\"]",
        "Columns computed from others, `NAME=EXPRESSION`.",
    ),
    key(
        "read",
        "distinct",
        KeyKind::Texts,
        "[\"Call\"]",
        "Columns whose values no two rows share: of records that repeat one stays; `all` means all columns.",
    ),
    key(
        "read",
        "distinct_stays",
        KeyKind::OneOf(&["first", "last"]),
        "\"first\"",
        "Which of records that repeat stays.",
    ),
    key(
        "read",
        "by",
        KeyKind::Texts,
        "[\"Berth\", \"Arrived/month\"]",
        "Records with the same values in these columns become one row; of dates `/day`, `/week`, `/month`, `/quarter` or `/year`.",
    ),
    key(
        "read",
        "take",
        KeyKind::Text,
        "\"COUNT(*) AS Calls, SUM(Dues) AS Dues\"",
        "What such a row holds: COUNT, SUM, AVG, MIN, MAX, FIRST and LAST of columns or expressions.",
    ),
    key("read", "comment", KeyKind::Text, "\"#\"", "What comment lines begin with, or none."),
    key(
        "read",
        "decimal_char",
        KeyKind::OneOf(&[".", ","]),
        "\",\"",
        "The character before decimals, of all columns.",
    ),
    key(
        "read",
        "group_char",
        KeyKind::OneOf(&[".", ",", "'", "space"]),
        "\".\"",
        "The character between groups of digits, of all columns; where it is . or , the other one begins the decimals.",
    ),
    key(
        "read",
        "only",
        KeyKind::Texts,
        "[\"Call\", \"2..5\"]",
        "The columns that are wanted: names, numbers, ranges or patterns; the others are left out.",
    ),
    key("read", "blank", KeyKind::Texts, "[\"n/a\", \"-\"]", "Spellings that mean empty."),
    key(
        "read",
        "blank_rows",
        KeyKind::OneOf(&["drop", "keep"]),
        "\"drop\"",
        "What happens to empty rows among the records: dropped and listed, or kept as rows without values.",
    ),
    key(
        "read",
        "names",
        KeyKind::Texts,
        "[\"Voyage\", \"Berth\"]",
        "Names for all columns, where the file has none.",
    ),
    key(
        "read",
        "survey",
        KeyKind::NumberOrWord,
        "\"all\"",
        "Records that decide the kinds: all, or so many from the beginning.",
    ),
    key(
        "place",
        "sheet",
        KeyKind::Text,
        "\"{stem}\"",
        "The sheet; `{stem}` is the file's name without ending, `{Name}` a value found in its headings.",
    ),
    key(
        "place",
        "at",
        KeyKind::Text,
        "\"A2\"",
        "A cell, or the name of a table, a range or a heading, in a workbook that is there.",
    ),
    key(
        "place",
        "mode",
        KeyKind::OneOf(&["fresh", "replace", "append"]),
        "\"append\"",
        "What happens to rows that are there.",
    ),
    key(
        "place",
        "match",
        KeyKind::OneOf(&["name", "position"]),
        "\"name\"",
        "How columns find their headings.",
    ),
    key(
        "place",
        "missing_columns",
        KeyKind::OneOf(&["blank"]),
        "\"blank\"",
        "What becomes of a heading without a column.",
    ),
    key(
        "place",
        "extra_columns",
        KeyKind::OneOf(&["add", "skip"]),
        "\"skip\"",
        "What becomes of a column without a heading.",
    ),
    key("place", "plain", KeyKind::YesNo, "true", "Whether rows are a plain range instead of a table."),
    key("place", "totals", KeyKind::YesNo, "true", "Whether a new table gets a row of totals."),
    key(
        "place",
        "source_column",
        KeyKind::Text,
        "\"File\"",
        "A column that says which file a row came from.",
    ),
    key("place", "number_column", KeyKind::Text, "\"No\"", "A column that counts the records."),
    key(
        "place",
        "key",
        KeyKind::Texts,
        "[\"Call\"]",
        "The columns that make a record the same record when the table is refreshed.",
    ),
    key(
        "place",
        "together",
        KeyKind::YesNo,
        "true",
        "Whether all sources go into one table, with a column that says which.",
    ),
    key(
        "place",
        "strict",
        KeyKind::YesNo,
        "true",
        "Whether a value that does not fit the kind of its column stops the import.",
    ),
    key(
        "place",
        "link",
        KeyKind::YesNo,
        "false",
        "Whether the table keeps a link to its source. Left out: it does.",
    ),
    key(
        "place",
        "name_case",
        KeyKind::OneOf(&["lower", "upper", "first"]),
        "\"first\"",
        "How the sheet spells names of columns that are not called otherwise: in lower or upper case, or with a capital at the beginning.",
    ),
    key(
        "line",
        "role",
        KeyKind::OneOf(&["detail", "heading", "total", "page", "aside"]),
        "\"total\"",
        "What such lines are: records, headings of groups, totals, heads of pages, nothing of it. Where details are described, nothing else is a record.",
    ),
    key(
        "line",
        "example",
        KeyKind::Text,
        "\"Subtotal     17    4,890.78\"",
        "One of them: those that look like it are meant. Details have numbers and dates at the same places; other lines have the same first word.",
    ),
    key(
        "line",
        "matches",
        KeyKind::Text,
        "'^ *Subtotal '",
        "A regular expression that finds something in them, instead of an example.",
    ),
    key(
        "column",
        "name",
        KeyKind::Text,
        "\"Berth\"",
        "The column's name in the file. Required; a file without it stops the import.",
    ),
    key(
        "column",
        "as",
        KeyKind::OneOf(KINDS),
        "\"text\"",
        "Its kind; skip leaves it out. Left out: detected.",
    ),
    key(
        "column",
        "format",
        KeyKind::Text,
        "\"dd.MM.yyyy\"",
        "How the kind is spelled: a date pattern (UAX #35), a number with its marks, a picture such as 9(5)v99, or yes/no. Of a column that is computed or rolled up: how the sheet shows it, such as 1.234,50 kg or 12.5 %.",
    ),
    key("column", "called", KeyKind::Text, "\"Quay\"", "What the sheet calls it."),
    key(
        "column",
        "description",
        KeyKind::Text,
        "\"As the carrier counts.\"",
        "What is shown when its heading is selected, in a new sheet.",
    ),
    key("column", "unit", KeyKind::Text, "\"kg\"", "The unit of its values, shown with the description."),
    key(
        "column",
        "blank",
        KeyKind::Texts,
        "[\"n/a\"]",
        "Spellings that mean empty in this column, besides those of all columns.",
    ),
    key(
        "column",
        "zero_if_blank",
        KeyKind::YesNo,
        "true",
        "Whether a number that is missing is written as 0. Left out: its cell stays empty.",
    ),
];

/// Keys that were called otherwise in earlier versions: the part, the old name, the new one.
pub const RENAMED: &[(&str, &str, &str)] = &[
    ("read", "scan", "survey"),
    ("read", "widths_in", "starts_in"),
    ("place", "number_rows", "number_column"),
    ("place", "missing", "missing_columns"),
    ("place", "extra", "extra_columns"),
];
