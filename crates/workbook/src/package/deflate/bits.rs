//! Bits in the order of RFC 1951: the first one is the lowest of the first byte.

/// Writes bits.
#[derive(Debug, Default)]
pub(super) struct BitWriter {
    out: Vec<u8>,
    /// Bits not written yet, the first one lowest.
    pending: u64,
    /// How many: fewer than 32 between calls.
    count: u32,
}

impl BitWriter {
    pub(super) fn with_capacity(bytes: usize) -> Self {
        Self { out: Vec::with_capacity(bytes), ..Self::default() }
    }

    /// Writes the lowest `count` bits of `bits` (the others are 0), at most 32.
    #[inline]
    pub(super) fn write(&mut self, bits: u32, count: u32) {
        self.pending |= u64::from(bits) << self.count;
        self.count += count;
        if self.count >= 32 {
            self.out.extend_from_slice(&(self.pending as u32).to_le_bytes());
            self.pending >>= 32;
            self.count -= 32;
        }
    }

    /// Fills the byte up with zeros.
    pub(super) fn align(&mut self) {
        while self.count > 0 {
            self.out.push(self.pending as u8);
            self.pending >>= 8;
            self.count = self.count.saturating_sub(8);
        }
        self.pending = 0;
    }

    /// The bytes written; whole ones only.
    pub(super) fn into_bytes(self) -> Vec<u8> {
        self.out
    }
}
