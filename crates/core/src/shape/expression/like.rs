//! `LIKE`: `%` stands for any characters, `_` for one.

/// Whether text fits a pattern; `escape` takes the meaning from the character behind it. `None`: the pattern ends with the escape.
pub(super) fn fits(text: &str, pattern: &str, escape: Option<char>) -> Option<bool> {
    enum Part {
        One(char),
        Any,
        Run,
    }
    let mut parts = Vec::new();
    let mut chars = pattern.chars();
    while let Some(c) = chars.next() {
        parts.push(match c {
            c if Some(c) == escape => Part::One(chars.next()?),
            '%' => Part::Run,
            '_' => Part::Any,
            c => Part::One(c),
        });
    }
    let text: Vec<char> = text.chars().collect();
    // The last run, and how much of the text it took: it takes one more where what is behind it does not fit.
    let (mut at, mut part, mut back) = (0, 0, None);
    while at < text.len() {
        match parts.get(part) {
            Some(Part::Run) => {
                back = Some((part + 1, at));
                part += 1;
            }
            Some(Part::Any) => (at, part) = (at + 1, part + 1),
            Some(Part::One(c)) if *c == text[at] => (at, part) = (at + 1, part + 1),
            _ => match back {
                Some((behind, taken)) => {
                    back = Some((behind, taken + 1));
                    (at, part) = (taken + 1, behind);
                }
                None => return Some(false),
            },
        }
    }
    Some(parts[part..].iter().all(|part| matches!(part, Part::Run)))
}

#[cfg(test)]
mod tests {
    use super::fits;

    #[test]
    fn patterns_fit_as_the_standard_says() {
        for (text, pattern, escape, expected) in [
            ("Saltwind", "Salt%", None, Some(true)),
            ("Saltwind", "%w_nd", None, Some(true)),
            ("Saltwind", "salt%", None, Some(false)),
            ("abcabd", "%ab_", None, Some(true)),
            ("abcabd", "a%b%c", None, Some(false)),
            ("", "%", None, Some(true)),
            ("", "_", None, Some(false)),
            ("50%", "50!%", Some('!'), Some(true)),
            ("500", "50!%", Some('!'), Some(false)),
            ("50", "50!", Some('!'), None),
            ("Möwe", "M_we", None, Some(true)),
        ] {
            assert_eq!(fits(text, pattern, escape), expected, "{text} LIKE {pattern}");
        }
        let long = "a".repeat(5000);
        assert_eq!(fits(&long, &"%a".repeat(40), None), Some(true));
        assert_eq!(fits(&long, &format!("{}b", "%a".repeat(40)), None), Some(false));
    }
}
