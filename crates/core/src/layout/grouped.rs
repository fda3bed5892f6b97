//! Numbers that are printed in groups with one blank between them, and are one value all the same: telephone numbers, and account
//! numbers as ISO 13616 prints them.

/// Groups of an account number at least.
pub(super) const ACCOUNT_GROUPS: usize = 4;

/// Whether a line is a telephone number: short groups of digits with one blank between them, the first with a zero, a plus or a
/// bracket.
pub(super) fn is_telephone(line: &[u8]) -> bool {
    let groups: Vec<&[u8]> = line.split(|b| *b == b' ').collect();
    let is_group = |group: &&[u8]| {
        let digits = group.iter().filter(|b| b.is_ascii_digit()).count();
        (1..=4).contains(&digits) && group.iter().all(|b| b.is_ascii_digit() || b"+()-/".contains(b))
    };
    groups.len() > 2 && matches!(line.first(), Some(b'0' | b'+' | b'(')) && groups.iter().all(is_group)
}

/// Whether a text is an account number in groups of four (`GB29 NWBK 6016 1331 9268 19`).
pub(super) fn is_account(text: &[u8]) -> bool {
    let groups: Vec<&[u8]> = text.split(|b| *b == b' ').collect();
    let Some((last, others)) = groups.split_last() else { return false };
    groups.len() >= ACCOUNT_GROUPS
        && is_account_begin(others[0])
        && others[1..].iter().all(|group| group.len() == 4 && is_account_part(group))
        && is_account_part(last)
}

/// Whether this is how an account number begins: a country and two digits.
pub(super) fn is_account_begin(group: &[u8]) -> bool {
    group.len() == 4
        && group[..2].iter().all(u8::is_ascii_uppercase)
        && group[2..].iter().all(u8::is_ascii_digit)
}

/// Whether this may be a group of an account number.
pub(super) fn is_account_part(group: &[u8]) -> bool {
    (1..=4).contains(&group.len()) && group.iter().all(|b| b.is_ascii_digit() || b.is_ascii_uppercase())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn grouped_numbers_are_told_from_values_side_by_side() {
        for (text, telephone, account) in [
            ("06 65 38 03 95", true, false),
            ("+47 22 410 370", true, false),
            ("(087) 799 3332", true, false),
            ("(087) 799", false, false),
            ("12 65 38 03 95", false, false),
            ("XX14 6376 3726 9520 3923 25", false, true),
            ("XX14 QUAY 3726 9520 3923 2501", false, true),
            ("XX14 6376 3726", false, false),
            ("XX14 6376 372 9520", false, false),
            ("xx14 6376 3726 9520", false, false),
            ("TQ1 6376 3726 9520", false, false),
            ("", false, false),
        ] {
            assert_eq!(
                (is_telephone(text.as_bytes()), is_account(text.as_bytes())),
                (telephone, account),
                "{text}"
            );
        }
    }
}
