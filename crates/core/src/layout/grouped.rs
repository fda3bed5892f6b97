//! Numbers that are printed in groups with one blank between them, and are one value all the same: telephone numbers, and account
//! numbers as ISO 13616 prints them.

use super::measure::column::Column;
use super::measure::lexicon::Lexicon;

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

/// Whether a text is an account number in groups of four (`XX14 QUAY 3726 9520 3923 25`).
pub(super) fn is_account(text: &[u8]) -> bool {
    let groups: Vec<&[u8]> = text.split(|b| *b == b' ').collect();
    let Some((last, others)) = groups.split_last() else { return false };
    groups.len() >= ACCOUNT_GROUPS
        && is_account_begin(others[0])
        && others[1..].iter().all(|group| group.len() == 4 && is_account_part(group))
        && is_account_part(last)
}

/// Whether this is how an account number begins: a country and two digits.
fn is_account_begin(group: &[u8]) -> bool {
    group.len() == 4
        && group[..2].iter().all(u8::is_ascii_uppercase)
        && group[2..].iter().all(u8::is_ascii_digit)
}

/// Whether this may be a group of an account number.
pub(super) fn is_account_part(group: &[u8]) -> bool {
    (1..=4).contains(&group.len()) && group.iter().all(|b| b.is_ascii_digit() || b.is_ascii_uppercase())
}

/// Pairs of digits of a telephone number.
const PAIRS: usize = 5;

/// Whether some columns, one beside the other, hold the groups of one number each.
pub(super) fn are_divided(columns: &[Column], lexicon: &Lexicon) -> bool {
    columns.windows(PAIRS).any(|groups| are_telephone(groups, lexicon))
        || columns.windows(ACCOUNT_GROUPS).any(|groups| are_account(groups, lexicon))
}

/// Whether columns hold two digits each, the first one with a zero in front, and the others also such as no time and no date holds:
/// they are parts of telephone numbers (`06 65 38 03 95`).
fn are_telephone(columns: &[Column], lexicon: &Lexicon) -> bool {
    let is_pair = |group: &[u8]| group.len() == 2 && group.iter().all(u8::is_ascii_digit);
    let is_high = |group: &[u8]| is_pair(group) && group >= &b"60"[..];
    let (first, others) = (&columns[0], &columns[1..]);
    first.filled() >= 4
        && hold(first, lexicon, &|group| is_pair(group) && group[0] == b'0')
        && others.iter().all(|column| {
            hold(column, lexicon, &is_pair) && column.those(|id| is_high(lexicon.text(id).as_bytes())) > 0
        })
}

/// Whether columns hold the first groups of account numbers (`XX14 6376 3726 9520`).
fn are_account(columns: &[Column], lexicon: &Lexicon) -> bool {
    let (Some((first, others)), Some(last)) = (columns.split_first(), columns.last()) else { return false };
    first.filled() >= 2
        && hold(first, lexicon, &is_account_begin)
        && others[..others.len() - 1]
            .iter()
            .all(|column| hold(column, lexicon, &|group| group.len() == 4 && is_account_part(group)))
        && hold(last, lexicon, &is_account_part)
}

/// Whether nearly all values of a column are such.
fn hold(column: &Column, lexicon: &Lexicon, is_such: &dyn Fn(&[u8]) -> bool) -> bool {
    column.those(|id| is_such(lexicon.text(id).as_bytes())) * 20 >= column.filled() * 19
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
