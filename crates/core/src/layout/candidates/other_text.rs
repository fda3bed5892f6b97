//! Text of which it is known that it is no table: nested data, markup, settings in sections, source code, logs of free text.

/// What kind of text without a table the lines are, if it is known: structured data, markup, settings in sections.
pub(in crate::layout) fn not_a_table(lines: &[&str]) -> Option<&'static str> {
    let filled: Vec<&str> = lines.iter().map(|l| l.trim()).filter(|l| !l.is_empty()).take(400).collect();
    let count = filled.len();
    let (first, last) = (filled.first()?, lines.iter().rev().map(|l| l.trim()).find(|l| !l.is_empty())?);
    let ends = |open: char, close: char| first.starts_with(open) && last.ends_with(close);
    if (ends('{', '}') || ends('[', ']')) && is_structured(&filled) {
        return Some("nested data in brackets");
    }
    let marked = filled.iter().filter(|l| l.starts_with('<') || l.contains("</")).count();
    let closed = filled.iter().filter(|l| l.contains("</") || l.contains("/>")).count();
    if first.starts_with('<') && marked * 2 > count && closed * 10 > count {
        return Some("markup");
    }
    let is_section = |l: &str| {
        l.len() > 2 && l.starts_with('[') && l.ends_with(']') && !l[1..l.len() - 1].contains(['[', ']'])
    };
    let key = |l: &str| -> Option<String> {
        let (key, _) = l.split_once('=')?;
        let key = key.trim();
        let plain = key.chars().all(|c| c.is_alphanumeric() || "_.- ".contains(c));
        (!key.is_empty() && plain).then(|| key.to_owned())
    };
    let sections = filled.iter().filter(|l| is_section(l)).count();
    let comments = filled.iter().filter(|l| l.starts_with(['#', ';'])).count();
    let keys: Vec<String> = filled.iter().filter_map(|l| key(l)).collect();
    let mut counts: Vec<(&str, usize)> = Vec::new();
    for key in &keys {
        match counts.iter_mut().find(|c| c.0 == key) {
            Some(known) => known.1 += 1,
            None => counts.push((key, 1)),
        }
    }
    // The same keys in every section are records.
    let repeated: Vec<usize> = counts.iter().map(|c| c.1).filter(|count| count * 2 >= sections).collect();
    if sections >= 3 && repeated.len() >= 2 && repeated.iter().sum::<usize>() * 10 >= keys.len() * 7 {
        return None;
    }
    let all = (keys.len() + sections + comments) * 10 >= count * 9;
    if sections >= 1 && all && keys.len() >= 2 {
        return Some("settings in sections");
    }
    if is_code(&filled) {
        return Some("source code");
    }
    None
}

/// Words that begin statements of programs; each is a word of several programming languages.
const STATEMENTS: [&str; 34] = [
    "if", "else", "elif", "for", "while", "do", "switch", "case", "return", "break", "continue", "def",
    "func", "function", "fn", "class", "struct", "enum", "import", "include", "using", "package", "var",
    "let", "const", "int", "void", "char", "double", "static", "public", "private", "try", "end",
];

/// Whether most lines are statements of a program: they begin with its words, hold calls, or end with its marks.
fn is_code(lines: &[&str]) -> bool {
    let (mut begun, mut marked) = (0, 0);
    let mut words: Vec<&str> = Vec::new();
    for line in lines {
        let line = line.trim_start_matches(['}', ' ', '#', '@']);
        let word = line.split(|c: char| !c.is_ascii_alphanumeric() && c != '_').next().unwrap_or("");
        let rest = &line[word.len()..];
        let statement =
            STATEMENTS.contains(&word) && (rest.is_empty() || rest.starts_with([' ', '(', ':', ';', '{']));
        if statement && !words.contains(&word) {
            words.push(word);
        }
        begun += usize::from(statement);
        let comment = line.starts_with("//") || line.starts_with("/*") || line.starts_with("\"\"\"");
        let calls = line.contains('(') && line.contains(')') && !line.contains(" (");
        let sets = line.contains(" = ") || line.contains(" += ") || line.contains(" := ");
        marked += usize::from(
            statement
                || comment
                || calls
                || sets
                || line.is_empty()
                || line.ends_with([';', '{', '}'])
                || line.ends_with("):"),
        );
    }
    words.len() >= 3 && begun * 4 >= lines.len() && marked * 10 >= lines.len() * 8
}

/// Words that say how grave a line of a log is.
const LEVELS: [&str; 12] = [
    "TRACE", "DEBUG", "INFO", "NOTICE", "WARN", "WARNING", "ERROR", "ERR", "FATAL", "CRITICAL", "SEVERE",
    "PANIC",
];

/// Whether most lines are entries of a log: one of their first three words says how grave they are.
pub(in crate::layout) fn is_log(lines: &[&str]) -> bool {
    let level = |word: &str| {
        let word = word.trim_matches(|c: char| !c.is_ascii_alphabetic());
        LEVELS.contains(&word)
    };
    let filled = lines.iter().filter(|l| !l.trim().is_empty());
    let entries = filled.clone().filter(|l| l.split_whitespace().take(4).any(level)).count();
    entries >= 4 && entries * 10 >= filled.count() * 7
}

/// Whether lines that stand between brackets are nested data: most of them end or begin with its marks.
fn is_structured(lines: &[&str]) -> bool {
    let marks = lines
        .iter()
        .filter(|l| l.ends_with(['{', '}', '[', ']', ',']) || l.starts_with(['{', '}', '[', ']', '"']))
        .count();
    let named = lines.iter().any(|l| l.contains("\":") || l.contains("\" :"));
    named && marks * 10 >= lines.len() * 9
}

#[cfg(test)]
mod tests {
    use super::{is_log, not_a_table};

    #[test]
    fn other_forms_of_text_are_known() {
        for (text, expected) in [
            ("{\n  \"berth\": \"007\",\n  \"dues\": [12.5, 3]\n}\n", true),
            ("<quay>\n  <berth>007</berth>\n  <berth>012</berth>\n</quay>\n", true),
            ("[tide]\nstation=0041\nunit=m\n\n[wind]\nunit=kn\n", true),
            // The same keys in every section: records.
            ("[a]\nberth=007\ndues=3\n[b]\nberth=008\ndues=4\n[c]\nberth=009\ndues=5\n", false),
            ("berth,dues\n007,12.5\n", false),
            ("[1;2]\n[3;4]\n", false),
            (
                "int dues(int berth) {\n  if (berth < 7) {\n    return 12;\n  }\n  return 3;\n}\n\nvoid list(void) {\n  for (int i = 0; i < 9; i += 1) {\n    dues(i);\n  }\n}\n",
                true,
            ),
            (
                "def dues(berth):\n    if berth < 7:\n        return 12\n    for b in range(3):\n        x = dues(b)\n    return x\n",
                true,
            ),
            // Words of programs in tables.
            ("if,12\nfor,13\nwhile,14\nreturn,15\n", false),
            ("case no;return;class\n7;yes;A\n8;no;B\n9;yes;A\n", false),
        ] {
            let lines: Vec<&str> = text.lines().collect();
            assert_eq!(not_a_table(&lines).is_some(), expected, "{text}");
        }
    }

    #[test]
    fn logs_are_known_by_how_grave_their_lines_are() {
        for (text, expected) in [
            ("INFO  crane ready\nWARN  gate left open\nERROR tide gauge lost\nINFO  gauge found\n", true),
            ("06:20 [WARN] gate\n06:21 [INFO] crane\n06:22 [INFO] crane\n06:25 [ERROR] tide\n", true),
            ("Info desk 1\nInfo desk 2\nGate 3\nGate 4\n", false),
            ("WARN\nERROR\n", false),
        ] {
            let lines: Vec<&str> = text.lines().collect();
            assert_eq!(is_log(&lines), expected, "{text}");
        }
    }
}
