//! Which legacy encoding makes text of some bytes: by the alphabets of languages, and by what stands beside each character.
//!
//! Each candidate decodes the bytes; each of its characters outside ASCII costs so many bits. Letters of one language are
//! likely together, so the cheapest alphabet decides what Latin letters cost; a letter that stands alone, a capital inside a
//! word, a letter beside a digit, a control character cost more. Encodings that are rarer start with a handicap.

use super::{Encoding, Undecodable, common};
use encoding_rs as rs;

/// Candidates with their handicap in bits: how much rarer each is than the commonest.
const CANDIDATES: [(&str, f64); 22] = [
    ("windows-1252", 0.0),
    ("iso-8859-15", 3.0),
    ("windows-1250", 5.0),
    ("iso-8859-2", 6.0),
    ("cp850", 5.0),
    ("cp852", 8.0),
    ("cp437", 9.0),
    ("macintosh", 6.0),
    ("windows-1254", 6.0),
    ("windows-1257", 6.0),
    ("windows-1251", 16.0),
    ("koi8-r", 17.0),
    ("iso-8859-5", 18.0),
    ("ibm866", 17.0),
    ("x-mac-cyrillic", 22.0),
    ("windows-1253", 12.0),
    ("iso-8859-7", 13.0),
    ("shift_jis", 3.0),
    ("euc-jp", 3.0),
    ("gb18030", 9.0),
    ("euc-kr", 8.0),
    ("big5", 7.0),
];

/// Letters outside ASCII of languages that are written with Latin ones, with the handicap of the language in bits: fewer files
/// are written in some.
const ALPHABETS: [(&str, f64); 19] = [
    ("äöüß", 0.0),
    ("éèêëàâçîïôùûœ", 0.0),
    ("ñáéíóúü", 0.0),
    ("áàâãéêíóôõúç", 1.0),
    ("àèéìòù", 1.0),
    ("éëïóáèöü", 1.0),
    ("åäöøæé", 1.0),
    ("þðáéíóúýöæ", 8.0),
    ("ąćęłńóśźż", 1.0),
    ("áčďéěíňóřšťúůýž", 1.0),
    ("áäčďéíĺľňóôŕšťúýž", 2.0),
    ("áéíóöőúüű", 1.0),
    ("ăâîșşțţ", 1.0),
    ("čćđšž", 1.0),
    ("çğıiöşüâ", 1.0),
    ("éèïöñç", 0.0),
    ("äöüõšž", 3.0),
    ("āčēģīķļņšūž", 2.0),
    ("ąčęėįšųūž", 2.0),
];

/// Letters of Western Europe: cheaper in a text of another language than all others.
const WESTERN: &str = "äöüßéèêëàâáåãçñíîïìóôõòúûùæøœ";

/// Marks that texts of any language hold.
const MARKS: &str = "€£§°½¼¾–—“”„‘’…«»©®™²³µ¿¡ªº·×±";

/// Bits of what no text holds: control characters, private ones, those that stand for none.
const NO_TEXT: f64 = 25.0;

/// A candidate with what it makes of the bytes.
#[derive(Clone, Debug)]
pub(super) struct Ranked {
    pub(super) encoding: Encoding,
    pub(super) bits: f64,
    pub(super) text: Vec<char>,
}

/// Bits of a byte that divides lines, read as a letter.
const DIVIDING_LETTER: f64 = 40.0;

/// Bits by which encodings of the Macintosh are likelier where single carriage returns end lines, as they did there.
const LONE_CR: f64 = 8.0;

/// All candidates, the cheapest first. `dividing`: a byte that stands in lines as a delimiter does; `has_lone_cr`: single carriage
/// returns end the lines.
pub(super) fn rank(lines: &[u8], dividing: Option<u8>, has_lone_cr: bool) -> Vec<Ranked> {
    let apart: Vec<u8> = lines.iter().map(|b| if Some(*b) == dividing { b' ' } else { *b }).collect();
    let mut ranked: Vec<Ranked> = CANDIDATES
        .iter()
        .filter_map(|(label, handicap)| {
            let encoding = Encoding::for_label(label)?;
            let divides = dividing.filter(|_| is_single_byte(encoding));
            let lines = if divides.is_some() { &apart } else { lines };
            let text = decoded(encoding, lines);
            let words = different_words(&text);
            let is_letter = divides.is_some_and(|byte| decoded(encoding, &[byte])[0].is_alphabetic());
            let own = if is_letter { DIVIDING_LETTER } else { 0.0 };
            let line_ends = if has_lone_cr && label.contains("mac") { LONE_CR } else { 0.0 };
            let bits = handicap - line_ends + plausibility(&words) + foreign_kana(label, &words) + own;
            Some(Ranked { encoding, bits, text })
        })
        .collect();
    ranked.sort_by(|a, b| a.bits.total_cmp(&b.bits));
    ranked
}

fn decoded(encoding: Encoding, bytes: &[u8]) -> Vec<char> {
    let (mut scratch, mut bad) = (Vec::new(), Undecodable::default());
    String::from_utf8_lossy(encoding.decode(bytes, &mut scratch, &mut bad)).chars().collect()
}

fn is_single_byte(encoding: Encoding) -> bool {
    match encoding {
        Encoding::Legacy(other) => other.is_single_byte(),
        Encoding::Cp437 | Encoding::Cp850 | Encoding::Cp852 => true,
        _ => false,
    }
}

/// The different words with characters outside ASCII, marks and drawn lines included, each with what stands before and behind it.
/// What comes again says nothing new, nor does another number with the same sign.
fn different_words(text: &[char]) -> Vec<char> {
    let mut seen = rustc_hash::FxHashSet::default();
    let mut words = Vec::with_capacity(text.len());
    let inside = |c: &char| c.is_ascii_alphanumeric() || !c.is_ascii();
    let mut at = 0;
    while let Some(from) = text[at..].iter().position(inside).map(|p| at + p) {
        let end = text[from..].iter().position(|c| !inside(c)).map_or(text.len(), |p| from + p);
        let word = &text[from.saturating_sub(1)..(end + 1).min(text.len())];
        let mut alike: Vec<char> = word.iter().map(|c| if c.is_ascii_digit() { '0' } else { *c }).collect();
        alike.dedup_by(|a, b| *a == '0' && *b == '0');
        if !word.iter().all(char::is_ascii) && seen.insert(alike) {
            words.extend_from_slice(word);
            words.push('\n');
        }
        at = end;
    }
    words
}

/// Chinese and Korean encodings hold kana, but only Japanese is written with it, and hardly ever without.
fn foreign_kana(label: &str, text: &[char]) -> f64 {
    let kana = text.iter().filter(|c| matches!(c, '\u{3041}'..='\u{30fa}' | '\u{ff66}'..='\u{ff9f}')).count();
    let ideographs = text.iter().filter(|c| matches!(c, '\u{4e00}'..='\u{9fff}')).count();
    match label {
        // Korean is written with ideographs only now and then.
        "euc-kr" => 8.0 * kana as f64 + 6.0 * ideographs as f64,
        "gb18030" | "big5" => 8.0 * kana as f64,
        "shift_jis" | "euc-jp" if kana == 0 => 1.5 * ideographs.min(14) as f64,
        _ => 0.0,
    }
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Script {
    Latin,
    Greek,
    Cyrillic,
    Other,
    Digit,
    Blank,
    Box,
    Mark,
}

fn script(c: char) -> Script {
    match c {
        ' ' | '\t' | '\r' | '\n' => Script::Blank,
        '0'..='9' => Script::Digit,
        'a'..='z' | 'A'..='Z' => Script::Latin,
        c if c.is_ascii() => Script::Mark,
        '\u{2500}'..='\u{259f}' => Script::Box,
        c if !c.is_alphabetic() => Script::Mark,
        '\u{80}'..='\u{24f}' | '\u{1e00}'..='\u{1eff}' => Script::Latin,
        '\u{370}'..='\u{3ff}' => Script::Greek,
        '\u{400}'..='\u{52f}' => Script::Cyrillic,
        _ => Script::Other,
    }
}

/// Bits of the characters outside ASCII, by their neighbours and by the cheapest alphabet.
fn plausibility(text: &[char]) -> f64 {
    let mut bits = 0.0;
    let mut letters: Vec<(char, u32)> = Vec::new();
    let mut run = 0;
    for (at, &c) in text.iter().enumerate() {
        run = if c.is_ascii() { 0 } else { run + 1 };
        if c.is_ascii() {
            continue;
        }
        let before = at.checked_sub(1).map_or(' ', |b| text[b]);
        let after = text.get(at + 1).copied().unwrap_or(' ');
        bits += match c {
            '\u{80}'..='\u{9f}' | '\u{e000}'..='\u{f8ff}' | '\u{fffd}' | '\u{10000}'.. => NO_TEXT,
            '\u{3041}'..='\u{30ff}' => 6.0,
            '\u{ff61}'..='\u{ff9f}' => {
                let pair = |n: char| matches!(n, '\u{ff61}'..='\u{ff9f}');
                // Narrow kana never lean on Latin letters.
                let lean =
                    if before.is_ascii_alphabetic() || after.is_ascii_alphabetic() { 6.0 } else { 0.0 };
                lean + if pair(before) || pair(after) { 6.5 } else { 11.0 }
            }
            '\u{3000}'..='\u{3040}' | '\u{ff00}'..='\u{ff60}' | '\u{ffe0}'..='\u{ffe6}' => 7.0,
            '\u{4e00}'..='\u{9fff}' => {
                // Asian words do not lean on Latin letters; a second byte that ate one makes them.
                let lean = if before.is_ascii_lowercase() || after.is_ascii_lowercase() { 6.0 } else { 0.0 };
                lean + if common::is_ideograph(c) {
                    8.5
                } else if is_listed_ideograph(c) {
                    12.5
                } else {
                    16.5
                }
            }
            '\u{ac00}'..='\u{d7a3}' => {
                if common::is_syllable(c) {
                    8.0
                } else if is_listed_syllable(c) {
                    13.0
                } else {
                    17.0
                }
            }
            // Ordinals: behind a digit, or the point of a shortened word.
            'º' | 'ª' if before.is_ascii_digit() || before == '.' || before == ' ' => 6.0,
            _ => match script(c) {
                Script::Latin => {
                    let lower = c.to_lowercase().next().unwrap_or(c);
                    match letters.iter_mut().find(|l| l.0 == lower) {
                        Some(known) => known.1 += 1,
                        None => letters.push((lower, 1)),
                    }
                    // Letters with accents hardly ever stand three in a row.
                    latin(&text[..at], c, after) + if run > 2 && c.is_alphabetic() { 4.0 } else { 0.0 }
                }
                Script::Greek | Script::Cyrillic => other_letter(before, c, after, unaccented(&text[..=at])),
                Script::Box => drawn(before, c, after),
                // Letters of further scripts never stand in Latin words.
                Script::Other => {
                    12.0 + if script(before) == Script::Latin || script(after) == Script::Latin {
                        14.0
                    } else {
                        0.0
                    }
                }
                _ => mark(before, c, after),
            },
        };
    }
    let alphabet = |letters: &[(char, u32)], own: &str| -> f64 {
        let size = own.chars().count() as f64;
        letters
            .iter()
            .map(|(letter, count)| {
                f64::from(*count)
                    * if own.contains(*letter) {
                        3.8 + 0.04 * size
                    } else if WESTERN.contains(*letter) {
                        8.0
                    } else {
                        9.0
                    }
            })
            .sum()
    };
    let cheapest =
        ALPHABETS.iter().map(|(own, rare)| rare + alphabet(&letters, own)).fold(f64::INFINITY, f64::min);
    bits + if letters.is_empty() { 0.0 } else { cheapest }
}

fn is_lower(c: char) -> bool {
    c.is_lowercase()
}

/// A Latin letter between `text` and `after`, besides what the alphabet says.
fn latin(text: &[char], c: char, after: char) -> f64 {
    let before = text.last().copied().unwrap_or(' ');
    let (left, right) = (script(before), script(after));
    let mut bits = 0.0;
    if left != Script::Latin && right != Script::Latin {
        // Few words are one such letter.
        bits += if "àéóáÀÉèèÅ".contains(c) { 3.0 } else { 7.0 };
    }
    if c.is_uppercase() && is_lower(before) {
        bits += 9.0;
    }
    // A word of capitals has none that is small, inside or at its end.
    let capitals = text.iter().rev().take_while(|c| c.is_uppercase()).count();
    if is_lower(c) && c != 'ß' && capitals > 0 && (after.is_uppercase() || (capitals > 1 && !is_lower(after)))
    {
        bits += 8.0;
    }
    if c.is_uppercase() && is_lower(after) && left == Script::Latin {
        bits += 4.0;
    }
    let foreign = |s: Script| matches!(s, Script::Cyrillic | Script::Greek);
    if foreign(left) || foreign(right) {
        bits += 9.0;
    }
    if left == Script::Digit || right == Script::Digit {
        bits += 3.0;
    }
    // Feminine and masculine ordinals, and the like, are no letters of words.
    if matches!(c, 'ª' | 'º') && (left == Script::Latin || right == Script::Latin) {
        bits += 4.0;
    }
    bits
}

/// Bits of a Greek word, the end of `text`, that lacks an accent.
fn unaccented(text: &[char]) -> f64 {
    let from = text.iter().rposition(|c| script(*c) != Script::Greek).map_or(0, |p| p + 1);
    let word = &text[from..];
    let accented = word.iter().any(|c| "άέήίόύώΐΰΆΈΉΊΌΎΏ".contains(*c));
    if word.len() >= 4 && !accented { 6.0 } else { 0.0 }
}

fn other_letter(before: char, c: char, after: char, unaccented: f64) -> f64 {
    let (own, left, right) = (script(c), script(before), script(after));
    let mut bits = 5.2;
    if left == Script::Latin || right == Script::Latin {
        bits += 10.0;
    }
    if c.is_uppercase() && is_lower(before) {
        bits += 9.0;
    }
    // The form of sigma that ends words.
    if c == 'ς' && right == Script::Greek {
        bits += 10.0;
    }
    // Greek words of several letters have an accent; those of capitals have none.
    if own == Script::Greek && is_lower(c) && right != Script::Greek {
        bits += unaccented;
    }
    let alike = |s: Script| matches!(s, Script::Cyrillic | Script::Greek);
    if !alike(left) && !alike(right) {
        bits += 7.0;
    }
    // Letters that only some of the languages use.
    if own == Script::Cyrillic && !matches!(c, 'А'..='я' | 'Ё' | 'ё') {
        bits += 5.0;
    }
    // Capitals among small letters, the other way round, are another Cyrillic encoding misread.
    if own == Script::Cyrillic && is_lower(c) && before.is_uppercase() && after.is_uppercase() {
        bits += 6.0;
    }
    bits
}

fn drawn(before: char, c: char, after: char) -> f64 {
    let letter = |n: char| matches!(script(n), Script::Latin | Script::Greek | Script::Cyrillic);
    let near = script(before) == Script::Box || script(after) == Script::Box;
    let base = if c == before {
        1.0
    } else if near {
        7.0
    } else {
        10.0
    };
    base + if letter(before) || letter(after) { 9.0 } else { 0.0 }
}

fn mark(before: char, c: char, after: char) -> f64 {
    let letter = |n: char| matches!(script(n), Script::Latin | Script::Greek | Script::Cyrillic);
    let (left, right) = (letter(before), letter(after));
    let digit = before.is_ascii_digit() || after.is_ascii_digit();
    let mut bits = if MARKS.contains(c) || matches!(c, '\u{a0}' | '\u{202f}') { 6.5 } else { 10.0 };
    let money = "€£¥".contains(c) && (digit || before == ' ');
    let raised = "½¼¾°²³".contains(c) && (before.is_ascii_digit() || before == ' ');
    let leans_left = left && !"’”»“°²³®™…–\u{a0}".contains(c);
    let leans_right = right && !"‘“„«§©–¿¡\u{a0}".contains(c);
    if left && right && !"’´·-–".contains(c) {
        bits += 9.0;
    } else if money || raised {
        bits -= 1.0;
    } else if leans_left || leans_right {
        bits += 4.0;
    }
    if "¹¤¦¬¨¸¯¶ª".contains(c) {
        bits += 2.0;
    }
    bits
}

/// Whether an ideograph is among the commoner half: on the first level of the Japanese standard, or of the Chinese one if the
/// Japanese one lacks it.
fn is_listed_ideograph(c: char) -> bool {
    let mut text = [0; 4];
    let text = c.encode_utf8(&mut text);
    let (japanese, _, lacking) = rs::EUC_JP.encode(text);
    if !lacking && japanese.len() == 2 {
        return (0xB0..=0xCF).contains(&japanese[0]);
    }
    let (chinese, _, lacking) = rs::GBK.encode(text);
    !lacking && chinese.len() == 2 && (0xB0..=0xD7).contains(&chinese[0]) && chinese[1] >= 0xA1
}

/// Whether a Korean syllable is one of the 2,350 of the national standard; the code page holds all that can be built.
fn is_listed_syllable(c: char) -> bool {
    let mut text = [0; 4];
    let (korean, _, lacking) = rs::EUC_KR.encode(c.encode_utf8(&mut text));
    !lacking && korean.len() == 2 && korean[0] >= 0xA1 && korean[1] >= 0xA1
}

/// The first place at which two readings of the same bytes differ, as an index into the first one.
pub(super) fn first_difference(text: &[char], other: &[char]) -> usize {
    text.iter().zip(other).position(|(a, b)| a != b).unwrap_or(0)
}

/// The word that holds character `at`, in quotation marks; empty if nothing is there.
pub(super) fn word_around(text: &[char], at: usize) -> String {
    if text.is_empty() {
        return String::new();
    }
    let inside = |c: &char| c.is_alphanumeric() || (!c.is_ascii() && !c.is_control());
    let start = text[..at].iter().rposition(|c| !inside(c)).map_or(0, |p| p + 1);
    let end = text[at..].iter().position(|c| !inside(c)).map_or(text.len(), |p| at + p);
    let word: String = text[start.max(at.saturating_sub(12))..end.min(at + 12)].iter().collect();
    if word.is_empty() { word } else { format!("\u{201c}{word}\u{201d}") }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cheapest(label: &str, text: &str) -> String {
        let encoding = rs::Encoding::for_label(label.as_bytes()).unwrap();
        rank(&encoding.encode(text).0, None, false)[0].encoding.name()
    }

    #[test]
    fn alphabets_tell_encodings_of_one_script_apart() {
        for (label, text) in [
            ("windows-1252", "Größe und Gebühr der Schlüssel, fällig"),
            ("windows-1250", "zboží přijaté, řepka, Łódź, żółty, świeży"),
            ("windows-1257", "šķidrā krava, piestātne, ūdens līmenis, kuģis, ķēde, šļūtene"),
            ("koi8-r", "Причал северный, рыба мороженая"),
            ("windows-1251", "Причал северный, рыба мороженая"),
            ("ibm866", "Причал северный, рыба мороженая"),
            ("windows-1253", "Προβλήτα βόρεια ψάρια κατεψυγμένα"),
            ("macintosh", "Größe und Gebühr der Schlüssel, fällig"),
            ("gb18030", "码头货物北码头冷冻鱼南码头散装水泥"),
        ] {
            assert_eq!(cheapest(label, text), label, "{text}");
        }
    }

    #[test]
    fn few_words_of_east_asia_are_enough() {
        for (label, text) in [
            ("big5", "日期 費用 單位 借方 貸方"),
            ("gb18030", "日期 费用 单位 库存 订单"),
            ("euc-jp", "得意先 金額 単位 倉庫"),
            ("shift_jis", "得意先 金額 単位 倉庫"),
            ("euc-kr", "거래처 금액 단위 창고"),
        ] {
            assert_eq!(cheapest(label, text), label, "{text}");
        }
    }

    #[test]
    fn what_comes_again_says_nothing_new() {
        let text: Vec<char> = "12 m³ 13 m³ 14 m³ Niño".chars().collect();
        assert_eq!(different_words(&text).into_iter().collect::<String>(), " m³ \n Niño\n");
        let words = "Niño 12 m³;13 m³;14 m³;15 m³;16 m³;17 m³;18 m³;19 m³ ";
        assert_eq!(cheapest("windows-1252", words), "windows-1252");
    }

    #[test]
    fn letters_that_no_word_has_are_dear() {
        // Cyrillic read as Greek or as Western letters.
        assert_eq!(cheapest("windows-1251", "Ведомость"), "windows-1251");
        assert_eq!(cheapest("windows-1251", "Дата Сумма"), "windows-1251");
    }

    #[test]
    fn dos_pages_are_told_from_each_other() {
        // Words with the bytes of code page 852: the letters of Central Europe.
        let polish = b"za\xBE\xA2\xE5 g\x98\xABl\xA5 ja\xAB\xE4, \xB6\xA2d\xAB, \x98wie\xBEy, \xBE\xA2\x88ty";
        assert_eq!(rank(polish, None, false)[0].encoding.name(), "cp852");
        let german = b"Kai S\x81d;Geb\x81hr;Gr\x94\xE1e;f\x84llig";
        assert_eq!(rank(german, None, false)[0].encoding.name(), "cp850");
    }
}
