//! Which encoding a source is in.
//!
//! Byte order marks, UTF-16's regular NULs and well-formed UTF-8 decide by themselves. What is left is a legacy
//! encoding: each candidate decodes the lines that hold bytes above 0x7F, and the one whose characters are cheapest by the
//! alphabets of languages wins ([`language`]).

use super::{Encoding, language};
use crate::evidence::Decision;
use std::collections::HashSet;

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
    let words = if sequences >= broken { broken_words(samples) } else { high_words(samples) };
    let ranked = language::rank(&words, dividing(samples), has_lone_cr(samples));
    let best = ranked[0].encoding;
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
                decision.over(best, format!("would turn the {sequences} characters into pairs of odd ones"))
            }
        };
    }
    // The runner-up is one that reads something else: most single-byte encodings share their common letters.
    let rival = ranked[1..].iter().find(|r| r.text != ranked[0].text);
    let at = rival.map_or(0, |rival| language::first_difference(&ranked[0].text, &rival.text));
    let word = language::word_around(&ranked[0].text, at);
    let why = if word.is_empty() {
        format!("not UTF-8 ({broken} places{place}), and nothing speaks for another encoding")
    } else {
        format!("not UTF-8 ({broken} places{place}); reads {word}")
    };
    let decision = Decision::detected(best, why);
    if let Some(both) = both {
        return decision.over(both, format!("would read {sequences} characters as UTF-8, {broken} not"));
    }
    match rival {
        Some(rival) => {
            let word =
                language::word_around(&rival.text, language::first_difference(&rival.text, &ranked[0].text));
            let is_close = rival.bits - ranked[0].bits < CLOSE;
            decision.over(rival.encoding, format!("would read {word}")).by_little(is_close)
        }
        None => decision,
    }
}

/// Bits below which a reading of the words in another encoding is nearly as likely: of generated files that lie below, one in four
/// is in the other one; of those above, one in two hundred.
const CLOSE: f64 = 5.0;

/// Different words that are looked at.
const DIFFERENT: usize = 1500;

/// The different words that hold bytes above 0x7F, with the characters beside them, from all samples, at most 64 KiB. What a file
/// repeats says nothing new. Words end at bytes that are no second half of a character in any encoding.
fn high_words(samples: &[&[u8]]) -> Vec<u8> {
    let mut words = Vec::new();
    let mut seen = HashSet::new();
    let divides = |b: &u8| matches!(b, b' ' | b'\t' | b',' | b';' | b'"' | b'\n' | b'\r');
    for sample in samples {
        let mut at = 0;
        while let Some(high) = sample[at..].iter().position(|b| !b.is_ascii()) {
            let high = at + high;
            let from = sample[..high].iter().rposition(divides).map_or(0, |p| p + 1);
            let end = sample[high..].iter().position(divides).map_or(sample.len(), |p| high + p);
            let word = &sample[from.max(high.saturating_sub(4096))..end.min(high + 4096)];
            if words.len() > 64 * 1024 || seen.len() > DIFFERENT {
                return words;
            }
            // Amounts differ in their digits alone.
            let mut alike: Vec<u8> =
                word.iter().map(|b| if b.is_ascii_digit() { b'0' } else { *b }).collect();
            alike.dedup_by(|a, b| *a == b'0' && *b == b'0');
            if seen.insert(alike) {
                words.push(from.checked_sub(1).map_or(b'\n', |before| sample[before]));
                words.extend_from_slice(word);
                words.push(sample.get(end).copied().unwrap_or(b'\n'));
                words.push(b'\n');
            }
            at = end;
        }
    }
    words
}

/// Whether all line ends are single carriage returns.
fn has_lone_cr(samples: &[&[u8]]) -> bool {
    let has = |byte: u8| samples.iter().any(|sample| sample.contains(&byte));
    has(b'\r') && !has(b'\n')
}

/// Lines that are looked at for bytes that divide them.
const LINES: usize = 200;

/// A byte above 0x7F that nearly all lines hold equally often, several times, beside bytes of all sorts: it divides lines, and is
/// no letter and no half of a character.
fn dividing(samples: &[&[u8]]) -> Option<u8> {
    let head = samples.first().copied().unwrap_or_default();
    let lines: Vec<&[u8]> =
        head.split(|b| *b == b'\n' || *b == b'\r').filter(|l| !l.is_ascii()).take(LINES).collect();
    (0x80..=0xFF).find(|byte| {
        let mut counts = [0_usize; 32];
        for line in &lines {
            counts[memchr::memchr_iter(*byte, line).count().min(31)] += 1;
        }
        let most = counts[2..31].iter().max().copied().unwrap_or(0);
        if most < 8 || most * 10 < lines.len() * 8 {
            return false;
        }
        let (mut before, mut behind) = (HashSet::<u8>::new(), HashSet::<u8>::new());
        for line in &lines {
            for at in memchr::memchr_iter(*byte, line) {
                before.extend(at.checked_sub(1).map(|at| line[at]));
                behind.extend(line.get(at + 1));
            }
        }
        // Signs of money stand before numbers, behind what divides.
        before.len() >= 3
            && before.iter().filter(|b| b.is_ascii_alphanumeric()).count() >= 2
            && behind.len() >= 3
    })
}

/// The same without the characters that are well-formed UTF-8.
fn broken_words(samples: &[&[u8]]) -> Vec<u8> {
    let mut lines = Vec::new();
    for chunk in high_words(samples).utf8_chunks() {
        lines.extend(chunk.valid().chars().map(|c| if c.is_ascii() { c as u8 } else { b' ' }));
        lines.extend_from_slice(chunk.invalid());
    }
    lines
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
    fn signs_of_money_before_amounts_are_no_delimiter() {
        let amounts = |sign: &str| -> String {
            (1..30)
                .map(|at| format!("{at};{sign}{};{:>8};{sign}{}\n", at * 37, format!("{sign}{at}"), at * at))
                .collect()
        };
        let pounds: Vec<u8> =
            amounts("#").into_bytes().into_iter().map(|b| if b == b'#' { 0x9C } else { b }).collect();
        assert_eq!(dividing(&[&pounds]), None);
        assert_eq!(name(&pounds), "cp850");
        // Many amounts do not outweigh a few words.
        let yen = encoded("gb18030", &format!("货号,名称,单价\n{}", amounts("￥").replace(';', ",")));
        assert_eq!(name(&yen), "gb18030");
    }

    #[test]
    fn capitals_and_lone_carriage_returns_speak_for_the_macintosh() {
        assert_eq!(name(b"call\tship\r117\tZO\xE8 MARSH\r118\tTERN\r"), "macintosh");
        assert_eq!(name(b"call\tship\n117\tZo\xEB Marsh\n118\tTern\n"), "windows-1252");
        assert_eq!(name(b"call\tship\r117\tKai S\x9Fd\r118\tTern\r"), "macintosh");
    }

    #[test]
    fn a_byte_that_divides_is_no_letter() {
        let ships = ["Tern", "Anselm", "Heron", "Saltwind", "Osprey", "Kittiwake", "Merganser", "Dunlin"];
        let line = |(n, ship): (usize, &&str)| format!("{n}0§{ship} Zoë§{n}:31§{ship}\n");
        let text: String = ships.iter().chain(&ships).enumerate().map(line).collect();
        let bytes = encoded("windows-1252", &text);
        assert_eq!(dividing(&[&bytes]), Some(0xA7));
        assert_eq!(name(&bytes), "windows-1252");
        // The first half of a character comes with its second one.
        let yen: String = (10..30).map(|n| format!("{n}円,{n}円\n")).collect();
        assert_eq!(dividing(&[&encoded("shift_jis", &yen)]), None);
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
    fn a_close_call_is_marked() {
        let close = |raw: &[u8]| detect(&[raw]).unwrap().encoding.runner_up.is_some_and(|r| r.is_close);
        // One letter of one word may be anything.
        assert!(close(b"Berth;Size\n007;\x8E\n"));
        assert!(!close(
            "Liegeplatz;Gr\u{f6}\u{df}e;Geb\u{fc}hr;Schl\u{fc}ssel\n"
                .chars()
                .map(|c| c as u8)
                .collect::<Vec<_>>()
                .as_slice()
        ));
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
