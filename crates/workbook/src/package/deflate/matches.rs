//! What repeats: a text as literals and references to earlier places.

/// How far back a reference reaches.
const WINDOW: usize = 32 * 1024;

/// Longest reference.
pub(super) const LONGEST: usize = 258;

/// Slots of the table of earlier places.
const SLOTS: usize = 1 << 14;

/// A literal byte, or a reference: bit 31, length less 3 in bits 16 to 23, distance less 1 in bits 0 to 14.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) struct Token(u32);

impl Token {
    fn literal(byte: u8) -> Self {
        Self(u32::from(byte))
    }

    fn reference(length: usize, distance: usize) -> Self {
        Self(1 << 31 | ((length - 3) as u32) << 16 | (distance - 1) as u32)
    }

    /// The literal, or length less 3 and distance less 1.
    #[inline]
    pub(super) fn parts(self) -> Result<u8, (u8, u16)> {
        if self.0 >> 31 == 0 {
            Ok(self.0 as u8)
        } else {
            Err(((self.0 >> 16) as u8, (self.0 & 0x7FFF) as u16))
        }
    }
}

/// Finds references.
#[derive(Debug)]
pub(super) struct MatchFinder {
    /// The last place (plus one) at which bytes of each hash were looked up; 0: none.
    places: Box<[u32; SLOTS]>,
}

impl Default for MatchFinder {
    fn default() -> Self {
        Self { places: Box::new([0; SLOTS]) }
    }
}

/// The slot of the five bytes that a little-endian word begins with.
#[inline]
fn slot(word: u64) -> usize {
    ((word << 24).wrapping_mul(0x9E37_79B1_85EB_CA87) >> (64 - SLOTS.trailing_zeros())) as usize
}

#[inline]
fn word_at(raw: &[u8], at: usize) -> Option<u64> {
    raw.get(at..at + 8).and_then(|b| b.try_into().ok()).map(u64::from_le_bytes)
}

impl MatchFinder {
    /// Forgets all places: a new block begins.
    pub(super) fn begin(&mut self) {
        self.places.fill(0);
    }

    /// Appends about `most` tokens for `raw` from byte `at` on; gives the byte they end at.
    pub(super) fn tokens(
        &mut self,
        raw: &[u8],
        mut at: usize,
        most: usize,
        tokens: &mut Vec<Token>,
    ) -> usize {
        let start = at;
        while tokens.len() < most {
            let Some(word) = word_at(raw, at) else {
                // Too few bytes for a look-up: the end of the block.
                tokens.extend(raw[at..].iter().map(|b| Token::literal(*b)));
                return raw.len();
            };
            let place = &mut self.places[slot(word)];
            let candidate = *place as usize;
            *place = at as u32 + 1;
            if candidate > 0 && at + 1 - candidate <= WINDOW {
                let earlier = candidate - 1;
                let length = common(raw, earlier, at, word);
                if length >= least(at - earlier) {
                    at = self.reference(raw, start, earlier, at, length, tokens);
                    continue;
                }
            }
            tokens.push(Token::literal(raw[at]));
            at += 1;
        }
        at
    }

    /// Adds the reference to `earlier`, extended to the front over literals just added, and on past its longest form.
    #[inline]
    fn reference(
        &mut self,
        raw: &[u8],
        start: usize,
        mut earlier: usize,
        mut at: usize,
        mut length: usize,
        tokens: &mut Vec<Token>,
    ) -> usize {
        let end = at + length;
        while at > start
            && earlier > 0
            && length < LONGEST
            && raw[at - 1] == raw[earlier - 1]
            && tokens.last().is_some_and(|t| t.parts().is_ok())
        {
            tokens.pop();
            (at, earlier, length) = (at - 1, earlier - 1, length + 1);
        }
        tokens.push(Token::reference(length, at - earlier));
        // What follows a repetition is often followed by the next one: its end is worth a place.
        if let Some(word) = word_at(raw, end - 2) {
            self.places[slot(word)] = (end - 2) as u32 + 1;
        }
        end
    }
}

/// Shortest reference that is worth its bits at a distance: digits take less than four bits each as literals, a distance
/// takes five bits and the logarithm of itself.
#[inline]
fn least(distance: usize) -> usize {
    match distance {
        ..=64 => 4,
        65..=1024 => 5,
        1025..=8192 => 6,
        _ => 7,
    }
}

/// Bytes that `raw` has in common at two places, at most [`LONGEST`]. `word`: the eight bytes at the later one.
#[inline]
fn common(raw: &[u8], earlier: usize, at: usize, word: u64) -> usize {
    let Some(first) = word_at(raw, earlier) else { return 0 };
    let differing = first ^ word;
    if differing != 0 {
        return differing.trailing_zeros() as usize / 8;
    }
    let room = LONGEST.min(raw.len() - at);
    let mut length = 8;
    while length + 8 <= room {
        match (word_at(raw, earlier + length), word_at(raw, at + length)) {
            (Some(a), Some(b)) if a == b => length += 8,
            (Some(a), Some(b)) => return length + (a ^ b).trailing_zeros() as usize / 8,
            _ => break,
        }
    }
    while length < room && raw[earlier + length] == raw[at + length] {
        length += 1;
    }
    length
}
