//! Which encoding a source is in.
//!
//! Byte order marks, UTF-16's regular NULs and well-formed UTF-8 decide by themselves. What is left is a legacy
//! encoding: each candidate decodes the lines that hold bytes above 0x7F, and is judged on what it makes of them. A
//! character that fits where it stands (an accented letter inside a word, a degree sign after a digit) speaks for a
//! candidate; a control character, a capital inside a word or a letter among digits speaks against it. Without any such
//! evidence the most common encoding, windows-1252, is taken.

use super::{Encoding, Undecodable};
use crate::evidence::Decision;

/// What was found.
#[derive(Clone, Debug)]
pub struct Detected {
    /// The encoding with its evidence.
    pub encoding: Decision<Encoding>,
    /// Length of the byte order mark in bytes; 0: there is none.
    pub bom_bytes: usize,
    /// Whether all bytes seen are ASCII: another encoding may turn out to be right further on.
    pub only_ascii: bool,
}

/// Why bytes are no text.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum NotText {
    /// Control characters that no text holds, in this share of the bytes (per mille).
    Controls(u32),
    /// The first bytes are those of another kind of file.
    Signature(&'static str),
}

/// First bytes of files that are no text tables, and what they are.
const SIGNATURES: [(&[u8], &str); 14] = [
    (b"PK\x03\x04", "a zip archive (an .xlsx workbook is one too)"),
    (b"%PDF-", "a PDF document"),
    (b"\xD0\xCF\x11\xE0\xA1\xB1\x1A\xE1", "an old binary office file (such as .xls)"),
    (b"\x1F\x8B", "gzip data inside gzip data"),
    (b"BZh", "a bzip2 archive"),
    (b"\xFD7zXZ\0", "an xz archive"),
    (b"7z\xBC\xAF\x27\x1C", "a 7z archive"),
    (b"\x28\xB5\x2F\xFD", "zstd data"),
    (b"\x89PNG\r\n", "a PNG picture"),
    (b"\xFF\xD8\xFF", "a JPEG picture"),
    (b"GIF8", "a GIF picture"),
    (b"\x7FELF", "a program"),
    (b"SQLite format 3\0", "a database file"),
    (b"{\\rtf", "a rich text document"),
];

/// Finds the encoding of a source from samples of it, the first of which is its beginning.
///
/// # Errors
/// [`NotText`] if the samples are no text in any encoding.
///
/// ```
/// use incola_core::encoding::detect;
/// assert_eq!(detect(&[b"Kai;Gr\xF6\xDFe\n"]).unwrap().encoding.value.name(), "windows-1252");
/// ```
pub fn detect(samples: &[&[u8]]) -> Result<Detected, NotText> {
    let head = samples.first().copied().unwrap_or_default();
    for encoding in [Encoding::Utf8, Encoding::Utf16Le, Encoding::Utf16Be] {
        let bom_bytes = encoding.bom_bytes(head);
        if bom_bytes > 0 {
            let encoding = Decision::detected(encoding, "begins with its byte order mark");
            return Ok(Detected { encoding, bom_bytes, only_ascii: false });
        }
    }
    for (signature, what) in SIGNATURES {
        if head.starts_with(signature) {
            return Err(NotText::Signature(what));
        }
    }
    if let Some(encoding) = utf16_without_mark(head) {
        return Ok(Detected { encoding, bom_bytes: 0, only_ascii: false });
    }
    if let Some(what) = markup(head) {
        return Err(NotText::Signature(what));
    }
    let bytes: usize = samples.iter().map(|s| s.len()).sum();
    let controls: usize = samples.iter().map(|s| s.iter().filter(|&&b| is_odd_control(b)).count()).sum();
    // Now and then a control character occurs in a report, or a NUL as a blank. In bytes that are no text one in
    // fourteen is one.
    if controls >= 8 && controls * 30 > bytes {
        return Err(NotText::Controls((controls * 1000 / bytes) as u32));
    }
    if samples.iter().all(|s| s.is_ascii()) {
        let encoding = Decision::detected(Encoding::Utf8, "only ASCII characters");
        return Ok(Detected { encoding, bom_bytes: 0, only_ascii: true });
    }
    Ok(Detected { encoding: utf8_or_legacy(samples), bom_bytes: 0, only_ascii: false })
}

/// Text that is no table: web pages, XML and JSON, told by how they begin.
fn markup(head: &[u8]) -> Option<&'static str> {
    let head = head[..head.len().min(4096)].trim_ascii_start();
    let begins = |word: &[u8]| head.len() >= word.len() && head[..word.len()].eq_ignore_ascii_case(word);
    if begins(b"<!doctype html") || begins(b"<html") {
        return Some("a web page (HTML)");
    }
    if begins(b"<?xml") {
        return Some("an XML document");
    }
    // Braces and brackets may begin a line of a table; what follows them in JSON does not.
    let inside = |open: u8| head.strip_prefix(&[open]).map(<[u8]>::trim_ascii_start);
    let object = |text: &[u8]| {
        text.first() == Some(&b'"')
            && memchr::memchr(b'"', &text[1..])
                .is_some_and(|end| text[end + 2..].trim_ascii_start().first() == Some(&b':'))
    };
    let list = |text: &[u8]| text.strip_prefix(b"{").is_some_and(|t| object(t.trim_ascii_start()));
    (inside(b'{').is_some_and(object) || inside(b'[').is_some_and(list)).then_some("JSON data")
}

/// A control character that text has no use for.
fn is_odd_control(byte: u8) -> bool {
    byte < 0x20 && !matches!(byte, b'\t' | b'\n' | b'\r' | 0x0C | 0x1A | 0x1B..=0x1F | 0x01..=0x03)
}

/// UTF-16 without a mark: Western text has a NUL in every other byte, always on the same side.
fn utf16_without_mark(head: &[u8]) -> Option<Decision<Encoding>> {
    let head = &head[..head.len().min(4096) & !1];
    if head.len() < 4 {
        return None;
    }
    let zeros = |side: usize| head.iter().skip(side).step_by(2).filter(|&&b| b == 0).count();
    let (even, odd, pairs) = (zeros(0), zeros(1), head.len() / 2);
    let (encoding, count, other) =
        if odd > even { (Encoding::Utf16Le, odd, even) } else { (Encoding::Utf16Be, even, odd) };
    (count * 10 >= pairs * 4 && other * 20 <= count).then(|| {
        let side = if odd > even { "second" } else { "first" };
        Decision::detected(encoding, format!("{count} of {pairs} pairs of bytes have a NUL as their {side}"))
    })
}

/// Bytes above 0x7F are there: well-formed UTF-8, or the most plausible legacy encoding.
fn utf8_or_legacy(samples: &[&[u8]]) -> Decision<Encoding> {
    let (mut sequences, mut broken) = (0_u64, 0_u64);
    let mut first_broken = None;
    for (at, sample) in samples.iter().enumerate() {
        let mut lines = 0;
        let mut chunks = sample.utf8_chunks().peekable();
        while let Some(chunk) = chunks.next() {
            sequences += chunk.valid().chars().filter(|c| !c.is_ascii()).count() as u64;
            // A sample may end inside a character.
            lines += memchr::memchr_iter(b'\n', chunk.valid().as_bytes()).count();
            if !chunk.invalid().is_empty() && first_broken.is_none() && at == 0 {
                first_broken = Some(lines + 1);
            }
            broken += u64::from(!chunk.invalid().is_empty() && chunks.peek().is_some());
        }
    }
    if sequences > 0 && broken == 0 {
        let why = format!("{sequences} characters of several bytes, all well-formed");
        return Decision::detected(Encoding::Utf8, why);
    }
    // Where most characters of several bytes are well-formed, they are UTF-8 among something else, which decides.
    let lines = if sequences >= broken { broken_lines(samples) } else { high_lines(samples) };
    let mut ranked: Vec<(i64, usize, Encoding, Verdict)> = CANDIDATES
        .iter()
        .enumerate()
        .filter_map(|(rank, label)| {
            let encoding = Encoding::for_label(label)?;
            let verdict = judge(encoding, &lines);
            Some((verdict.for_it - verdict.against_it, rank, encoding, verdict))
        })
        .collect();
    ranked.sort_by_key(|&(score, rank, ..)| (-score, rank));
    let (_, _, best, verdict) = &ranked[0];
    let place = first_broken.map_or_else(String::new, |line| format!(", the first in line {line}"));
    let both = match best {
        Encoding::Legacy(other) if other.is_single_byte() && sequences >= broken => {
            Some(Encoding::Utf8Or(other))
        }
        _ => None,
    };
    if sequences > broken * 4 {
        let why = format!("{sequences} characters of several bytes are well-formed, {broken} are not{place}");
        let why_not =
            format!("would read the {broken} as {}: it is for files put together from several", best.name());
        let decision = Decision::detected(Encoding::Utf8, why);
        return match both {
            Some(both) => decision.over(both, why_not),
            None => {
                decision.over(*best, format!("would turn the {sequences} characters into pairs of odd ones"))
            }
        };
    }
    let why = if verdict.example.is_empty() {
        format!("not UTF-8 ({broken} places{place}), and nothing speaks for another encoding")
    } else {
        format!("not UTF-8 ({broken} places{place}); reads {}", verdict.example)
    };
    let decision = Decision::detected(*best, why);
    if let Some(both) = both {
        return decision
            .over(both, format!("would read {sequences} characters as UTF-8, {broken} otherwise"));
    }
    // The runner-up is one that reads something else: most single-byte encodings share their common letters.
    match ranked[1..].iter().find(|(_, _, e, v)| e != best && v.example != verdict.example) {
        Some((_, _, rival, verdict)) if !verdict.example.is_empty() => {
            decision.over(*rival, format!("would read {}", verdict.example))
        }
        _ => decision,
    }
}

/// Legacy encodings that are tried, the more common ones first: order decides only where the evidence is equal.
const CANDIDATES: [&str; 19] = [
    "windows-1252",
    "windows-1250",
    "windows-1251",
    "iso-8859-15",
    "iso-8859-2",
    "shift_jis",
    "gb18030",
    "euc-jp",
    "windows-1253",
    "windows-1254",
    "windows-1257",
    "koi8-r",
    "iso-8859-5",
    "iso-8859-7",
    "big5",
    "euc-kr",
    "cp850",
    "cp437",
    "macintosh",
];

/// The words that hold bytes above 0x7F, with a little of what surrounds them, from all samples, at most 64 KiB.
fn high_lines(samples: &[&[u8]]) -> Vec<u8> {
    let mut lines = Vec::new();
    for sample in samples {
        for line in sample.split(|&b| b == b'\n' || b == b'\r') {
            if !line.is_ascii() && lines.len() < 64 * 1024 {
                lines.extend_from_slice(&line[..line.len().min(4096)]);
                lines.push(b'\n');
            }
        }
    }
    lines
}

/// The same without the characters that are well-formed UTF-8.
fn broken_lines(samples: &[&[u8]]) -> Vec<u8> {
    let mut lines = Vec::new();
    for chunk in high_lines(samples).utf8_chunks() {
        lines.extend(chunk.valid().chars().map(|c| if c.is_ascii() { c as u8 } else { b' ' }));
        lines.extend_from_slice(chunk.invalid());
    }
    lines
}

struct Verdict {
    for_it: i64,
    against_it: i64,
    /// The first words that speak for it, in quotation marks; empty if there are none.
    example: String,
}

fn judge(encoding: Encoding, lines: &[u8]) -> Verdict {
    let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
    let text = String::from_utf8_lossy(encoding.decode(lines, &mut scratch, &mut bad)).into_owned();
    let (mut for_it, mut against_it) = (0, bad.count as i64 * 30);
    let mut example = String::new();
    let chars: Vec<char> = text.chars().collect();
    let at = |i: usize| chars.get(i).copied().unwrap_or('\n');
    for (i, &c) in chars.iter().enumerate().filter(|(_, c)| !c.is_ascii()) {
        let before = if i == 0 { '\n' } else { at(i - 1) };
        let weight = fit(before, c, at(i + 1));
        if weight > 0 {
            for_it += weight;
            if example.is_empty() && (c.is_alphabetic() || weight > 2) {
                example = word_around(&chars, i);
            }
        } else {
            against_it -= weight;
        }
    }
    // Portuguese has far more of the letter ã than of õ; without it, and beside acute accents, õ is Hungarian misread.
    let count = |letters: &str| chars.iter().filter(|c| letters.contains(**c)).count() as i64;
    if count("ãÃ") == 0 && count("áíó") > 0 {
        against_it += 5 * count("õÕ");
    }
    // Chinese and Korean encodings hold kana, but only Japanese is written with it.
    if matches!(encoding.name().as_str(), "gb18030" | "big5" | "euc-kr") {
        against_it += 8 * chars.iter().filter(|c| matches!(c, '\u{3041}'..='\u{30fa}')).count() as i64;
    }
    Verdict { for_it, against_it, example }
}

/// How well `c` fits between its neighbours: above 0 it speaks for the decoding, below 0 against it.
fn fit(before: char, c: char, after: char) -> i64 {
    let letter = char::is_alphabetic;
    match c {
        '\u{fffd}' => 0,
        '\u{80}'..='\u{9f}' => -30,
        _ if letter(c) => fit_letter(before, c, after),
        '€' | '£' | '¥' if (before.is_ascii_digit() || after.is_ascii_digit() || " (".contains(before)) => {
            4
        }
        '°' => {
            if before.is_ascii_digit() || before == ' ' {
                4
            } else {
                -1
            }
        }
        '²' | '³' => {
            if before.is_alphabetic() {
                3
            } else {
                -1
            }
        }
        '§' | '©' | '®' | '™' | '№' => {
            if letter(before) && letter(after) {
                -2
            } else {
                2
            }
        }
        '’' | '‘' | '“' | '”' | '„' | '–' | '—' | '…' | '«' | '»' | '•' | '·' | '‚' => {
            2
        }
        '½' | '¼' | '¾' | '±' | 'º' | 'ª' | '×' | '÷' | '‰' | '¿' | '¡' => {
            if letter(before) && letter(after) { -3 } else { 1 }
        }
        '\u{a0}' | '\u{ad}' | '\u{202f}' => 1,
        // Full-width and ideographic marks among Asian letters.
        '\u{3000}'..='\u{303f}' | '\u{ff00}'..='\u{ff60}' => {
            if before.is_ascii_alphabetic() {
                -2
            } else {
                2
            }
        }
        '\u{2500}'..='\u{259f}' => {
            if letter(before) || letter(after) {
                -6
            } else {
                1
            }
        }
        _ if letter(before) && letter(after) => -6,
        _ if letter(before) || letter(after) => -4,
        _ => -2,
    }
}

fn fit_letter(before: char, c: char, after: char) -> i64 {
    let script = script(c);
    let foreign = |n: char| n.is_alphabetic() && self::script(n) != script;
    if matches!(script, Script::Asian) {
        // Asian words do not lean on Latin letters; a trail byte that ate a letter makes them.
        let lean = before.is_ascii_alphabetic() || after.is_ascii_alphabetic();
        let rare = !matches!(c, '\u{3040}'..='\u{30ff}' | '\u{4e00}'..='\u{9fff}' | '\u{ac00}'..='\u{d7a3}');
        return if lean {
            -5
        } else if rare {
            -1
        } else {
            4
        };
    }
    if foreign(before) || foreign(after) {
        return -6;
    }
    let mut weight = match c {
        'ª' | 'º' if before.is_ascii_digit() => return 2,
        'ª' | 'º' if before.is_alphabetic() && after.is_alphabetic() => return -3,
        'ª' | 'º' => return -1,
        'µ' => return if after.is_alphabetic() && !before.is_alphabetic() { 2 } else { -4 },
        'ƒ' | 'ˆ' => return -4,
        'Þ' | 'ð' | 'þ' | 'Ð' | 'ÿ' | 'Ÿ' => 1,
        _ if "äöüÄÖÜßéèêëàâáîïíìôóòûúùçñãõåæøÉÅØÆœšžłąęśćńżźčřůýőűěďťňğşıİçÖ".contains(c) => {
            4
        }
        _ if matches!(script, Script::Latin) => 2,
        _ => 4,
    };
    let capital_inside = before.is_lowercase() && c.is_uppercase();
    // STRAßE is a word, şThe is none.
    if capital_inside || (c.is_lowercase() && after.is_uppercase() && c != 'ß') {
        weight = -4;
    } else if c.is_uppercase() && after.is_lowercase() && before.is_uppercase() {
        weight = -1;
    }
    if before.is_ascii_digit() || after.is_ascii_digit() {
        weight -= 3;
    }
    // Latin words have single accented letters, at most two together.
    if matches!(script, Script::Latin) && !before.is_ascii() && !after.is_ascii() {
        weight = -4;
    }
    // Letters stand in words.
    if !before.is_alphabetic() && !after.is_alphabetic() {
        weight = weight.min(2) - 3;
    }
    weight
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Script {
    Latin,
    Greek,
    Cyrillic,
    Asian,
    Other,
}

fn script(c: char) -> Script {
    match c {
        'a'..='z' | 'A'..='Z' | '\u{aa}'..='\u{24f}' | '\u{1e00}'..='\u{1eff}' => Script::Latin,
        '\u{370}'..='\u{3ff}' => Script::Greek,
        '\u{400}'..='\u{4ff}' => Script::Cyrillic,
        '\u{2e80}'..='\u{9fff}'
        | '\u{ac00}'..='\u{d7a3}'
        | '\u{f900}'..='\u{faff}'
        | '\u{ff00}'..='\u{ffef}' => Script::Asian,
        _ => Script::Other,
    }
}

/// The word that holds character `i`, in quotation marks.
fn word_around(chars: &[char], i: usize) -> String {
    let inside = |c: &char| c.is_alphanumeric() || "€°²³£".contains(*c);
    let start = chars[..i].iter().rposition(|c| !inside(c)).map_or(0, |p| p + 1);
    let end = chars[i..].iter().position(|c| !inside(c)).map_or(chars.len(), |p| i + p);
    let word: String = chars[start.max(i.saturating_sub(12))..end.min(i + 12)].iter().collect();
    format!("\u{201c}{word}\u{201d}")
}

#[cfg(test)]
mod tests {
    use super::*;
    use encoding_rs as rs;

    fn name(raw: &[u8]) -> String {
        detect(&[raw]).unwrap().encoding.value.name()
    }

    fn encoded(label: &str, text: &str) -> Vec<u8> {
        match label {
            "utf-16le" => text.encode_utf16().flat_map(u16::to_le_bytes).collect(),
            "utf-16be" => text.encode_utf16().flat_map(u16::to_be_bytes).collect(),
            _ => rs::Encoding::for_label(label.as_bytes()).unwrap().encode(text).0.into_owned(),
        }
    }

    #[test]
    fn each_encoding_is_found_in_a_few_words_of_its_language() {
        let cases = [
            ("utf-8", "Liegeplatz;Größe\n007;Kai Süd\n"),
            ("windows-1252", "Liegeplatz;Größe;Gebühr\n007;Kai Süd;12,50 €\n"),
            ("windows-1252", "Poste;Marée\nQuai Père Noé;élevée, à l’est\n"),
            ("iso-8859-15", "Liegeplatz;Gebühr\nKai Süd;12,50 €\n"),
            ("windows-1250", "Nabřeží;Zboží\nSeverní molo;žluté řepkové osivo, Wisła, Łódź\n"),
            ("iso-8859-2", "Nabrzeże;Ładunek\nWisła;śledzie i łososie, świeże, żółte\n"),
            ("windows-1251", "Причал;Груз\nСеверный;рыба мороженая\n"),
            ("windows-1253", "Προβλήτα;Φορτίο\nΒόρεια;ψάρια κατεψυγμένα\n"),
            ("windows-1254", "Rıhtım;Yük\nKuzey;soğutulmuş balık, şeker, İzmir\n"),
            ("shift_jis", "埠頭,貨物\n北埠頭,冷凍魚\n南,ばら積みセメント\n"),
            ("gb18030", "码头,货物\n北码头,冷冻鱼\n南码头,散装水泥\n"),
            ("euc-jp", "埠頭,貨物\n北埠頭,冷凍魚\n南,ばら積みセメント\n"),
            ("utf-16le", "Berth;Size\n007;12\n"),
            ("utf-16be", "Berth;Size\n007;12\n"),
        ];
        for (label, text) in cases {
            assert_eq!(name(&encoded(label, text)), label, "{text}");
        }
        assert_eq!(name(b"Kai S\x81d;Geb\x81hr;Gr\x94\xE1e\n"), "cp850");
        assert_eq!(name(b"Kai S\x9Fd;Geb\x9Fhr;Gr\x9A\xA7e\n"), "macintosh");
    }

    #[test]
    fn marks_decide_and_are_counted() {
        let found = detect(&[b"\xEF\xBB\xBFBerth\n"]).unwrap();
        assert_eq!((found.encoding.value, found.bom_bytes), (Encoding::Utf8, 3));
        let found = detect(&[b"\xFE\xFF\0B\0\n"]).unwrap();
        assert_eq!((found.encoding.value, found.bom_bytes), (Encoding::Utf16Be, 2));
    }

    #[test]
    fn a_few_broken_bytes_do_not_unmake_utf8() {
        let mut text = "Fähre;Größe\n".repeat(20).into_bytes();
        text.extend_from_slice(b"S\xFCd\n");
        let found = detect(&[&text]).unwrap().encoding;
        assert_eq!(found.value, Encoding::Utf8);
        assert!(found.runner_up.is_some());
    }

    #[test]
    fn other_files_are_named() {
        assert_eq!(detect(&[b"%PDF-1.7"]).unwrap_err(), NotText::Signature("a PDF document"));
        let noise: Vec<u8> = (0..=255).cycle().take(4096).map(|b: u8| b.wrapping_mul(7) % 9).collect();
        assert!(matches!(detect(&[&noise]), Err(NotText::Controls(_))));
    }

    #[test]
    fn the_reason_shows_a_word() {
        let found = detect(&[b"Kai;Gr\xF6\xDFe\n"]).unwrap().encoding;
        assert_eq!(found.why, "not UTF-8 (2 places, the first in line 1); reads \u{201c}Größe\u{201d}");
    }
}
