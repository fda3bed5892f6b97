//! Patterns of names.

/// Whether a name fits a pattern of `*`, which stands for any characters, and `?`, which stands for one.
pub fn fits(pattern: &str, name: &str) -> bool {
    let (pattern, name): (Vec<char>, Vec<char>) = (pattern.chars().collect(), name.chars().collect());
    // Where the last star stands, and how much of the name it takes so far.
    let (mut p, mut n, mut star) = (0, 0, None);
    while n < name.len() {
        match pattern.get(p) {
            Some('*') => {
                star = Some((p, n));
                p += 1;
            }
            Some(c) if *c == '?' || *c == name[n] => {
                p += 1;
                n += 1;
            }
            _ => match star {
                Some((at, taken)) => {
                    star = Some((at, taken + 1));
                    (p, n) = (at + 1, taken + 1);
                }
                None => return false,
            },
        }
    }
    pattern[p..].iter().all(|c| *c == '*')
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_fit_patterns() {
        for (pattern, name, expected) in [
            ("*.csv", "calls.csv", true),
            ("calls-20??-*.csv", "calls-2031-april.csv", true),
            ("calls-20??-*.csv", "calls-31-april.csv", false),
            ("*a*b", "xaxxb", true),
            ("*a*b", "xaxxbc", false),
            ("", "", true),
            ("**", "anything", true),
            ("dues.txt", "dues.txt.gz", false),
        ] {
            assert_eq!(fits(pattern, name), expected, "{pattern} {name}");
        }
    }
}
