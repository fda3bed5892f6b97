//! What bytes can be, as far as the statistics tell them apart.

pub(super) const DIGIT: u16 = 1;
pub(super) const LETTER: u16 = 2;
pub(super) const MARK: u16 = 4; // . ,
pub(super) const SIGN: u16 = 8; // + -
pub(super) const BLANK: u16 = 16;
pub(super) const HIGH: u16 = 32;
pub(super) const DATE: u16 = 64; // : /
pub(super) const OTHER: u16 = 128;

/// What each byte can be.
pub(super) const TABLE: [u8; 256] = {
    let mut table = [OTHER as u8; 256];
    let mut b = 0;
    while b < 256 {
        let byte = b as u8;
        if byte.is_ascii_digit() {
            table[b] = DIGIT as u8;
        } else if byte.is_ascii_alphabetic() {
            table[b] = LETTER as u8;
        } else if byte >= 0x80 {
            table[b] = HIGH as u8;
        }
        b += 1;
    }
    table[b'.' as usize] = MARK as u8;
    table[b',' as usize] = MARK as u8;
    table[b'+' as usize] = SIGN as u8;
    table[b'-' as usize] = SIGN as u8;
    table[b' ' as usize] = BLANK as u8;
    table[b'\t' as usize] = BLANK as u8;
    table[b':' as usize] = DATE as u8;
    table[b'/' as usize] = DATE as u8;
    table
};
