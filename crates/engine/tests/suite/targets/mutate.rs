//! Changes of seeds, the same ones for the same number.

/// Numbers that look random; the same ones from the same seed (a linear congruential step, folded).
#[derive(Clone, Debug)]
pub struct Chance(u64);

impl Chance {
    /// Begins with a seed.
    pub fn new(seed: u64) -> Self {
        Self(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) | 1)
    }

    /// A number below `end`, which is at least 1.
    pub fn below(&mut self, end: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        ((self.0 >> 33) ^ (self.0 >> 13)) as usize % end.max(1)
    }
}

/// Texts that mean something somewhere.
const TOKENS: [&[u8]; 40] = [
    b"\"",
    b"'",
    b"\\",
    b",",
    b";",
    b"\t",
    b"|",
    b"\r\n",
    b"\r",
    b"\n",
    b" ",
    b"  ",
    b"=",
    b"-",
    b"\x0c",
    b"\0",
    b"\xff\xfe",
    b"\xef\xbb\xbf",
    b"\xc3",
    b"\xe4",
    b"0",
    b"007",
    b"1.234,56",
    b"-1e9",
    b"31.12.2031",
    b"18662188719499160259",
    b"4294967295",
    b"A1",
    b"$XFD$1048576",
    b"A2:C4",
    b"SUM(",
    b"#REF!",
    b"<row r=\"9\">",
    b"</sheetData>",
    b"<c r=\"B2\" t=\"s\"><v>",
    b" ref=\"A1:C2\"",
    b"&#x0;",
    b"]]>",
    b"<!--",
    b"[[column]]",
];

/// A seed with a few changes.
pub fn mutated(seed: &[u8], chance: &mut Chance) -> Vec<u8> {
    let mut bytes = seed.to_vec();
    for _ in 0..=chance.below(6) {
        let at = chance.below(bytes.len() + 1);
        let to = (at + 1 + chance.below(24)).min(bytes.len());
        match chance.below(9) {
            0 if at < bytes.len() => bytes[at] = chance.below(256) as u8,
            1 if at < bytes.len() => bytes[at] ^= 1 << chance.below(8),
            2 => drop(bytes.drain(at..to)),
            3 => {
                let piece = bytes[at..to].to_vec();
                let there = chance.below(bytes.len() + 1);
                bytes.splice(there..there, piece);
            }
            4 => bytes.truncate(at),
            5 => {
                // A line more than once, or a line less.
                let start = memrchr(&bytes[..at]).map_or(0, |n| n + 1);
                let end = memchr(&bytes[at..]).map_or(bytes.len(), |n| at + n + 1);
                let line = bytes[start..end].to_vec();
                let times = chance.below(4);
                bytes.splice(start..end, std::iter::repeat_n(line, times).flatten());
            }
            _ => {
                let token = TOKENS[chance.below(TOKENS.len())];
                let over = if chance.below(2) == 0 { at } else { to };
                bytes.splice(at..over, token.iter().copied());
            }
        }
    }
    bytes
}

fn memchr(bytes: &[u8]) -> Option<usize> {
    bytes.iter().position(|byte| *byte == b'\n')
}

fn memrchr(bytes: &[u8]) -> Option<usize> {
    bytes.iter().rposition(|byte| *byte == b'\n')
}
