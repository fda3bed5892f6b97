//! What a value is at first sight. Kinds are decided elsewhere, on whole columns; this only tells layouts apart.

use crate::kind::date;

/// A value's sort.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub(in crate::layout) enum Sort {
    /// Nothing there.
    Blank,
    /// A number, with a sign, a currency, marks that group.
    Number,
    /// A date, a time, or both.
    Moment,
    /// Letters and digits without a blank; a path, an address of a page or a mailbox.
    Code,
    /// One word of letters, with marks that join.
    Word,
    /// Everything else.
    Text,
}

impl Sort {
    /// Whether values of this sort are more than words.
    pub(in crate::layout) fn is_typed(self) -> bool {
        matches!(self, Self::Number | Self::Moment | Self::Code)
    }

    /// Whether it is made of words.
    pub(in crate::layout) fn is_words(self) -> bool {
        matches!(self, Self::Word | Self::Text)
    }
}

/// The longest value that is one thing.
const ATOM: usize = 40;

/// The sort of a text without blanks around it.
pub(in crate::layout) fn sort_of(text: &str) -> Sort {
    if text.is_empty() {
        return Sort::Blank;
    }
    if text.len() > ATOM {
        return if text.len() <= 120 && is_path(text) { Sort::Code } else { Sort::Text };
    }
    let digits = text.bytes().any(|b| b.is_ascii_digit());
    if digits && is_number(text) {
        return Sort::Number;
    }
    if digits && is_moment(text) {
        return Sort::Moment;
    }
    if is_code(text) {
        return match digits {
            true if is_run_together(text) => Sort::Text,
            true => Sort::Code,
            false => Sort::Word,
        };
    }
    if is_path(text) { Sort::Code } else { Sort::Text }
}

/// Digits that run into a word: four letters or more, an ideograph, a capital with small letters behind it, or with a full stop and
/// a blank; or four small letters that run into two digits and end a word there.
pub(super) fn is_run_together(text: &str) -> bool {
    let mut digits = 0;
    // Letters since the last digit, if nothing else stands between them; and small letters in a row.
    let (mut letters, mut small, mut capital) = (0, 0, false);
    let mut chars = text.chars().peekable();
    while let Some(c) = chars.next() {
        if c.is_ascii_digit() {
            digits += 1;
            if letters > 0 {
                digits = 1;
            }
            if small >= 4 && chars.peek().is_some_and(char::is_ascii_digit) {
                return true;
            }
            (letters, small, capital) = (0, 0, false);
        } else if c.is_alphabetic() {
            if digits > 0 && matches!(c, '\u{3000}'..='\u{d7ff}') {
                return true;
            }
            letters += 1;
            small = if c.is_lowercase() { small + 1 } else { 0 };
            capital = if letters == 1 { c.is_uppercase() } else { capital };
            let begins = capital && (small >= 2 && letters == small + 1);
            if digits > 0 && (letters >= 4 || digits >= 3 && begins) {
                return true;
            }
        } else {
            if digits >= 3 && letters == 1 && capital && c == '.' && chars.peek() == Some(&' ') {
                return true;
            }
            (digits, letters, small, capital) = (0, 0, 0, false);
        }
    }
    false
}

/// Takes signs, brackets and a currency off both ends of a number.
fn bare(text: &str) -> Option<&str> {
    let mut rest = text.trim_start_matches(['-', '+', '(', '\u{2212}']);
    let money = ['$', '€', '£', '¥', '₹', '₽', '₺', '₩'];
    rest = rest.trim_start_matches(' ');
    if let Some(inside) = rest.strip_prefix(money) {
        rest = inside.trim_start_matches([' ', '\u{a0}']);
    } else if rest.len() > 4
        && rest.as_bytes()[..3].iter().all(u8::is_ascii_uppercase)
        && (rest.as_bytes()[3] == b' ' && rest.as_bytes()[4].is_ascii_digit())
    {
        rest = &rest[4..];
    } else if let Some(inside) = rest.strip_prefix('%') {
        rest = inside;
    }
    rest = rest.trim_start_matches(['-', '+']);
    let tail = rest.trim_end_matches(|c: char| !c.is_ascii_digit() && c != '.' && c != ',');
    let behind = rest[tail.len()..].trim_matches([' ', '\u{a0}']);
    // A currency, and a mark for debit or credit behind it.
    let known = is_sign(behind)
        || behind.rsplit_once(' ').is_some_and(|(money, side)| is_sign(money) && is_side(side));
    known.then_some(tail)
}

/// Whether this stands behind numbers: a currency, a percent sign, a mark for debit or credit.
fn is_sign(text: &str) -> bool {
    match text {
        "" | "%" | "‰" | "-" | "+" | ")" | "€" | "$" | "£" | "¥" | "₹" | "₽" | "₺" | "₩" | "zł" | "kr"
        | "Kč" | "Ft" | "lei" | "kn" => true,
        other => is_side(other) || (other.len() == 3 && other.bytes().all(|b| b.is_ascii_uppercase())),
    }
}

/// Whether this says debit or credit.
fn is_side(text: &str) -> bool {
    matches!(text, "CR" | "DR" | "Cr" | "Dr" | "S" | "H" | "C" | "D")
}

/// Whether the text is spelled as a number.
fn is_number(text: &str) -> bool {
    let Some(bare) = bare(text) else { return false };
    let bytes = bare.as_bytes();
    let Some(first) = bytes.iter().position(u8::is_ascii_digit) else { return false };
    if first > 1 || (first == 1 && !matches!(bytes[0], b'.' | b',')) {
        return false;
    }
    // Digits with group marks, then decimals, then an exponent.
    let end = number_end(bare);
    end == bare.len()
}

/// Where the number that a text begins with ends, in bytes.
fn number_end(text: &str) -> usize {
    let bytes = text.as_bytes();
    let digits = |from: usize| bytes[from..].iter().take_while(|b| b.is_ascii_digit()).count();
    let mut at = digits(0);
    if at <= 3 && at > 0 {
        let mut group: Option<&str> = None;
        loop {
            let rest = &text[at..];
            let Some(mark) = [",", ".", "'", " ", "\u{a0}", "\u{202f}", "’"]
                .into_iter()
                .find(|m| rest.starts_with(*m) && group.is_none_or(|g| g == *m))
            else {
                break;
            };
            let three = digits(at + mark.len());
            // Groups of three; of two in front of the last three where thousands are counted that way.
            let indian = three == 2 && mark == "," && text[at + mark.len() + 2..].starts_with(mark);
            if three != 3 && !indian {
                break;
            }
            group = Some(mark);
            at += mark.len() + three;
        }
    }
    if matches!(bytes.get(at), Some(b'.' | b',')) {
        let more = digits(at + 1);
        if more > 0 || at > 0 {
            at += 1 + more;
        }
    }
    if matches!(bytes.get(at), Some(b'e' | b'E' | b'd' | b'D')) {
        let sign = usize::from(matches!(bytes.get(at + 1), Some(b'+' | b'-')));
        let exponent = digits((at + 1 + sign).min(bytes.len()));
        if exponent > 0 {
            at += 1 + sign + exponent;
        }
    }
    at
}

/// The text without the marks that group thousands, if it begins with a number that has some.
pub(super) fn grouped(text: &str) -> Option<String> {
    let bytes = text.as_bytes();
    let start = bytes.iter().position(u8::is_ascii_digit)?;
    let front = &text[..start];
    if front.chars().count() > 3
        || front.contains(|c: char| c.is_alphanumeric() || c == '/' || c == ':' || c == '.')
    {
        return None;
    }
    let mut at = start + bytes[start..].iter().take_while(|b| b.is_ascii_digit()).count();
    if at - start > 3 {
        return None;
    }
    let first = at;
    let mut plain = text[..at].to_owned();
    let mut group: Option<&str> = None;
    loop {
        let rest = &text[at..];
        let Some(mark) = [",", ".", "'", " ", "\u{a0}", "\u{202f}"]
            .into_iter()
            .find(|m| rest.starts_with(*m) && group.is_none_or(|g| g == *m))
        else {
            break;
        };
        let from = at + mark.len();
        let three = bytes[from..].iter().take_while(|b| b.is_ascii_digit()).count();
        if three != 3 {
            break;
        }
        group = Some(mark);
        plain.push_str(&text[from..from + 3]);
        at = from + 3;
    }
    if at == first {
        return None;
    }
    let rest = &text[at..];
    let ends = rest.is_empty()
        || rest.starts_with(')')
        || (rest.starts_with(['.', ',', '-']) && !rest[1..].contains([',', '.']))
        || rest.trim_start_matches(' ').starts_with(['€', '%', '$', '£'])
        || (rest.trim_start_matches(' ').chars().next().is_some_and(|c| c.is_ascii_uppercase())
            && rest.len() <= 4);
    ends.then(|| plain + rest)
}

/// Whether the text is spelled as a date or a time. Eight digits are a number.
fn is_moment(text: &str) -> bool {
    let bytes = text.as_bytes();
    if bytes.iter().all(u8::is_ascii_digit) {
        return false;
    }
    // A day of the week in front, and an offset behind a blank, belong to it.
    let mut rest = text;
    if let Some((day, behind)) = text.split_once([' ', ','])
        && (2..=9).contains(&day.trim_end_matches('.').chars().count())
        && day.chars().all(|c| c.is_alphabetic() || c == '.')
        && behind.trim_start().starts_with(|c: char| c.is_ascii_digit())
    {
        if date::scan(text.as_bytes()).is_some() {
            return true;
        }
        rest = behind.trim_start();
    }
    if let Some((front, offset)) = rest.rsplit_once(' ')
        && offset.len() == 5
        && offset.starts_with(['+', '-'])
        && offset[1..].bytes().all(|b| b.is_ascii_digit())
    {
        rest = front;
    }
    // A part of a second has three digits or more: fewer are another value behind a comma.
    let fraction =
        rest.rfind([',', '.']).filter(|at| rest[..*at].contains(':')).map(|at| rest.len() - at - 1);
    if fraction.is_some_and(|digits| digits < 3) && rest.bytes().last().is_some_and(|b| b.is_ascii_digit()) {
        return false;
    }
    date::scan(rest.as_bytes()).is_some() || is_clock(rest)
}

/// `7:05`, `123:40:00`.
fn is_clock(text: &str) -> bool {
    let parts: Vec<&str> = text.split(':').collect();
    let digits =
        |p: &&str, most: usize| (1..=most).contains(&p.len()) && p.bytes().all(|b| b.is_ascii_digit());
    (2..=3).contains(&parts.len())
        && digits(&parts[0], 3)
        && parts[1..].iter().all(|p| p.len() == 2 && digits(p, 2))
}

/// Up to four runs of letters and digits, joined by single marks.
fn is_code(text: &str) -> bool {
    let inside = text
        .strip_prefix(['<', '(', '['])
        .map_or(text, |rest| rest.strip_suffix(['>', ')', ']']).unwrap_or(rest));
    let mut parts = 0;
    for part in inside.split(['-', '/', '.', '_', '+', '*']) {
        if part.is_empty() || !part.chars().all(char::is_alphanumeric) {
            return false;
        }
        parts += 1;
    }
    parts <= 4
}

/// A path, the address of a page, of a mailbox.
fn is_path(text: &str) -> bool {
    if text.contains(' ') {
        return false;
    }
    if let Some((scheme, rest)) = text.split_once("://") {
        return !scheme.is_empty() && !rest.is_empty() && scheme.chars().all(|c| c.is_ascii_alphanumeric());
    }
    if let Some((name, host)) = text.split_once('@') {
        return !name.is_empty() && host.contains('.') && !host.contains([',', ';', '|']);
    }
    let rest = text.trim_start_matches(['~', '.']);
    rest.len() > 1
        && rest.starts_with('/')
        && rest.chars().all(|c| c.is_alphanumeric() || "/_.+@-".contains(c))
        && !rest.contains("//")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sorts_are_told_apart() {
        for (sort, texts) in [
            (
                Sort::Number,
                &[
                    "12",
                    "-1.5",
                    "1,234.50",
                    "1.234,50",
                    "1 234,5",
                    "12,50-",
                    "(3.00)",
                    "€ 12,50",
                    "12,50 €",
                    "7 %",
                    "1e5",
                    ".5",
                    "1'234.50",
                    "EUR 12.50",
                    "12.50 CR",
                    "12.50 CZK DR",
                    "3,20 € H",
                    "12,34,567.00",
                    "20310817",
                ][..],
            ),
            (
                Sort::Moment,
                &[
                    "2031-08-17",
                    "17.08.2031 09:30",
                    "09:30",
                    "17 Aug 2031",
                    "Mon 17 Aug 2031",
                    "9:30:05",
                    "Sat, 22 Apr 2017 15:11:58 -0500",
                ][..],
            ),
            (
                Sort::Code,
                &[
                    "B-007",
                    "NL12X",
                    "a1b2c3",
                    "https://tolgarth.example/quay",
                    "ada@quay.example",
                    "/var/tide.log",
                ][..],
            ),
            (Sort::Word, &["Saltwind", "NL", "Rye-Quay"][..]),
            (Sort::Text, &["Grey Heron", "Quay, north", "12 barrels of oil", "10591Tolgarth", "?"][..]),
        ] {
            for text in texts {
                assert_eq!(sort_of(text), sort, "{text}");
            }
        }
    }

    #[test]
    fn marks_that_group_are_taken_out() {
        for (text, plain) in [
            ("1,234.50", Some("1234.50")),
            ("-4 271,05", Some("-4271,05")),
            ("1.234.567", Some("1234567")),
            ("12,50", None),
            ("1234,567", None),
            ("17.08.2031", None),
        ] {
            assert_eq!(grouped(text).as_deref(), plain, "{text}");
        }
    }

    #[test]
    fn digits_that_run_into_words_are_no_codes() {
        for text in ["000014351M. Quill", "33T58220310902Basil", "12Saltwind", "kept75120", "7\u{6f5c}"] {
            assert!(is_run_together(text), "{text}");
        }
        for text in ["33T582", "16GB", "12Mar2031", "4th", "Q3. quarter", "berth 7", "ab12", "H2O"] {
            assert!(!is_run_together(text), "{text}");
        }
    }
}
